/* What a load is due by its parts, as the steps that drive it are judged by. */
#include "verdict.h"
#include <math.h>

double wpin_loose_duty(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    double switches = wpin_rig_single_switch(load->kind) ? 1 : 2;
    return wpin_rig_duty_for(load, wpin_rig_loose_amps(load), 0, s->volts, s->resistance,
                             switches * load->bridge.on_resistance);
}

double wpin_session_loose_duty(const wpin_session *run, size_t load) {
    wpin_dues *dues = &wpin_judging_of(run)->dues[load];
    if (dues->loose <= 0) {
        dues->loose = fmax(wpin_loose_duty(run->rig, &run->rig->loads[load]), 1e-9);
    }
    return dues->loose;
}

double wpin_due_speed(const wpin_rig *rig, const wpin_rig_load *load, double duty) {
    wpin_at_shaft s = wpin_part_at_shaft(&load->motor);
    return wpin_rig_speed_at(load, &s, rig->supplies[load->supply].volts,
                             wpin_rig_loop_ohms(rig, load), load->limits.pwm_hz, duty);
}

double wpin_due_time(const wpin_rig *rig, const wpin_rig_load *load) {
    double k = load->motor.constant, ohms = wpin_rig_loop_ohms(rig, load);
    return 2.3 * wpin_part_at_shaft(&load->motor).inertia * ohms / (k * k);
}
