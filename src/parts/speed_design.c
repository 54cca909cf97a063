/* Gains of a speed regulator from the constants of motor and load. */
#include "windpin/host/calc.h"
#include <math.h>

#define PI 3.14159265358979323846

/* The motor is a first-order lag: it drives K g d - (K h + B) w with g amperes for a duty and h for
 * a speed, so speed / duty = K g / (K h + B), time constant J / (K h + B). What waits besides: half
 * a tick of holding, one of computing, half of what the speed is measured over, and L / R. The
 * integral cancels the motor's lag (its time is the motor's), which leaves an integrator with a
 * delay: at a response time of four delays the phase margin is 90 degrees less a fifth of a radian.
 * Skogestad, "Simple analytic rules for model reduction and PID controller tuning", 2003. */
wpin_speed_design wpin_calc_speed_design(const wpin_speed_plant *p) {
    double damping = p->constant * p->amps_per_speed + p->viscous;
    double gain = p->constant * p->amps_per_duty / damping / p->full; /* full speeds for a duty */
    double lag = p->inertia / damping;
    double delay = 1.5 * p->tick + p->measuring / 2 + p->electrical;
    double response = p->response > 0 ? fmax(p->response, 2 * delay) : fmax(4 * delay, lag / 8);
    double proportional = lag / (gain * (response + delay));
    double slow = fmin(lag, 4 * (response + delay)); /* a long lag is not waited out */
    wpin_speed_design d = {.full = p->full,
                           .feed = p->feed,
                           .friction = p->friction,
                           .breakaway = p->breakaway,
                           .inertia = p->speeding_up,
                           .gain = proportional,
                           .integral_time = slow,
                           .lag = lag,
                           .delay = delay,
                           .response = response,
                           .slew = fmax(response / 5, 1e-3)};
    double crossing = proportional * gain / lag;
    d.bandwidth = crossing / (2 * PI);
    d.phase_margin =
        180 / PI * (atan(crossing * slow) - atan(crossing * lag) + PI / 2 - crossing * delay);
    return d;
}
