/* What a plan requires of its run: met, missed or not tested, and by how much. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/plan.h>
#include <windpin/host/rehearsal.h>

typedef struct row {
    const char *rig, *plan;
    wpin_outcome outcome;
    double low, high; /* the worst value, in the unit of the requirement; 0, 0: not looked at */
} row;

#define DRUM "honey-drum"
#define PUMP "honey-pump"
#define GATE "honey-gate"

#define MET      WPIN_OUTCOME_MET
#define MISSED   WPIN_OUTCOME_MISSED
#define UNTESTED WPIN_OUTCOME_UNTESTED

/* One requirement each; what the values should be follows from the rig. */
static const row rows[] = {
    {DRUM, "drum ramp 90rpm\nrequire drum speed within 3% by 2.5s\ndrum hold 4s\ndrum stop", MET,
     1e-4, 0.02},
    {DRUM, "drum ramp 90rpm\nrequire drum speed within 3% by 1s\ndrum hold 4s\ndrum stop", MISSED,
     0.3, 0.6}, /* half of the ramp of 1.93 s */
    {DRUM,
     "drum ramp 90rpm\nrequire drum speed within 2rpm of 90rpm by 3s\ndrum hold 4s\ndrum stop", MET,
     1e-4, 1},
    {DRUM,
     "drum ramp reverse 90rpm\nrequire drum speed within 2% of 90rpm by 3s\ndrum hold 4s\n"
     "drum stop",
     MET, 1e-5, 0.01},
    {DRUM, "drum ramp reverse 90rpm\nrequire drum speed within 2% by 3s\ndrum hold 4s\ndrum stop",
     MET, 1e-5, 0.01},
    {DRUM, "drum ramp 60%\nrequire drum speed within 2% of 90rpm by 5s\ndrum hold 4s\ndrum stop",
     MISSED, 0.5, 1.5},
    {DRUM, "drum ramp 90rpm\nrequire drum speed below 85rpm\ndrum stop", MISSED, 85, 93},
    {DRUM, "drum ramp 90rpm\nrequire drum speed above 80rpm by 9s\ndrum hold 2s\ndrum stop",
     UNTESTED, 0, 0}, /* over before */
    {DRUM, "drum ramp 90rpm\ndrum stop\nrequire drum rest by 3.5s", MET, 2.5, 3.3},
    {DRUM, "drum ramp 90rpm\ndrum stop\nrequire drum rest by 1s", MISSED, 2.5, 3.3},
    {DRUM, "drum ramp 90rpm\nrequire drum current below 4.5A\ndrum stop", MISSED, 4.5, 5.4},
    {DRUM, "require drum current below 6A\ndrum ramp 90rpm\ndrum stop", MET, 4.5, 5.4},
    {DRUM, "require main above 23V\ndrum ramp 90rpm\ndrum stop", MET, 23.5, 23.99},
    {DRUM, "require main above 23.95V\ndrum ramp 90rpm\ndrum stop", MISSED, 23.5, 23.95},
    {DRUM, "require end by 3s\ndrum ramp 90rpm\ndrum stop", MISSED, 4.9, 5.2},
    {DRUM, "require no fault\ndrum ramp 90rpm\ndrum stop", MET, 0, 0},
    {DRUM, "require no fault\ndrum ramp 90rpm\nfault drum encoder-off\ndrum hold 4s\ndrum stop",
     MISSED, 0, 0},
    {DRUM, "require end by 90s\ndrum ramp 90rpm\nfault drum encoder-off\ndrum hold 4s\ndrum stop",
     UNTESTED, 0, 0},
    {DRUM,
     "drum ramp 90rpm\ndrum stop\ndrum ramp reverse 90rpm\nfault drum stalled\ndrum hold 9s\n"
     "drum turn 90deg\nrequire drum place within 1deg",
     UNTESTED, 0, 0}, /* it never came to that */
    {PUMP, "pump ramp 60%\npump stop\nrequire pump rest by 2s", MET, 0.3, 1.5},
    {PUMP, "pump ramp 60%\nrequire pump speed within 10% of 127rpm by 2s\npump hold 3s\npump stop",
     MET, 1e-4, 0.05}, /* no encoder: true */
    {PUMP, "repeat 3\npump run 60% for 2s\nrequire pump current above 0.4A by 1s\nend", MISSED,
     -0.01, 0.3}, /* as it ends */
    {GATE,
     "gate home reverse 8rpm at most 8s\ngate turn to 30deg\n"
     "require gate place within 0.1deg by 4s\ngate turn to 60deg",
     MET, 0, 0.0002},
    {GATE,
     "gate home reverse 8rpm at most 8s\ngate turn to 30deg\n"
     "require gate place within 0.1deg by 200ms",
     MISSED, 0.05, 0.09},
};

START_TEST(a_requirement_is_met_or_missed) {
    const row *t = &rows[_i];
    char path[500], plan_text[600];
    wpin_messages m = {0};
    snprintf(path, sizeof path, "%s/demo/%s.yaml", TEST_SOURCE, t->rig);
    snprintf(plan_text, sizeof plan_text, "%s\n", t->plan);
    wpin_rig *rig = wpin_rig_read(path, &m);
    wpin_plan *plan = wpin_plan_read(write_file("required.plan", plan_text), rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {.supplies_on = true};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_uint_eq(r->requirement_count, 1);
    const wpin_requirement_result *q = &r->requirements[0];
    ck_assert_msg(q->outcome == t->outcome, "%s: %d, %g", q->requirement->text, q->outcome,
                  q->worst);
    if (t->high != 0) {
        ck_assert_msg(q->worst >= t->low && q->worst <= t->high, "%s: %g", q->requirement->text,
                      q->worst);
    }
    ck_assert(r->bad || t->outcome == MET);
    bool counted =
        q->requirement->what == WPIN_REQUIRED_SPEED || q->requirement->what == WPIN_REQUIRED_PLACE;
    ck_assert_int_eq(q->measured, counted && strcmp(t->rig, PUMP) != 0);
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("required");
    TCase *tests = tcase_create("required");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_requirement_is_met_or_missed, 0, sizeof rows / sizeof *rows);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
