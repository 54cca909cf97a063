/* The rules at the end of the path: arming, life, reversal, limits, faults. */
#include "support.h"
#include <math.h>
#include <stdlib.h>

enum { DIRECTION = 4, BRAKE = 7, PWM = 9, TICK_US = 1000 };

typedef struct bench {
    recorder r;
    wpin_motor_config config;
    wpin_stage bridge;
    wpin_motor motor;
    wpin_loop_state loop_state;
} bench;

static void open_bench(bench *b, wpin_moment start) {
    recorder_init(&b->r);
    b->r.now = start;
    b->config.part = &b->bridge;
    ck_assert_int_eq(wpin_motor_init(&b->motor, &b->config, &b->r.port), WPIN_OK);
}

static void run_ms(bench *b, int ms) {
    for (int i = 0; i < ms; i++) {
        b->r.now += TICK_US;
        wpin_motor_tick(&b->motor);
    }
}

/* Open, armed and rested. */
static void ready_bench(bench *b, wpin_moment start) {
    open_bench(b, start);
    ck_assert_int_eq(wpin_motor_arm(&b->motor), WPIN_OK);
    run_ms(b, 201);
    ck_assert_int_eq(wpin_motor_state(&b->motor), WPIN_STATE_READY);
}

static bench fresh(void) {
    return (bench){.config = pump_config(NULL)};
}

static wpin_motor_config with_inputs(void) {
    wpin_motor_config config = pump_config(NULL);
    config.sense = (wpin_sense_config){.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY,
                                       .current_input = 0,
                                       .current_zero_mv = 100,
                                       .current_mv_per_a = 400,
                                       .supply_input = 1};
    config.guard.current_trip = WPIN_CURRENT_MV(5000, 400);
    config.guard.trip_us = 20000;
    config.guard.supply_low = WPIN_SUPPLY_MV(10000, 250);
    config.guard.supply_high = WPIN_SUPPLY_MV(15000, 250);
    return config;
}

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

static int32_t regulate_speed(void *state, int32_t setpoint, const wpin_measurement *m,
                              const wpin_given *given) {
    struct shaft *s = state;
    int32_t error = setpoint - m->speed;
    s->sum += given->held != 0 && given->held != WPIN_HELD_SETTLING ? 0 : error;
    return error * 4 + s->sum / 8;
}

