/* The one engine that runs every truth table: the only code that moves a control line. */
#include "rare.h"
#include "stage_core.h"

/* ---- levels ---- */

uint8_t wpin_stage_agreed_levels(const wpin_stage *stage, uint8_t mask, uint8_t high) {
    const WPIN_FAR wpin_line *lines = wpin_stage_config_of(stage)->lines;
    for (uint8_t line = 0; mask >> line != 0; line++) {
        uint8_t bit = wpin_bit(line);
        wpin_shared_line *shared = (mask & bit) != 0 ? lines[line].shared : NULL;
        if (shared != NULL) {
            uint8_t mine = wpin_bit(lines[line].user);
            shared->needed =
                (uint8_t)((high & bit) != 0 ? shared->needed | mine : shared->needed & ~mine);
            high = (uint8_t)(shared->needed != 0 ? high | bit : high & ~bit);
        }
    }
    return high;
}

/* Writes the lines of a mask, all at one instant where the port can. Under the lock. */
static wpin_status write_levels(wpin_stage *stage, uint8_t mask, uint8_t high) {
    const wpin_port *port = wpin_stage_port_of(stage);
    if (mask == 0) {
        return WPIN_OK;
    }
    stage->levels = (uint8_t)((stage->levels & ~mask) | (high & mask));
    if ((stage->flags & WPIN_STAGE_SHARES) != 0) {
        high = wpin_stage_agreed_levels(stage, mask, high);
    }
    uint8_t wires = high ^ stage->inverted;
    if ((stage->flags & WPIN_STAGE_GROUPED) != 0) {
        return port->group_write(port->context, stage->group, mask, wires & mask);
    }
    wpin_status status = WPIN_OK;
    const WPIN_FAR wpin_line *line = wpin_stage_config_of(stage)->lines;
    for (uint8_t left = WPIN_STAGE_LINES; mask != 0 && left != 0; left--, line++) {
        if ((mask & 1U) != 0) {
            wpin_level level = (wires & 1U) != 0 ? WPIN_HIGH : WPIN_LOW;
            wpin_keep_first(&status, port->write(port->context, line->pin, level));
        }
        mask >>= 1;
        wires >>= 1;
    }
    return status;
}

WPIN_RARE static wpin_status float_lines(const wpin_stage *stage, uint8_t mask) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    for (uint8_t line = 0; mask >> line != 0; line++) {
        if ((mask & wpin_bit(line)) != 0) {
            wpin_keep_first(&status,
                            port->write(port->context, wpin_stage_config_of(stage)->lines[line].pin,
                                        WPIN_FLOAT));
        }
    }
    return status;
}

/* ---- PWM ---- */

/* Width of a servo-style pulse, 1/16384 of its period. The check has made sure that it fits. */
static uint16_t pulse_duty(const WPIN_FAR wpin_stage_config *config, uint8_t drive, uint16_t duty) {
    uint16_t swing = (uint16_t)(((uint32_t)config->pulse_swing * duty) >> 14);
    uint16_t width = config->pulse_neutral;
    if (drive == WPIN_DRIVE_FORWARD) {
        width = (uint16_t)(width + swing);
    } else if (drive == WPIN_DRIVE_REVERSE) {
        width = (uint16_t)(width - swing);
    }
    return (uint16_t)((width >> 2) + ((width >> 1) & 1U));
}

/* A leg whose two sides carry PWM in this row is told to the port whole. */
static uint8_t write_legs(const wpin_stage *stage, const WPIN_FAR wpin_row *row, uint16_t duty,
                          wpin_status *status) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t told = 0;
    for (uint8_t i = 0; row->complement != 0 && i < table->leg_count; i++) {
        wpin_leg leg = table->legs[i];
        uint8_t high = wpin_bit(leg.high_side), low = wpin_bit(leg.low_side);
        if ((row->complement & (high | low)) != 0) {
            uint16_t share =
                (row->complement & high) == 0 ? duty : (uint16_t)(WPIN_DUTY_FULL - duty);
            wpin_keep_first(
                status,
                port->leg_duty(port->context,
                               wpin_stage_config_of(stage)->lines[leg.high_side & 7U].pin,
                               wpin_stage_config_of(stage)->lines[leg.low_side & 7U].pin, share));
            told |= (uint8_t)(high | low);
        }
    }
    return told;
}

