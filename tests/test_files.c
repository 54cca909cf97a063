/* Rig and plan files: what is right is read right; each mistake is told with its place. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/plan.h>
#include <windpin/host/rehearsal.h>

/* A good rig; the table below spoils one line of it at a time. */
static const char good_rig[] = "rig: bench\n"                                             /* 1 */
                               "controller: {logic: 5V, timer-clock: 16MHz, tick: 1ms}\n" /* 2 */
                               "supplies:\n"                                              /* 3 */
                               "  main: {voltage: 12V, resistance: 0.1ohm, switch: on}\n" /* 4 */
                               "loads:\n"                                                 /* 5 */
                               "  pump:\n"                                                /* 6 */
                               "    supply: main\n"                                       /* 7 */
                               "    stage:\n"                                             /* 8 */
                               "      kind: direction-pwm-brake\n"                        /* 9 */
                               "      pins: {direction: 4, brake: 7, pwm: 9}\n"           /* 10 */
                               "      inverted: [brake]\n"                                /* 11 */
                               "      pwm: 20kHz\n"                                       /* 12 */
                               "    driver: {on-resistance: 0.2ohm, current-limit: 8A,"
                               " voltage-limit: 30V, sense: 400mV/A}\n"                /* 13 */
                               "    motor:\n"                                          /* 14 */
                               "      resistance: 1.4ohm\n"                            /* 15 */
                               "      inductance: 1.6 mH\n"                            /* 16 */
                               "      constant: 22mNm/A\n"                             /* 17 */
                               "      inertia: 160gcm2\n"                              /* 18 */
                               "      static-friction: 14mNm\n"                        /* 19 */
                               "      dry-friction: 9mNm\n"                            /* 20 */
                               "    ramp: {up: 2s, down: 1500ms}\n"                    /* 21 */
                               "    rest: 400ms\n"                                     /* 22 */
                               "    duty-limit: 80%\n"                                 /* 23 */
                               "    current-trip: {level: 6A, time: 50ms, input: 0}\n" /* 24 */
                               "  fan:\n"                                              /* 25 */
                               "    supply: MAIN\n"                                    /* 26 */
                               "    stage: {kind: direction-pwm-brake, pwm: 25kHz,"
                               " pins: {direction: 10, brake: 11, pwm: 12}}\n" /* 27 */
                               "    driver: {on-resistance: 0.2ohm, current-limit: 8A,"
                               " voltage-limit: 30V}\n" /* 28 */
                               "    motor: {resistance: 2ohm, inductance: 1mH, constant: "
                               "1.5mV/rpm, inertia: 0.2kgcm2}\n" /* 29 */
                               "    ramp: {up: 1s, down: 1s}\n"  /* 30 */
                               "    rest: 1s\n";                 /* 31 */

/* Replaces the first `from` in a text. */
static char *replaced(const char *text, const char *from, const char *to) {
    const char *at = strstr(text, from);
    char *result = NULL;
    ck_assert_msg(at != NULL, "'%s' is not in the text", from);
    ck_assert_int_ge(asprintf(&result, "%.*s%s%s", (int)(at - text), text, to, at + strlen(from)),
                     0);
    return result;
}

static wpin_rig *read_rig(const char *text, wpin_messages *messages) {
    return wpin_rig_read(write_file("bench.yaml", text), messages);
}

/* Whether one of the findings is at this place and says this. */
static bool said(const wpin_messages *m, unsigned line, unsigned column, const char *words) {
    for (size_t i = 0; i < m->count; i++) {
        if (m->items[i].line == line && (column == 0 || m->items[i].column == column) &&
            strstr(m->items[i].text, words) != NULL) {
            return true;
        }
    }
    return false;
}

static char *all_of(const wpin_messages *m) {
    char *text = strdup("");
    for (size_t i = 0; i < m->count; i++) {
        char *longer = NULL;
        ck_assert_int_ge(asprintf(&longer, "%s\n%u:%u: %s", text, m->items[i].line,
                                  m->items[i].column, m->items[i].text),
                         0);
        free(text);
        text = longer;
    }
    return text;
}

