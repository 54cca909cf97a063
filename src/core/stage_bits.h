/* Reading rows and legs of a truth table: shared by the engine and the checker. */
#ifndef WPIN_CORE_STAGE_BITS_H
#define WPIN_CORE_STAGE_BITS_H

#include "windpin/impl/inline.h"
#include "windpin/stage.h"

static inline uint8_t wpin_bit(uint8_t line) {
    return (uint8_t)(1U << (line & 7U));
}

/* The row lines are opened in: coast, or brake where there is no coast. */
uint8_t wpin_row_safe(const WPIN_FAR wpin_stage_table *table);

/* What lines carry in any row of the table: every mask is the or of that of all rows. */
wpin_row wpin_rows_all(const WPIN_FAR wpin_stage_table *table);

/* ---- what a core for one motor knows of its table when it is compiled ---- */

#ifdef WPIN_ONE_MOTOR
#define WPIN_ROW_HAS(n, what) (n < table->row_count ? table->rows[n].what : 0)
#define WPIN_ROWS_HAVE(what)                                                                       \
    (uint8_t)(WPIN_ROW_HAS(0, what) | WPIN_ROW_HAS(1, what) | WPIN_ROW_HAS(2, what) |              \
              WPIN_ROW_HAS(3, what))
#define WPIN_ROW_STANDS(n) (n >= table->row_count || table->rows[n].drive == (n))
#endif

/* Whether it knows all of its rows. */
WPIN_STEADY bool wpin_table_is_known(const WPIN_FAR wpin_stage_table *table) {
#ifdef WPIN_ONE_MOTOR
    return table->row_count <= 4 && table->leg_count == 0;
#else
    (void)table;
    return false;
#endif
}

/* What the lines of a table may carry: what none of its rows has need not be looked at. */
WPIN_STEADY wpin_row wpin_rows_may(const WPIN_FAR wpin_stage_table *table) {
    wpin_row may = {.high = 0xFF,
                    .timed = 0xFF,
                    .complement = 0xFF,
                    .pulse = 0xFF,
                    .keep = 0xFF,
                    .floats = 0xFF};
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(table)) {
        may.high = WPIN_ROWS_HAVE(high);
        may.timed = WPIN_ROWS_HAVE(timed);
        may.complement = WPIN_ROWS_HAVE(complement);
        may.pulse = WPIN_ROWS_HAVE(pulse);
        may.keep = WPIN_ROWS_HAVE(keep);
        may.floats = WPIN_ROWS_HAVE(floats);
    }
#else
    (void)table;
#endif
    return may;
}

/* The row of a drive: where all stand in the order of the drives it need not be looked for. */
WPIN_STEADY uint8_t wpin_row_of(const WPIN_FAR wpin_stage_table *table, wpin_drive drive) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_table_is_known(table) && WPIN_ROW_STANDS(0) && WPIN_ROW_STANDS(1) &&
        WPIN_ROW_STANDS(2) && WPIN_ROW_STANDS(3)) {
        return (uint8_t)drive < table->row_count ? (uint8_t)drive : WPIN_NO_ROW;
    }
#endif
    return wpin_table_row(table, drive);
}

/* Whether the two sides of a leg share a PWM in some row. */
static inline bool wpin_leg_shares_pwm(const wpin_row *all, wpin_leg leg) {
    return ((all->complement & wpin_bit(leg.high_side)) |
            (all->complement & wpin_bit(leg.low_side))) != 0;
}

#endif
