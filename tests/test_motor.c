/* The rules at the end of the path: arming, life, reversal, limits, faults. */
#include "support_motor.h"

START_TEST(nothing_moves_unless_armed) {
    bench b = fresh();
    open_bench(&b, 0);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_OFF);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 5000, 0, 1000), WPIN_REFUSED_NOT_ARMED);
    ck_assert_int_eq(wpin_motor_brake(&b.motor), WPIN_REFUSED_NOT_ARMED);
    run_ms(&b, 500);
    ck_assert(!recorder_on(&b.r, PWM));
    ck_assert(!recorder_on(&b.r, BRAKE));
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 5000, 0, 1000), WPIN_OK);
    ck_assert(wpin_motor_busy(&b.motor)); /* from the request on, not from the tick */
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_NOT_ZERO);
    run_ms(&b, 500);
    ck_assert(recorder_on(&b.r, PWM));
    wpin_motor_disarm(&b.motor);
    ck_assert(!recorder_on(&b.r, PWM));
    run_ms(&b, 500);
    ck_assert(!recorder_on(&b.r, PWM));
}
END_TEST

START_TEST(a_motor_just_opened_rests_before_it_starts) {
    bench b = fresh(); /* it may be turning: the controller may have been reset */
    open_bench(&b, 0);
    wpin_motor_arm(&b.motor);
    wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 5000);
    run_ms(&b, 199);
    ck_assert(!recorder_on(&b.r, PWM));
    run_ms(&b, 100);
    ck_assert(recorder_on(&b.r, PWM));
}
END_TEST

START_TEST(every_motion_ends_by_itself) {
    bench b = fresh();
    ready_bench(&b, _i ? 0xFFFFFFFF - 600000 : 0); /* also across the wrap of the clock */
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 800);
    run_ms(&b, 799);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    run_ms(&b, 253); /* its end, and the ramp down */
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 100);
    for (int i = 0; i < 50; i++) { /* refreshed: lives on */
        run_ms(&b, 90);
        ck_assert_int_eq(wpin_motor_refresh(&b.motor, 100), WPIN_OK);
    }
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 60000);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
}
END_TEST

START_TEST(asked_times_are_kept) {
    bench b = fresh();
    ready_bench(&b, 0xFFFFFFFF - 300000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(60), 1500000, WPIN_TIMEOUT_HELD);
    run_ms(&b, 1499);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RAMPING);
    run_ms(&b, 2); /* the request came a microsecond after the tick */
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(60));
    wpin_motor_stop(&b.motor, 700000);
    run_ms(&b, 701);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 1000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(10), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 200);
    wpin_motor_run(&b.motor, WPIN_PERCENT(-60), 1500000, WPIN_TIMEOUT_HELD);
    run_ms(&b, 50 + 200 + 1501); /* down at the limit, rest, and then the time asked for */
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(-60));
}
END_TEST

/* Asked for another effort, it is not "running" until it has got there, tick or no tick. */
START_TEST(running_means_arrived) {
    static const int next[] = {80, 20, -60};
    for (size_t i = 0; i < sizeof next / sizeof *next; i++) {
        bench b = fresh();
        ready_bench(&b, 0);
        wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, WPIN_TIMEOUT_HELD);
        ck_assert_int_ne(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
        run_ms(&b, 700);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
        wpin_motor_run(&b.motor, WPIN_PERCENT(next[i]), 0, WPIN_TIMEOUT_HELD);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RAMPING);
        for (int ms = 0; ms < 3000 && wpin_motor_state(&b.motor) != WPIN_STATE_RUNNING; ms++) {
            ck_assert_int_ne(wpin_motor_duty(&b.motor), WPIN_PERCENT(next[i]));
            run_ms(&b, 1);
        }
        ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(next[i]));
    }
}
END_TEST

