/* The one engine that runs every truth table: the only code that moves a control line. */
#include "stage_rows.h"

static wpin_level wire_level(const wpin_line *line, bool high) {
    return high != line->inverted ? WPIN_HIGH : WPIN_LOW;
}

/* Width of a servo-style pulse as a fraction of its period: us x Hz / 1e6 of 16384, and
 * 16384/1e6 is 256/15625. The check has made sure that the product fits. */
static uint16_t pulse_duty(const wpin_stage_config *config, wpin_state state, uint16_t duty) {
    uint32_t swing = (uint32_t)config->pulse_swing_us * duty / (uint32_t)WPIN_DUTY_FULL;
    uint32_t width = config->pulse_zero_us;
    if (state == WPIN_STATE_FORWARD) {
        width += swing;
    } else if (state == WPIN_STATE_REVERSE) {
        width -= swing;
    }
    return (uint16_t)((width * config->pwm_hz * 256 + 7812) / 15625);
}

/* A shared line goes low only when no stage needs it high; this one says what it wants. */
static bool agreed_level(const wpin_stage_config *config, uint8_t line, bool high) {
    const wpin_line *wire = &config->lines[line];
    if (wire->shared == NULL) {
        return high;
    }
    unsigned others = wire->shared->needed & ~(1U << wire->user);
    wire->shared->needed = (uint8_t)(others | ((unsigned)high << wire->user));
    return wire->shared->needed != 0;
}

static void write_level(const wpin_stage *stage, uint8_t line, bool high) {
    const wpin_line *wire = &stage->config->lines[line];
    stage->port->write(stage->port->context, wire->pin,
                       wire_level(wire, agreed_level(stage->config, line, high)));
}

static void rest_line(const wpin_stage *stage, uint8_t line) {
    write_level(stage, line, wpin_bit(stage->config->table->rest_high_lines, line));
}

static void write_cell(const wpin_stage *stage, uint8_t row, uint8_t line, uint16_t duty) {
    const wpin_stage_config *config = stage->config;
    const wpin_port *port = stage->port;
    wpin_pin pin = config->lines[line].pin;
    switch (wpin_cell_at(config->table, row, line)) {
    case WPIN_CELL_LOW: write_level(stage, line, false); break;
    case WPIN_CELL_HIGH: write_level(stage, line, true); break;
    case WPIN_CELL_FLOAT: port->write(port->context, pin, WPIN_FLOAT); break;
    case WPIN_CELL_DUTY:
    case WPIN_CELL_COMPLEMENT: port->pwm_duty(port->context, pin, duty); break;
    case WPIN_CELL_PULSE:
        port->pwm_duty(port->context, pin,
                       pulse_duty(config, (wpin_state)config->table->states[row], duty));
        break;
    case WPIN_CELL_KEEP: break;
    }
}

static bool is_mode(const wpin_stage *stage, uint8_t line) {
    return wpin_bit(stage->config->table->mode_lines, line);
}

/* Turns off every line that is on in the old row and not just as on in the new one. A pulse only
 * tells another controller what to do: cut off in its middle it would be another order. */
static void turn_off(const wpin_stage *stage, uint8_t old_row, uint8_t new_row) {
    const wpin_stage_table *table = stage->config->table;
    for (uint8_t line = 0; line < table->line_count; line++) {
        wpin_cell was = wpin_cell_at(table, old_row, line);
        bool stays = was == wpin_cell_at(table, new_row, line) &&
                     (was == WPIN_CELL_PULSE || !wpin_cell_timed(was));
        if (!is_mode(stage, line) && !stays) {
            rest_line(stage, line);
        }
    }
}

static void write_lines(const wpin_stage *stage, uint8_t row, uint16_t duty, bool modes) {
    for (uint8_t line = 0; line < stage->config->table->line_count; line++) {
        if (is_mode(stage, line) == modes) {
            write_cell(stage, row, line, duty);
        }
    }
}

static void wait_dead_time(const wpin_stage *stage) {
    if (stage->config->dead_time_us != 0) {
        stage->port->pause(stage->port->context, stage->config->dead_time_us);
    }
}

static void change_row(wpin_stage *stage, uint8_t row, uint16_t duty) {
    const wpin_port *port = stage->port;
    uint8_t locked = port->lock != NULL ? port->lock(port->context) : 0;
    turn_off(stage, stage->row, row);
    wait_dead_time(stage);
    if (stage->config->table->mode_lines != 0) {
        write_lines(stage, row, duty, true);
        wait_dead_time(stage); /* a mode line may have turned something off too */
    }
    write_lines(stage, row, duty, false);
    if (port->unlock != NULL) {
        port->unlock(port->context, locked);
    }
}

static void change_duty(const wpin_stage *stage, uint16_t duty) {
    const wpin_stage_table *table = stage->config->table;
    for (uint8_t line = 0; line < table->line_count; line++) {
        if (wpin_cell_timed(wpin_cell_at(table, stage->row, line))) {
            write_cell(stage, stage->row, line, duty);
        }
    }
}

