/** @file speed.h
 * Regulates a motor's speed: feed-forward from the motor's constants (for speed, friction and
 * inertia), and what that leaves by a proportional and an integral share. Set-point and speed are
 * in 1/16384 of the full speed, effort in 1/16384 of full duty, so that the gains are plain ratios.
 *
 *     static wpin_speed loop;
 *     static const WPIN_FLASH wpin_speed_config loop_config = {...};     windpin export writes it
 *     static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&loop,
 * &loop_config)};
 *     // in the motor's configuration: WPIN_CLOSED_LOOP(&its_loop), .regulators = regulators,
 * .regulator_count = 1 wpin_motor_request(&drum, (wpin_setpoint){WPIN_QUANTITY_SPEED,
 * WPIN_PERCENT(40)}, 2000000, 60000);
 *
 * The motor lays the ramp of the set-point. What the guard does not give (cap, current, slew,
 * reversal) the integral does not ask for either, nor for less where the motor coasts down by
 * itself and its stage could not slow it. A speed that is old (few counts at a crawl) is corrected
 * more softly, by half for each doubling of its age; there a step of the PWM's timer is much of
 * what the motor takes, and the effort goes to and fro between two, so that their mean is what is
 * meant.
 */
#ifndef WINDPIN_SPEED_H
#define WINDPIN_SPEED_H

#include "actuator.h"
#include "api.h"
#include "regulator.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Gains of a speed regulator. */
typedef struct wpin_speed_config {
    uint16_t feed;      /**< Effort that full speed takes without friction, 1/16384; this and the
                             gains 0 to 32767. */
    uint16_t friction;  /**< Effort against friction, in the direction of the set-point, 1/16384. */
    uint16_t breakaway; /**< The same while the shaft is measured to stand... */
    uint16_t climb;     /**< ...and so much more each tick that it does, up to twice of it. */
    uint16_t inertia;   /**< Effort for a set-point that moves by 1/16384 a tick, 1/16384. */
    uint16_t gain;      /**< Effort for an error of speed, x 256: 256 is one to one. */
    uint16_t integral;  /**< Effort for an error of speed, more each tick, x 65536. */
    uint16_t fresh_us;  /**< Up to this age a speed is corrected in full, us; 0: however old. */
    uint16_t coasts; /**< 0: the stage slows the motor as it speeds it up. Else no effort slows it,
                          PWM low lets it coast: the speed falls by more than this in 1024 ticks
                          when it does, 1/16384. */
    uint16_t timer_step; /**< Effort of one step of the PWM's timer, 1/16384: where the speed is
                              old, the effort is dithered over neighbouring steps. 0: it is not. */
} wpin_speed_config;

/** A regulator at work. Placed by the caller, all zero. */
typedef struct wpin_speed {
    int32_t sum;      /**< Integral share of the effort, x 65536. */
    wpin_duty last;   /**< What it gave last. */
    int16_t before;   /**< The set-point of the tick before, */
    int16_t rate;     /**< and how fast it moves, smoothed, x 256 a tick. */
    int32_t trail;    /**< Where it coasts: the speed, some 32 ticks behind, x 32. */
    uint16_t climbed; /**< What the effort against friction has grown by while it stands. */
    uint8_t halvings; /**< Of the gains, for an old speed. */
    uint8_t dither;   /**< Of the eight places in a step of the timer, the one it aims at. */
} wpin_speed;

/** @name For WPIN_SPEED_REGULATOR. Tick.
 * @{ */
WPIN_API int32_t wpin_speed_step(void *speed, const WPIN_FAR void *config, int32_t setpoint,
                                 const wpin_measurement *m, const wpin_given *given);
WPIN_API void wpin_speed_reset(void *speed, const WPIN_FAR void *config, const wpin_measurement *m,
                               const wpin_given *given);
/** @} */

/** An entry of a motor's list of regulators: a wpin_speed, and its wpin_speed_config. */
#define WPIN_SPEED_REGULATOR(speed, its_config)                                                    \
    {                                                                                              \
        .takes = WPIN_QUANTITY_SPEED, .gives = WPIN_QUANTITY_EFFORT, .state = (speed),             \
        .config = (its_config), .step = wpin_speed_step, .reset = wpin_speed_reset                 \
    }

#ifdef __cplusplus
}
#endif
#endif