START_TEST(a_good_rig_is_read_right) {
    wpin_messages m = {0};
    wpin_rig *rig = read_rig(good_rig, &m);
    ck_assert_msg(rig != NULL, "%s", all_of(&m));
    ck_assert_str_eq(rig->name, "bench");
    ck_assert_uint_eq(rig->load_count, 2);
    const wpin_rig_load *pump = &rig->loads[0], *fan = &rig->loads[1];
    ck_assert_uint_eq(pump->pins[2], 9);
    ck_assert(pump->inverted[1] && !pump->inverted[0]);
    ck_assert_double_eq_tol(pump->motor.inductance, 1.6e-3, 1e-12);
    ck_assert_double_eq_tol(pump->limits.ramp_down, 1.5, 1e-12);
    ck_assert_double_eq_tol(pump->limits.duty_max, 0.8, 1e-12);
    ck_assert_double_eq_tol(fan->motor.constant, 1.5e-3 * 30 / 3.14159265358979, 1e-9);
    ck_assert_double_eq_tol(fan->motor.inertia, 2e-5, 1e-12);
    ck_assert_uint_eq(fan->supply, 0); /* names without regard to case */
    ck_assert_int_eq(wpin_rig_find_load(rig, "PuMp"), 0);
    ck_assert_int_eq(wpin_rig_find_load(rig, "drum"), -1);
    wpin_rig_free(rig);
}
END_TEST

