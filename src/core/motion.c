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
static uint32_t standing(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    uint16_t effort = wpin_steady_size(w->effort), from = c->stall_from;
    return effort <= from ? 0 : ((uint32_t)c->stall_mv * (uint16_t)(effort - from)) >> 14;
}

/* Whether it is known to draw next to nothing for what it is driven with. */
static bool is_dead(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    bool known = (w->measurement->valid & WPIN_HAS_CURRENT) != 0;
    return known && wpin_steady_size(w->measurement->current) < standing(c, w) / 32U;
}

/* Whether the current of a standing motor is known, and its own. */
static bool tells_by_current(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    return c->stall_mv != 0 && (w->measurement->valid & WPIN_HAS_CURRENT) != 0;
}

/* A standing motor draws its stall current, one that turns less by its back-emf, and one without
 * volts none. A quarter is left for a warm winding and a weak supply. */
static wpin_status why_still(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    if (!tells_by_current(c, w)) {
        return WPIN_FAULT_NO_MOTION;
    }
    uint32_t stalled = standing(c, w);
    if (is_dead(c, w)) {
        return WPIN_FAULT_NO_CURRENT;
    }
    bool all = wpin_steady_size(w->measurement->current) >= stalled - stalled / 4U;
    return all ? WPIN_FAULT_STALLED : WPIN_FAULT_FEEDBACK;
}

/* Whether it draws so little that it must be turning: below 9/16, which neither a hot winding nor a
 * weak supply leaves of the current of a standing motor. */
static bool draws_little(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    uint32_t drawn = wpin_steady_size(w->measurement->current);
    return drawn * 16U < standing(c, w) * 9U;
}

/* Standing, as far as is measured, and yet it must be turning. */
static bool is_lost(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    return c->lost_ms != 0 && tells_by_current(c, w) && !is_dead(c, w) && draws_little(c, w);
}

/* To stand with the current of a standing motor, cold or hot, is what a torque is for. */
static bool presses(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w) {
    return !tells_by_current(c, w) || (!is_dead(c, w) && !draws_little(c, w));
}

/* Whether it goes over the place asked for again and again: each time it starts, it goes too far.
 */
