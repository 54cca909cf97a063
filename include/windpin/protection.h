/** @file protection.h
 * What a motor trips on beside its guard: a list of watchers that see each tick what was measured,
 * asked and shown. The one here knows motion by a speed that is measured: standing though driven,
 * turning the wrong way, too fast, not as fast as asked, or back and forth over its place. Where a
 * torque is asked for it may stand, as long as its current is that of a standing motor; without a
 * speed only a torque without current is seen.
 *
 *     static const WPIN_FLASH wpin_motion_config motion_config = {.still = 160, .still_ms = 500};
 *     static wpin_motion motion;
 *     static const WPIN_FLASH wpin_protection protections[] = {
 *         WPIN_MOTION_PROTECTION(&motion, &motion_config)};
 *     // in the motor's configuration:
 *     //     WPIN_PROTECTED(&its_loop), .protections = protections, .protection_count = 1
 */
#ifndef WINDPIN_PROTECTION_H
#define WINDPIN_PROTECTION_H

#include "actuator.h"
#include "api.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What a watcher sees. */
typedef struct wpin_watched {
    const wpin_measurement *measurement;
    uint8_t quantity; /**< wpin_quantity that is asked for... */
    int32_t setpoint; /**< ...and how much now: of a speed, where its ramp is. */
    wpin_duty effort; /**< Shown in the last tick, signed. */
    uint8_t held;     /**< WPIN_HELD bits of the last tick. */
} wpin_watched;

/** A watcher. */
typedef struct wpin_protection {
    void *state;                 /**< Its own, placed by the caller. */
    const WPIN_FAR void *config; /**< Its constants: what `check` is told each time. */
    /** The fault to trip on, or WPIN_OK. Called in each tick; while the motor is not armed its
     * answer counts for nothing, and what keeps heat goes on. Tick. */
    wpin_status (*check)(void *state, const WPIN_FAR void *config, const wpin_watched *w);
    /** Begins anew: the motor has just been armed. Tick. */
    void (*reset)(void *state);
} wpin_protection;

/** What to watch about motion. Times of zero: not watched. Speeds as wpin_measurement.speed. */
typedef struct wpin_motion_config {
    uint16_t still;        /**< Size of a speed up to which the shaft stands. */
    uint16_t least_effort; /**< Driven this hard it must turn, 1/16384... */
    uint16_t still_ms;     /**< ...and trips when it stands for this long. */
    uint16_t stall_mv;     /**< Current of a standing motor, for each full effort that it is driven
                                above stall_from, mV at the pin; 0: not known. With it and a current
                                sense it tells why nothing turns: */
    uint16_t stall_from;   /**< WPIN_FAULT_STALLED, _NO_CURRENT, or _FEEDBACK. 1/16384. */
    uint16_t lost_ms;     /**< Stands for this long, with so little current that it must be turning:
                               WPIN_FAULT_FEEDBACK, before a regulator drives it ever harder; 0: no
                               sooner than still_ms. It needs stall_mv. */
    uint16_t wrong_ms;    /**< Turns against the effort for this long: not where it brakes by an
                               effort of the other way. */
    uint16_t over_speed;  /**< Size of a speed that trips at once; 0: none. */
    uint16_t off_by;      /**< Further than this from a speed asked for... */
    uint16_t off_ms;      /**< ...for this long. */
    uint16_t passed_by;   /**< Over the place asked for, from so many counts before it to so many
                               behind... */
    uint8_t passes;       /**< ...this often; 0: not watched. */
    int16_t gives_way_mv; /**< While the supply reads more than this, its braking gives way: to be
                               faster than asked is no fault then; 0: it never does. */
} wpin_motion_config;

/** Motion being watched. Placed by the caller, all zero. */
typedef struct wpin_motion {
    uint32_t still_us, lost_us, wrong_us, off_us; /**< How long each has lasted. */
    int32_t still_at;                             /**< Where it stands, counts. */
    bool lasts;                                   /**< One of them does. */
    int32_t place;                                /**< Asked for last... */
    int8_t side;    /**< ...the side of it where the shaft was last... */
    uint8_t passed; /**< ...and how often it went over it. */
} wpin_motion;

/** @name For WPIN_MOTION_PROTECTION. Tick.
 * @{ */
WPIN_API wpin_status wpin_motion_check(void *motion, const WPIN_FAR void *config,
                                       const wpin_watched *w);
WPIN_API void wpin_motion_reset(void *motion);
/** @} */

/** An entry of a motor's list of protections: a wpin_motion, and its wpin_motion_config. */
#define WPIN_MOTION_PROTECTION(motion, its_config)                                                 \
    {                                                                                              \
        .state = (motion), .config = (its_config), .check = wpin_motion_check,                     \
        .reset = wpin_motion_reset                                                                 \
    }

#ifdef __cplusplus
}
#endif
#endif
