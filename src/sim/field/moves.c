/* What the drive is to do in each of its control periods: velocities and places led by its own
 * profile, homing, and the errors of a motor that does not follow. */
#include "servo.h"
#include <math.h>

#define DT WPIN_SERVO_STEP

static double limited(double value, double most) {
    return fmin(fmax(value, -most), most);
}

static double value(const wpin_servo *s, wpin_od_key key) {
    return (double)s->values[key];
}

/* Of velocities and accelerations, in counts. */
static double rate(const wpin_servo *s, wpin_od_key key) {
    return (double)s->values[key] * s->motor.unit;
}

/* A velocity on its way, by the profile's own rates. */
static void lead(wpin_servo *s, double target, double up, double down) {
    double v = s->velocity_ref;
    bool slower = fabs(target) < fabs(v) || target * v < 0;
    double step = (slower ? down : up) * DT;
    double next = target > v ? fmin(v + step, target) : fmax(v - step, target);
    if (v != 0 && next * v < 0) { /* through zero the other rate holds */
        next = 0;
    }
    s->velocity_ref = next;
    s->position_ref += next * DT;
    if (next == 0 && v != 0) { /* it is held where it came to rest, however far behind it was */
        s->position_ref = s->position + s->offset;
    }
}

/* Of velocity mode's ramps: so many rpm in so many seconds. */
static double plain_rate(const wpin_servo *s, wpin_od_key rpm, wpin_od_key seconds) {
    return value(s, rpm) / value(s, seconds) / 60 * s->motor.counts;
}

/* Without its own bits of the control word the ramp stands still (5), or is led to zero (4, 6). */
static void go_plainly(wpin_servo *s, bool rests) {
    double asked = value(s, OD_PLAIN_TARGET), size = fabs(asked);
    size = asked == 0 ? 0 : fmin(fmax(size, value(s, OD_PLAIN_LEAST)), value(s, OD_PLAIN_MOST));
    if ((s->control & 0x50) != 0x50 || rests) {
        size = 0;
    }
    s->target = s->deaf ? s->target : copysign(size, asked) / 60 * s->motor.counts;
    if ((s->control & 0x20) != 0 || rests) {
        lead(s, s->target, plain_rate(s, OD_PLAIN_UP, OD_PLAIN_UP_S),
             plain_rate(s, OD_PLAIN_DOWN, OD_PLAIN_DOWN_S));
    }
    s->reached = s->velocity_ref == s->target;
}

/* How fast it stops. */
static double stop_rate(const wpin_servo *s) {
    return s->values[OD_MODE_NOW] == SERVO_MODE_PLAIN
               ? plain_rate(s, OD_PLAIN_QUICK, OD_PLAIN_QUICK_S)
               : rate(s, OD_QUICK);
}

static double fastest(const wpin_servo *s) {
    return fmin(rate(s, OD_PROFILE_VELOCITY), rate(s, OD_MOST_VELOCITY));
}

/* To a place: as fast as it may and can still brake. */
static void go(wpin_servo *s, double goal, double velocity) {
    double left = goal - s->position_ref, down = rate(s, OD_DOWN);
    double braked = sqrt(fmax(2 * down * fabs(left) * 0.98, 0));
    double most = fmin(velocity, braked);
    double near = fmax(fabs(s->velocity_ref) * DT, 1e-9);
    if (fabs(left) <= near || fabs(left) < 0.5) {
        s->position_ref = goal;
        s->velocity_ref = 0;
        return;
    }
    double v = s->velocity_ref, target = copysign(most, left);
    double by = fabs(v) > most || v * left < 0 ? 2 * down : rate(s, OD_UP);
    v = target > v ? fmin(v + by * DT, target) : fmax(v - by * DT, target);
    s->velocity_ref = v;
    s->position_ref += v * DT;
}

static void see_arrival(wpin_servo *s) {
    bool in = s->position_ref == s->goal &&
              fabs(s->position + s->offset - s->goal) <= value(s, OD_WINDOW);
    s->window_for = in ? s->window_for + DT : 0;
    s->reached = s->at_work && s->window_for * 1e3 >= value(s, OD_WINDOW_MS);
}

static void call_it(wpin_servo *s, double place) {
    double by = place - (s->position + s->offset);
    s->offset += by;
    s->position_ref = s->goal = place;
    s->homed = s->reached = true;
    s->homing_step = 0;
    s->velocity_ref = 0;
}

