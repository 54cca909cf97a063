/** @file regulator.h
 * What turns a set-point of one quantity into one of another, tick by tick: a speed or a torque
 * into an effort, a position into a speed. A motor has up to three, and goes through those that
 * lead from what is asked to what its actuator takes. They have no port and no clock; the guard
 * stands behind them.
 */
#ifndef WINDPIN_REGULATOR_H
#define WINDPIN_REGULATOR_H

#include "measurement.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What became of the last output of the chain. */
typedef struct wpin_given {
    wpin_duty effort; /**< Really shown on the pins, signed. */
    uint8_t held;     /**< Why it was less than asked: WPIN_HELD bits. */
} wpin_given;

/** Turns a set-point of one quantity into one of another. */
typedef struct wpin_regulator {
    uint8_t takes; /**< wpin_quantity of its set-point: _TORQUE, _SPEED or _POSITION. */
    uint8_t gives; /**< wpin_quantity it gives, a smaller number. */
    void *state;   /**< Its own, placed by the caller. */
    const WPIN_FAR void *config; /**< Its constants: what `step` and `reset` are told each time. */
    /** One tick. What was asked of the stage and not given is no reason to ask for more. Tick. */
    int32_t (*step)(void *state, const WPIN_FAR void *config, int32_t setpoint,
                    const wpin_measurement *m, const wpin_given *given);
    /** Begins anew from what is measured and given, so that nothing jumps. Tick. */
    void (*reset)(void *state, const WPIN_FAR void *config, const wpin_measurement *m,
                  const wpin_given *given);
    /** Whether what it measures is near its set-point; NULL: the motor tells by speed or place.
     * Tick. */
    bool (*near)(const void *state, const WPIN_FAR void *config);
} wpin_regulator;

#ifdef __cplusplus
}
#endif
#endif
