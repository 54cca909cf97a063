/** @file in_step.h
 * Keeps two motors in step by their counts: two belts under one jar, two screws under one lid. Each
 * has a regulated speed; what they are apart in counts is taken off the speed of the one that is
 * ahead and given to the other, half each, so that a heavy one is waited for.
 *
 *     wpin_in_step_begin(&belts, measured_a.position, measured_b.position); // as they stand now
 *     // each tick, before the motors':
 *     int16_t a, b;
 *     if (!wpin_in_step_trim(&belts, place_a, place_b, speed, &a, &b)) {
 *         wpin_motor_trip(&left, WPIN_FAULT_EXTERNAL); // too far apart
 *         wpin_motor_trip(&right, WPIN_FAULT_EXTERNAL);
 *     }
 *     wpin_motor_request(&left, (wpin_setpoint){WPIN_QUANTITY_SPEED, a}, 0, 500);
 *     wpin_motor_request(&right, (wpin_setpoint){WPIN_QUANTITY_SPEED, b}, 0, 500);
 */
#ifndef WINDPIN_IN_STEP_H
#define WINDPIN_IN_STEP_H

#include "api.h"
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Constants. Speeds in 1/16384 of the full speed, which is the same for both. The caller keeps
 * them alive. */
typedef struct wpin_in_step_config {
    uint16_t gain; /**< Speed for each count apart, x 256: about a third of what makes it up within
                        the response time of the speed regulators. */
    uint16_t most; /**< Largest speed that is taken off or given, 0 to 16384. */
    uint16_t too_far; /**< So many counts apart something is wrong; 0: any. */
} wpin_in_step_config;

/** Two in step. Placed by the caller. */
typedef struct wpin_in_step {
    const wpin_in_step_config *config;
    int32_t apart; /**< What their counts were apart when they were in step. */
} wpin_in_step;

/** As they stand they are in step. Tick. */
WPIN_API void wpin_in_step_begin(wpin_in_step *pair, int32_t a, int32_t b);

/** The speeds for both, from their counts and the speed asked for, -16384 to 16384; neither turns
 * the other way for it, and asked for nothing both rest. False: they are too far apart, and both
 * speeds are 0. Tick. */
WPIN_API bool wpin_in_step_trim(const wpin_in_step *pair, int32_t a, int32_t b, int16_t speed,
                                int16_t *a_speed, int16_t *b_speed);

#ifdef __cplusplus
}
#endif
#endif
