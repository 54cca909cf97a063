/** @file measurement.h
 * One measurement a tick: the clock and the sensors are read once, into one snapshot, in the
 * sensors' own units. The guard, the regulators and the reports read only this.
 */
#ifndef WINDPIN_MEASUREMENT_H
#define WINDPIN_MEASUREMENT_H

#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** @name Bits of wpin_measurement.valid: which fields hold a reading
 * @{ */
#define WPIN_HAS_CURRENT  ((uint8_t)1)
#define WPIN_HAS_SUPPLY   ((uint8_t)2)
#define WPIN_HAS_SPEED    ((uint8_t)4)
#define WPIN_HAS_POSITION ((uint8_t)8)
/** @} */

/** @name Bits of wpin_measurement.inputs
 * @{ */
#define WPIN_AT_FORWARD_LIMIT ((uint8_t)1)
#define WPIN_AT_REVERSE_LIMIT ((uint8_t)2)
#define WPIN_DRIVEN_REVERSE   ((uint8_t)4) /**< No input: it was last driven in reverse. */
#define WPIN_STARTING         ((uint8_t)8) /**< No input: its actuator still starts by itself. */
/** @} */

/** The snapshot of a tick. */
typedef struct wpin_measurement {
    wpin_moment at; /**< The tick's only reading of the clock. */
    uint16_t
        dt_us; /**< Since the tick before, us, saturated; 0 when the clock stood or ran back. */
    int16_t current; /**< mV at the pin, the zero taken off, saturated. */
    int16_t supply;  /**< mV at the pin, saturated. */
    int16_t speed;   /**< Signed as the motor is driven: of an encoder 16384 at its full speed, of a
                          stepper steps x 16 a millisecond. */
    uint16_t speed_us; /**< What the speed was measured over, or the time since the last count if
                            that is longer, us, saturated: how old it is. */
    int32_t position;  /**< Counts (of a stepper: steps). */
    uint8_t inputs;    /**< One bit each: limit switches. */
    uint8_t valid;     /**< One bit a field: a sensor that is absent or failed has none. */
} wpin_measurement;

/** A limit switch that ends motion one way. All zero: there is none. */
typedef struct wpin_limit {
    bool used;
    wpin_pin pin;
    bool high; /**< The pin reads high at the limit: a switch to ground that opens there, so that a
                    broken wire stops too. Otherwise it reads low there. */
} wpin_limit;

/** What is connected to a motor's controller. All zero: nothing is read. */
typedef struct wpin_sense_config {
    uint8_t reads;           /**< WPIN_HAS_CURRENT, WPIN_HAS_SUPPLY: which inputs there are;
                                  WPIN_HAS_SPEED: without a speed from `more` it trips. */
    uint8_t current_input;   /**< Analogue input of the current sense. */
    uint8_t supply_input;    /**< Analogue input of the motor supply. */
    int16_t current_zero_mv; /**< Reading at no current, mV. */
    uint16_t
        current_mv_per_a; /**< For reports and plans that speak of amperes: mV at the pin per A. */
    wpin_limit limit_forward; /**< Ends motion forward at once, in the rest state; the other way */
    wpin_limit limit_reverse; /**< stays open. */
    /** Adds what else is measured (speed, position) to the snapshot, or NULL. Tick. */
    void (*more)(void *context, wpin_measurement *measurement);
    /** Calls where it is `position`, or NULL. Tick. */
    void (*place)(void *context, int32_t position);
    void *context; /**< For `more` and `place`. */
} wpin_sense_config;

/** @name Limits as mV at the pin, for constants
 * @{ */
/** A current in mA on a sense of so many mV per A. */
#define WPIN_CURRENT_MV(ma, mv_per_a) ((int16_t)(((int32_t)(ma) * (mv_per_a) + 500) / 1000))
/** A supply in mV behind a divider that leaves so many thousandths of it. */
#define WPIN_SUPPLY_MV(mv, ratio_milli) ((int16_t)(((int32_t)(mv) * (ratio_milli) + 500) / 1000))
/** @} */

#ifdef __cplusplus
}
#endif
#endif
