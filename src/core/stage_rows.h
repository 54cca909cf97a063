/* Reading a truth table: shared by the engine and the checker. */
#ifndef WPIN_CORE_STAGE_ROWS_H
#define WPIN_CORE_STAGE_ROWS_H

#include "windpin/stage.h"

#define WPIN_NO_ROW 255

static inline wpin_cell wpin_cell_at(const wpin_stage_table *table, uint8_t row, uint8_t line) {
    return (wpin_cell)table->cells[(uint16_t)row * table->line_count + line];
}

static inline bool wpin_bit(uint8_t mask, uint8_t line) {
    return (((unsigned)mask >> line) & 1U) != 0;
}

/* A cell that needs a timer behind the pin. */
static inline bool wpin_cell_timed(wpin_cell cell) {
    return cell == WPIN_CELL_DUTY || cell == WPIN_CELL_COMPLEMENT || cell == WPIN_CELL_PULSE;
}

/* Row of a state, WPIN_NO_ROW if the table has none. */
uint8_t wpin_row_of(const wpin_stage_table *table, wpin_state state);

/* The row lines are opened in: free, or brake where there is no free. */
uint8_t wpin_row_safe(const wpin_stage_table *table);

/* The timed cell this line carries in some row, WPIN_CELL_LOW if in none. */
wpin_cell wpin_line_timed(const wpin_stage_table *table, uint8_t line);

#endif
