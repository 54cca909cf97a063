/* What vetting says and what the simulated bench does must agree: every rule that predicts damage,
 * a dead load or motion by itself is shown on a bad rig that is refused, run all the same on
 * purpose, and seen to fail for that very reason; the mended rig passes both. With --table it
 * prints what it saw. */
#define _GNU_SOURCE
#include "bad_rigs.h"
#include "random_rigs.h"
#include "support.h"
#include <jansson.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

static char output[60000];

static int tool(const char *command, const char *rig, const char *plan) {
    return run_command(output, sizeof output, TEST_TOOL " %s %s %s", command, rig, plan);
}

/* What the bench said: the output of a run without the lines about what was accepted. */
static void bench_only(void) {
    char *line = output;
    while ((line = strstr(line, "Accepted in the rig")) != NULL) {
        char *end = strchr(line, '\n');
        memmove(line, end, strlen(end) + 1);
    }
}

/* The place a finding names: there stands the part's name or a key the rule looks at. */
static void points_at_it(const json_t *finding, const char *text) {
    json_int_t line = json_integer_value(json_object_get(finding, "line"));
    for (; line > 1; line--) {
        text = strchr(text, '\n') + 1;
    }
    text += json_integer_value(json_object_get(finding, "column")) - 1;
    char word[64];
    snprintf(word, sizeof word, "%.*s", (int)strspn(text, "abcdefghijklmnopqrstuvwxyz-"), text);
    const char *name = json_string_value(json_object_get(finding, "rule"));
    const wpin_vet_rule *rule = wpin_vet_rule_at(0);
    for (size_t i = 0; strcmp(rule->name, name) != 0; i++) {
        rule = wpin_vet_rule_at(i);
    }
    bool known = strcmp(word, json_string_value(json_object_get(finding, "part"))) == 0;
    ck_assert_msg(word[0] != '\0' && (known || strstr(rule->needs, word) != NULL),
                  "%s points at '%s'", name, word);
}

/* Whether vetting refuses this rule of this part. */
static bool refuses(const char *text, const char *rig, const char *plan, const char *rule,
                    const char *part) {
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    ck_assert_msg(all != NULL, "%s", output);
    bool found = false;
    size_t i;
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (!json_is_true(json_object_get(one, "in_plan"))) {
            points_at_it(one, text);
        }
        found =
            found || (strcmp(json_string_value(json_object_get(one, "rule")), rule) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "part")), part) == 0 &&
                      strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0);
    }
    json_decref(all);
    return found;
}

/* The bad rig with all that is refused accepted by name. */
static const char *accepting(const char *text, const char *rig, const char *plan) {
    static char accepted[8000];
    tool("vet --json", rig, plan);
    json_t *all = json_loads(output, 0, NULL), *one;
    size_t i, used = (size_t)snprintf(accepted, sizeof accepted, "%saccept: [", text);
    json_array_foreach(json_object_get(all, "findings"), i, one) {
        if (strcmp(json_string_value(json_object_get(one, "severity")), "refuse") == 0) {
            used += (size_t)snprintf(accepted + used, sizeof accepted - used, "%s %s, ",
                                     json_string_value(json_object_get(one, "part")),
                                     json_string_value(json_object_get(one, "rule")));
        }
    }
    snprintf(accepted + used - 2, sizeof accepted - used, "]\n");
    json_decref(all);
    return write_file("accepted.yaml", accepted);
}

START_TEST(what_is_vetted_happens) {
    const char *rule = bad_rigs[_i].rule, *part = bad_rigs[_i].part;
    const char *bad = write_file("bad.yaml", bad_rigs[_i].bad),
               *plan = write_file("p.plan", bad_rigs[_i].plan);
    ck_assert_msg(refuses(bad_rigs[_i].bad, bad, plan, rule, part), "%s is not refused:\n%.4000s",
                  rule, output);
    ck_assert_int_eq(tool("run", bad, plan), 2);
    ck_assert_msg(strstr(output, "nothing was run") != NULL, "%s", output);
    const char *accepted = accepting(bad_rigs[_i].bad, bad, plan);
    int status = tool("run", accepted, plan);
    bool recorded = strstr(output, "Accepted in the rig") != NULL;
    bench_only();
    ck_assert_msg(strstr(output, bad_rigs[_i].says) != NULL,
                  "%s: the bench does not say \"%s\":\n%.4000s", rule, bad_rigs[_i].says, output);
    ck_assert_msg(status == 2 || recorded, "%s", output);
    const char *good = write_file("good.yaml", bad_rigs[_i].good);
    ck_assert_msg(tool("vet", good, plan) == 0, "%s mended is refused:\n%.4000s", rule, output);
    tool("run", good, plan);
    ck_assert_msg(strstr(output, bad_rigs[_i].says) == NULL,
                  "%s mended still says \"%s\":\n%.4000s", rule, bad_rigs[_i].says, output);
}
END_TEST

