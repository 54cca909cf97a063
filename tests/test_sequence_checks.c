/* Which plans are refused before anything moves; the others run to their end. */
#include "support_sequence.h"

/* Two tracks on one motor: nested, in sequence, beside the parent, in the next fork. */
START_TEST(two_tracks_on_one_motor_are_refused) {
#define ON(n)                                                                                      \
    { .op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(n), .value = 9000, .time_ms = 5 }
#define FORK(n)                                                                                    \
    { .op = WPIN_OP_FORK, .value = (n) }
#define LEAVE                                                                                      \
    { .op = WPIN_OP_LEAVE }
#define JOIN                                                                                       \
    { .op = WPIN_OP_JOIN }
    const struct {
        wpin_step steps[12];
        uint16_t count;
        bool conflict;
    } rows[] = {
        {{FORK(3), ON(0), LEAVE, ON(0), JOIN, {.op = WPIN_OP_END}}, 6, true},
        {{FORK(3), ON(0), LEAVE, JOIN, ON(0), {.op = WPIN_OP_END}}, 6, false},
        {{FORK(3), ON(0), LEAVE, ON(1), JOIN, {.op = WPIN_OP_END}}, 6, false},
        {{ON(0), FORK(4), ON(0), LEAVE, ON(1), JOIN, {.op = WPIN_OP_END}}, 7, false},
        {{FORK(3), ON(0), LEAVE, FORK(6), ON(0), LEAVE, JOIN, {.op = WPIN_OP_END}}, 8, true},
        {{FORK(3), ON(0), LEAVE, JOIN, FORK(7), ON(0), LEAVE, JOIN, {.op = WPIN_OP_END}}, 9, false},
        {{FORK(6), FORK(4), ON(2), LEAVE, JOIN, LEAVE, ON(2), JOIN, {.op = WPIN_OP_END}}, 9, true},
        {{FORK(7), FORK(4), ON(2), LEAVE, ON(2), JOIN, LEAVE, JOIN, {.op = WPIN_OP_END}}, 9, true},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b;
        set_up(&b, rows[i].steps, rows[i].count);
        wpin_status status = wpin_sequence_check(&b.config, NULL);
        ck_assert_msg((status == WPIN_REFUSED_CONFLICT) == rows[i].conflict, "row %zu: %s", i,
                      wpin_status_name(status));
    }
}
END_TEST

/* Each wrong plan with what it is refused with and at which step. */
#define END_STEP                                                                                   \
    { .op = WPIN_OP_END }
