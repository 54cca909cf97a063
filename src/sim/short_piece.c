/* The shape of the emf: g is that of leads a and b over that of the star point, t over that of lead
 * c, by the electrical angle, p times that of the shaft. */
#include "short_piece.h"
#include <math.h>

#define ROOT 0.86602540378443864676 /* of 3, halved */
/* The sine of the angle is worked out afresh after so many pieces. */
#define TURNED_ON_MOST 200

void wpin_short_begin(const wpin_runner *runner, const wpin_star *star, const wpin_whereabouts *at,
                      double share, wpin_short *s) {
    const double *f = at->shape.f, *d = at->shape.slope, *part = star->share;
    double f_star = part[0] * f[0] + part[1] * f[1] + part[2] * f[2];
    double d_star = part[0] * d[0] + part[1] * d[1] + part[2] * d[2];
    const wpin_two fs = {f[0], f[1]}, ds = {d[0], d[1]};
    const wpin_pull by = {.g = star->per_lead * (fs - f_star),
                          .dg = star->per_lead * (ds - d_star),
                          .t = star->constant * (fs - f[2]),
                          .dt = star->constant * (ds - d[2])};
    wpin_short_make(runner, star, &by, at->u, at->speed, share, s);
}

void wpin_short_loses(wpin_plant *plant, const wpin_star *star, const wpin_two ends[2],
                      wpin_two charge, double seconds) {
    const wpin_two begin = ends[0], end = ends[1];
    wpin_flow flow = {.tie = star->tie,
                      .begin = {begin[0], begin[1], -begin[0] - begin[1]},
                      .end = {end[0], end[1], -end[0] - end[1]},
                      .charge = {charge[0], charge[1], -charge[0] - charge[1]}};
    wpin_flow_losses(plant, &flow, seconds);
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
    to->delta = from->delta;
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

void wpin_shape_find(wpin_plant *plant) {
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
