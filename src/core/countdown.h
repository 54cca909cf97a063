/* Counting milliseconds down from microsecond differences, losing none. */
#ifndef WPIN_CORE_COUNTDOWN_H
#define WPIN_CORE_COUNTDOWN_H

#include <stdbool.h>
#include <stdint.h>

/* Takes dt_us off *ms; *us holds what does not make a millisecond yet. True once *ms is 0. */
static inline bool wpin_count_down(uint32_t *ms, uint16_t *us, uint32_t dt_us) {
    uint32_t ripe = dt_us + *us;
    uint32_t whole = 0;
    if (ripe < 8000) { /* the usual tick: cheaper than a division on an 8-bit controller */
        while (ripe >= 1000) {
            ripe -= 1000;
            whole++;
        }
    } else {
        whole = ripe / 1000;
        ripe -= whole * 1000;
    }
    *us = (uint16_t)ripe;
    *ms = whole >= *ms ? 0 : *ms - whole;
    return *ms == 0;
}

#endif