/* One mistake each: what is replaced by what, and where and what must be said. */
static const struct {
    const char *from, *to;
    unsigned line, column;
    const char *words;
} rig_mistakes[] = {
    {"12V", "12", 4, 19, "'12' has no unit; expected a voltage (kV, V, mV), e.g. 12V"},
    {"12V", "12A", 4, 19, "'12A' is a current; expected a voltage"},
    {"12V", "12parsecs", 4, 19, "'parsecs' is not a unit known here"},
    {"12V", "twelve", 4, 19, "'twelve' is not a number"},
    {"12V", "nan", 4, 19, "'nan' is not a number"},
    {"12V", "0x12V", 4, 19, "is not a number"},
    {"12V", "900V", 4, 19, "900V is out of range; expected 500 mV to 400 V"},
    {"12V", "120V", 4, 9, "120 V is out of range; expected 0.5 to 100 V, or up to 400 V with"},
    {"12V", "[1, 2]", 4, 19, "found a list; expected a quantity"},
    {"20kHz", "20kh", 12, 12, "'kh' is not a unit known here; expected a frequency"},
    {"16MHz", "16kHz", 12, 12, "the controller's timer makes 0.0002384 Hz to 8 kHz only"},
    {"switch: on", "switch: onn", 4, 0, "unknown value for switch 'onn' (did you mean 'on'?)"},
    {"voltage", "votlage", 4, 10,
     "unknown key in supply 'main': 'votlage'; did you mean "
     "'voltage'?"},
    {"voltage: 12V, ", "", 4, 9, "supply 'main' lacks 'voltage'"},
    {"kind: direction-pwm-brake", "kind: direction-pwm-break", 9, 13,
     "; did you mean 'direction-pwm-brake'?"},
    {"kind: direction-pwm-brake\n", "flavour: sweet\n", 9, 7, "unknown key in stage: 'flavour'"},
    {"direction: 4", "direction: 7", 10, 13, "pin 7 can't be both 'direction' and 'brake'"},
    {"direction: 4", "dirction: 4", 10, 14, "unknown line 'dirction' (did you mean 'direction'?)"},
    {"direction: 4, ", "", 10, 13, "pins lack 'direction'"},
    {"direction: 4", "direction: D4", 10, 25, "'D4' is not a pin"},
    {"direction: 4", "direction: 256", 10, 25, "expected a whole number, 0 to 255"},
    {"direction: 10", "direction: 9", 27, 0,
     "pin 9 for 'direction' of 'fan' is taken: 'pwm' of "
     "'pump' (line 6)"},
    {"[brake]", "[break]", 11, 18, "unknown line 'break' (did you mean 'brake'?)"},
    {"[brake]", "brake", 11, 17, "inverted must be a list"},
    {"supply: main", "supply: mian", 7, 13, "unknown supply 'mian' (did you mean 'main'?)"},
    {"  fan:", "  PUMP:", 25, 3,
     "the name 'PUMP' is taken by the load on line 6; choose another, "
     "e.g. 'PUMP-2'"},
    {"  fan:", "  MAIN:", 25, 3, "the name 'MAIN' is taken by the supply on line 4"},
    {"  fan:", "  main:", 25, 3, "the name 'main' is taken by the supply on line 4"},
    {"  fan:", "  repeat:", 25, 3, "'repeat' is a word that plans and reports use"},
    {"  fan:", "  2nd fan:", 25, 3, "'2nd fan' can't be a name"},
    {"static-friction: 14mNm", "static-friction: 4mNm", 15, 7,
     "static-friction (4 mNm) is below "
     "dry-friction (9 mNm)"},
    {"dry-friction: 9mNm", "no-load-current: 0A", 20, 24, "expected 1 mA to 100 A"},
    {"inertia: 160gcm2\n", "inertia: 160gcm2\n      no-load-current: 1A\n", 19, 24,
     "expected it, or dry-friction and viscous-friction"},
    {"dry-friction: 9mNm", "no-load-current: 1A", 15, 7, "is below dry-friction (22 mNm)"},
    {"    driver: {on-resistance: 0.2ohm, current-limit: 8A, voltage-limit: 30V, sense: 400mV/A}\n",
     "", 7, 5, "e.g. driver: {on-resistance"},
    {"      pins: {direction: 4, brake: 7, pwm: 9}\n", "", 9, 7,
     "e.g. pins: {direction: 4, brake: 5, pwm: 6}"},
    {"sense: 400mV/A", "sense: 2V/A", 24, 0, "current-trip at 6 A can never be seen"},
    {", sense: 400mV/A", "", 24, 0, "current-trip needs a current sense"},
    {"input: 0}", "input: 0, limit: 6A}", 24, 0, "must be below the level that trips, 6 A"},
    {"    rest: 400ms\n", "    rest: 400ms\n    rest: 1s\n", 23, 5, "it is on line 22 already"},
    {"    rest: 400ms\n", "", 7, 5, "load 'pump' lacks 'rest'"},
    {"duty-limit: 80%", "duty-limit: 180%", 23, 17, "180% is out of range; expected 1 % to 100 %"},
    {"loads:\n", "loads: []\nspare:\n", 5, 8, "loads must be a mapping with at least one name"},
    {"rig: bench\n", "rig: bench\nlive: {port: 0}\n", 2, 14, "port: 0 is out of range"},
    {"rig: bench\n", "rig: bench\nlive: {broker: 'a b'}\n", 2, 16, "expected a broker"},
    {"rig: bench\n", "rig: bench\nwheels: 4\n", 2, 1, "unknown key in the rig file: 'wheels'"},
    {"rig: bench\n", "", 1, 1, "the rig file lacks 'rig'"},
    {"supplies:\n", "supplies\n", 0, 0, "not readable as YAML"},
    {"    duty-limit: 80%\n", "    duty-limit: 15%\n    start: {duty: 20%}\n", 7, 5,
     "the start duty of 'pump' (20 %) is above the most it may have (15 %"},
    {"    duty-limit: 80%\n", "    start: {duty: 10%, drop-out: 20%}\n", 23, 12,
     "drop-out (20 %) is above duty (10 %)"},
    {"    duty-limit: 80%\n", "    start: {duty: 10%, below: kick}\n", 23, 12,
     "below: kick needs kick-level and kick-time"},
    {"    duty-limit: 80%\n", "    start: {kick-level: 50%}\n", 23, 12,
     "a kick needs both kick-level and kick-time"},
    {"    duty-limit: 80%\n", "    start: {below: lift}\n", 23, 12,
     "below: lift needs the start duty; windpin find measures it"},
    {"    duty-limit: 80%\n", "    start: {below: lfit}\n", 23, 20, "(did you mean 'lift'?)"},
    {"    duty-limit: 80%\n", "    least-time: 1s\n", 23, 17, "on and off only"},
    {"rig: bench\n", "rig: bench\ninputs: {start: {pin: 9}}\n", 11, 0,
     "pin 9 for 'pwm' of 'pump' is taken: input 'start' (line 2)"},
    {"rig: bench\n", "rig: bench\ninputs: {fan: {pin: 2}}\n", 26, 3,
     "the name 'fan' is taken by the input on line 2"},
    {"rig: bench\n", "rig: bench\nfaults: [pump staled]\n", 2, 10,
     "unknown fault 'staled' of 'pump' (did you mean 'stalled'?)"},
    {"input: 0", "input: 99", 24, 0, "99 is out of range; expected 0 to 31"},
    {"tick: 1ms", "tick: 2s", 2, 0, "2s is out of range; expected 50 us to 20 ms"},
};

