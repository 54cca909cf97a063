/** @file stepper.h
 * A bipolar stepper on two bridge channels, as an actuator of a motor: steps at a rate with a ramp,
 * angles with the remainder carried on, the position always known. The motor arms it, times it out,
 * heeds its limits and faults and stops it; a fast tick of your own makes the steps.
 *
 *     static wpin_stepper steps;
 *     static const WPIN_FLASH wpin_motor_config config = {WPIN_ON_STEPPER(&steps, &table_config),
 *         .guard = WPIN_STEPPER_GUARD, .rest_drive = WPIN_DRIVE_BRAKE};
 *     wpin_motor_init(&turntable, &config, &port);
 *     wpin_motor_arm(&turntable);
 *     wpin_motor_turn(&turntable, 90000, 5000);           // a quarter turn, within five seconds
 *     // wpin_motor_tick(&turntable) every millisecond, wpin_stepper_tick(&steps) every 50 us
 *
 * At rest it holds (or lets go, where the configuration says so); wpin_motor_coast, disarm and
 * faults switch the coils off.
 */
#ifndef WINDPIN_STEPPER_H
#define WINDPIN_STEPPER_H

#include "actuator.h"
#include "api.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Coil states of two bridge channels, eight half steps. Lines: a1, a2, b1, b2; rows: coast, and
 * WPIN_DRIVE_SECTOR + 0 to 7 (odd ones have both coils on: full steps). A table of your own may
 * have a further eight, + 8 to 15: the same states at rest, with less current. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_stepper;
/** The same of two channels with an enable each, on PWM. Lines: a1, a2, a-enable, b1, b2, b-enable.
 */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_table_stepper_enable;

/** Everything constant about a stepper. The caller keeps it alive. */
typedef struct wpin_stepper_config {
    const WPIN_FAR wpin_stage_config *stage; /**< On a stepper's table. */
    uint16_t steps_per_rev;                  /**< Full steps of one turn of the motor, 4 to 2000. */
    bool half_steps;                         /**< Twice as many, half as long. */
    bool release;              /**< Coils off at the end of a move; otherwise it holds. */
    uint16_t start_rate;       /**< Steps a second it can start and stop at once, 1 and up. */
    uint16_t top_rate;         /**< Steps a second at most, from start_rate up to 20000; and no more
                                    than one a tick. */
    uint32_t acceleration;     /**< Steps a second in a second, 1 to 100000. */
    uint32_t release_after_us; /**< Where it holds: for so long at rest, then coils off; 0: for as
                                    long as it rests. */
    bool reduce;               /**< At rest it holds by the rows of rest, where the table has them,
                                    and by rest_duty. */
    uint32_t reduce_after_us;  /**< ...after so long at rest; 0: at once. */
    uint16_t duty;             /**< Of rows with PWM, as it moves: 1 to 16384; 0: full. */
    uint16_t rest_duty;        /**< The same at reduced current; 0: as it moves. */
} wpin_stepper_config;

/** A stepper at work. Zero before its first use; placed by the caller; the fields are its own. */
typedef struct wpin_stepper {
    const WPIN_FAR wpin_stepper_config *config;
    const wpin_port *port;
    wpin_stage stage;
    wpin_moment last;
    int32_t position;      /**< Steps (half steps if so configured) since init or set_position. */
    int32_t target;        /**< Where it goes. */
    int32_t asked;         /**< Where the last angle asked for leads. */
    int32_t remainder;     /**< Of angles asked for, not yet a whole step; 1/360000 of a turn times
                                the steps of a turn. */
    uint32_t coil_offset;  /**< From the position to the coils' own count. */
    uint32_t start, top;   /**< Rates, 2^-32 steps a us. */
    uint32_t acceleration; /**< 2^-44 steps a us in a us. */
    uint32_t rate;         /**< Now, as start and top. */
    uint32_t way;          /**< To the next step, of 2^32. */
    uint32_t ramp_steps;   /**< Steps it took to come to this rate, and takes to leave it. */
    uint32_t rests_us;     /**< For how long it has held at rest. */
    uint16_t rate_rest;    /**< Of the ramp, not yet a whole unit of rate. */
    int8_t direction;      /**< 1 or -1 while it moves, 0 at rest. */
    bool held;             /**< Coils are on... */
    bool reduced;          /**< ...with the current of rest. */
    bool rest_rows;        /**< The table has rows of rest. */
    volatile uint8_t active; /**< The fast tick may switch coils. */
    volatile uint8_t failed; /**< What the port refused in the fast tick. */
    wpin_beat beat;          /**< Of the fast tick. */
} wpin_stepper;

/** The actuator: it takes WPIN_QUANTITY_POSITION, in steps, -2^30 to 2^30. */
WPIN_API extern const WPIN_FLASH wpin_actuator wpin_stepper_actuator;

/** The three fields of a motor's configuration that name a stepper. */
#define WPIN_ON_STEPPER(stepper, stepper_config)                                                   \
    .actuator = &wpin_stepper_actuator, .part = (stepper), .part_config = (stepper_config)

/** A guard for a stepper: its own ramp takes the place of the slew limits. */
#define WPIN_STEPPER_GUARD                                                                         \
    { .cap = (uint16_t)WPIN_DUTY_FULL, .up = 1, .down = 1 }

/** Makes the steps: at most one a call, in bounded time. Call it more often than the top rate; away
 * for 20 ms while it moves or holds, it is WPIN_FAULT_LATE. Fast, and never interrupted by the
 * motor's tick. */
WPIN_API void wpin_stepper_tick(wpin_stepper *stepper);

/** Where it is: whole turns and the rest of one in 1/1000 degree, both with the same sign. Any. */
WPIN_API void wpin_stepper_angle(const wpin_stepper *stepper, int32_t *turns,
                                 int32_t *millidegrees);

/** Calls where it is `position`. Refused: _ARGUMENT, _CLOSED, _NOT_ZERO while it moves, _RANGE
 * beyond 2^30. Any context. */
WPIN_API wpin_status wpin_stepper_set_position(wpin_stepper *stepper, int32_t position);

#ifdef __cplusplus
}
#endif
#endif
