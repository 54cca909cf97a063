/* A brushless motor along its steps, in short pieces whose circuit (star.c) and place of the rotor
 * are known from the piece before: over diodes that open as a leg changes and over those that run
 * dry. What else happens, and motors of another kind, take loads/brushless.c. */
#include "delta.h"
#include "glide.h"
#include <math.h>

#define PS 1e-12
/* The sine of the angle is worked out afresh after so many pieces. */
#define TURNED_ON_MOST 200
/* V beyond its diode before one opens. */
#define OPENS_BY 1e-9
/* One that opens does not run dry at once: that is left to others, ps. */
#define DRY_LEAST 1000

typedef struct walk {
    wpin_plant *plant;
    wpin_runner runner;
    bool rounds; /* a current goes round in it */
    wpin_whereabouts now, next;
    const wpin_star *star;
    wpin_flowed flowed;
} walk;

static void find_rotor(wpin_plant *plant) {
    wpin_shape *shape = &plant->shape;
    if (shape->at == plant->angle && shape->turned_on < TURNED_ON_MOST) {
        return;
    }
    double turned = plant->motor.pole_pairs * plant->angle;
    shape->at = plant->angle;
    shape->turned_on = 0;
    if (plant->motor.sinusoidal) {
        shape->sine = sin(turned);
        shape->cosine = cos(turned);
        wpin_shape_sine(shape);
    } else {
        wpin_phases_sector(turned, shape);
        wpin_phases_flats(turned, shape);
    }
}

/* ---- its circuit ---- */

/* By how much a lead that does not conduct is beyond a diode of its leg, V, and which: 3 to ground,
 * 4 to the supply. */
static double beyond(const walk *w, const wpin_whereabouts *at, int x, int *digit) {
    const wpin_star *star = w->star;
    const wpin_feed *feed = &w->plant->feed;
    const double *f = at->shape.f, *share = star->share;
    double f_star = share[0] * f[0] + share[1] * f[1] + share[2] * f[2];
    double sag = feed->resistance * feed->share * feed->share * wpin_dot(star->draws, at->u);
    double volts =
        star->lift + wpin_dot(star->middle, at->u) + star->constant * at->speed * (f[x] - f_star);
    double above = volts - (wpin_feed_volts(feed) - sag);
    *digit = above > -volts ? 4 : 3;
    return (above > -volts ? above : -volts) - feed->diode_volts;
}

/* The lead that is furthest beyond; -1: none. */
static int furthest(const walk *w, const wpin_whereabouts *at, int *digit) {
    double most = OPENS_BY;
    int found = -1;
    for (int x = 0; x < WPIN_PHASES; x++) {
        int through = 0;
        double by = w->star->share[x] == 0 ? beyond(w, at, x, &through) : 0;
        if (by > most) {
            most = by;
            found = x;
            *digit = through;
        }
    }
    return found;
}

/* False: less than two leads conduct. */
static bool find_star(walk *w, const wpin_leg_state *legs, bool *opened) {
    int digit[WPIN_PHASES] = {wpin_lead_digit(legs[0], w->now.u[0]),
                              wpin_lead_digit(legs[1], w->now.u[1]),
                              wpin_lead_digit(legs[2], w->now.third)};
    w->star = wpin_star_of(w->plant, digit);
    *opened = false;
    while (w->star->count == 2) {
        int through = 0, x = furthest(w, &w->now, &through);
        if (x < 0) {
            break;
        }
        digit[x] = through;
        *opened = true;
        w->star = wpin_star_of(w->plant, digit);
    }
    return w->star->count > 1;
}

/* ---- a piece ---- */

static inline double lead(wpin_two u, int x) {
    return x < 2 ? u[x] : -u[0] - u[1];
}

static void look_at(walk *w, const wpin_short *s, double h) {
    w->next.u = wpin_short_amps(s, h);
    w->next.third = w->star->share[2] > 0 ? -w->next.u[0] - w->next.u[1] : 0;
    w->next.speed = wpin_short_speed(s, h);
}

/* When the current of a diode is nothing: Newton's steps, kept between here and an end at which it
 * would flow the other way. */
static double runs_dry(const wpin_short *s, int x, double end) {
    double low = 0, high = end, first = lead(s->u, x), last = lead(wpin_short_amps(s, end), x);
    double t = first != 0 ? end * first / (first - last) : end / 2;
    for (int i = 0; i < 40; i++) {
        double y = lead(wpin_short_amps(s, t), x);
        double slope = lead(s->u1 + t * (s->u2 + t / 2 * (s->u3 + t / 3 * s->u4)), x);
        bool before = last < 0 ? y > 0 : y < 0;
        low = before ? t : low;
        high = before ? high : t;
        double next = t - y / slope;
        if (fabs(next - t) < PS / 4) {
            break;
        }
        t = next > low && next < high ? next : (low + high) / 2;
    }
    return t;
}

static inline bool flows_back(const wpin_star *star, const wpin_whereabouts *at) {
    return star->way[0] * at->u[0] < 0 || star->way[1] * at->u[1] < 0 ||
           star->way[2] * at->third < 0;
}

/* The first of the leads whose diode runs dry; dt until then. */
static int first_dry(walk *w, const wpin_short *s, int64_t *dt) {
    int dry = -1;
    for (int x = 0; x < WPIN_PHASES; x++) {
        if (w->star->way[x] * lead(w->next.u, x) < 0) {
            int64_t part = (int64_t)(runs_dry(s, x, (double)*dt * PS) / PS);
            *dt = part < 1 ? 1 : part;
            dry = x;
            look_at(w, s, (double)*dt * PS);
        }
    }
    return dry;
}