static void begin_speed(void *state, const wpin_measurement *m, const wpin_given *given) {
    struct shaft *s = state;
    (void)m, (void)given;
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

START_TEST(requests_below_the_start_duty_follow_the_policy) {
    static const struct {
        wpin_below_start below;
        int duty;
        wpin_status status;
        int shown;
    } rows[] = {
        {WPIN_BELOW_ALLOW, 500, WPIN_OK, 500},
        {WPIN_BELOW_REFUSE, 500, WPIN_REFUSED_BELOW_START, 0},
        {WPIN_BELOW_REFUSE, -3000, WPIN_OK, -3000},
        {WPIN_BELOW_LIFT, 500, WPIN_OK, 3000},
        {WPIN_BELOW_LIFT, -500, WPIN_OK, -3000},
        {WPIN_BELOW_LIFT, 5000, WPIN_OK, 5000},
        {WPIN_BELOW_KICK, 2500, WPIN_OK, 2500},
        {WPIN_BELOW_KICK, 1500, WPIN_REFUSED_BELOW_START, 0},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b = fresh();
        b.config.start = (wpin_start_config){.start_duty = 3000,
                                             .drop_out_duty = 2000,
                                             .below = (uint8_t)rows[i].below,
                                             .kick_duty = 9000,
                                             .kick_us = 50000};
        ready_bench(&b, 0);
        ck_assert_int_eq(wpin_motor_run(&b.motor, (wpin_duty)rows[i].duty, 0, 10000),
                         rows[i].status);
        run_ms(&b, 2000);
        ck_assert_int_eq(wpin_motor_duty(&b.motor), rows[i].shown);
        ck_assert_uint_eq(wpin_motor_lifted(&b.motor),
                          rows[i].below == WPIN_BELOW_LIFT && abs(rows[i].duty) < 3000);
    }
}
END_TEST

START_TEST(a_kick_comes_at_every_start_and_ends) {
    bench b = fresh();
    b.config.start = (wpin_start_config){.kick_duty = 9000, .kick_us = 80000};
    b.config.guard.cap = 8000;
    ready_bench(&b, 0xFFFFFFFF - 230000);
    wpin_motor_run(&b.motor, 1638, 0, WPIN_TIMEOUT_HELD); /* ramps there in 100 ms */
    run_ms(&b, 2);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 8000); /* the kick, within the cap */
    run_ms(&b, 82);
    ck_assert_int_lt(wpin_motor_duty(&b.motor), 1500); /* and on along the ramp */
    run_ms(&b, 100);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 1638);
    wpin_motor_run(&b.motor, -1638, 0, WPIN_TIMEOUT_HELD); /* after a reversal too */
    run_ms(&b, 50 + 200 + 20);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), -8000);
    wpin_motor_end_kick(&b.motor); /* the first pulses have come */
    run_ms(&b, 1);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), -1000);
    wpin_motor_brake(&b.motor);
    run_ms(&b, 10);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    wpin_motor_run(&b.motor, -163, 0, WPIN_TIMEOUT_HELD); /* ramps there in 10 ms */
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), -8000);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RAMPING); /* not yet as asked */
    wpin_motor_stop(&b.motor, 0); /* a stop ends the kick at once */
    run_ms(&b, 1);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), -300);
    static const wpin_start_config wrong[] = {{.start_duty = 16385},
                                              {.start_duty = 100, .drop_out_duty = 200},
                                              {.kick_duty = 100, .kick_us = 3000000},
                                              {.below = WPIN_BELOW_KICK}};
    for (int i = 0; i < 4; i++) {
        bench w = fresh();
        w.config.start = wrong[i];
        w.config.part = &w.bridge;
        recorder_init(&w.r);
        ck_assert_int_eq(wpin_motor_init(&w.motor, &w.config, &w.r.port), WPIN_REFUSED_RANGE);
    }
}
END_TEST

START_TEST(an_on_off_stage_keeps_its_least_times) {
    static const wpin_line coil[] = {{.pin = 5}};
    static const wpin_stage_config relay = {.table = &wpin_table_relay, .lines = coil};
    bench b = fresh();
    b.config.part_config = &relay;
    b.config.guard.minimum_us = 300000;
    ready_bench(&b, 0xFFFFFFFF - 900000); /* across the wrap */
    ck_assert_int_eq(wpin_motor_run(&b.motor, 8000, 0, 1000), WPIN_REFUSED_ON_OFF);
    uint32_t changed = b.r.now - 1000000;
    bool was_on = false;
    unsigned operations = 0;
    pick_seed(3);
    for (int ms = 0; ms < 20000; ms++) { /* a hand that flips it about */
        if (pick(40) == 0) {
            if (pick(2)) {
                wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
            } else {
                wpin_motor_stop(&b.motor, 0);
            }
        }
        run_ms(&b, 1);
        bool on = recorder_on(&b.r, 5);
        if (on != was_on) {
            ck_assert_uint_ge(b.r.now - changed, 299000);
            changed = b.r.now;
            operations += on;
        }
        was_on = on;
    }
    ck_assert_uint_gt(operations, 10);
    ck_assert_uint_eq(wpin_motor_operations(&b.motor), operations);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 700);
    wpin_motor_stop(&b.motor, 0);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 700);
    ck_assert(recorder_on(&b.r, 5));
    wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL); /* a fault waits for nothing */
    ck_assert(!recorder_on(&b.r, 5));
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE); /* not latched yet */
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 290);
    ck_assert(!recorder_on(&b.r, 5)); /* but what follows it does */
    run_ms(&b, 20);
    ck_assert(recorder_on(&b.r, 5));
    operations = wpin_motor_operations(&b.motor);
    wpin_motor_close(&b.motor);
    ck_assert_uint_eq(wpin_motor_operations(&b.motor), operations); /* for a report at the end */
}
END_TEST

