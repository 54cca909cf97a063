/* Whether a current limit of the controller's is quick enough for a shaft that is seized at full
 * duty: the current climbs with L / R, is seen through the sense's filter once a tick, and the duty
 * is folded back by the gain that the rig's controller uses. */
#include "rules.h"
#include <math.h>

double wpin_limited_seconds(const wpin_vetter *v, const wpin_facts *f, double most) {
    const wpin_rig_load *load = f->load;
    if (!f->motor || load->limits.limit_amps <= 0) {
        return HUGE_VAL;
    }
    const double step = 2e-5, whole = 1, tick = v->rig->controller.tick;
    double gain = wpin_rig_limit_gain(v->rig, load); /* duty for an ampere, a tick */
    double amps = f->run_amps, seen = amps, ceiling = 1, over = 0, next = tick;
    for (int i = 0; i < (int)(whole / step); i++) {
        double duty = fmin(load->limits.duty_max, ceiling);
        amps += (duty * f->volts - amps * f->loop_ohms) / load->motor.inductance * step;
        amps = fmax(amps, 0);
        seen += (amps - seen) * fmin(1, step / fmax(load->bridge.sense_filter, step));
        over += amps > most ? step : 0;
        if (i * step >= next) {
            ceiling = fmin(1, fmax(0, ceiling + (load->limits.limit_amps - seen) * gain));
            next += tick;
        }
    }
    return over;
}
