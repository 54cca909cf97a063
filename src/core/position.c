/* From a distance to go to a speed. */
#include "windpin/position.h"
#include "windpin/guard.h"
#include "windpin/impl/regulate.h"
#include "windpin/impl/steady_guard.h"

#define FULL       ((int32_t)WPIN_DUTY_FULL)
#define PASSES_MAX 3

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
static uint16_t by_law(const WPIN_FAR wpin_position_config *c, uint16_t counts) {
    uint32_t speed;
    if (counts / 2U <= c->blend) {
        speed = wpin_steady_product(c->gain, counts) >> 8;
    } else {
        uint32_t to_brake = (uint32_t)counts - c->blend;
        speed = wpin_steady_product(c->brake, root(to_brake << 16)) >> 12;
    }
    return speed < c->most ? (uint16_t)speed : c->most;
}

static uint8_t gently(const wpin_position *p) {
    return p->passes < PASSES_MAX ? p->passes : PASSES_MAX;
}

/* Each time it went over its place it comes back half as fast, and half as hard: what loosens the
 * shaft and what slows it differ from what they are said to be, and the last counts leave no time
 * to measure it. */
static uint16_t fastest(const wpin_position *p, const WPIN_FAR wpin_position_config *c,
                        uint16_t counts) {
    uint16_t speed = (uint16_t)(by_law(c, counts) >> gently(p));
    return speed == 0 && counts != 0 ? 1 : speed; /* it has a way to go */
}

static uint16_t faster_by(const wpin_position *p, const WPIN_FAR wpin_position_config *c) {
    uint16_t up = (uint16_t)(c->up >> gently(p));
    return up == 0 ? 1 : lower(up, (uint16_t)WPIN_DUTY_FULL);
}

static void watch_passes(wpin_position *p, int32_t setpoint, bool back, uint16_t counts) {
    int8_t side = back ? -1 : 1;
    if (counts == 0) {
        return; /* there, or near enough to be asked for where it is */
    }
    if (setpoint != p->place) {
        p->place = setpoint;
        p->passes = 0;
    } else if (side + p->side == 0 && p->passes < PASSES_MAX) {
        p->passes++;
    }
    p->side = side;
}

/* ---- S-shaped ---- */

#define BEND_MAX  12
#define TICKS_MAX ((uint32_t)1 << 14)

/* The speed, x 256, that a pull brings while it goes away evenly: a full one half of its ticks. */
static uint32_t brings(uint8_t bend, uint32_t pull, uint16_t rate) {
    uint32_t share = pull << (BEND_MAX - bend); /* of 4096 */
    return (((share * share) >> 9) * rate) >> (BEND_MAX + 4 - bend);
}

/* What is made in so many ticks at a speed, counts. Exact: in two, as 32 bits do not hold it. */
static uint32_t counts_in(const WPIN_FAR wpin_position_config *c, uint32_t speed, uint32_t ticks) {
    uint32_t way = speed * ticks;
    return ((way >> 16) * c->lead + (((way & 0xFFFFU) * c->lead) >> 16)) >> 6;
}

/* Ticks at its speed in the way to a stop that begins without pull: braked ever harder and ever
 * less again, and as hard as it may be between, if it comes to that. */
static uint32_t stops_in(const WPIN_FAR wpin_position_config *c, uint8_t bend, uint32_t speed) {
    uint32_t square = (speed * c->square) >> 6, full = (uint32_t)1 << bend;
    uint32_t ticks = square < full * full ? root(square) : (square >> (bend + 1)) + full / 2U;
    ticks += ticks / 16U; /* early rather than late: then it only brakes a little less */
    return ticks < TICKS_MAX ? ticks : TICKS_MAX;
}

/* Counts more that the law near the place takes at a speed: what it asks there goes down with them.
 */
static uint32_t for_the_end(const WPIN_FAR wpin_position_config *c, uint32_t speed) {
    uint32_t counts = counts_in(c, speed, c->near < TICKS_MAX ? c->near : TICKS_MAX);
    return counts < c->blend ? counts : c->blend;
}

/* Counts to a stop. A pull forward goes away first; one backward is the middle of a stop that began
 * earlier, from a higher speed. */
static uint32_t to_stop(const WPIN_FAR wpin_position_config *c, uint8_t bend, uint32_t along,
                        int32_t pull) {
    uint32_t size = (uint32_t)(pull < 0 ? -pull : pull);
    uint32_t change = brings(bend, size, pull < 0 ? c->fall : c->rise);
    uint32_t before = (along + change) >> 8, mean = (along + ((change * 171U) >> 8)) >> 8;
    uint32_t counts = counts_in(c, before, stops_in(c, bend, before));
    uint32_t part = counts_in(c, mean, size); /* two thirds of the change on average */
    uint32_t end = for_the_end(c, along >> 8);
    return end + (pull >= 0 ? counts + part : (counts > part ? counts - part : 0));
}

/* What a pull brings, with its sign. */
static int32_t comes(const WPIN_FAR wpin_position_config *c, uint8_t bend, int32_t pull) {
    return pull < 0 ? -(int32_t)brings(bend, (uint32_t)-pull, c->fall)
                    : (int32_t)brings(bend, (uint32_t)pull, c->rise);
}

