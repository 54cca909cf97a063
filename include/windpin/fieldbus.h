/** @file fieldbus.h
 * A field bus as the core sees it: frames of up to eight bytes, sent and received. What carries
 * them is behind a few functions: a controller's CAN unit, a socket, a serial line, the simulated
 * bus.
 */
#ifndef WINDPIN_FIELDBUS_H
#define WINDPIN_FIELDBUS_H

#include "api.h"
#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most bytes in a frame. */
#define WPIN_FRAME_BYTES 8

/** Identifiers have 11 bits. */
#define WPIN_FRAME_ID_MAX 0x7FFU

/** A frame of ISO 11898-1 with an identifier of 11 bits. */
typedef struct wpin_frame {
    uint16_t id;    /**< 0 to WPIN_FRAME_ID_MAX; of two that begin together the smaller goes on. */
    uint8_t length; /**< 0 to WPIN_FRAME_BYTES. */
    bool remote;    /**< Asks for this frame, and carries nothing. */
    uint8_t data[WPIN_FRAME_BYTES];
} wpin_frame;

/** What carries the frames. All but `drop` are needed. */
typedef struct wpin_fieldbus {
    void *context;
    /** Hands a frame over; false: it has no room for it, or the bus is gone, and the frame is lost.
     * It does not wait. Tick; from any context where motors are tripped from interrupts. */
    bool (*send)(void *context, const wpin_frame *frame);
    /** The oldest frame that somebody else sent; false: there is none. Tick. */
    bool (*receive)(void *context, wpin_frame *frame);
    /** The clock, us; wraps. It may be the port's own. Tick. */
    wpin_moment (*now)(void *context);
    /** Takes back the frames that have not gone out yet: before one that stops a drive, so that
     * what waited for a bus that was blocked is not told after it. NULL: it can't. Where send is
     * called from. */
    void (*drop)(void *context);
} wpin_fieldbus;

#ifdef __cplusplus
}
#endif
#endif