/* Legs told whole, pulses, and several lines at once: apart, so that the usual line need not save
 * their registers while interrupts wait. */
WPIN_RARE static wpin_status write_shares(const wpin_stage *stage, const WPIN_FAR wpin_row *row,
                                          uint16_t duty) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    uint8_t left = (uint8_t)(row->timed & ~write_legs(stage, row, duty, &status));
    for (const WPIN_FAR wpin_line *line = wpin_stage_config_of(stage)->lines; left != 0; line++) {
        if ((left & 1U) != 0) {
            uint16_t share =
                row->pulse != 0 ? pulse_duty(wpin_stage_config_of(stage), row->drive, duty) : duty;
            wpin_keep_first(&status, port->pwm_duty(port->context, line->pin, share));
        }
        left >>= 1;
    }
    return status;
}

wpin_status wpin_stage_write_duty(const wpin_stage *stage, const WPIN_FAR wpin_row *row,
                                  uint16_t duty) {
    const wpin_port *port = wpin_stage_port_of(stage);
    if ((stage->flags & WPIN_STAGE_PLAIN) == 0) {
        return write_shares(stage, row, duty);
    }
    wpin_pin pin = wpin_stage_config_of(stage)->lines[stage->flags >> WPIN_STAGE_LINE_SHIFT].pin;
    return port->pwm_duty(port->context, pin, duty);
}

/* Flags of a row: one plain PWM line alone carries its duty, so its pin is all a change of duty
 * needs. */
static uint8_t plain_flags(const WPIN_FAR wpin_row *row) {
    uint8_t timed = row->timed, line = 0;
    if (timed == 0 || (timed & (timed - 1U)) != 0 || row->pulse != 0) {
        return 0;
    }
    while ((timed >>= 1) != 0) {
        line++;
    }
    return (uint8_t)(WPIN_STAGE_PLAIN | (unsigned)line << WPIN_STAGE_LINE_SHIFT);
}

/* And the change is over: nobody sees it before its lines are written, under the lock. */
static void note_plain(wpin_stage *stage, uint8_t plain) {
    const uint8_t others =
        ((1U << WPIN_STAGE_LINE_SHIFT) - 1U) & (uint8_t) ~(WPIN_STAGE_PLAIN | WPIN_STAGE_CHANGING);
    stage->flags = (uint8_t)((stage->flags & others) | plain);
}

WPIN_RARE wpin_status wpin_rare_row_duty(const wpin_stage *stage, uint16_t duty) {
    if (!wpin_stage_is_open(stage)) {
        return WPIN_REFUSED_CLOSED;
    }
    return wpin_stage_write_duty(stage, &wpin_stage_config_of(stage)->table->rows[stage->row],
                                 duty);
}

/* ---- changing rows ---- */

static void wait_dead_time(const wpin_stage *stage, uint16_t us) {
    if (us != 0) {
        wpin_stage_port_of(stage)->pause(wpin_stage_port_of(stage)->context, us);
    }
}

/* Lines that do something in a row: timed, or not at their level of rest. */
static uint8_t active(const WPIN_FAR wpin_row *row, uint8_t rest_high) {
    uint8_t driven = (uint8_t)(~(row->floats | row->keep));
    return (uint8_t)(row->timed | ((row->high ^ rest_high) & driven));
}

/* What a change of row writes, and in which phase. */
typedef struct change {
    const WPIN_FAR wpin_row *will;
    uint8_t off;    /* first: to their levels of rest */
    uint8_t modes;  /* then, after the dead time: the mode lines that change */
    uint8_t levels; /* last, after another one: what the others show that are not timed */
    uint8_t high, timed,
        floats;        /* of the row; this and what follows is looked up before the lock */
    uint8_t rest_high; /* of the table */
    uint8_t plain;     /* flags of its PWM line, and its pin */
    wpin_pin pin;
    bool turns;       /* a leg goes from one side to the other */
    uint16_t dead_us; /* the dead time */
} change;