/* False alarms count too: the demo's rigs and others, each of another make, pass and work, as do
 * the mended ones above. */
START_TEST(sound_rigs_pass) {
    static const char *const sound[] = {
        "demo/honey-pump",   "demo/honey-house",    "tests/sound/trolley",  "tests/sound/melter",
        "tests/sound/light", "tests/sound/shutter", "tests/sound/cupboard", "tests/sound/belt"};
    for (size_t i = 0; i < sizeof sound / sizeof *sound; i++) {
        char rig[300], plan[300];
        snprintf(rig, sizeof rig, TEST_SOURCE "/%s.yaml", sound[i]);
        snprintf(plan, sizeof plan, TEST_SOURCE "/%s.plan", sound[i]);
        ck_assert_msg(tool("vet", rig, plan) == 0, "%.4000s", output);
        ck_assert_msg(strstr(output, "0 refused, 0 with caution") != NULL &&
                          strstr(output, "[ ] 1  All supplies off") != NULL,
                      "%.4000s", output);
        ck_assert_msg(tool("run", rig, plan) == 0 && strstr(output, "Burnt: nothing.") != NULL &&
                          strstr(output, ", 0 not") == NULL && strstr(output, " not.") == NULL,
                      "%.4000s", output);
    }
}
END_TEST

/* The same pump on every kind of stage there is: nothing to refuse, and it does what is asked. */
START_TEST(a_pump_on_every_kind_of_stage_passes) {
    size_t count;
    const wpin_stage_kind *kind = &wpin_stage_kinds(&count)[_i];
    char pins[200] = "", stage[300], text[2000];
    if (kind->direct) {
        return; /* no pin drives a pump */
    }
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        size_t used = strlen(pins);
        snprintf(pins + used, sizeof pins - used, "%s%s: %u", l == 0 ? "" : ", ", kind->lines[l],
                 4 + l);
    }
    bool ramps = wpin_stage_kind_takes_duty(kind);
    bool pulses = wpin_logic_of(kind->logic)->pulses;
    bool phases = wpin_stage_kind_is_three_phase(kind);
    snprintf(stage, sizeof stage, "kind: %s, pins: {%s}%s", kind->name, pins,
             wpin_stage_kind_has_pwm(kind) && !pulses ? ", pwm: 20kHz" : "");
    snprintf(text, sizeof text, RIG(FIVE, MAIN(""), "%s", DRIVER(""), "%s", "%s    rest: %s\n"),
             stage,
             kind->coils ? STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2")
             : phases    ? MOTOR(", pole-pairs: 2") "\n    hall: {pins: {a: 14, b: 15, c: 16}}"
                         : MOTOR(""),
             ramps ? "    ramp: {up: 300ms, down: 300ms}\n" : "", kind->coils ? "0s" : "2s");
    const char *rig = write_file("kind.yaml", text);
    const char *plan = write_file("kind.plan", kind->coils ? "pump turn 90deg\npump release\n"
                                                           : "pump on\npump hold 1s\npump off\n");
    ck_assert_msg(tool("vet", rig, plan) == 0, "%s: %.3000s", kind->name, output);
    ck_assert_msg(tool("run", rig, plan) == 0, "%s: %.3000s", kind->name, output);
}
END_TEST

/* A rig and a plan vetted and, if nothing is refused, run. */
typedef struct tried {
    wpin_rig *rig;
    wpin_plan *plan;
    wpin_vetting *vetting;
    wpin_report *report; /* NULL: refused */
} tried;

