/* The usual way of a brushless motor along the steps of its legs. With u the currents into leads a
 * and b:
 *     du/dt = M u + F - P emf
 * M, F and P are those of the leads that conduct (star.c). Currents go from step to step, over
 * diodes that open as a leg changes or run dry; the rotor in courses of several steps. */
#include "glide.h"
#include "delta.h"
#include "rotor_course.h"

#define PS 1e-12
/* The share of a time constant, and of a radian, that a period goes over at once by its means: four
 * terms leave out 3e-6. */
#define MEAN_SHARE_MOST 0.2

/* What stays the same. */
typedef struct glider {
    wpin_plant *plant;
    const wpin_runner *runner;
    double idle_volts; /* of a lead that does not conduct, for its emf in A/s */
} glider;

/* Where it has come to. */
typedef struct way {
    wpin_two u;
    const wpin_star *star; /* after the piece before */
    bool two;              /* of its leads conducted */
    double mean, largest; /* current in it; of the leads as it ended: with the sign of the torque */
    wpin_flowed flowed;
    double drawn;       /* out of the supply, As */
    double least, most; /* current */
    int64_t gone;       /* ps */
    int courses;
} way;

/* What of an emf acts: with all leads the whole of it. */
static inline wpin_two acting(const wpin_star *star, bool all, wpin_two emf) {
    return all ? emf : star->emf_by_a * emf[0] + star->emf_by_b * emf[1];
}

static inline bool opens(const glider *g, const wpin_star *star, wpin_two u, wpin_two emf,
                         int *digit) {
    return star->count == 2 &&
           wpin_beyond(g->plant, star, u, g->idle_volts * wpin_into(emf, star->idle), digit) >
               WPIN_OPENS_BY;
}

/* From here on, with as many terms as a share asks for: to the end of h seconds, and the charge of
 * them. */
static inline wpin_currents led_on(wpin_two u, wpin_rotor *r, const wpin_star *star, bool all,
                                   double h, wpin_two *next, wpin_two *charge) {
    const double share = (star->fading + r->bends) * h, half = h * (1.0 / 2), third = h * (1.0 / 3);
    wpin_currents s = {.u = u};
    wpin_two then = {0}, flows = {0};
    s.u1 = wpin_by_itself(star, s.u) + star->force - acting(star, all, r->emf);
    s.u2 = wpin_by_itself(star, s.u1) - acting(star, all, r->emf1);
    if (share > WPIN_SHARE_OF_TWO) {
        wpin_rotor_bend(r, s.u, s.u1);
        s.u3 = wpin_by_itself(star, s.u2) - acting(star, all, r->emf2);
        then = third * s.u3;
        flows = h * (1.0 / 4) * s.u3;
        if (share > WPIN_SHARE_OF_THREE) {
            s.u4 = wpin_by_itself(star, s.u3) - acting(star, all, r->emf3);
            then += h * h * (1.0 / 12) * s.u4;
            flows += h * h * (1.0 / 20) * s.u4;
        }
    }
    *next = s.u + h * (s.u1 + half * (s.u2 + then));
    *charge = h * (s.u + half * (s.u1 + third * (s.u2 + flows)));
    return s;
}

/* What a piece of h seconds adds up to. */
static inline void add(const glider *g, way *w, const wpin_star *star, wpin_two pull, wpin_two next,
                       wpin_two charge, double h) {
    wpin_plant *plant = g->plant;
    const double size = wpin_size_of(charge), most = wpin_largest(next);
    const double flows = wpin_dot(pull, charge) < 0 ? -size : size;
    w->mean = flows / h;
    w->largest = wpin_dot(pull, next) < 0 ? -most : most;
    w->flowed.amps += flows;
    w->flowed.sizes += size;
    w->flowed.squares += wpin_square_of(w->u, next) * h;
    w->drawn += wpin_dot(star->draws, charge);
    if (plant->heats) {
        wpin_short_loses(plant, star, (const wpin_two[]){w->u, next}, charge, h);
    }
    w->least = w->largest < w->least ? w->largest : w->least;
    w->most = w->largest > w->most ? w->largest : w->most;
    if (plant->feed.sense_filter > 0) {
        wpin_plant_sense(plant, 2 * w->mean - w->largest, w->largest, h);
    }
}