static void plan_change(change *c, const wpin_stage *stage, uint8_t row) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    const WPIN_FAR wpin_row *was = &table->rows[stage->row], *will = &table->rows[row];
    uint8_t lines = (uint8_t)((1U << table->line_count) - 1U), high = will->high;
    uint8_t modes = table->mode_lines & lines, others = (uint8_t)(lines & ~modes);
    uint8_t floats = will->floats, floated = was->floats;
    uint8_t stays = was->high & high, on = active(was, table->rest_high_lines);
    uint8_t known = stage->levels;
    if (stage->cut != 0) { /* cut off in between, or a write failed: nothing is taken for granted */
        stays = 0;
        on = lines;
        known = (uint8_t)~high;
    }
    stays |= was->pulse & will->pulse;
    c->will = will;
    c->off = (uint8_t)((on | floated | floats) & ~stays & others);
    c->modes = (uint8_t)(((known ^ high) | floated) & modes & ~(will->keep | floats));
    c->high = high;
    c->timed = will->timed;
    c->floats = floats;
    c->rest_high = table->rest_high_lines;
    c->dead_us = wpin_stage_config_of(stage)->dead_time_us;
    c->levels = (uint8_t)(others & ~(c->timed | floats));
    c->plain = plain_flags(will);
    c->pin = wpin_stage_config_of(stage)->lines[c->plain >> WPIN_STAGE_LINE_SHIFT].pin;
}

/* Two sides of a leg, one going off and the other coming on: the only case for which a fast change
 * has to wait. */
static bool leg_turns(const wpin_stage *stage, const change *c) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t on = (uint8_t)(c->will->high | c->will->timed);
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

/* Plans while interrupts may come, and plans anew if one turned the stage off meanwhile; a
 * commutation only leaves word of its sector. Called under the lock and returns under it. */
WPIN_STEADY void plan_unlocked(change *c, wpin_stage *stage, uint8_t row, uint8_t *locked) {
    uint8_t cut, levels;
    stage->flags |= WPIN_STAGE_CHANGING;
    do {
        cut = stage->cut;
        levels = stage->levels;
        wpin_unlock(wpin_stage_port_of(stage), *locked);
        plan_change(c, stage, row);
        c->turns = leg_turns(stage, c);
        *locked = wpin_lock(wpin_stage_port_of(stage));
    } while (cut != stage->cut || levels != stage->levels);
}

static wpin_status turn_off(wpin_stage *stage, const change *c) {
    wpin_status status = write_levels(stage, c->off, c->rest_high);
    if (c->floats != 0) {
        wpin_keep_first(&status, float_lines(stage, c->floats));
    }
    return status;
}

/* Turns on what the row has on, unless the stage was cut meanwhile. Under the lock. */
static wpin_status turn_on(wpin_stage *stage, const change *c, uint16_t duty) {
    if (stage->cut != 0) {
        return WPIN_OK;
    }
    uint8_t differs = (uint8_t)((stage->levels ^ c->high) & c->levels);
    wpin_status status = write_levels(stage, differs, c->high);
    if (c->plain != 0) {
        const wpin_port *port = wpin_stage_port_of(stage);
        wpin_keep_first(&status, port->pwm_duty(port->context, c->pin, duty));
    } else if (c->timed != 0) {
        wpin_keep_first(&status, write_shares(stage, c->will, duty));
    }
    return status;
}

/* A write that failed may have left a line on: nothing more turns on until coast or brake is asked
 * for and every line is written anew. */
static wpin_status cut_if_failed(wpin_stage *stage, wpin_status status) {
    if (status != WPIN_OK) {
        stage->cut = 1;
    }
    return status;
}

