/* While two leads conduct one current goes round in them:
 *     di/dt = m i + f - e
 * so that a piece is a few numbers. Its emf, and the volts of the third lead, go by four terms. */
#include "crossing.h"
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

/* By how much the third lead is beyond a diode, V; whether it stays between them. */
static inline double opens_by(const wpin_star *star, double amps, double idle) {
    const double above = star->above + star->pair.above * amps + idle;
    const double below = star->below - star->pair.middle * amps - idle;
    return above > below ? above : below;
}
static inline bool stays_open(const wpin_star *star, double amps, double idle) {
    return opens_by(star, amps, idle) <= WPIN_OPENS_BY;
}

/* A piece of it. */
typedef struct piece {
    const wpin_star *star, *other; /* of its steps */
    double next, charge, h;
    int64_t dt;
} piece;

static inline double value(const wpin_pair_comes_to *to, const pair *p, double volts) {
    const goes *emf = &p->emf;
    return to->by_amps * p->amps + to->diodes + to->by_volts * volts + to->emf[0] * emf->now +
           to->emf[1] * emf->by1 + to->emf[2] * emf->by2 + to->emf[3] * emf->by3;
}

/* Several steps. */
static inline piece over(const wpin_glider *g, const pair *p, const wpin_pass *pass) {
    return (piece){.star = pass->star[0],
                   .other = pass->star[1],
                   .next = value(&pass->pair_end, p, g->volts),
                   .charge = value(&pass->pair_charge, p, g->volts),
                   .h = pass->seconds,
                   .dt = pass->dt};
}

/* The current and its derivatives. */
typedef struct series {
    double i, i1, i2, i3, i4;
} series;

static inline double amps_at(const series *s, double h) {
    return s->i +
           h * (s->i1 + h * (1.0 / 2) * (s->i2 + h * (1.0 / 3) * (s->i3 + h * (1.0 / 4) * s->i4)));
}

static inline double charge_at(const series *s, double h) {
    return h * (s->i + h * (1.0 / 2) *
                           (s->i1 + h * (1.0 / 3) *
                                        (s->i2 + h * (1.0 / 4) * (s->i3 + h * (1.0 / 5) * s->i4))));
}

/* How far the third lead is from a diode that opens until the end. */
typedef struct opening {
    const wpin_star *star;
    const series *amps;
    const goes *idle;
} opening;

static double left_of(const void *what, double t) {
    const opening *o = what;
    return -opens_by(o->star, amps_at(o->amps, t), after(o->idle, t));
}

/* What is left of a step, up to where the third lead comes to conduct: a little longer, so that it
 * is seen to. */
static inline piece within(const wpin_rotor *r, const pair *p, const wpin_star *star, int64_t dt) {
    const double m = star->pair.by_itself, share = (star->fading + r->bends) * ((double)dt * PS);
    series s = {.i = p->amps};
    s.i1 = m * s.i + star->pair.force - p->emf.now;
    s.i2 = m * s.i1 - p->emf.by1;
    if (share > WPIN_SHARE_OF_TWO) {
        s.i3 = m * s.i2 - p->emf.by2;
        s.i4 = m * s.i3 - p->emf.by3;
    }
    piece q = {.star = star, .other = star, .h = (double)dt * PS, .dt = dt};
    q.next = amps_at(&s, q.h);
    if (!stays_open(star, q.next, after(&p->idle, q.h))) {
        const opening o = {star, &s, &p->idle};
        const int64_t opens = (int64_t)(wpin_crosses(left_of, &o, q.h) / PS) + WPIN_OPENS_LATE_PS;
        q.dt = opens < dt ? opens : dt;
        q.h = (double)q.dt * PS;
        q.next = amps_at(&s, q.h);
        q.other = NULL;
    }
    q.charge = charge_at(&s, q.h);
    return q;
}

static inline int signs_of(const wpin_star *star, double amps) {
    return amps < 0 ? wpin_signs_turned(star->pair.signs) : star->pair.signs;
}