START_TEST(each_mistake_in_a_rig_is_told_with_its_place) {
    unsigned wrong = 0;
    for (size_t i = 0; i < sizeof rig_mistakes / sizeof *rig_mistakes; i++) {
        char *text = replaced(good_rig, rig_mistakes[i].from, rig_mistakes[i].to);
        wpin_messages m = {0};
        wpin_rig *rig = read_rig(text, &m);
        bool anywhere = rig_mistakes[i].line == 0 && m.count == 1 &&
                        strstr(m.items[0].text, rig_mistakes[i].words) != NULL;
        if (rig != NULL || !(anywhere || said(&m, rig_mistakes[i].line, rig_mistakes[i].column,
                                              rig_mistakes[i].words))) {
            fprintf(stderr, "'%s' for '%s' was told as:%s\n", rig_mistakes[i].to,
                    rig_mistakes[i].from, all_of(&m));
            wrong++;
        }
        wpin_messages_free(&m);
        free(text);
    }
    ck_assert_uint_eq(wrong, 0);
}
END_TEST

START_TEST(all_mistakes_are_told_at_once) {
    char *one = replaced(good_rig, "12V", "12"), *two = replaced(one, "20kHz", "20"),
         *three = replaced(two, "1.4ohm", "1.4mH");
    wpin_messages m = {0};
    ck_assert_ptr_null(read_rig(three, &m));
    ck_assert_uint_eq(m.count, 3);
    wpin_messages_free(&m);
    free(one), free(two), free(three);
    ck_assert_ptr_null(wpin_rig_read("/nowhere/rig.yaml", &m));
    ck_assert_str_eq(m.items[0].file, "/nowhere/rig.yaml");
    ck_assert_ptr_nonnull(strstr(m.items[0].text, "can't be opened: No such file"));
    wpin_messages_free(&m);
    ck_assert_ptr_null(read_rig("", &m));
    ck_assert_ptr_nonnull(strstr(m.items[0].text, "is empty"));
    wpin_messages_free(&m);
    ck_assert_ptr_null(read_rig("just words\n", &m));
    ck_assert(said(&m, 1, 1, "must be a mapping"));
    wpin_messages_free(&m);
}
END_TEST