/* Above its limit the current folds the effort back, tick by tick, and gives it back below it. */
START_TEST(current_is_held_at_its_limit) {
    bench b = {.config = with_inputs()};
    b.config.guard.current_trip = 0;
    b.config.guard.current_limit = WPIN_CURRENT_MV(2000, 400);
    b.config.guard.limit_gain = 2;
    recorder_init(&b.r);
    b.config.part = &b.bridge;
    b.r.millivolts[1] = 3000;
    b.r.millivolts[0] = 100;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 201);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    for (int ms = 0; ms < 6000; ms++) {
        int stalled_ma = ms < 4000 ? 8000 : 1500; /* at full duty; it turns freely at the end */
        int32_t ma = stalled_ma * wpin_motor_duty(&b.motor) / WPIN_DUTY_FULL;
        b.r.millivolts[0] = (int16_t)(100 + ma * 400 / 1000);
        run_ms(&b, 1);
        if (ms > 2000 && ms < 4000) {
            ck_assert_int_ge(ma, 1900);
            ck_assert_int_le(ma, 2100);
            ck_assert_uint_ne(wpin_motor_held(&b.motor) & WPIN_HELD_CURRENT, 0);
        }
    }
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
}
END_TEST

/* A shaft whose speed is measured, as the regulators and the guard see it. */
static struct shaft {
    int16_t speed;
    bool broken;
    int32_t sum;
    int resets;
} shaft;

static void measure_shaft(void *context, wpin_measurement *m) {
    (void)context;
    m->speed = shaft.speed;
    m->valid = (uint8_t)(m->valid | (shaft.broken ? 0 : WPIN_HAS_SPEED));
}

/* While the shaft turns it may not be driven the other way, however long the pause is over. */
START_TEST(it_turns_the_other_way_from_standstill) {
    bench b = fresh();
    b.config.guard.reversal = WPIN_REVERSAL_STANDSTILL;
    b.config.guard.standstill = 10;
    b.config.sense.more = measure_shaft;
    shaft = (struct shaft){0};
    ready_bench(&b, 0);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    shaft.speed = 900;
    run_ms(&b, 1000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 5000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert_uint_ne(wpin_motor_held(&b.motor) & WPIN_HELD_REVERSAL, 0);
    shaft.speed = -11; /* it swings back: that is turning too */
    run_ms(&b, 1000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    shaft.speed = 0;
    run_ms(&b, 199);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 3);
    ck_assert_int_lt(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 2000);
    shaft.broken = true; /* a sensor that tells nothing: four pauses */
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 250 + 790);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 30);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), 0);
}
END_TEST

static int32_t regulate_speed(void *state, const void *config, int32_t setpoint,
                              const wpin_measurement *m, const wpin_given *given) {
    struct shaft *s = state;
    (void)config;
    int32_t error = setpoint - m->speed;
    s->sum += given->held != 0 && given->held != WPIN_HELD_SETTLING ? 0 : error;
    return error * 4 + s->sum / 8;
}

static void begin_speed(void *state, const void *config, const wpin_measurement *m,
                        const wpin_given *given) {
    struct shaft *s = state;
    (void)config, (void)m, (void)given;
    s->sum = 0;
    s->resets++;
}

static wpin_status ask_speed(bench *b, int32_t speed, uint32_t timeout_ms) {
    return wpin_motor_request(
        &b->motor, (wpin_setpoint){.quantity = WPIN_QUANTITY_SPEED, .value = speed}, 0, timeout_ms);
}