/* A time-out counts from the request, not from the tick before it or after it. */
START_TEST(time_outs_count_from_the_request) {
    for (int idle_ms = 0; idle_ms < 40; idle_ms += 13) {
        bench b = fresh();
        ready_bench(&b, 0xFFFFFFFF - 700000);
        b.r.now += (uint32_t)idle_ms * 1000;
        wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 1000);
        run_ms(&b, 999);
        ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_NOT);
        run_ms(&b, 2);
        ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    }
}
END_TEST

/* It would be over before it may move: better told than silently nothing. */
START_TEST(a_run_shorter_than_the_pause_before_it_is_refused) {
    bench b = fresh();
    open_bench(&b, 0);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 100), WPIN_REFUSED_PAUSE);
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 100), WPIN_OK);
    run_ms(&b, 50);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 100), WPIN_REFUSED_PAUSE);
    run_ms(&b, 20);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), 0);
}
END_TEST

/* A refused init leaves nothing that could move; the init of a turning motor, refused or not, first
 * turns it off, in the safe order, and forgets no fault. */
START_TEST(opening_again_is_safe_too) {
    for (int good = 0; good < 2; good++) {
        bench b = fresh();
        ready_bench(&b, 0);
        wpin_motor_run(&b.motor, WPIN_PERCENT(-60), 0, WPIN_TIMEOUT_HELD);
        run_ms(&b, 900);
        ck_assert(recorder_on(&b.r, PWM));
        b.r.count = 0;
        wpin_motor_config wrong = b.config;
        wrong.guard.cap = 0;
        const wpin_motor_config *next = good ? &b.config : &wrong;
        ck_assert_int_eq(wpin_motor_init(&b.motor, next, &b.r.port),
                         good ? WPIN_OK : WPIN_REFUSED_RANGE);
        ck_assert_int_eq(b.r.records[0].pin, PWM); /* before direction or brake move */
        ck_assert(!recorder_on(&b.r, PWM));
        run_ms(&b, 10);
        ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 1000),
                         good ? WPIN_REFUSED_NOT_ARMED : WPIN_REFUSED_CLOSED);
        if (!good) {
            ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_CLOSED);
            ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK); /* it does stand */
            continue;
        }
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        ck_assert_int_eq(wpin_motor_init(&b.motor, next, &b.r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_EXTERNAL);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    }
}
END_TEST

/* A hoist is held by its brake while armed and free otherwise, and the other way round. */
START_TEST(rest_and_safe_state_may_differ) {
    for (int hoist = 0; hoist < 2; hoist++) {
        bench b = fresh();
        b.config.rest_drive = hoist ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST;
        b.config.safe_drive = hoist ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE;
        open_bench(&b, 0);
        ck_assert(recorder_on(&b.r, BRAKE) == !hoist);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        run_ms(&b, 201);
        ck_assert(recorder_on(&b.r, BRAKE) == hoist);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
        wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 300);
        run_ms(&b, 1000);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
        ck_assert(recorder_on(&b.r, BRAKE) == hoist);
        wpin_motor_disarm(&b.motor);
        run_ms(&b, 1);
        ck_assert(recorder_on(&b.r, BRAKE) == !hoist);
        ck_assert_int_ne(wpin_motor_coast(&b.motor), WPIN_OK); /* it would be no truth if braked */
    }
}
END_TEST

START_TEST(limit_switches_end_motion_one_way_only) {
    enum { OPEN = 20, SHUT = 21 };
    bench b = fresh();
    b.config.sense.limit_forward = (wpin_limit){.used = true, .pin = OPEN};
    b.config.sense.limit_reverse = (wpin_limit){.used = true, .pin = SHUT, .high = true};
    recorder_init(&b.r);
    b.config.part = &b.bridge;
    b.r.input[OPEN] = true; /* reads low at its limit; the other one high */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 201);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_OK);
    run_ms(&b, 1000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(60));
    b.r.input[OPEN] = false; /* the first contact counts ... */
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert(wpin_motor_ended(&b.motor) == WPIN_ENDED_LIMIT && !wpin_motor_busy(&b.motor));
    b.r.input[OPEN] = true; /* ... whatever it does then */
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    b.r.input[OPEN] = false;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_REFUSED_LIMIT);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(-60), 0, 20000), WPIN_OK);
    run_ms(&b, 1000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(-60));
    /* the way back asked for while it still runs to the limit is kept */
    b.r.input[OPEN] = true;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_OK);
    b.r.input[SHUT] = true;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 1300);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(60));
    b.r.port.read = NULL; /* no eyes, no limit: refused */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_REFUSED_PORT);
}
END_TEST

