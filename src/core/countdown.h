/* Times that run out, in milliseconds and the microseconds besides, counted without a division. */
#ifndef WPIN_CORE_COUNTDOWN_H
#define WPIN_CORE_COUNTDOWN_H

#include "windpin/impl/steady.h"

static inline void wpin_set_countdown(wpin_countdown *c, uint32_t ms) {
    c->ms = ms;
    c->us = 0;
}

static inline bool wpin_run_out(const wpin_countdown *c) {
    return c->ms == 0 && c->us == 0;
}

/* Takes us off, however many; true once nothing is left. 65536 us are 65 ms and 536 us. */
static inline bool wpin_count_down(wpin_countdown *c, uint32_t us) {
    uint32_t ms = 0;
    for (uint16_t high; (high = (uint16_t)(us >> 16)) != 0;) {
        ms += (uint32_t)high * 65U;
        us = (uint16_t)us + (uint32_t)high * 536U;
    }
    uint8_t rest_ms = wpin_rare_whole_ms((uint16_t)us);
    return wpin_steady_count_off(c, ms + rest_ms, (uint16_t)(us - rest_ms * 1000U));
}

/* From one moment to another, 0 when it would be negative: the clock stood or ran back. */
static inline uint32_t wpin_elapsed(wpin_moment from, wpin_moment to) {
    uint32_t us = to - from;
    return us > WPIN_SPAN_MAX ? 0 : us;
}

#endif
