/** @file response.h
 * How a regulated speed answers: to another speed asked for, and to a load that comes all at once;
 * what the design predicts, and what the regulator of the firmware makes of it on a simulated
 * bench. Host only.
 */
#ifndef WINDPIN_RESPONSE_H
#define WINDPIN_RESPONSE_H

#include "../api.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What is asked. Speeds at the output. */
typedef struct wpin_response_test {
    double from, to; /**< rpm, above 0 and up to the rated speed; both 0: 40 and 60 % of that. */
    double torque;   /**< Load that comes, at the output, Nm; 0: a tenth of what stalls it, and no
                          more than its current limits leave. */
} wpin_response_test;

/** One control period. Speeds in rpm at the output. */
typedef struct wpin_response_row {
    double at;        /**< s since the other speed was asked for. */
    double asked;     /**< Where the ramp of the set-point is. */
    double predicted; /**< By the design's model: the motor a line through its working point. */
    double measured;  /**< By the encoder. */
    double rpm;       /**< True. */
    double duty;      /**< Share. */
    double amps;      /**< Mean. */
} wpin_response_row;

/** One course in figures. Those of the load are NAN where the run ended before. */
typedef struct wpin_response_figures {
    double rise;      /**< From a tenth to nine tenths of the step, s. */
    double overshoot; /**< Share of the step. */
    double settling;  /**< Until it stays within a twentieth of the step, s. */
    double off;       /**< Mean error at the end, share of the speed asked for, without sign. */
    double dip;       /**< Furthest off after the load came, rpm, without sign. */
    double recovery;  /**< Until it stays within a tenth of that, or 0.5 % of the speed, s. */
} wpin_response_figures;

/** What came of it. */
typedef struct wpin_response {
    wpin_response_test test; /**< With what was left open filled in. */
    double load_at;          /**< When the load came, s. */
    wpin_response_row *rows; /**< From wpin_respond; NULL in a sweep. */
    size_t count;
    wpin_response_figures predicted, happened; /**< The latter of the true speed. */
    double limited; /**< How long the duty or current limit held it back, s. */
} wpin_response;

/** Runs it on a bench, which is the rig or another one of the same loads (wpin_bench_vary). The
 * prediction is of the rig. False with the reason: no regulated speed, speeds out of range, no
 * memory, or a fault on the way. wpin_response_free it in any case. */
WPIN_API bool wpin_respond(const wpin_rig *rig, const wpin_rig *bench, int load,
                           const wpin_response_test *test, wpin_response *response, char *why,
                           size_t why_size);
/** Frees its rows. */
WPIN_API void wpin_response_free(wpin_response *response);

/** Whether a course is as predicted: it settles and recovers within twice the time and a few
 * control periods, overshoots by no more than a tenth of the step beyond, dips no deeper than two
 * thirds as deep again, and ends within 0.5 % of the speed asked for. */
WPIN_API bool wpin_response_holds(const wpin_response_figures *predicted,
                                  const wpin_response_figures *figures, double tick);

/** One of many benches. */
typedef struct wpin_response_bench {
    unsigned seed;
    bool ran, holds; /**< Ran to its end; as predicted. */
    wpin_response_figures figures;
} wpin_response_bench;

/** The same on many benches, each other than the rig: every constant of motor and load up to
 * `spread` off, by the seeds from `seed` on. On all processors. False when out of memory. */
WPIN_API bool wpin_respond_spread(const wpin_rig *rig, int load, const wpin_response_test *test,
                                  double spread, unsigned seed, wpin_response_bench *benches,
                                  size_t count,
                                  void (*progress)(void *context, double done, double of),
                                  void *context);

/** A rig whose load is another motor of the same kind, each constant up to `spread` (0 to 0.5) off
 * by a seed; with `load_too` what it drives too. It borrows everything else. NULL when out of
 * memory; wpin_bench_free it. */
WPIN_API wpin_rig *wpin_bench_vary(const wpin_rig *rig, int load, double spread, unsigned seed,
                                   bool load_too);
/** The same of all its loads, each another way off. */
WPIN_API wpin_rig *wpin_bench_vary_all(const wpin_rig *rig, double spread, unsigned seed);
WPIN_API void wpin_bench_free(wpin_rig *bench);

/** Draws speed, duty and current of a response. The picture's ending (.png or .svg) says the
 * format. False with the reason. */
WPIN_API bool wpin_response_picture(const wpin_response *response, const char *path,
                                    const char *title, char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
