/* Plans as tables: checked before they run, then run track by track. */
#include "support_sequence.h"

START_TEST(a_plan_runs_in_its_time) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(60), .ramp_us = 1500000},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(0), .time_ms = 3000},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(0), .time_ms = 500},
        {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0), .time_ms = 1000},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(-40),
         .time_ms = 2000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 7);
    run_to_end(&b);
    ck_assert(b.switches[1]);
    ck_assert_double_eq_tol(when(&b, 1, false, 0), 1500, 0.01);
    ck_assert_double_eq_tol(when(&b, 2, false, 0), 4500, 0.01);
    ck_assert_double_eq_tol(when(&b, 3, false, 0), 5000, 0.01);
    ck_assert_double_eq_tol(when(&b, 4, false, 0), 6000, 0.01);
    ck_assert_double_eq_tol(when(&b, 5, false, 0), 8200, 1.01); /* and the ramp down, 0.2 s */
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

/* 40 % back and forth, with 0.2 s of ramp down and 0.2 s of rest between them. */
START_TEST(a_run_has_its_whole_time_after_turning_over) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(40), .time_ms = 500},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(-40),
         .time_ms = 1000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    run_to_end(&b);
    double first = when(&b, 0, false, 0);
    ck_assert_double_eq_tol(when(&b, 1, false, 0) - first, 200 + 1000 + 200, 2.01);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

/* What a limit holds back has come as far as it may: the plan goes on. "At its set-point" is more.
 */
START_TEST(a_current_limit_does_not_hold_up_the_plan) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(60), .ramp_us = 1500000},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_AT_SETPOINT,
         .time_ms = 300},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    b.configs[0].guard.current_limit = WPIN_CURRENT_MV(2000, 400);
    b.configs[0].guard.limit_gain = 2;
    b.configs[0].guard.current_trip = 0;
    b.configs[0].sense =
        (wpin_sense_config){.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400, .current_input = 0};
    ck_assert_int_eq(wpin_motor_init(&b.motors[0], &b.configs[0], &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motors[0]), WPIN_OK);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    for (int ms = 0; ms < 10000 && wpin_sequence_busy(&b.sequence); ms++) {
        b.r.millivolts[0] = (int16_t)(wpin_motor_duty(&b.motors[0]) * 8 * 400 / WPIN_DUTY_FULL);
        tick(&b);
    }
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_double_eq_tol(when(&b, 0, false, 0), 1700, 2); /* opened anew it rests first */
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
}
END_TEST

START_TEST(tracks_run_side_by_side) {
    static const wpin_step plan[] = {{.op = WPIN_OP_REPEAT, .value = 2},
                                     {.op = WPIN_OP_FORK, .value = 4},
                                     {.op = WPIN_OP_RUN_FOR,
                                      .target = WPIN_MOTOR(0),
                                      .value = WPIN_PERCENT(20),
                                      .time_ms = 1000},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_FORK, .value = 8},
                                     {.op = WPIN_OP_WAIT, .time_ms = 300}, /* a staggered start */
                                     {.op = WPIN_OP_RUN_FOR,
                                      .target = WPIN_MOTOR(1),
                                      .value = WPIN_PERCENT(20),
                                      .time_ms = 2000},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_JOIN},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_WAIT, .time_ms = 7},
                                     {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 12);
    run_to_end(&b);
    for (int round = 0; round < 2; round++) {
        double at = when(&b, 1, true, round);
        ck_assert_double_eq_tol(at, round * 2400.0, 1.01);
        ck_assert_double_eq_tol(when(&b, 2, true, round), at, 0.01);
        ck_assert_double_eq_tol(when(&b, 2, false, round), at + 1100, 1.01);
        ck_assert_double_eq_tol(when(&b, 6, true, round), at + 300, 0.01);
        ck_assert_double_eq_tol(when(&b, 8, false, round), at + 2400, 1.01);
    }
    ck_assert_double_eq_tol(when(&b, 10, false, 0), 4807, 2.01);
}
END_TEST

