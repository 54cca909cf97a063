/* Everything at once: a rig of any kind of stage with any load that fits it, a plan of any actions
 * or two people by hand, a fault in the middle of it. Nothing may crash, leak, break a rule of
 * safety or be called as asked when it was not. 120 of them, or as many as WPIN_EVERYTHING says;
 * with --table what was covered. */
#define _GNU_SOURCE
#include "support.h"
#include <malloc.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/live.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/starter.h>
#include <windpin/host/verdict.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* %s is how much. */
static const struct {
    const char *name, *line;
} verbs[] = {{"ramp", "it ramp %s in 300ms"},
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

/* "#" is its first control line. */
static const char *const faults[] = {NULL,
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
enum { VERBS = COUNT(verbs), FAULTS = COUNT(faults), CELLS = 80 };

/* What a rig is made of. */
typedef struct cell {
    const wpin_wired *thing; /* NULL: a drive on a field bus */
    const wpin_stage_kind *kind;
    bool plain; /* the drive: told speeds only */
    char name[60];
} cell;

static struct {
    cell cells[CELLS];
    size_t cell_count;
    unsigned verb_of[CELLS][VERBS], fault_of[CELLS][FAULTS], fault_on[VERBS][FAULTS];
    unsigned runs, by_hand, faulted;
    bool tells;     /* prints each script */
    double seconds; /* of simulated motors */
} c;

static void list_cells(void) {
    size_t kinds;
    const wpin_stage_kind *kind = wpin_stage_kinds(&kinds);
    for (size_t k = 0; k < kinds; k++) {
        for (const wpin_wired *t = wpin_wired_things(); t->what != NULL; t++) {
            bool again = false;
            for (size_t i = 0; i < c.cell_count; i++) {
                again = again || (c.cells[i].kind == &kind[k] && t->load != NULL &&
                                  strcmp(c.cells[i].thing->load, t->load) == 0 &&
                                  c.cells[i].thing->encoder == t->encoder);
            }
            if (!again && c.cell_count + 2 < CELLS && wpin_starter_fits(t, &kind[k])) {
                cell *made = &c.cells[c.cell_count++];
                *made = (cell){.thing = t, .kind = &kind[k]};
                snprintf(made->name, sizeof made->name, "%s, %s%s", kind[k].name, t->load,
                         t->encoder ? " with encoder" : "");
            }
        }
    }
    for (int plain = 0; plain < 2; plain++) {
        cell *made = &c.cells[c.cell_count++];
        *made = (cell){.plain = plain != 0};
        snprintf(made->name, sizeof made->name, "field-bus, %s", plain ? "velocity" : "profile");
    }
}

/* ---- a rig ---- */

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

/* With a knob, and ahead of its Hall sensors: what not every such rig has. */
static wpin_rig *read_rig(const cell *of) {
    char text[9000];
    wpin_messages m = {0};
    const char *made = of->thing == NULL ? drive_rig(of->plain) : made_rig(of);
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

/* ---- a plan ---- */

enum { LINES = 24, LINE = 80 };
typedef struct script {
    char lines[LINES][LINE];
    int verb[LINES]; /* -1: none */
    int fault[LINES];
    int count;
} script;

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

static script make_script(const wpin_rig *rig, int verb, int fault) {
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

/* Without the lines that can't be asked of it. */
static wpin_plan *read_plan(script *s, const wpin_rig *rig) {
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

/* ---- who judges ---- */

typedef struct judge {
    const wpin_rig *rig;
    const char *what;
    double at, zero_at; /* s; since when it is at zero */
    int way;            /* it was driven last */
} judge;

/* Never the other way before it has rested, and never more than it may have. */
static void look(judge *j, const wpin_session *session) {
    const wpin_rig_load *load = &j->rig->loads[0];
    wpin_glance g = wpin_session_look(session, 0);
    double now = wpin_session_time(session), tick = j->rig->controller.tick;
    bool shown = load->motor.resistance > 0 && !load->axis.there && fabs(g.duty) > 0;
    int way = shown ? (g.duty > 0 ? 1 : -1) : 0;
    if (load->vector.there && g.setpoint * way < 0) {
        way = j->way; /* volts against what is asked hold a current within its limits */
    }
    c.seconds += now > j->at ? now - j->at : 0;
    if (way != 0 && j->way != 0 && way != j->way && load->limits.rest > 0) {
        double rested = j->at - j->zero_at; /* at the last look it was still at zero */
        ck_assert_msg(rested >= load->limits.rest - 3 * tick,
                      "%s: turned over after %.3f s of %.3f s", j->what, rested, load->limits.rest);
    }
    if (!(fabs(g.duty) <= load->limits.duty_max + 1e-3)) {
        ck_abort_msg("%s: duty %.3f", j->what, g.duty);
    }
    j->way = way != 0 ? way : j->way;
    j->zero_at = way != 0 ? now : j->zero_at;
    j->at = now;
}

/* What should turn hard and never did is not as asked. */
static void check_verdicts(const judge *j, const wpin_report *r) {
    for (size_t i = 0; i < r->step_count; i++) {
        const wpin_step_result *s = &r->steps[i];
        bool hard = s->load == 0 && j->rig->loads[0].motor.resistance > 0 &&
                    fabs(s->asked_duty) > 0.5 && s->driven > 0.3 && s->duty_peak > 0.5;
        ck_assert_msg(!hard || s->faulted || s->rpm_peak > 0 || s->verdict != WPIN_VERDICT_OK,
                      "%s: '%s' never turned, and is called as asked", j->what, s->text);
    }
}

/* ---- a run ---- */

static void end(judge *j, wpin_session *session, wpin_live *live, volatile int *over) {
    char why[300];
    *over = 1;
    for (int steps = 0; wpin_session_step(session); steps++) {
        look(j, session);
        if (steps > 300000) {
            ck_abort_msg("%s: does not end", j->what);
        }
    }
    wpin_glance g = wpin_session_look(session, 0);
    ck_assert_msg(!(fabs(g.duty) > 0), "%s: still driven at the end", j->what);
    wpin_report *r = wpin_session_close(session, why, sizeof why);
    ck_assert_msg(r != NULL, "%s", why);
    check_verdicts(j, r);
    c.faulted += r->fault_count > 0;
    wpin_report_free(r);
    wpin_live_free(live);
}

static void by_plan(judge *j, wpin_session *session, volatile int *over) {
    for (int steps = 0; steps < 400000 && wpin_session_step(session); steps++) {
        look(j, session);
    }
    end(j, session, NULL, over);
}

/* Two people, of whom each may command, stop, and go silent. */
static void by_hand(judge *j, wpin_session *session, const script *s, volatile int *over) {
    static const char *const others[] = {"command",    "command over", "arm",   "stop",
                                         "stop press", "stop release", "alive", "watch"};
    wpin_live *live = wpin_live_open(j->rig, session, 0.25);
    wpin_live_answer answer;
    ck_assert_ptr_nonnull(live);
    int people[2] = {wpin_live_join(live, "one"), wpin_live_join(live, "two")};
    (void)wpin_live_ask(live, people[0], "command", &answer);
    wpin_live_confirm(live, "one");
    (void)wpin_live_ask(live, people[0], "main on", &answer);
    (void)wpin_live_ask(live, people[0], "arm", &answer);
    for (int i = 0; i < s->count + 8; i++) {
        bool other = pick(4) == 0;
        const char *asks = other ? others[pick(COUNT(others))] : s->lines[pick((uint32_t)s->count)];
        (void)wpin_live_ask(live, people[pick(5) == 0], asks, &answer);
        ck_assert_msg(answer.ok || answer.words[0] != '\0', "%s: '%s' refused without a word",
                      j->what, asks);
        for (uint32_t ms = pick(3) == 0 ? pick(600) : pick(60); ms > 0; ms--) {
            (void)wpin_live_until(live, wpin_session_time(session) + 1e-3);
            look(j, session);
        }
    }
    end(j, session, live, over);
}

static void try_one(unsigned n) {
    pick_seed(n * 2654435761U + 17);
    size_t which = n % c.cell_count;
    int fault = (int)(n / c.cell_count % FAULTS),
        verb = (int)((n / c.cell_count + n / c.cell_count / FAULTS) % VERBS);
    char what[200], why[400];
    volatile int over = 0;
    snprintf(what, sizeof what, "%u (%s, %s, %s)", n, c.cells[which].name, verbs[verb].name,
             faults[fault] != NULL ? faults[fault] : "no fault");
    wpin_rig *rig = read_rig(&c.cells[which]);
    script s = make_script(rig, verb, fault);
    wpin_plan *plan = read_plan(&s, rig);
    bool hand = pick(3) == 0;
    for (int i = 0; c.tells && i < s.count; i++) {
        printf("%s%s\n", hand ? "by hand: " : "", s.lines[i]);
    }
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session_options how = {.disarmed = hand, .onlooker = &wpin_verdicts, .interrupted = &over};
    wpin_status refused;
    judge j = {.rig = rig, .what = what};
    wpin_session *session =
        wpin_session_open(rig, hand ? NULL : plan, &bench, &how, &refused, why, sizeof why);
    ck_assert_msg(plan != NULL && session != NULL, "%s: %s", what, why);
    for (int i = 0; i < s.count; i++) {
        for (int k = 0; s.verb[i] >= 0 && k < s.count; k++) {
            c.fault_on[s.verb[i]][s.fault[k]] += s.fault[k] != 0;
        }
        if (s.verb[i] >= 0) {
            c.verb_of[which][s.verb[i]]++;
        }
        c.fault_of[which][s.fault[i]] += s.fault[i] != 0;
    }
    c.runs++;
    c.by_hand += hand;
    if (hand) {
        by_hand(&j, session, &s, &over);
    } else {
        by_plan(&j, session, &over);
    }
    wpin_board_bench_free(&board);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}

/* From WPIN_EVERYTHING_FROM on; nothing is kept of a run. */
static void run_all(void) {
    const char *asked = getenv("WPIN_EVERYTHING"), *begin = getenv("WPIN_EVERYTHING_FROM");
    unsigned count = asked != NULL ? (unsigned)strtoul(asked, NULL, 10) : 120;
    unsigned from = begin != NULL ? (unsigned)strtoul(begin, NULL, 10) : 0;
    size_t first = 0, last = 0;
    for (unsigned n = from; n < from + count; n++) {
        /* few of them: spread over all there are */
        try_one(begin == NULL && count < 2000 ? n * 37 : n);
        last = mallinfo2().uordblks;
        first = n == from + 20 ? last : first;
    }
    ck_assert_msg(count < 100 || last < first + 200000, "%zu bytes more than after 20 runs",
                  last - first);
}

START_TEST(nothing_breaks) {
    run_all();
}
END_TEST

static void print_row(const char *name, const unsigned *row, size_t count, size_t from) {
    printf("| %s |", name);
    for (size_t i = from; i < count; i++) {
        row[i] > 0 ? printf(" %u |", row[i]) : printf(" |");
    }
    printf("\n");
}

static void print_head(const char *first, bool of_verbs) {
    size_t count = of_verbs ? VERBS : FAULTS;
    printf("\n| %s |", first);
    for (size_t i = of_verbs ? 0 : 1; i < count; i++) {
        const char *name = of_verbs ? verbs[i].name : faults[i];
        printf(" %s |", strncmp(name, "it ", 3) == 0 ? name + 3 : name);
    }
    printf("\n|---|");
    for (size_t i = of_verbs ? 0 : 1; i < count; i++) {
        printf("---|");
    }
    printf("\n");
}

START_TEST(print_table) {
    run_all();
    printf("# A campaign over everything\n\nAny kind of stage with any load that fits it, any "
           "actions, by plan or by two people by hand, and a fault in the middle;\njudged on the "
           "way: no crash, nothing leaked, never the other way round before it has rested, never "
           "more duty than it may have,\nnothing driven at the end, nothing called as asked that "
           "never turned. Made by `WPIN_EVERYTHING=%u tests/test_everything --table`;\n`make "
           "check-long` takes a million motor-seconds.\n\n%u runs, %u of them by hand; %.0f "
           "simulated motor-seconds; %u ended with a latched fault. The numbers say how often it "
           "was asked for;\nempty is what none of these runs asked for, nearly always because the "
           "language refuses it for such a load, with a message.\n\n## Actions\n",
           c.runs, c.runs, c.by_hand, c.seconds, c.faulted);
    print_head("stage, load", true);
    for (size_t i = 0; i < c.cell_count; i++) {
        print_row(c.cells[i].name, c.verb_of[i], VERBS, 0);
    }
    printf("\n## Faults\n");
    print_head("stage, load", false);
    for (size_t i = 0; i < c.cell_count; i++) {
        print_row(c.cells[i].name, c.fault_of[i], FAULTS, 1);
    }
    printf("\n## Actions under faults\n");
    print_head("action", false);
    for (size_t i = 0; i < VERBS; i++) {
        print_row(verbs[i].name, c.fault_on[i], FAULTS, 1);
    }
}
END_TEST

int main(int argc, char **argv) {
    bool table = argc > 1 && strcmp(argv[1], "--table") == 0;
    Suite *suite = suite_create("everything");
    TCase *tests = tcase_create("everything");
    list_cells();
    c.tells = getenv("WPIN_TELL") != NULL;
    tcase_add_test(tests, table ? print_table : nothing_breaks);
    suite_add_tcase(suite, tests);
    return table ? run_silent(suite) : run_suite(suite);
}
