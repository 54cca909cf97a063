/* A course of a speed in figures, and whether it is as predicted. */
#include "response_figures.h"
#include <math.h>

/* When the course passes a share of its way for the first time, s; between two ticks evenly. */
static double passes(const wpin_course *c, double share) {
    double level = c->from + share * (c->to - c->from), up = c->to > c->from ? 1 : -1;
    for (size_t i = 1; i < c->load_at; i++) {
        double before = up * (c->speeds[i - 1] - level), now = up * (c->speeds[i] - level);
        if (before < 0 && now >= 0) {
            return ((double)i + before / (before - now)) * c->tick; /* ends of ticks */
        }
    }
    return NAN;
}

/* Until it stays within a band around where it should be, s since `begin`. */
static double stays(const wpin_course *c, size_t begin, size_t end, double band) {
    size_t last = begin;
    for (size_t i = begin; i < end; i++) {
        last = fabs(c->speeds[i] - c->to) > band ? i + 1 : last;
    }
    return last == end && end > begin ? NAN : (double)(last - begin) * c->tick;
}

static double mean_off(const wpin_course *c, size_t begin, size_t end) {
    double sum = 0;
    for (size_t i = begin; i < end; i++) {
        sum += c->speeds[i] - c->to;
    }
    return fabs(sum / (double)(end - begin));
}

wpin_response_figures wpin_course_figures(const wpin_course *c) {
    double step = fabs(c->to - c->from), up = c->to > c->from ? 1 : -1;
    wpin_response_figures f = {.dip = NAN, .recovery = NAN};
    f.rise = passes(c, 0.9) - passes(c, 0.1);
    for (size_t i = 0; i < c->load_at; i++) {
        f.overshoot = fmax(f.overshoot, up * (c->speeds[i] - c->to) / step);
    }
    f.settling = stays(c, 0, c->load_at, step / 20);
    f.off = mean_off(c, c->load_at - c->load_at / 10 - 1, c->load_at) / c->to;
    if (c->load_at < c->count) {
        f.dip = 0;
        for (size_t i = c->load_at; i < c->count; i++) {
            f.dip = fmax(f.dip, fabs(c->speeds[i] - c->to));
        }
        f.recovery = stays(c, c->load_at, c->count, fmax(f.dip / 10, 0.005 * c->to));
    }
    return f;
}

bool wpin_response_holds(const wpin_response_figures *p, const wpin_response_figures *f,
                         double tick) {
    double few = 10 * tick;
    return f->settling <= 2 * p->settling + few && f->recovery <= 2 * p->recovery + few &&
           f->overshoot <= p->overshoot + 0.1 && f->dip <= 5.0 / 3 * p->dip && f->off <= 0.005;
}
