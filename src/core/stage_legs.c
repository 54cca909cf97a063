/* The three legs of a stage, each with a duty of its own. */
#include "stage_core.h"

#define LEGS 3U

void wpin_stage_find_legs(const WPIN_FAR wpin_stage_config *config, wpin_leg_pins *legs) {
    const WPIN_FAR wpin_stage_table *table = config->table;
    const uint8_t row = wpin_table_row(table, WPIN_DRIVE_VECTOR);
    uint8_t left = row == WPIN_NO_ROW ? 0 : table->rows[row].timed, n = 0;
    legs->whole = table->leg_count >= LEGS;
    for (uint8_t i = 0; i < LEGS; i++) {
        wpin_leg leg = legs->whole ? table->legs[i] : (wpin_leg){0};
        legs->high[i] = config->lines[leg.high_side & 7U].pin;
        legs->low[i] = config->lines[leg.low_side & 7U].pin;
    }
    for (uint8_t line = 0; !legs->whole && left >> line != 0 && n < LEGS; line++) {
        if ((left & wpin_bit(line)) != 0) {
            legs->high[n] = config->lines[line].pin;
            n++;
        }
    }
}

/* Legs of two switches are told whole; half-bridge channels by their one timed line. */
static wpin_status write_legs(const wpin_port *port, const wpin_leg_pins *legs,
                              const uint16_t duties[LEGS]) {
    wpin_status status = WPIN_OK;
    if (!legs->whole) {
        for (uint8_t i = 0; i < LEGS; i++) {
            wpin_keep_first(&status, port->pwm_duty(port->context, legs->high[i], duties[i]));
        }
        return status;
    }
    for (uint8_t i = 0; i < LEGS; i++) {
        wpin_keep_first(&status,
                        port->leg_duty(port->context, legs->high[i], legs->low[i], duties[i]));
    }
    return status;
}

wpin_status wpin_stage_show_legs(wpin_stage *stage, const wpin_leg_pins *legs,
                                 const uint16_t duties[LEGS]) {
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    uint8_t locked = wpin_lock(port);
    bool shows = stage->drive == WPIN_DRIVE_VECTOR && stage->cut == 0 &&
                 (stage->flags & WPIN_STAGE_CHANGING) == 0;
    if (shows) {
        status = write_legs(port, legs, duties);
        stage->cut = status == WPIN_OK ? stage->cut : 1;
    }
    wpin_unlock(port, locked);
    return status;
}

wpin_status wpin_stage_legs(wpin_stage *stage, const uint16_t duties[LEGS]) {
    if (!wpin_stage_is_open(stage) || duties == NULL) {
        return stage == NULL || duties == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    for (uint8_t i = 0; i < LEGS; i++) {
        if (duties[i] > (uint16_t)WPIN_DUTY_FULL) {
            return WPIN_REFUSED_RANGE;
        }
    }
    wpin_leg_pins legs;
    wpin_stage_find_legs(wpin_stage_config_of(stage), &legs);
    return wpin_stage_show_legs(stage, &legs, duties);
}
