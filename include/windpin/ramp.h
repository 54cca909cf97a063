/** @file ramp.h
 * How a duty changes: a slew limit (a rate that is never exceeded) and a ramp (a change that takes
 * the time asked for, straight or S-shaped). Both advance by the time that has passed, so the tick
 * rate does not matter; neither divides while it runs.
 */
#ifndef WINDPIN_RAMP_H
#define WINDPIN_RAMP_H

#include "api.h"
#include "units.h"
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Longest time from zero to full duty, or of a ramp: 10 minutes, us. */
#define WPIN_RAMP_MAX_US ((uint32_t)600000000)

/** A slew limit: duty steps a microsecond, times 2^24. */
typedef uint32_t wpin_slew;

/** The slew limit that takes this long for the full scale, us: 64 us (less is taken as that) to
 * WPIN_RAMP_MAX_US. True to 0.2 % at ten minutes, and to 0.001 % below two seconds. A constant
 * where `us` is one. */
#define WPIN_SLEW_US(us)                                                                           \
    ((wpin_slew)((us) <= 64 ? 0xFFFFFFFF                                                           \
                            : (((uint64_t)1 << 38) + (uint64_t)(us)-1) / (uint64_t)(us)))

/** How long a slew limit takes for a distance, 0 to 16384, us. Divides. Any context. */
WPIN_API uint32_t wpin_slew_time(wpin_slew limit, uint16_t distance);

/** Moves a duty magnitude, 0 to 16384 times 65536, towards a target of the same scale for dt_us and
 * returns it. Tick. */
WPIN_API uint32_t wpin_slew_step(uint32_t value, uint32_t target, wpin_slew limit, uint16_t dt_us);

/** The time of a ramp, made ready so that the ramp need not divide. */
typedef struct wpin_ramp_time {
    uint32_t us;    /**< 0: at once, as fast as the slew limit lets it. */
    uint16_t share; /**< 2^31 over the time, scaled to 16 bits. */
    int8_t shift;   /**< Scales the time to 16 bits: right, or left if negative. */
} wpin_ramp_time;

/** Makes a time ready, 0 to WPIN_RAMP_MAX_US (more is taken as that), us. Divides. Any context. */
WPIN_API wpin_ramp_time wpin_ramp_time_of(uint32_t us);

/** A ramp at work. Placed by the caller; the fields are its own. */
typedef struct wpin_ramp {
    uint32_t left_us;
    uint16_t share; /**< 0: it is over. */
    int8_t shift;
    wpin_duty from;
} wpin_ramp;

/** Starts a ramp from a duty. Tick. */
WPIN_API void wpin_ramp_start(wpin_ramp *ramp, wpin_duty from, const wpin_ramp_time *time);

/** Lets dt_us pass and returns where the ramp to `target` is: the target once its time is over, to
 * the microsecond; before that true to 2 steps of 16384. The first call after the start only counts
 * its time and says where it starts from: the tick that begins a ramp has enough to do. smooth:
 * S-shaped, half as steep again in its middle. Tick. */
WPIN_API wpin_duty wpin_ramp_step(wpin_ramp *ramp, wpin_duty target, bool smooth, uint32_t dt_us);

#ifdef __cplusplus
}
#endif
#endif
