/* Proves a truth table sound before any pin is touched. */
#include "stage_bits.h"

wpin_cell wpin_table_cell(const WPIN_FAR wpin_stage_table *table, uint8_t row, uint8_t line) {
    if (table == NULL || row >= table->row_count || line >= table->line_count) {
        return WPIN_CELL_LOW;
    }
    wpin_row r = table->rows[row];
    uint8_t bit = wpin_bit(line);
    if ((r.high & bit) != 0) {
        return WPIN_CELL_HIGH;
    }
    if ((r.timed & bit) != 0) {
        return (r.complement & bit) != 0
                   ? WPIN_CELL_COMPLEMENT
                   : ((r.pulse & bit) != 0 ? WPIN_CELL_PULSE : WPIN_CELL_DUTY);
    }
    if ((r.keep & bit) != 0) {
        return WPIN_CELL_KEEP;
    }
    return (r.floats & bit) != 0 ? WPIN_CELL_FLOAT : WPIN_CELL_LOW;
}

uint8_t wpin_table_row(const WPIN_FAR wpin_stage_table *table, wpin_drive drive) {
    const WPIN_FAR wpin_row *rows = table != NULL ? table->rows : NULL;
    if (rows != NULL && drive < table->row_count && rows[drive].drive == (uint8_t)drive) {
        return (uint8_t)drive; /* mostly they stand in this order */
    }
    for (uint8_t row = 0; rows != NULL && row < table->row_count; row++) {
        if (rows[row].drive == (uint8_t)drive) {
            return row;
        }
    }
    return WPIN_NO_ROW;
}

wpin_row wpin_rows_sum(const WPIN_FAR wpin_stage_table *table) {
    wpin_row all = {0};
    for (uint8_t i = 0; i < table->row_count; i++) {
        wpin_row row = table->rows[i];
        all.high |= row.high;
        all.timed |= row.timed;
        all.complement |= row.complement;
        all.pulse |= row.pulse;
        all.keep |= row.keep;
        all.floats |= row.floats;
    }
    return all;
}

/* Each drive once, each cell one thing, nothing on lines that are not there. */
static bool rows_hold(const WPIN_FAR wpin_stage_table *table) {
    uint8_t beyond = (uint8_t) ~((1U << table->line_count) - 1U);
    for (uint8_t i = 0; i < table->row_count; i++) {
        wpin_row r = table->rows[i];
        uint8_t masks[4] = {r.high, r.timed, r.keep, r.floats}, seen = 0;
        for (uint8_t m = 0; m < 4; m++) {
            if ((masks[m] & (seen | beyond)) != 0) {
                return false;
            }
            seen |= masks[m];
        }
        if (((r.complement | r.pulse) & ~r.timed) != 0 || (r.complement & r.pulse) != 0 ||
            wpin_table_row(table, (wpin_drive)r.drive) != i) {
            return false;
        }
    }
    return wpin_row_safe(table) != WPIN_NO_ROW;
}

/* A line carries one kind of timed cell at the most, a mode line none; only mode lines keep. */
static bool lines_hold(const WPIN_FAR wpin_stage_table *table, const wpin_row *all) {
    uint8_t plain = 0, twice = all->complement & all->pulse;
    for (uint8_t i = 0; i < table->row_count; i++) {
        wpin_row r = table->rows[i];
        plain |= (uint8_t)(r.timed & ~(r.complement | r.pulse));
    }
    twice |= (uint8_t)(plain & (all->complement | all->pulse));
    return twice == 0 && (all->timed & table->mode_lines) == 0 &&
           (all->keep & ~table->mode_lines) == 0;
}

/* The widest pulse fits its period, the narrowest is still one. */
static bool pulse_fits(const WPIN_FAR wpin_stage_config *config) {
    return config->pulse_swing < config->pulse_neutral && config->pwm_hz <= 1000 &&
           config->pulse_neutral <= 65535U - config->pulse_swing;
}

/* Whether a row differs from the coast row in some line besides this one. */
static bool differs_besides(wpin_row row, wpin_row coast, uint8_t bit) {
    uint8_t differs = (uint8_t)((row.high ^ coast.high) | (row.timed ^ coast.timed) |
                                (row.floats ^ coast.floats));
    return (differs & ~row.keep & ~bit) != 0;
}

