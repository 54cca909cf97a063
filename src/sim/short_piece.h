/* A short piece of a brushless motor's way: where currents, speed and angle go in it. */
#ifndef WPIN_SIM_SHORT_PIECE_H
#define WPIN_SIM_SHORT_PIECE_H

#include "currents.h"

/* The motor as far as it stays the same. */
typedef struct wpin_runner {
    double poles, viscous, quadratic, per_inertia;
    double friction; /* Nm against the way it turns */
    double bend;     /* of the emf's shapes, as a share of them: -1, or 0 of flat tops */
    bool held;       /* by friction */
} wpin_runner;

/* Over the electrical angle: how the emf changes the currents into leads a and b, A/s for each
 * rad/s of the shaft; what each ampere of them makes, Nm. And how these change with it. */
typedef struct wpin_pull {
    wpin_two g, dg, t, dt;
} wpin_pull;

/* Where it is: currents into leads a and b, speed, shape of its emf. */
typedef struct wpin_whereabouts {
    wpin_two u;
    double speed;
    wpin_shape shape;
} wpin_whereabouts;

/* From there on: derivatives by time. */
typedef struct wpin_short {
    wpin_currents flow;
    double speed, s1, s2, s3, s4;
    wpin_two torque_by; /* Nm for each ampere, as it begins */
    double torque;
} wpin_short;

/* With as many terms as a share asks for. With u the currents into leads a and b, w the speed:
 *     du/dt = M u + F - w g          J dw/dt = t u - B w - T
 * The derivatives of w g and of t u follow by the product rule. */
static inline void wpin_short_make(const wpin_runner *runner, const wpin_star *star,
                                   const wpin_pull *by, wpin_two u, double w, double share,
                                   wpin_short *s) {
    const wpin_two g = by->g, dg = by->dg, t = by->t, dt = by->dt;
    const double a = runner->poles * w; /* the angle's first derivative */
    const double square = runner->quadratic * fabs(w), drag = runner->viscous + 2 * square;
    const double free = runner->held ? 0 : runner->per_inertia;
    const wpin_two g1 = a * dg, t1 = a * dt;

    const wpin_two u1 = wpin_by_itself(star, u) + star->force - w * g;
    const double q = wpin_dot(t, u), q1 = wpin_dot(t, u1) + wpin_dot(t1, u);
    const double s1 = free * (q - (drag - square) * w - runner->friction);
    const double s2 = free * (q1 - drag * s1);
    const wpin_two u2 = wpin_by_itself(star, u1) - s1 * g - w * g1;
    s->flow = (wpin_currents){.u = u, .u1 = u1, .u2 = u2};
    s->speed = w, s->s1 = s1, s->s2 = s2;
    s->torque_by = t, s->torque = q;
    s->s3 = s->s4 = 0;
    if (share <= WPIN_SHARE_OF_TWO) {
        return;
    }
    const double a1 = runner->poles * s1, bends = a * a * runner->bend;
    const wpin_two g2 = a1 * dg + bends * g, t2 = a1 * dt + bends * t;
    const double q2 = wpin_dot(t, u2) + 2 * wpin_dot(t1, u1) + wpin_dot(t2, u);
    const double curve = 2 * copysign(runner->quadratic, w);
    const double s3 = free * (q2 - drag * s2 - curve * s1 * s1);
    const wpin_two u3 = wpin_by_itself(star, u2) - s2 * g - 2 * s1 * g1 - w * g2;
    s->flow.u3 = u3;
    s->s3 = s3;
    if (share <= WPIN_SHARE_OF_THREE) {
        return;
    }
    const double a2 = runner->poles * s2, by_d = a2 + a * bends, by_f = 3 * a * a1 * runner->bend;
    const wpin_two g3 = by_d * dg + by_f * g, t3 = by_d * dt + by_f * t;
    const double q3 = wpin_dot(t, u3) + 3 * (wpin_dot(t1, u2) + wpin_dot(t2, u1)) + wpin_dot(t3, u);
    s->flow.u4 = wpin_by_itself(star, u3) - s3 * g - 3 * s2 * g1 - 3 * s1 * g2 - w * g3;
    s->s4 = free * (q3 - drag * s3 - 3 * curve * s1 * s2);
}

/* The same from where it is. */
void wpin_short_begin(const wpin_runner *runner, const wpin_star *star, const wpin_whereabouts *at,
                      double share, wpin_short *s);
/* After h seconds: speed, how far the shaft turned. */
static inline double wpin_short_speed(const wpin_short *s, double h) {
    return s->speed +
           h * (s->s1 + h * (1.0 / 2) * (s->s2 + h * (1.0 / 3) * (s->s3 + h * (1.0 / 4) * s->s4)));
}
static inline double wpin_short_turns(const wpin_short *s, double h) {
    return h *
           (s->speed + h * (1.0 / 2) *
                           (s->s1 + h * (1.0 / 3) *
                                        (s->s2 + h * (1.0 / 4) * (s->s3 + h * (1.0 / 5) * s->s4))));
}

/* What the driver loses, from currents to currents; what goes into leads a and b comes out at c. */
void wpin_short_loses(wpin_plant *plant, const wpin_star *star, const wpin_two ends[2],
                      wpin_two charge, double seconds);

/* Whether nothing but its circuit and a rotor that turns freely is to be looked at. Two signs of a
 * current have two ties at a bipolar switch. */
static inline bool wpin_goes_simply(const wpin_plant *plant) {
    return plant->motor.cogging <= 0 && !plant->burnt && !plant->lead_off && !plant->has_stops &&
           plant->feed.saturation_volts <= 0;
}

/* The shape where the rotor is now. */
void wpin_shape_find(wpin_plant *plant);
/* The shape of a sine by its sine and cosine; and of either, a few electrical radians on. */
void wpin_shape_sine(wpin_shape *shape);
void wpin_shape_on(const wpin_runner *runner, const wpin_shape *from, double turns, wpin_shape *to);

#endif
