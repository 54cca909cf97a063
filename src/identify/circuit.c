/* What stands around the winding. */
#include "circuit.h"
#include <math.h>

/* What is in series with the winding, averaged over a period: switches and supply while they
 * drive, what the current runs on through in the rest of it. */
static double other_ohms(const wpin_rig *rig, const wpin_rig_load *load, double duty) {
    const wpin_part_driver *b = &load->bridge;
    bool single = wpin_rig_single_switch(load->kind);
    double supply = rig->supplies[load->supply].resistance;
    double on = (single ? 1 : 2) * b->on_resistance + supply;
    double off = b->diode_resistance + (single ? 0 : b->on_resistance);
    switch (wpin_rig_off_phase(load)) {
    case WPIN_OFF_FAST: off = 2 * b->diode_resistance + supply; break;
    case WPIN_OFF_SHORT: off = 2 * b->on_resistance; break;
    default: break;
    }
    return fabs(duty) * on + (1 - fabs(duty)) * off;
}

wpin_pwm_loop wpin_winding_loop(const wpin_rig *rig, const wpin_rig_load *load, double duty,
                                double ohms, double henries, double emf) {
    wpin_rig_load motor = *load;
    motor.motor.constant = 1; /* so that a speed is an emf */
    motor.motor.inductance = henries;
    return wpin_rig_pwm_loop(&motor, rig->supplies[load->supply].volts,
                             ohms + other_ohms(rig, load, duty), load->limits.pwm_hz, emf);
}

void wpin_add_half_step(wpin_cut *cut, const wpin_rig *rig, const wpin_rig_load *load) {
    double bits = rig->controller.converter_bits, scale = load->bridge.sense_volts_per_amp;
    double amps = bits > 0 && scale > 0 ? rig->controller.logic_volts / exp2(bits) / 2 / scale : 0;
    for (size_t i = 0; i < cut->count; i++) {
        wpin_stretch *s = &cut->stretches[i];
        s->amps = s->duty == 0 ? 0 : s->amps + (s->amps < 0 ? -amps : amps);
    }
    for (size_t i = 0; i < cut->start_count; i++) {
        cut->starts[i].amps += cut->starts[i].amps < 0 ? -amps : amps;
    }
}
