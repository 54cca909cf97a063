/* How a plan ends before its time: by a fault, served late or no longer, stopped. */
#include "support_sequence.h"

START_TEST(a_fault_ends_the_plan_and_stops_every_motor) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(1), .value = WPIN_PERCENT(-50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 4);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 2000; i++) {
        tick(&b);
    }
    ck_assert_int_eq(wpin_motor_state(&b.motors[1]), WPIN_STATE_RUNNING);
    wpin_motor_trip(&b.motors[0], WPIN_FAULT_OVERCURRENT);
    for (int i = 0; i < 300; i++) {
        tick(&b);
    }
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_OVERCURRENT);
    ck_assert_uint_eq(b.sequence.fault_step, 2);
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_int_eq(wpin_motor_duty(&b.motors[1]), 0);
}
END_TEST

enum { GENTLE = WPIN_PERCENT(20), CUT = 600 }; /* ms: when a motor trips */
#define GO(of, ms)                                                                                 \
    { .op = (of), .target = WPIN_MOTOR(0), .value = GENTLE, .time_ms = (ms) }
#define UNTIL_FAULT                                                                                \
    { .op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_FAULTED, .time_ms = 2000 }
#define CLEAR                                                                                      \
    { .op = WPIN_OP_CLEAR, .target = WPIN_MOTOR(0), .time_ms = 500 }
#define PAUSE(ms)                                                                                  \
    { .op = WPIN_OP_WAIT, .time_ms = (ms) }
static const struct {
    wpin_step steps[6];
    int trips;  /* which motor; -1: none */
    int hot_ms; /* for so long its current is too high */
    wpin_status result;
    uint16_t fault_step;
} waited[] = {
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)}, 0, 0, WPIN_OK, 0},
    {{{.op = WPIN_OP_RUN_FOR,
       .target = WPIN_MOTOR(0),
       .value = GENTLE,
       .time_ms = 2000,
       .until = 1 + WPIN_EVENT_FAULTED},
      CLEAR,
      GO(WPIN_OP_RUN_FOR, 200)},
     0,
     0,
     WPIN_OK,
     0},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)}, 0, 300, WPIN_OK, 0},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)},
     0,
     900,
     WPIN_FAULT_TIMEOUT,
     2},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)},
     1,
     0,
     WPIN_FAULT_EXTERNAL,
     1},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, PAUSE(5), CLEAR}, 0, 0, WPIN_FAULT_EXTERNAL, 2},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR}, -1, 0, WPIN_FAULT_TIMEOUT, 1},
    {{CLEAR, GO(WPIN_OP_RUN, 0), PAUSE(900)}, 0, 0, WPIN_FAULT_EXTERNAL, 2},
    {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN, 0), PAUSE(5000)},
     0,
     0,
     WPIN_FAULT_TIMEOUT,
     4},
};

/* A motor that is closed while its plan runs, or whose init anew is refused, ends the plan,
 * whatever it waits for; the others stop. */
START_TEST(a_motor_closed_under_a_plan_ends_it) {
    static const wpin_step waits[] = {
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_CURRENT_ABOVE,
         .milliamps = 30000,
         .time_ms = 9000},
        {.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_RESTING, .time_ms = 900},
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = GENTLE, .time_ms = 9000},
        {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0)}};
    wpin_step plan[] = {{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(1), .value = GENTLE},
                        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = GENTLE},
                        waits[_i % 4],
                        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 4);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    for (int i = 0; b.config.tracks[0].step < 2 && i < 3000; i++) {
        tick(&b);
    }
    ck_assert(b.sequence.running);
    wpin_motor_config bad = *b.motors[0].config;
    bad.part = NULL;
    if (_i < 4) {
        wpin_motor_close(&b.motors[0]);
    } else {
        ck_assert_int_ne(wpin_motor_init(&b.motors[0], &bad, b.motors[0].port), WPIN_OK);
    }
    for (int i = 0; i < 3000; i++) {
        tick(&b);
    }
    ck_assert_int_eq(b.sequence.result, WPIN_REFUSED_CLOSED);
    ck_assert_uint_eq(b.sequence.fault_step, 2);
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_int_eq(wpin_motor_duty(&b.motors[1]), 0);
}
END_TEST

/* A fault that a step waits for, and that is cleared behind it, is part of the plan; any other ends
 * it: of another motor, with a pause in between, with its cause still there when the time is over.
 * The first move after it goes on for 2 s at most. */
