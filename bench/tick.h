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
    BENCH_LOOP,      /* its speed regulated and watched, by an encoder, near its set-point */
    BENCH_COMMUTATE, /* not a tick: from one sector of a three-phase stage to the next */
    BENCH_SAMPLE,    /* the same without sensors: a PWM period, eight of them in a sector */
    BENCH_VECTOR,    /* field orientation: a PWM period; of 32 bits only */
    BENCH_CASES
} bench_case;

/* A small controller's flash does not hold all of them at once: the regulated and the brushless
 * cases, or the others. */
#ifndef BENCH_LOOPS
#define BENCH_LOOPS  1
#define BENCH_OTHERS 1
#endif
/* The core built for one motor alone: see windpin/impl/constants.h. */
#ifdef WPIN_ONE_MOTOR
#define BENCH_ALONE 1
#else
#define BENCH_ALONE 0
#endif
/* The loop by hand (tick_fused.c) in place of the core has these alone. */
#ifndef BENCH_BY_HAND
#define BENCH_BY_HAND 0
#endif
/* One regulated motor alone (loop.c), and the same by hand (loop_fused.c). */
#ifndef BENCH_REGULATED
#define BENCH_REGULATED 0
#endif
static inline bool bench_has(bench_case what) {
    if (BENCH_REGULATED) {
        return what == BENCH_LOOP || what == BENCH_WORST;
    }
    if (BENCH_BY_HAND) {
        return what == BENCH_REST || what == BENCH_RAMP || what == BENCH_RUN || what == BENCH_WORST;
    }
    if (what == BENCH_VECTOR) {
        return BENCH_LOOPS && BENCH_OTHERS;
    }
    if (what == BENCH_COMMUTATE) {
        return BENCH_LOOPS && !BENCH_ALONE;
    }
    return what == BENCH_LOOP || what == BENCH_SAMPLE ? BENCH_LOOPS : BENCH_OTHERS;
}

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

/* With BENCH_CLOSED: the most cycles for which the lock was taken. */
extern uint16_t bench_closed;

/* What is measured, before the name of the case; how many of those there are. */
enum { BENCH_KINDS = BENCH_BY_HAND || BENCH_ALONE ? 1 : 2 };
static inline const char *bench_kind(void) {
    return BENCH_BY_HAND ? "by hand"
                         : (BENCH_ALONE ? "one motor" : (bench_fast ? "folded" : "general"));
}

/* Name of a case. */
static inline const char *bench_name(bench_case what) {
    static const char *const names[] = {
        "at rest",     "ramping, 2 s at the slew limit", "ramping, in a time asked for",
        "running",     "with a request now and then",    "regulated speed",
        "commutation", "a PWM period without sensors",   "a PWM period of field orientation"};
    return names[what];
}

#endif
