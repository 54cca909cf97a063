/* Angles and vectors in integers: what field orientation is made of. */
#ifndef WPIN_CORE_TURNING_H
#define WPIN_CORE_TURNING_H

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

/* Turned back by a direction, as seen from what turns (Park); and turned by it (its inverse). */
wpin_plane wpin_turned_back(wpin_plane v, wpin_plane by);
wpin_plane wpin_turned_on(wpin_plane v, wpin_plane by);

/* The larger root's whole part. */
uint16_t wpin_root(uint32_t square);

/* a x b / 32768. */
static inline int16_t wpin_share_q15(int16_t a, int16_t b) {
    return (int16_t)(((int32_t)a * b) >> 15);
}

/* Within -most to most. */
static inline int16_t wpin_within(int32_t value, int16_t most) {
    return (int16_t)(value > most ? most : value < -most ? -most : value);
}

#endif