START_TEST(a_plan_waits_for_events_but_not_for_ever) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_FORK, .value = 4},
        {.op = WPIN_OP_WAIT, .time_ms = 400},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1}, /* which is input 1 here */
        {.op = WPIN_OP_LEAVE},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_INPUT(1),
         .value = WPIN_EVENT_INPUT_ON,
         .time_ms = 1000},
        {.op = WPIN_OP_JOIN},
        {.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_AT_SETPOINT,
         .time_ms = 10},
        {.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_RESTING,
         .time_ms = 1000},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_INPUT(0),
         .value = WPIN_EVENT_INPUT_ON,
         .time_ms = 300},
        {.op = WPIN_OP_WAIT, .time_ms = 5000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 13);
    run_to_end(&b);
    ck_assert_double_eq_tol(when(&b, 4, false, 0), 400, 1.01);
    ck_assert_double_eq_tol(when(&b, 6, false, 0), 900, 2.01);  /* on: its ramp */
    ck_assert_double_eq_tol(when(&b, 8, false, 0), 1150, 3.01); /* off: its ramp */
    ck_assert_double_eq_tol(when(&b, 9, false, 0), 1350, 4.01); /* and its rest */
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
    ck_assert_uint_eq(b.sequence.fault_step, 10);
    ck_assert_double_eq_tol((b.r.now - b.start) / 1000.0, 1652, 6);
}
END_TEST

/* An event ends an action before its time, and a repeat after a round; one that does not come in
 * time ends the plan, and what comes and goes again meanwhile counts. */
START_TEST(an_event_ends_an_action) {
#define ON_INPUT(n) .until = 1 + WPIN_EVENT_INPUT_ON, .until_of = (n)
    static const wpin_step plan[] = {
        {.op = WPIN_OP_FORK, .value = 6},
        {.op = WPIN_OP_WAIT, .time_ms = 700},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1},
        {.op = WPIN_OP_WAIT, .time_ms = 5},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1)},
        {.op = WPIN_OP_LEAVE},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(50),
         .time_ms = 9000,
         ON_INPUT(1)},
        {.op = WPIN_OP_JOIN},
        {.op = WPIN_OP_REPEAT, .value = 100, ON_INPUT(0)},
        {.op = WPIN_OP_WAIT, .time_ms = 100},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(0), .value = 1},
        {.op = WPIN_OP_AGAIN},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(30)},
        {.op = WPIN_OP_HOLD,
         .target = WPIN_MOTOR(0),
         .time_ms = 400,
         .until = 1 + WPIN_EVENT_RESTING,
         .until_of = 1},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(0), .time_ms = 400, ON_INPUT(1)},
        {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, sizeof plan / sizeof *plan);
    run_to_end(&b);
    ck_assert_double_eq_tol(when(&b, 6, false, 0), 950, 4); /* pressed, and half a second's ramp */
    ck_assert_double_eq_tol(when(&b, 9, false, 0) - when(&b, 9, true, 0), 100, 1.01);
    ck_assert_double_eq_tol(when(&b, 12, true, 0), when(&b, 9, false, 0), 1.01); /* one round */
    ck_assert_double_eq_tol(when(&b, 13, false, 0) - when(&b, 13, true, 0), 0, 1.01);
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
    ck_assert_uint_eq(b.sequence.fault_step, 14);
    wpin_step bad[] = {plan[14], {.op = WPIN_OP_END}};
    uint16_t where;
    const struct {
        uint8_t op, until;
        uint16_t of;
        uint32_t ms;
        wpin_status due;
    } rows[] = {{WPIN_OP_HOLD, 1 + WPIN_EVENT_COUNT, 0, 5, WPIN_REFUSED_RANGE},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_INPUT_ON, 2, 5, WPIN_REFUSED_ARGUMENT},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, MOTORS, 5, WPIN_REFUSED_ARGUMENT},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, 0, 0, WPIN_REFUSED_RANGE},
                {WPIN_OP_STOP, 1 + WPIN_EVENT_RESTING, 0, 5, WPIN_REFUSED_CONFIG},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, 0, 5, WPIN_OK}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bad[0] = (wpin_step){.op = rows[i].op,
                             .target = WPIN_MOTOR(0),
                             .time_ms = rows[i].ms,
                             .until = rows[i].until,
                             .until_of = rows[i].of};
        b.config.steps = bad;
        b.config.step_count = 2;
        ck_assert_int_eq(wpin_sequence_check(&b.config, &where), rows[i].due);
    }
}
END_TEST