/* A speed is asked for, a regulator turns it into effort, and the guard still has the last word. */
START_TEST(a_regulator_is_guarded_like_any_request) {
    static const wpin_regulator regulator = {.takes = WPIN_QUANTITY_SPEED,
                                             .gives = WPIN_QUANTITY_EFFORT,
                                             .state = &shaft,
                                             .step = regulate_speed,
                                             .reset = begin_speed};
    bench b = fresh();
    ready_bench(&b, 0);
    ck_assert_int_eq(ask_speed(&b, 500, 1000), WPIN_REFUSED_QUANTITY);
    b = fresh();
    b.config.loop = &wpin_closed_loop;
    b.config.loop_state = &b.loop_state;
    b.config.regulators = &regulator;
    b.config.regulator_count = 1;
    b.config.sense.more = measure_shaft;
    shaft = (struct shaft){0};
    ready_bench(&b, 0);
    ck_assert_int_eq(ask_speed(&b, 500, WPIN_TIMEOUT_HELD), WPIN_OK);
    int last = 0;
    for (int ms = 0; ms < 8000; ms++) {
        if (ms == 4000) {
            ask_speed(&b, -500, WPIN_TIMEOUT_HELD);
        }
        int duty = wpin_motor_duty(&b.motor);
        ck_assert_int_le(abs(duty) - abs(last), 17); /* a second from zero to full */
        ck_assert(duty == 0 || last == 0 || (duty > 0) == (last > 0));
        last = duty;
        shaft.speed = (int16_t)(shaft.speed + (duty / 16 - shaft.speed) / 20);
        run_ms(&b, 1);
        if (ms == 3999 || ms == 7999) {
            ck_assert_int_lt(abs(shaft.speed - (ms < 4000 ? 500 : -500)), 25);
        }
    }
    ck_assert_int_eq(shaft.resets, 1); /* another set-point goes on from where it is */
}
END_TEST

START_TEST(brake_coast_and_stop_are_different_things) {
    bench b = fresh();
    ready_bench(&b, 0);
    wpin_motor_run(&b.motor, WPIN_PERCENT(80), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 900);
    wpin_motor_brake(&b.motor);
    run_ms(&b, 1);
    ck_assert(recorder_on(&b.r, BRAKE) && !recorder_on(&b.r, PWM));
    run_ms(&b, 50);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_BRAKING);
    wpin_motor_run(&b.motor, WPIN_PERCENT(80), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 1);
    ck_assert(!recorder_on(&b.r, BRAKE));
    ck_assert_int_le(wpin_motor_duty(&b.motor), 20); /* begins at zero, not at the old duty */
    run_ms(&b, 900);
    wpin_motor_coast(&b.motor);
    run_ms(&b, 1);
    ck_assert(!recorder_on(&b.r, BRAKE) && !recorder_on(&b.r, PWM));
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_COASTING);
    wpin_motor_run(&b.motor, WPIN_PERCENT(80), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 900);
    wpin_motor_stop(&b.motor, 0);
    ck_assert(recorder_on(&b.r, PWM)); /* ramps */
    run_ms(&b, 401);
    ck_assert(!recorder_on(&b.r, PWM) && !recorder_on(&b.r, BRAKE));
    wpin_motor_disarm(&b.motor); /* what is disarmed does not obey, and says so */
    ck_assert_int_eq(wpin_motor_coast(&b.motor), WPIN_REFUSED_NOT_ARMED);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
}
END_TEST

/* Random commands: the direction line moves only with the PWM off, and only after the rest. */
START_TEST(direction_never_flips_at_speed) {
    bench b = fresh();
    open_bench(&b, 0xFFFF0000);
    wpin_motor_arm(&b.motor);
    pick_seed((uint32_t)_i + 11);
    uint32_t last_on = b.r.now - 1000000;
    int driven = -1, flips = 0;
    for (int i = 0; i < 200000; i++) {
        int duty = (int)pick(2 * WPIN_DUTY_FULL + 1) - WPIN_DUTY_FULL;
        switch (pick(400)) {
        case 0:
        case 1:
        case 2:
            wpin_motor_run(&b.motor, (wpin_duty)duty, pick(2) ? 0 : pick(900000), 1 + pick(3000));
            break;
        case 3: wpin_motor_brake(&b.motor); break;
        case 4: wpin_motor_coast(&b.motor); break;
        case 5: wpin_motor_stop(&b.motor, pick(500000)); break;
        case 6: wpin_motor_disarm(&b.motor); break;
        default: wpin_motor_arm(&b.motor); break;
        }
        b.r.now += 200 + pick(2000);
        wpin_motor_tick(&b.motor);
        ck_assert(!(recorder_on(&b.r, BRAKE) && recorder_on(&b.r, PWM)));
        if (recorder_on(&b.r, PWM)) {
            if (driven >= 0 && driven != b.r.level[DIRECTION]) {
                ck_assert_uint_ge(b.r.now - last_on, b.config.guard.pause_us);
                flips++;
            }
            driven = b.r.level[DIRECTION];
            last_on = b.r.now;
        }
    }
    ck_assert_int_gt(flips, 10);
}
END_TEST

