/** @file phase_watch.h
 * A protection of a brushless motor in six steps whose current is sensed: a lead that is off, or a
 * switch that never turns on, leaves two or four of the six rows without current while the shaft
 * turns on through the others. Needs a current sense that follows within a sector or so.
 *
 *     static const WPIN_FLASH wpin_phase_watch_config watch_config = {.stage = &drum_phases.stage,
 *                                                                     .least_mv = 40};
 *     static wpin_phase_watch watch;
 *     // in the motor's list of protections: WPIN_PHASE_WATCH(&watch, &watch_config)
 */
#ifndef WINDPIN_PHASE_WATCH_H
#define WINDPIN_PHASE_WATCH_H

#include "api.h"
#include "protection.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What to watch. The caller keeps it alive. */
typedef struct wpin_phase_watch_config {
    const wpin_stage *stage; /**< Of what commutates: of a wpin_six_step or a wpin_sensorless. */
    uint16_t least_mv; /**< Where the other rows carry less than this, nothing is judged, mV at the
                            pin, 1 to 8191. */
} wpin_phase_watch_config;

/** Being watched. Placed by the caller, all zero. */
typedef struct wpin_phase_watch {
    uint16_t mean[6];   /**< Current while each row was shown, mV x 8. */
    uint16_t effort[6]; /**< The same of the effort, 1/4096 x 8. */
    uint8_t samples[6]; /**< Of each, up to 8. */
    uint8_t row;        /**< Shown last. */
    bool forward;       /**< Driven that way. */
    uint8_t missing; /**< What seems to carry no current: a switch, 0 a-high, 1 a-low, 2 b-high to
                          5 c-low; 6 to 8 lead a to c. */
    uint8_t lasts;   /**< For so many changes of row. */
} wpin_phase_watch;

/** @name For WPIN_PHASE_WATCH. Tick.
 * @{ */
WPIN_API wpin_status wpin_phase_watch_check(void *watch, const WPIN_FAR void *config,
                                            const wpin_watched *w);
WPIN_API void wpin_phase_watch_reset(void *watch);
/** @} */

/** An entry of a motor's list of protections: a wpin_phase_watch, and its wpin_phase_watch_config.
 */
#define WPIN_PHASE_WATCH(watch, its_config)                                                        \
    {                                                                                              \
        .state = (watch), .config = (its_config), .check = wpin_phase_watch_check,                 \
        .reset = wpin_phase_watch_reset                                                            \
    }

#ifdef __cplusplus
}
#endif
#endif
