/* A record cut into stretches. */
#ifndef WPIN_IDENTIFY_WINDOWS_H
#define WPIN_IDENTIFY_WINDOWS_H

#include "windpin/host/identify.h"

/* A stretch from one edge of the encoder to a later one of the same kind. Signs as forward. */
typedef struct wpin_stretch {
    double from, to;   /* s */
    double speed;      /* mean, rad/s of the motor's shaft */
    double duty, amps; /* means; the current with the sign of the duty */
    double climb;      /* of the current, A/s */
    double seconds;    /* in which the current was looked at */
    bool follows;      /* it begins where the one before ends */
} wpin_stretch;

/* A start from rest. */
typedef struct wpin_breakaway {
    double amps; /* with its sign */
    double duty;
    double late; /* A by which it may have risen since it broke loose, or be less */
} wpin_breakaway;

typedef struct wpin_cut {
    wpin_stretch *stretches;
    size_t count;
    wpin_breakaway starts[32];
    size_t start_count;
} wpin_cut;

/* Cuts a record; `lag` is how late the current is sensed, s; `line` how many counts are edges of
 * one kind apart, `turn` the counts of a turn of the motor; `coarse`: its edges
 * have no moments of their own. False: out of memory. */
bool wpin_cut_record(wpin_cut *cut, const wpin_record *record, double lag, int line, double turn,
                     bool coarse);
/* The same into stretches of so many seconds, driven one way each, whose speed is not known. */
bool wpin_cut_by_time(wpin_cut *cut, const wpin_record *record, double lag, double seconds);
void wpin_cut_free(wpin_cut *cut);

/* The mean of the sensed currents of a time; NAN: it has none. */
double wpin_record_mean(const wpin_record *record, double from, double to);

#endif
