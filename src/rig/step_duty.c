/* About the duty that a step of a plan leads to, whatever quantity it asks for. */
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
