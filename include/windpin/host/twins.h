/** @file twins.h
 * Two motors that are to turn alike: what they make of the same duty, and the trim of the faster
 * one's duty that evens them out. Host only.
 */
#ifndef WINDPIN_TWINS_H
#define WINDPIN_TWINS_H

#include "../api.h"
#include "rig.h"
#include "trace.h"

#ifdef __cplusplus
extern "C" {
#endif

/** One motor at a duty, once its speed has settled. What is not known is NAN. */
typedef struct wpin_twin {
    double rpm;    /**< Mean, of the output; signed. */
    double rough;  /**< Root mean square by which the speed is off its mean, a share of that. */
    double amps;   /**< Mean; signed. */
    double ripple; /**< Of the current, peak to peak, A. */
} wpin_twin;

/** Both at a duty. */
typedef struct wpin_twin_place {
    double duty; /**< Signed fraction. */
    wpin_twin of[2];
} wpin_twin_place;

/** Most duties that are looked at. */
#define WPIN_TWIN_PLACES 16

/** Both at several duties. */
typedef struct wpin_twins {
    wpin_twin_place places[WPIN_TWIN_PLACES];
    size_t count;
    int faster;      /**< Which of them turns faster at the same duty: 0 or 1. */
    double trim;     /**< Of its duty; 1: none is needed. In thousandths. */
    double apart[2]; /**< By how much it is faster forward, and in reverse: a share of the slower
                          one's speed, on average; NAN where they were not tried. */
    double most;     /**< How far their speeds are apart at most, a share of the fastest at all. */
    double left;     /**< The same with the trim. */
    bool trimmed;    /**< Recorded with the trims that the rig has: this one comes on top. */
} wpin_twins;

/** Works out what stands behind the places from their speeds: each motor's is a straight line over
 * its duty each way, and the trim is the one that leaves least (least squares). False with the
 * reason: they do not both turn at two duties of a way at least, they turn against each other, or
 * the trim would be below WPIN_TRIM_LEAST. */
WPIN_API bool wpin_twins_judge(wpin_twins *twins, char *why, size_t why_size);

/** Takes the places from a trace, and judges them: wherever two loads of a rig had the same duty
 * for a second and more, the later half of that; where they never had, the same duty times their
 * trims. Speeds and currents as measured; of a simulated run without encoders the true ones. False
 * with the reason. */
WPIN_API bool wpin_twins_recorded(const wpin_trace *trace, const wpin_rig *rig, const int loads[2],
                                  wpin_twins *twins, char *why, size_t why_size);

/** Runs one after the other on the simulated board at the same duties, each way that both can turn,
 * and judges; then the faster one with its trim: `left` is as it was measured. `bench`: the rig
 * that the board is built of (windpin/host/response.h), NULL: the same. A trim that the rig has is
 * left aside. False with the reason. */
WPIN_API bool wpin_twins_try(const wpin_rig *rig, const wpin_rig *bench, const int loads[2],
                             wpin_twins *twins, char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
