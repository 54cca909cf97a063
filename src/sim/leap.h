/* Many like periods of PWM at once: what a piece, a period or any number of periods does to the
 * motor is affine in its state and the supply's volts, so one follows the other by composing rows.
 */
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
} wpin_pattern;

/* So many periods: what they do, and the current at the end of each segment in the first and the
 * last of them, and by how much it differs from the next and from the one before. */
typedef struct wpin_leap {
    int periods; /* 0: never made */
    wpin_pattern pattern;
    double seconds;
    double turn; /* rad a period of its oscillation, 0: none */
    bool one_way;
    wpin_passage whole;
    wpin_row first[WPIN_SEGMENTS], last[WPIN_SEGMENTS];
    wpin_row after_first[WPIN_SEGMENTS], before_last[WPIN_SEGMENTS];
} wpin_leap;

/* First a, then b. */
void wpin_passage_join(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats);
/* The same without drawn and sizes; sense only with a filter. */
void wpin_passage_lean(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats,
                       bool filters);
/* A row of what is left by a passage, as a row of what that began with. */
wpin_row wpin_row_behind(const wpin_row *r, const wpin_passage *p);
wpin_quad wpin_quad_of(const wpin_row *a, const wpin_row *b);

static inline double wpin_row_value(const wpin_row *r, double i, double w, double v) {
    return r->i * i + r->w * w + (r->v * v + r->c);
}

#endif
