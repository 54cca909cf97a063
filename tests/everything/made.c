/* Rigs and plans of the campaign. */
#define _GNU_SOURCE
#include "made.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

const made_verb verbs[VERBS] = {{"ramp", "it ramp %s in 300ms"},
                                {"run", "it run %s for 500ms"},
                                {"hold", "it hold 300ms"},
                                {"stop", "it stop"},
                                {"rest", "it rest 300ms"},
                                {"brake", "it brake for 200ms"},
                                {"coast", "it coast for 200ms"},
                                {"on", "it on for 400ms"},
                                {"off", "it off"},
                                {"pulse", "it pulse 200ms"},
                                {"toggle", "it toggle"},
                                {"follow", "it follow dial up to %s for 600ms"},
                                {"calibrate", "it calibrate for 400ms"},
                                {"turn", "it turn 90deg"},
                                {"turn to", "it turn to 45deg"},
                                {"zero", "it zero"},
                                {"home", "it home at most 2s"},
                                {"release", "it release"},
                                {"until fault", "it run %s until it faulted at most 600ms"},
                                {"clear", "it clear at most 300ms"}};

const char *const faults[FAULTS] = {NULL,
                                    "main dead",
                                    "main weak",
                                    "it stalled",
                                    "it wire-off #",
                                    "it wires-swapped",
                                    "it pin-floating #",
                                    "it motor-wire-off",
                                    "it motor-swapped",
                                    "it no-ground",
                                    "it diode-reversed",
                                    "it coils-crossed",
                                    "it encoder-off",
                                    "it encoder-channel-off",
                                    "it encoder-swapped",
                                    "it hall-sensor-off",
                                    "dial stuck",
                                    "stop stuck",
                                    "controller link-lost",
                                    "it deaf",
                                    "it local",
                                    "it bus-cable-off",
                                    "it bus-off",
                                    "it bus-full",
                                    "it bus-rate",
                                    "it duplicate-node"};
size_t list_cells(cell cells[CELLS]) {
    size_t kinds, count = 0;
    const wpin_stage_kind *kind = wpin_stage_kinds(&kinds);
    for (size_t k = 0; k < kinds; k++) {
        for (const wpin_wired *t = wpin_wired_things(); t->what != NULL; t++) {
            bool again = false;
            for (size_t i = 0; i < count; i++) {
                again = again || (cells[i].kind == &kind[k] && t->load != NULL &&
                                  strcmp(cells[i].thing->load, t->load) == 0 &&
                                  cells[i].thing->encoder == t->encoder);
            }
            if (!again && count + 2 < CELLS && wpin_starter_fits(t, &kind[k])) {
                cell *made = &cells[count++];
                *made = (cell){.thing = t, .kind = &kind[k]};
                snprintf(made->name, sizeof made->name, "%s, %s%s", kind[k].name, t->load,
                         t->encoder ? " with encoder" : "");
            }
        }
    }
    for (int plain = 0; plain < 2; plain++) {
        cell *made = &cells[count++];
        *made = (cell){.plain = plain != 0};
        snprintf(made->name, sizeof made->name, "field-bus, %s", plain ? "velocity" : "profile");
    }
    return count;
}

static const char *drive_rig(bool plain) {
    static char text[2000];
    snprintf(
        text, sizeof text,
        "rig: any\nsupplies: {main: {voltage: 36V, resistance: 50mohm, switch: off}, "
        "control: {voltage: 24V, resistance: 100mohm, switch: on}}\n"
        "field-buses: {line: {bit-rate: %s, period: 4ms}}\n"
        "inputs:\n  stop: {pin: 3, contact: opens, stops: all}\nloads:\n  it:\n"
        "    supply: main\n    stage: {kind: field-bus, at-rest: %s}\n"
        "    axis: {bus: line, node: %u, counts: 4000, rated-current: 3A, logic: control%s%s}\n"
        "    motor: {resistance: 800mohm, inductance: 1.2mH, constant: 70mNm/A, inertia: "
        "1200gcm2, static-friction: 30mNm, dry-friction: 20mNm}\n"
        "    speed: {rated: 1600rpm, maximum: 2000rpm}\n%s"
        "    ramp: {up: 500ms, down: 500ms}\n    rest: 100ms\n",
        pick(2) == 0 ? "1Mbit/s" : "500kbit/s", pick(2) == 0 ? "brake" : "coast", 1 + pick(120),
        plain ? ", mode: velocity" : ", homing: {method: 37}",
        pick(2) == 0 ? ", guarding: 50ms" : "",
        plain ? "" : "    position: {within: 1deg, settle: 50ms, speed: 1200rpm}\n");
    return text;
}

static const char *made_rig(const cell *of) {
    static char text[8000];
    const char *path = scratch("any.yaml");
    wpin_starter s = {.name = "it",
                      .thing = of->thing,
                      .kind = of->kind,
                      .volts = 5 + pick(300) / 10.0,
                      .watts = 1 + pick(1000) / 10.0};
    FILE *rig = fopen(path, "w"), *plan = fopen(scratch("any.plan"), "w");
    ck_assert(rig != NULL && plan != NULL && wpin_starter_write(&s, rig, plan));
    fclose(rig);
    fclose(plan);
    rig = fopen(path, "r");
    ck_assert_ptr_nonnull(rig);
    text[fread(text, 1, sizeof text - 1, rig)] = '\0';
    fclose(rig);
    return text;
}

