/* A stage that answers anything and shows anything after each call, in place of the core's own:
 * what is proved with it holds whatever a stage does. That every one of these calls may come at any
 * time, and that a stage keeps what `showing` promises, is proved in stage.c. */
#ifndef WPIN_PROOF_ANY_STAGE_H
#define WPIN_PROOF_ANY_STAGE_H

#include "../src/core/stage_core.h"
#include "any.h"

/* Open or closed, with its wires. */
static wpin_status showing(wpin_stage *stage, bool open) {
    uint8_t row = any8, flags = any8;
    uint16_t duty = any16;
    stage->row = stage->config != NULL && row < stage->config->table->row_count ? row : 0;
    stage->duty = duty < (uint16_t)WPIN_DUTY_FULL ? duty : (uint16_t)WPIN_DUTY_FULL;
    stage->flags = (uint8_t)((flags & ~WPIN_STAGE_OPEN) | (open ? WPIN_STAGE_OPEN : 0));
    stage->drive = any8;
    stage->levels = any8;
    stage->inverted = any8;
    stage->group = any8;
    stage->cut = any8;
    stage->sector = any8;
    stage->commutated_at = any16;
    return any ? (wpin_status)any8 : WPIN_OK;
}

static wpin_status shown(wpin_stage *stage) {
    if (!wpin_stage_is_open(stage)) {
        return any ? WPIN_REFUSED_CLOSED : WPIN_REFUSED_ARGUMENT;
    }
    return showing(stage, true);
}

wpin_status wpin_stage_open(wpin_stage *stage, const wpin_stage_config *config,
                            const wpin_port *port) {
    *stage = (wpin_stage){0};
    if (config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (any) { /* refused before it has its wires, or after */
        return any ? (wpin_status)(any8 | 1U) : WPIN_REFUSED_CONFIG;
    }
    stage->config = config;
    stage->port = port;
    bool opens = ANY_BOOL;
    showing(stage, opens);
    return opens ? WPIN_OK : WPIN_REFUSED_PORT;
}

wpin_status wpin_stage_close(wpin_stage *stage) {
    return wpin_stage_is_open(stage) ? showing(stage, false) : WPIN_OK;
}

wpin_status wpin_stage_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    (void)drive, (void)duty;
    return shown(stage);
}

wpin_status wpin_stage_charge(wpin_stage *stage) {
    return shown(stage);
}

wpin_status wpin_rare_apply(wpin_stage *stage, wpin_drive drive, uint16_t duty) {
    (void)drive, (void)duty;
    return shown(stage);
}

wpin_status wpin_rare_row_duty(const wpin_stage *stage) {
    /*@ assert is_open: stage->config != \null && stage->port != \null; */
    return any ? (wpin_status)any8 : WPIN_OK;
}

wpin_status wpin_stage_commutate(wpin_stage *stage, uint8_t sector) {
    (void)sector;
    return shown(stage);
}

wpin_status wpin_stage_commutate_locked(wpin_stage *stage, uint8_t sector, uint8_t locked) {
    (void)sector;
    /*@ assert is_open: stage->config != \null && stage->port != \null; */
    wpin_unlock(stage->port, locked);
    return showing(stage, true);
}

void wpin_stage_find_legs(const WPIN_FAR wpin_stage_config *config, wpin_leg_pins *legs) {
    (void)config;
    *legs = (wpin_leg_pins){{any8, any8, any8}, {any8, any8, any8}, any != 0};
}

wpin_status wpin_stage_show_legs(wpin_stage *stage, const wpin_leg_pins *legs,
                                 const uint16_t duties[3]) {
    (void)legs;
    /*@ assert is_open: stage->config != \null && stage->port != \null; */
    /*@ assert duties_in_range: duties[0] <= 16384 && duties[1] <= 16384 && duties[2] <= 16384; */
    (void)duties;
    return showing(stage, true);
}

void wpin_stage_off(wpin_stage *stage) {
    shown(stage);
}

void wpin_stage_rest_lines(wpin_stage *stage) {
    /*@ assert is_open: stage->config != \null && stage->port != \null; */
    showing(stage, true);
}

bool wpin_stage_has(const wpin_stage *stage, wpin_drive drive) {
    (void)drive;
    return wpin_stage_is_open(stage) && ANY_BOOL;
}

#endif
