/** @file counting.h
 * Speed and position of a shaft by counting alone: for counters that do not know when their counts
 * came, and for small controllers, as it takes a third of what wpin_encoder does. In its place:
 *
 *     static wpin_counting encoder;
 *     static const WPIN_FLASH wpin_counting_config encoder_config = {WPIN_COUNTS_AT_FULL(8000),
 *                                                                    .smooth = 1};
 *     // in the motor's configuration:
 *     .sense = {.reads = WPIN_HAS_SPEED, .more = wpin_counting_measure, .context = &encoder}
 *     // before the motor's init:
 *     wpin_counting_init(&encoder, &encoder_config, &port);
 *
 * A tracking loop: a place goes on at the speed that is measured, and what the counts have come
 * further than it corrects both. So the speed is right on average, whatever the ticks' times are,
 * and a count more or less, which is a large part of what comes in one tick, shows as
 * 16384 x 10^6 / full_hz / 2^(14 + 2 smooth) of 16384. It follows a change 8.2 ms x 2^smooth late.
 * An edge that is crossed to and fro, by a shaft that shakes or while a channel is lost, is no
 * speed. For shafts that count more than once in that time: slower, the speed comes and goes with
 * each count, and is right on average only. Ticks of 0.2 to 4 ms (with longer ones it rings, from
 * 16 ms on it follows from tick to tick).
 */
#ifndef WINDPIN_COUNTING_H
#define WINDPIN_COUNTING_H

#include "api.h"
#include "measurement.h"
#include "quadrature.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Counts a second at full speed, 128 to 262144, as a configuration has them: its first two fields.
 */
#define WPIN_COUNTS_AT_FULL(hz)                                                                    \
    .per_count = (uint32_t)((16384000000ULL + (hz) / 2U) / (hz)),                                  \
    .most = (uint16_t)((hz)*32768ULL / 1000000U)

/** Everything constant about it. The caller keeps it alive. */
typedef struct wpin_counting_config {
    uint32_t per_count; /**< What a count is worth: speed x us, 62500 to 2^27. */
    uint16_t most;      /**< More counts in a tick are taken as so many: what full speed does in
                             32.8 ms. 1 and up; times per_count up to 2^29 + 2^24. */
    const wpin_quadrature *quadrature; /**< Counted in software; NULL: by a counter of the port. */
    uint8_t counter;                   /**< That counter. */
    bool reversed;                     /**< It counts down while the motor is driven forward. */
    bool one_channel; /**< It counts up both ways: the direction is the one last driven in. */
    uint8_t smooth;   /**< 0 to 3: each makes the speed twice as late and four times as even. */
} wpin_counting_config;

/** Ticks without another edge after which the shaft stands. */
#define WPIN_COUNTING_STILL 200

/** At work. Placed by the caller; the fields are its own. */
typedef struct wpin_counting {
#ifndef WPIN_ONE_COUNTING /* which knows both without */
    const WPIN_FAR wpin_counting_config *config;
    const wpin_port *port;
#endif
    int32_t lag;   /**< How much further the counts are than the tracked place, speed x us. */
    int32_t speed; /**< In 1/16384 of the full speed, x 65536. */
    uint16_t last; /**< The counter's lower half. */
    uint8_t left;  /**< Ticks without an edge until it stands; 1: it does, 0: it is not open. */
    bool back;     /**< It counted down last, as the motor is driven. */
    int32_t position;
} wpin_counting;

/** Ready to measure: standing, at position 0. Refused: _ARGUMENT, _RANGE, _PORT (no counter).
 * Init, and while its motor is at rest. */
WPIN_API wpin_status wpin_counting_init(wpin_counting *counting,
                                        const WPIN_FAR wpin_counting_config *config,
                                        const wpin_port *port);

/** Adds speed, its age and the position to a measurement: for wpin_sense_config.more, with the
 * object as its context. A counter that fails, or one that is not open, adds nothing. Tick. */
WPIN_API void wpin_counting_measure(void *counting, wpin_measurement *measurement);

/** Calls where it is `position`: for wpin_sense_config.place. Tick. */
WPIN_API void wpin_counting_set_position(void *counting, int32_t position);

#ifdef __cplusplus
}
#endif
#endif
