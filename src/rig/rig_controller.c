/* A rig's controller as a part. */
#include "windpin/host/rig.h"
#include <math.h>

wpin_part_controller wpin_rig_controller_part(const wpin_rig *rig) {
    const wpin_rig_controller *c = &rig->controller;
    return (wpin_part_controller){.logic_volts = c->logic_volts,
                                  .pin_resistance = c->pin_resistance,
                                  .pin_burns_above = c->pin_limit,
                                  .timer_hz = c->timer_hz,
                                  .timer_steps_max = (uint32_t)(exp2(c->timer_bits) - 1)};
}
