/* From one row to another: the row of a drive, the plan of the change, and its phases. */
#include "stage_change.h"

/* One plain PWM line alone carries its duty, so its pin is all a change of duty needs. */
static void plan_plain(wpin_row_change *c, const wpin_row *may, const WPIN_FAR wpin_line *lines,
                       const wpin_row *will) {
    uint8_t timed = will->timed;
    c->plain = 0;
    c->pin = 0;
    if (timed == 0 || (timed & (timed - 1U)) != 0 || will->pulse != 0) {
        return;
    }
    if ((may->timed & (may->timed - 1U)) == 0) {
        timed = may->timed; /* no row has another */
    }
    uint8_t line = (uint8_t)(((timed & 0xF0U) != 0 ? 4U : 0U) | ((timed & 0xCCU) != 0 ? 2U : 0U) |
                             ((timed & 0xAAU) != 0 ? 1U : 0U));
    c->plain = (uint8_t)(WPIN_STAGE_PLAIN | (unsigned)line << WPIN_STAGE_LINE_SHIFT);
    c->pin = lines[line].pin;
}

/* Two sides of a leg, one going off and the other coming on: the only case for which a fast change
 * has to wait. */
static bool leg_turns(const WPIN_FAR wpin_stage_table *table, const wpin_row_change *c) {
    uint8_t on = (uint8_t)(c->high | c->timed);
    const WPIN_FAR wpin_leg *leg = table->legs;
    for (uint8_t left = table->leg_count; left != 0; left--, leg++) {
        uint8_t high = wpin_bit(leg->high_side), low = wpin_bit(leg->low_side);
        if (((c->off & high) != 0 && (on & low) != 0) ||
            ((c->off & low) != 0 && (on & high) != 0)) {
            return true;
        }
    }
    return false;
}

void wpin_stage_plan(wpin_row_change *c, const wpin_stage *stage, uint8_t row) {
    stage = wpin_stage_there(stage);
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    const WPIN_FAR wpin_stage_table *table = config->table;
    const wpin_row may = wpin_rows_may(table);
    const uint8_t lines = (uint8_t)((1U << table->line_count) - 1U);
    const uint8_t modes = table->mode_lines & lines, others = (uint8_t)(lines & ~modes);
    const uint8_t rest_high = table->rest_high_lines;
    wpin_row was = wpin_row_within(&table->rows[stage->row], &may);
    wpin_row will = wpin_row_within(&table->rows[row], &may);
    uint8_t stays = (uint8_t)((was.high & will.high) | (was.pulse & will.pulse));
    uint8_t on = wpin_row_active(&was, rest_high, others), known = stage->levels;
    if (stage->cut != 0) { /* cut off in between, or a write failed: nothing is taken for granted */
        stays = was.pulse & will.pulse;
        on = others;
        known = (uint8_t)~will.high;
    }
    uint8_t keeps = (uint8_t)(will.keep | will.floats);
    c->off = (uint8_t)((on | ((was.floats | will.floats) & others)) & ~stays);
    c->modes = (uint8_t)(((known ^ will.high) | was.floats) & modes & ~keeps);
    c->high = will.high;
    c->timed = will.timed;
    c->floats = will.floats;
    c->levels = (uint8_t)(others & ~(will.timed | will.floats));
    c->active = wpin_row_active(&will, rest_high, lines);
    c->rest_high = rest_high;
    plan_plain(c, &may, config->lines, &will);
    c->turns = leg_turns(table, c);
    c->dead_us = config->dead_time_us;
}

wpin_status wpin_stage_turn_off(wpin_stage *stage, const wpin_row_change *c) {
    stage = wpin_stage_there(stage);
    wpin_status status = wpin_stage_write_levels(stage, c->off, c->rest_high, c->cut);
    if (c->floats != 0) {
        wpin_keep_first(&status, wpin_stage_float(stage, c->floats, c->cut));
    }
    return wpin_cut_if_failed(stage, status);
}

