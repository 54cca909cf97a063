/* A brushless motor as power series: three windings in a star and a magnet with p pole pairs,
 *     L di_x/dt = v_x - v_n - R i_x - e_x      e_x = k w f(p a - x 120 deg)
 *     J dw/dt = k sum f_x i_x - B w - T - C sin(n a)        i_a + i_b + i_c = 0
 * for the phases that conduct (e.g. Krishnan, "Permanent Magnet Synchronous and Brushless DC Motor
 * Drives", ch. 9). f is a sine, or a trapezoid with flat tops of 120 degrees. Windings in a delta
 * are the same between the leads as a star whose emf is half of the difference of the two windings
 * that meet at a lead, which for a sine is a sine; what goes round inside is in delta.c. */
#include "phases.h"
#include <math.h>

#define PI   3.14159265358979323846
#define RAMP (PI / 6)               /* from zero to the flat top, electrical rad */
#define ROOT 0.86602540378443864676 /* of 3, halved */

/* In each sector two windings are on their flat tops. At a lead of a delta two windings meet, the
 * one that begins there and the one that ends: half of their difference. */
static const wpin_sides star_sides[6] = {{{1, -1, 0}, {0, 0, 1}}, {{1, 0, -1}, {0, 1, 0}},
                                         {{0, 1, -1}, {1, 0, 0}}, {{-1, 1, 0}, {0, 0, 1}},
                                         {{-1, 0, 1}, {0, 1, 0}}, {{0, -1, 1}, {1, 0, 0}}};
static const wpin_sides delta_sides[6] = {
    {{0.5, -1, 0.5}, {-0.5, 0, 0.5}}, {{1, -0.5, -0.5}, {0, 0.5, -0.5}},
    {{0.5, 0.5, -1}, {0.5, -0.5, 0}}, {{-0.5, 1, -0.5}, {-0.5, 0, 0.5}},
    {{-1, 0.5, 0.5}, {0, 0.5, -0.5}}, {{-0.5, -0.5, 1}, {0.5, -0.5, 0}}};

const wpin_sides *wpin_phases_sides(bool in_delta, int sector) {
    return in_delta ? &delta_sides[sector] : &star_sides[sector];
}

double wpin_phases_ramp_slope(int sector) {
    return (sector % 2 == 0 ? -1 : 1) / RAMP;
}

double wpin_phases_ramp(int sector, double begin, double turned) {
    return wpin_phases_ramp_slope(sector) * (turned - begin - RAMP);
}

void wpin_phases_sector(double turned, wpin_shape *shape) {
    if (!(turned >= shape->begin && turned <= shape->begin + WPIN_SECTOR)) {
        double first = shape->delta ? 0 : WPIN_SECTOR / 2;
        double sectors = floor((turned - first) / WPIN_SECTOR);
        shape->sector = (int)(sectors - 6 * floor(sectors / 6));
        shape->begin = first + sectors * WPIN_SECTOR;
    }
}

void wpin_phases_flats(double turned, wpin_shape *shape) {
    const wpin_sides *of = wpin_phases_sides(shape->delta, shape->sector);
    double slope = wpin_phases_ramp_slope(shape->sector);
    double now = wpin_phases_ramp(shape->sector, shape->begin, turned);
    for (int x = 0; x < WPIN_PHASES; x++) {
        shape->f[x] = of->flat[x] + of->ramps[x] * now;
        shape->slope[x] = of->ramps[x] * slope;
    }
}

void wpin_phases_emf(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *i,
                     double *emf) {
    double peak = c->constant * i->speed;
    if (plant->motor.sinusoidal) {
        double s = sin(i->turned) * peak, r = cos(i->turned) * peak * ROOT;
        emf[0] = s;
        emf[1] = -s / 2 - r;
        emf[2] = -s / 2 + r;
        return;
    }
    double now = wpin_phases_ramp(c->sector, c->begin, i->turned);
    for (int x = 0; x < WPIN_PHASES; x++) {
        emf[x] = peak * (c->leads->flat[x] + c->leads->ramps[x] * now);
    }
}

double wpin_phases_torque(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *i) {
    wpin_instant unit = *i;
    double per_amp[WPIN_PHASES];
    unit.speed = 1;
    wpin_phases_emf(plant, c, &unit, per_amp);
    return per_amp[0] * i->amps[0] + per_amp[1] * i->amps[1] + per_amp[2] * i->amps[2];
}

double wpin_phases_cogging(const wpin_plant *plant, double turned) {
    const wpin_part_motor *m = &plant->motor;
    return m->cogging == 0 ? 0 : -m->cogging * sin(turned * m->cogging_steps / m->pole_pairs);
}

double wpin_phases_drawn(const wpin_circuit *c, const double *amps) {
    double drawn = 0;
    for (int x = 0; x < WPIN_PHASES; x++) {
        drawn += c->way[x] != 0 ? c->tie[x].rail * amps[x] : 0;
    }
    return drawn;
}