/* A piece of up to dt ps; 0: something happens in it. */
static inline int64_t go_on(const glider *g, way *w, wpin_rotor *r, const wpin_leg_state *legs,
                            int64_t dt) {
    wpin_plant *plant = g->plant;
    int through = 0, dry = -1;
    wpin_rotor_look(r, w->u);
    const wpin_star *star = wpin_star_with(plant, legs, w->u, 0);
    const bool opened = opens(g, star, w->u, r->emf, &through);
    if (opened) {
        star = wpin_star_with(plant, legs, w->u, through);
    } else if (star->count < 2) {
        return 0;
    }
    dt = wpin_short_enough((star->fading + r->bends) * ((double)dt * PS), dt);
    double h = (double)dt * PS;
    const bool all = star->count == WPIN_PHASES;
    wpin_two next, charge;
    const wpin_currents s = all ? led_on(w->u, r, star, true, h, &next, &charge)
                                : led_on(w->u, r, star, false, h, &next, &charge);
    next = all ? next : wpin_conducted(star, next);
    const int64_t dips = star->diodes ? wpin_up_to_dip(star, &s, dt) : dt;
    if (dips < dt) {
        dt = dips;
        next = wpin_currents_at(&s, (double)dt * PS);
    }
    if (wpin_flows_back(star, next)) {
        const wpin_currents kept = s; /* so that it need not be in memory for the usual way */
        dry = wpin_first_dry(star, &kept, &dt);
        h = (double)dt * PS;
        next = wpin_conducted(star, wpin_currents_at(&s, h));
        charge = wpin_currents_charge(&s, h);
    }
    if (wpin_largest(next) > plant->over_limit || (dry >= 0 && opened && dt < WPIN_DRY_LEAST) ||
        (!all && opens(g, star, next, wpin_rotor_emf(r, h), &through))) {
        return 0;
    }
    add(g, w, star, r->pull, next, charge, h);
    next -= acting(star, all, wpin_rotor_add(r, w->u, next, charge, h, dt));
    w->u = dry < 0 ? wpin_conducted(star, next) : wpin_emptied(next, dry, star->count);
    w->two = !all;
    w->star = dry < 0 ? star : wpin_star_with(plant, legs, w->u, 0);
    return dt;
}

/* Within a course; false: what comes next is not for it. */
static inline bool follow(const glider *g, way *w, wpin_rotor *r, wpin_along *along) {
    while (along->step < along->end) {
        int64_t part = along->left;
        if (part > r->left) {
            if (r->lasts > 0) {
                return true; /* in another course */
            }
            part = r->left; /* too long for any */
        }
        part = part > 0 ? go_on(g, w, r, along->step->legs, part) : 0;
        if (part == 0) {
            return false;
        }
        wpin_along_go(along, part, w->two);
        w->gone += part;
    }
    return false;
}

static inline void arrive(wpin_plant *plant, const way *w, const wpin_rotor *r,
                          wpin_whereabouts *at) {
    wpin_shape *shape = &at->shape;
    plant->rail_amps = wpin_dot(w->star->draws, w->u);
    plant->sums.least_amps = w->least;
    plant->sums.most_amps = w->most;
    plant->amps = w->largest;
    if (plant->feed.sense_filter <= 0) {
        plant->sense_amps = w->largest;
    }
    at->u = w->u;
    at->speed = r->speed;
    shape->at = r->at;
    shape->turned_on += w->courses;
    if (plant->motor.sinusoidal) {
        wpin_shape_sine(shape);
    } else {
        wpin_phases_flats(plant->motor.pole_pairs * shape->at, shape);
    }
}

static inline void tell(wpin_plant *plant, way *w, const wpin_rotor *r, wpin_whereabouts *at,
                        wpin_flowed *flowed) {
    w->flowed.seconds += (double)w->gone * PS;
    w->flowed.drawn += w->drawn * plant->feed.share;
    *flowed = w->flowed;
    arrive(plant, w, r, at);
}

bool wpin_glide_over(wpin_plant *plant, const wpin_runner *runner, const wpin_star *star,
                     wpin_rotor *r, wpin_whereabouts *at, wpin_flowed *flowed, int64_t dt) {
    const double h = (double)dt * PS;
    if ((star->fading + r->bends) * h > MEAN_SHARE_MOST) {
        return false;
    }
    const glider g = {.plant = plant, .runner = runner};
    way w = {.u = at->u,
             .star = star,
             .flowed = *flowed,
             .least = plant->sums.least_amps,
             .most = plant->sums.most_amps,
             .gone = dt};
    wpin_two next, charge;
    (void)led_on(w.u, r, star, true, h, &next, &charge);
    add(&g, &w, star, r->pull, next, charge, h);
    w.u = next - wpin_rotor_add(r, w.u, next, charge, h, dt);
    wpin_rotor_end(r);
    w.courses++;
    tell(plant, &w, r, at, flowed);
    return true;
}

void wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
                wpin_flowed *flowed, wpin_along *along) {
    if (wpin_goes_round(plant) || runner->held || at->speed == 0) {
        return;
    }
    const glider g = {
        .plant = plant, .runner = runner, .idle_volts = 1.5 * plant->motor.inductance / 2};
    way w = {.u = at->u,
             .flowed = *flowed,
             .least = plant->sums.least_amps,
             .most = plant->sums.most_amps};
    wpin_rotor r; /* the rest of it as a course begins */
    r.speed = at->speed;
    r.at = at->shape.at;
    r.kept = &at->shape;
    for (bool goes = true; goes && wpin_rotor_begin(plant, runner, w.u, &r);) {
        goes = follow(&g, &w, &r, along);
        if (w.star != NULL && r.lasts > 0) {
            wpin_rotor_end(&r);
            w.courses++;
        }
    }
    if (w.star != NULL) { /* it has come further */
        tell(plant, &w, &r, at, flowed);
    }
}
