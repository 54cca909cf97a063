/* The usual way of a brushless motor along the steps of its legs. With u the currents into leads a
 * and b:
 *     du/dt = M u + F - P emf
 * M, F and P are those of the leads that conduct (star.c). Currents go from step to step, over
 * diodes that open as a leg changes or run dry, and over several at once where all of them are
 * known; the rotor in courses of some periods. */
#include "delta.h"
#include "glide_way.h"

#define PS 1e-12
/* In less time a current that dips below nothing dips by microamperes. */
#define DIP_LEAST_PS 2000000
/* The share of a time constant, and of a radian, that a period goes over at once by its means: four
 * terms leave out 3e-6. */
#define MEAN_SHARE_MOST 0.2
/* Of the time of a filter, a span that it takes as one: what is left out is 2e-5. A piece may go on
 * beyond that by half. */
#define SPAN_OF_FILTER 0.1

/* A piece as it goes. */
typedef struct piece {
    const wpin_star *star;
    const wpin_pass *pass; /* it is of several steps; or NULL */
    wpin_two next, charge;
    int dry; /* the lead whose diode has run dry then; -1: none */
    int64_t dt;
    double h;
} piece;

static inline bool opens(const wpin_glider *g, const wpin_star *star, wpin_two u, wpin_two emf,
                         int *digit) {
    return star->count == 2 &&
           wpin_beyond(star, u, g->idle_volts * wpin_into(emf, star->idle), digit) > WPIN_OPENS_BY;
}

/* From here on, with as many terms as a share asks for: to the end of h seconds, and the charge of
 * them. */
static inline wpin_currents led_on(wpin_two u, const wpin_rotor *r, const wpin_star *star, bool all,
                                   double h, wpin_two *next, wpin_two *charge) {
    const double share = (star->fading + r->bends) * h, half = h * (1.0 / 2), third = h * (1.0 / 3);
    wpin_currents s = {.u = u};
    wpin_two then = {0}, flows = {0};
    s.u1 = wpin_by_itself(star, s.u) + star->force - wpin_acting(star, all, r->emf);
    s.u2 = wpin_by_itself(star, s.u1) - wpin_acting(star, all, r->emf1);
    if (share > WPIN_SHARE_OF_TWO) {
        s.u3 = wpin_by_itself(star, s.u2) - wpin_acting(star, all, r->emf2);
        then = third * s.u3;
        flows = h * (1.0 / 4) * s.u3;
        if (share > WPIN_SHARE_OF_THREE) {
            s.u4 = wpin_by_itself(star, s.u3) - wpin_acting(star, all, r->emf3);
            then += h * h * (1.0 / 12) * s.u4;
            flows += h * h * (1.0 / 20) * s.u4;
        }
    }
    *next = s.u + h * (s.u1 + half * (s.u2 + then));
    *charge = h * (s.u + half * (s.u1 + third * (s.u2 + flows)));
    return s;
}

static inline int64_t up_to_dip(const wpin_star *star, wpin_currents s, int64_t dt) {
    return wpin_up_to_dip(star, &s, dt);
}

/* In one step, up to where a diode runs dry. */
static inline void go_within(const wpin_rotor *r, wpin_two u, bool all, int64_t dt, piece *p) {
    const wpin_star *star = p->star;
    p->dt = wpin_short_enough((star->fading + r->bends) * ((double)dt * PS), dt);
    p->h = (double)p->dt * PS;
    const wpin_currents s = led_on(u, r, star, all, p->h, &p->next, &p->charge);
    p->next = all ? p->next : wpin_conducted(star, p->next);
    if (!star->diodes) {
        return;
    }
    const int64_t dips = p->dt > DIP_LEAST_PS ? up_to_dip(star, s, p->dt) : p->dt;
    if (dips < p->dt || wpin_flows_back(star, p->next)) {
        const wpin_currents kept = s; /* so that it need not be in memory for the usual way */
        p->dt = dips;
        p->dry = wpin_first_dry(star, &kept, &p->dt);
        p->h = (double)p->dt * PS;
        p->next = wpin_conducted(star, wpin_currents_at(&s, p->h));
        p->charge = wpin_currents_charge(&s, p->h);
    }
}

