/** @file supply.h
 * What goes by the measured volts of the motor's supply: a protection, and a share of a regulator.
 * Both read wpin_measurement.supply (sense.reads has WPIN_HAS_SUPPLY) and are linked only where a
 * motor has them.
 *
 * The protection trips on a supply that stays below its window while the motor is driven, or above
 * it, as when braking feeds it. One that is off while nothing is driven is no fault. Beside it the
 * guard's window (guard.supply_low) trips on one reading, driven or not.
 *
 *     static const WPIN_FLASH wpin_supply_config volts = {
 *         .low_mv = WPIN_SUPPLY_MV(9000, 200), .high_mv = WPIN_SUPPLY_MV(15000, 200),
 *         .low_ms = 50, .high_ms = 2};
 *     static wpin_supply main_supply;
 *     static const WPIN_FLASH wpin_protection protections[] = {
 *         WPIN_SUPPLY_PROTECTION(&main_supply, &volts)};
 *
 * The other makes a regulator's effort worth the same volts whatever the supply has: it was
 * designed for a nominal supply, and its effort is given in the ratio of that to the measured one,
 * half to twice. So its feed-forward holds, and its gains too, while cells run down or a supply
 * sags. It can mind a supply that takes nothing back besides: as that rises from `way_mv` on, what
 * is left of an effort that brakes goes towards the one by which the motor turns without current.
 *
 *     static const WPIN_FLASH wpin_regulator loop = WPIN_SPEED_REGULATOR(&speed, &speed_config);
 *     static const WPIN_FLASH wpin_by_supply_config by_volts = {
 *         .of = &loop, .per_mv = WPIN_SUPPLY_SHARE(WPIN_SUPPLY_MV(12000, 200))};
 *     static wpin_by_supply by_supply;
 *     static const WPIN_FLASH wpin_regulator regulators[] = {
 *         WPIN_BY_SUPPLY_REGULATOR(WPIN_QUANTITY_SPEED, &by_supply, &by_volts, NULL)};
 */
#ifndef WINDPIN_SUPPLY_H
#define WINDPIN_SUPPLY_H

#include "api.h"
#include "protection.h"
#include "regulator.h"

#ifdef __cplusplus
extern "C" {
#endif

/** The window of a supply. Readings in mV at the pin. */
typedef struct wpin_supply_config {
    int16_t low_mv;  /**< Driven below this for low_ms: WPIN_FAULT_SUPPLY_LOW; 0: not watched. */
    int16_t high_mv; /**< Above this for high_ms: WPIN_FAULT_SUPPLY_HIGH; 0: not watched. */
    uint16_t low_ms; /**< In one piece; 0: one reading is enough. */
    uint16_t high_ms;
} wpin_supply_config;

/** A window being watched. Placed by the caller, all zero; the fields are its own. */
typedef struct wpin_supply {
    uint32_t us;  /**< For how long it has been... */
    uint8_t seen; /**< ...so: a wpin_status. */
} wpin_supply;

/** @name For WPIN_SUPPLY_PROTECTION. Tick.
 * @{ */
WPIN_API wpin_status wpin_supply_check(void *supply, const WPIN_FAR void *config,
                                       const wpin_watched *w);
WPIN_API void wpin_supply_reset(void *supply);
/** @} */

/** An entry of a motor's list of protections: a wpin_supply, and its wpin_supply_config. */
#define WPIN_SUPPLY_PROTECTION(supply, its_config)                                                 \
    {                                                                                              \
        .state = (supply), .config = (its_config), .check = wpin_supply_check,                     \
        .reset = wpin_supply_reset                                                                 \
    }

/** What a mV of the reading is of the nominal one (65 to 32767 mV at the pin), for constants. */
#define WPIN_SUPPLY_SHARE(nominal_mv)                                                              \
    ((uint16_t)((((uint32_t)16384 << 8) + (uint32_t)(nominal_mv) / 2) / (uint32_t)(nominal_mv)))

/** What braking gives way by for a mV, of readings from `way_mv` to the one at which nothing of it
 * is left (1 to 16384 mV above), for constants. */
#define WPIN_SUPPLY_GIVE(way_mv, up_mv)                                                            \
    ((uint16_t)((16384 + ((up_mv) - (way_mv)) / 2) / ((up_mv) - (way_mv))))

/** A regulator whose effort is to be worth the same at any supply. */
typedef struct wpin_by_supply_config {
    const WPIN_FAR wpin_regulator *of; /**< It gives an effort: of a speed, or of a torque. */
    uint16_t per_mv;                   /**< WPIN_SUPPLY_SHARE. */
    int16_t way_mv;    /**< From this reading on braking gives way, mV at the pin... */
    uint16_t per_over; /**< ...and for each mV above it by so much of 16384: WPIN_SUPPLY_GIVE; 0: it
                            does not. */
    uint16_t emf;      /**< Effort by which it turns at full speed without current, at the nominal
                            supply. */
} wpin_by_supply_config;

/** At work. Placed by the caller, all zero; the fields are its own. */
typedef struct wpin_by_supply {
    uint16_t more;   /**< The nominal supply by the measured one, 16384: as much; 0: not read. */
    uint16_t ratio;  /**< The other way round, as read last. */
    int32_t gave;    /**< What it gave last... */
    wpin_duty asked; /**< ...for this from its regulator. */
} wpin_by_supply;

/** @name For WPIN_BY_SUPPLY_REGULATOR. Tick.
 * @{ */
WPIN_API int32_t wpin_by_supply_step(void *by_supply, const WPIN_FAR void *config, int32_t setpoint,
                                     const wpin_measurement *m, const wpin_given *given);
WPIN_API void wpin_by_supply_reset(void *by_supply, const WPIN_FAR void *config,
                                   const wpin_measurement *m, const wpin_given *given);
WPIN_API bool wpin_by_supply_near(const void *by_supply, const WPIN_FAR void *config);
/** @} */

/** An entry of a motor's list of regulators in place of the one that its configuration is `of`, for
 * the same quantity; `near_too` is wpin_by_supply_near of a torque, else NULL. */
#define WPIN_BY_SUPPLY_REGULATOR(quantity, by_supply, its_config, near_too)                        \
    {                                                                                              \
        .takes = (quantity), .gives = WPIN_QUANTITY_EFFORT, .state = (by_supply),                  \
        .config = (its_config), .step = wpin_by_supply_step, .reset = wpin_by_supply_reset,        \
        .near = (near_too)                                                                         \
    }

#ifdef __cplusplus
}
#endif
#endif
