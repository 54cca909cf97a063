/* Times that run out, counted in microseconds without a division: 1024 us are the unit of what is
 * left, the rest is kept beside it. */
#ifndef WPIN_CORE_COUNTDOWN_H
#define WPIN_CORE_COUNTDOWN_H

#include "windpin/impl/steady.h"

/* ms x 1000 us: ms - ms x 3 / 128 whole units of 1024 us; the microseconds besides come out of the
 * product's lowest ten bits, which wrap the same way. */
static inline wpin_countdown wpin_countdown_of(uint32_t ms) {
    uint32_t part = (ms >> 8 << 1) | ((uint8_t)ms >> 7); /* ms / 128, by whole bytes */
    uint16_t rest = (uint16_t)(((ms & 127U) * 3U + 127U) >> 7);
    return (wpin_countdown){.left = ms - part - part - part - rest,
                            .us = (uint16_t)((uint16_t)ms * 1000U) & 1023U};
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