/* Whether no current of a diode would come to nothing, did it go on as it begins in h seconds. */
static inline bool flows_on(const wpin_star *star, wpin_two emf, wpin_two u, double h) {
    return !star->diodes ||
           !wpin_flows_back(star, u + h * (wpin_by_itself(star, u) + star->force - emf));
}

/* All leads over several steps, where every current keeps its sign; false: it does not. */
static inline bool go_over(const wpin_glider *g, const wpin_way *w, const wpin_rotor *r,
                           const wpin_pass *pass, piece *p) {
    p->next = wpin_pass_value(&pass->end, w->u, g->volts, r);
    if (wpin_signs_of(p->next) != pass->signs ||
        !flows_on(pass->star[0], r->emf, w->u, pass->seconds) ||
        !flows_on(pass->star[1], r->emf, w->u, pass->seconds)) {
        return false;
    }
    p->charge = wpin_pass_value(&pass->charge, w->u, g->volts, r);
    p->dt = pass->dt;
    p->h = pass->seconds;
    p->pass = pass;
    return true;
}

/* ---- what it adds up to ---- */

static inline void add(const wpin_glider *g, wpin_way *w, const wpin_rotor *r, const piece *p) {
    const double most = wpin_largest(p->next), size = wpin_size_of(p->charge);
    if (g->plant->heats) {
        w->flowed.squares += wpin_square_of(w->u, p->next) * p->h;
        wpin_short_loses(g->plant, p->star, (const wpin_two[]){w->u, p->next}, p->charge, p->h);
    }
    const bool back = wpin_dot(r->pull, p->charge) < 0;
    wpin_way_adds(g, w, back ? -most : most, back ? -size : size,
                  wpin_dot(p->star->draws, p->charge), p->h);
}

/* Whether a diode would have run dry before the last step of a pass, back from where it leads. */
static inline bool dried_before(const wpin_pass *pass, wpin_two emf, wpin_two u) {
    const double h = (double)pass->steps[pass->count - 1].dt * PS;
    return !flows_on(pass->star[pass->count - 1], emf, u, -h);
}

/* To where a piece leads; false: something happens in it. */
static inline bool take(const wpin_glider *g, wpin_way *w, wpin_rotor *r, bool all,
                        const piece *p) {
    int through;
    if (wpin_largest(p->next) > g->plant->over_limit ||
        (all ? p->pass != NULL && dried_before(p->pass, wpin_rotor_emf(r, p->h), p->next)
             : opens(g, p->star, p->next, wpin_rotor_emf(r, p->h), &through))) {
        return false;
    }
    add(g, w, r, p);
    wpin_rotor_add(r, p->charge, wpin_moment_of(w->u, p->next, p->charge, p->h), p->h, p->dt);
    w->u = p->dry < 0 ? p->next : wpin_emptied(p->next, p->dry, p->star->count);
    return true;
}

/* The circuit of a step with the currents there are, and their signs; whether the third lead comes
 * to conduct in it. */
static inline const wpin_star *circuit(const wpin_glider *g, wpin_way *w, const wpin_rotor *r,
                                       const wpin_along *along, int *signs, bool *opened) {
    *signs = along->again ? wpin_signs_of(w->u) : 0;
    const wpin_star *star = wpin_way_star(g, w, along, w->u, *signs);
    int through;
    *opened = opens(g, star, w->u, r->emf, &through);
    if (!*opened) {
        return star;
    }
    const wpin_star *none = NULL;
    const wpin_star **with =
        along->again ? &w->known[along->step - along->first].opened[through - 3] : &none;
    if (*with == NULL) {
        *with = wpin_star_with(g->plant, along->step->legs, w->u, through);
    }
    *signs = wpin_signs_and(*signs, star->idle, through == 3 ? 1 : -1);
    return *with;
}

