/* Many like periods of PWM at once: what a piece or a period does to the motor is affine in its
 * state and the supply's volts, so one follows the other by composing rows; and as like periods
 * differ in nothing but where they begin, any number of them follow from a few numbers. */
#ifndef WPIN_SIM_LEAP_H
#define WPIN_SIM_LEAP_H

#include <stdbool.h>
#include <stdint.h>

/* A number as it follows from current, speed and rail volts at the start. */
typedef struct wpin_row {
    double i, w, v, c;
} wpin_row;

/* The same of second degree. */
typedef struct wpin_quad {
    double ii, iw, iv, ic, ww, wv, wc, vv, vc, cc;
} wpin_quad;

typedef struct wpin_passage {
    wpin_row amps, speed;                    /* at the end */
    wpin_row sum_amps, sum_speed, sum_drawn; /* integrals */
    wpin_row sense;                          /* what the sense filter ends at, with... */
    double sense_keep;                       /* ...this share of where it began */
    wpin_row sizes, diode_sizes;             /* for heat; of a current that keeps its sign */
    wpin_quad squares, lost;                 /* ...and what the driver loses, J */
} wpin_passage;

#define WPIN_SEGMENTS 4

/* One period: which circuit for how long. */
typedef struct wpin_pattern {
    int count;
    uint16_t number[WPIN_SEGMENTS];
    int64_t dt[WPIN_SEGMENTS];
    uint64_t mixed; /* of all but the last */
} wpin_pattern;

/* So many times the first step, from the begin of one period to that of the next, and so many times
 * the change from it to the second. */
typedef struct wpin_steps {
    double first, change;
} wpin_steps;

/* So many like periods. With M what one of them does to a state, less the identity, its step is
 * (1 + M) times the step before; as M M = trace M - det, every step and every sum of steps is a
 * number times the first and a number times its change. */
typedef struct wpin_periods {
    int count;                                      /* 0: never made */
    wpin_steps before_last;                         /* from the last but one to the last */
    wpin_steps last, end;                           /* up to the begin of the last; to the end */
    wpin_steps begins;                              /* up to the begin of each, summed */
    double first_squares, change_squares, products; /* of those numbers, summed */
    wpin_steps sensed;                              /* as the sense filter weighs them... */
    double weighed, sense_keep; /* ...what the weights add up to; what it keeps */
} wpin_periods;

/* One period: what it does, the current at the end of each of its segments; and what several of
 * them do. */
typedef struct wpin_period {
    unsigned made; /* number of the constants it is of; 0: never */
    bool one_way;  /* the current keeps its sign */
    wpin_pattern pattern;
    double seconds;
    double turn;       /* rad a period of its oscillation, 0: none */
    double trace, det; /* of what it does, less the identity */
    wpin_passage whole;
    wpin_row ends[WPIN_SEGMENTS];
    wpin_periods several;
} wpin_period;

/* Whether two are one; and a number of so many bits that is rarely that of another, or of the same
 * with other constants. */
static inline bool wpin_pattern_is(const wpin_pattern *a, const wpin_pattern *b) {
    bool same = a->count == b->count;
    for (int s = 0; same && s < a->count; s++) {
        same = a->dt[s] == b->dt[s] && a->number[s] == b->number[s];
    }
    return same;
}

/* Stretches that make up for one another do not cancel out in it. */
static inline uint64_t wpin_pattern_mix(const wpin_pattern *pattern) {
    const int s = pattern->count - 1;
    const uint64_t mixed = pattern->mixed + (uint64_t)pattern->dt[s] * 128 + pattern->number[s];
    return (mixed ^ mixed >> 29) * 0x9E3779B97F4A7C15U;
}

static inline unsigned wpin_pattern_slot(const wpin_pattern *pattern, unsigned constants,
                                         int bits) {
    return (unsigned)((wpin_pattern_mix(pattern) + constants) * 0x9E3779B97F4A7C15U >> (64 - bits));
}
/* Adds a stretch with one circuit; false when there is no room, or it is longer than a piece may
 * be.
 */
bool wpin_pattern_add(wpin_pattern *pattern, int number, int64_t dt, int64_t most);
/* First a, then b, of what is followed: what heats, a sense filter. */
void wpin_passage_join(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats,
                       bool filters);
/* A product of two rows. */
wpin_quad wpin_quad_of(const wpin_row *a, const wpin_row *b);
/* So many periods, 1 and up; weighed as well for what heats or a sense filter. */
void wpin_periods_make(wpin_period *period, int count, bool weighs);

static inline double wpin_row_value(const wpin_row *r, double i, double w, double v) {
    return r->i * i + r->w * w + (r->v * v + r->c);
}

#endif
