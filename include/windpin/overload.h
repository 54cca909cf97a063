/** @file overload.h
 * A protection against what heats slowly: it keeps the heat that a current makes in a winding, and
 * trips when that is more than the current it carries for ever would make. Short overloads pass,
 * long ones do not (IEC 60255-149: heat follows the square of the current with one time constant):
 * from cold, a current I trips after time ln(I^2 / (I^2 - 1.1025 rated^2)).
 *
 *     static const WPIN_FLASH wpin_overload_config overload_config = {
 *         .share = WPIN_OVERLOAD_SHARE(600),    // rated, mV at the pin
 *         .decay = WPIN_OVERLOAD_DECAY(30000)}; // time constant, ms
 *     static wpin_overload overload;
 *     static const WPIN_FLASH wpin_protection protections[] = {
 *         WPIN_OVERLOAD_PROTECTION(&overload, &overload_config)};
 *
 * It heats and cools while the motor is disarmed too. After a trip the fault can not be cleared
 * before it has cooled to three quarters of what trips (WPIN_REFUSED_CAUSE).
 */
#ifndef WINDPIN_OVERLOAD_H
#define WINDPIN_OVERLOAD_H

#include "api.h"
#include "protection.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Rated current, 150 to 32767 mV at the pin, as wpin_overload_config has it: current x share is
 * in 1/128 of it, x 65536. */
#define WPIN_OVERLOAD_SHARE(mv) ((uint16_t)((128UL * 65536UL + (mv) / 2UL) / (mv)))
/** Time constant, 1100 to 3600000 ms, as wpin_overload_config has it: of what is missing in heat so
 * much is made up every 65.536 ms, x 2^20. */
#define WPIN_OVERLOAD_DECAY(ms) ((uint16_t)((68719477UL + (ms) / 2UL) / (ms)))
/** Heat that the rated current makes in the end. */
#define WPIN_OVERLOAD_RATED ((uint32_t)1 << 26)
/** Heat that trips: that of 105 % of it. */
#define WPIN_OVERLOAD_TRIP ((uint32_t)73987523)

/** Constants. */
typedef struct wpin_overload_config {
    uint16_t share;   /**< WPIN_OVERLOAD_SHARE. */
    uint16_t decay;   /**< WPIN_OVERLOAD_DECAY. */
    uint8_t at_first; /**< Heat that is taken for granted when the controller starts, % of what
                           trips, 0 to 100: it can not know whether the motor has just run. */
} wpin_overload_config;

/** At work. Placed by the caller, all zero. */
typedef struct wpin_overload {
    uint32_t heat; /**< WPIN_OVERLOAD_RATED for the rated current. */
    uint32_t sum;  /**< Of the squares in this block of time... */
    uint32_t us;   /**< ...which has lasted for this long. */
    bool begun;    /**< What is taken for granted at first is in. */
    bool hot;      /**< It tripped and has not cooled down. */
} wpin_overload;

/** Heat in % of what trips, 0 to 255. Tick. */
WPIN_API uint8_t wpin_overload_percent(const wpin_overload *overload);

/** @name For WPIN_OVERLOAD_PROTECTION. Tick.
 * @{ */
WPIN_API wpin_status wpin_overload_check(void *overload, const WPIN_FAR void *config,
                                         const wpin_watched *w);
WPIN_API void wpin_overload_reset(void *overload);
/** @} */

/** An entry of a motor's list of protections: a wpin_overload, and its wpin_overload_config. */
#define WPIN_OVERLOAD_PROTECTION(overload, its_config)                                             \
    {                                                                                              \
        .state = (overload), .config = (its_config), .check = wpin_overload_check,                 \
        .reset = wpin_overload_reset                                                               \
    }

#ifdef __cplusplus
}
#endif
#endif