double wpin_phases_star(const wpin_circuit *c, const wpin_instant *i, const double *emf) {
    double sag = c->rail_ohms * wpin_phases_drawn(c, i->amps), sum = 0;
    for (int x = 0; x < WPIN_PHASES; x++) {
        if (c->way[x] != 0) {
            sum += c->tie[x].volts - c->tie[x].rail * sag -
                   (c->tie[x].resistance + c->ohms) * i->amps[x] - emf[x];
        }
    }
    return sum / c->count;
}

/* ---- what flows ---- */

/* Currents are all but straight between the ends of a piece: three times the mean of their square.
 */
static double square(const wpin_flow *flow, int x) {
    double begin = flow->begin[x], end = flow->end[x];
    return begin * begin + begin * end + end * end;
}

double wpin_flow_squares(const wpin_flow *flow) {
    return square(flow, 0) + square(flow, 1) + square(flow, 2);
}

void wpin_flow_losses(wpin_plant *plant, const wpin_flow *flow, double seconds) {
    for (int x = 0; x < WPIN_PHASES; x++) {
        const wpin_tie *tie = &flow->tie[x];
        double size = fabs(flow->charge[x]);
        plant->lost += tie->resistance * square(flow, x) * (seconds / 3) + tie->drop * size;
        plant->diodes[2 * x + (flow->charge[x] < 0)] += tie->diode ? size : 0;
    }
}

/* ---- series ---- */

static const double shares[] = {1,       1,       1.0 / 2, 1.0 / 3, 1.0 / 4,
                                1.0 / 5, 1.0 / 6, 1.0 / 7, 1.0 / 8};

static double product(const double *a, const double *b, int k) {
    double sum = 0;
    for (int j = 0; j <= k; j++) {
        sum += a[j] * b[k - j];
    }
    return sum;
}

/* Sine and cosine of the angle, where the emf is one, and the currents that make torque with each:
 * their terms as far as they are known. */
typedef struct shapes {
    double sine[WPIN_ORDER + 1], cosine[WPIN_ORDER + 1];
    double with_sine[WPIN_ORDER + 1], with_cosine[WPIN_ORDER + 1];
} shapes;

/* The terms of order k of emf and torque; and those of sine and cosine that follow, which go by the
 * same products with the speed. */
static double sine_terms(const wpin_circuit *c, const wpin_course *p, shapes *f, int k,
                         double turns, double *emf) {
    double sine = product(f->sine, p->speed, k), cosine = product(f->cosine, p->speed, k);
    double s = c->constant * sine, r = c->constant * cosine * ROOT;
    emf[0] = s;
    emf[1] = -s / 2 - r;
    emf[2] = -s / 2 + r;
    f->with_sine[k] = p->amps[0][k] - (p->amps[1][k] + p->amps[2][k]) / 2;
    f->with_cosine[k] = ROOT * (p->amps[2][k] - p->amps[1][k]);
    f->sine[k + 1] = turns * cosine;
    f->cosine[k + 1] = -turns * sine;
    return c->constant *
           (product(f->sine, f->with_sine, k) + product(f->cosine, f->with_cosine, k));
}

/* The emf that is on no flat top goes by the angle, whose terms from the first on are `turned`. */
static double flat_terms(const wpin_circuit *c, const wpin_course *p, double now, int k,
                         double *emf) {
    double by_speed = 0, by_amps = 0, slope = wpin_phases_ramp_slope(c->sector);
    double with_ramp[WPIN_ORDER + 1] = {0}, torque = 0;
    for (int j = 0; j <= k; j++) {
        for (int x = 0; x < WPIN_PHASES; x++) {
            with_ramp[j] += c->leads->ramps[x] * p->amps[x][j];
        }
    }
    for (int j = 1; j <= k; j++) {
        by_speed += p->turned[j] * p->speed[k - j];
        by_amps += p->turned[j] * with_ramp[k - j];
    }
    double ramped = now * p->speed[k] + slope * by_speed;
    for (int x = 0; x < WPIN_PHASES; x++) {
        emf[x] = c->constant * (c->leads->flat[x] * p->speed[k] + c->leads->ramps[x] * ramped);
        torque += c->leads->flat[x] * p->amps[x][k];
    }
    return c->constant * (torque + now * with_ramp[k] + slope * by_amps);
}

/* Sine and cosine of the angle of cogging, and their terms. */
typedef struct cogs {
    double sine[WPIN_ORDER + 1], cosine[WPIN_ORDER + 1];
} cogs;

static void cogs_begin(const wpin_plant *plant, double turned, cogs *g) {
    double angle = turned * plant->motor.cogging_steps / plant->motor.pole_pairs;
    g->sine[0] = sin(angle);
    g->cosine[0] = cos(angle);
}

/* The torque of order k, and the terms that follow. */
static double cogging_terms(const wpin_plant *plant, const wpin_course *p, cogs *g, int k) {
    double turns = plant->motor.cogging_steps * shares[k + 1];
    double sine = product(g->sine, p->speed, k), cosine = product(g->cosine, p->speed, k);
    g->sine[k + 1] = turns * cosine;
    g->cosine[k + 1] = -turns * sine;
    return -plant->motor.cogging * g->sine[k];
}