/* A stage at rest must coast though another stage keeps the shared line active. */
static bool can_share(const WPIN_FAR wpin_stage_config *config, uint8_t line) {
    const WPIN_FAR wpin_stage_table *table = config->table;
    uint8_t coast_row = wpin_table_row(table, WPIN_DRIVE_COAST), bit = wpin_bit(line);
    if (config->lines[line].user > 7 || (table->mode_lines & bit) == 0 ||
        (table->rest_high_lines & bit) != 0 || coast_row == WPIN_NO_ROW ||
        wpin_table_cell(table, coast_row, line) != WPIN_CELL_LOW) {
        return false;
    }
    for (uint8_t row = 0; row < table->row_count; row++) {
        if (row != coast_row && ((table->rows[row].high & bit) == 0 ||
                                 !differs_besides(table->rows[row], table->rows[coast_row], bit))) {
            return false;
        }
    }
    return true;
}

static bool wires_hold(const WPIN_FAR wpin_stage_config *config) {
    for (uint8_t line = 0; line < config->table->line_count; line++) {
        if (config->lines[line].shared != NULL && !can_share(config, line)) {
            return false;
        }
        for (uint8_t other = 0; other < line; other++) {
            if (config->lines[other].pin == config->lines[line].pin) {
                return false;
            }
        }
    }
    return true;
}

/* The two sides may share a row only as duty and its complement with a dead time between, and then
 * in every row in which one of them is timed. */
static wpin_status check_rows_of_leg(const WPIN_FAR wpin_stage_config *config, wpin_leg leg,
                                     bool pwm_leg) {
    uint8_t high = wpin_bit(leg.high_side), low = wpin_bit(leg.low_side);
    for (uint8_t i = 0; i < config->table->row_count; i++) {
        wpin_row r = config->table->rows[i];
        uint8_t on = (uint8_t)(r.high | r.timed | r.keep);
        bool both = (on & high) != 0 && (on & low) != 0;
        bool shared = ((r.timed & ~r.complement & high) != 0 && (r.complement & low) != 0) ||
                      ((r.complement & high) != 0 && (r.timed & ~r.complement & low) != 0);
        if (both && (!shared || config->dead_time_us == 0)) {
            return WPIN_REFUSED_SHOOT;
        }
        if (pwm_leg && !shared && (r.timed & (high | low)) != 0) {
            return WPIN_REFUSED_CONFIG;
        }
    }
    return WPIN_OK;
}

static wpin_status check_leg(const WPIN_FAR wpin_stage_config *config, wpin_leg leg,
                             const wpin_row *all) {
    const WPIN_FAR wpin_stage_table *table = config->table;
    if (leg.high_side >= table->line_count || leg.low_side >= table->line_count ||
        leg.high_side == leg.low_side) {
        return WPIN_REFUSED_CONFIG;
    }
    uint8_t both = (uint8_t)(wpin_bit(leg.high_side) | wpin_bit(leg.low_side));
    if ((table->rest_high_lines & both) != 0) {
        return WPIN_REFUSED_CONFIG; /* at rest it would be on */
    }
    bool pwm_leg = wpin_leg_shares_pwm(all, leg);
    wpin_status status = check_rows_of_leg(config, leg, pwm_leg);
    if (status == WPIN_OK && pwm_leg &&
        2U * (uint32_t)config->dead_time_us * config->pwm_hz >= 1000000U) {
        return WPIN_REFUSED_DEAD_TIME; /* 2 x 1000 us x 1 MHz fits 32 bits */
    }
    return status;
}

wpin_status wpin_stage_check(const WPIN_FAR wpin_stage_config *config) {
    if (config == NULL || config->table == NULL || config->lines == NULL ||
        config->table->rows == NULL ||
        (config->table->legs == NULL && config->table->leg_count != 0)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    const WPIN_FAR wpin_stage_table *table = config->table;
    if (table->line_count == 0 || table->line_count > WPIN_STAGE_LINES || table->row_count == 0 ||
        table->row_count > WPIN_STAGE_ROWS || config->dead_time_us > WPIN_DEAD_TIME_MAX_US ||
        config->charge_us > WPIN_CHARGE_MAX_US || config->pwm_hz > 1000000U) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_row all = wpin_rows_all(table);
    if (!rows_hold(table) || !lines_hold(table, &all) || !wires_hold(config)) {
        return WPIN_REFUSED_CONFIG;
    }
    if (config->charge != NULL && wpin_table_row(table, WPIN_DRIVE_BRAKE) == WPIN_NO_ROW) {
        return WPIN_REFUSED_CONFIG;
    }
    if ((all.timed != 0 && config->pwm_hz == 0) || (all.pulse != 0 && !pulse_fits(config))) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = WPIN_OK;
    for (uint8_t leg = 0; status == WPIN_OK && leg < table->leg_count; leg++) {
        status = check_leg(config, table->legs[leg], &all);
    }
    return status;
}