/* In some the supply is measured; which, costs no random number. */
static const char *with_sense(const char *made) {
    static char text[8200];
    const char *supply = strstr(made, "  main:\n");
    if (supply == NULL || strlen(made) % 3 != 0) {
        return made;
    }
    supply += strlen("  main:\n");
    snprintf(text, sizeof text, "%.*s    sense: {input: 8, divider: 6%%}\n%s", (int)(supply - made),
             made, supply);
    return text;
}

/* With a knob, and ahead of its Hall sensors: what not every such rig has. */
wpin_rig *read_rig(const cell *of) {
    char text[9000];
    wpin_messages m = {0};
    const char *made = with_sense(of->thing == NULL ? drive_rig(of->plain) : made_rig(of));
    const char *inputs = strstr(made, "inputs:\n");
    ck_assert_ptr_nonnull(inputs);
    inputs += strlen("inputs:\n");
    const char *thin = strstr(inputs, "hall: {pins"), *rest = thin == NULL ? inputs : thin + 6;
    bool ahead = thin != NULL && strstr(rest, "field-oriented:") == NULL;
    snprintf(text, sizeof text, "%.*s  dial: {analog: 9}\n%.*s%s%s", (int)(inputs - made), made,
             (int)(rest - inputs), inputs, ahead ? "{advance: 12deg, " : "",
             ahead ? rest + 1 : rest);
    wpin_rig *rig = wpin_rig_read(write_file("any.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s\n%s", m.count > 0 ? m.items[0].text : "", text);
    wpin_messages_free(&m);
    return rig;
}

static void add(script *s, int verb, int fault, const char *format, const char *with) {
    if (s->count < LINES) {
        snprintf(s->lines[s->count], LINE, format, with);
        s->verb[s->count] = verb;
        s->fault[s->count++] = fault;
    }
}

static const char *any_amount(const wpin_rig *rig) {
    static char words[40];
    bool speed = rig->loads[0].speed.there && (rig->loads[0].axis.there || pick(2) == 0);
    double most = speed ? rig->loads[0].speed.rated : 100;
    snprintf(words, sizeof words, "%s%.0f%s", pick(2) == 0 ? "reverse " : "",
             fmax(1, most * (1 + pick(100)) / 100), speed ? "rpm" : "%");
    return words;
}

static void add_fault(script *s, const wpin_rig *rig, int fault) {
    char words[60], *line;
    if (faults[fault] != NULL) {
        const wpin_stage_kind *kind = rig->loads[0].kind;
        snprintf(words, sizeof words, "%s", faults[fault]);
        if ((line = strchr(words, '#')) != NULL) {
            snprintf(line, sizeof words - (size_t)(line - words), "%s", kind->lines[0]);
        }
        add(s, -1, fault, "fault %s", words);
    }
}

script make_script(const wpin_rig *rig, int verb, int fault) {
    script s = {.count = 0};
    add(&s, -1, 0, "main on%s", "");
    add(&s, -1, 0, "dial turn %s", "0%");
    if (pick(2) == 0) {
        add_fault(&s, rig, fault);
        fault = 0;
    }
    int count = 2 + (int)pick(4), at = (int)pick((uint32_t)count);
    for (int i = 0; i < count; i++) {
        int v = i == at ? verb : (int)pick(VERBS);
        add(&s, v, 0, verbs[v].line, any_amount(rig));
        if (i == at && fault != 0) {
            add_fault(&s, rig, fault);
            add(&s, 2, 0, verbs[2].line, "");
        }
    }
    add(&s, -1, 0, pick(4) == 0 ? "stop press%s" : "dial turn 50%%%s", "");
    add(&s, 3, 0, "it stop%s", "");
    return s;
}

wpin_plan *read_plan(script *s, const wpin_rig *rig) {
    for (int tries = 0; tries < LINES && s->count > 0; tries++) {
        char text[LINES * LINE] = "";
        for (int i = 0; i < s->count; i++) {
            strcat(strcat(text, s->lines[i]), "\n");
        }
        wpin_messages m = {0};
        wpin_plan *plan = wpin_plan_read_text("any", text, rig, &m);
        unsigned wrong = plan != NULL ? 0 : m.items[0].line;
        ck_assert_msg(plan != NULL || (wrong >= 1 && wrong <= (unsigned)s->count), "%s\n%s", text,
                      plan == NULL ? m.items[0].text : "");
        wpin_messages_free(&m);
        if (plan != NULL) {
            return plan;
        }
        for (int i = (int)wrong - 1; i + 1 < s->count; i++) {
            memcpy(s->lines[i], s->lines[i + 1], LINE);
            s->verb[i] = s->verb[i + 1];
            s->fault[i] = s->fault[i + 1];
        }
        s->count--;
    }
    return NULL;
}