/* What goes in at one of the others comes out at the other: where there are two. */
static void empty(wpin_whereabouts *at, int x, int count) {
    if (count < WPIN_PHASES) {
        at->u = (wpin_two){0};
        at->third = 0;
        return;
    }
    double half = x == 0 ? (at->u[1] - at->third) / 2
                         : (x == 1 ? (at->u[0] - at->third) / 2 : (at->u[0] - at->u[1]) / 2);
    at->u = (wpin_two){x == 0 ? 0 : half, x == 1 ? 0 : (x == 0 ? half : -half)};
    at->third = x == 2 ? 0 : -half;
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
    wpin_two charge = wpin_short_charge(s, h), two = a->u * a->u + a->u * b->u + b->u * b->u;
    double c = a->third * a->third + a->third * b->third + b->third * b->third;
    double squares = two[0] + two[1] + c, most = wpin_largest(b->u, b->third);
    double size = sqrt(squares / 6), mean = s->torque < 0 ? -size : size;
    see(plant, s->torque < 0 ? -most : most, mean, h);
    if (plant->heats) {
        wpin_short_loses(plant, w->star, (const wpin_two[]){a->u, b->u}, charge, h);
    }
    plant->rail_amps = wpin_dot(w->star->draws, b->u);
    w->flowed.seconds += h;
    w->flowed.amps += mean * h;
    w->flowed.sizes += size * h;
    w->flowed.squares += squares / 6 * h;
    w->flowed.drawn += wpin_dot(w->star->draws, charge) * plant->feed.share;
}

/* ---- on its way ---- */

/* So much of dt that four terms do. */
static int64_t short_enough(double rate, int64_t dt) {
    if (rate * ((double)dt * PS) <= WPIN_SHARE_MOST) {
        return dt;
    }
    int64_t most = (int64_t)(WPIN_SHARE_MOST / rate / PS) + 1;
    return dt > 2 * most ? most : dt / 2 + 1;
}

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
    dt = short_enough(rate, dt);
    double round = w->rounds ? goes_round(w, (double)dt * PS) : 0;
    wpin_short_begin(&w->runner, w->star, &w->now, rate * ((double)dt * PS), &s);
    look_at(w, &s, (double)dt * PS);
    int dry = flows_back(w->star, &w->next) ? first_dry(w, &s, &dt) : -1, through;
    double h = (double)dt * PS;
    wpin_shape_on(&w->runner, &w->now.shape, wpin_short_turns(&s, h), &w->next.shape);
    if ((dry >= 0 && opened && dt < DRY_LEAST) || !turns_on(w, &s) ||
        wpin_largest(w->next.u, w->next.third) > w->plant->over_limit ||
        (w->star->count == 2 && furthest(w, &w->next, &through) >= 0)) {
        return 0;
    }
    tally(w, &s, h);
    if (w->rounds) {
        went_round(w, round, h);
    }
    if (dry >= 0) {
        empty(&w->next, dry, w->star->count);
    }
    w->now = w->next;
    return dt;
}

static void arrive(const walk *w) {
    wpin_plant *plant = w->plant;
    wpin_plant_add(plant, &w->flowed);
    plant->phase_amps[0] = w->now.u[0];
    plant->phase_amps[1] = w->now.u[1];
    plant->phase_amps[2] = w->now.third;
    plant->over_time = plant->over_peak = 0;
    plant->sums.rads += w->now.shape.at - plant->angle;
    plant->angle = w->now.shape.at;
    plant->speed = w->now.speed;
    plant->shape = w->now.shape;
}

static wpin_runner runner_of(const wpin_plant *plant) {
    return (wpin_runner){.poles = plant->motor.pole_pairs,
                         .viscous = plant->viscous,
                         .quadratic = plant->quadratic,
                         .per_inertia = 1 / plant->inertia,
                         .friction = friction_of(plant),
                         .bend = plant->motor.sinusoidal ? -1 : 0,
                         .held = plant->speed == 0};
}

int64_t wpin_brushless_walk(wpin_plant *plant, const wpin_step *steps, int count) {
    bool other = plant->motor.cogging > 0 || plant->burnt || plant->lead_off || plant->has_stops ||
                 plant->feed.saturation_volts > 0;
    if (other) { /* two signs of a current have two ties at a bipolar switch */
        return 0;
    }
    find_rotor(plant);
    const double *amps = plant->phase_amps;
    walk w = {.plant = plant,
              .runner = runner_of(plant),
              .rounds = wpin_goes_round(plant),
              .now = {.u = {amps[0], amps[1]},
                      .third = amps[2],
                      .speed = plant->speed,
                      .shape = plant->shape}};
    int64_t gone = 0, part = 1, left = 0;
    for (int i = 0; i < count && part > 0; i++) {
        i += wpin_glide(plant, &w.runner, &w.now, &w.flowed, steps + i, count - i, &gone);
        for (left = i < count ? steps[i].dt : 0; left > 0 && part > 0; left -= part) {
            part = go_on(&w, steps[i].legs, left);
            gone += part;
        }
    }
    if (gone > 0) {
        arrive(&w);
    }
    return gone;
}