static void let_go(tried *t) {
    wpin_report_free(t->report);
    wpin_vetting_free(t->vetting);
    wpin_plan_free(t->plan);
    wpin_rig_free(t->rig);
}

/* False when the files themselves do not hold. */
static bool try_out(tried *t, const char *text, const char *plan_path) {
    wpin_messages m = {0};
    char why[300];
    wpin_status refused;
    wpin_session_options options = {0};
    *t = (tried){.rig = wpin_rig_read(write_file("any.yaml", text), &m)};
    t->plan = t->rig != NULL ? wpin_plan_read(plan_path, t->rig, &m) : NULL;
    t->vetting = t->plan != NULL ? wpin_vet(t->rig, t->plan, NULL) : NULL;
    ck_assert_msg((t->vetting != NULL) == (m.count == 0), "%zu messages", m.count);
    wpin_messages_free(&m);
    if (t->vetting != NULL && t->vetting->refusals == 0) {
        t->report = wpin_rehearse(t->rig, t->plan, &options, &refused, why, sizeof why);
        ck_assert_msg(t->report != NULL, "%s\n%s", why, text);
        ck_assert_msg(t->report->burn_count == 0, "%s: %s\n%s", t->report->burns[0].part,
                      t->report->burns[0].reason, text);
    }
    return t->vetting != NULL;
}

