/* The work that is timed on every target: one motor on a port that does nothing. */
#ifndef WPIN_BENCH_TICK_H
#define WPIN_BENCH_TICK_H

#include <windpin/windpin.h>

typedef enum bench_case { BENCH_REST, BENCH_RAMP, BENCH_RUN, BENCH_PLAN, BENCH_CASES } bench_case;

/* Puts the motor into a state in which `bench_tick` is worth measuring. */
void bench_prepare(bench_case what);
/* One control period: a millisecond passes, one tick. */
void bench_tick(void);
/* Name of a case. */
const char *bench_name(bench_case what);

#endif