/* A piece of up to dt ps of the step, or of several; false: something happens in it. */
static inline bool go_on(const wpin_glider *g, wpin_way *w, wpin_rotor *r, wpin_along *along,
                         int64_t dt) {
    int signs;
    bool opened;
    piece p = {.star = circuit(g, w, r, along, &signs, &opened), .dry = -1};
    const bool all = p.star->count == WPIN_PHASES;
    if (p.star->count < 2) {
        return false;
    }
    if (!all && !g->plant->heats && wpin_glide_pair(g, w, r, p.star, along)) {
        return true;
    }
    const wpin_pass *pass = all ? wpin_way_pass(g, w, along, p.star, signs, r->span) : NULL;
    if (pass != NULL && pass->dt > r->left && r->lasts + r->since > 0) {
        w->tired = true;
        return false;
    }
    if (pass != NULL && pass->dt <= r->left && go_over(g, w, r, pass, &p) &&
        take(g, w, r, true, &p)) {
        w->star = p.star;
        wpin_along_go(along, p.dt, false);
        return true;
    }
    p.pass = NULL;
    all ? go_within(r, w->u, true, dt, &p) : go_within(r, w->u, false, dt, &p);
    if ((p.dry >= 0 && opened && p.dt < WPIN_DRY_LEAST) || !take(g, w, r, all, &p)) {
        return false;
    }
    w->star = p.dry < 0 ? p.star : wpin_star_with(g->plant, along->step->legs, w->u, 0);
    wpin_along_go(along, p.dt, !all);
    return true;
}

/* ---- on its way ---- */

/* What a slow filter makes of a span: of what flowed, by how early it did. */
static inline void sense(wpin_plant *plant, const wpin_way *w, const wpin_rotor *r) {
    const double per = 1 / plant->feed.sense_filter, x = r->since * per;
    const double square = wpin_dot(r->charge, r->charge);
    const double late = per * wpin_dot(r->charge, r->moment);
    const double early = square > 0 ? x - late / square : 0;
    const double goes = x * (1 - x * (1.0 / 2) * (1 - x * (1.0 / 3) * (1 - x * (1.0 / 4))));
    const double counts = 1 - early + (early * early + x * x * (1.0 / 12)) * (1.0 / 2);
    plant->sense_amps += per * counts * (w->flowed.amps - w->before) - goes * plant->sense_amps;
}

/* A step in which every leg is on a switch, so that no diode is to be watched; false: it is not. */
static inline bool go_switched(const wpin_glider *g, wpin_way *w, wpin_rotor *r,
                               wpin_along *along) {
    const wpin_leg_state *legs = along->step->legs;
    if (legs[0] == WPIN_LEG_OFF || legs[1] == WPIN_LEG_OFF || legs[2] == WPIN_LEG_OFF) {
        return false;
    }
    piece p = {.star = wpin_star_with(g->plant, legs, w->u, 0),
               .dt = along->left,
               .h = (double)along->left * PS};
    if ((p.star->fading + r->bends) * p.h > WPIN_SHARE_MOST) {
        return false;
    }
    (void)led_on(w->u, r, p.star, true, p.h, &p.next, &p.charge);
    if (wpin_largest(p.next) > g->plant->over_limit) {
        return false;
    }
    add(g, w, r, &p);
    wpin_rotor_add(r, p.charge, wpin_moment_of(w->u, p.next, p.charge, p.h), p.h, p.dt);
    w->u = p.next;
    w->star = p.star;
    wpin_along_go(along, p.dt, false);
    return true;
}

/* Ends a span: currents are led to where they would be, had the emf gone by the torque that there
 * was. */
static inline void come_on(const wpin_glider *g, wpin_way *w, wpin_rotor *r) {
    if (g->slow_filter) {
        sense(g->plant, w, r);
        w->before = w->flowed.amps;
    }
    const wpin_two less =
        wpin_acting(w->star, w->star->count == WPIN_PHASES, wpin_rotor_come_on(r));
    const wpin_two did = (r->since * (1.0 / 4)) * less;
    const wpin_two led = w->u - less - wpin_by_itself(w->star, did);
    wpin_rotor_less(r, did);
    w->u = wpin_flows_back(w->star, led) ? w->u : wpin_conducted(w->star, led);
}

/* Within a course; false: what comes next is not for it. */
static inline bool follow(const wpin_glider *g, wpin_way *w, wpin_rotor *r, wpin_along *along) {
    w->tired = false;
    while (along->step < along->end) {
        int64_t part = along->left;
        if (part > r->left) {
            if (r->lasts + r->since > 0) {
                return true; /* in another course */
            }
            part = r->left; /* too long for any */
        }
        const bool fits = part == along->left;
        if (part == 0 || !((fits && go_switched(g, w, r, along)) || go_on(g, w, r, along, part))) {
            return w->tired;
        }
        if (r->since > r->span) {
            come_on(g, w, r);
            wpin_rotor_look(r, w->u);
        }
    }
    return false;
}

