/** @file ramp.h
 * The one slew limiter: a duty magnitude that follows a target along straight lines of time.
 * It is laid out on the clock, not on calls, so the tick rate does not change it: it starts and
 * ends on the microsecond, and in between is true to 2 steps of 16384.
 */
#ifndef WINDPIN_RAMP_H
#define WINDPIN_RAMP_H

#include "units.h"
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Longest time from zero to full duty: 10 minutes. */
#define WPIN_RAMP_MAX_US ((uint32_t)600000000)

/** A ramp at work. Placed by the caller; the fields are its own. All duties 0 to 16384. */
typedef struct wpin_ramp {
    uint32_t up_us;    /**< Slew limit: time from zero to full, us. */
    uint32_t down_us;  /**< Slew limit: time from full to zero, us. */
    wpin_moment start; /**< When the line began. */
    uint32_t total_us; /**< How long the whole line takes. */
    uint16_t from;     /**< Where the line begins. */
    uint16_t end;      /**< Where the line ends (the target or, by rate, the rail beyond it). */
    uint16_t target;   /**< Where the value stops. */
    uint16_t value;    /**< Where it is. */
    uint8_t shift;     /**< Scales times to 16 bits. */
    bool by_rate;      /**< The line runs at the slew limit towards the rail. */
    bool smooth;       /**< Lines that start from standing are S-shaped; set it after init. */
    bool bent;         /**< The present line is S-shaped. */
    uint8_t slew_held; /**< Requests slowed down by the slew limit; stops at 255. */
} wpin_ramp;

/** Sets the slew limits (1 us to WPIN_RAMP_MAX_US, time for the full scale) and the value zero.
 * Returns false, changing nothing, when a limit is out of range. Any context. */
bool wpin_ramp_init(wpin_ramp *ramp, uint32_t up_us, uint32_t down_us);

/** Puts the value to zero at once and drops the target (brake, coast, fault). Any context. */
void wpin_ramp_reset(wpin_ramp *ramp);

/** Sets a target, 0 to WPIN_DUTY_FULL (more is taken as full). A smooth ramp takes half as long
 * again as a straight one at the slew limit, which its middle reaches. time_us 0: at the slew
 * limit; otherwise in that time, or slower where the slew limit demands it (counted in slew_held).
 * Asking for the target it already has, at the slew limit, changes nothing. Tick context. */
void wpin_ramp_to(wpin_ramp *ramp, uint16_t target, uint32_t time_us, wpin_moment now);

/** Moves the value to where the clock says and returns it. Tick context. */
uint16_t wpin_ramp_step(wpin_ramp *ramp, wpin_moment now);

/** Whether the value has arrived at the target. Any context. */
bool wpin_ramp_done(const wpin_ramp *ramp);

#ifdef __cplusplus
}
#endif
#endif
