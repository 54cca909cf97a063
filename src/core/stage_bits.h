/* Reading rows and legs of a truth table: shared by the engine and the checker. */
#ifndef WPIN_CORE_STAGE_BITS_H
#define WPIN_CORE_STAGE_BITS_H

#include "windpin/impl/known.h"

static inline uint8_t wpin_bit(uint8_t line) {
    return (uint8_t)(1U << (line & 7U));
}

/* The row lines are opened in: coast, or brake where there is no coast. */
WPIN_STEADY uint8_t wpin_row_safe(const WPIN_FAR wpin_stage_table *table) {
    uint8_t row = wpin_row_of(table, WPIN_DRIVE_COAST);
    return row != WPIN_NO_ROW ? row : wpin_row_of(table, WPIN_DRIVE_BRAKE);
}

/* What lines carry in any row of the table: every mask is the or of that of all rows. */
wpin_row wpin_rows_sum(const WPIN_FAR wpin_stage_table *table);
WPIN_STEADY wpin_row wpin_rows_all(const WPIN_FAR wpin_stage_table *table) {
    return wpin_table_is_known(table) ? wpin_rows_may(table) : wpin_rows_sum(table);
}

/* Whether the two sides of a leg share a PWM in some row. */
static inline bool wpin_leg_shares_pwm(const wpin_row *all, wpin_leg leg) {
    return ((all->complement & wpin_bit(leg.high_side)) |
            (all->complement & wpin_bit(leg.low_side))) != 0;
}

#endif