void wpin_stage_show(wpin_stage *stage, const wpin_row_change *c, uint8_t row, uint8_t drive) {
    stage = wpin_stage_there(stage);
    const uint8_t others = ((1U << WPIN_STAGE_LINE_SHIFT) - 1U) & (uint8_t)~WPIN_STAGE_PLAIN;
    stage->flags = (uint8_t)((stage->flags & others) | c->plain);
    stage->row = row;
    stage->drive = drive;
}

/* One plain line, which most rows have, needs no second look at its row. */
static wpin_status write_plain(const wpin_stage *stage, wpin_pin pin) {
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t locked = wpin_lock(port);
    wpin_status status =
        stage->cut == 0 ? port->pwm_duty(port->context, pin, stage->duty) : WPIN_OK;
    wpin_unlock(port, locked);
    return status;
}

wpin_status wpin_stage_turn_on(wpin_stage *stage, const wpin_row_change *c) {
    stage = wpin_stage_there(stage);
    uint8_t differs = (uint8_t)((stage->levels ^ c->high) & c->levels);
    wpin_status status = wpin_stage_write_levels(stage, differs, c->high, 0);
    if (c->timed != 0) {
        bool plain = c->plain != 0 || wpin_rows_are_plain(wpin_stage_config_of(stage)->table);
        wpin_keep_first(&status,
                        plain ? write_plain(stage, c->pin) : wpin_stage_write_duty(stage, 0));
    }
    return wpin_cut_if_failed(stage, status);
}

wpin_status wpin_stage_change_row(wpin_stage *stage, uint8_t row, uint8_t drive, uint16_t duty) {
    stage = wpin_stage_there(stage);
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t locked = wpin_lock(port);
    wpin_row_change c;
    wpin_stage_plan_unlocked(&c, stage, row, &locked);
    if (drive <= WPIN_DRIVE_BRAKE) {
        stage->cut = c.cut = 0;
    }
    stage->duty = duty; /* who turns the stage off meanwhile takes it back */
    wpin_unlock(port, locked);
    wpin_status status = wpin_stage_turn_off(stage, &c);
    if (c.modes != 0 && status == WPIN_OK) {
        if ((c.off | c.floats) != 0) {
            wpin_stage_wait(stage, c.dead_us);
        }
        status = wpin_cut_if_failed(stage, wpin_stage_write_levels(stage, c.modes, c.high, c.cut));
    }
    if (c.active != 0) {
        wpin_stage_wait(stage, c.dead_us); /* a mode line may have turned something off too */
    }
    wpin_stage_show(stage, &c, row, drive);
    wpin_keep_first(&status, wpin_stage_turn_on(stage, &c));
    if (!wpin_table_is_known(wpin_stage_config_of(stage)->table)) {
        wpin_stage_changed(stage);
    }
    return status;
}

/* The one place where a reversed motor is reversed. */
wpin_drive wpin_stage_wired_drive(const WPIN_FAR wpin_stage_config *config, wpin_drive drive) {
    if (config->reversed && drive == WPIN_DRIVE_FORWARD) {
        return WPIN_DRIVE_REVERSE;
    }
    if (config->reversed && drive == WPIN_DRIVE_REVERSE) {
        return WPIN_DRIVE_FORWARD;
    }
    return drive;
}

/* What refuses a drive; its row otherwise. */
wpin_status wpin_stage_find_row(const wpin_stage *stage, wpin_drive drive, uint16_t duty,
                                uint8_t *row) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    *row = wpin_row_of(config->table, wpin_stage_wired_drive(config, drive));
    return duty > (uint16_t)WPIN_DUTY_FULL               ? WPIN_REFUSED_RANGE
           : *row == WPIN_NO_ROW                         ? WPIN_REFUSED_STATE
           : stage->cut != 0 && drive > WPIN_DRIVE_BRAKE ? WPIN_REFUSED_FAULTED
                                                         : WPIN_OK;
}
