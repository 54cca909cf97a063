/* Watches a motion by its measured speed. */
#include "windpin/guard.h"
#include "windpin/impl/steady_guard.h"
#include "windpin/protection.h"

/* Whether what is so has lasted for ms; what ends it begins it anew. */
static bool lasts(uint32_t *us, bool is_so, uint16_t dt_us, uint16_t ms) {
    if (!is_so || ms == 0) {
        *us = 0;
        return false;
    }
    *us += *us < UINT32_MAX - dt_us ? dt_us : 0;
    return *us >= (uint32_t)ms * 1000U;
}

/* What it draws at least while it stands, mV at the pin, as its stage drives it. */
static uint32_t standing(const wpin_motion *motion, const wpin_watched *w) {
    uint16_t effort = wpin_steady_size(w->effort), from = motion->config->stall_from;
    return effort <= from ? 0
                          : ((uint32_t)motion->config->stall_mv * (uint16_t)(effort - from)) >> 14;
}

/* Whether it is known to draw next to nothing for what it is driven with. */
static bool is_dead(const wpin_motion *motion, const wpin_watched *w) {
    bool known = (w->measurement->valid & WPIN_HAS_CURRENT) != 0;
    return known && wpin_steady_size(w->measurement->current) < standing(motion, w) / 32U;
}

/* Whether it is slower than the speed asked for, and has nothing to become faster by. */
static bool dies_away(const wpin_motion *motion, const wpin_watched *w) {
    int32_t speed = w->measurement->speed, still = (int32_t)motion->config->still;
    int32_t asked = w->setpoint > 65536 ? 65536 : (w->setpoint < -65536 ? -65536 : w->setpoint);
    if (w->quantity != WPIN_QUANTITY_SPEED || !is_dead(motion, w)) {
        return false;
    }
    return w->effort > 0 ? speed < asked - still : speed > asked + still;
}

/* A standing motor draws its stall current, one that turns less by its back-emf, and one without
 * volts none. A quarter is left for a warm winding and a weak supply. */
static wpin_status why_still(const wpin_motion *motion, const wpin_watched *w) {
    uint16_t stall_mv = motion->config->stall_mv;
    if (stall_mv == 0 || (w->measurement->valid & WPIN_HAS_CURRENT) == 0) {
        return WPIN_FAULT_NO_MOTION;
    }
    uint32_t stalled = standing(motion, w);
    if (is_dead(motion, w)) {
        return WPIN_FAULT_NO_CURRENT;
    }
    bool all = wpin_steady_size(w->measurement->current) >= stalled - stalled / 4U;
    return all ? WPIN_FAULT_STALLED : WPIN_FAULT_FEEDBACK;
}

/* Whether it goes over the place asked for again and again: each time it starts, it goes too far.
 */
static bool hunts(wpin_motion *motion, const wpin_watched *w) {
    const WPIN_FAR wpin_motion_config *c = motion->config;
    bool place = w->quantity == WPIN_QUANTITY_POSITION && c->passes != 0;
    if (!place || w->setpoint != motion->place) {
        motion->place = place ? w->setpoint : 0;
        motion->side = 0;
        motion->passed = 0;
    }
    if (!place || (w->measurement->valid & WPIN_HAS_POSITION) == 0) {
        return false;
    }
    uint32_t to_go = (uint32_t)w->setpoint - (uint32_t)w->measurement->position;
    bool behind = to_go > INT32_MAX;
    if ((behind ? 0U - to_go : to_go) < c->passed_by) {
        return false;
    }
    int8_t side = behind ? 1 : -1;
    bool over = motion->side != 0 && side != motion->side;
    motion->side = side;
    motion->passed = (uint8_t)(motion->passed + (over ? 1 : 0));
    return motion->passed >= c->passes;
}

wpin_status wpin_motion_check(void *motion, const wpin_watched *w) {
    wpin_motion *mine = motion;
    const WPIN_FAR wpin_motion_config *c = mine->config;
    const wpin_measurement *m = w->measurement;
    if ((m->valid & WPIN_HAS_SPEED) == 0) {
        return WPIN_OK; /* whether that is a fault, the guard knows */
    }
    uint16_t speed = wpin_steady_size(m->speed), effort = wpin_steady_size(w->effort);
    bool against = effort != 0 && (m->speed > 0) != (w->effort > 0);
    if (c->over_speed != 0 && speed > c->over_speed) {
        return against ? WPIN_FAULT_WRONG_WAY : WPIN_FAULT_OVERSPEED;
    }
    bool driven = effort != 0 && effort >= c->least_effort;
    bool still = driven && (speed <= c->still || dies_away(mine, w));
    if (lasts(&mine->still_us, still, m->dt_us, c->still_ms)) {
        return why_still(mine, w);
    }
    bool wrong = speed > c->still && against;
    if (lasts(&mine->wrong_us, wrong, m->dt_us, c->wrong_ms)) {
        return WPIN_FAULT_WRONG_WAY;
    }
    uint32_t off = (uint32_t)w->setpoint - (uint32_t)(int32_t)m->speed;
    uint32_t far = off > INT32_MAX ? 0U - off : off;
    bool apart = w->quantity == WPIN_QUANTITY_SPEED && far > c->off_by &&
                 (w->held & WPIN_HELD_REVERSAL) == 0;
    if (lasts(&mine->off_us, apart, m->dt_us, c->off_ms)) {
        return is_dead(mine, w) ? WPIN_FAULT_NO_CURRENT : WPIN_FAULT_FOLLOWING;
    }
    return hunts(mine, w) ? WPIN_FAULT_HUNTING : WPIN_OK;
}

void wpin_motion_reset(void *motion) {
    wpin_motion *mine = motion;
    mine->still_us = mine->wrong_us = mine->off_us = 0;
    mine->side = 0;
    mine->passed = 0;
}
