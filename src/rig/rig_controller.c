/* A rig's controller as a part, and what it makes of a load's PWM. */
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

double wpin_rig_pwm_steps(const wpin_rig *rig, const wpin_rig_load *load) {
    if (load->limits.soft_pwm) {
        return 1 / (load->limits.pwm_hz * rig->controller.soft_tick);
    }
    wpin_part_controller controller = wpin_rig_controller_part(rig);
    double hz = 0;
    uint32_t steps = wpin_stage_kind_has_pwm(load->kind)
                         ? wpin_part_timer_steps(&controller, load->limits.pwm_hz, &hz)
                         : 0;
    return steps > 0 ? (double)steps : INFINITY;
}