static wpin_status change_row(wpin_stage *stage, uint8_t row, uint8_t drive, uint16_t duty) {
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t locked = wpin_lock(port);
    change c;
    plan_unlocked(&c, stage, row, &locked);
    if (drive <= WPIN_DRIVE_BRAKE) {
        stage->cut = 0;
    }
    wpin_status status = cut_if_failed(stage, turn_off(stage, &c));
    wpin_unlock(port, locked);
    if (c.modes != 0 && status == WPIN_OK) {
        wait_dead_time(stage, c.dead_us);
        locked = wpin_lock(port);
        status = cut_if_failed(stage, write_levels(stage, c.modes, c.high));
        wpin_unlock(port, locked);
    }
    if (active(c.will, c.rest_high) != 0) {
        wait_dead_time(stage, c.dead_us); /* a mode line may have turned something off too */
    }
    locked = wpin_lock(port);
    note_plain(stage, c.plain);
    wpin_keep_first(&status, cut_if_failed(stage, turn_on(stage, &c, duty)));
    stage->row = row;
    stage->drive = drive;
    stage->duty = duty;
    wpin_unlock(port, locked);
    return status;
}

/* The one place where a reversed motor is reversed. */
static wpin_drive wired_drive(const WPIN_FAR wpin_stage_config *config, wpin_drive drive) {
    if (config->reversed && drive == WPIN_DRIVE_FORWARD) {
        return WPIN_DRIVE_REVERSE;
    }
    if (config->reversed && drive == WPIN_DRIVE_REVERSE) {
        return WPIN_DRIVE_FORWARD;
    }
    return drive;
}

/* What refuses a drive; its row otherwise. */
static wpin_status find_row(const wpin_stage *stage, wpin_drive drive, uint16_t duty,
                            uint8_t *row) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    *row = wpin_table_row(config->table, wired_drive(config, drive));
    return duty > (uint16_t)WPIN_DUTY_FULL               ? WPIN_REFUSED_RANGE
           : *row == WPIN_NO_ROW                         ? WPIN_REFUSED_STATE
           : stage->cut != 0 && drive > WPIN_DRIVE_BRAKE ? WPIN_REFUSED_FAULTED
                                                         : WPIN_OK;
}

/* Another row, or something that is refused; no sector. */
WPIN_RARE wpin_status wpin_rare_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    uint8_t row = 0;
    wpin_status status = find_row(stage, drive, duty, &row);
    return status == WPIN_OK ? change_row(stage, row, (uint8_t)drive, duty) : status;
}

/* Apart: who drives no sectors links nothing of it. */
static wpin_status apply_sector(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    uint8_t row = 0;
    wpin_status status = find_row(stage, drive, duty, &row);
    if (status != WPIN_OK) {
        return status;
    }
    stage->sector = (uint8_t)(drive - WPIN_DRIVE_SECTOR);
    status = change_row(stage, row, (uint8_t)drive, duty);
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage)); /* an edge may have come */
    wpin_keep_first(&status, wpin_stage_commutate_locked(stage, stage->sector, locked));
    return status;
}

wpin_status wpin_stage_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    bool same = drive == (wpin_drive)stage->drive && stage->cut == 0;
    return drive < WPIN_DRIVE_SECTOR || same
               ? wpin_steady_apply(stage, wpin_stage_port_of(stage), drive, duty)
               : apply_sector(stage, drive, duty);
}

/* ---- from interrupts ---- */

void wpin_stage_off(wpin_stage *stage) {
    if (!wpin_stage_is_open(stage)) {
        return;
    }
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage));
    uint8_t lines = (uint8_t)((1U << table->line_count) - 1U);
    const WPIN_FAR wpin_row *row = &table->rows[stage->row];
    uint8_t pulse = row->pulse;
    stage->cut = 1;
    write_levels(stage, (uint8_t)(lines & ~table->mode_lines & ~pulse), table->rest_high_lines);
    if (pulse != 0) {
        wpin_stage_write_duty(stage, row, 0); /* pulses are never plain; no swing is neutral */
    }
    stage->duty = 0;
    wpin_unlock(wpin_stage_port_of(stage), locked);
}

/* Rows of sectors mostly stand in the order of their numbers: then nothing has to be looked for. */
static uint8_t row_of(const wpin_stage *stage, uint8_t drive) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t row = (uint8_t)(stage->row + drive - stage->drive);
    bool there = row < table->row_count && table->rows[row].drive == drive;
    return there ? row : wpin_table_row(table, (wpin_drive)drive);
}

/* Goes straight to a sector's row, and on to the row of the newest one if an edge came while it
 * planned, or waited for a leg to turn. Under the lock, which it opens before each write, and lets
 * go. */
