/** @file bearer.h
 * What carries the frames of a field bus on a computer: a network interface of the kernel (CAN), a
 * serial line, or a socket of this computer at whose other end simulated drives are. And that other
 * end. Host only; Linux only.
 */
#ifndef WINDPIN_BEARER_H
#define WINDPIN_BEARER_H

#include "../api.h"
#include "../fieldbus.h"
#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct wpin_bearer wpin_bearer;

/** What went over it. */
typedef struct wpin_bearer_counts {
    unsigned long sent, received;
    unsigned long refused; /**< It had no room for them. */
    unsigned long errors;  /**< The interface reported one: see wpin_bearer_trouble. */
} wpin_bearer_counts;

/** Opens one by its name: a device is a serial line ("/dev/ttyUSB0", with another rate than 115200:
 * "/dev/ttyUSB0@230400"; frames as in serial_frames.h), another path a socket, anything else a
 * network interface ("can0"), which is never set up, only used. NULL with the reason in words, and
 * what to do. */
WPIN_API wpin_bearer *wpin_bearer_open(const char *name, char *why, size_t size);
/** Whether a name is that of a serial line. */
WPIN_API bool wpin_bearer_is_line(const char *name);
/** NULL is fine. */
WPIN_API void wpin_bearer_close(wpin_bearer *bearer);
/** The bus for the core; good until it is closed. */
WPIN_API wpin_fieldbus wpin_bearer_bus(wpin_bearer *bearer);
/** Waits for a frame to come, at most so long, s. False: none came. */
WPIN_API bool wpin_bearer_wait(wpin_bearer *bearer, double seconds);
WPIN_API wpin_bearer_counts wpin_bearer_counted(const wpin_bearer *bearer);
/** Why nothing can be sent or heard any more ("the other end is gone"), or ""; of what passes, such
 * as a bus without anybody who answers, what was reported last. */
WPIN_API const char *wpin_bearer_trouble(const wpin_bearer *bearer);
/** Whether it is gone for good. */
WPIN_API bool wpin_bearer_is_gone(const wpin_bearer *bearer);

/** The other end of such sockets: everybody who opens it hears the frames of all others. */
typedef struct wpin_hub wpin_hub;

/** Makes it, in place of one whose owner has ended. NULL with the reason in words. */
WPIN_API wpin_hub *wpin_hub_open(const char *path, char *why, size_t size);
/** Everybody is let go, and the path removed. NULL is fine. */
WPIN_API void wpin_hub_close(wpin_hub *hub);
/** Most that may be connected. */
#define WPIN_HUB_CLIENTS 16
/** What is done with a frame of a client, 0 to WPIN_HUB_CLIENTS - 1; NULL: it has gone. */
typedef void wpin_hub_take(void *context, int client, const wpin_frame *frame);
/** Lets in who comes, takes frames, waits for them at most so long, s. */
WPIN_API void wpin_hub_serve(wpin_hub *hub, double seconds, wpin_hub_take *take, void *context);
/** Tells all but one a frame; -1: all. Who does not take it in time misses it. */
WPIN_API void wpin_hub_tell(wpin_hub *hub, const wpin_frame *frame, int but);
/** How many are connected. */
WPIN_API int wpin_hub_count(const wpin_hub *hub);

#ifdef __cplusplus
}
#endif
#endif
