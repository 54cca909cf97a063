/* A motor behind a controller of its own that takes servo-style pulses. */
#include "support_motor.h"

/* Servo-style pulses, 50 Hz: neutral 1.5 ms, 0.4 ms each way. */
static uint16_t pulse_of(double microseconds) {
    return (uint16_t)lround(microseconds * 50e-6 * WPIN_DUTY_FULL);
}

static void open_pulses(bench *b, wpin_stage_config *stage, wpin_motor_config *config) {
    static const wpin_line line[] = {{.pin = 9}};
    recorder_init(&b->r);
    *stage = (wpin_stage_config){.table = &wpin_table_servo_pulse,
                                 .lines = line,
                                 .pwm_hz = 50,
                                 .dead_time_us = 2,
                                 .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                 .pulse_swing = WPIN_PULSE_SHARE(400, 50)};
    *config = pump_config(&b->bridge);
    config->part_config = stage;
    config->guard.cap = WPIN_PERCENT(60);
    ck_assert_int_eq(wpin_motor_init(&b->motor, config, &b->r.port), WPIN_OK);
    run_ms(b, 500);
    wpin_motor_arm(&b->motor);
}

/* A pulse cut off in its middle would be another order: the line is never just written low. */
START_TEST(pulses_are_never_cut) {
    bench b = {0};
    wpin_stage_config stage;
    wpin_motor_config config;
    open_pulses(&b, &stage, &config);
    pick_seed(11);
    for (int i = 0; i < 300; i++) {
        b.r.count = 0;
        switch (pick(5)) {
        case 0: wpin_motor_stop(&b.motor, 0); break;
        case 1: wpin_motor_coast(&b.motor); break;
        case 2:
            wpin_motor_disarm(&b.motor);
            wpin_motor_arm(&b.motor);
            break;
        default: wpin_motor_run(&b.motor, (wpin_duty)(pick(32000) - 16000.0), 0, 400); break;
        }
        run_ms(&b, 1 + (int)pick(400));
        for (size_t c = 0; c < b.r.count; c++) {
            ck_assert_int_ne(b.r.records[c].call, CALL_WRITE);
        }
        ck_assert_uint_ge(b.r.duty[9], pulse_of(1100) - 1);
        ck_assert_uint_le(b.r.duty[9], pulse_of(1900) + 1);
    }
}
END_TEST

START_TEST(pulses_are_taught_for_a_while_only) {
    bench b = {0};
    wpin_stage_config stage;
    wpin_motor_config config;
    open_pulses(&b, &stage, &config);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, WPIN_TIMEOUT_HELD), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_OK);
    run_ms(&b, 1);
    ck_assert_int_le(abs(b.r.duty[9] - pulse_of(1900)), 1); /* at once, above the cap */
    run_ms(&b, 798);
    ck_assert_int_le(abs(b.r.duty[9] - pulse_of(1900)), 1);
    run_ms(&b, 3);
    ck_assert_int_le(abs(b.r.duty[9] - pulse_of(1500)), 1); /* its life is over */
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    for (int way = 0; way < 4; way++) { /* whatever else is asked for ends it */
        run_ms(&b, 500);
        ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 5000), WPIN_OK);
        run_ms(&b, 20);
        ck_assert_int_le(abs(b.r.duty[9] - pulse_of(1900)), 1);
        if (way == 0) {
            wpin_motor_stop(&b.motor, 0);
        } else if (way == 1) {
            wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 1000);
        } else if (way == 2) {
            wpin_motor_coast(&b.motor);
        } else {
            wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        }
        run_ms(&b, 2);
        ck_assert_int_le(abs(b.r.duty[9] - pulse_of(1500)), 1);
        run_ms(&b, 1000);
    }
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_REFUSED_FAULTED);
    wpin_motor_clear_fault(&b.motor);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_REFUSED_NOT_ARMED);
    run_ms(&b, 1);
    wpin_motor_arm(&b.motor);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 5000);
    run_ms(&b, 300);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_REFUSED_NOT_ZERO);
    /* full forward is the other way round: it rests before that, too */
    wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 3000);
    run_ms(&b, 4000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 300);
    run_ms(&b, 250);
    while (wpin_motor_busy(&b.motor)) {
        run_ms(&b, 1);
    }
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_REFUSED_NOT_ZERO);
    run_ms(&b, (int)(config.guard.pause_us / 1000) + 100);
    ck_assert_int_eq(wpin_motor_calibrate(&b.motor, 800), WPIN_OK);
    bench pump = fresh();
    ready_bench(&pump, 0);
    ck_assert_int_eq(wpin_motor_calibrate(&pump.motor, 800), WPIN_REFUSED_STATE);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("pulses");
    TCase *tests = tcase_create("pulses");
    tcase_add_test(tests, pulses_are_never_cut);
    tcase_add_test(tests, pulses_are_taught_for_a_while_only);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