/* The other way round: what vetting lets pass does its work and survives, a stall too. */
START_TEST(what_passes_survives) {
    const char *plan = write_file(
        "survives.plan", "pump ramp 100%\npump hold 3s\npump stop\npump ramp reverse 100%\n"
                         "pump hold 1s\nfault pump stalled\npump hold 1s\nmend pump stalled\n"
                         "pump stop\n");
    char path[300];
    snprintf(path, sizeof path, "%s", plan);
    int passed = 0;
    pick_seed((uint32_t)_i * 31 + 7);
    for (int n = 0; n < 40; n++) {
        const char *text = random_rig();
        tried t;
        ck_assert_msg(try_out(&t, text, path), "%s", text);
        if (t.report != NULL) {
            const wpin_step_result *held = &t.report->steps[1];
            ck_assert_msg(held->verdict != WPIN_VERDICT_BAD || t.report->event_count > 0, "%s\n%s",
                          held->words, text);
            bool warned = false;
            for (size_t i = 0; i < t.vetting->count; i++) {
                warned = warned || strcmp(t.vetting->findings[i].rule->name, "brown-out") == 0;
            }
            ck_assert_msg(warned || t.report->result != WPIN_FAULT_RESET, "reset\n%s", text);
            passed++;
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 1);
    ck_assert_int_le(passed, 39);
}
END_TEST

static void none_is_bad(const tried *t, const char *text) {
    for (size_t i = 0; t->vetting->cautions == 0 && i < t->report->step_count; i++) {
        ck_assert_msg(t->report->steps[i].verdict != WPIN_VERDICT_BAD, "%s: %s\n%s",
                      t->report->steps[i].text, t->report->steps[i].words, text);
    }
}

START_TEST(what_else_passes_works) {
    int passed = 0;
    pick_seed((uint32_t)_i * 17 + 3);
    for (int n = 0; n < 40; n++) {
        const char *text = random_other(n % 3);
        const char *plan = write_file(
            "else.plan", n % 3 == 2 ? "pump ramp 100%\npump hold 2s\npump ramp 30%\npump hold 3s\n"
                                      "pump stop\n"
                                    : "pump on\nwait 500ms\npump hold 6s\npump off\n");
        tried t;
        ck_assert_msg(try_out(&t, text, plan), "%s", text);
        if (t.report != NULL) {
            none_is_bad(&t, text);
            passed++;
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 3);
    ck_assert_int_le(passed, 37);
}
END_TEST

static const char *const makes[] = {"trolley", "melter", "light", "shutter", "cupboard", "belt"};
enum { MAKES = sizeof makes / sizeof *makes };

/* One to three figures of a rig's words made up to six times larger or smaller. */
static void change_figures(char *text, size_t size) {
    for (unsigned changes = 1 + pick(3); changes > 0; changes--) {
        char *at = text + pick((uint32_t)strlen(text));
        at += strcspn(at, "0123456789");
        while (*at != '\0' &&
               (strchr(" :{", at[-1]) == NULL || at[strspn(at, "0123456789.")] <= ',')) {
            at += strspn(at, "0123456789.");
            at += strcspn(at, "0123456789");
        }
        char *end, rest[4000];
        double value = strtod(at, &end) * between(1.0 / 6, 6);
        snprintf(rest, sizeof rest, "%s", end);
        if (*at != '\0' && value > 1e-4 && value < 1e5) {
            snprintf(at, size - (size_t)(at - text), "%.4f%s", value, rest);
        }
    }
}

/* Sound rigs of every make with their figures changed: what still passes does not burn and does
 * what is asked. */
START_TEST(changed_makes_agree_too) {
    char path[300], plan[300], text[4000];
    snprintf(path, sizeof path, TEST_SOURCE "/tests/sound/%s.yaml", makes[_i]);
    snprintf(plan, sizeof plan, TEST_SOURCE "/tests/sound/%s.plan", makes[_i]);
    int passed = 0, refused = 0;
    pick_seed((uint32_t)_i + 23);
    for (int n = 0; n < 40; n++) {
        FILE *file = fopen(path, "r");
        ck_assert_ptr_nonnull(file);
        text[fread(text, 1, sizeof text - 1, file)] = '\0';
        fclose(file);
        change_figures(text, sizeof text);
        tried t;
        if (try_out(&t, text, plan)) {
            passed += t.report != NULL;
            refused += t.report == NULL;
            if (t.report != NULL) {
                none_is_bad(&t, text);
            }
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 8);
    ck_assert_int_ge(refused, 1);
}
END_TEST

START_TEST(the_list_of_rules_is_up_to_date) {
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " vet --rules | diff - " TEST_SOURCE "/docs/rules.md"),
                     0);
}
END_TEST

START_TEST(outputs_in_parallel_carry_more) {
    const char *plan = write_file("p.plan", GO);
    for (int n = 1; n <= 2; n++) {
        char text[2000];
        snprintf(text, sizeof text, "%s",
                 RIG(FIVE, MAIN(""), CHIP,
                     "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V, parallel: 1",
                     MOTOR(""), HABITS));
        strstr(text, "parallel: ")[10] = (char)('0' + n);
        ck_assert_int_eq(tool("vet", write_file("parallel.yaml", text), plan), n == 1 ? 1 : 0);
    }
}
END_TEST

#define SPINS "    encoder: {lines: 100, pins: {a: 2, b: 3}}\n    speed: {rated: 2500rpm}\n"
START_TEST(advice_is_given_where_it_is_due) {
    static const struct {
        const char *rig, *says;
    } advice[] = {
        {RIG("tick: 20ms", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS),
         "2:14: caution: controller slow-tick"},
        {RIG(FIVE, MAIN(", capacitor: 10uF"), CHIP, DRIVER(""), MOTOR(", load: {torque: 60mNm}"),
             HABITS),
         "caution: pump bulk-capacitor"},
        {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(", diode-recovery: 2us"), MOTOR(""), HABITS),
         "2 us to block, 4 % of each PWM period"},
        {RIG(FIVE, MAIN(""), "kind: servo-pulse, pins: {pulse: 9}, pulse-swing: 400us", DRIVER(""),
             MOTOR(""), HABITS),
         "full duty is only 80 % of what it can"},
        {RIG("logic: 5V, pins-total: 1mA, pin-rated: 1mA", MAIN(""), CHIP,
             DRIVER(", input-resistance: 10kohm"), MOTOR(""), HABITS),
         "all pins high together give 1.5 mA"},
        {RIG("logic: 5V, taken: {9: serial}", MAIN(""), CHIP, DRIVER(""), MOTOR(""), HABITS),
         "pin 9 for 'pwm' is used by serial already"},
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(", pwm-limit: 8kHz"), MOTOR(""), HABITS), "pwm: 8kHz"},
        {RIG(FIVE, MAIN(""),
             "kind: direction-pwm-brake, pwm: 1kHz, pins: {direction: 4, brake: 7, pwm: 9}",
             DRIVER(SENSE ", sense-filter: 10us"), MOTOR(""), HABITS TRIP),
         "what is read lies within 0.94 A of the mean"},
        {RIG(FIVE,
             "  main: {voltage: 12V, resistance: 50mohm, switch: on, capacity: 2Ah, empty: "
             "10V}\n",
             CHIP, DRIVER(""), MOTOR(""), HABITS),
         "note: main run-time"},
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(", saturation: 2V"), MOTOR(""), HABITS),
         "caution: pump stage-drop"},
        {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "leds: {rated: 5V, power: 6W, forward: 2.8V}",
             QUICK),
         "each pulse drives 4.64 A through it, rated are 1.2"},
        {RIG(FIVE, MAIN(""), LOW_SIDE, DRIVER(""), "lamp: {rated: 6V, power: 10W}", QUICK),
         "its duty is capped at 25 %"},
        {RIG(FIVE, MAIN(", highest: 31V"), CHIP, DRIVER(""), MOTOR(""), HABITS),
         "'main' has up to 31 V, the driver survives 30 V"},
        {RIG(FIVE, MAIN(", highest: 29.5V"), CHIP, DRIVER(""), MOTOR(""), HABITS),
         "'main' and its diode come to 30.3 of the 30 V the driver survives"},
        {RIG(FIVE, MAIN(", highest: 14.4V"), CHIP, DRIVER(", recommended-voltage: 14V"), MOTOR(""),
             HABITS),
         "'main' has up to 14.4 V, the driver is recommended for 14 V"},
        {RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""), SPINS HABITS),
         "from 3000 rpm it runs down in about 0.56 s by itself, its ramp down takes 0.3 s"},
    };
    for (size_t i = 0; i < sizeof advice / sizeof *advice; i++) {
        tool("vet", write_file("advice.yaml", advice[i].rig), "");
        ck_assert_msg(strstr(output, advice[i].says) != NULL, "%s:\n%.3000s", advice[i].says,
                      output);
    }
    static const char shorts[] =
        RIG(FIVE, MAIN(""), "kind: two-inputs-slow, pins: {in1: 9, in2: 10}, pwm: 20kHz",
            DRIVER(""), MOTOR(""), SPINS HABITS);
    tool("vet", write_file("advice.yaml", shorts), "");
    ck_assert_msg(strstr(output, "rules run") != NULL && strstr(output, "ramp-coasts") == NULL,
                  "it slows its motor: %.3000s", output);
}
END_TEST

