/** @file encoder.h
 * Speed and position of a shaft from the counts of an encoder or tacho, as the rest of the
 * measurement of a motor:
 *
 *     static wpin_encoder encoder;
 *     static const WPIN_FLASH wpin_encoder_config encoder_config = {.counter = 0, .full_hz = 2200};
 *     // in the motor's configuration:
 *     .sense = {.reads = WPIN_HAS_SPEED, .more = wpin_encoder_measure, .context = &encoder}
 *     // before the motor's init:
 *     wpin_encoder_init(&encoder, &encoder_config, &port);
 *
 * One rule serves from a crawl to full speed: counts, over the time between the edges that began
 * and ended them. Where the port knows the moment of each count, that is exact to the clock at any
 * speed; where it does not, a moment is off by up to a tick, which matters less the longer the
 * speed is measured over (window_us). An encoder's edges are never quite even: wherever that takes
 * no longer than WPIN_LINE_US, a speed is measured over whole lines, between edges of the same
 * kind. Between counts the speed is at the most what one count in the time since the last would be,
 * so that a shaft that slows down is not taken as fast. An edge that is crossed to and fro is no
 * speed.
 */
#ifndef WINDPIN_ENCODER_H
#define WINDPIN_ENCODER_H

#include "api.h"
#include "measurement.h"
#include "quadrature.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Where a configuration says 0: longest time without a count before the shaft stands, us. */
#define WPIN_STILL_US 200000

/** Everything constant about an encoder. The caller keeps it alive. */
typedef struct wpin_encoder_config {
    const wpin_quadrature *quadrature; /**< Counted in software; NULL: by a counter of the port. */
    uint8_t counter;                   /**< That counter. */
    bool reversed;                     /**< It counts down while the motor is driven forward. */
    bool one_channel; /**< It counts up both ways: the direction is the one last driven in. */
    bool no_moments;  /**< The counter does not know when its counts came. */
    uint8_t kinds; /**< After so many edges comes one of the same kind: 0: 4, as of two channels; 3
                        of Hall sensors. */
    uint32_t full_hz;   /**< Counts a second at full speed, which is a speed of 16384: 1 to
                             WPIN_ENCODER_HZ_MAX. */
    uint16_t window_us; /**< A speed is measured over this at least, us; 0: from count to count. */
    uint32_t still_us;  /**< Without a count for this long it stands, us, up to WPIN_SPAN_MAX; 0:
                             WPIN_STILL_US. One count in this is the slowest speed there is. */
} wpin_encoder_config;

/** Largest full_hz. */
#define WPIN_ENCODER_HZ_MAX ((uint32_t)1 << 22)

/** Without a speed over a whole line within this, it is measured from edge to edge, us. */
#define WPIN_LINE_US 30000

/** An edge that passed. */
typedef struct wpin_edge {
    int32_t at_count;
    wpin_moment at;
} wpin_edge;

/** An encoder at work. Placed by the caller; the fields are its own. */
typedef struct wpin_encoder {
    const WPIN_FAR wpin_encoder_config *config;
    const wpin_port *port;
    uint16_t scale; /**< Speed of one count a microsecond: scale x 2^(15 - shift). */
    int8_t shift;
    int8_t way;   /**< Of the last count; 0: it stands. */
    uint8_t seen; /**< Which of the places below hold an edge, as bits; above: how many edges the
                     speed still waits for. */
    int32_t last; /**< Counts read last. */
    wpin_moment last_at; /**< When its edge passed. */
    wpin_edge places[4]; /**< Of each place in a line the edge that was last measured from. */
    uint8_t latest;      /**< The newest of them. */
    uint32_t period_us;  /**< No count took longer than this at the speed last measured. */
    uint32_t over_us;    /**< What that was measured over. */
    int16_t speed;
    uint8_t rest; /**< What whole steps of it leave, x 256: the next one gets it. */
    int32_t position;
} wpin_encoder;

/** Ready to measure: standing, at position 0. Refused: _ARGUMENT, _RANGE, _PORT (no counter).
 * Init, and while its motor is at rest. */
WPIN_API wpin_status wpin_encoder_init(wpin_encoder *encoder,
                                       const WPIN_FAR wpin_encoder_config *config,
                                       const wpin_port *port);

/** Adds speed, its age and the position to a measurement: for wpin_sense_config.more, with the
 * encoder as its context. A counter that fails, or an encoder that is not open, adds nothing. Tick.
 */
WPIN_API void wpin_encoder_measure(void *encoder, wpin_measurement *measurement);

/** Calls where it is `position`: for wpin_sense_config.place. Tick. */
WPIN_API void wpin_encoder_set_position(void *encoder, int32_t position);

#ifdef __cplusplus
}
#endif
#endif