/* The circuit of a step; NULL: not that of the pair. */
static inline const wpin_star *circuit(const wpin_glider *g, wpin_way *w, const wpin_along *along,
                                       const wpin_star *before, double amps) {
    const wpin_star *star =
        wpin_way_star(g, w, along, amps * before->pair.way, signs_of(before, amps));
    return star->count == 2 && star->idle == before->idle ? star : NULL;
}

/* To where a piece leads; false: something happens in it. */
static inline bool take(const wpin_glider *g, wpin_way *w, double pull, const piece *q, pair *p) {
    const double next = q->next, idle = after(&p->idle, q->h);
    const bool diodes = q->star->diodes || (q->other != NULL && q->other->diodes);
    if ((diodes && next * p->amps <= 0) || fabs(next) > g->plant->over_limit ||
        (q->other != NULL && !stays_open(q->star, next, idle)) ||
        (q->other != q->star && q->other != NULL &&
         !(stays_open(q->other, p->amps, p->idle.now) && stays_open(q->other, next, idle)))) {
        return false;
    }
    wpin_way_adds(g, w, pull * next < 0 ? -fabs(next) : fabs(next),
                  pull * q->charge < 0 ? -fabs(q->charge) : fabs(q->charge),
                  q->star->pair.draws * q->charge, q->h);
    p->moment +=
        (p->lasts + q->h * (1.0 / 2)) * q->charge + q->h * q->h * (1.0 / 12) * (next - p->amps);
    p->charge += q->charge;
    p->lasts += q->h;
    p->amps = next;
    come_on(&p->emf, q->h);
    come_on(&p->idle, q->h);
    return true;
}

/* A step, what is left of it, or several; how long that is, ps; 0: what comes is not for this. */
static inline int64_t go_on(const wpin_glider *g, wpin_way *w, const wpin_rotor *r,
                            const wpin_along *along, int64_t left, double pull, pair *p,
                            const wpin_star *star) {
    if (!stays_open(star, p->amps, p->idle.now)) {
        return 0;
    }
    const wpin_pass *pass = wpin_way_pass(g, w, along, star, signs_of(star, p->amps), r->span);
    if (pass != NULL && pass->dt <= left) {
        const piece q = over(g, p, pass);
        if (take(g, w, pull, &q, p)) {
            return q.dt;
        }
    }
    if (along->left > left ||
        (star->fading + r->bends) * ((double)along->left * PS) > WPIN_SHARE_MOST) {
        return 0;
    }
    const piece q = within(r, p, star, along->left);
    return take(g, w, pull, &q, p) ? q.dt : 0;
}

bool wpin_glide_pair(const wpin_glider *g, wpin_way *w, wpin_rotor *r, const wpin_star *star,
                     wpin_along *along) {
    const wpin_two way = star->pair.way;
    const double volts = g->idle_volts, pull = wpin_dot(r->pull, way);
    const wpin_two idle = {star->idle == 0   ? volts
                           : star->idle == 1 ? 0
                                             : -volts,
                           star->idle == 0   ? 0
                           : star->idle == 1 ? volts
                                             : -volts};
    pair p = {.amps = way[0] != 0 ? w->u[0] : w->u[1],
              .emf = goes_by(star->pair.emf, r),
              .idle = goes_by(idle, r)};
    int64_t gone = 0;
    while (star != NULL) {
        const int64_t dt = go_on(g, w, r, along, r->left - gone, pull, &p, star);
        if (dt == 0) {
            break;
        }
        wpin_along_go(along, dt, true);
        gone += dt;
        w->star = star;
        star = along->step < along->end && p.lasts + r->since <= r->span
                   ? circuit(g, w, along, star, p.amps)
                   : NULL;
    }
    if (gone > 0) {
        w->u = p.amps * way;
        wpin_rotor_add(r, p.charge * way, p.moment * way, p.lasts, gone);
    }
    return gone > 0;
}
