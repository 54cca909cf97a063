/* A motor on a bridge, its port a recorder. */
#ifndef WPIN_TESTS_SUPPORT_MOTOR_H
#define WPIN_TESTS_SUPPORT_MOTOR_H

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

static inline void open_bench(bench *b, wpin_moment start) {
    recorder_init(&b->r);
    b->r.now = start;
    b->config.part = &b->bridge;
    ck_assert_int_eq(wpin_motor_init(&b->motor, &b->config, &b->r.port), WPIN_OK);
}

static inline void run_ms(bench *b, int ms) {
    for (int i = 0; i < ms; i++) {
        b->r.now += TICK_US;
        wpin_motor_tick(&b->motor);
    }
}

/* Open, armed and rested. */
static inline void ready_bench(bench *b, wpin_moment start) {
    open_bench(b, start);
    ck_assert_int_eq(wpin_motor_arm(&b->motor), WPIN_OK);
    run_ms(b, 201);
    ck_assert_int_eq(wpin_motor_state(&b->motor), WPIN_STATE_READY);
}

static inline bench fresh(void) {
    return (bench){.config = pump_config(NULL)};
}

static inline wpin_motor_config with_inputs(void) {
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

#endif