static bool hunts(wpin_motion *motion, const WPIN_FAR wpin_motion_config *c,
                  const wpin_watched *w) {
    if (w->quantity != WPIN_QUANTITY_POSITION || c->passes == 0) {
        motion->side = 0;
        motion->passed = 0;
        return false;
    }
    if (w->setpoint != motion->place) {
        motion->place = w->setpoint;
        motion->side = 0;
        motion->passed = 0;
    }
    if ((w->measurement->valid & WPIN_HAS_POSITION) == 0) {
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

/* Whether it has come on by two counts since it was last asked so: however slowly, it turns, and is
 * seen to. Around one edge it only shakes. */
static bool creeps(wpin_motion *motion, const wpin_measurement *m) {
    uint32_t off = (uint32_t)m->position - (uint32_t)motion->still_at;
    if ((m->valid & WPIN_HAS_POSITION) == 0 || off + 1U <= 2U) {
        return false;
    }
    motion->still_at = m->position;
    return true;
}

/* How far it is from the speed asked for; of other quantities nothing is known. */
static int32_t off_speed(const wpin_watched *w) {
    if (w->quantity != WPIN_QUANTITY_SPEED) {
        return 0;
    }
    int32_t most = 65536, asked = w->setpoint;
    return (asked > most ? most : (asked < -most ? -most : asked)) - w->measurement->speed;
}

/* Whether it is faster than asked because its supply takes no more of what braking gives back. */
static bool gives_way(const WPIN_FAR wpin_motion_config *c, const wpin_watched *w, int32_t off) {
    const wpin_measurement *m = w->measurement;
    return c->gives_way_mv != 0 && (m->valid & WPIN_HAS_SUPPLY) != 0 &&
           m->supply > c->gives_way_mv && (m->speed > 0 ? off < 0 : off > 0);
}

/* What has to last before it is a fault. */
static wpin_status lasting(wpin_motion *mine, const WPIN_FAR wpin_motion_config *c,
                           const wpin_watched *w, bool still, bool wrong, bool apart) {
    uint16_t dt_us = w->measurement->dt_us;
    mine->lasts = still || wrong || apart;
    bool lost = still && wpin_steady_size(w->measurement->speed) <= c->still && is_lost(c, w);
    if (lasts(&mine->still_us, still, dt_us, c->still_ms)) {
        return why_still(c, w);
    }
    if (lasts(&mine->lost_us, lost, dt_us, c->lost_ms)) {
        return WPIN_FAULT_FEEDBACK;
    }
    if (lasts(&mine->wrong_us, wrong, dt_us, c->wrong_ms)) {
        return WPIN_FAULT_WRONG_WAY;
    }
    if (lasts(&mine->off_us, apart, dt_us, c->off_ms)) {
        return is_dead(c, w) ? WPIN_FAULT_NO_CURRENT : WPIN_FAULT_FOLLOWING;
    }
    return WPIN_OK;
}

/* Without a speed only what is asked for by its current tells something: that none flows. */
static wpin_status by_current(wpin_motion *mine, const WPIN_FAR wpin_motion_config *c,
                              const wpin_watched *w) {
    bool driven = w->effort != 0 && wpin_steady_size(w->effort) >= c->least_effort;
    bool dead = w->quantity == WPIN_QUANTITY_TORQUE && driven && is_dead(c, w);
    return lasts(&mine->still_us, dead, w->measurement->dt_us, c->still_ms) ? WPIN_FAULT_NO_CURRENT
                                                                            : WPIN_OK;
}

wpin_status wpin_motion_check(void *motion, const WPIN_FAR void *config, const wpin_watched *w) {
    wpin_motion *mine = motion;
    const WPIN_FAR wpin_motion_config *c = config;
    const wpin_measurement *m = w->measurement;
    if ((m->valid & WPIN_HAS_SPEED) == 0) { /* whether that is a fault, the guard knows */
        return by_current(mine, c, w);
    }
    uint16_t speed = wpin_steady_size(m->speed), effort = wpin_steady_size(w->effort);
    bool against = effort != 0 && (m->speed > 0) != (w->effort > 0);
    if (c->over_speed != 0 && speed > c->over_speed) {
        return against ? WPIN_FAULT_WRONG_WAY : WPIN_FAULT_OVERSPEED;
    }
    if ((m->inputs & WPIN_STARTING) != 0) { /* how it moves meanwhile is its actuator's own doing */
        wpin_motion_reset(mine);
        return WPIN_OK;
    }
    int32_t off = off_speed(w), slower = w->effort > 0 ? off : -off;
    uint16_t standing_still = c->still;
    bool driven = effort != 0 && effort >= c->least_effort;
    bool still = driven && ((speed <= standing_still && !creeps(mine, m)) ||
                            (slower > standing_still && is_dead(c, w))); /* or dies away */
    still = still && !(w->quantity == WPIN_QUANTITY_TORQUE && presses(c, w));
    bool wrong = against && speed > standing_still;
    bool apart = (off > c->off_by || off < -(int32_t)c->off_by) &&
                 (w->held & WPIN_HELD_REVERSAL) == 0 && !gives_way(c, w, off);
    if (still || wrong || apart || mine->lasts) {
        wpin_status fault = lasting(mine, c, w, still, wrong, apart);
        if (fault != WPIN_OK) {
            return fault;
        }
    }
    return hunts(mine, c, w) ? WPIN_FAULT_HUNTING : WPIN_OK;
}

void wpin_motion_reset(void *motion) {
    wpin_motion *mine = motion;
    mine->still_us = mine->lost_us = mine->wrong_us = mine->off_us = 0;
    mine->lasts = false;
    mine->side = 0;
    mine->passed = 0;
}
