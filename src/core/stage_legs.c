/* The three legs of a stage, each with a duty of its own. */
#include "stage_core.h"

#define LEGS 3U

/* Legs of two switches are told whole; half-bridge channels by their one timed line. */
static wpin_status write_legs(const wpin_stage *stage, const uint16_t *duties) {
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
    const WPIN_FAR wpin_stage_table *table = config->table;
    const wpin_port *port = wpin_stage_port_of(stage);
    wpin_status status = WPIN_OK;
    if (table->leg_count >= LEGS) {
        for (uint8_t i = 0; i < LEGS; i++) {
            wpin_leg leg = table->legs[i];
            wpin_keep_first(&status,
                            port->leg_duty(port->context, config->lines[leg.high_side & 7U].pin,
                                           config->lines[leg.low_side & 7U].pin, duties[i]));
        }
        return status;
    }
    uint8_t left = table->rows[stage->row].timed, n = 0;
    for (uint8_t line = 0; left >> line != 0 && n < LEGS; line++) {
        if ((left & wpin_bit(line)) != 0) {
            wpin_keep_first(&status,
                            port->pwm_duty(port->context, config->lines[line].pin, duties[n]));
            n++;
        }
    }
    return status;
}

wpin_status wpin_stage_show_legs(wpin_stage *stage, const uint16_t duties[LEGS]) {
    wpin_status status = WPIN_OK;
    uint8_t locked = wpin_lock(wpin_stage_port_of(stage));
    bool shows = stage->drive == WPIN_DRIVE_VECTOR && stage->cut == 0 &&
                 (stage->flags & WPIN_STAGE_CHANGING) == 0;
    if (shows) {
        status = write_legs(stage, duties);
        stage->cut = status == WPIN_OK ? stage->cut : 1;
    }
    wpin_unlock(wpin_stage_port_of(stage), locked);
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
    return wpin_stage_show_legs(stage, duties);
}