/* Two seconds in all; time off gives it back as fast as it was used, a short break next to nothing.
 */
START_TEST(on_for_too_long_in_all_is_a_fault) {
    for (int round = 0; round < 3; round++) {
        static const struct {
            int on_ms, off_ms, rounds;
            wpin_status after;
        } rows[] = {{1900, 2600, 4, WPIN_OK},
                    {700, 3, 3, WPIN_FAULT_ON_TIME},
                    {2100, 0, 1, WPIN_FAULT_ON_TIME}};
        bench b = fresh();
        b.config.guard.on_time_max_us = 2000000;
        b.config.guard.down = WPIN_SLEW_US(1);
        ready_bench(&b, 0);
        ck_assert_int_eq(wpin_motor_last_direction(&b.motor), 0);
        for (int n = 0; n < rows[round].rounds; n++) {
            wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
            run_ms(&b, rows[round].on_ms);
            wpin_motor_stop(&b.motor, 0);
            run_ms(&b, rows[round].off_ms + 1);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), rows[round].after);
        ck_assert_int_eq(wpin_motor_last_direction(&b.motor), 1);
        ck_assert(!recorder_on(&b.r, PWM));
    }
}
END_TEST

/* How long the first move after a fault lasts, asked for `asked_ms` and kept up until `kept_ms`. */
static const struct {
    uint32_t asked_ms;
    unsigned kept_ms, lasts_ms;
} firsts[] = {
    {250, 0, 250}, {250, 600, 850}, {250, 9000, 2000}, {9000, 0, 2000}, {250, 1900, 2000}};

START_TEST(the_first_move_after_a_fault_is_kept_up_and_short) {
    bench b = {.config = with_inputs()};
    open_bench(&b, 0);
    b.r.millivolts[0] = 100;
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, firsts[_i].asked_ms), WPIN_OK);
    unsigned ms = 0;
    for (; ms < 5000 && wpin_motor_ended(&b.motor) == WPIN_ENDED_NOT; ms++) {
        if (ms < firsts[_i].kept_ms) {
            wpin_motor_refresh(&b.motor, firsts[_i].asked_ms);
        }
        run_ms(&b, 1);
    }
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    ck_assert_msg(abs((int)ms - (int)firsts[_i].lasts_ms) <= 6, "%u ms", ms);
}
END_TEST

/* After what heats, and only then, a fault stays for its cool-down: a clock that leaps, a trip that
 * comes again, refused calls and a motor opened anew do not shorten it. */
static const struct {
    wpin_status cause;
    bool cools;
} cooling[] = {{WPIN_FAULT_OVERCURRENT, true}, {WPIN_FAULT_STALLED, true},
               {WPIN_FAULT_NO_MOTION, true},   {WPIN_FAULT_EXTERNAL, false},
               {WPIN_FAULT_SUPPLY_LOW, false}, {WPIN_FAULT_OVERLOAD, false}};

START_TEST(what_was_held_cools_down_first) {
    bench b = fresh();
    b.config.guard.cool_s = 3;
    ready_bench(&b, 0xFFFFF000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 500);
    wpin_motor_trip(&b.motor, cooling[_i].cause);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), cooling[_i].cause);
    if (!cooling[_i].cools) {
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
        return;
    }
    b.r.now += 60000000; /* a leap counts as the longest tick */
    wpin_motor_tick(&b.motor);
    b.r.now -= 1000000; /* and one back as none */
    wpin_motor_tick(&b.motor);
    for (int ms = 0; ms < 2940; ms++) {
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
        wpin_motor_refresh(&b.motor, 1);
        wpin_motor_stop(&b.motor, 0);
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        run_ms(&b, 1);
        ck_assert(!recorder_on(&b.r, PWM));
    }
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(80), 0, 5000), WPIN_OK);
    run_ms(&b, 1900);
    ck_assert_int_le(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL / 2 + 1); /* the first move */
}
END_TEST

