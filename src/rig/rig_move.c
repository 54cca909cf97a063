/* How a load whose speed is regulated goes to a place. */
#include "windpin/host/rig.h"
#include <math.h>

#define PI 3.14159265358979323846

/* Where the stage drives the shaft back, the ramp; else what slows it is friction: at nine tenths.
 * Turns a second in a second. */
static double braking(const wpin_rig_load *load) {
    double ramp = load->speed.maximum / 60 / fmax(load->limits.ramp_down, 1e-3);
    if (wpin_rig_off_phase(load) == WPIN_OFF_SHORT) {
        return ramp;
    }
    return fmin(ramp, 0.9 * wpin_rig_coasts(load, 0) / (2 * PI * load->motor.gear_ratio));
}

/* Gently: eight tenths of what it can brake with. */
wpin_rig_move wpin_rig_move_of(const wpin_rig_load *load) {
    double rpm = load->position.speed > 0 ? load->position.speed : load->speed.rated;
    wpin_rig_move m = {.top = rpm / 60,
                       .up = load->speed.maximum / 60 / fmax(load->limits.ramp_up, 1e-3),
                       .down = 0.8 * braking(load)};
    if (load->limits.smooth) {
        m.bend = m.top / fmax(m.up, m.down) / 2;
    }
    return m;
}

/* The time from rest to a speed, or back: where full acceleration is not reached, by its rate of
 * change alone. */
static double ramp_time(double top, double most, double bend) {
    return top < most * bend ? 2 * sqrt(top * bend / most) : top / most + bend;
}

/* Turns of both ramps of an S to a speed: by symmetry at half of it on average. */
static double ramps(const wpin_rig_move *m, double top) {
    return top / 2 * (ramp_time(top, m->up, m->bend) + ramp_time(top, m->down, m->bend));
}

static double bent_time(const wpin_rig_move *m, double turns) {
    double top = m->top, low = 0;
    for (int i = 0; i < 40 && ramps(m, m->top) > turns; i++) { /* too short for it */
        double middle = (low + top) / 2;
        if (ramps(m, middle) > turns) {
            top = middle;
        } else {
            low = middle;
        }
    }
    return ramp_time(top, m->up, m->bend) + ramp_time(top, m->down, m->bend) +
           fmax(turns - ramps(m, top), 0) / top;
}

double wpin_rig_move_time(const wpin_rig_move *move, double turns) {
    double way = fabs(turns), slows = 1 / move->up + 1 / move->down;
    if (way == 0 || move->bend > 0) {
        return way == 0 ? 0 : bent_time(move, way);
    }
    double top = fmin(move->top, sqrt(2 * way / slows));
    return top * slows + (way - top * top / 2 * slows) / top;
}
