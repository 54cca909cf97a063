/* A brushless motor along its steps, in short pieces whose circuit (star.c) and place of the rotor
 * are known from the piece before: over diodes that open as a leg changes and over those that run
 * dry. What else happens, and motors of another kind, take loads/brushless.c. */
#include "walk.h"
#include "delta.h"
#include "glide.h"
#include "sense_lag.h"
#include <math.h>

#define PS 1e-12

typedef struct walk {
    wpin_plant *plant;
    wpin_runner runner;
    bool rounds; /* a current goes round in it */
    wpin_whereabouts now, next;
    const wpin_star *star;
    wpin_flowed flowed;
} walk;

/* ---- its circuit ---- */

/* Whether the lead that does not conduct is beyond a diode of its leg, and which. */
static bool opens(const walk *w, const wpin_whereabouts *at, int *digit) {
    const wpin_star *star = w->star;
    const double *f = at->shape.f, *share = star->share;
    double f_star = share[0] * f[0] + share[1] * f[1] + share[2] * f[2];
    double emf = star->constant * at->speed * (f[star->idle] - f_star);
    return wpin_beyond(star, at->u, emf, digit) > WPIN_OPENS_BY;
}

/* False: less than two leads conduct. */
static bool find_star(walk *w, const wpin_leg_state *legs, bool *opened) {
    int through;
    w->star = wpin_star_with(w->plant, legs, w->now.u, 0);
    *opened = w->star->count == 2 && opens(w, &w->now, &through);
    if (*opened) {
        w->star = wpin_star_with(w->plant, legs, w->now.u, through);
    }
    return w->star->count > 1;
}

/* ---- a piece ---- */

static void look_at(walk *w, const wpin_short *s, double h) {
    w->next.u = wpin_conducted(w->star, wpin_currents_at(&s->flow, h));
    w->next.speed = wpin_short_speed(s, h);
}

/* Held by friction, or on the way it turned, within a sector of flat tops. */
static bool turns_on(const walk *w, const wpin_short *s) {
    const wpin_runner *runner = &w->runner;
    if (runner->held) {
        double hold = w->plant->torque_hold;
        return fabs(s->torque) <= hold && fabs(wpin_dot(s->torque_by, w->next.u)) <= hold;
    }
    double turned = runner->poles * w->next.shape.at, begin = w->next.shape.begin;
    bool inside = runner->bend != 0 || (turned >= begin && turned <= begin + WPIN_SECTOR);
    return w->next.speed * w->now.speed > 0 && inside;
}

/* ---- what it adds up to ---- */

/* What is seen of a piece by itself: the largest current, and what its sensor makes of it. */
static void see(wpin_plant *plant, double amps, double mean, double h) {
    wpin_plant_sense(plant, 2 * mean - amps, amps, h);
    plant->amps = amps;
    plant->sums.least_amps = amps < plant->sums.least_amps ? amps : plant->sums.least_amps;
    plant->sums.most_amps = amps > plant->sums.most_amps ? amps : plant->sums.most_amps;
}

static void tally(walk *w, const wpin_short *s, double h) {
    wpin_plant *plant = w->plant;
    const wpin_whereabouts *a = &w->now, *b = &w->next;
    wpin_two charge = wpin_currents_charge(&s->flow, h);
    double size = wpin_size_of(charge), most = wpin_largest(b->u);
    double flows = wpin_dot(s->torque_by, charge) < 0 ? -size : size;
    see(plant, wpin_dot(s->torque_by, b->u) < 0 ? -most : most, flows / h, h);
    if (plant->heats) {
        wpin_short_loses(plant, w->star, (const wpin_two[]){a->u, b->u}, charge, h);
    }
    plant->rail_amps = wpin_dot(w->star->draws, b->u);
    w->flowed.seconds += h;
    w->flowed.amps += flows;
    w->flowed.sizes += size;
    w->flowed.squares += wpin_square_of(a->u, b->u) * h;
    w->flowed.drawn += wpin_dot(w->star->draws, charge) * plant->feed.share;
}

/* ---- on its way ---- */

static double friction_of(const wpin_plant *plant) {
    return plant->speed == 0 ? 0 : copysign(plant->torque_move, plant->speed);
}

/* What brakes it in a delta, by the speed it begins with; and what went round by the mean of both.
 */
static double goes_round(walk *w, double h) {
    wpin_round round = wpin_delta_round(w->plant, &w->now.shape, w->now.speed, h);
    w->runner.friction = friction_of(w->plant) - round.torque;
    return round.torque;
}