static inline void arrive(wpin_plant *plant, const wpin_way *w, const wpin_rotor *r,
                          wpin_whereabouts *at) {
    wpin_shape *shape = &at->shape;
    plant->rail_amps = wpin_dot(w->star->draws, w->u);
    plant->sums.least_amps = w->least;
    plant->sums.most_amps = w->most;
    const double most = wpin_largest(w->u);
    plant->amps = wpin_dot(r->pull, w->u) < 0 ? -most : most;
    if (plant->feed.sense_filter <= 0) {
        plant->sense_amps = plant->amps;
    }
    at->u = w->u;
    at->speed = r->speed;
    plant->rate = r->rate;
    shape->at = r->at;
    shape->turned_on += w->courses;
    if (plant->motor.sinusoidal) {
        wpin_shape_sine(shape);
    } else {
        wpin_phases_flats(plant->motor.pole_pairs * shape->at, shape);
    }
}

static inline void tell(wpin_plant *plant, wpin_way *w, const wpin_rotor *r, int64_t dt,
                        wpin_whereabouts *at, wpin_flowed *flowed) {
    w->flowed.seconds += (double)dt * PS;
    w->flowed.drawn += w->drawn * plant->feed.share;
    *flowed = w->flowed;
    arrive(plant, w, r, at);
}

static inline wpin_way way_from(const wpin_plant *plant, const wpin_whereabouts *at,
                                const wpin_flowed *flowed) {
    return (wpin_way){.u = at->u,
                      .before = flowed->amps,
                      .flowed = *flowed,
                      .least = plant->sums.least_amps,
                      .most = plant->sums.most_amps};
}

static inline wpin_glider glider_of(wpin_plant *plant) {
    return (wpin_glider){.plant = plant,
                         .volts = wpin_feed_volts(&plant->feed),
                         .leaps = wpin_has_flats(plant),
                         .idle_volts = 1.5 * plant->motor.inductance / 2};
}

bool wpin_glide_over(wpin_plant *plant, const wpin_star *star, wpin_rotor *r, wpin_whereabouts *at,
                     wpin_flowed *flowed, int64_t dt) {
    const double h = (double)dt * PS;
    if ((star->fading + r->bends) * h > MEAN_SHARE_MOST) {
        return false;
    }
    const wpin_glider g = glider_of(plant); /* to a fast filter, as one piece */
    wpin_way w = way_from(plant, at, flowed);
    w.star = star;
    piece p = {.star = star, .dt = dt, .h = h};
    (void)led_on(w.u, r, star, true, h, &p.next, &p.charge);
    add(&g, &w, r, &p);
    wpin_rotor_add(r, p.charge, wpin_moment_of(w.u, p.next, p.charge, h), h, dt);
    w.u = p.next;
    come_on(&g, &w, r);
    wpin_rotor_end(r);
    w.courses++;
    tell(plant, &w, r, dt, at, flowed);
    return true;
}

void wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
                wpin_flowed *flowed, wpin_along *along) {
    if (wpin_goes_round(plant) || runner->held || at->speed == 0) {
        return;
    }
    const int64_t gone = along->gone;
    wpin_known known[WPIN_STEPS_KNOWN]; /* the rest where a circuit is known */
    for (int k = 0; k < WPIN_STEPS_KNOWN; k++) {
        known[k].signs = 0;
    }
    wpin_way w = way_from(plant, at, flowed);
    w.known = known;
    wpin_rotor r; /* the rest of it as a course begins */
    r.speed = at->speed;
    r.rate = plant->rate;
    r.at = at->shape.at;
    r.kept = &at->shape;
    wpin_glider g = glider_of(plant);
    for (bool goes = true; goes && wpin_rotor_begin(plant, runner, w.u, &r);) {
        g.slow_filter = r.span < SPAN_OF_FILTER * plant->feed.sense_filter;
        goes = follow(&g, &w, &r, along);
        if (r.since > 0) {
            come_on(&g, &w, &r);
        }
        if (r.lasts > 0) {
            wpin_rotor_end(&r);
            w.courses++;
        }
    }
    if (w.star != NULL) { /* it has come further */
        tell(plant, &w, &r, along->gone - gone, at, flowed);
    }
}