static const struct {
    const char *plan;
    unsigned line, column;
    const char *words;
} plan_mistakes[] = {
    {"pmup stop\n", 1, 1, "unknown word 'pmup' (did you mean 'pump'?); expected one of: pump, fan"},
    {"pump\n", 1, 5, "'pump' what? expected an action"},
    {"pump jump\n", 1, 6, "unknown action 'jump'"},
    {"pump teach for 4s\n", 1, 6, "'teach' is called 'calibrate' now"},
    {"pump stpo\n", 1, 6, "(did you mean 'stop'?)"},
    {"pump ramp\n", 1, 10, "the line ends too early; expected a duty, e.g. 60%"},
    {"pump ramp 60\n", 1, 11, "'60' has no unit; expected a percentage"},
    {"pump ramp 60s\n", 1, 11, "'60s' is a time; expected a percentage"},
    {"pump ramp -60%\n", 1, 11, "for the other way write 'reverse 60%'"},
    {"pump ramp 0%\n", 1, 11, "to come to rest write 'pump stop'"},
    {"pump ramp 0.001%\n", 1, 11, "to come to rest write 'pump stop'"},
    {"pump ramp 90%\n", 1, 11, "90 % is out of range; expected up to 80 % (duty-limit in the rig)"},
    {"pump ramp 60% in\n", 1, 17, "expected a time, e.g. 2s"},
    {"pump ramp 60% in 700s\n", 1, 18, "700 s is out of range; expected 1 ms to 600 s"},
    {"pump ramp 60% in 2s now\n", 1, 21, "'now' is too much here"},
    {"pump run 60%\n", 1, 13, "'run' needs how long: expected 'for' and a time"},
    {"pump run 60% for 0.1ms\n", 1, 18, "out of range; expected 1 ms to"},
    {"pump hold 2s\n", 1, 6, "'pump' is at rest here and has nothing to hold"},
    {"pump rest\n", 1, 10, "the line ends too early; expected a time"},
    {"pump ramp 20%\n", 2, 1,
     "the plan ends with 'pump' still on (line 1); expected a last "
     "line such as 'pump stop'"},
    {"main\n", 1, 5, "'main' is a supply; expected 'on' or 'off'"},
    {"main onn\n", 1, 6, "expected 'on' or 'off'"},
    {"wait\n", 1, 5, "expected a time"},
    {"wait 3\n", 1, 6, "'3' has no unit; expected a time (h, min, s, ms, us, ns)"},
    {"wait 90000min\n", 1, 6, "out of range; expected 1 ms to 4000000 s"},
    {"repeat\nend\n", 1, 7, "expected how many times"},
    {"repeat 2.5\nend\n", 1, 8, "2.5 rounds are out of range; expected a whole number"},
    {"repeat 2s\nend\n", 1, 8, "'2s' carries a unit; expected a bare number"},
    {"repeat 2\nwait 1s\n", 3, 1, "the plan ends inside 'repeat' of line 1; expected 'end'"},
    {"end\n", 1, 1, "'end' without a block"},
    {"track\nend\n", 1, 1, "'track' belongs directly inside 'parallel'"},
    {"parallel\nrepeat 2\nend\nend\n", 2, 1, "needs a 'track' around it"},
    {"parallel\npump run 20% for 1s\npump run 30% for 1s\nend\n", 3, 1,
     "driven by another track of this parallel block already (line 2)"},
    {"parallel\ntrack\npump run 20% for 1s\nend\ntrack\nwait 1s\npump stop\nend\nend\n", 7, 1,
     "already (line 3)"},
    {"repeat 2\nrepeat 2\nrepeat 2\nrepeat 2\nrepeat 2\nwait 1s\nend\nend\nend\nend\nend\n", 5, 1,
     "Repeats nest at most 4 deep"},
    {"fan toggle\n", 2, 1, "the plan ends with 'fan' still on (line 1)"},
    {"fault pump broken\n", 1, 7, "unknown fault 'broken' of 'pump'; expected one of: stalled"},
    {"pump ramp 20%\nwait until pump steady\n", 2, 23, "no wait without an end"},
    {"wait until pump steady at most 2s\n", 1, 17,
     "'pump' is at rest here, with nothing asked that it could come to"},
    {"pump ramp 20%\nwait until pump resting at most 2s\n", 2, 17,
     "'pump' is driven here (line 1), and goes on"},
    {"repeat 2\npump stop\nwait until pump steady at most 2s\nend\n", 3, 17,
     "'pump' is at rest here"},
    {"# nothing\n\n", 0, 0, "has no action in it"},
};

START_TEST(each_mistake_in_a_plan_is_told_with_its_place) {
    wpin_messages m = {0};
    wpin_rig *rig = read_rig(good_rig, &m);
    for (size_t i = 0; i < sizeof plan_mistakes / sizeof *plan_mistakes; i++) {
        wpin_plan *plan = wpin_plan_read(write_file("bad.plan", plan_mistakes[i].plan), rig, &m);
        ck_assert_msg(plan == NULL && said(&m, plan_mistakes[i].line, plan_mistakes[i].column,
                                           plan_mistakes[i].words),
                      "%s was told as:%s", plan_mistakes[i].plan, all_of(&m));
        wpin_messages_free(&m);
    }
    wpin_plan *other = wpin_plan_read(
        write_file("other.plan", "parallel\ntrack\nwait until pump steady at most 2s\nend\ntrack\n"
                                 "pump ramp 20%\npump stop\nend\nend\n"
                                 "pump run 20% until pump steady at most 2s\n"),
        rig, &m);
    ck_assert_msg(other != NULL, "driven by another track: %s", all_of(&m));
    wpin_plan_free(other);
    ck_assert_ptr_null(wpin_plan_read("/nowhere/x.plan", rig, &m));
    ck_assert_ptr_nonnull(strstr(m.items[0].text, "can't be opened"));
    wpin_messages_free(&m);
    wpin_rig_free(rig);
}
END_TEST