START_TEST(a_fault_that_is_waited_for_is_cleared) {
    for (size_t i = 0; i < sizeof waited / sizeof *waited; i++) {
        bench b;
        uint16_t count = 0;
        while (count < 5 && waited[i].steps[count].op != WPIN_OP_END) {
            count++;
        }
        set_up(&b, waited[i].steps, count + 1U); /* the rest is END */
        b.configs[0].guard.current_trip = WPIN_CURRENT_MV(2000, 400);
        b.configs[0].sense =
            (wpin_sense_config){.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400};
        ck_assert_int_eq(wpin_motor_init(&b.motors[0], &b.configs[0], &b.r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b.motors[0]), WPIN_OK);
        ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
        int driven = 0;
        for (int ms = 0; ms < 9000; ms++) {
            if (ms == CUT && waited[i].trips >= 0) {
                wpin_motor_trip(&b.motors[waited[i].trips], WPIN_FAULT_EXTERNAL);
            }
            b.r.millivolts[0] = ms >= CUT && ms < CUT + waited[i].hot_ms ? 4000 : 0;
            tick(&b);
            driven += wpin_motor_duty(&b.motors[0]) != 0 && ms > CUT + waited[i].hot_ms;
            ck_assert(b.motors[0].fault == WPIN_OK || wpin_motor_duty(&b.motors[0]) == 0);
        }
        ck_assert_msg(
            b.sequence.result == waited[i].result &&
                (waited[i].result == WPIN_OK || b.sequence.fault_step == waited[i].fault_step),
            "row %zu: %s at %u", i, wpin_status_name(b.sequence.result), b.sequence.fault_step);
        ck_assert(!wpin_sequence_busy(&b.sequence));
        ck_assert_msg((waited[i].result != WPIN_OK) || driven > 150,
                      "row %zu: moved again for %d ms", i, driven);
        ck_assert_int_lt(driven, 2700);
    }
}
END_TEST

/* Served late by more than a motor waits for it: the plan says so, whichever way it is late. */
START_TEST(a_plan_served_late_ends_by_name) {
    static const wpin_step plan[] = {{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 8000},
                                     {.op = WPIN_OP_WAIT, .time_ms = 100000},
                                     {.op = WPIN_OP_END}};
    for (int alone = 0; alone < 2; alone++) {
        bench b;
        set_up(&b, plan, 3);
        wpin_sequence_start(&b.sequence, &b.config);
        for (int i = 0; i < 300 + 900 * alone; i++) {
            tick(&b);
        }
        for (int i = 0; i < 300; i++) { /* nobody is served, or the motors alone */
            b.r.now += 1000;
            if (alone) {
                wpin_motors_tick(b.list, MOTORS);
            }
        }
        for (int i = 0; i < 600; i++) {
            tick(&b);
        }
        ck_assert_int_eq(b.sequence.result, WPIN_FAULT_LATE);
        ck_assert(!wpin_sequence_busy(&b.sequence));
        ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), 0);
    }
}
END_TEST

START_TEST(resting_comes_after_a_brake_too) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = 8000, .time_ms = 300},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_RESTING, .time_ms = 500},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 4);
    run_to_end(&b);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

START_TEST(motors_stop_when_the_plan_is_no_longer_served) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 2000; i++) {
        tick(&b);
    }
    ck_assert(wpin_motor_busy(&b.motors[0]));
    for (int i = 0; i < 250 + 250 + 2; i++) { /* only the motor is ticked: its life, its ramp */
        b.r.now += 1000;
        wpin_motor_tick(&b.motors[0]);
    }
    ck_assert(!wpin_motor_busy(&b.motors[0]));
}
END_TEST

START_TEST(stopping_early_ramps_to_rest) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(2), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 1000; i++) {
        tick(&b);
    }
    wpin_sequence_stop(&b.sequence);
    ck_assert(wpin_sequence_busy(&b.sequence));
    for (int i = 0; i < 252; i++) {
        tick(&b);
    }
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sequence_ends");
    TCase *tests = tcase_create("sequence_ends");
    tcase_add_loop_test(tests, a_motor_closed_under_a_plan_ends_it, 0, 8);
    tcase_add_test(tests, a_fault_ends_the_plan_and_stops_every_motor);
    tcase_add_test(tests, a_fault_that_is_waited_for_is_cleared);
    tcase_add_test(tests, a_plan_served_late_ends_by_name);
    tcase_add_test(tests, resting_comes_after_a_brake_too);
    tcase_add_test(tests, motors_stop_when_the_plan_is_no_longer_served);
    tcase_add_test(tests, stopping_early_ramps_to_rest);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
