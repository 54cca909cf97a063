/* A session on a message bus (MQTT): its state for all who listen, requests from whoever may
 * publish. */
#ifndef WPIN_BUS_H
#define WPIN_BUS_H

#include "server.h"

#define WPIN_BUS_NAMES 8 /* who asks, at once */
#define WPIN_BUS_OLD                                                                               \
    1.0 /* s: a request that has seen no newer state has lapsed; or the link time-out */

typedef struct wpin_bus wpin_bus;

/* Where, and as whom. */
typedef struct wpin_bus_options {
    const char *host;     /* the broker */
    int port;             /* usually 1883, with certificates 8883 */
    const char *prefix;   /* of all topics, e.g. "windpin" */
    const char *user;     /* or NULL */
    const char *password; /* or NULL */
    const char *ca_file;  /* certificates that the broker's is checked by; NULL: no TLS */
    double rate;          /* states a second */
} wpin_bus_options;

/* Connects. NULL with the reason. */
wpin_bus *wpin_bus_open(wpin_live *live, const wpin_pace *pace, wpin_states *states,
                        const wpin_bus_options *options, char *why, size_t size);
/* The topic that all of its begin with: PREFIX/RIG. */
const char *wpin_bus_topic(const wpin_bus *bus);
/* Becomes readable when somebody asked something. */
int wpin_bus_file(const wpin_bus *bus);
/* Carries out what was asked, and publishes what is due; in the session's thread. */
void wpin_bus_serve(wpin_bus *bus);
void wpin_bus_close(wpin_bus *bus);

#endif
