/* A stage from open to close: its lines become outputs at a safe level, groups and PWM are
 * prepared. */
#include "stage_core.h"

static wpin_status check_port(const WPIN_FAR wpin_stage_config *config, const wpin_port *port,
                              const wpin_row *all) {
    if (port->now == NULL || port->open == NULL || port->write == NULL ||
        ((config->dead_time_us != 0 || config->charge != NULL) && port->pause == NULL)) {
        return WPIN_REFUSED_PORT;
    }
    if (all->timed != 0 && (port->pwm_start == NULL || port->pwm_duty == NULL)) {
        return WPIN_REFUSED_PORT;
    }
    for (uint8_t i = 0; i < config->table->leg_count; i++) {
        if (wpin_leg_shares_pwm(all, config->table->legs[i]) &&
            (port->leg_start == NULL || port->leg_duty == NULL)) {
            return WPIN_REFUSED_PORT;
        }
    }
    return WPIN_OK;
}

/* Opens the lines one by one at their level in the safe row; a keep cell there means at rest. */
static wpin_status open_lines(wpin_stage *stage, const WPIN_FAR wpin_row *safe) {
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    uint8_t high =
        (uint8_t)(safe->high | safe->complement | (safe->keep & config->table->rest_high_lines));
    stage->levels = high;
    wpin_status status = WPIN_OK;
    for (uint8_t line = 0; status == WPIN_OK && line < config->table->line_count; line++) {
        uint8_t bit = wpin_bit(line);
        if (config->lines[line].inverted) {
            stage->inverted |= bit;
        }
        if (config->lines[line].shared != NULL) {
            stage->flags |= WPIN_STAGE_SHARES;
        }
        bool agreed = wpin_line_agreed(config->lines[line].shared, config->lines[line].user,
                                       (high & bit) != 0);
        wpin_level level = agreed != config->lines[line].inverted ? WPIN_HIGH : WPIN_LOW;
        level = (safe->floats & bit) != 0 ? WPIN_FLOAT : level;
        status = wpin_stage_port_of(stage)->open(wpin_stage_port_of(stage)->context,
                                                 config->lines[line].pin, level);
    }
    return status;
}

static void group_lines(wpin_stage *stage) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_pin pins[WPIN_STAGE_LINES];
    uint8_t count = wpin_stage_config_of(stage)->table->line_count;
    for (uint8_t line = 0; line < count && line < WPIN_STAGE_LINES; line++) {
        pins[line] = wpin_stage_config_of(stage)->lines[line].pin;
    }
    if (count > 1 && port->group_open != NULL && port->group_write != NULL &&
        port->group_open(port->context, pins, count, &stage->group) == WPIN_OK) {
        stage->flags |= WPIN_STAGE_GROUPED;
    }
}

/* Prepares legs as legs and the other timed lines one by one. */
static wpin_status start_pwm(const wpin_stage *stage, const wpin_row *all) {
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_pwm_achieved achieved = {0};
    wpin_status status = WPIN_OK;
    uint8_t left = all->timed;
    for (uint8_t i = 0; status == WPIN_OK && i < config->table->leg_count; i++) {
        wpin_leg leg = config->table->legs[i];
        uint8_t high = wpin_bit(leg.high_side), low = wpin_bit(leg.low_side);
        if (wpin_leg_shares_pwm(all, leg)) {
            wpin_pwm_request request = {.hz = config->pwm_hz,
                                        .dead_time_ns = (uint32_t)config->dead_time_us * 1000U,
                                        .inverted = (stage->inverted & high) != 0,
                                        .low_inverted = (stage->inverted & low) != 0,
                                        .centred = config->centred};
            status = port->leg_start(port->context, config->lines[leg.high_side & 7U].pin,
                                     config->lines[leg.low_side & 7U].pin, &request, &achieved);
            if (status == WPIN_OK && achieved.dead_time_ns < request.dead_time_ns) {
                status = WPIN_REFUSED_DEAD_TIME;
            }
            left &= (uint8_t) ~(high | low);
        }
    }
    for (uint8_t line = 0; status == WPIN_OK && left >> line != 0; line++) {
        uint8_t bit = wpin_bit(line);
        if ((left & bit) != 0) {
            wpin_pwm_request request = {.hz = config->pwm_hz,
                                        .inverted =
                                            ((all->complement ^ stage->inverted) & bit) != 0,
                                        .centred = config->centred};
            status = port->pwm_start(port->context, config->lines[line].pin, &request, &achieved);
        }
    }
    if (config->achieved != NULL) {
        *config->achieved = achieved;
    }
    return status;
}

wpin_status wpin_stage_open(wpin_stage *stage, const WPIN_FAR wpin_stage_config *config,
                            const wpin_port *port) {
    if (stage == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_stage_close(stage);
    *stage = (wpin_stage){0};
    if (!wpin_stage_may_open(config, port)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    config = wpin_stage_config_known(config);
    wpin_status status = wpin_stage_is_sound(config) ? WPIN_OK : wpin_stage_check(config);
    if (status != WPIN_OK) {
        return status;
    }
    wpin_row all = wpin_rows_all(config->table);
    wpin_keep_first(&status, check_port(config, port, &all));
    if (status != WPIN_OK) {
        return status;
    }
    stage->config = config;
    wpin_stage_note_port(stage, port);
    stage->row = wpin_row_safe(config->table);
    const WPIN_FAR wpin_row *safe = &config->table->rows[stage->row];
    stage->drive = safe->drive;
    status = open_lines(stage, safe);
    if (status == WPIN_OK) {
        group_lines(stage);
        status = start_pwm(stage, &all);
    }
    if (status == WPIN_OK && !wpin_rows_are_plain(config->table) && safe->timed != 0) {
        status = wpin_stage_write_duty(stage, 0); /* e.g. a servo-style pulse */
    }
    if (status == WPIN_OK) {
        stage->flags |= WPIN_STAGE_OPEN;
    }
    return status;
}

wpin_status wpin_stage_close(wpin_stage *stage) {
    if (!wpin_stage_is_open(stage)) {
        return WPIN_OK;
    }
    wpin_status status = WPIN_OK;
    if (stage->drive > WPIN_DRIVE_BRAKE || stage->cut != 0) { /* at rest it stays as it rests */
        uint8_t row = wpin_row_safe(wpin_stage_config_of(stage)->table);
        status = wpin_rare_apply(
            stage, (wpin_drive)wpin_stage_config_of(stage)->table->rows[row].drive, 0);
    }
    stage->flags &= (uint8_t)~WPIN_STAGE_OPEN;
    return status;
}
