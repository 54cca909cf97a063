/* The drive's regulators: a place into a velocity, a velocity into a current, a current into volts.
 */
#include "servo.h"
#include <math.h>

#define PI 3.14159265358979323846
#define DT WPIN_SERVO_STEP

static double limited(double value, double most) {
    return fmin(fmax(value, -most), most);
}

/* A current by the error of the velocity, in rad/s of the shaft; what the limit cuts off, the
 * integral does not ask for either. */
static double velocity_loop(wpin_servo *s, double target) {
    const wpin_servo_motor *m = &s->motor;
    double to_rad = 2 * PI / m->counts, band = 100;
    double most = (double)s->values[OD_MOST_CURRENT] / 1000 * m->rated_amps;
    double error = (target - s->velocity) * to_rad, gain = m->inertia * band / m->constant;
    double speeds_up = m->inertia * (s->velocity_ref - s->before) * to_rad / DT / m->constant;
    double amps = gain * error + s->integral + speeds_up;
    double given = limited(amps, most);
    if (given == amps || amps * error < 0) {
        s->integral = limited(s->integral + gain * band / 4 * error * DT, most);
    }
    return given;
}

static double amps_wanted(wpin_servo *s) {
    bool works = s->state == SERVO_ENABLED;
    if (works && s->values[OD_MODE_NOW] == SERVO_MODE_TORQUE) {
        double torque = wpin_servo_is_remote(s) ? (double)s->values[OD_TORQUE] : 0;
        double most = (double)s->values[OD_MOST_CURRENT];
        return limited(torque, most) / 1000 * s->motor.rated_amps;
    }
    bool places = s->values[OD_MODE_NOW] == SERVO_MODE_POSITION ||
                  s->values[OD_MODE_NOW] == SERVO_MODE_HOMING;
    double behind =
        places || fabs(s->velocity_ref) < 1 ? s->position_ref - s->position - s->offset : 0;
    return velocity_loop(s, s->velocity_ref + 20 * behind);
}

void wpin_servo_regulate(wpin_servo *s) {
    const wpin_servo_motor *m = &s->motor;
    s->drives =
        s->state == SERVO_ENABLED || s->state == SERVO_QUICK_STOP || s->state == SERVO_REACTS;
    if (!s->drives || s->volts_now < 1) {
        s->volts_out = s->amps_ref = s->integral = 0;
        return;
    }
    s->amps_ref = amps_wanted(s);
    double w = s->velocity * 2 * PI / m->counts;
    double volts = m->constant * w + m->resistance * s->amps_ref +
                   0.3 * m->inductance * (s->amps_ref - s->amps_now) / DT;
    s->volts_out = limited(volts / s->volts_now, 0.98);
}

void wpin_servo_rest(wpin_servo *s) {
    s->velocity_ref = s->velocity;
    s->position_ref = s->goal = s->position + s->offset;
    s->integral = 0;
    s->at_work = s->taken = s->reached = false;
    s->off_for = s->blocked_for = s->slow_for = s->heat = 0;
}
