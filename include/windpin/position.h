/** @file position.h
 * Brings a shaft to a place: from a distance to go to a speed, in front of a speed regulator. The
 * speed is the least of three: what may be asked, what can still be braked in the distance that is
 * left, and, near the place, what goes down with it. It is worked out anew each tick, so that a new
 * place, or a load that pushes, changes the plan on the way. With `bend` it begins to brake so much
 * earlier that neither speed nor acceleration jumps.
 *
 *     static wpin_position place;
 *     static const WPIN_FLASH wpin_position_config place_config = {...};
 *     static const WPIN_FLASH wpin_regulator regulators[] = {
 *         WPIN_POSITION_REGULATOR(&place, &place_config),
 *         WPIN_SPEED_REGULATOR(&loop, &loop_config)};
 *
 * windpin export writes the constants.
 *
 * The motor says when it is there (wpin_motor_config.at_count, settle_ms), lets go, and shows its
 * rest state.
 */
#ifndef WINDPIN_POSITION_H
#define WINDPIN_POSITION_H

#include "actuator.h"
#include "api.h"
#include "regulator.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Constants of a position regulator. Speeds in 1/16384 of the full speed, distances in counts. */
typedef struct wpin_position_config {
    uint16_t most;  /**< Fastest speed, up to 16384. */
    uint16_t brake; /**< Speed that is braked in one count, x 16: 16 sqrt(2 a) 16384 / full_hz, a in
                       counts a second in a second. 1 and up. */
    uint16_t gain;  /**< Speed for each count to go, near the place, x 256. */
    uint16_t blend; /**< Half of the counts up to which that holds, where both laws ask the same:
                       a / (2 g^2), g the gain in 1/s. */
    uint16_t up;    /**< Speed more each tick at the most. 1 and up. Of no use with `bend`. */
    uint8_t bend;   /**< Its acceleration comes and goes evenly, in 2^bend ticks, up to 12: an S. 0:
                       all of it at once. */
    uint16_t rise;  /**< With `bend`: speed more each tick at the most, x 256. */
    uint16_t fall;  /**< And less: what `brake` was made for. */
    uint16_t near;  /**< With `bend`: 1 / (2 g), ticks. */
    uint16_t lead;  /**< With `bend`: counts that a tick makes at speed 1, x 2^22. */
    uint32_t square; /**< With `bend`: 2^bend / fall, x 2^14; up to 2^17. */
} wpin_position_config;

/** A regulator at work. Placed by the caller, all zero. */
typedef struct wpin_position {
    int16_t speed;  /**< What it gave last. */
    int16_t pull;   /**< With `bend`: how hard it speeds up, of 2^bend. */
    int32_t fine;   /**< With `bend`: the speed, x 256. */
    int32_t place;  /**< The one asked for. */
    int8_t side;    /**< Of it, where the shaft was last: 1 before, -1 behind it, 0 not known. */
    uint8_t passes; /**< How often it went over that place, up to 3. */
} wpin_position;

/** @name For WPIN_POSITION_REGULATOR. Tick.
 * @{ */
WPIN_API int32_t wpin_position_step(void *position, const WPIN_FAR void *config, int32_t setpoint,
                                    const wpin_measurement *m, const wpin_given *given);
WPIN_API void wpin_position_reset(void *position, const WPIN_FAR void *config,
                                  const wpin_measurement *m, const wpin_given *given);
/** @} */

/** An entry of a motor's list of regulators: a wpin_position, and its wpin_position_config. */
#define WPIN_POSITION_REGULATOR(position, its_config)                                              \
    {                                                                                              \
        .takes = WPIN_QUANTITY_POSITION, .gives = WPIN_QUANTITY_SPEED, .state = (position),        \
        .config = (its_config), .step = wpin_position_step, .reset = wpin_position_reset           \
    }

#ifdef __cplusplus
}
#endif
#endif
