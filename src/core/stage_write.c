/* What is written to the lines of a stage. Each write takes the lock for itself, so that no
 * interrupt waits for more than one; whoever turns the stage off, or shows something else,
 * meanwhile has the last word. */
#include "rare.h"
#include "stage_core.h"

/* ---- levels ---- */

bool wpin_line_agreed(wpin_shared_line *shared, uint8_t user, bool high) {
    if (shared == NULL) {
        return high;
    }
    uint8_t mine = wpin_bit(user);
    shared->needed = (uint8_t)(high ? shared->needed | mine : shared->needed & ~mine);
    return shared->needed != 0;
}

static void note_levels(wpin_stage *stage, uint8_t mask, uint8_t high) {
    stage->levels = (uint8_t)((stage->levels & ~mask) | (high & mask));
}

static wpin_status write_group(wpin_stage *stage, uint8_t mask, uint8_t high, uint8_t cut) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    uint8_t locked = wpin_lock(port);
    if (stage->cut == cut) {
        note_levels(stage, mask, high);
        status =
            port->group_write(port->context, stage->group, mask, (high ^ stage->inverted) & mask);
    }
    wpin_unlock(port, locked);
    return status;
}

static wpin_status write_line(wpin_stage *stage, const WPIN_FAR wpin_line *line, uint8_t bit,
                              bool high, uint8_t cut) {
    const wpin_port *port = wpin_stage_port_of(stage);
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    wpin_pin pin = line->pin;
    wpin_shared_line *shared = wpin_lines_may_share(config) ? line->shared : NULL;
    uint8_t user = wpin_lines_may_share(config) ? line->user : 0;
    bool inverted = wpin_lines_may_invert(config) && (stage->inverted & bit) != 0;
    wpin_status status = WPIN_OK;
    uint8_t locked = wpin_lock(port);
    if (stage->cut == cut) {
        note_levels(stage, bit, high ? bit : 0);
        high = shared == NULL ? high : wpin_line_agreed(shared, user, high);
        wpin_level level = high != inverted ? WPIN_HIGH : WPIN_LOW;
        status = port->write(port->context, pin, level);
    }
    wpin_unlock(port, locked);
    return status;
}

static WPIN_RARE wpin_status write_each(wpin_stage *stage, uint8_t mask, uint8_t high,
                                        uint8_t cut) {
    stage = wpin_stage_there(stage);
    const WPIN_FAR wpin_line *line = wpin_stage_config_of(stage)->lines;
    wpin_status status = WPIN_OK;
    for (uint8_t i = 0; i < WPIN_STAGE_LINES && mask >> i != 0; i++, line++) {
        uint8_t bit = wpin_bit(i);
        if ((mask & bit) != 0) {
            wpin_keep_first(&status, write_line(stage, line, bit, (high & bit) != 0, cut));
        }
    }
    return status;
}

/* Shared lines are written one by one as well: each has to be agreed on. */
wpin_status wpin_stage_write_lines(wpin_stage *stage, uint8_t mask, uint8_t high, uint8_t cut) {
    stage = wpin_stage_there(stage);
    return wpin_stage_port_of(stage)->group_write != NULL &&
                   (stage->flags & (WPIN_STAGE_GROUPED | WPIN_STAGE_SHARES)) == WPIN_STAGE_GROUPED
               ? write_group(stage, mask, high, cut)
               : write_each(stage, mask, high, cut);
}