/* One wire of a good cable changed. */
START_TEST(each_wire_of_a_cable_is_looked_at) {
    static const struct {
        const char *from, *to, *says;
    } rows[] = {
        {"driver a}", "pin 9}", "its wire 'red' (lead-a) is on pin 9"},
        {"driver a}", "nothing}", "no current flows: it does not move"},
        {"driver a}", "ground}", "or shorts its supply"},
        {"driver a}", "driver b}", "it turns the other way than its encoder counts"},
        {"to: logic", "to: supply main", "(sensor-plus) is on supply 'main' (12 V)"},
        {"to: ground", "to: nothing", "(sensor-ground) is on nothing"},
        {"to: pin 2", "to: driver a", "the sensor burns"},
        {"to: pin 2", "to: pin 7", "nothing is read of it"},
        {"to: pin 2", "to: pin 3", "is on pin 3, where the rig reads encoder-b"},
        {"is: encoder-b", "is: hall-a", "and the rig has no such sensor"},
        {"is: encoder-b", "is: hall-a", "no wire of its cable is encoder-b"},
        {"is: encoder-b", "is: encoder-c", "unknown wire 'encoder-c'"},
        {"to: pin 2", "to: pin two", "'two' is not a pin; expected a whole number"},
        {"to: pin 2", "to: supply mian", "is no end of a wire; expected 'driver a'"},
        {"to: pin 2", "to: pin 2", "0 refused, 0 with caution"},
    };
    static const char good[] = CABLED("pin 2", "pin 3");
    char text[3000];
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        const char *at = strstr(good, rows[i].from);
        ck_assert(at != NULL);
        snprintf(text, sizeof text, "%.*s%s%s", (int)(at - good), good, rows[i].to,
                 at + strlen(rows[i].from));
        tool("vet", write_file("cable.yaml", text), "");
        ck_assert_msg(strstr(output, rows[i].says) != NULL, "row %zu, %s:\n%.3000s", i,
                      rows[i].says, output);
    }
    tool("rig --wiring", write_file("cable.yaml", good), "");
    ck_assert_msg(strstr(output, "encoder-a     wire 'yellow' to pin 2") != NULL, "%s", output);
}
END_TEST

