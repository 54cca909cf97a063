/** @file quadrature.h
 * Counts the edges of an encoder in an interrupt, for controllers without a counter that does:
 * two channels (each change of either is a count; the order tells the direction) or one (each
 * change is a count, whichever way it turns).
 *
 *     static wpin_quadrature counts;
 *     void on_pin_change(void) {
 *         wpin_quadrature_edge(&counts, read_a(), read_b(), chip_now(NULL));
 *     }
 */
#ifndef WINDPIN_QUADRATURE_H
#define WINDPIN_QUADRATURE_H

#include "api.h"
#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Counts of an encoder. Zero before its first edge; placed by the caller. */
typedef struct wpin_quadrature {
    volatile int32_t counts;
    volatile wpin_moment at;   /**< Of the last count. */
    volatile uint16_t illegal; /**< Both channels changed at once: an edge was missed, or noise.
                                    Stops at 65535. */
    volatile uint8_t state;    /**< Channels as they were: b in bit 0, a in bit 1; bit 7: seen. */
} wpin_quadrature;

/** An edge of a two-channel encoder: how both channels are now. A leads while it turns forward.
 * The first call only looks. Fast. */
WPIN_API void wpin_quadrature_edge(wpin_quadrature *q, bool a, bool b, wpin_moment now);

/** An edge of a one-channel encoder or tacho. Fast. */
WPIN_API void wpin_quadrature_pulse(wpin_quadrature *q, wpin_moment now);

/** Counts and moment of one instant: under the port's lock, where it has one. Any context. */
WPIN_API void wpin_quadrature_read(const wpin_quadrature *q, const wpin_port *port, wpin_count *to);

#ifdef __cplusplus
}
#endif
#endif
