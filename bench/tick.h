/* The work that is timed on every target: one motor on a port that does nothing. */
#ifndef WPIN_BENCH_TICK_H
#define WPIN_BENCH_TICK_H

#include <windpin/windpin.h>

typedef enum bench_case {
    BENCH_REST,
    BENCH_RAMP,
    BENCH_ASKED,
    BENCH_RUN,
    BENCH_WORST,
    BENCH_COMMUTATE, /* not a tick: from one sector of a three-phase stage to the next */
    BENCH_CASES
} bench_case;

/* Puts the motor into a state in which `bench_tick` is worth measuring. */
void bench_prepare(bench_case what);
/* A millisecond passes. */
void bench_pass(void);
/* Before each tick: of BENCH_WORST now and then a request; else nothing. */
void bench_ask(void);
/* One tick. */
void bench_tick(void);

/* Whether the tick is the one with its constants folded in. */
extern bool bench_fast;

/* Name of a case. */
static inline const char *bench_name(bench_case what) {
    static const char *const names[] = {
        "at rest", "ramping, 2 s at the slew limit", "ramping, in a time asked for",
        "running", "with a request now and then",    "commutation"};
    return names[what];
}

#endif