/* Contacts and opto inputs keep a load's circuit apart: no common ground is asked for, and nobody
 * is told to wire the mains to the controller. */
START_TEST(what_is_isolated_keeps_its_ground) {
    static const char apart[] =
        "  main: {voltage: 12V, resistance: 50mohm, switch: on, ground: own}\n";
    static const char mains[] =
        RIG(FIVE,
            "  main: {voltage: 230V, current: alternating, resistance: 1ohm, switch: on, ground: "
            "house}\n",
            "kind: relay, pins: {coil: 9}",
            "on-resistance: 50mohm, current-limit: 20A, voltage-limit: 400V",
            "lamp: {rated: 230V, power: 60W}", "");
    static const struct {
        const char *stage, *driver, *hangs, *habits;
        bool isolated;
    } rows[] = {
        {"kind: relay, pins: {coil: 9}", DRIVER(""), MOTOR(""), "    rest: 1s\n", true},
        {"kind: two-relays, pins: {a: 9, b: 8}", DRIVER(""), MOTOR(""), "    rest: 1s\n", true},
        {CHIP, DRIVER(", opto: {forward: 1.2V, resistor: 220ohm, least: 5mA}"), MOTOR(""), HABITS,
         true},
        {CHIP, DRIVER(""), MOTOR(""), HABITS, false},
        {LOW_SIDE, DRIVER(""), LAMP, QUICK, false},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char text[3000];
        snprintf(text, sizeof text, RIG(FIVE, "%s", "%s", "%s", "%s", "%s"), apart, rows[i].stage,
                 rows[i].driver, rows[i].hangs, rows[i].habits);
        tool("vet", write_file("apart.yaml", text), "");
        ck_assert_msg((strstr(output, "pump ground") == NULL) == rows[i].isolated, "row %zu: %s", i,
                      output);
        bool told = strstr(output, "Ground of 'main' is wired to the controller") != NULL;
        ck_assert_msg(told == !rows[i].isolated, "row %zu: %s", i, output);
        int status = tool("run", scratch("apart.yaml"),
                          write_file("apart.plan", "pump on\npump hold 1s\npump off\n"));
        ck_assert_msg((status == 0) == rows[i].isolated, "row %zu: %s", i, output);
    }
    tool("vet", write_file("mains.yaml", mains), "");
    ck_assert_msg(strstr(output, "Ground of") == NULL && strstr(output, "pump ground") == NULL &&
                      strstr(output, "Nothing of 'main' touches the controller") != NULL &&
                      strstr(output, "measures 2") == NULL,
                  "%s", output);
    tool("rig --wiring", scratch("mains.yaml"), "");
    ck_assert_msg(strstr(output, "both its wires, apart from all others") != NULL, "%s", output);
}
END_TEST

START_TEST(what_is_accepted_is_in_every_record) {
    static const char with[] =
        RIG(FIVE, MAIN(""), CHIP, "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V",
            MOTOR(""), HABITS "accept: [pump stall-current]\n");
    static const char slips[] = RIG(FIVE, MAIN(""), CHIP, DRIVER(""), MOTOR(""),
                                    HABITS "accept: [pump stal-current, main sag, pump on-time]\n");
    const char *rig = write_file("accept.yaml", with), *plan = write_file("accept.plan", GO);
    run_command(output, sizeof output,
                "cd %s && " TEST_TOOL " run %s %s --trace r.csv --vcd r.vcd && " TEST_TOOL
                " preview %s %s && " TEST_TOOL " export %s && tail -n 1 r.csv && head -n 2 r.vcd",
                scratch("."), rig, plan, rig, plan, rig);
    static const char *const records[] = {
        "Accepted in the rig: pump stall-current, the driver burns",          /* run */
        "Accepted in the rig: pump stall-current\n",                          /* preview */
        "/* Accepted in the rig, though vetting refuses it: pump stall-curr", /* export */
        " accepting pump stall-current\r\n",                                  /* CSV */
        " accepting pump stall-current $end",                                 /* VCD */
    };
    for (size_t i = 0; i < sizeof records / sizeof *records; i++) {
        ck_assert_msg(strstr(output, records[i]) != NULL, "%s: %.9000s", records[i], output);
    }
    tool("vet", write_file("slips.yaml", slips), "");
    ck_assert_msg(strstr(output, "'stal-current' is accepted, and there is no such rule") != NULL &&
                      strstr(output, "did you mean 'stall-current'?") != NULL &&
                      strstr(output, "'sag' is accepted, and nothing of that kind") != NULL &&
                      strstr(output, "on-time") == NULL, /* only a plan can tell */
                  "%s", output);
}
END_TEST

