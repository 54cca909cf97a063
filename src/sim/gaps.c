/* A motor whose current stops in every period: each begins with none, the first circuit drives
 * some, a diode leads it on until it runs dry, and the shaft coasts for the rest. What the first
 * does from nothing is known for all periods alike; the way to where the diode runs dry is a short
 * series. */
#include "plant.h"
#include "sense_lag.h"
#include <math.h>

#define PS    1e-12
#define TERMS 9

/* The share of its time constants that a diode leads for: what is left out is then 1e-11, as with
 * fewer terms for less. */
#define SHARE_MOST  0.25
#define SHARE_FEWER 0.05
#define TERMS_FEWER 6
/* The share of the shaft's own that it coasts for, whose series is shorter. */
#define COASTS_MOST 0.003

typedef struct state {
    double amps, speed;
} state;

/* A period, its speed known. */
typedef struct period {
    double peak;         /* as the diode takes over, A */
    double dry;          /* s from there on */
    double charge[2];    /* driven, led on; As */
    double speed, turns; /* at the end */
} period;

static double reach(const wpin_matrix *m) {
    return fmax(fabs(m->m00) + fabs(m->m01), fabs(m->m10) + fabs(m->m11));
}

static bool same(const wpin_pattern *a, const wpin_pattern *b) {
    return a->number[0] == b->number[0] && a->number[1] == b->number[1] && a->dt[0] == b->dt[0] &&
           a->dt[1] == b->dt[1];
}

/* What drives it, from no current: each result by the speed it begins with. */
static void make_driven(const wpin_plant *plant, const wpin_pattern *pattern, wpin_gap *g) {
    g->driven = wpin_plant_piece(plant, pattern->number[0]);
    wpin_propagator p = wpin_propagator_make(&g->driven.rates, g->seconds[0]);
    double a = g->driven.force_amps, w = g->driven.force_speed;
    g->amps = (wpin_line){p.phi.m01, p.psi.m00 * a + p.psi.m01 * w};
    g->speed = (wpin_line){p.phi.m11, p.psi.m10 * a + p.psi.m11 * w};
    g->charge = (wpin_line){p.psi.m01, p.xi.m00 * a + p.xi.m01 * w};
    g->turns = (wpin_line){p.psi.m11, p.xi.m10 * a + p.xi.m11 * w};
}

static void make_gap(const wpin_plant *plant, const wpin_pattern *pattern, wpin_gap *g) {
    *g = (wpin_gap){.version = plant->version,
                    .pattern = *pattern,
                    .led = wpin_plant_piece(plant, pattern->number[1]),
                    .seconds = {(double)pattern->dt[0] * PS, (double)pattern->dt[1] * PS}};
    make_driven(plant, pattern, g);
    g->way = pattern->number[0] / 3 % 4 - 1;
    wpin_leg_state a = (wpin_leg_state)(pattern->number[1] / 36);
    wpin_leg_state b = (wpin_leg_state)(pattern->number[1] / 12 % 3);
    g->opens_above = wpin_plant_loop(plant, a, b, -1).emf;
    g->opens_below = wpin_plant_loop(plant, a, b, 1).emf;
    g->fading = reach(&g->led.rates);
    g->fewer = g->fading * g->seconds[1] < SHARE_FEWER;
    g->known = g->led.loop.way == g->way && g->fading * g->seconds[1] < SHARE_MOST &&
               fabs(g->led.rates.m11) * g->seconds[1] < COASTS_MOST;
}

static const wpin_gap *gap_for(wpin_plant *plant, const wpin_pattern *pattern) {
    wpin_gap *g = &plant->gap;
    if (g->version != plant->version || !same(&g->pattern, pattern)) {
        make_gap(plant, pattern, g);
    }
    return g;
}

static inline double at(const wpin_line *line, double speed) {
    return line->by_speed * speed + line->constant;
}

/* Led on until the diode is dry, found by Newton's steps from a guess: a step leaves its square.
 * Returns the speed then. */
static inline double led_on(const wpin_gap *g, state from, int terms, double guess, period *p) {
    static const double shares[TERMS + 1] = {0,       1,       1.0 / 2, 1.0 / 3, 1.0 / 4,
                                             1.0 / 5, 1.0 / 6, 1.0 / 7, 1.0 / 8, 1.0 / 9};
    const wpin_matrix m = g->led.rates;
    double i[TERMS], w[TERMS], speed = 0, turns = 0, step = 1;
    i[0] = from.amps;
    w[0] = from.speed;
    i[1] = m.m00 * i[0] + m.m01 * w[0] + g->led.force_amps;
    w[1] = m.m10 * i[0] + m.m11 * w[0] + g->led.force_speed;
    for (int k = 2; k < terms; k++) {
        i[k] = (m.m00 * i[k - 1] + m.m01 * w[k - 1]) * shares[k];
        w[k] = (m.m10 * i[k - 1] + m.m11 * w[k - 1]) * shares[k];
    }
    double t = guess > 0 ? guess : -i[0] / i[1];
    for (int n = 0; n < 20 && step * step * g->fading > PS / 1000; n++) {
        double y = i[terms - 1], slope = 0;
        for (int k = terms - 2; k >= 0; k--) {
            slope = slope * t + y;
            y = y * t + i[k];
        }
        step = y / slope;
        t -= step;
    }
    for (int k = terms - 1; k >= 0; k--) {
        speed = speed * t + w[k];
        turns = turns * t + w[k] * shares[k + 1];
    }
    turns *= t;
    p->dry = t;
    p->turns += turns;
    p->charge[1] = (i[0] + m.m01 * turns + g->led.force_amps * t) / -m.m00; /* L di = all of it */
    return speed;
}