START_TEST(a_repeat_for_ever_ends_by_its_event_only) {
    static const wpin_step plan[] = {{.op = WPIN_OP_FORK, .value = 4},
                                     {.op = WPIN_OP_WAIT, .time_ms = 20},
                                     {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(0), .value = 1},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_REPEAT, .value = 0, ON_INPUT(0)},
                                     {.op = WPIN_OP_REPEAT, .value = 2},
                                     {.op = WPIN_OP_WAIT, .time_ms = 1},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_JOIN},
                                     {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, sizeof plan / sizeof *plan);
    run_to_end(&b);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
    ck_assert_double_eq_tol((b.r.now - b.start) / 1000.0, 24, 8);
}
END_TEST

/* As it is, or as a share of what the step asks for at most; the other way round too. */
static const struct {
    int32_t full;
    wpin_duty first, second;
    double ends;
} followed[] = {{0, WPIN_PERCENT(30), WPIN_PERCENT(-50), 3250},
                {WPIN_DUTY_FULL / 2, WPIN_PERCENT(30) / 2, WPIN_PERCENT(-50) / 2, 3125},
                {-WPIN_DUTY_FULL, WPIN_PERCENT(-30), WPIN_PERCENT(50), 3250}};

START_TEST(a_motor_follows_an_input_for_a_time) {
    const wpin_step plan[] = {{.op = WPIN_OP_SET, .target = WPIN_INPUT(1), .value = 1200},
                              {.op = WPIN_OP_FOLLOW,
                               .target = WPIN_MOTOR(0),
                               .value = 1,
                               .full = followed[_i].full,
                               .time_ms = 3000},
                              {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    for (int ms = 0; ms < 6000 && wpin_sequence_busy(&b.sequence); ms++) {
        b.asked = ms < 1000 ? WPIN_PERCENT(30) : ms < 1800 ? 0 : WPIN_PERCENT(-50);
        tick(&b);
        if (ms == 900) {
            ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), followed[_i].first);
        } else if (ms == 2800) {
            ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), followed[_i].second);
        }
    }
    ck_assert_int_eq(b.set_to[1], 1200);
    ck_assert_double_eq_tol(when(&b, 1, false, 0), followed[_i].ends, 3); /* the ramp down too */
    ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), 0);
}
END_TEST

#define FOLLOWS(the_quantity, the_most)                                                            \
    {                                                                                              \
        .op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 1, .time_ms = 1,                   \
        .quantity = (the_quantity), .full = (the_most)                                             \
    }

static const wpin_line coils[] = {{.pin = 20}, {.pin = 21}, {.pin = 22}, {.pin = 23}};
static const wpin_stage_config stepper_stage = {
    .table = &wpin_table_stepper, .lines = coils, .dead_time_us = 1};
static const wpin_stepper_config stepper_config = {.stage = &stepper_stage,
                                                   .steps_per_rev = 200,
                                                   .start_rate = 100,
                                                   .top_rate = 400,
                                                   .acceleration = 1000};