/* To the switch fast, off it slowly; a method that it does not have fails. */
static void home(wpin_servo *s) {
    int64_t method = s->values[OD_HOMING];
    unsigned limit = method == 17 ? 1 : method == 18 ? 2 : 0;
    bool on = (s->values[OD_INPUTS] & limit) != 0;
    double way = method == 17 ? -1 : 1;
    bool here = method == 35 || method == 37;
    if (here || (limit != 0 && s->homing_step == 3 && !on)) {
        call_it(s, value(s, OD_HOME_OFFSET));
    } else if (limit == 0) {
        s->home_failed = true;
        s->homing_step = 0;
    } else if (s->homing_step == 1) {
        lead(s, way * rate(s, OD_HOME_FAST), rate(s, OD_UP), rate(s, OD_QUICK));
        s->homing_step = on ? 2 : 1;
    } else {
        lead(s, -way * rate(s, OD_HOME_SLOW), rate(s, OD_UP), rate(s, OD_QUICK));
        s->homing_step = on ? 2 : 3;
    }
}

static void enabled(wpin_servo *s) {
    bool halts = (s->control & 0x100) != 0;
    bool foreign = !wpin_servo_is_remote(s); /* the bus is not heard */
    double up = rate(s, OD_UP), down = rate(s, OD_DOWN);
    switch (s->values[OD_MODE_NOW]) {
    case SERVO_MODE_POSITION:
        if (halts || foreign) {
            lead(s, 0, up, down);
            s->at_work = false;
            s->goal = s->position_ref;
            s->reached = s->velocity_ref == 0;
        } else if (s->at_work) {
            go(s, s->goal, fastest(s));
            see_arrival(s);
        }
        break;
    case SERVO_MODE_VELOCITY: {
        double most = rate(s, OD_MOST_VELOCITY);
        s->target = s->deaf ? s->target : rate(s, OD_TARGET_VELOCITY);
        double target = halts || foreign ? 0 : limited(s->target, most);
        lead(s, target, up, down);
        double window = fmax(0.01 * fabs(target), 2 * s->motor.counts / 1000);
        s->reached = s->velocity_ref == target && fabs(s->velocity - target) <= window;
        break;
    }
    case SERVO_MODE_PLAIN: go_plainly(s, halts || foreign); break;
    case SERVO_MODE_HOMING:
        if (s->homing_step > 0 && !halts) {
            home(s);
        } else {
            lead(s, 0, up, down);
        }
        break;
    default: s->velocity_ref = s->velocity; break;
    }
}

/* A motor that does not do as it is led. */
static void watch(wpin_servo *s) {
    bool torque = s->values[OD_MODE_NOW] == SERVO_MODE_TORQUE;
    double off = fabs(s->position_ref - s->position - s->offset);
    bool places = s->values[OD_MODE_NOW] == SERVO_MODE_POSITION ||
                  s->values[OD_MODE_NOW] == SERVO_MODE_HOMING;
    s->off_for = places && off > value(s, OD_FOLLOWING) ? s->off_for + DT : 0;
    double most = value(s, OD_MOST_CURRENT) / 1000 * s->motor.rated_amps;
    bool blocked = !torque && fabs(s->amps_ref) >= 0.99 * most &&
                   fabs(s->velocity) < 0.005 * s->motor.counts * 50;
    s->blocked_for = blocked ? s->blocked_for + DT : 0;
    bool slow = !torque && !blocked && fabs(s->amps_ref) >= 0.99 * most &&
                fabs(s->velocity_ref - s->velocity) >
                    fmax(0.3 * fabs(s->velocity_ref), 0.5 * s->motor.counts);
    s->slow_for = slow ? s->slow_for + DT : 0;
    double ratio = s->amps_now / s->motor.rated_amps;
    s->heat = fmax(0, s->heat + (ratio * ratio - 1.1) * DT);
    if (s->off_for * 1e3 > value(s, OD_FOLLOWING_MS)) {
        wpin_servo_fail(s, 0x8611);
    } else if (s->blocked_for > 0.5) {
        wpin_servo_fail(s, 0x7121);
    } else if (s->slow_for > 0.5) {
        wpin_servo_fail(s, 0x8400);
    } else if (s->heat > 10) {
        wpin_servo_fail(s, 0x2350);
    } else if (fabs(s->amps_now) > 3.5 * s->motor.rated_amps) {
        wpin_servo_fail(s, 0x2310);
    }
}

void wpin_servo_move(wpin_servo *s) {
    s->before = s->velocity_ref;
    if (s->state == SERVO_ENABLED) {
        enabled(s);
        watch(s);
    } else if (s->state == SERVO_QUICK_STOP || s->state == SERVO_REACTS) {
        lead(s, 0, stop_rate(s), stop_rate(s));
        watch(s);
    } else {
        s->velocity_ref = s->before = s->velocity;
        s->position_ref = s->position + s->offset;
    }
}