/* Terms of order k + 1 of the currents that flow. */
static void add_amps(const wpin_circuit *c, wpin_course *p, int k, const double *emf) {
    double left[WPIN_PHASES], star = 0, supply = 0;
    for (int x = 0; x < WPIN_PHASES; x++) {
        supply += c->way[x] != 0 ? c->tie[x].rail * p->amps[x][k] : 0;
    }
    supply *= c->rail_ohms;
    for (int x = 0; x < WPIN_PHASES; x++) {
        left[x] = (k == 0 ? c->tie[x].volts : 0) - c->tie[x].rail * supply -
                  (c->tie[x].resistance + c->ohms) * p->amps[x][k] - emf[x];
        star += c->way[x] != 0 ? left[x] : 0;
    }
    star *= shares[c->count];
    double share = shares[k + 1] / c->henry;
    for (int x = 0; x < WPIN_PHASES; x++) {
        p->amps[x][k + 1] = c->way[x] != 0 ? (left[x] - star) * share : 0;
    }
}

double wpin_phases_rate(const wpin_plant *plant, double speed) {
    const wpin_part_motor *m = &plant->motor;
    return fabs(speed) * (m->cogging > 0 ? fmax(m->pole_pairs, m->cogging_steps) : m->pole_pairs);
}

/* So many terms that the next one is nothing: x is the share of its time constant, or the part of a
 * turn in radians, that passes. */
static int order_for(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *from,
                     double seconds) {
    double turning = 2 * wpin_phases_rate(plant, from->speed); /* it may speed up */
    double fading = (c->ohms + plant->feed.on_resistance + c->rail_ohms) / c->henry;
    double x = seconds * (turning + fading), term = x * x * x / 6;
    int order = 3;
    while (order < WPIN_ORDER && term > 3e-8) {
        order++;
        term *= x * shares[order];
    }
    return order;
}

void wpin_course_make(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *from,
                      double seconds, wpin_course *p) {
    const bool sine = plant->motor.sinusoidal, teeth = plant->motor.cogging > 0;
    double poles = plant->motor.pole_pairs, emf[WPIN_PHASES];
    double now = wpin_phases_ramp(c->sector, c->begin, from->turned);
    shapes f;
    cogs g;
    double per_inertia = 1 / plant->inertia;
    p->order = order_for(plant, c, from, seconds);
    for (int x = 0; x < WPIN_PHASES; x++) {
        p->amps[x][0] = from->amps[x];
    }
    p->speed[0] = from->speed;
    p->turned[0] = from->turned;
    if (sine) {
        f.sine[0] = sin(from->turned);
        f.cosine[0] = cos(from->turned);
    }
    if (teeth) {
        cogs_begin(plant, from->turned, &g);
    }
    for (int k = 0; k < p->order; k++) {
        double share = shares[k + 1];
        double torque =
            sine ? sine_terms(c, p, &f, k, poles * share, emf) : flat_terms(c, p, now, k, emf);
        p->torque = k == 0 ? torque : p->torque;
        if (c->count > 1) {
            add_amps(c, p, k, emf);
        } else {
            p->amps[0][k + 1] = p->amps[1][k + 1] = p->amps[2][k + 1] = 0;
        }
        p->speed[k + 1] = p->turned[k + 1] = 0;
        if (c->turns != 0) {
            double drag = plant->viscous * p->speed[k] +
                          (k == 0 ? c->turns * plant->torque_move - c->goes_round : 0);
            if (plant->quadratic != 0) {
                drag += c->turns * plant->quadratic * product(p->speed, p->speed, k);
            }
            if (teeth) {
                drag -= cogging_terms(plant, p, &g, k);
            }
            p->speed[k + 1] = (torque - drag) * per_inertia * share;
            p->turned[k + 1] = poles * p->speed[k] * share;
        }
    }
}

static double value(const double *terms, int order, double t) {
    double y = terms[order];
    for (int k = order - 1; k >= 0; k--) {
        y = y * t + terms[k];
    }
    return y;
}

static double integral(const double *terms, int order, double t) {
    double y = terms[order] * shares[order + 1];
    for (int k = order - 1; k >= 0; k--) {
        y = y * t + terms[k] * shares[k + 1];
    }
    return y * t;
}

wpin_instant wpin_course_at(const wpin_circuit *c, const wpin_course *p, double t) {
    wpin_instant i;
    for (int x = 0; x < WPIN_PHASES; x++) {
        i.amps[x] = c->way[x] != 0 ? value(p->amps[x], p->order, t) : 0;
    }
    i.speed = c->turns == 0 ? 0 : value(p->speed, p->order, t);
    i.turned = c->turns == 0 ? p->turned[0] : value(p->turned, p->order, t);
    return i;
}

double wpin_course_charge(const wpin_course *p, int phase, double t) {
    return integral(p->amps[phase], p->order, t);
}

double wpin_course_turns(const wpin_course *p, double t) {
    return integral(p->speed, p->order, t);
}