/* A stepper among the motors, on the same numbers; served by a tick of its own. */
START_TEST(a_stepper_takes_its_turn) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(1), .millidegrees = 90000},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(1), .time_ms = 200},
        {.op = WPIN_OP_TURN_TO, .target = WPIN_MOTOR(1), .millidegrees = -18000, .time_ms = 100},
        {.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(1), .value = WPIN_EVENT_RESTING, .time_ms = 100},
        {.op = WPIN_OP_COAST, .target = WPIN_MOTOR(1)},
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(40), .time_ms = 500},
        {.op = WPIN_OP_END}};
    bench b;
    wpin_stepper stepper = {0};
    wpin_motor turntable = {0};
    const wpin_motor_config turns = {WPIN_ON_STEPPER(&stepper, &stepper_config),
                                     .guard = WPIN_STEPPER_GUARD, .rest_drive = WPIN_DRIVE_BRAKE};
    set_up(&b, plan, 7);
    b.list[1] = &turntable;
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_REFUSED_CLOSED);
    ck_assert_int_eq(wpin_motor_init(&turntable, &turns, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&turntable), WPIN_OK);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    int32_t highest = 0;
    for (int ms = 0; ms < 8000 && wpin_sequence_busy(&b.sequence); ms++) {
        for (int i = 0; i < 10; i++) {
            wpin_stepper_tick(&stepper);
            b.r.now += 100;
        }
        b.r.now -= 1000;
        highest = stepper.position > highest ? stepper.position : highest;
        tick(&b);
    }
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
    ck_assert_int_eq(highest, 50);
    ck_assert_int_eq(stepper.position, -10);
    ck_assert(!stepper.held);
    ck_assert_double_ge(when(&b, 2, true, 0), when(&b, 1, true, 0) + 200);
    ck_assert_double_ge(when(&b, 5, true, 0), when(&b, 2, true, 0) + 100);
}
END_TEST

START_TEST(what_a_motor_can_not_do_is_no_step) {
    bench b;
    uint16_t bad;
    wpin_stepper stepper = {0};
    wpin_motor turntable = {0};
    const wpin_motor_config turns = {WPIN_ON_STEPPER(&stepper, &stepper_config),
                                     .guard = WPIN_STEPPER_GUARD, .rest_drive = WPIN_DRIVE_BRAKE};
    set_up(&b, NULL, 1);
    b.list[1] = &turntable;
    ck_assert_int_eq(wpin_motor_init(&turntable, &turns, &b.r.port), WPIN_OK);
    static const wpin_step wrong[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(1), .value = 100},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(1)},
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(0), .millidegrees = 1},
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(1), .millidegrees = 3600001},
        {.op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 2, .time_ms = 1},
        {.op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 0},
        FOLLOWS(WPIN_QUANTITY_SPEED, 100), /* that nothing regulates */
        FOLLOWS(WPIN_QUANTITY_SPEED, 0),
        FOLLOWS(WPIN_QUANTITY_POSITION, 100),
        FOLLOWS(WPIN_QUANTITY_EFFORT, WPIN_DUTY_FULL + 1),
        FOLLOWS(WPIN_QUANTITY_EFFORT, INT32_MIN),
        {.op = WPIN_OP_CALIBRATE, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_SET, .target = WPIN_INPUT(2)}};
    wpin_step two[] = {{.op = WPIN_OP_TURN, .target = WPIN_MOTOR(1), .millidegrees = 90000},
                       {.op = WPIN_OP_END}};
    b.config.steps = two;
    b.config.step_count = 2;
    ck_assert_int_eq(wpin_sequence_check(&b.config, &bad), WPIN_OK);
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        two[0] = wrong[i];
        ck_assert_int_ne(wpin_sequence_check(&b.config, &bad), WPIN_OK);
        ck_assert_uint_eq(bad, 0);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sequence");
    TCase *tests = tcase_create("sequence");
    tcase_add_test(tests, a_plan_runs_in_its_time);
    tcase_add_test(tests, a_run_has_its_whole_time_after_turning_over);
    tcase_add_test(tests, a_current_limit_does_not_hold_up_the_plan);
    tcase_add_test(tests, a_repeat_for_ever_ends_by_its_event_only);
    tcase_add_test(tests, tracks_run_side_by_side);
    tcase_add_test(tests, a_plan_waits_for_events_but_not_for_ever);
    tcase_add_test(tests, an_event_ends_an_action);
    tcase_add_loop_test(tests, a_motor_follows_an_input_for_a_time, 0,
                        sizeof followed / sizeof *followed);
    tcase_add_test(tests, a_stepper_takes_its_turn);
    tcase_add_test(tests, what_a_motor_can_not_do_is_no_step);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
