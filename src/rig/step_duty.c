/* About the duty that a step of a plan leads to, whatever quantity it asks for, and how a ramp
 * comes there. */
#include "windpin/host/rig.h"
#include <math.h>

double wpin_rig_step_duty(const wpin_rig *rig, const wpin_step *step) {
    double share = (double)step->value / WPIN_DUTY_FULL;
    if (step->quantity == WPIN_QUANTITY_EFFORT) {
        return share;
    }
    const wpin_rig_load *load = &rig->loads[step->target.number];
    double duty = step->quantity == WPIN_QUANTITY_TORQUE
                      ? wpin_rig_current_duty(rig, load, share * load->current.rated)
                      : wpin_rig_speed_duty(rig, load, share * load->speed.maximum);
    return fmax(fmin(duty, load->limits.duty_max), -load->limits.duty_max);
}

double wpin_rig_ramp_time(const wpin_rig_load *load, double from, double to) {
    const wpin_rig_limits *limits = &load->limits;
    double change = fabs(to) - fabs(from), shape = limits->smooth ? 1.5 : 1;
    return shape * (change > 0 ? change * limits->ramp_up : -change * limits->ramp_down);
}

double wpin_rig_ramp_seconds(const wpin_rig_load *load, double duty, double share) {
    double x = load->limits.smooth ? 0.5 - sin(asin(1 - 2 * share) / 3) : share;
    return wpin_rig_ramp_time(load, 0, duty) * x;
}

double wpin_rig_ramp_reaches(const wpin_rig_load *load, double duty, double seconds) {
    double whole = wpin_rig_ramp_time(load, 0, duty), x = whole > 0 ? fmin(seconds / whole, 1) : 1;
    return duty * (load->limits.smooth ? x * x * (3 - 2 * x) : x);
}
