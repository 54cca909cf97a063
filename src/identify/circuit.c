/* What stands around the winding. */
#include "circuit.h"
#include <math.h>

/* What the current runs on through, besides the winding, while it is not driven. */
static double ohms_off(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_driver *b = &load->bridge;
    switch (wpin_rig_off_phase(load)) {
    case WPIN_OFF_FAST: return 2 * b->diode_resistance + rig->supplies[load->supply].resistance;
    case WPIN_OFF_SHORT: return 2 * b->on_resistance;
    default:
        return b->diode_resistance + (wpin_rig_single_switch(load->kind) ? 0 : b->on_resistance);
    }
}

double wpin_winding_more_on(const wpin_rig *rig, const wpin_rig_load *load) {
    return wpin_rig_loop_ohms(rig, load) - load->motor.resistance - ohms_off(rig, load);
}

wpin_pwm_loop wpin_winding_loop(const wpin_rig *rig, const wpin_rig_load *load, double duty,
                                double ohms, double henries, double emf) {
    wpin_rig_load motor = *load;
    motor.motor.constant = 1; /* so that a speed is an emf */
    motor.motor.inductance = henries;
    return wpin_rig_pwm_loop(&motor, rig->supplies[load->supply].volts,
                             ohms + ohms_off(rig, load) +
                                 fabs(duty) * wpin_winding_more_on(rig, load),
                             load->limits.pwm_hz, emf);
}

double wpin_step_amps(const wpin_rig *rig, const wpin_rig_load *load) {
    double scale = load->bridge.sense_volts_per_amp;
    return scale > 0 ? wpin_rig_converter_step(rig) / scale : 0;
}

void wpin_add_half_step(wpin_cut *cut, const wpin_rig *rig, const wpin_rig_load *load) {
    bool signs = load->bridge.sense_zero > 0; /* of one way it would be less, of the other more */
    double amps = signs ? 0 : wpin_step_amps(rig, load) / 2;
    for (size_t i = 0; i < cut->count; i++) {
        wpin_stretch *s = &cut->stretches[i];
        s->amps = s->duty == 0 ? 0 : s->amps + (s->amps < 0 ? -amps : amps);
    }
    for (size_t i = 0; i < cut->start_count; i++) {
        cut->starts[i].amps += cut->starts[i].amps < 0 ? -amps : amps;
    }
}
