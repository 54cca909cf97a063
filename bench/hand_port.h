/* What the loops by hand stand on: hardware that costs next to nothing, and chance. */
#ifndef WPIN_BENCH_HAND_PORT_H
#define WPIN_BENCH_HAND_PORT_H

#include "tick.h"
#if defined(__AVR__)
#include <avr/interrupt.h>
#include <avr/io.h>
#endif

static volatile uint32_t clock_us;
static volatile uint16_t shown;

static inline uint32_t hw_now(void) {
    return clock_us;
}

static inline void hw_pwm(uint16_t duty) {
    shown = duty;
}

static inline void hw_lines(uint8_t state) {
    shown = state;
}

static inline void hw_dead_time(void) {
    clock_us += 2;
}

static inline uint8_t hw_lock(void) {
#if defined(__AVR__)
    uint8_t state = SREG;
    cli();
    return state;
#else
    return 0;
#endif
}

static inline void hw_unlock(uint8_t state) {
#if defined(__AVR__)
    SREG = state;
#else
    (void)state;
#endif
}

static uint16_t random_state;

static uint16_t pick(uint16_t range) {
    random_state ^= (uint16_t)(random_state << 7);
    random_state ^= (uint16_t)(random_state >> 9);
    random_state ^= (uint16_t)(random_state << 8);
    return (uint16_t)(random_state % range);
}

#endif