/* The one place where a reversed motor is reversed. */
static wpin_state wired_state(const wpin_stage_config *config, wpin_state state) {
    if (config->reversed && state == WPIN_STATE_FORWARD) {
        return WPIN_STATE_REVERSE;
    }
    if (config->reversed && state == WPIN_STATE_REVERSE) {
        return WPIN_STATE_FORWARD;
    }
    return state;
}

static wpin_status check_port(const wpin_stage_config *config, const wpin_port *port) {
    if (port->now == NULL || port->open == NULL || port->write == NULL ||
        (config->dead_time_us != 0 && port->pause == NULL)) {
        return WPIN_REFUSED_PORT;
    }
    for (uint8_t line = 0; line < config->table->line_count; line++) {
        if (wpin_cell_timed(wpin_line_timed(config->table, line)) &&
            (port->pwm_start == NULL || port->pwm_duty == NULL)) {
            return WPIN_REFUSED_PORT;
        }
    }
    return WPIN_OK;
}

/* The level a line must show from its first instant as an output. */
static wpin_level opening_level(const wpin_stage_config *config, uint8_t row, uint8_t line) {
    const wpin_line *wire = &config->lines[line];
    switch (wpin_cell_at(config->table, row, line)) {
    case WPIN_CELL_HIGH:
    case WPIN_CELL_COMPLEMENT: return wire_level(wire, true);
    case WPIN_CELL_FLOAT: return WPIN_FLOAT;
    case WPIN_CELL_KEEP: return wire_level(wire, wpin_bit(config->table->rest_high_lines, line));
    default: return wire_level(wire, agreed_level(config, line, false));
    }
}

static wpin_status start_pwm(wpin_stage *stage, uint8_t line) {
    const wpin_stage_config *config = stage->config;
    wpin_cell timed = wpin_line_timed(config->table, line);
    if (!wpin_cell_timed(timed)) {
        return WPIN_OK;
    }
    bool complement = timed == WPIN_CELL_COMPLEMENT;
    uint32_t dead_ns = complement ? (uint32_t)config->dead_time_us * 1000 : 0;
    wpin_pwm_request request = {.hz = config->pwm_hz,
                                .inverted = complement != config->lines[line].inverted,
                                .dead_time_ns = (uint16_t)(dead_ns > 65535 ? 65535 : dead_ns)};
    return stage->port->pwm_start(stage->port->context, config->lines[line].pin, &request,
                                  &stage->pwm);
}

wpin_status wpin_stage_open(wpin_stage *stage, const wpin_stage_config *config,
                            const wpin_port *port) {
    if (stage == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *stage = (wpin_stage){.config = config, .port = port};
    wpin_status status = wpin_stage_check(config);
    if (status == WPIN_OK) {
        status = check_port(config, port);
    }
    if (status != WPIN_OK) {
        return status;
    }
    stage->row = wpin_row_safe(config->table);
    for (uint8_t line = 0; status == WPIN_OK && line < config->table->line_count; line++) {
        status = port->open(port->context, config->lines[line].pin,
                            opening_level(config, stage->row, line));
    }
    for (uint8_t line = 0; status == WPIN_OK && line < config->table->line_count; line++) {
        status = start_pwm(stage, line);
    }
    if (status == WPIN_OK) {
        change_duty(stage, 0); /* timed cells of the safe row, e.g. a servo-style pulse */
        stage->open = true;
    }
    return status;
}

bool wpin_stage_has(const wpin_stage *stage, wpin_state state) {
    return stage != NULL && stage->open &&
           wpin_row_of(stage->config->table, wired_state(stage->config, state)) != WPIN_NO_ROW;
}

/* What carries the duty in the forward row; low if nothing does. */
static wpin_cell forward_cell(const wpin_stage_table *table) {
    uint8_t row = wpin_row_of(table, WPIN_STATE_FORWARD);
    for (uint8_t line = 0; row != WPIN_NO_ROW && line < table->line_count; line++) {
        wpin_cell cell = wpin_cell_at(table, row, line);
        if (wpin_cell_timed(cell)) {
            return cell;
        }
    }
    return WPIN_CELL_LOW;
}

bool wpin_stage_pulses(const wpin_stage *stage) {
    return forward_cell(stage->config->table) == WPIN_CELL_PULSE;
}

bool wpin_stage_is_on_off(const wpin_stage *stage) {
    return !wpin_cell_timed(forward_cell(stage->config->table));
}

wpin_status wpin_stage_apply(wpin_stage *stage, wpin_state state, uint16_t duty) {
    if (stage == NULL || !stage->open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (duty > (uint16_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    uint8_t row = wpin_row_of(stage->config->table, wired_state(stage->config, state));
    if (row == WPIN_NO_ROW) {
        return WPIN_REFUSED_STATE;
    }
    if (row != stage->row) {
        change_row(stage, row, duty);
    } else if (duty != stage->duty) {
        change_duty(stage, duty);
    }
    stage->row = row;
    stage->duty = duty;
    return WPIN_OK;
}

wpin_state wpin_stage_state(const wpin_stage *stage) {
    return wired_state(stage->config, (wpin_state)stage->config->table->states[stage->row]);
}