START_TEST(sweeps_say_where_it_fails) {
    const char *rig = TEST_SOURCE "/demo/honey-pump.yaml";
    ck_assert_int_eq(tool("vet --sweep 'main 12V 36V' --places 3", rig, ""), 1);
    ck_assert_msg(strstr(output, "12 V         pass") != NULL &&
                      strstr(output, "24 V         FAIL   pump stall-current") != NULL &&
                      strstr(output, "36 V         FAIL") != NULL &&
                      strstr(output, "pump supply-voltage") != NULL,
                  "%s", output);
    ck_assert_int_eq(tool("vet --sweep 'tolerance 0% 10%' --places 2", rig, ""), 0);
    ck_assert_int_eq(tool("vet --sweep 'tolerance 0% 30%' --places 2", rig, ""), 1);
    ck_assert_int_eq(tool("vet --sweep 'moon 1V 2V'", rig, ""), 2);
    ck_assert_msg(strstr(output, "expected a supply of the rig, 'air' or 'tolerance'") != NULL,
                  "%s", output);
}
END_TEST

START_TEST(wiring_and_parts_are_listed) {
    const char *rig = TEST_SOURCE "/demo/honey-house.yaml";
    ck_assert_int_eq(tool("rig --wiring", rig, ""), 0);
    ck_assert_msg(strstr(output, "gate-shut    input") != NULL &&
                      strstr(output, "then PWM") != NULL,
                  "%s", output);
    ck_assert_int_eq(tool("rig --parts", rig, ""), 0);
    ck_assert_msg(strstr(output, "1  stepper turntable: 200 steps") != NULL, "%s", output);
}
END_TEST

/* Speed at which the estimated current at half duty makes the torque that friction takes, rpm. */
static double estimated_rpm(const wpin_rig *rig) {
    const wpin_rig_load *l = &rig->loads[0];
    double low = 0, high = 2000;
    for (int i = 0; i < 50; i++) {
        double w = (low + high) / 2;
        bool faster =
            l->motor.constant * wpin_rig_mean_amps(rig, l, 0.5, w) > l->motor.dry_friction;
        *(faster ? &low : &high) = w;
    }
    return low * 30 / 3.14159265358979;
}

/* Field-effect and bipolar, slow PWM and fast: a bipolar switch loses volts with the current, its
 * diode against it. */