static wpin_status follow_sector(wpin_stage *stage, uint8_t row, uint8_t locked) {
    wpin_status status = WPIN_OK;
    uint8_t drive = (uint8_t)(WPIN_DRIVE_SECTOR + stage->sector);
    while (drive != stage->drive && stage->cut == 0 && row != WPIN_NO_ROW) {
        change c;
        plan_unlocked(&c, stage, row, &locked);
        if (c.modes != 0) {
            stage->flags &= (uint8_t)~WPIN_STAGE_CHANGING;
            wpin_keep_first(&status, WPIN_REFUSED_STATE); /* two dead times: the tick's way */
            break;
        }
        uint16_t now = (uint16_t)wpin_stage_port_of(stage)->now(wpin_stage_port_of(stage)->context);
        uint16_t since_us = (uint16_t)(now - stage->commutated_at);
        stage->commutated_at = now;
        wpin_keep_first(&status, cut_if_failed(stage, turn_off(stage, &c)));
        wpin_unlock(wpin_stage_port_of(stage), locked);
        /* two edges may come closer than a dead time, and the second turn on the other side of what
         * the first turned off */
        if (c.turns || since_us <= c.dead_us) {
            wait_dead_time(stage, c.dead_us);
        }
        locked = wpin_lock(wpin_stage_port_of(stage));
        note_plain(stage, c.plain);
        wpin_keep_first(&status, cut_if_failed(stage, turn_on(stage, &c, stage->duty)));
        stage->row = row;
        stage->drive = drive;
        uint8_t newest = (uint8_t)(WPIN_DRIVE_SECTOR + stage->sector);
        if (newest == drive) {
            break;
        }
        drive = newest;
        row = row_of(stage, drive);
    }
    wpin_unlock(wpin_stage_port_of(stage), locked);
    return status;
}

wpin_status wpin_stage_commutate_locked(wpin_stage *stage, uint8_t sector, uint8_t locked) {
    uint8_t drive = (uint8_t)(WPIN_DRIVE_SECTOR + sector), row = row_of(stage, drive);
    bool refused = sector > UINT8_MAX - WPIN_DRIVE_SECTOR || row == WPIN_NO_ROW;
    bool changing = (stage->flags & WPIN_STAGE_CHANGING) != 0;
    bool follows = !refused && (stage->drive >= WPIN_DRIVE_SECTOR || changing);
    if (follows) {
        stage->sector = sector;
    }
    if (follows && !changing) {
        return follow_sector(stage, row, locked);
    }
    wpin_unlock(wpin_stage_port_of(stage), locked);
    return refused ? WPIN_REFUSED_STATE : WPIN_OK;
}

wpin_status wpin_stage_commutate(wpin_stage *stage, uint8_t sector) {
    if (!wpin_stage_is_open(stage)) {
        return stage == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    return wpin_stage_commutate_locked(stage, sector, wpin_lock(wpin_stage_port_of(stage)));
}

/* ---- asking ---- */

bool wpin_stage_has(const wpin_stage *stage, wpin_drive drive) {
    return wpin_stage_is_open(stage) &&
           wpin_table_row(wpin_stage_config_of(stage)->table,
                          wired_drive(wpin_stage_config_of(stage), drive)) != WPIN_NO_ROW;
}

/* The forward row; a row with nothing in it if there is none. */
static wpin_row forward_row(const wpin_stage *stage) {
    uint8_t row = wpin_stage_is_open(stage)
                      ? wpin_table_row(wpin_stage_config_of(stage)->table, WPIN_DRIVE_FORWARD)
                      : WPIN_NO_ROW;
    wpin_row none = {0};
    return row == WPIN_NO_ROW ? none : wpin_stage_config_of(stage)->table->rows[row];
}

bool wpin_stage_pulses(const wpin_stage *stage) {
    return forward_row(stage).pulse != 0;
}

bool wpin_stage_is_on_off(const wpin_stage *stage) {
    wpin_row forward = forward_row(stage);
    return forward.timed == 0;
}

wpin_drive wpin_stage_drive(const wpin_stage *stage) {
    return stage == NULL ? WPIN_DRIVE_COAST : (wpin_drive)stage->drive;
}
