/* With u the currents into leads a and b, g the shape of their emf over that of the star point and
 * t over that of lead c, by the electrical angle, p times that of the shaft:
 *     du/dt = M u + F - k/L w g          J dw/dt = k t u - B w - T
 * The derivatives of w g and of t u follow by the product rule. */
#include "short_piece.h"
#include <math.h>

#define ROOT 0.86602540378443864676 /* of 3, halved */

static inline wpin_two by_itself(const wpin_star *star, wpin_two u) {
    return star->by_a * u[0] + star->by_b * u[1];
}

void wpin_short_begin(const wpin_runner *runner, const wpin_star *star, const wpin_whereabouts *at,
                      bool four, wpin_short *s) {
    const double *f = at->shape.f, *d = at->shape.slope, *share = star->share;
    double f_star = share[0] * f[0] + share[1] * f[1] + share[2] * f[2];
    double d_star = share[0] * d[0] + share[1] * d[1] + share[2] * d[2];
    const wpin_two fs = {f[0], f[1]}, ds = {d[0], d[1]}, u = at->u;
    const wpin_two g = star->per_lead * (fs - f_star), dg = star->per_lead * (ds - d_star);
    const wpin_two t = star->constant * (fs - f[2]), dt = star->constant * (ds - d[2]);
    const double w = at->speed, a = runner->poles * w; /* the angle's first derivative */
    const double square = runner->quadratic * fabs(w), drag = runner->viscous + 2 * square;
    const double free = runner->held ? 0 : runner->per_inertia;
    const wpin_two g1 = a * dg, t1 = a * dt;

    const wpin_two u1 = by_itself(star, u) + star->force - w * g;
    const double q = wpin_dot(t, u), q1 = wpin_dot(t, u1) + wpin_dot(t1, u);
    const double s1 = free * (q - (drag - square) * w - runner->friction);
    const double s2 = free * (q1 - drag * s1);
    const wpin_two u2 = by_itself(star, u1) - s1 * g - w * g1;
    s->u = u, s->u1 = u1, s->u2 = u2;
    s->speed = w, s->s1 = s1, s->s2 = s2;
    s->torque_by = t, s->torque = q;
    if (!four) {
        s->u3 = s->u4 = (wpin_two){0};
        s->s3 = s->s4 = 0;
        return;
    }
    const double a1 = runner->poles * s1, a2 = runner->poles * s2, by = a * a * runner->bend;
    const wpin_two g2 = a1 * dg + by * g, t2 = a1 * dt + by * t;
    const double q2 = wpin_dot(t, u2) + 2 * wpin_dot(t1, u1) + wpin_dot(t2, u);
    const double curve = 2 * copysign(runner->quadratic, w);
    const double s3 = free * (q2 - drag * s2 - curve * s1 * s1);
    const wpin_two u3 = by_itself(star, u2) - s2 * g - 2 * s1 * g1 - w * g2;

    const double by_d = a2 + a * by, by_f = 3 * a * a1 * runner->bend;
    const wpin_two g3 = by_d * dg + by_f * g, t3 = by_d * dt + by_f * t;
    const double q3 = wpin_dot(t, u3) + 3 * (wpin_dot(t1, u2) + wpin_dot(t2, u1)) + wpin_dot(t3, u);
    s->u3 = u3;
    s->u4 = by_itself(star, u3) - s3 * g - 3 * s2 * g1 - 3 * s1 * g2 - w * g3;
    s->s3 = s3;
    s->s4 = free * (q3 - drag * s3 - 3 * curve * s1 * s2);
}

void wpin_shape_sine(wpin_shape *shape) {
    double s = shape->sine, c = shape->cosine;
    shape->f[0] = s;
    shape->f[1] = -s / 2 - c * ROOT;
    shape->f[2] = -s / 2 + c * ROOT;
    shape->slope[0] = c;
    shape->slope[1] = -c / 2 + s * ROOT;
    shape->slope[2] = -c / 2 - s * ROOT;
}

void wpin_shape_on(const wpin_runner *runner, const wpin_shape *from, double turns,
                   wpin_shape *to) {
    double x = runner->poles * turns, q = x * x;
    to->at = from->at + turns;
    to->turned_on = from->turned_on + 1;
    to->sector = from->sector;
    to->begin = from->begin;
    if (runner->bend == 0) {
        wpin_phases_flats(runner->poles * to->at, to);
        return;
    }
    double sine = x * (1 - q * (1.0 / 6 - q * (1.0 / 120 - q * (1.0 / 5040))));
    double cosine = 1 - q * (1.0 / 2 - q * (1.0 / 24 - q * (1.0 / 720)));
    to->sine = from->sine * cosine + from->cosine * sine;
    to->cosine = from->cosine * cosine - from->sine * sine;
    wpin_shape_sine(to);
}
