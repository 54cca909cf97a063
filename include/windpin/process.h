/** @file process.h
 * Regulates what a motor does something about (a temperature, a pressure, a level) by how hard it
 * is driven: proportional and integral share of how far the reading is off, held back from winding
 * up. Below the least effort at which the motor does anything it is off, and starts again only when
 * more than that is called for.
 *
 *     static const wpin_process_config config = {.wanted_mv = 1800, .band_mv = 600,
 *         .integral_ms = 20000, .least = 4000, .most = WPIN_DUTY_FULL};
 */
#ifndef WINDPIN_PROCESS_H
#define WINDPIN_PROCESS_H

#include "api.h"
#include "port.h"
#include "status.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Constants. The caller keeps them alive. */
typedef struct wpin_process_config {
    int16_t wanted_mv;    /**< Reading that is wanted, mV. */
    uint16_t band_mv;     /**< So far off it calls for full effort, 50 to 30000 mV (the proportional
                               band). */
    uint32_t integral_ms; /**< In this time an error that stays brings as much again, 1000 to
                             3600000 ms; 0: none of that. */
    wpin_duty least;      /**< Less than this is off, 0 to `most`. */
    wpin_duty most;       /**< 1 to WPIN_DUTY_FULL. */
    bool raises;          /**< Driven harder, the reading rises (a pump and its pressure); else it
                               falls (a fan and the heat). */
} wpin_process_config;

/** At work. Placed by the caller. */
typedef struct wpin_process {
    const wpin_process_config *config;
    wpin_moment last;
    int32_t gain; /**< Effort for a mV, x 4096. */
    int32_t rate; /**< Of the integral, in each 1024 us, x 2^30. */
    int32_t sum;  /**< Integral share, x 65536. */
    uint16_t part_us;
    bool on;
} wpin_process;

/** Sets it up, off. Refused: _ARGUMENT, _RANGE. Any context. */
WPIN_API wpin_status wpin_process_init(wpin_process *process, const wpin_process_config *config,
                                       wpin_moment now);

/** Takes a reading, mV, and returns the effort, 0 or `least` to `most`; without a reading
 * (WPIN_NO_READING) 0, and the integral waits. Tick. */
WPIN_API wpin_duty wpin_process_update(wpin_process *process, int16_t millivolts, wpin_moment now);

#ifdef __cplusplus
}
#endif
#endif
