/** @file temperature.h
 * A protection that goes by a temperature sensor, e.g. a thermistor on a driver's heat sink or in a
 * winding: it trips when that is too warm for some time, and the fault can not be cleared before it
 * has cooled (WPIN_REFUSED_CAUSE). It looks while the motor is disarmed too.
 *
 *     static const WPIN_FLASH wpin_temperature_config warm_config = {
 *         .input = 4, .trip_mv = 436, .clear_mv = 796, .least_mv = 50, .most_mv = 4950,
 *         .for_ms = 200}; // 10 kohm to ground below 10 kohm to 5 V: falls as it warms
 *     static wpin_temperature warm;
 *     static const WPIN_FLASH wpin_protection protections[] = {
 *         WPIN_TEMPERATURE_PROTECTION(&warm)};
 *     ... wpin_temperature_init(&warm, &warm_config, &port); // before wpin_motor_init
 */
#ifndef WINDPIN_TEMPERATURE_H
#define WINDPIN_TEMPERATURE_H

#include "api.h"
#include "protection.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Constants. Readings in mV at the pin, 0 to 32767. */
typedef struct wpin_temperature_config {
    uint8_t input;    /**< Analogue input. */
    int16_t trip_mv;  /**< Too warm from this reading on... */
    int16_t clear_mv; /**< ...until this one: above trip_mv where the reading falls as it warms. */
    int16_t least_mv; /**< Below this, above that or without a reading the sensor is off or... */
    int16_t most_mv;  /**< ...shorted: WPIN_FAULT_SENSOR. */
    uint16_t for_ms;  /**< Either must last for so long, 0 to 60000. */
} wpin_temperature_config;

/** At work. Placed by the caller; the fields are its own. */
typedef struct wpin_temperature {
    const WPIN_FAR wpin_temperature_config *config; /**< NULL: it tells nothing. */
    const wpin_port *port;
    uint32_t us;  /**< For how long it has been so. */
    int16_t mv;   /**< Last reading. */
    uint8_t seen; /**< wpin_status that the reading stands for... */
    uint8_t told; /**< ...and the one that has lasted. */
} wpin_temperature;

/** Refused: _ARGUMENT; _RANGE (trip and clear are one or beyond least and most, or for_ms); _PORT
 * (no analogue inputs). Then it tells nothing. Init. */
WPIN_API wpin_status wpin_temperature_init(wpin_temperature *temperature,
                                           const WPIN_FAR wpin_temperature_config *config,
                                           const wpin_port *port);

/** @name For WPIN_TEMPERATURE_PROTECTION. Tick.
 * @{ */
WPIN_API wpin_status wpin_temperature_check(void *temperature, const WPIN_FAR void *config,
                                            const wpin_watched *w);
WPIN_API void wpin_temperature_reset(void *temperature);
/** @} */

/** An entry of a motor's list of protections. */
#define WPIN_TEMPERATURE_PROTECTION(temperature)                                                   \
    { .state = (temperature), .check = wpin_temperature_check, .reset = wpin_temperature_reset }

#ifdef __cplusplus
}
#endif
#endif
