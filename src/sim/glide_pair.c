/* While two leads conduct one current goes round in them:
 *     di/dt = m i + f - e
 * so that a piece is a few numbers. Its emf, and the volts of the third lead, go by four terms. */
#include "glide_way.h"

#define PS 1e-12

/* As it is, and how it changes by time. */
typedef struct goes {
    double now, by1, by2, by3;
} goes;

static inline goes goes_by(wpin_two by, const wpin_rotor *r) {
    return (goes){wpin_dot(by, r->emf), wpin_dot(by, r->emf1), wpin_dot(by, r->emf2),
                  wpin_dot(by, r->emf3)};
}

static inline double after(const goes *y, double h) {
    return y->now + h * (y->by1 + h * (1.0 / 2) * (y->by2 + h * (1.0 / 3) * y->by3));
}

static inline void come_on(goes *y, double h) {
    y->now = after(y, h);
    y->by1 += h * (y->by2 + h * (1.0 / 2) * y->by3);
    y->by2 += h * y->by3;
}

/* The current of the pair, and the third lead. */
typedef struct pair {
    double amps;
    goes emf, idle; /* A/s; V */
    double charge, moment, lasts;
} pair;

/* Whether the third lead stays between its diodes. */
static inline bool stays_open(const wpin_star *star, double amps, double idle) {
    const double above = star->above + star->pair.above * amps + idle;
    const double below = star->below - star->pair.middle * amps - idle;
    return above <= WPIN_OPENS_BY && below <= WPIN_OPENS_BY;
}

/* To the end of h seconds, with as many terms as a share asks for; the charge of them. */
static inline double led_on(const pair *p, const wpin_star *star, double share, double h,
                            double *charge) {
    const double m = star->pair.by_itself, half = h * (1.0 / 2), third = h * (1.0 / 3);
    const double i = p->amps, i1 = m * i + star->pair.force - p->emf.now;
    const double i2 = m * i1 - p->emf.by1;
    double then = 0, flows = 0;
    if (share > WPIN_SHARE_OF_TWO) {
        const double i3 = m * i2 - p->emf.by2;
        then = third * i3;
        flows = h * (1.0 / 4) * i3;
        if (share > WPIN_SHARE_OF_THREE) {
            const double i4 = m * i3 - p->emf.by3;
            then += h * h * (1.0 / 12) * i4;
            flows += h * h * (1.0 / 20) * i4;
        }
    }
    *charge = h * (i + half * (i1 + third * (i2 + flows)));
    return i + h * (i1 + half * (i2 + then));
}

/* The circuit of a step; NULL: not that of the pair. */
static inline const wpin_star *circuit(const wpin_glider *g, wpin_way *w, const wpin_along *along,
                                       const wpin_star *before, double amps) {
    const int ahead = before->pair.signs, signs = amps < 0 ? 26 - ahead : ahead;
    wpin_known none, *k = along->again ? &w->known[along->step - along->first] : &none;
    if (!along->again || k->signs != signs) {
        *k = (wpin_known){
            .signs = signs,
            .star = wpin_star_with(g->plant, along->step->legs, amps * before->pair.way, 0)};
    }
    return k->star->count == 2 && k->star->idle == before->idle ? k->star : NULL;
}

/* A step, or what is left of it; false: not one for this. */
static inline bool go_on(const wpin_glider *g, wpin_way *w, const wpin_rotor *r,
                         const wpin_star *star, double pull, int64_t dt, pair *p) {
    const wpin_plant *plant = g->plant;
    const double h = (double)dt * PS, share = (star->fading + r->bends) * h;
    double charge;
    if (share > WPIN_SHARE_MOST || !stays_open(star, p->amps, p->idle.now)) {
        return false;
    }
    const double next = led_on(p, star, share, h, &charge);
    if ((star->diodes && next * p->amps <= 0) || fabs(next) > plant->over_limit ||
        !stays_open(star, next, after(&p->idle, h))) {
        return false;
    }
    wpin_way_adds(g, w, pull * next < 0 ? -fabs(next) : fabs(next),
                  pull * charge < 0 ? -fabs(charge) : fabs(charge), star->pair.draws * charge, h);
    p->charge += charge;
    p->moment += (p->lasts + h * (1.0 / 2)) * charge + h * h * (1.0 / 12) * (next - p->amps);
    p->lasts += h;
    p->amps = next;
    come_on(&p->emf, h);
    come_on(&p->idle, h);
    return true;
}

bool wpin_glide_pair(const wpin_glider *g, wpin_way *w, wpin_rotor *r, const wpin_star *star,
                     wpin_along *along) {
    const wpin_two way = star->pair.way;
    const double volts = g->idle_volts, pull = wpin_dot(r->pull, way);
    const wpin_two idle = {star->idle == 1   ? 0
                           : star->idle == 0 ? volts
                                             : -volts,
                           star->idle == 0   ? 0
                           : star->idle == 1 ? volts
                                             : -volts};
    pair p = {.amps = way[0] != 0 ? w->u[0] : w->u[1],
              .emf = goes_by(star->pair.emf, r),
              .idle = goes_by(idle, r)};
    int64_t gone = 0;
    while (star != NULL && along->left <= r->left - gone &&
           go_on(g, w, r, star, pull, along->left, &p)) {
        w->star = star;
        gone += along->left;
        wpin_along_go(along, along->left, true);
        star = along->step < along->end && p.lasts + r->since <= r->span
                   ? circuit(g, w, along, w->star, p.amps)
                   : NULL;
    }
    if (gone > 0) {
        w->u = p.amps * way;
        wpin_rotor_add(r, p.charge * way, p.moment * way, p.lasts, gone);
    }
    return gone > 0;
}
