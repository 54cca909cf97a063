/* Angles and vectors in integers: what field orientation is made of. */
#ifndef WPIN_CORE_TURNING_H
#define WPIN_CORE_TURNING_H

#include "windpin/impl/sums.h"
#include <stdbool.h>
#include <stdint.h>

/* An angle: 65536 is a turn, and wraps. */
typedef uint16_t wpin_angle;

/* In a plane that stands (alpha, beta) or turns (d, q). */
typedef struct wpin_plane {
    int16_t x, y;
} wpin_plane;

/* Cosine and sine, 32767 is one; to 1/13000. */
wpin_plane wpin_direction_of(wpin_angle angle);

/* Within -most to most. */
WPIN_STEADY int16_t wpin_clipped(int32_t value, int32_t most) {
    return (int16_t)wpin_within(value, most);
}

/* Within -2^bits to 2^bits - 1: one instruction where the controller has one for it, which the
 * compiler does not find by itself. tools/same-check compares the two. */
#ifdef __ARM_FEATURE_SAT
#define wpin_saturated(value, bits) ((int32_t)__builtin_arm_ssat((value), (bits) + 1))
#else
WPIN_STEADY int32_t wpin_saturated(int32_t value, uint8_t bits) {
    const int32_t most = ((int32_t)1 << bits) - 1, least = -most - 1;
    const int32_t upper = value > most ? most : value;
    return upper < least ? least : upper;
}
#endif

/* Turned back by a direction, as seen from what turns (Park); and turned by it (its inverse). Of a
 * vector up to 32767 long both parts fit. */
WPIN_STEADY wpin_plane wpin_turned_back(wpin_plane v, wpin_plane by) {
    return (wpin_plane){(int16_t)((v.x * (int32_t)by.x + v.y * (int32_t)by.y) >> 15),
                        (int16_t)((v.y * (int32_t)by.x - v.x * (int32_t)by.y) >> 15)};
}

WPIN_STEADY wpin_plane wpin_turned_on(wpin_plane v, wpin_plane by) {
    return (wpin_plane){(int16_t)((v.x * (int32_t)by.x - v.y * (int32_t)by.y) >> 15),
                        (int16_t)((v.x * (int32_t)by.y + v.y * (int32_t)by.x) >> 15)};
}

/* Of a square the whole part of its root. */
uint16_t wpin_root(uint32_t square);

#endif
