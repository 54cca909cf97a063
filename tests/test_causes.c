/* What is said of a fault: what its load did when it came, and what to look for, in which order. */
#include "support.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/verdict.h"
#include <math.h>
#include <string.h>

/* Runs a plan with the demo's rig changed; the report, which has a fault. */
static wpin_report *run_of(const char *demo, const char *change, const char *plan_text,
                           wpin_rig **rig) {
    wpin_messages m = {0};
    char output[300], why[300];
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/%s.yaml > %s", change,
                                 TEST_SOURCE, demo, scratch("cause.yaml")),
                     0);
    *rig = wpin_rig_read(scratch("cause.yaml"), &m);
    ck_assert_msg(*rig != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
    wpin_plan *plan = wpin_plan_read(write_file("cause.plan", plan_text), *rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
    wpin_session_options options = {0};
    wpin_status refused;
    wpin_report *report = wpin_rehearse(*rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    wpin_plan_free(plan);
    ck_assert_msg(report->fault_count > 0, "%s: no fault", plan_text);
    return report;
}

#define ENCODER "s/hall: .*/encoder: {lines: 500, pins: {a: 14, b: 15}}/"
#define SENSED  "s/limit: 15A/sense: {input: 5, divider: 15%}/"
#define UP      "main on\ndrum ramp 60rpm\ndrum hold 500ms\n"
#define ON      "drum hold 5s\ndrum stop\n"

/* The same fault has other causes first, by what came before it and by what is measured. */
START_TEST(causes_come_in_their_order) {
    static const struct {
        const char *demo, *change, *plan;
        wpin_status fault;
        const char *says; /* in a row, each before the next */
        const char *first, *next, *not_said;
    } rows[] = {
        /* without a measured supply that comes first; measured and fine it is not said at all */
        {"honey-drum", "", UP "fault drum motor-wire-off\n" ON, WPIN_FAULT_NO_CURRENT, "On a ramp",
         "supply 'main' off", "a lead of the motor off", NULL},
        {"honey-drum", SENSED, UP "fault drum motor-wire-off\n" ON, WPIN_FAULT_NO_CURRENT,
         "V of its supply", "a lead of the motor off", "direction, brake, pwm, or the ground",
         "supply 'main'"},
        {"honey-drum", SENSED, UP "fault main dead\n" ON, WPIN_FAULT_SUPPLY_LOW, "measured 5",
         "supply 'main' off", "gives way", NULL},
        /* never turned: its wires; turned before: what came off since */
        {"honey-drum", "", "main on\nfault drum encoder-swapped\n" UP "drum stop\n",
         WPIN_FAULT_WRONG_WAY, "+60 rpm asked for", "wires of the encoder swapped",
         "the motor's leads swapped", NULL},
        {"honey-drum", "", UP "fault drum motor-swapped\n" ON, WPIN_FAULT_WRONG_WAY, "rpm",
         "a wire between controller and driver", "something else that drives", NULL},
        /* on the way home a switch that does not come, else the shaft */
        {"honey-gate", "", "main on\nfault gate-shut stuck\ngate home reverse 8rpm at most 8s\n",
         WPIN_FAULT_STALLED, "-8 rpm asked for, duty", "limit switch 'gate-shut' does not come",
         "held or blocked", "end of its travel"},
        {"honey-gate", "",
         "main on\ngate home reverse 8rpm at most 8s\nfault gate stalled\ngate turn to 30deg\n",
         WPIN_FAULT_STALLED, "deg asked for", "held or blocked", "more load", "limit switch"},
        {"honey-gate", "",
         "main on\ngate home reverse 8rpm at most 8s\ngate turn to 89.5deg\nfault gate stalled\n"
         "gate run 8rpm for 2s\n",
         WPIN_FAULT_STALLED, "+8 rpm asked for", "at an end of its travel", "held or blocked",
         NULL},
        /* one of two lines: it turns one way only */
        {"honey-gate", "",
         "main on\ngate run reverse 8rpm for 1s\nfault gate wire-off in1\n"
         "gate run 8rpm for 2s\n",
         WPIN_FAULT_NO_CURRENT, "measured 0 rpm, 0 A", "in1, in2", "supply 'main' off", NULL},
        {"honey-drum", "", UP "fault drum encoder-off\n" ON, WPIN_FAULT_FEEDBACK, "A,",
         "the encoder: supply, wires, pins", "loose on its shaft", "supply 'main'"},
        /* of Hall sensors that show nothing while it stands: their supply */
        {"honey-spinner", "", "main on\nfault drum hall-off\n" UP "drum stop\n", WPIN_FAULT_HALL,
         "rpm asked for", "the Hall sensors: supply", "swapped", NULL},
        {"honey-spinner", "", UP "fault drum hall-off\n" ON, WPIN_FAULT_HALL, "rpm asked for",
         "the Hall sensors: supply", "swapped", NULL},
        /* where it is led to find its encoder: other magnets, or wires; later it came loose */
        {"honey-vector", ENCODER, "main on\nfault drum pole-pairs 8\n" UP "drum stop\n",
         WPIN_FAULT_ANGLE, "rpm asked for", "half the number of its magnets", "not in their order",
         "swapped, or 'direction'"},
        {"honey-vector", ENCODER, "main on\nfault drum pole-pairs 2\n" UP "drum stop\n",
         WPIN_FAULT_ANGLE, "rpm asked for", "half the number of its magnets", "not in their order",
         "swapped, or 'direction'"},
        {"honey-vector", ENCODER, "main on\nfault drum encoder-swapped\n" UP "drum stop\n",
         WPIN_FAULT_WRONG_WAY, "rpm asked for", "wires of the encoder swapped",
         "not in their order", "magnets"},
        {"honey-vector", ENCODER, UP "fault drum encoder-slips\n" ON, WPIN_FAULT_ANGLE, "rpm",
         "loose on its shaft", "the encoder: supply", "magnets"},
        {"honey-vector", "", UP "fault drum hall-shifted\n" ON, WPIN_FAULT_ANGLE, "rpm",
         "supply, wires, pins", "swapped", "magnets"},
        {"honey-spinner", "", "main on\nfault drum pole-pairs 2\n" UP "drum ramp 240rpm\n" ON,
         WPIN_FAULT_FOLLOWING, "duty 100.0 %", "more asked for", "half the number of its magnets",
         NULL},
        /* of half bridges one switch is what no line tells */
        {"honey-belts", "",
         "main on\nfault left switch-open a-high\nleft ramp 60rpm\n"
         "left hold 1s\nleft stop\n",
         WPIN_FAULT_NO_CURRENT, "rpm", "a wire between", "a switch of it dead", NULL},
        /* where the status says it all, its remedy */
        {"honey-vector", "", UP "fault controller interrupts-off\n" ON, WPIN_FAULT_LATE, "rpm",
         "Look for what kept it away", "connected", "likeliest"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_rig *rig;
        char scene[400], advice[1000];
        wpin_report *report = run_of(rows[i].demo, rows[i].change, rows[i].plan, &rig);
        const wpin_fault_result *f = &report->faults[0];
        wpin_fault_scene_words(rig, f, scene, sizeof scene);
        wpin_fault_advice(rig, f, advice, sizeof advice);
        ck_assert_msg(f->cause == rows[i].fault, "row %zu: %s", i, wpin_status_name(f->cause));
        ck_assert_msg(strstr(scene, rows[i].says) != NULL, "row %zu: %s", i, scene);
        const char *first = strstr(advice, rows[i].first), *next = strstr(advice, rows[i].next);
        ck_assert_msg(first != NULL && next != NULL && first < next, "row %zu: %s", i, advice);
        ck_assert_msg(rows[i].not_said == NULL || strstr(advice, rows[i].not_said) == NULL,
                      "row %zu: %s", i, advice);
        wpin_report_free(report);
        wpin_rig_free(rig);
    }
}
END_TEST

/* Several that fail at once have one cause. */
START_TEST(what_fails_together_has_one_cause) {
    wpin_rig *rig;
    char advice[1000];
    wpin_report *report =
        run_of("honey-belts", "",
               "main on\nparallel\ntrack\nleft ramp 60rpm\nleft hold 3s\nleft stop\nend\ntrack\n"
               "right ramp 60rpm\nright hold 3s\nright stop\nend\ntrack\nwait 3s\nfault main "
               "dead\nend\nend\n",
               &rig);
    ck_assert_uint_eq(report->fault_count, 2);
    for (size_t i = 0; i < 2; i++) {
        wpin_fault_advice(rig, &report->faults[i], advice, sizeof advice);
        ck_assert_msg(strstr(advice, "supply 'main' off, empty or cut out, as others on it fail") !=
                          NULL,
                      "%s", advice);
    }
    wpin_report_free(report);
    wpin_rig_free(rig);
}
END_TEST

/* Any fault with anything known: at most so many causes, each once, each with words; and what is
 * said fits. */
START_TEST(each_cause_has_words) {
    wpin_messages m = {0};
    bool named[WPIN_CAUSE_COUNT] = {false};
    static const char *const demos[] = {"honey-drum", "honey-gate", "honey-spinner", "honey-fan",
                                        "honey-line"};
    pick_seed(5);
    for (int i = 0; i < 20000; i++) {
        char path[400], words[300], advice[1200];
        snprintf(path, sizeof path, TEST_SOURCE "/demo/%s.yaml", demos[i % 5]);
        static wpin_rig *rigs[5];
        wpin_rig *rig = rigs[i % 5] = rigs[i % 5] != NULL ? rigs[i % 5] : wpin_rig_read(path, &m);
        wpin_fault_result f = {
            .cause =
                (wpin_status)(WPIN_FAULT_FIRST + (int)pick(WPIN_STATUS_COUNT - WPIN_FAULT_FIRST)),
            .scene = {.state = (wpin_state)pick(WPIN_STATE_FAULT + 1),
                      .op = (wpin_op)pick(WPIN_OP_COUNT),
                      .quantity = (uint8_t)pick(WPIN_QUANTITY_COUNT),
                      .setpoint = (double)pick(2000) - 1000,
                      .duty = ((double)pick(2001) - 1000) / 1000,
                      .held = (uint8_t)pick(256),
                      .rpm = pick(3) == 0 ? NAN : (double)pick(600) - 300,
                      .amps = pick(3) == 0 ? NAN : (double)pick(10),
                      .degrees = pick(3) == 0 ? NAN : (double)pick(100),
                      .supply_volts = pick(3) == 0 ? NAN : (double)pick(30),
                      .turned_forward = pick(2) == 0,
                      .turned_reverse = pick(2) == 0,
                      .others = pick(2) == 0}};
        wpin_cause causes[WPIN_CAUSES_MOST];
        size_t count = wpin_fault_causes(rig, &f, causes);
        ck_assert_uint_le(count, WPIN_CAUSES_MOST);
        for (size_t k = 0; k < count; k++) {
            named[causes[k]] = true;
            wpin_cause_words(rig, &f, causes[k], words, sizeof words);
            ck_assert_uint_gt(strlen(words), 10);
            ck_assert_uint_lt(strlen(words), 190);
            for (size_t n = 0; n < k; n++) {
                ck_assert_int_ne(causes[n], causes[k]);
            }
        }
        wpin_fault_scene_words(rig, &f, words, sizeof words);
        ck_assert(words[strlen(words) - 1] == '.');
        wpin_fault_advice(rig, &f, advice, sizeof advice);
        ck_assert(advice[strlen(advice) - 1] == '.');
        ck_assert_uint_lt(strlen(advice), 640);
    }
    for (int c = 0; c < WPIN_CAUSE_COUNT; c++) {
        ck_assert_msg(named[c], "cause %d is never named", c);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("causes");
    TCase *tests = tcase_create("causes");
    tcase_set_timeout(tests, 0);
    suite_add_tcase(suite, tests);
    tcase_add_test(tests, causes_come_in_their_order);
    tcase_add_test(tests, what_fails_together_has_one_cause);
    tcase_add_test(tests, each_cause_has_words);
    return run_suite(suite);
}