static void went_round(walk *w, double torque, double h) {
    double mean = (w->now.speed + w->next.speed) / 2;
    wpin_round round = wpin_delta_round(w->plant, &w->now.shape, mean, h);
    wpin_delta_keep(w->plant, &round);
    w->next.speed += w->runner.held ? 0 : (round.torque - torque) * w->runner.per_inertia * h;
}

/* A piece of up to dt ps; 0, and nothing done, if something happens in it. */
static int64_t go_on(walk *w, const wpin_leg_state *legs, int64_t dt) {
    bool opened;
    if (!find_star(w, legs, &opened)) {
        return 0;
    }
    double rate = w->star->fading + w->runner.poles * fabs(w->now.speed);
    wpin_short s;
    dt = wpin_short_enough(rate * ((double)dt * PS), dt);
    double round = w->rounds ? goes_round(w, (double)dt * PS) : 0;
    wpin_short_begin(&w->runner, w->star, &w->now, rate * ((double)dt * PS), &s);
    dt = w->star->diodes ? wpin_up_to_dip(w->star, &s.flow, dt) : dt;
    look_at(w, &s, (double)dt * PS);
    int dry = -1, through;
    if (wpin_flows_back(w->star, w->next.u)) {
        dry = wpin_first_dry(w->star, &s.flow, &dt);
        look_at(w, &s, (double)dt * PS);
    }
    double h = (double)dt * PS;
    wpin_shape_on(&w->runner, &w->now.shape, wpin_short_turns(&s, h), &w->next.shape);
    if ((dry >= 0 && opened && dt < WPIN_DRY_LEAST) || !turns_on(w, &s) ||
        wpin_largest(w->next.u) > w->plant->over_limit ||
        (w->star->count == 2 && opens(w, &w->next, &through))) {
        return 0;
    }
    tally(w, &s, h);
    if (w->rounds) {
        went_round(w, round, h);
    }
    if (dry >= 0) {
        w->next.u = wpin_emptied(w->next.u, dry, w->star->count);
    }
    w->now = w->next;
    return dt;
}

void wpin_walk_arrive(wpin_plant *plant, const wpin_whereabouts *at, const wpin_flowed *flowed) {
    wpin_plant_add(plant, flowed);
    plant->phase_amps[0] = at->u[0];
    plant->phase_amps[1] = at->u[1];
    plant->phase_amps[2] = -at->u[0] - at->u[1];
    plant->over_time = plant->over_peak = 0;
    plant->sums.rads += at->shape.at - plant->angle;
    plant->angle = at->shape.at;
    plant->speed = at->speed;
    plant->shape = at->shape;
}

wpin_runner wpin_runner_of(const wpin_plant *plant) {
    return (wpin_runner){.poles = plant->motor.pole_pairs,
                         .viscous = plant->viscous,
                         .quadratic = plant->quadratic,
                         .per_inertia = 1 / plant->inertia,
                         .friction = friction_of(plant),
                         .bend = plant->motor.sinusoidal ? -1 : 0,
                         .held = plant->speed == 0};
}

int64_t wpin_brushless_walk(wpin_plant *plant, const wpin_step *steps, int count, int times) {
    if (count == 0 || !wpin_goes_simply(plant)) {
        return 0;
    }
    wpin_shape_find(plant);
    const double *amps = plant->phase_amps;
    walk w; /* where it is next is not known yet */
    w.plant = plant;
    w.runner = wpin_runner_of(plant);
    w.rounds = wpin_goes_round(plant);
    w.now = (wpin_whereabouts){
        {amps[0], amps[2] == 0 ? -amps[0] : amps[1]}, plant->speed, plant->shape};
    w.flowed = (wpin_flowed){0};
    wpin_along along = {.first = steps,
                        .step = steps,
                        .end = steps + count,
                        .left = steps->dt,
                        .more = times - 1,
                        .again = times > 1 && count <= WPIN_STEPS_KNOWN,
                        .until_quiet = wpin_has_flats(plant),
                        .quiet = true};
    int64_t part = 1;
    while (part > 0 && along.step < along.end) {
        wpin_glide(plant, &w.runner, &w.now, &w.flowed, &along);
        const wpin_step *step = along.step;
        while (part > 0 && along.step < along.end && along.step == step) {
            part = go_on(&w, step->legs, along.left);
            if (part > 0) {
                wpin_along_go(&along, part, w.star->count == 2);
            }
        }
    }
    if (along.gone > 0) {
        wpin_walk_arrive(plant, &w.now, &w.flowed);
    }
    return along.gone;
}