START_TEST(requests_out_of_range_are_refused_or_saturate) {
    bench b = fresh();
    b.config.guard.cap = 8192;
    ready_bench(&b, 0);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_DUTY_FULL + 1, 0, 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(&b.motor, INT16_MIN, 0, 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 1, WPIN_RAMP_MAX_US + 1, 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 1, 0, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, WPIN_RAMP_MAX_US + 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_refresh(&b.motor, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(NULL, 1, 0, 1), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_motor_arm(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert(!wpin_motor_busy(&b.motor));
    for (int i = 0; i < 300; i++) { /* streamed: saturates, counts, never wraps */
        ck_assert_int_eq(wpin_motor_run(&b.motor, -WPIN_DUTY_FULL, 0, 10000), WPIN_OK);
    }
    run_ms(&b, 2000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), -8192);
    ck_assert_uint_eq(wpin_motor_saturated(&b.motor), 15);
}
END_TEST

START_TEST(wrong_configurations_are_refused) {
    for (int i = 0; i < 10; i++) {
        bench b = fresh();
        wpin_stage_config stage = pump_stage;
        b.config = with_inputs();
        b.config.part = &b.bridge;
        recorder_init(&b.r);
        wpin_status expected = WPIN_REFUSED_RANGE;
        switch (i) {
        case 0: b.config.guard.up = 0; break;
        case 1: b.config.guard.recovery = 0, b.config.guard.current_limit = 5; break;
        case 2: b.config.guard.cap = 0; break;
        case 3: b.config.guard.cap = WPIN_DUTY_FULL + 1; break;
        case 4: b.config.guard.pause_us = WPIN_SPAN_MAX + 1U; break;
        case 5: b.config.rest_drive = WPIN_DRIVE_FORWARD, expected = WPIN_REFUSED_STATE; break;
        case 6: b.config.guard.current_trip = -1; break;
        case 7: b.config.guard.supply_low = 4000; break;
        case 8: b.r.port.millivolts = NULL, expected = WPIN_REFUSED_PORT; break;
        default:
            b.config.part_config = &stage, stage.lines = NULL, expected = WPIN_REFUSED_ARGUMENT;
        }
        wpin_status status = wpin_motor_init(&b.motor, &b.config, &b.r.port);
        ck_assert_msg(status == expected, "case %d: %s", i, wpin_status_name(status));
        ck_assert_uint_eq(b.r.count, 0); /* no pin was touched */
        ck_assert_int_ne(wpin_motor_arm(&b.motor), WPIN_OK);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("motor");
    TCase *tests = tcase_create("motor");
    tcase_add_test(tests, nothing_moves_unless_armed);
    tcase_add_test(tests, a_motor_just_opened_rests_before_it_starts);
    tcase_add_loop_test(tests, every_motion_ends_by_itself, 0, 2);
    tcase_add_test(tests, asked_times_are_kept);
    tcase_add_test(tests, running_means_arrived);
    tcase_add_test(tests, current_is_held_at_its_limit);
    tcase_add_test(tests, it_turns_the_other_way_from_standstill);
    tcase_add_test(tests, a_regulator_is_guarded_like_any_request);
    tcase_add_test(tests, brake_coast_and_stop_are_different_things);
    tcase_add_loop_test(tests, direction_never_flips_at_speed, 0, 5);
    tcase_add_test(tests, requests_out_of_range_are_refused_or_saturate);
    tcase_add_test(tests, wrong_configurations_are_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
