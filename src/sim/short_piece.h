/* A short piece of a brushless motor's way: where currents, speed and angle go in it. */
#ifndef WPIN_SIM_SHORT_PIECE_H
#define WPIN_SIM_SHORT_PIECE_H

#include "phases.h"

/* The share of a time constant, and of a radian, that may pass in one: what four terms leave out is
 * then 3e-9. Two do for less: they leave out 4e-9. */
#define WPIN_SHARE_MOST   0.05
#define WPIN_SHARE_OF_TWO 0.003

/* The motor as far as it stays the same. */
typedef struct wpin_runner {
    double poles, viscous, quadratic, per_inertia;
    double friction; /* Nm against the way it turns */
    double bend;     /* of the emf's shapes, as a share of them: -1, or 0 of flat tops */
    bool held;       /* by friction */
} wpin_runner;

/* Where it is: currents into leads a and b, into c, speed, shape of its emf. */
typedef struct wpin_whereabouts {
    wpin_two u;
    double third, speed;
    wpin_shape shape;
} wpin_whereabouts;

/* From there on: derivatives by time. */
typedef struct wpin_short {
    wpin_two u, u1, u2, u3, u4;
    double speed, s1, s2, s3, s4;
    wpin_two torque_by; /* Nm for each ampere, as it begins */
    double torque;
} wpin_short;

static inline double wpin_dot(wpin_two a, wpin_two b) {
    wpin_two c = a * b;
    return c[0] + c[1];
}

/* With two terms, or with four. */
void wpin_short_begin(const wpin_runner *runner, const wpin_star *star, const wpin_whereabouts *at,
                      bool four, wpin_short *s);
/* After h seconds: currents, what flowed, speed, how far the shaft turned. */
static inline wpin_two wpin_short_amps(const wpin_short *s, double h) {
    return s->u + h * (s->u1 + h / 2 * (s->u2 + h / 3 * (s->u3 + h / 4 * s->u4)));
}
static inline wpin_two wpin_short_charge(const wpin_short *s, double h) {
    return h * (s->u + h / 2 * (s->u1 + h / 3 * (s->u2 + h / 4 * (s->u3 + h / 5 * s->u4))));
}
static inline double wpin_short_speed(const wpin_short *s, double h) {
    return s->speed + h * (s->s1 + h / 2 * (s->s2 + h / 3 * (s->s3 + h / 4 * s->s4)));
}
static inline double wpin_short_turns(const wpin_short *s, double h) {
    return h * (s->speed + h / 2 * (s->s1 + h / 3 * (s->s2 + h / 4 * (s->s3 + h / 5 * s->s4))));
}

/* The shape of a sine by its sine and cosine; and of either, a few electrical radians on. */
void wpin_shape_sine(wpin_shape *shape);
void wpin_shape_on(const wpin_runner *runner, const wpin_shape *from, double turns, wpin_shape *to);

#endif
