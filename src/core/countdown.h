/* Times that run out, counted in microseconds without a division: 1024 us are the unit of what is
 * left, the rest is kept beside it. */
#ifndef WPIN_CORE_COUNTDOWN_H
#define WPIN_CORE_COUNTDOWN_H

#include "windpin/impl/steady.h"

/* Whole units in so many ms, of 1000 us: ms - ms x 3 / 128, rounded down. */
static inline uint16_t wpin_units_of_16(uint16_t ms) {
    uint16_t part = ms >> 7, rest = (uint16_t)(((ms & 127U) * 3U + 127U) >> 7);
    return (uint16_t)(ms - part - part - part - rest);
}

/* By halves, which 8 bits shift fast. */
static inline uint32_t wpin_units_of(uint32_t ms) {
    uint16_t low = (uint16_t)ms, high = (uint16_t)(ms >> 16);
    if (high == 0) {
        return wpin_units_of_16(low);
    }
    uint32_t part = ((uint32_t)(uint16_t)(high >> 7) << 16) | (uint16_t)(low >> 7 | high << 9);
    uint8_t rest = (uint8_t)(((low & 127U) * 3U + 127U) >> 7);
    return ms - part - part - part - rest;
}

/* The microseconds besides come out of the product's lowest ten bits, which wrap the same way. */
static inline void wpin_set_countdown(wpin_countdown *c, uint32_t ms) {
    c->left = wpin_units_of(ms);
    c->us = (uint16_t)((uint16_t)ms * 1000U) & 1023U;
}

static inline bool wpin_run_out(const wpin_countdown *c) {
    return c->left == 0 && c->us == 0;
}

/* Takes us off; true once nothing is left. */
static inline bool wpin_count_down(wpin_countdown *c, uint32_t us) {
    return wpin_steady_count_down(c, us >> 10, us & 1023U);
}

/* From one moment to another, 0 when it would be negative: the clock stood or ran back. */
static inline uint32_t wpin_elapsed(wpin_moment from, wpin_moment to) {
    uint32_t us = to - from;
    return us > WPIN_SPAN_MAX ? 0 : us;
}

#endif
