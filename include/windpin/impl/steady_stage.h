/** @file steady_stage.h
 * Not for direct use: what a stage does in every tick; see steady.h.
 */
#ifndef WINDPIN_IMPL_STEADY_STAGE_H
#define WINDPIN_IMPL_STEADY_STAGE_H

#include "../api.h"
#include "known.h"
#include "lock.h"

#ifdef __cplusplus
extern "C" {
#endif

/** @name wpin_stage.flags; above them the number of the plain PWM line
 * @{ */
#define WPIN_STAGE_OPEN       ((uint8_t)1)
#define WPIN_STAGE_GROUPED    ((uint8_t)2)
#define WPIN_STAGE_SHARES     ((uint8_t)4)
#define WPIN_STAGE_PLAIN      ((uint8_t)8)
#define WPIN_STAGE_CHANGING   ((uint8_t)16)
#define WPIN_STAGE_LINE_SHIFT 5
/** @} */

/* ---- what runs when something changes: src/core/stage.c, stage_write.c ---- */
WPIN_API wpin_status wpin_rare_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty);
WPIN_API wpin_status wpin_rare_row_duty(const wpin_stage *stage);

/* The effort it shows, signed. */
WPIN_STEADY wpin_duty wpin_steady_shown(const wpin_stage *stage) {
    wpin_duty duty = (wpin_duty)stage->duty;
    return (wpin_duty)(stage->drive == WPIN_DRIVE_REVERSE ? -duty : duty);
}

WPIN_STEADY wpin_status wpin_steady_duty(wpin_stage *stage, const wpin_port *port, uint16_t duty) {
    wpin_status status = WPIN_OK;
    bool others = false;
    uint8_t locked = wpin_lock(port);
    if (stage->cut == 0) {
        const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(stage);
        stage->duty = duty;
        const uint8_t plain = WPIN_STAGE_PLAIN, changing = WPIN_STAGE_CHANGING;
        others = config == NULL || (!wpin_rows_are_plain(config->table) &&
                                    (stage->flags & (plain | changing)) != plain);
        if (!others) {
            uint8_t line = (uint8_t)(stage->flags >> WPIN_STAGE_LINE_SHIFT);
            wpin_pin pin = config->lines[wpin_plain_line(config->table, line)].pin;
            status = port->pwm_duty(port->context, pin, duty);
        }
    }
    wpin_unlock(port, locked);
    return others ? wpin_rare_row_duty(stage) : status;
}

WPIN_STEADY wpin_status wpin_steady_apply(wpin_stage *stage, const wpin_port *port,
                                          wpin_drive drive, uint16_t duty) {
    bool same =
        (stage->flags & WPIN_STAGE_OPEN) != 0 && (uint8_t)drive == stage->drive && stage->cut == 0;
    if (same && duty == stage->duty) {
        return WPIN_OK;
    }
    if (same && duty <= (uint16_t)WPIN_DUTY_FULL) {
        return wpin_steady_duty(stage, port, duty);
    }
    return wpin_rare_apply(stage, drive, duty);
}

#ifdef __cplusplus
}
#endif
#endif
