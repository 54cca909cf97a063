/** @file steady_counting.h
 * Not for direct use: what speed by counting takes in every tick; see steady.h. src/core/counting.c
 * is made of the same source.
 */
#ifndef WINDPIN_IMPL_STEADY_COUNTING_H
#define WINDPIN_IMPL_STEADY_COUNTING_H

#include "../api.h"
#include "../counting.h"
#include "constants.h"
#include "sums.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Steps of the clock from here on are taken one by one, us. */
#define WPIN_COUNTING_LONG_US 16384U
/** The tracked place is never further off than this, speed x us. */
#define WPIN_LAG_MAX (((int32_t)1 << 29) - 65536)

/* ---- what seldom runs: src/core/counting.c ---- */
WPIN_API void wpin_rare_track(wpin_counting *counting, uint8_t smooth, int32_t counted,
                              uint16_t dt_us);

/* ---- what it knows: a core for one motor may name its configuration, as WPIN_ONE_COUNTING ---- */

#ifdef WPIN_ONE_COUNTING
extern const WPIN_FLASH wpin_counting_config WPIN_ONE_COUNTING;
#endif

WPIN_STEADY const WPIN_FAR wpin_counting_config *
wpin_counting_config_of(const wpin_counting *counting) {
#ifdef WPIN_ONE_COUNTING
    (void)counting;
    return &WPIN_ONE_COUNTING;
#else
    return counting->config;
#endif
}

WPIN_STEADY const wpin_port *wpin_counting_port_of(const wpin_counting *counting) {
#ifdef WPIN_ONE_COUNTING
    (void)counting;
    return wpin_port_known(NULL);
#else
    return counting->port;
#endif
}

WPIN_STEADY bool wpin_counting_may_open(const WPIN_FAR wpin_counting_config *config,
                                        const wpin_port *port) {
#ifdef WPIN_ONE_COUNTING
    return config == &WPIN_ONE_COUNTING && port == wpin_port_known(NULL);
#else
    return config != NULL && port != NULL;
#endif
}

WPIN_STEADY void wpin_counting_note(wpin_counting *counting,
                                    const WPIN_FAR wpin_counting_config *config,
                                    const wpin_port *port) {
#ifdef WPIN_ONE_COUNTING
    (void)counting, (void)config, (void)port;
#else
    counting->config = config;
    counting->port = port;
#endif
}

/* ---- a tick ---- */

/* Reads the counter, in hardware or software. */
WPIN_STEADY wpin_status wpin_steady_count(const WPIN_FAR wpin_counting_config *config,
                                          const wpin_port *port, wpin_count *to) {
    if (config->quadrature != NULL) {
        wpin_quadrature_read(config->quadrature, port, to);
        return WPIN_OK;
    }
    return port->count != NULL ? port->count(port->context, config->counter, to)
                               : WPIN_REFUSED_PORT;
}

/* Counts since the last tick, as the motor is driven. */
WPIN_STEADY int16_t wpin_steady_new_counts(wpin_counting *c,
                                           const WPIN_FAR wpin_counting_config *config,
                                           uint16_t counter, uint8_t inputs) {
    uint16_t counts = (uint16_t)(counter - c->last);
    c->last = counter;
    bool back = config->reversed;
    if (config->one_channel) {
        back = (inputs & WPIN_DRIVEN_REVERSE) != 0;
    }
    return (int16_t)(back ? 0U - counts : counts);
}

/* An edge that is crossed to and fro is one place, however often: of counts the other way the first
 * is the edge that was passed before. */
WPIN_STEADY int16_t wpin_steady_edges(wpin_counting *c, int16_t counts) {
    const bool back = counts < 0;
    if (counts == 0 || back == c->back) {
        return counts;
    }
    c->back = back;
    return (int16_t)(back ? counts + 1 : counts - 1);
}

/* Counts as speed x us; no more than a tick can bring. */
WPIN_STEADY int32_t wpin_steady_counted(const WPIN_FAR wpin_counting_config *config,
                                        int16_t counts) {
    uint16_t most = config->most;
    if ((uint16_t)((uint16_t)counts + most) > 2U * most) {
        counts = (int16_t)(counts < 0 ? 0U - most : most);
    }
    return (int32_t)((uint32_t)(int32_t)counts * config->per_count);
}

/* The lag as a change of speed x 65536: by 2^-(14 + 2 smooth). */
WPIN_STEADY int32_t wpin_steady_change(int32_t lag, uint8_t smooth) {
    return smooth == 0 ? lag * 4
                       : (smooth == 1 ? lag : wpin_halved(lag, (uint8_t)(2U * smooth - 2U)));
}

/* The tracked place goes on; what the counts are further corrects the speed, and half of it or less
 * the place: critically damped with ticks of 1 ms. The speed it goes on at is the one that is
 * shown, so that this is right on average, to the last bit. The sum is less than three times 2^29
 * or little more, and fits. */
WPIN_STEADY void wpin_steady_track(wpin_counting *c, uint8_t smooth, int32_t counted,
                                   uint16_t dt_us) {
    uint32_t went = (uint32_t)wpin_steady_times(wpin_upper(c->speed), dt_us);
    int32_t lag = (int32_t)((uint32_t)c->lag + (uint32_t)counted - went);
    lag = wpin_within(lag, WPIN_LAG_MAX);
    c->speed = wpin_steady_sum(c->speed, wpin_steady_change(lag, smooth));
    c->lag = (int32_t)((uint32_t)lag - (uint32_t)wpin_halved(lag, (uint8_t)(1U + smooth)));
}

WPIN_STEADY void wpin_steady_counting(wpin_counting *c, const WPIN_FAR wpin_counting_config *config,
                                      const wpin_port *port, wpin_measurement *m) {
    wpin_count now;
    if (c->left == 0 || config == NULL || port == NULL ||
        wpin_steady_count(config, port, &now) != WPIN_OK) {
        return;
    }
    int16_t counts = wpin_steady_new_counts(c, config, (uint16_t)(uint32_t)now.counts, m->inputs);
    uint8_t smooth = config->smooth & 3U;
    int16_t edges = wpin_steady_edges(c, counts);
    int32_t counted = wpin_steady_counted(config, edges);
    if (m->dt_us < WPIN_COUNTING_LONG_US) {
        wpin_steady_track(c, smooth, counted, m->dt_us);
    } else {
        wpin_rare_track(c, smooth, counted, m->dt_us);
    }
    c->position = (int32_t)((uint32_t)c->position + (uint32_t)(int32_t)counts);
    if (edges != 0) {
        c->left = WPIN_COUNTING_STILL;
    } else if (c->left > 1) {
        c->left--;
    } else { /* slower than it could tell */
        c->lag = 0;
        c->speed = 0;
    }
    m->speed = wpin_upper(c->speed);
    m->speed_us = smooth < 3 ? (uint16_t)(8192U << smooth) : UINT16_MAX;
    m->position = c->position;
    m->valid |= WPIN_HAS_SPEED | WPIN_HAS_POSITION;
}

#ifdef __cplusplus
}
#endif
#endif