static const char good_plan[] = "Main ON            # case does not matter\n"
                                "pump ramp forward 60% in 1.5 s\n"
                                "pump hold for 3s\n"
                                "repeat 2 times\n"
                                "  parallel\n"
                                "    fan run reverse 50 % for 2s\n"
                                "    track\n"
                                "      pump ramp 20%\n"
                                "      wait 100ms\n"
                                "    end\n"
                                "  end\n"
                                "end\n"
                                "pump stop in 2s\n"
                                "pump brake 0.5s\n"
                                "pump coast\n"
                                "main off\n";
#define MAIN                                                                                       \
    { WPIN_TARGET_SWITCH, 0 }
#define PUMP                                                                                       \
    { WPIN_TARGET_MOTOR, 0 }
#define FAN                                                                                        \
    { WPIN_TARGET_MOTOR, 1 }
#define NONE                                                                                       \
    { 0 }
static const wpin_step good_steps[] = {
    {.op = WPIN_OP_SWITCH, .target = MAIN, .value = 1, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_RUN, .target = PUMP, .value = 9830, .ramp_us = 1500000, .time_ms = 0},
    {.op = WPIN_OP_HOLD, .target = PUMP, .value = 0, .ramp_us = 0, .time_ms = 3000},
    {.op = WPIN_OP_REPEAT, .target = NONE, .value = 2, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_FORK, .target = NONE, .value = 7, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_RUN_FOR, .target = FAN, .value = -8192, .ramp_us = 0, .time_ms = 2000},
    {.op = WPIN_OP_LEAVE, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_FORK, .target = NONE, .value = 11, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_RUN, .target = PUMP, .value = 3277, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_WAIT, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 100},
    {.op = WPIN_OP_LEAVE, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_JOIN, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_AGAIN, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_STOP, .target = PUMP, .value = 0, .ramp_us = 2000000, .time_ms = 0},
    {.op = WPIN_OP_BRAKE, .target = PUMP, .value = 0, .ramp_us = 0, .time_ms = 500},
    {.op = WPIN_OP_COAST, .target = PUMP, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_SWITCH, .target = MAIN, .value = 0, .ramp_us = 0, .time_ms = 0},
    {.op = WPIN_OP_END, .target = NONE, .value = 0, .ramp_us = 0, .time_ms = 0}};

START_TEST(a_good_plan_becomes_its_steps) {
    wpin_messages m = {0};
    wpin_rig *rig = read_rig(good_rig, &m);
    wpin_plan *plan = wpin_plan_read(write_file("good.plan", good_plan), rig, &m);
    ck_assert_msg(plan != NULL, "%s", all_of(&m));
    ck_assert_uint_eq(plan->step_count, sizeof good_steps / sizeof *good_steps);
    for (size_t i = 0; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i], *e = &good_steps[i];
        ck_assert_msg(s->op == e->op && s->target.number == e->target.number &&
                          s->value == e->value && s->ramp_us == e->ramp_us &&
                          s->time_ms == e->time_ms,
                      "step %zu: %u %u %d %u %u", i, s->op, s->target.number, s->value, s->ramp_us,
                      s->time_ms);
    }
    ck_assert_uint_eq(plan->track_count, 3);
    ck_assert_str_eq(plan->sources[1].text, "pump ramp forward 60% in 1.5 s");
    /* 1.5 + 3 + 2 x (2 + 0.5 to stop) + 2 + 0.5 */
    ck_assert_double_eq_tol(plan->seconds, 12, 1e-6);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}
END_TEST

START_TEST(a_toggle_in_a_repeat_is_not_guessed_at) {
    wpin_messages m = {0};
    wpin_rig *rig = read_rig(good_rig, &m);
    wpin_plan *plan =
        wpin_plan_read(write_file("toggle.plan", "repeat 2\nfan toggle\nwait 1s\nend\n"), rig, &m);
    ck_assert_msg(plan != NULL, "%s", all_of(&m));
    wpin_plan_free(plan);
    wpin_rig_free(rig);
}
END_TEST

