/* Two motors at the same duties: by how much the faster one is faster, and what share of its duty
 * makes both alike. */
#include "windpin/host/twins.h"
#include <math.h>
#include <stdio.h>

/* A speed over a duty, one way: rpm = slope * duty + offset. */
typedef struct line {
    double slope, offset;
} line;

/* Both turn, and more than just so: the fastest of all sets the scale. */
static bool counts(const wpin_twin_place *p, double fastest) {
    double least = 0.02 * fastest;
    return fabs(p->of[0].rpm) > least && fabs(p->of[1].rpm) > least;
}

static double fastest_of(const wpin_twins *t) {
    double most = 0;
    for (size_t i = 0; i < t->count; i++) {
        most = fmax(most, fmax(fabs(t->places[i].of[0].rpm), fabs(t->places[i].of[1].rpm)));
    }
    return most;
}

/* Least squares, of the places that count; how many different duties those have. */
static int fit(const wpin_twins *t, int which, double way, line *l) {
    double n = 0, d = 0, v = 0, dd = 0, dv = 0, low = HUGE_VAL, high = 0;
    const double fastest = fastest_of(t);
    for (size_t i = 0; i < t->count; i++) {
        const wpin_twin_place *p = &t->places[i];
        if (p->duty * way > 0 && counts(p, fastest)) {
            double duty = fabs(p->duty), rpm = way * p->of[which].rpm;
            n++;
            d += duty;
            v += rpm;
            dd += duty * duty;
            dv += duty * rpm;
            low = fmin(low, duty);
            high = fmax(high, duty);
        }
    }
    if (n < 2 || high - low < 0.05) {
        return n > 0;
    }
    l->slope = (n * dv - d * v) / (n * dd - d * d);
    l->offset = (v - l->slope * d) / n;
    return 2;
}

/* The mean speed of one, one way, over the places that count. */
static double mean_rpm(const wpin_twins *t, int which, double way) {
    double sum = 0, n = 0, fastest = fastest_of(t);
    for (size_t i = 0; i < t->count; i++) {
        if (t->places[i].duty * way > 0 && counts(&t->places[i], fastest)) {
            sum += way * t->places[i].of[which].rpm;
            n++;
        }
    }
    return n > 0 ? sum / n : 0;
}

/* The share of its duty at which the faster one's line comes nearest to what the slower one did. */
static double best_trim(const wpin_twins *t, const line lines[2], const bool fits[2]) {
    double over = 0, under = 0, fastest = fastest_of(t);
    for (size_t i = 0; i < t->count; i++) {
        const wpin_twin_place *p = &t->places[i];
        int reverse = p->duty < 0;
        if (fits[reverse] && counts(p, fastest)) {
            const line *l = &lines[reverse];
            double gain = l->slope * fabs(p->duty), slower = fabs(p->of[1 - t->faster].rpm);
            over += gain * (slower - l->offset);
            under += gain * gain;
        }
    }
    return under > 0 ? over / under : 1;
}

/* How far apart they are at most, the faster one at `trim` by its line. */
static double apart_at(const wpin_twins *t, const line lines[2], const bool fits[2], double trim) {
    double most = 0, fastest = fastest_of(t);
    for (size_t i = 0; i < t->count; i++) {
        const wpin_twin_place *p = &t->places[i];
        int reverse = p->duty < 0;
        if (fits[reverse] && counts(p, fastest)) {
            double rpm =
                fabs(p->of[t->faster].rpm) - (1 - trim) * lines[reverse].slope * fabs(p->duty);
            most = fmax(most, fabs(rpm - fabs(p->of[1 - t->faster].rpm)));
        }
    }
    return most / fastest;
}

static bool say(char *why, size_t size, const char *text) {
    snprintf(why, size, "%s", text);
    return false;
}

bool wpin_twins_judge(wpin_twins *t, char *why, size_t why_size) {
    line lines[2][2] = {{{0}}}; /* of each, each way */
    bool fits[2];
    double sum[2] = {0, 0};
    for (int reverse = 0; reverse < 2; reverse++) {
        double way = reverse ? -1 : 1;
        fits[reverse] =
            fit(t, 0, way, &lines[0][reverse]) == 2 && fit(t, 1, way, &lines[1][reverse]) == 2;
        for (int which = 0; which < 2 && fits[reverse]; which++) {
            sum[which] += mean_rpm(t, which, way);
            if (mean_rpm(t, which, way) < 0) {
                return say(
                    why, why_size,
                    "they turn against what they are asked, or against each other: mend that "
                    "first ('reversed' in the stage; windpin first)");
            }
        }
    }
    if (!fits[0] && !fits[1]) {
        return say(why, why_size,
                   "a trim takes two duties one way, at least 5 % apart, at which both turn");
    }
    t->faster = sum[1] > sum[0];
    for (int reverse = 0; reverse < 2; reverse++) {
        double way = reverse ? -1 : 1;
        t->apart[reverse] =
            fits[reverse] ? mean_rpm(t, t->faster, way) / mean_rpm(t, 1 - t->faster, way) - 1 : NAN;
    }
    double trim = round(best_trim(t, lines[t->faster], fits) * 1000) / 1000;
    t->trim = fmin(trim, 1);
    t->most = apart_at(t, lines[t->faster], fits, 1);
    t->left = apart_at(t, lines[t->faster], fits, t->trim);
    if (trim < WPIN_TRIM_LEAST) {
        return say(why, why_size,
                   "at the same duty one turns more than twice as fast: no trim evens that out. "
                   "Another gear, motor or load; or their speeds regulated");
    }
    return true;
}
