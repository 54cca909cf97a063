/* What the measured motors' port reads, and its lock: a real one where there are interrupts. For
 * tick.c alone. */
#ifndef WPIN_BENCH_TICK_PORT_H
#define WPIN_BENCH_TICK_PORT_H

#include "idle_port.h"
#include "tick.h"
#if defined(__AVR__)
#include <avr/interrupt.h>
#include <avr/io.h>
#endif

/* Volatile, or the compiler would know that nothing trips. */
static volatile int16_t sensed_mv, supply_mv;

/* What the Hall sensors show in each sector. */
static const uint8_t codes[6] = {5, 1, 3, 2, 6, 4};
static uint8_t rotor_sector;

/* What the comparators show of a rotor that takes eight PWM periods for a sector. */
static uint8_t eighths, shown_above;

static inline void turn_rotor(void) {
    static const uint8_t above[12] = {5, 1, 1, 3, 3, 2, 2, 6, 6, 4, 4, 5}; /* by half sectors */
    eighths = eighths == 47 ? 0 : (uint8_t)(eighths + 1);
    shown_above = above[eighths >> 2];
}

static bool samples;

static bool read_pin(void *context, wpin_pin pin) {
    (void)context;
    if (BENCH_LOOPS && samples) {
        return (shown_above >> (pin - 14) & 1) != 0;
    }
    return (codes[rotor_sector] >> (pin - 14) & 1) != 0;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    return input == 0 ? sensed_mv : supply_mv;
}

/* A shaft that comes to the duty within some 64 ticks: counts in 1/256, with the moment of the
 * last.
 */
static uint32_t place, turns;

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    (void)context, (void)counter;
    to->counts = (int32_t)(place >> 8);
    to->at = clock_us - 300 - (place & 255);
    return WPIN_OK;
}

static wpin_status group_open(void *context, const wpin_pin *pins, uint8_t count, uint8_t *group) {
    (void)context, (void)pins, (void)count;
    *group = 0;
    return WPIN_OK;
}

#if defined(__AVR__) && BENCH_CLOSED
uint16_t bench_closed;
static uint16_t locked_at;
static uint8_t locks;
#endif

static uint8_t lock(void *context) {
    (void)context;
#if defined(__AVR__)
    uint8_t state = SREG;
    cli();
#if BENCH_CLOSED
    if (locks++ == 0) {
        locked_at = TCNT1;
    }
#endif
    return state;
#else
    return 0;
#endif
}

static void unlock(void *context, uint8_t state) {
    (void)context, (void)state;
#if defined(__AVR__)
#if BENCH_CLOSED
    uint16_t closed = (uint16_t)(TCNT1 - locked_at);
    if (--locks == 0 && closed > bench_closed) {
        bench_closed = closed;
    }
#endif
    SREG = state;
#endif
}

#endif
