/* What the engine of a stage shares with its opening. */
#ifndef WPIN_CORE_STAGE_CORE_H
#define WPIN_CORE_STAGE_CORE_H

#include "stage_bits.h"
#include "windpin/impl/steady_stage.h"

static inline bool wpin_stage_is_open(const wpin_stage *stage) {
    bool open = stage != NULL && (stage->flags & WPIN_STAGE_OPEN) != 0;
#ifdef WPIN_ONE_MOTOR
    return open;
#else
    return open && stage->config != NULL && stage->port != NULL;
#endif
}

static inline void wpin_keep_first(wpin_status *status, wpin_status next) {
    if (*status == WPIN_OK) {
        *status = next;
    }
}

/* A shared line goes low only when no stage needs it high; this one says what it wants. */
uint8_t wpin_stage_agreed_levels(const wpin_stage *stage, uint8_t mask, uint8_t high);

/* Writes the duty to every timed line of a row. Under the lock. */
wpin_status wpin_stage_write_duty(const wpin_stage *stage, const WPIN_FAR wpin_row *row,
                                  uint16_t duty);

/* wpin_stage_commutate under the lock, which it lets go; before, it opens it while it plans, and
 * while a leg turns. */
wpin_status wpin_stage_commutate_locked(wpin_stage *stage, uint8_t sector, uint8_t locked);
/* wpin_stage_legs of an open stage with duties in range. */
wpin_status wpin_stage_show_legs(wpin_stage *stage, const uint16_t duties[3]);

#endif