wpin_status wpin_stage_float(const wpin_stage *stage, uint8_t mask, uint8_t cut) {
    stage = wpin_stage_there(stage);
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    for (const WPIN_FAR wpin_line *line = wpin_stage_config_of(stage)->lines; mask != 0;
         line++, mask >>= 1) {
        if ((mask & 1U) != 0) {
            wpin_pin pin = line->pin;
            uint8_t locked = wpin_lock(port);
            if (stage->cut == cut) {
                wpin_keep_first(&status, port->write(port->context, pin, WPIN_FLOAT));
            }
            wpin_unlock(port, locked);
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

/* What is shown while its duty is written: another row may take over between two writes. */
typedef struct showing {
    uint8_t row, cut;
    uint16_t duty;
    bool left; /* something else is shown by now */
} showing;

static showing look(const wpin_stage *stage) {
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage));
    showing s = {.row = stage->row, .cut = stage->cut, .duty = stage->duty};
    wpin_unlock(wpin_stage_port_of(stage), locked);
    return s;
}

/* Under the lock. */
static bool still(const wpin_stage *stage, showing *s) {
    s->left = s->left || stage->row != s->row || stage->cut != s->cut || stage->duty != s->duty;
    return !s->left;
}

static wpin_status write_leg(const wpin_stage *stage, showing *s, wpin_leg leg, uint16_t share) {
    const WPIN_FAR wpin_line *lines = wpin_stage_config_of(stage)->lines;
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_pin high = lines[leg.high_side & 7U].pin, low = lines[leg.low_side & 7U].pin;
    uint8_t locked = wpin_lock(port);
    wpin_status status =
        still(stage, s) ? port->leg_duty(port->context, high, low, share) : WPIN_OK;
    wpin_unlock(port, locked);
    return status;
}

static wpin_status write_timed(const wpin_stage *stage, showing *s, wpin_pin pin, uint16_t share) {
    const wpin_port *port = wpin_stage_port_of(stage);
    uint8_t locked = wpin_lock(port);
    wpin_status status = still(stage, s) ? port->pwm_duty(port->context, pin, share) : WPIN_OK;
    wpin_unlock(port, locked);
    return status;
}

/* A leg whose two sides carry PWM in this row is told to the port whole; which lines that were. */
static uint8_t write_legs(const wpin_stage *stage, showing *s, uint8_t complement,
                          wpin_status *status) {
    const WPIN_FAR wpin_stage_table *table = wpin_stage_config_of(stage)->table;
    uint8_t told = 0;
    for (uint8_t i = 0; complement != 0 && i < table->leg_count; i++) {
        wpin_leg leg = table->legs[i];
        uint8_t high = wpin_bit(leg.high_side), sides = high | wpin_bit(leg.low_side);
        if ((complement & sides) != 0) {
            bool mirrored = (complement & high) != 0;
            uint16_t share = mirrored ? (uint16_t)(WPIN_DUTY_FULL - s->duty) : s->duty;
            wpin_keep_first(status, write_leg(stage, s, leg, share));
            told |= sides;
        }
    }
    return told;
}

static wpin_status write_row(const wpin_stage *stage, showing *s) {
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    const WPIN_FAR wpin_row *row = &config->table->rows[s->row];
    wpin_status status = WPIN_OK;
    uint8_t left = (uint8_t)(row->timed & ~write_legs(stage, s, row->complement, &status));
    uint16_t share = row->pulse != 0 ? pulse_duty(config, row->drive, s->duty) : s->duty;
    for (const WPIN_FAR wpin_line *line = config->lines; left != 0; line++, left >>= 1) {
        if ((left & 1U) != 0) {
            wpin_keep_first(&status, write_timed(stage, s, line->pin, share));
        }
    }
    return status;
}

/* Anew where another row took over: it may have relied on lines that were yet to be written. */
wpin_status wpin_stage_write_duty(const wpin_stage *stage, uint8_t cut) {
    stage = wpin_stage_there(stage);
    wpin_status status = WPIN_OK;
    showing s = look(stage);
    while (s.cut == cut) {
        wpin_keep_first(&status, write_row(stage, &s));
        if (!s.left) {
            break;
        }
        s = look(stage);
    }
    return status;
}

WPIN_RARE wpin_status wpin_rare_row_duty(const wpin_stage *stage) {
    stage = wpin_stage_there(stage);
    if (!wpin_stage_is_open(stage)) {
        return WPIN_REFUSED_CLOSED;
    }
    bool changing =
        (stage->flags & WPIN_STAGE_CHANGING) != 0; /* to a row that shows it by itself */
    return changing ? WPIN_OK : wpin_stage_write_duty(stage, 0);
}
