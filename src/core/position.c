/* From a distance to go to a speed. */
#include "windpin/position.h"
#include "windpin/guard.h"
#include "windpin/impl/steady_guard.h"

static uint16_t lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

/* The square root, bit by bit. */
static uint16_t root(uint32_t square) {
    uint32_t rest = 0, found = 0;
    for (uint8_t i = 0; i < 16; i++) {
        rest = rest << 2 | square >> 30;
        square <<= 2;
        found <<= 1;
        if (rest > found << 1) {
            rest -= (found << 1) + 1U;
            found++;
        }
    }
    return (uint16_t)found;
}

/* Fastest speed with so many counts to go. Braked evenly it goes with the square root of the
 * counts, which are taken x 65536; near the place, with the counts. One law meets the other at
 * twice `blend`, where both ask the same speed and the same braking. */
static uint16_t fastest(const WPIN_FAR wpin_position_config *c, uint16_t counts) {
    uint32_t speed;
    if (counts / 2U <= c->blend) {
        speed = wpin_steady_product(c->gain, counts) >> 8;
    } else {
        uint32_t to_brake = (uint32_t)counts - c->blend;
        speed = wpin_steady_product(c->brake, root(to_brake << 16)) >> 12;
    }
    return speed < c->most ? (uint16_t)speed : c->most;
}

int32_t wpin_position_step(void *position, int32_t setpoint, const wpin_measurement *m,
                           const wpin_given *given) {
    wpin_position *p = position;
    const WPIN_FAR wpin_position_config *c = p->config;
    uint32_t away = (uint32_t)setpoint - (uint32_t)m->position;
    bool back = away > INT32_MAX;
    uint32_t size = back ? 0U - away : away;
    if ((m->valid & WPIN_HAS_POSITION) == 0 || (given->held & WPIN_HELD_REVERSAL) != 0) {
        p->speed = 0; /* nothing is known, or nothing may be done yet */
        return (m->valid & WPIN_HAS_POSITION) == 0 || size == 0 ? 0 : (back ? -1 : 1);
    }
    uint16_t speed = fastest(c, (uint16_t)(size > UINT16_MAX ? UINT16_MAX : size));
    uint16_t was = (p->speed < 0) == back ? wpin_steady_size(p->speed) : 0;
    if (speed > was && speed - was > c->up) {
        speed = (uint16_t)(was + lower(c->up, (uint16_t)WPIN_DUTY_FULL));
    }
    p->speed = (int16_t)(back ? -(int32_t)speed : (int32_t)speed);
    return p->speed;
}

void wpin_position_reset(void *position, const wpin_measurement *m, const wpin_given *given) {
    wpin_position *p = position;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0 && given->effort != 0;
    p->speed = measured ? m->speed : 0;
}