/* The pull of the next tick towards a speed: more, as long as it can go away again before that. */
static int32_t next_pull(const WPIN_FAR wpin_position_config *c, uint8_t bend, int32_t pull,
                         int32_t more) {
    if (more > comes(c, bend, pull + 2)) { /* it still pulls in this tick */
        return pull + 1;
    }
    bool less = more < comes(c, bend, pull - 2) || pull > 0;
    return less ? pull - 1 : (pull < 0 ? pull + 1 : 0);
}

/* Towards the place by a speed that has no corners, but never faster than can be braked at once. */
static int16_t bent(wpin_position *p, const WPIN_FAR wpin_position_config *c, uint16_t counts,
                    bool back) {
    uint8_t bend = c->bend < BEND_MAX ? c->bend : BEND_MAX;
    int32_t along = wpin_within(p->fine, FULL * 256);
    int32_t pull = wpin_within(p->pull, (int32_t)1 << bend);
    along = back ? -along : along;
    pull = back ? -pull : pull;
    bool away = along < 0, goes_on = !away && along + comes(c, bend, pull) > 0;
    bool stops = goes_on && to_stop(c, bend, (uint32_t)along, pull) >= counts;
    pull = stops ? pull - 1 : next_pull(c, bend, pull, (int32_t)c->most * 256 - along);
    pull = wpin_within(pull, (int32_t)1 << bend);
    int32_t rate = pull < 0 ? c->fall : c->rise, highest = (int32_t)fastest(p, c, counts) * 256;
    along = wpin_within(along + wpin_halved(rate * pull, bend), FULL * 256);
    if (along > highest) {
        along = highest;
        pull = pull > 0 ? 0 : pull; /* it must not be carried past the place */
    }
    int32_t least = away || counts / 2U > c->blend ? 0 : highest / 4; /* so slow it may jump */
    if (!away && along < least) { /* it stands, or nearly, before the place */
        along = least;
        pull = 0;
    }
    p->fine = back ? -along : along;
    p->pull = (int16_t)(back ? -pull : pull);
    int16_t speed = (int16_t)wpin_halved(along, 8);
    speed = speed == 0 && counts != 0 ? 1 : speed; /* it has a way to go */
    return (int16_t)(back ? -speed : speed);
}

static void let_go(wpin_position *p, int16_t speed) {
    p->speed = speed;
    p->fine = (int32_t)speed * 256;
    p->pull = 0;
}

/* The effort asked for would be against the way it turns, and is held back: nothing can be done but
 * wait until the shaft is slower. On its way to the place it goes on from the speed it has then;
 * away from it, it has to stand first, and keeps asking for the way back. */
static int16_t slows(wpin_position *p, const WPIN_FAR wpin_position_config *c, uint16_t counts,
                     bool back, const wpin_measurement *m) {
    bool comes = (m->valid & WPIN_HAS_SPEED) != 0 && m->speed != 0 && (m->speed < 0) == back;
    uint16_t speed = comes ? lower(wpin_steady_size(m->speed), fastest(p, c, counts)) : 0;
    let_go(p, (int16_t)(back ? -(int32_t)speed : (int32_t)speed));
    return speed != 0 || counts == 0 ? p->speed : (int16_t)(back ? -1 : 1);
}

int32_t wpin_position_step(void *position, const WPIN_FAR void *config, int32_t setpoint,
                           const wpin_measurement *m, const wpin_given *given) {
    wpin_position *p = position;
    const WPIN_FAR wpin_position_config *c = config;
    uint32_t away = (uint32_t)setpoint - (uint32_t)m->position;
    bool back = away > INT32_MAX;
    uint32_t size = back ? 0U - away : away;
    if ((m->valid & WPIN_HAS_POSITION) == 0) {
        let_go(p, 0);
        return 0;
    }
    uint16_t counts = (uint16_t)(size > UINT16_MAX ? UINT16_MAX : size);
    watch_passes(p, setpoint, back, counts);
    if ((given->held & WPIN_HELD_REVERSAL) != 0) {
        return slows(p, c, counts, back, m);
    }
    if (c->bend != 0) {
        p->speed = bent(p, c, counts, back);
        return p->speed;
    }
    uint16_t speed = fastest(p, c, counts);
    uint16_t was = (p->speed < 0) == back ? wpin_steady_size(p->speed) : 0;
    if (speed > was && speed - was > faster_by(p, c)) {
        speed = (uint16_t)(was + faster_by(p, c));
    }
    p->speed = (int16_t)(back ? -(int32_t)speed : (int32_t)speed);
    return p->speed;
}

void wpin_position_reset(void *position, const WPIN_FAR void *config, const wpin_measurement *m,
                         const wpin_given *given) {
    wpin_position *p = position;
    (void)config;
    bool measured = (m->valid & WPIN_HAS_SPEED) != 0 && given->effort != 0;
    let_go(p, measured ? m->speed : 0);
    p->side = 0;
    p->passes = 0;
}
