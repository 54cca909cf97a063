/* A stepper as a motor on a recording port, ticked every 100 us. */
#ifndef WPIN_TESTS_SUPPORT_STEPPER_H
#define WPIN_TESTS_SUPPORT_STEPPER_H

#include "support.h"
#include <math.h>
#include <stdlib.h>

static const wpin_line coil_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 3}};
static const wpin_stage_config coils = {
    .table = &wpin_table_stepper, .lines = coil_lines, .dead_time_us = 1};

typedef struct bench {
    recorder r;
    wpin_stepper_config config;
    wpin_stepper stepper;
    wpin_motor_config motor_config;
    wpin_motor motor;
    int64_t aim; /* where the moves so far lead */
    int fast;    /* ticks since the motor's */
} bench;

static inline bench fresh(void) {
    return (bench){.config = {.stage = &coils,
                              .steps_per_rev = 200,
                              .start_rate = 100,
                              .top_rate = 800,
                              .acceleration = 2000}};
}

static inline void open_bench(bench *b) {
    recorder_init(&b->r);
    b->r.now = 0xFFFFFFFF - 300000;
    b->r.pair_count = 2;
    b->r.high_pairs[0][1] = 1, b->r.high_pairs[1][0] = 2, b->r.high_pairs[1][1] = 3;
    b->motor_config =
        (wpin_motor_config){WPIN_ON_STEPPER(&b->stepper, &b->config), .guard = WPIN_STEPPER_GUARD,
                            .rest_drive = WPIN_DRIVE_BRAKE};
    ck_assert_int_eq(wpin_motor_init(&b->motor, &b->motor_config, &b->r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b->motor), WPIN_OK);
    ck_assert(!recorder_on(&b->r, 0) && !recorder_on(&b->r, 2));
}

/* A tenth of a millisecond: the fast tick, and every tenth time the motor's. */
static inline void step_on(bench *b) {
    b->r.now += 100;
    if (b->fast++ % 10 == 0) {
        wpin_motor_tick(&b->motor);
    }
    wpin_stepper_tick(&b->stepper);
}

static inline wpin_status move(bench *b, int32_t steps) {
    b->aim += steps;
    wpin_setpoint to = {.quantity = WPIN_QUANTITY_POSITION, .value = (int32_t)b->aim};
    return wpin_motor_request(&b->motor, to, 0, WPIN_TIMEOUT_HELD);
}

static inline wpin_status turn(bench *b, int32_t millidegrees) {
    return wpin_motor_turn(&b->motor, millidegrees, WPIN_TIMEOUT_HELD);
}

/* Where the coils point, in eighths, -1 when off. */
static inline int pointing(const recorder *r) {
    static const int of[16] = {-1, 0, 4, -1, 2, 1, 3, -1, 6, 7, 5, -1, -1, -1, -1, -1};
    int bits = 0;
    for (int pin = 0; pin < 4; pin++) {
        bits |= recorder_on(r, (wpin_pin)pin) << pin;
    }
    return of[bits];
}

/* Ticks until it rests; how far the coils went, in half steps; checks each step and the slew. */
static inline int run(bench *b, double *seconds) {
    int at = pointing(&b->r), moved = 0, last_way = 0;
    double last_step = -1, last_rate = 0, time = 0;
    for (int i = 0; i < 2000000 && wpin_motor_busy(&b->motor); i++) {
        time += 100e-6;
        step_on(b);
        int now = pointing(&b->r);
        if (now >= 0 && at >= 0 && now != at) {
            int step = (now - at + 12) % 8 - 4;
            ck_assert_int_eq(abs(step), b->config.half_steps ? 1 : 2);
            moved += step;
            double rate = last_step < 0 ? 0 : 1 / (time - last_step);
            ck_assert_double_le(rate, b->config.top_rate * 1.1);
            bool turned = step * last_way < 0; /* through rest: its first interval tells nothing */
            last_rate = turned ? 0 : last_rate;
            last_way = step;
            if (last_rate > 0) { /* no jump of the rate beyond what the ramp allows, and rounding */
                double most =
                    b->config.acceleration * (time - last_step) * 1.6 + rate * rate * 2e-4;
                ck_assert_msg(fabs(rate - last_rate) <= most + 15, "at %g s: %g to %g steps/s",
                              time, last_rate, rate);
            }
            last_rate = turned ? 0 : rate;
            last_step = time;
        }
        at = now >= 0 ? now : at;
    }
    ck_assert(!wpin_motor_busy(&b->motor));
    ck_assert_uint_eq(b->r.shoot_through, 0);
    *seconds = time;
    return moved;
}

#endif
