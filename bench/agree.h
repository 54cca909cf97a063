/* What agree.c and agree_loop.c share: a clock, pins that both show, chance. */
#ifndef WPIN_BENCH_AGREE_H
#define WPIN_BENCH_AGREE_H

#include <stdio.h>
#include <stdlib.h>
#include <windpin/windpin.h>

static uint32_t clock_us;

/* What each of the two shows. */
typedef struct pins {
    uint16_t duty;
    bool direction, brake;
} pins;
static pins of_core, of_hand;

static bool same_pins(void) {
    return of_core.duty == of_hand.duty && of_core.direction == of_hand.direction &&
           of_core.brake == of_hand.brake;
}

/* ---- the hardware of the loop by hand ---- */

static uint32_t hw_now(void) {
    return clock_us;
}

static void hw_pwm(uint16_t duty) {
    of_hand.duty = duty;
}

static void hw_lines(unsigned state);

static void hw_dead_time(void) {}

static uint8_t hw_lock(void) {
    return 0;
}

static void hw_unlock(uint8_t state) {
    (void)state;
}

/* ---- the same for the core ---- */

enum { DIRECTION = 4, BRAKE = 7, PWM = 9 };

static wpin_moment now(void *context) {
    (void)context;
    return clock_us;
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    bool high = level == WPIN_HIGH;
    of_core.duty = pin == PWM ? (high ? 16384 : 0) : of_core.duty;
    of_core.direction = pin == DIRECTION ? high : of_core.direction;
    of_core.brake = pin == BRAKE ? high : of_core.brake;
    return WPIN_OK;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin;
    of_core.duty = duty;
    return WPIN_OK;
}

static void pause_us(void *context, uint32_t us) {
    (void)context, (void)us;
}

/* ---- what happens ---- */

static uint32_t seed = 1;

static uint32_t pick(uint32_t range) {
    seed = seed * 1664525U + 1013904223U;
    return (seed >> 8) % range;
}

/* A control period; one in so many is none, late, or a step back. */
static uint32_t pass_of_clock(uint32_t rarely) {
    uint32_t us = 900 + pick(200);
    switch (pick(rarely)) {
    case 0: us = 0; break;
    case 1: us = 60000 + pick(200000); break;
    case 2: us = 0U - pick(100); break;
    default: break;
    }
    clock_us += us;
    return us;
}

#endif
