/** @file two_point.h
 * Two-point control: a reading (temperature, level, pressure) switches a load on at one value and
 * off at another. It rests for a while between two runs, gives up when a run takes too long, and
 * tells apart whether it may run, whether it does, and whether what it runs for is reached: not
 * running does not mean that the tank is full.
 *
 *     static const wpin_two_point_config config = {.on_mv = 2400, .off_mv = 2100, .pause_ms =
 * 5000}; static wpin_two_point cooling; wpin_two_point_init(&cooling, &config,
 * port.now(port.context));
 *     // each tick:
 *     uint8_t is = wpin_two_point_update(&cooling, millivolts, door_open, port.now(port.context));
 *     wpin_duty duty = (is & WPIN_TWO_POINT_RUNNING) != 0 ? WPIN_DUTY_FULL : 0;
 */
#ifndef WINDPIN_TWO_POINT_H
#define WINDPIN_TWO_POINT_H

#include "api.h"
#include "port.h"
#include "status.h"

#ifdef __cplusplus
extern "C" {
#endif

/** @name What wpin_two_point_update returns, as bits
 * @{ */
#define WPIN_TWO_POINT_ALLOWED                                                                     \
    ((uint8_t)1) /**< It may run: there is a reading, nothing inhibits it, its pause is over, and  \
                    it has not given up. */
#define WPIN_TWO_POINT_RUNNING ((uint8_t)2) /**< It runs. */
#define WPIN_TWO_POINT_REACHED                                                                     \
    ((uint8_t)4) /**< The reading has been at the value for off, and not at that for on since. */
#define WPIN_TWO_POINT_EXHAUSTED                                                                   \
    ((uint8_t)8) /**< A run took too long: it stays off until wpin_two_point_release. */
/** @} */

/** Constants. The caller keeps them alive. */
typedef struct wpin_two_point_config {
    int16_t on_mv;     /**< Reading at which it switches on, mV... */
    int16_t off_mv;    /**< ...and off: below `on` what it drives lowers the reading (cooling,
                            emptying), above it raises it. At least 1 mV apart. */
    uint32_t pause_ms; /**< Least time between two runs, and before the first; up to 2^31. */
    uint32_t most_ms;  /**< Longest run, up to 2^31; 0: any. */
} wpin_two_point_config;

/** At work. Placed by the caller. */
typedef struct wpin_two_point {
    const wpin_two_point_config *config;
    wpin_moment last;
    uint16_t part_us; /**< Below 1024. */
    uint32_t pause;   /**< In 1024 us, as all that follows. */
    uint32_t most;
    uint32_t pause_left;
    uint32_t ran;
    uint8_t flags;
} wpin_two_point;

/** Sets it up, off. Refused: _ARGUMENT, _RANGE. Any context. */
WPIN_API wpin_status wpin_two_point_init(wpin_two_point *control,
                                         const wpin_two_point_config *config, wpin_moment now);

/** Takes a reading, mV (WPIN_NO_READING: there is none), and whether something inhibits it; returns
 * the bits above. Inhibited or without a reading it is off. A clock that jumps shortens no pause
 * and lengthens no run. Tick. */
WPIN_API uint8_t wpin_two_point_update(wpin_two_point *control, int16_t millivolts, bool inhibited,
                                       wpin_moment now);

/** Lets it run again after it gave up; somebody has looked why. Tick. */
WPIN_API void wpin_two_point_release(wpin_two_point *control);

#ifdef __cplusplus
}
#endif
#endif
