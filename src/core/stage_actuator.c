/* A power stage as an actuator: effort by its truth table. */
#include "stage_core.h"
#include "windpin/actuator.h"

static wpin_status open_stage(void *self, const WPIN_FAR void *config, const wpin_port *port) {
    return wpin_stage_open(wpin_stage_there(self), (const WPIN_FAR wpin_stage_config *)config,
                           port);
}

static wpin_status close_stage(void *self) {
    return wpin_stage_close(wpin_stage_there(self));
}

static uint8_t traits(const void *self) {
    const WPIN_FAR wpin_stage_config *config = wpin_stage_config_of(self);
    if (config != NULL && wpin_table_is_known(config->table)) {
        return wpin_known_traits(config);
    }
    static const uint8_t drives[4] = {WPIN_DRIVE_COAST, WPIN_DRIVE_BRAKE, WPIN_DRIVE_FORWARD,
                                      WPIN_DRIVE_REVERSE};
    uint8_t can = 0;
    for (uint8_t i = 0; i < 4; i++) {
        can |= (uint8_t)(wpin_stage_has(self, (wpin_drive)drives[i]) ? 1U << i : 0U);
    }
    return (uint8_t)(can | (wpin_stage_is_on_off(self) ? WPIN_IS_ON_OFF : 0) |
                     (wpin_stage_pulses(self) ? WPIN_IS_PULSE : 0));
}

static wpin_status put(void *self, uint8_t quantity, int32_t value) {
    (void)quantity; /* it takes nothing but effort */
    wpin_stage *stage = wpin_stage_there(self);
    bool forward = value >= 0;
    uint16_t duty = (uint16_t)(forward ? (uint32_t)value : 0U - (uint32_t)value);
    return wpin_stage_is_open(stage)
               ? wpin_steady_apply(stage, wpin_stage_port_of(stage),
                                   forward ? WPIN_DRIVE_FORWARD : WPIN_DRIVE_REVERSE, duty)
               : WPIN_REFUSED_CLOSED;
}

static wpin_status idle(void *self, wpin_drive how) {
    const wpin_stage *stage = wpin_stage_there(self);
    bool already = wpin_stage_is_open(stage) && (uint8_t)how == stage->drive && stage->cut == 0 &&
                   stage->duty == 0;
    return already ? WPIN_OK : wpin_rare_apply(wpin_stage_there(self), how, 0);
}

static wpin_duty shown(const void *self) {
    return wpin_steady_shown(self);
}

static void off(void *self) {
    wpin_stage_off(self);
}

const WPIN_FLASH wpin_actuator wpin_stage_actuator = {.takes = WPIN_TAKES(WPIN_QUANTITY_EFFORT),
                                                      .stage = true,
                                                      .open = open_stage,
                                                      .close = close_stage,
                                                      .traits = traits,
                                                      .put = put,
                                                      .idle = idle,
                                                      .shown = shown,
                                                      .off = off};