/* Files full of rubbish end in messages, never in a crash (run under the sanitizers too). */
START_TEST(rubbish_is_refused) {
    static const char letters[] = "pump fan main ramp 60% in 2s\n  {}[]:,-#'\"&*!|>%@`~\t\x01\xff";
    wpin_messages m = {0};
    wpin_rig *rig = read_rig(good_rig, &m);
    pick_seed((uint32_t)_i + 5);
    for (int n = 0; n < 300; n++) {
        char text[400];
        size_t length = pick(390);
        for (size_t i = 0; i < length; i++) {
            text[i] = letters[pick(sizeof letters - 1)];
        }
        text[length] = '\0';
        wpin_rig_free(read_rig(text, &m));
        wpin_plan_free(wpin_plan_read(write_file("rubbish.plan", text), rig, &m));
        char *spoilt = strdup(good_rig); /* a good rig with a few letters wrong */
        for (int k = 0; k < 3; k++) {
            spoilt[pick(sizeof good_rig - 1)] = letters[pick(sizeof letters - 1)];
        }
        wpin_rig_free(read_rig(spoilt, &m));
        free(spoilt);
        wpin_messages_free(&m);
    }
    wpin_rig_free(rig);
}
END_TEST

START_TEST(the_nearest_word_is_what_was_meant) {
    static const char *const words[] = {"ramp", "run", "hold", "stop", "rest", "brake", "coast"};
    const struct {
        const char *word, *near;
    } rows[] = {{"rmap", "ramp"},  {"RAMPP", "ramp"}, {"hodl", "hold"}, {"break", "brake"},
                {"cost", "coast"}, {"xyz", NULL},     {"r", NULL},      {"", NULL}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        const char *near = wpin_nearest_word(rows[i].word, words, 7);
        ck_assert_msg((near == NULL) == (rows[i].near == NULL) &&
                          (near == NULL || strcmp(near, rows[i].near) == 0),
                      "%s: %s", rows[i].word, near != NULL ? near : "nothing");
    }
}
END_TEST

/* What a plan is said to take is what its rehearsal takes: motions that are over before their
 * ramps, ramps of either shape, stops of what stands, both ways. */
START_TEST(a_plan_takes_as_long_as_it_is_said_to) {
    static const char *const plans[] = {"pump run 80% for 500ms\n",
                                        "pump run 80% for 4s\n",
                                        "pump stop in 2s\npump stop\nwait 1s\n",
                                        "pump ramp 50%\npump hold 1s\npump stop\n",
                                        "pump run 60% for 700ms\npump run reverse 60% for 700ms\n",
                                        "pump ramp 40%\npump run reverse 40% for 3s\n",
                                        "pump on for 100ms\nfan run 70% for 1s\n",
                                        "repeat 3\npump run 30% for 200ms\nend\n"};
    wpin_messages m = {0};
    char *text = replaced(good_rig, "1500ms}", _i == 0 ? "1500ms}" : "1500ms, shape: smooth}");
    wpin_rig *rig = read_rig(text, &m);
    ck_assert_msg(rig != NULL, "%s", all_of(&m));
    for (size_t i = 0; i < sizeof plans / sizeof *plans; i++) {
        char with_power[400];
        snprintf(with_power, sizeof with_power, "main on\n%s", plans[i]);
        wpin_plan *plan = wpin_plan_read(write_file("time.plan", with_power), rig, &m);
        ck_assert_msg(plan != NULL, "%s", all_of(&m));
        wpin_session_options options = {0};
        wpin_status refused;
        char why[300];
        wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
        ck_assert_ptr_nonnull(r);
        ck_assert_msg(fabs(r->seconds - plan->seconds) < 0.02 + 0.01 * r->seconds,
                      "%s is said to take %g s, takes %g", plans[i], plan->seconds, r->seconds);
        wpin_report_free(r);
        wpin_plan_free(plan);
    }
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    free(text);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("files");
    TCase *tests = tcase_create("files");
    tcase_add_test(tests, a_good_rig_is_read_right);
    tcase_add_test(tests, each_mistake_in_a_rig_is_told_with_its_place);
    tcase_add_test(tests, all_mistakes_are_told_at_once);
    tcase_add_test(tests, each_mistake_in_a_plan_is_told_with_its_place);
    tcase_add_test(tests, a_good_plan_becomes_its_steps);
    tcase_add_test(tests, a_toggle_in_a_repeat_is_not_guessed_at);
    tcase_add_loop_test(tests, a_plan_takes_as_long_as_it_is_said_to, 0, 2);
    tcase_add_loop_test(tests, rubbish_is_refused, 0, 3);
    tcase_add_test(tests, the_nearest_word_is_what_was_meant);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