START_TEST(opened_anew_it_cools_from_the_begin) {
    bench b = fresh();
    b.config.guard.cool_s = 1;
    ready_bench(&b, 0);
    wpin_motor_trip(&b.motor, WPIN_FAULT_STALLED);
    run_ms(&b, 900);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_STALLED);
    run_ms(&b, 990);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
}
END_TEST

START_TEST(faults_latch_until_cause_and_request_are_gone) {
    bench b = {.config = with_inputs()};
    open_bench(&b, 0);
    b.r.millivolts[0] = 100;
    b.r.millivolts[1] = 0;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_FAULT_SUPPLY_LOW);
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 1000);
    b.r.millivolts[0] = 100 + 5200 * 400 / 1000; /* 5.2 A, but not for long */
    run_ms(&b, 19);
    b.r.millivolts[0] = 100;
    run_ms(&b, 5);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.r.millivolts[0] = 100 + 5200 * 400 / 1000;
    run_ms(&b, 22);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_OVERCURRENT);
    ck_assert(!recorder_on(&b.r, PWM));
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_FAULT);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 5000, 0, 1000), WPIN_REFUSED_FAULTED);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
    b.r.millivolts[0] = 100;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_NO_FAULT);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_OFF); /* and is not armed again */
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    b.r.millivolts[1] = 4000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SUPPLY_HIGH);
    wpin_motor_trip(&b.motor, WPIN_FAULT_OVERCURRENT); /* the first cause stays */
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SUPPLY_HIGH);
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    wpin_motor_trip(&b.motor, WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_EXTERNAL);
}
END_TEST

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
    Suite *suite = suite_create("motor");
    TCase *tests = tcase_create("motor");
    tcase_add_test(tests, nothing_moves_unless_armed);
    tcase_add_test(tests, a_motor_just_opened_rests_before_it_starts);
    tcase_add_loop_test(tests, every_motion_ends_by_itself, 0, 2);
    tcase_add_test(tests, asked_times_are_kept);
    tcase_add_test(tests, running_means_arrived);
    tcase_add_test(tests, time_outs_count_from_the_request);
    tcase_add_test(tests, a_run_shorter_than_the_pause_before_it_is_refused);
    tcase_add_test(tests, opening_again_is_safe_too);
    tcase_add_test(tests, rest_and_safe_state_may_differ);
    tcase_add_test(tests, current_is_held_at_its_limit);
    tcase_add_test(tests, it_turns_the_other_way_from_standstill);
    tcase_add_test(tests, a_regulator_is_guarded_like_any_request);
    tcase_add_test(tests, brake_coast_and_stop_are_different_things);
    tcase_add_loop_test(tests, direction_never_flips_at_speed, 0, 5);
    tcase_add_test(tests, requests_out_of_range_are_refused_or_saturate);
    tcase_add_test(tests, wrong_configurations_are_refused);
    tcase_add_test(tests, requests_below_the_start_duty_follow_the_policy);
    tcase_add_test(tests, a_kick_comes_at_every_start_and_ends);
    tcase_add_test(tests, an_on_off_stage_keeps_its_least_times);
    tcase_add_test(tests, limit_switches_end_motion_one_way_only);
    tcase_add_test(tests, on_for_too_long_in_all_is_a_fault);
    tcase_add_test(tests, pulses_are_never_cut);
    tcase_add_test(tests, pulses_are_taught_for_a_while_only);
    tcase_add_test(tests, faults_latch_until_cause_and_request_are_gone);
    tcase_add_loop_test(tests, the_first_move_after_a_fault_is_kept_up_and_short, 0,
                        sizeof firsts / sizeof *firsts);
    tcase_add_loop_test(tests, what_was_held_cools_down_first, 0, sizeof cooling / sizeof *cooling);
    tcase_add_test(tests, opened_anew_it_cools_from_the_begin);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
