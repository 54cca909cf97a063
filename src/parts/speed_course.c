/* What a speed regulator's design predicts: the course of a speed, tick by tick. */
#include "windpin/host/calc.h"
#include <math.h>
#include <stdlib.h>

#define PARTS 16 /* of a tick, in which the motor goes on */

typedef struct course {
    const wpin_speed_plant *plant;
    const wpin_speed_design *design;
    double *past; /* speeds of the last parts, for what is measured */
    size_t window, at;
    double sum;         /* of them */
    double speed, amps; /* off the working point, rad/s and A */
    double integral, effort, rate;
    double share; /* of its gains, for a speed that is measured late */
} course;

/* The shaft goes on for a part of a tick, the winding exactly. */
static void go_on(course *c, double torque) {
    const wpin_speed_plant *p = c->plant;
    double dt = p->tick / PARTS;
    double goal = p->amps_per_duty * c->effort - p->amps_per_speed * c->speed;
    c->amps = p->electrical > 0 ? goal + (c->amps - goal) * exp(-dt / p->electrical) : goal;
    c->speed += dt / p->inertia * (p->constant * c->amps - p->viscous * c->speed - torque);
    c->sum += c->speed - c->past[c->at];
    c->past[c->at] = c->speed;
    c->at = (c->at + 1) % c->window;
}

/* The regulator of windpin/speed.h, in shares and seconds. */
static void regulate(course *c, double asked, double moved, double slew) {
    const wpin_speed_design *d = c->design;
    double measured = c->sum / (double)c->window / c->plant->full, error = asked - measured;
    c->rate += (moved / c->plant->tick - c->rate) / 16;
    double gain = d->gain * c->share;
    c->integral += gain * c->plant->tick / d->integral_time * error;
    double effort = d->feed * asked + d->inertia * c->rate + gain * error + c->integral;
    double most = slew * c->plant->tick;
    c->effort += fmin(fmax(effort - c->effort, -most), most);
}

/* The gains are halved for each doubling of the age beyond twice the delay they are made for. */
static double share_of_gains(const wpin_speed_design *design, double window) {
    double share = 1, fresh = 2 * design->delay;
    while (window * share > 1.5 * fresh && share > 1.0 / 256) {
        share /= 2;
    }
    return share;
}

bool wpin_calc_speed_course(const wpin_speed_plant *plant, const wpin_speed_design *design,
                            const wpin_speed_asked *asked, double *speeds, size_t count) {
    double whole = fmax(round(asked->window / plant->tick * PARTS), 1);
    course c = {.plant = plant, .design = design, .window = (size_t)whole};
    c.share = share_of_gains(design, asked->window);
    c.past = calloc(c.window, sizeof *c.past);
    if (c.past == NULL) {
        return false;
    }
    double setpoint = 0, step = asked->to - asked->from, most = asked->rate * plant->tick;
    for (size_t i = 0; i < count; i++) {
        double moved = fmin(fmax(step - setpoint, -most), most);
        setpoint += moved;
        regulate(&c, setpoint, moved, asked->slew);
        for (int part = 0; part < PARTS; part++) {
            go_on(&c, i >= asked->load_at ? asked->torque : 0);
        }
        speeds[i] = asked->from + c.speed / plant->full;
    }
    free(c.past);
    return true;
}
