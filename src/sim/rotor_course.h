/* A brushless motor's rotor, which is slow beside its currents, through a course: a stretch of time
 * in which the shape of its emf goes by few terms. Its speed comes on by the charge that flowed. */
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
    wpin_two shape, on;         /* emf, A/s for each rad/s; how it changes by the angle */
    wpin_shape *kept;           /* sine and cosine, or sector: kept up */
    double at;                  /* angle of the shaft */
    /* comes on */
    double speed, turned, lasts; /* rad/s; rad since then; s since then */
    int64_t left;                /* ps that it may still last */
    /* in a piece */
    double slows, fades;            /* loses, rad/s2; how that goes by its speed, 1/s */
    double gains, bent;             /* gains all in all, rad/s2; how that changes, rad/s3 */
    wpin_two by_speed;              /* emf in leads a and b, A/s for each rad/s */
    wpin_two pull, pull_on;         /* Nm for each ampere; how that changes by the angle */
    wpin_two emf, emf1, emf2, emf3; /* A/s as it begins, and how that changes */
} wpin_rotor;

/* Begins a course with currents u; false: the shaft may come to stand in it. */
bool wpin_rotor_begin(const wpin_plant *plant, const wpin_runner *runner, wpin_two u,
                      wpin_rotor *r);

/* What pulls, for what is induced: a lead's emf less that of the third one. */
static inline wpin_two wpin_rotor_pull(const wpin_rotor *r, wpin_two emf) {
    return r->pulls * (emf + (emf[0] + emf[1]));
}

/* A piece begins with currents u. With w the speed, x the electrical angle, the emf is w g(x). */
static inline void wpin_rotor_look(wpin_rotor *r, wpin_two u) {
    const double x = r->poles * r->turned, q = x * x * (1.0 / 2), b = r->bend;
    const double cosine = 1 + b * q * (1 - q * (1.0 / 6));
    const double sine = x * (1 + b * q * (1.0 / 3) * (1 - q * (1.0 / 10)));
    const wpin_two g = cosine * r->shape + sine * r->on;
    const wpin_two d = cosine * r->on + b * sine * r->shape;
    const double w = r->speed, a = r->poles * w, bend = b * a * a;
    r->by_speed = g;
    r->pull = wpin_rotor_pull(r, g);
    r->pull_on = wpin_rotor_pull(r, d);
    r->slows = r->rubs + (r->steady + r->blows * w) * w;
    r->fades = r->steady + 2 * r->blows * w;
    const double s = r->per_inertia * wpin_dot(r->pull, u) - r->slows;
    r->gains = s;
    r->bent = 0;
    r->emf = w * g;
    r->emf1 = s * g + w * a * d;
    r->emf2 = 3 * a * s * d + w * bend * g;
    r->emf3 = bend * (w * a * d + 6 * s * g);
}

/* The emf after h seconds. */
static inline wpin_two wpin_rotor_emf(const wpin_rotor *r, double h) {
    return r->emf + h * (r->emf1 + h * (1.0 / 2) * (r->emf2 + h * (1.0 / 3) * r->emf3));
}

/* What the currents' changing by u1 a second bends in it. */
static inline void wpin_rotor_bend(wpin_rotor *r, wpin_two u, wpin_two u1) {
    const double torque = wpin_dot(r->pull, u1) + r->poles * r->speed * wpin_dot(r->pull_on, u);
    r->bent = r->per_inertia * torque - r->fades * r->gains;
    r->emf2 += r->bent * r->by_speed;
}

/* Ends a piece of h seconds and dt ps from currents to currents. Its charge lies about its middle,
 * but for what the change of the currents moves of it, be they straight or square in time. Returns
 * what its emf, by the torque that there was, would have changed the currents by less, A. */
static inline wpin_two wpin_rotor_add(wpin_rotor *r, wpin_two u, wpin_two next, wpin_two charge,
                                      double h, int64_t dt) {
    const double half = h * (1.0 / 2), wide = h * h * (1.0 / 12), spins = r->poles * r->speed;
    const double x = half * (spins + h * (1.0 / 3) * r->poles * r->gains); /* on average */
    const wpin_two pull = r->pull + x * (r->pull_on + r->bend * (2.0 / 3) * x * r->pull);
    const wpin_two moved = wide * (next - u), turns = spins * r->pull_on;
    const double given = r->per_inertia * wpin_dot(pull, charge) - h * r->slows;
    const double late = r->per_inertia * (wpin_dot(pull, moved) + wide * wpin_dot(turns, charge));
    const double free = given + r->per_inertia * wpin_dot(turns, moved);
    const double ahead = half * given - late; /* of where it came by its speed at first */
    r->turned += h * r->speed + ahead;
    r->speed += free - r->fades * ahead - r->blows * (h * (1.0 / 3)) * free * free;
    r->lasts += h;
    r->left -= dt;
    return (ahead - h * half * (r->gains + h * (1.0 / 3) * r->bent)) * r->by_speed;
}

/* Ends the course. */
void wpin_rotor_end(wpin_rotor *r);

#endif
