/* A brushless motor's rotor, which is slow beside its currents. The shape of its emf goes by few
 * terms in a course; in a span of it, of some pieces, so does the emf, and its speed comes on by
 * the charge that flowed. */
#ifndef WPIN_SIM_ROTOR_COURSE_H
#define WPIN_SIM_ROTOR_COURSE_H

#include "short_piece.h"

typedef struct wpin_rotor {
    /* as the course began */
    double poles, bend; /* its emf's shapes bend by so much of them: -1, or 0 of flat tops */
    double bends;       /* how fast, 1/s */
    double per_inertia; /* 1/(kg m2) */
    double rubs, steady, blows; /* slow it, rad/s2; for each rad/s; for each of its square */
    double pulls;               /* Nm for each ampere, by A/s for each rad/s */
    double span;                /* how long one may be, s */
    wpin_two shape, on;         /* emf, A/s for each rad/s; how it changes by the angle */
    wpin_shape *kept;           /* sine and cosine, or sector: kept up */
    double at;                  /* angle of the shaft */
    /* comes on in it */
    int64_t left;         /* ps that it may still last */
    double lasts, turned; /* s, rad */
    double speed, rate;   /* rad/s; what it gained of late, rad/s2, NAN: not known */
    /* as the span began */
    double slows, fades;    /* loses, rad/s2; how that goes by its speed, 1/s */
    double gains;           /* is thought to gain all in all, rad/s2 */
    wpin_two by_speed;      /* emf in leads a and b, A/s for each rad/s */
    wpin_two pull, pull_on; /* Nm for each ampere; how that changes by the angle */
    /* comes on in it */
    double since;                   /* s */
    wpin_two charge, moment;        /* As; each times how long it had lasted */
    wpin_two emf, emf1, emf2, emf3; /* A/s now, and how that changes */
} wpin_rotor;

/* Begins a course with currents u; false: the shaft may come to stand in it. */
bool wpin_rotor_begin(const wpin_plant *plant, const wpin_runner *runner, wpin_two u,
                      wpin_rotor *r);

/* What pulls, for what is induced: a lead's emf less that of the third one. */
static inline wpin_two wpin_rotor_pull(const wpin_rotor *r, wpin_two emf) {
    return r->pulls * (emf + (emf[0] + emf[1]));
}

/* The sine and cosine of a fraction of a radian; of flat tops (0 instead of -1) its first terms. */
static inline void wpin_turned(double x, double bend, double *sine, double *cosine) {
    const double q = x * x * (1.0 / 2);
    *cosine = 1 + bend * q * (1 - q * (1.0 / 6) * (1 - q * (1.0 / 15)));
    *sine = x * (1 + bend * q * (1.0 / 3) * (1 - q * (1.0 / 10) * (1 - q * (1.0 / 21))));
}

/* Begins a span with currents u. With w the speed, x the electrical angle, the emf is w g(x). */
static inline void wpin_rotor_look(wpin_rotor *r, wpin_two u) {
    const double b = r->bend;
    double sine, cosine;
    wpin_turned(r->poles * r->turned, b, &sine, &cosine);
    const wpin_two g = cosine * r->shape + sine * r->on;
    const wpin_two d = cosine * r->on + b * sine * r->shape;
    const double w = r->speed, a = r->poles * w, bend = b * a * a;
    r->by_speed = g;
    r->pull = wpin_rotor_pull(r, g);
    r->pull_on = wpin_rotor_pull(r, d);
    r->slows = r->rubs + (r->steady + r->blows * w) * w;
    r->fades = r->steady + 2 * r->blows * w;
    const bool known = r->rate == r->rate;
    const double s = known ? r->rate : r->per_inertia * wpin_dot(r->pull, u) - r->slows;
    r->gains = s;
    r->emf = w * g;
    r->emf1 = s * g + w * a * d;
    r->emf2 = 3 * a * s * d + w * bend * g;
    r->emf3 = bend * (w * a * d + 6 * s * g);
    r->charge = r->moment = (wpin_two){0};
    r->since = 0;
}

/* The emf after h seconds more. */
static inline wpin_two wpin_rotor_emf(const wpin_rotor *r, double h) {
    return r->emf + h * (r->emf1 + h * (1.0 / 2) * (r->emf2 + h * (1.0 / 3) * r->emf3));
}

/* What flowed in h seconds and dt ps, and each part of it times how long that had lasted. */
static inline void wpin_rotor_add(wpin_rotor *r, wpin_two charge, wpin_two moment, double h,
                                  int64_t dt) {
    r->moment += r->since * charge + moment;
    r->charge += charge;
    r->emf = wpin_rotor_emf(r, h);
    r->emf1 += h * (r->emf2 + h * (1.0 / 2) * r->emf3);
    r->emf2 += h * r->emf3;
    r->since += h;
    r->left -= dt;
}

/* That moment of a piece from currents to currents: its charge lies about its middle, but for what
 * their change moves of it, be they straight or square in time. */
static inline wpin_two wpin_moment_of(wpin_two u, wpin_two next, wpin_two charge, double h) {
    return h * (1.0 / 2) * charge + h * h * (1.0 / 12) * (next - u);
}

/* Ends a span. Returns what its emf, by the torque that there was, would have changed the currents
 * by less, A. */
static inline wpin_two wpin_rotor_come_on(wpin_rotor *r) {
    const double h = r->since, half = h * (1.0 / 2), wide = h * h * (1.0 / 12);
    const double spins = r->poles * r->speed;
    const double x = half * (spins + h * (1.0 / 3) * r->poles * r->gains); /* on average */
    const wpin_two pull = r->pull + x * (r->pull_on + r->bend * (2.0 / 3) * x * r->pull);
    const wpin_two moved = r->moment - half * r->charge, turns = spins * r->pull_on;
    const double given = r->per_inertia * wpin_dot(pull, r->charge) - h * r->slows;
    const double late =
        r->per_inertia * (wpin_dot(pull, moved) + wide * wpin_dot(turns, r->charge));
    const double free = given + r->per_inertia * wpin_dot(turns, moved);
    const double ahead = half * given - late; /* of where it came by its speed at first */
    const double gained = free - r->fades * ahead - r->blows * (h * (1.0 / 3)) * free * free;
    r->turned += h * r->speed + ahead;
    r->speed += gained;
    r->rate = gained / h;
    r->lasts += h;
    return (ahead - h * half * r->gains) * r->by_speed;
}

/* What so much less did less, on the whole. */
static inline void wpin_rotor_less(wpin_rotor *r, wpin_two charge) {
    r->speed -= r->per_inertia * wpin_dot(r->pull, charge);
}

/* Ends the course. */
void wpin_rotor_end(wpin_rotor *r);

#endif
