/** @file zero.h
 * The zero of a current sense that shows both ways, learnt: what it reads while nothing can flow is
 * taken off every reading. Sensors around a lead are off by some percent of their range, and drift
 * as they warm.
 *
 * It stands in front of what else a motor measures (sense.more), and is linked only where a
 * configuration has it. sense.current_zero_mv stays: the zero of the data sheet, from which it
 * learns how far the real one is off.
 *
 *     static const WPIN_FLASH wpin_zero_config belt_zero_config = {
 *         .stage = &belt_stage, .settle_ms = 20, .most_mv = 125};
 *     static wpin_zero belt_zero = {.config = &belt_zero_config};
 *     ...
 *     .sense = {.reads = WPIN_HAS_CURRENT, .current_input = 0, .current_zero_mv = 2500,
 *               .more = wpin_zero_measure, .context = &belt_zero}
 */
#ifndef WINDPIN_ZERO_H
#define WINDPIN_ZERO_H

#include "api.h"
#include "measurement.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** When nothing flows, and what is believed of a reading then. */
typedef struct wpin_zero_config {
    const wpin_stage *stage; /**< Of the motor: no current flows while it is at rest... */
    uint16_t settle_ms;      /**< ...and has been for so long, 1 to 10000 ms. */
    bool at_brake;   /**< Its brake counts as rest too: of a stage that can't coast; settle_ms then
                          has to last until the shaft stands. */
    int16_t most_mv; /**< So far off a zero may be; further off, sixteen ticks in a row, it is no
                          zero: the current counts as not measured. */
    /** What else is measured, as in wpin_sense_config; NULL: nothing. */
    void (*more)(void *context, wpin_measurement *measurement);
    void (*place)(void *context, int32_t position);
    void *context; /**< For `more` and `place`. */
} wpin_zero_config;

/** At work. Placed by the caller, all zero but for its configuration; the fields are its own. */
typedef struct wpin_zero {
    const WPIN_FAR wpin_zero_config *config;
    int32_t off;      /**< What is taken off, mV x 256. */
    uint32_t rest_us; /**< At rest for so long. */
    uint8_t learnt;   /**< Readings it has learnt from, up to 255. */
    uint8_t far_off;  /**< Readings in a row that are no zero. */
} wpin_zero;

/** Takes off the current what was learnt, learns, and measures what else there is: for sense.more,
 * the wpin_zero for sense.context. Tick. */
WPIN_API void wpin_zero_measure(void *zero, wpin_measurement *m);

/** For sense.place: passed on. Tick. */
WPIN_API void wpin_zero_set_position(void *zero, int32_t position);

/** What is taken off, mV; 0 where nothing was learnt. Tick. */
WPIN_API int16_t wpin_zero_millivolts(const wpin_zero *zero);

#ifdef __cplusplus
}
#endif
#endif