static const struct {
    wpin_step steps[14];
    uint16_t count;
    wpin_status status;
    uint16_t bad;
} wrong_plans[] = {
    {{{.op = 99}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
    {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(3), .value = 1}, END_STEP},
     2,
     WPIN_REFUSED_ARGUMENT,
     0},
    {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 0}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_DUTY_FULL + 1}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 1, .ramp_us = WPIN_RAMP_MAX_US + 1},
      END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = 1}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(2)}, END_STEP}, 2, WPIN_REFUSED_ARGUMENT, 0},
    {{{.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_AT_SETPOINT}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_UNTIL, .value = WPIN_EVENT_COUNT, .time_ms = 1}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_UNTIL, .value = WPIN_EVENT_INPUT_ON, .target = WPIN_INPUT(2), .time_ms = 1},
      END_STEP},
     2,
     WPIN_REFUSED_ARGUMENT,
     0},
    {{{.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(3), .time_ms = 1}, END_STEP},
     2,
     WPIN_REFUSED_ARGUMENT,
     0},
    {{{.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = 0}, END_STEP},
     2,
     WPIN_REFUSED_RANGE,
     0},
    {{{.op = WPIN_OP_REPEAT, .value = -1}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
    {{{.op = WPIN_OP_REPEAT, .value = 2, .until = 1 + WPIN_EVENT_FAULTED}, END_STEP},
     2,
     WPIN_REFUSED_CONFIG,
     0},
    {{{.op = WPIN_OP_CLEAR, .target = WPIN_MOTOR(0)}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
    {{{.op = WPIN_OP_AGAIN}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
    {{{.op = WPIN_OP_REPEAT, .value = 2}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 1},
    {{{.op = WPIN_OP_LEAVE}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
    {{{.op = WPIN_OP_FORK, .value = 1}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
    {{{.op = WPIN_OP_FORK, .value = 9}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
    {{{.op = WPIN_OP_FORK, .value = 2}, {.op = WPIN_OP_LEAVE}, END_STEP},
     3,
     WPIN_REFUSED_CONFIG,
     2}, /* not joined */
    {{{.op = WPIN_OP_REPEAT, .value = 2},
      {.op = WPIN_OP_FORK, .value = 3},
      {.op = WPIN_OP_LEAVE},
      {.op = WPIN_OP_AGAIN},
      END_STEP},
     5,
     WPIN_REFUSED_CONFIG,
     3},
    {{{.op = WPIN_OP_WAIT}, END_STEP, {.op = WPIN_OP_WAIT}}, 3, WPIN_REFUSED_CONFIG, 1},
    {{{.op = WPIN_OP_WAIT}}, 1, WPIN_REFUSED_CONFIG, 0},
    {{{.op = WPIN_OP_REPEAT, .value = 1},
      {.op = WPIN_OP_REPEAT, .value = 1},
      {.op = WPIN_OP_REPEAT, .value = 1},
      {.op = WPIN_OP_REPEAT, .value = 1},
      {.op = WPIN_OP_REPEAT, .value = 1},
      END_STEP},
     6,
     WPIN_REFUSED_FULL,
     4},
    {{{.op = WPIN_OP_FORK, .value = 2},
      {.op = WPIN_OP_LEAVE},
      {.op = WPIN_OP_FORK, .value = 4},
      {.op = WPIN_OP_LEAVE},
      {.op = WPIN_OP_FORK, .value = 6},
      {.op = WPIN_OP_LEAVE},
      {.op = WPIN_OP_FORK, .value = 8},
      {.op = WPIN_OP_LEAVE},
      {.op = WPIN_OP_JOIN},
      END_STEP},
     10,
     WPIN_REFUSED_FULL,
     9}, /* five tracks at once, room for four */
};

START_TEST(wrong_plans_are_refused_before_anything_moves) {
    for (size_t i = 0; i < sizeof wrong_plans / sizeof *wrong_plans; i++) {
        bench b;
        uint16_t bad = 999;
        set_up(&b, wrong_plans[i].steps, wrong_plans[i].count);
        wpin_status status = wpin_sequence_check(&b.config, &bad);
        ck_assert_msg(status == wrong_plans[i].status && bad == wrong_plans[i].bad,
                      "row %zu: %s at %u", i, wpin_status_name(status), bad);
        size_t before = b.r.count;
        ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), wrong_plans[i].status);
        tick(&b);
        ck_assert_uint_eq(b.r.count, before);
        ck_assert(!b.sequence.running);
    }
    bench b;
    set_up(&b, NULL, 3);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_sequence_start(NULL, &b.config), WPIN_REFUSED_ARGUMENT);
}
END_TEST

/* Random nests of repeats and tracks: what the check lets pass runs to its end. */
START_TEST(what_is_checked_runs_to_its_end) {
    pick_seed((uint32_t)_i + 100);
    int ran = 0;
    for (int plan_number = 0; plan_number < 300; plan_number++) {
        wpin_step steps[40];
        uint16_t n = 0;
        int forks = 0;
        while (n < 30) {
            switch (pick(6)) {
            case 0:
                steps[n++] = (wpin_step){.op = WPIN_OP_REPEAT, .value = (int16_t)(1 + pick(3))};
                break;
            case 1: steps[n++] = (wpin_step){.op = WPIN_OP_AGAIN}; break;
            case 2:
                steps[n] = (wpin_step){.op = WPIN_OP_FORK, .value = (int16_t)(n + 3)};
                steps[n + 1] = (wpin_step){.op = WPIN_OP_WAIT, .time_ms = pick(20)};
                steps[n + 2] = (wpin_step){.op = WPIN_OP_LEAVE};
                n = (uint16_t)(n + 3);
                forks++;
                break;
            case 3: steps[n++] = (wpin_step){.op = WPIN_OP_JOIN}; break;
            default: steps[n++] = (wpin_step){.op = WPIN_OP_WAIT, .time_ms = pick(5)}; break;
            }
            if (pick(8) == 0) {
                break;
            }
        }
        steps[n++] = (wpin_step){.op = WPIN_OP_END};
        bench b;
        set_up(&b, steps, n);
        b.config.observe = NULL;
        if (wpin_sequence_check(&b.config, NULL) == WPIN_OK) {
            run_to_end(&b);
            ck_assert_int_eq(b.sequence.result, WPIN_OK);
            ran++;
        }
    }
    ck_assert_int_gt(ran, 20);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sequence_checks");
    TCase *tests = tcase_create("sequence_checks");
    tcase_add_test(tests, two_tracks_on_one_motor_are_refused);
    tcase_add_test(tests, wrong_plans_are_refused_before_anything_moves);
    tcase_add_loop_test(tests, what_is_checked_runs_to_its_end, 0, 4);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
