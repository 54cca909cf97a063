/* Proves a truth table sound before any pin is touched. */
#include "stage_rows.h"

uint8_t wpin_row_of(const wpin_stage_table *table, wpin_state state) {
    for (uint8_t row = 0; row < table->row_count; row++) {
        if (table->states[row] == (uint8_t)state) {
            return row;
        }
    }
    return WPIN_NO_ROW;
}

uint8_t wpin_row_safe(const wpin_stage_table *table) {
    uint8_t row = wpin_row_of(table, WPIN_STATE_FREE);
    return row != WPIN_NO_ROW ? row : wpin_row_of(table, WPIN_STATE_BRAKE);
}

wpin_cell wpin_line_timed(const wpin_stage_table *table, uint8_t line) {
    for (uint8_t row = 0; row < table->row_count; row++) {
        wpin_cell cell = wpin_cell_at(table, row, line);
        if (wpin_cell_timed(cell)) {
            return cell;
        }
    }
    return WPIN_CELL_LOW;
}

static wpin_status check_states(const wpin_stage_table *table) {
    for (uint8_t row = 0; row < table->row_count; row++) {
        if (wpin_row_of(table, (wpin_state)table->states[row]) != row) {
            return WPIN_REFUSED_CONFIG; /* the same state twice */
        }
    }
    return wpin_row_safe(table) == WPIN_NO_ROW ? WPIN_REFUSED_CONFIG : WPIN_OK;
}

/* The widest pulse fits its period, the narrowest is still one. */
static bool pulse_fits(const wpin_stage_config *config) {
    uint32_t widest = (uint32_t)config->pulse_zero_us + config->pulse_swing_us;
    return config->pulse_swing_us < config->pulse_zero_us && config->pwm_hz <= 1000 &&
           widest * config->pwm_hz <= 1000000;
}

/* Whether a row differs from the free row in some line besides this one. */
static bool differs_besides(const wpin_stage_table *table, uint8_t row, uint8_t free_row,
                            uint8_t line) {
    for (uint8_t other = 0; other < table->line_count; other++) {
        wpin_cell cell = wpin_cell_at(table, row, other);
        if (other != line && cell != WPIN_CELL_KEEP &&
            cell != wpin_cell_at(table, free_row, other)) {
            return true;
        }
    }
    return false;
}

/* A stage at rest must coast though another stage keeps the shared line active. */
static bool can_share(const wpin_stage_config *config, uint8_t line) {
    const wpin_stage_table *table = config->table;
    uint8_t free_row = wpin_row_of(table, WPIN_STATE_FREE);
    if (config->lines[line].user > 7 || !wpin_bit(table->mode_lines, line) ||
        wpin_bit(table->rest_high_lines, line) || free_row == WPIN_NO_ROW ||
        wpin_cell_at(table, free_row, line) != WPIN_CELL_LOW) {
        return false;
    }
    for (uint8_t row = 0; row < table->row_count; row++) {
        if (row != free_row && (wpin_cell_at(table, row, line) != WPIN_CELL_HIGH ||
                                !differs_besides(table, row, free_row, line))) {
            return false;
        }
    }
    return true;
}

/* A line carries one kind of timed cell at the most, and a mode line none. */
static wpin_status check_line(const wpin_stage_config *config, uint8_t line) {
    const wpin_stage_table *table = config->table;
    wpin_cell timed = wpin_line_timed(table, line);
    for (uint8_t row = 0; row < table->row_count; row++) {
        wpin_cell cell = wpin_cell_at(table, row, line);
        if (cell > WPIN_CELL_KEEP || (wpin_cell_timed(cell) && cell != timed)) {
            return WPIN_REFUSED_CONFIG;
        }
    }
    if (wpin_cell_timed(timed)) {
        if (wpin_bit(table->mode_lines, line)) {
            return WPIN_REFUSED_CONFIG;
        }
        if (config->pwm_hz == 0) {
            return WPIN_REFUSED_RANGE;
        }
    }
    if (timed == WPIN_CELL_PULSE && !pulse_fits(config)) {
        return WPIN_REFUSED_RANGE;
    }
    if (config->lines[line].shared != NULL && !can_share(config, line)) {
        return WPIN_REFUSED_CONFIG;
    }
    for (uint8_t other = 0; other < line; other++) {
        if (config->lines[other].pin == config->lines[line].pin) {
            return WPIN_REFUSED_CONFIG;
        }
    }
    return WPIN_OK;
}

static bool on_some_time(wpin_cell cell) {
    return cell != WPIN_CELL_LOW && cell != WPIN_CELL_FLOAT;
}

/* The two sides may share a row only as duty and its complement with a dead time between. */
static wpin_status check_leg(const wpin_stage_config *config, const wpin_leg *leg) {
    const wpin_stage_table *table = config->table;
    if (leg->high_side >= table->line_count || leg->low_side >= table->line_count ||
        leg->high_side == leg->low_side) {
        return WPIN_REFUSED_CONFIG;
    }
    for (uint8_t row = 0; row < table->row_count; row++) {
        wpin_cell high = wpin_cell_at(table, row, leg->high_side);
        wpin_cell low = wpin_cell_at(table, row, leg->low_side);
        if (!on_some_time(high) || !on_some_time(low)) {
            continue;
        }
        bool shared = (high == WPIN_CELL_DUTY && low == WPIN_CELL_COMPLEMENT) ||
                      (high == WPIN_CELL_COMPLEMENT && low == WPIN_CELL_DUTY);
        if (!shared || config->dead_time_us == 0) {
            return WPIN_REFUSED_SHOOT;
        }
    }
    return WPIN_OK;
}

wpin_status wpin_stage_check(const wpin_stage_config *config) {
    if (config == NULL || config->table == NULL || config->lines == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    const wpin_stage_table *table = config->table;
    if (table->cells == NULL || table->states == NULL ||
        (table->legs == NULL && table->leg_count != 0)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (table->line_count == 0 || table->line_count > WPIN_STAGE_LINES || table->row_count == 0 ||
        table->row_count >= WPIN_NO_ROW || config->dead_time_us > WPIN_DEAD_TIME_MAX_US) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = check_states(table);
    for (uint8_t line = 0; status == WPIN_OK && line < table->line_count; line++) {
        status = check_line(config, line);
    }
    for (uint8_t leg = 0; status == WPIN_OK && leg < table->leg_count; leg++) {
        status = check_leg(config, &table->legs[leg]);
    }
    return status;
}
