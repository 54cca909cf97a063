/** @file stepper.h
 * A bipolar stepper on two bridge channels: steps at a rate with a ramp, angles with the remainder
 * carried on, the position always known.
 *
 *     static const wpin_stepper_config table = {.stage = &two_channels, .steps_a_turn = 200,
 *         .start_rate = 100, .top_rate = 600, .rate_gain = 1500};
 *     wpin_stepper_init(&turntable, &table, &port);
 *     wpin_stepper_turn(&turntable, 90000);               // a quarter turn
 *     while (wpin_stepper_busy(&turntable)) { wpin_stepper_tick(&turntable); ... }
 */
#ifndef WINDPIN_STEPPER_H
#define WINDPIN_STEPPER_H

#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Coil states of two bridge channels, eight half steps. Lines: a1, a2, b1, b2; rows: free, and
 * WPIN_STATE_SECTOR + 0 to 7 (odd ones have both coils on: full steps). */
extern const wpin_stage_table wpin_table_stepper;

/** Everything constant about a stepper. The caller keeps it alive. */
typedef struct wpin_stepper_config {
    const wpin_stage_config *stage; /**< On wpin_table_stepper, or a table of the same states. */
    uint16_t steps_a_turn;          /**< Full steps of one turn of the motor, 4 to 2000. */
    bool half_steps;                /**< Twice as many, half as long. */
    bool release;                   /**< Coils off at the end of a move; otherwise it holds. */
    uint16_t start_rate;            /**< Steps a second it can start and stop at once, 1 and up. */
    uint16_t top_rate;  /**< Steps a second at most, from start_rate up to 20000; and no more
                             than one a tick. */
    uint32_t rate_gain; /**< Ramp, steps a second in a second, 1 to 100000. */
} wpin_stepper_config;

/** A stepper at work. Placed by the caller; the fields are its own, and may be read. */
typedef struct wpin_stepper {
    const wpin_stepper_config *config;
    const wpin_port *port;
    wpin_stage stage;
    wpin_moment last;
    int32_t position;    /**< Steps (half steps if so configured) since init or set_position. */
    int32_t target;      /**< Where it goes. */
    int32_t coil_offset; /**< From the position to the coils' own count. */
    int32_t remainder;   /**< Of angles asked for, not yet a whole step; 1/360000 of a turn times
                              the steps of a turn. */
    uint32_t rate64;     /**< Rate now, 1/64 step a second. */
    uint32_t gain_left;  /**< Of the ramp, not yet a whole 1/64 step a second. */
    uint32_t phase;      /**< Way to the next step, of 64000000. */
    int8_t way;          /**< 1 or -1 while it moves, 0 at rest. */
    bool held;           /**< Coils are on. */
} wpin_stepper;

/** Checks the configuration and opens the stage with the coils off. Refused: _RANGE, _STATE (a
 * table without the eight coil states), what wpin_stage_open refuses. Not from an interrupt. */
wpin_status wpin_stepper_init(wpin_stepper *stepper, const wpin_stepper_config *config,
                              const wpin_port *port);

/** Goes this many steps from where it is to end up; adds to a move under way. Refused: _RANGE when
 * the target leaves plus or minus 2^30. Tick context. */
wpin_status wpin_stepper_move(wpin_stepper *stepper, int32_t steps);

/** Turns by an angle in thousandths of a degree, up to ten turns at once. What does not make a
 * whole step is carried to the next call, so a hundred turns of 3.6 degrees are one. Refused:
 * _RANGE. */
wpin_status wpin_stepper_turn(wpin_stepper *stepper, int32_t millidegrees);

/** Goes to an angle in thousandths of a degree from where the position is zero, up to 5000 turns
 * either way; what does not make a whole step counts in the next wpin_stepper_turn. Refused:
 * _RANGE. Tick context. */
wpin_status wpin_stepper_turn_to(wpin_stepper *stepper, int32_t millidegrees);

/** Where it is, thousandths of a degree. Any context. */
int32_t wpin_stepper_angle(const wpin_stepper *stepper);

/** Ramps down and stays where it then is. Tick context. */
void wpin_stepper_stop(wpin_stepper *stepper);

/** Switches the coils off at once; the position is no longer sure if it was moving. Any context. */
void wpin_stepper_release(wpin_stepper *stepper);

/** Calls where it is `position`. Refused: _NOT_ZERO while it moves. Tick context. */
wpin_status wpin_stepper_set_position(wpin_stepper *stepper, int32_t position);

/** Serves the move: at most one step. Call it more often than the top rate. Bounded time. */
void wpin_stepper_tick(wpin_stepper *stepper);

/** True while it has steps to go. Any context. */
bool wpin_stepper_busy(const wpin_stepper *stepper);

#ifdef __cplusplus
}
#endif
#endif