START_TEST(an_estimated_speed_is_that_of_the_bench) {
    static const char *const stages[] = {
        "kind: direction-pwm-shorting, pins: {direction: 4, pwm: 6}, pwm: ",
        "kind: direction-pwm-standby, pins: {standby: 4, direction: 5, pwm: 6}, pwm: ",
        "kind: half-bridges, pins: {enable: 4, a: 5, b: 6}, pwm: ",
        "kind: low-side-switch, pins: {gate: 4}, pwm: "};
    static const char *const drivers[] = {"", ", saturation: 0.7V"}, *const hz[] = {"300Hz",
                                                                                    "20kHz"};
    char stage[100], text[2000];
    wpin_messages m = {0};
    snprintf(stage, sizeof stage, "%s%s", stages[_i / 4], hz[_i % 2]);
    snprintf(text, sizeof text,
             RIG(FIVE, MAIN(""), "%s", DRIVER("%s"),
                 "motor: {resistance: 4ohm, inductance: 3mH, constant: 30mNm/A, inertia: 40gcm2, "
                 "static-friction: 4mNm, dry-friction: 3mNm}",
                 HABITS),
             stage, drivers[_i / 2 % 2]);
    wpin_rig *rig = wpin_rig_read(write_file("e.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_plan *plan =
        wpin_plan_read(write_file("e.plan", "pump ramp 50%\npump hold 4s\npump stop\n"), rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    double rpm = r->steps[1].rpm, expected = estimated_rpm(rig);
    ck_assert_msg(fabs(rpm - expected) < 0.03 * expected, "%s%s: %g rpm, estimated %g", stage,
                  drivers[_i / 2 % 2], rpm, expected);
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

/* Every rule with a consequence that can be seen has its row. */
START_TEST(every_such_rule_has_a_row) {
    const wpin_vet_rule *rule;
    for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
        bool shown = rule->effect == WPIN_EFFECT_ADVICE;
        for (size_t r = 0; r < BAD_RIGS; r++) {
            shown = shown || strcmp(bad_rigs[r].rule, rule->name) == 0;
        }
        ck_assert_msg(shown, "%s has no row", rule->name);
    }
}
END_TEST

START_TEST(print_table) {
    printf("# Vetting and the bench\n\nEach rule that predicts more than wear, on a bad rig: what "
           "vetting calls "
           "it, and what the simulated bench\nthen says when it is run all the same. The mended "
           "rig passes both. "
           "Made by `tests/test_vet --table`.\n\n| rule | predicted | seen on the bench "
           "|\n|---|---|---|\n");
    const wpin_vet_rule *rule;
    for (size_t r = 0; r < BAD_RIGS; r++) {
        const char *plan = write_file("p.plan", bad_rigs[r].plan);
        const char *bad = write_file("bad.yaml", bad_rigs[r].bad);
        tool("run", accepting(bad_rigs[r].bad, bad, plan), plan);
        bench_only();
        char *seen = strstr(output, bad_rigs[r].says),
             *end = seen != NULL ? strchr(seen, '\n') : NULL;
        for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
            if (strcmp(rule->name, bad_rigs[r].rule) == 0) {
                printf("| `%s` | %s | %.*s |\n", rule->name, wpin_effect_word(rule->effect),
                       end != NULL ? (int)(end - seen) : 0, seen != NULL ? seen : "");
            }
        }
    }
}
END_TEST

int main(int argc, char **argv) {
    if (argc > 1 && strcmp(argv[1], "--table") == 0) {
        Suite *table = suite_create("table");
        TCase *one = tcase_create("table");
        tcase_add_test(one, print_table);
        suite_add_tcase(table, one);
        return run_silent(table);
    }
    Suite *suite = suite_create("vet");
    TCase *tests = tcase_create("all");
    tcase_add_loop_test(tests, what_is_vetted_happens, 0, BAD_RIGS);
    tcase_add_test(tests, every_such_rule_has_a_row);
    tcase_add_loop_test(tests, an_estimated_speed_is_that_of_the_bench, 0, 16);
    tcase_add_test(tests, sound_rigs_pass);
    size_t kinds;
    wpin_stage_kinds(&kinds);
    tcase_add_loop_test(tests, a_pump_on_every_kind_of_stage_passes, 0, (int)kinds);
    tcase_add_loop_test(tests, what_passes_survives, 0, 6);
    tcase_add_loop_test(tests, what_else_passes_works, 0, 6);
    tcase_add_test(tests, advice_is_given_where_it_is_due);
    tcase_add_test(tests, each_wire_of_a_cable_is_looked_at);
    tcase_add_test(tests, what_is_isolated_keeps_its_ground);
    tcase_add_test(tests, what_is_accepted_is_in_every_record);
    tcase_add_test(tests, sweeps_say_where_it_fails);
    tcase_add_loop_test(tests, changed_makes_agree_too, 0, MAKES);
    tcase_add_test(tests, the_list_of_rules_is_up_to_date);
    tcase_add_test(tests, outputs_in_parallel_carry_more);
    tcase_add_test(tests, wiring_and_parts_are_listed);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