/* Without a current. */
static double coast(const wpin_gap *g, double speed, double t, period *p) {
    double by = g->led.rates.m11, z = by * t, slope = by * speed + g->led.force_speed;
    double second = 1 + z * (1.0 / 3 + z * (1.0 / 12)); /* of the series of its exponential */
    p->turns += t * (speed + slope * t / 2 * second);
    return speed + slope * t * (1 + z / 2 * second);
}

/* No diode is opened by the back-emf alone. */
static bool blocks(const wpin_plant *plant, const wpin_gap *g, double speed) {
    double back = plant->motor.constant * speed;
    return back <= g->opens_above && back >= g->opens_below;
}

static bool find_period(const wpin_plant *plant, const wpin_gap *g, double speed, period *p) {
    const double k = plant->motor.constant, guess = p->dry;
    state end = {at(&g->amps, speed), at(&g->speed, speed)};
    p->charge[0] = at(&g->charge, speed);
    p->turns = at(&g->turns, speed);
    p->peak = end.amps;
    double size = g->way * end.amps, rise = g->way * (g->driven.loop.emf - k * speed);
    if (rise <= 0 || size <= 0 || size > plant->over_limit) {
        return false;
    }
    double dry = g->fewer ? led_on(g, end, TERMS_FEWER, guess, p) : led_on(g, end, TERMS, guess, p);
    if (!(p->dry > 0 && p->dry < g->seconds[1])) {
        return false;
    }
    p->speed = coast(g, dry, g->seconds[1] - p->dry, p);
    if (speed == 0) {
        return k * size <= plant->torque_hold;
    }
    bool on = speed > 0 ? end.speed > 0 && p->speed > 0 : end.speed < 0 && p->speed < 0;
    return on && blocks(plant, g, dry) && blocks(plant, g, p->speed);
}

/* ---- what it adds up to ---- */

static void heat(wpin_plant *plant, const wpin_piece *piece, double charge, double squares) {
    plant->squares += squares;
    plant->sizes += fabs(charge);
    plant->lost += squares * piece->loop.drop_ohms + fabs(charge) * piece->loop.drop_volts;
    plant->diodes[0] += piece->loop.diode ? fabs(charge) : 0;
}

static void take(wpin_plant *plant, const wpin_gap *g, const period *p) {
    wpin_sums *s = &plant->sums;
    double drawn = g->driven.loop.rail * p->charge[0] + g->led.loop.rail * p->charge[1];
    s->time += g->seconds[0] + g->seconds[1];
    s->amps += p->charge[0] + p->charge[1];
    s->rads += p->turns;
    s->supply_amps += drawn * plant->feed.share;
    s->least_amps = p->peak < s->least_amps ? p->peak : s->least_amps;
    s->most_amps = p->peak > s->most_amps ? p->peak : s->most_amps;
    plant->charge += drawn * plant->feed.share;
    plant->angle += p->turns;
    plant->speed = p->speed;
    if (plant->feed.sense_filter > 0) {
        wpin_plant_sense(plant, 0, p->peak, g->seconds[0]);
        wpin_plant_sense(plant, p->peak, 0, p->dry);
        wpin_plant_sense(plant, 0, 0, g->seconds[1] - p->dry);
    }
    if (plant->heats) {
        heat(plant, &g->driven, p->charge[0], p->peak * p->peak * (g->seconds[0] / 3));
        heat(plant, &g->led, p->charge[1], p->peak * p->peak * (p->dry / 3));
    }
}

int wpin_plant_gaps(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods) {
    if (pattern->count != 2 || plant->quadratic != 0) {
        return 0;
    }
    const wpin_gap *g = gap_for(plant, pattern);
    period p = {0};
    int k = 0, n = most_periods < WPIN_PERIODS_MOST ? (int)most_periods : WPIN_PERIODS_MOST;
    while (g->known && k < n && find_period(plant, g, plant->speed, &p) &&
           wpin_plant_within_stops(plant, plant->angle + p.turns)) {
        take(plant, g, &p);
        k++;
    }
    if (k > 0) {
        wpin_sums *s = &plant->sums;
        s->least_amps = s->least_amps > 0 ? 0 : s->least_amps;
        s->most_amps = s->most_amps < 0 ? 0 : s->most_amps;
        plant->sense_amps = plant->feed.sense_filter > 0 ? plant->sense_amps : 0;
        plant->over_time = plant->over_peak = 0;
    }
    return k;
}
