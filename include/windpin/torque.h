/** @file torque.h
 * Regulates a motor's torque by the current that makes it: feed-forward from the motor's constants
 * (winding, and back-emf where the speed is measured), and what that leaves by a proportional and
 * an integral share. A set-point is in 1/16384 of the rated current.
 *
 *     static wpin_torque loop;
 *     static const WPIN_FLASH wpin_torque_config loop_config = {...};     windpin export writes it
 *     static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_TORQUE_REGULATOR(&loop,
 * &loop_config)};
 *     // in the motor's configuration, with the current among what it reads:
 *     //     WPIN_CLOSED_LOOP(&its_loop), .regulators = regulators, .regulator_count = 1
 *     wpin_motor_request(&press, (wpin_setpoint){WPIN_QUANTITY_TORQUE, WPIN_PERCENT(40)}, 0, 5000);
 *
 * A sense of a bridge tells how much flows, not which way: this pushes in the direction asked for
 * and never holds back; a load that turns the shaft faster is not slowed by it. The speed is
 * whatever the torque leads to, up to all the supply gives. Turning over goes through rest, as with
 * every other set-point. Without a reading of the current it gives nothing (and the guard trips).
 */
#ifndef WINDPIN_TORQUE_H
#define WINDPIN_TORQUE_H

#include "actuator.h"
#include "api.h"
#include "regulator.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Gains of a torque regulator; all of them 0 to 32767. */
typedef struct wpin_torque_config {
    uint16_t full_mv;   /**< Reading at the rated current, the zero taken off, mV. */
    uint16_t within_mv; /**< So near, in the average over some 16 ticks, it is at its set-point. */
    uint16_t feed;      /**< Effort for the rated current of a standing shaft, 1/16384. */
    uint16_t emf;       /**< Effort against the back-emf of full speed, 1/16384; 0: the speed is not
                             measured. */
    uint16_t gain;      /**< Effort for an error of a mV, 1/16384 x 256. */
    uint16_t integral;  /**< Effort for an error of a mV, more each tick, 1/16384 x 4096. */
} wpin_torque_config;

/** A regulator at work. Placed by the caller, all zero. */
typedef struct wpin_torque {
    int32_t sum;    /**< Integral share of the effort, x 65536. */
    wpin_duty last; /**< What it gave last. */
    int16_t off;    /**< Mean of the error, mV. */
} wpin_torque;

/** @name For WPIN_TORQUE_REGULATOR. Tick.
 * @{ */
WPIN_API int32_t wpin_torque_step(void *torque, const WPIN_FAR void *config, int32_t setpoint,
                                  const wpin_measurement *m, const wpin_given *given);
WPIN_API void wpin_torque_reset(void *torque, const WPIN_FAR void *config,
                                const wpin_measurement *m, const wpin_given *given);
WPIN_API bool wpin_torque_near(const void *torque,
                               const WPIN_FAR void *config); /**< Or it gives all or nothing, which
                                     is as near as it comes. */
/** @} */

/** An entry of a motor's list of regulators: a wpin_torque, and its wpin_torque_config. */
#define WPIN_TORQUE_REGULATOR(torque, its_config)                                                  \
    {                                                                                              \
        .takes = WPIN_QUANTITY_TORQUE, .gives = WPIN_QUANTITY_EFFORT, .state = (torque),           \
        .config = (its_config), .step = wpin_torque_step, .reset = wpin_torque_reset,              \
        .near = wpin_torque_near                                                                   \
    }

#ifdef __cplusplus
}
#endif
#endif
