/* The guard: every rule takes away, in a fixed order. */
#include "windpin/guard.h"
#include "rare.h"
#include "windpin/impl/steady_guard.h"

#define FULL ((uint16_t)WPIN_DUTY_FULL)

static uint16_t lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

wpin_status wpin_guard_check(const WPIN_FAR wpin_guard_config *c) {
    return wpin_guard_holds(c) ? WPIN_OK : WPIN_REFUSED_RANGE;
}

void wpin_guard_init(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config) {
    *guard = (wpin_guard){
        .direction = WPIN_DIRECTION_UNKNOWN, .ceiling = FULL, .pause_left_us = config->pause_us};
}

/* ---- faults ---- */

static uint32_t add(uint32_t a, uint32_t b) {
    return a + b < a ? UINT32_MAX : a + b;
}

WPIN_RARE bool wpin_rare_over_current(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                                      uint16_t dt_us) {
    guard->over_us = guard->over_us == 0 ? 1 : add(guard->over_us, dt_us);
    return guard->over_us - 1U >= c->trip_us;
}

/* On for too long in all; time off gives some of it back, counted as holding back is. */
WPIN_RARE bool wpin_rare_on_time(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                                 uint16_t dt_us) {
    if (guard->value != 0) {
        guard->on_used_us = add(guard->on_used_us, dt_us);
        return guard->on_used_us >= c->on_time_max_us;
    }
    uint16_t step_us = lower(dt_us, wpin_tick_max(c));
    uint32_t back = c->recovery == 0 ? step_us : ((uint32_t)step_us * c->recovery) >> 8;
    guard->on_used_us = guard->on_used_us > back ? guard->on_used_us - back : 0;
    return false;
}

wpin_status wpin_guard_fault(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                             const wpin_measurement *m, uint8_t needs) {
    return wpin_steady_fault(guard, config, m, needs);
}

/* ---- the rules of effort ---- */

WPIN_RARE uint16_t wpin_rare_first(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                                   uint16_t target) {
    uint16_t first = c->first_cap, cap = c->cap;
    first = first != 0 ? first : (uint16_t)(cap / 2U + 1U);
    if (target > first) {
        guard->held |= WPIN_HELD_FIRST;
        target = first;
    }
    return target;
}

static bool at_limit(uint8_t inputs, int8_t direction) {
    uint8_t bit = direction > 0 ? WPIN_AT_FORWARD_LIMIT : WPIN_AT_REVERSE_LIMIT;
    return direction != 0 && (inputs & bit) != 0;
}

/* Folds the effort back while the current is above its limit: the ceiling sinks by how much it is
 * above, tick by tick, and rises again as it is below. */
WPIN_RARE void wpin_rare_ceiling(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                                 const wpin_measurement *m) {
    int32_t room = (int32_t)c->current_limit - wpin_steady_size(m->current);
    int32_t most = FULL; /* room is held to a full scale, the gain to 15 bits: the product fits */
    room = room > most ? most : (room < -most ? -most : room);
    int32_t change = room * (int32_t)lower(c->limit_gain, 32767);
    change = change > most ? most : (change < -most ? -most : change);
    int32_t ceiling = (int32_t)guard->ceiling + change;
    guard->ceiling = (uint16_t)(ceiling > most ? most : (ceiling < 0 ? 0 : ceiling));
}

WPIN_RARE void wpin_rare_minimum(wpin_guard *guard, uint16_t hold_us) {
    guard->minimum_left_us =
        guard->minimum_left_us > hold_us ? guard->minimum_left_us - hold_us : 0;
}

/* Whether the shaft may be taken to rest, at zero effort: then it may be driven either way. */
WPIN_RARE void wpin_rare_rest(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                              const wpin_measurement *m, uint16_t hold_us) {
    uint16_t step = hold_us;
    if (c->reversal == WPIN_REVERSAL_STANDSTILL) {
        if ((m->valid & WPIN_HAS_SPEED) == 0) {
            step = (uint16_t)(hold_us / 4U);
        } else if (wpin_steady_size(m->speed) > c->standstill) {
            guard->pause_left_us = c->pause_us;
            return;
        }
    }
    bool over = guard->pause_left_us <= step || c->reversal == WPIN_REVERSAL_FREE;
    guard->pause_left_us = over ? 0 : guard->pause_left_us - step;
    if (over) {
        guard->direction = 0;
    }
}

/* On or off, with no slew: a change waits until the minimum time since the last is over. */
WPIN_RARE void wpin_rare_switch(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c, bool on) {
    if (on == (guard->value != 0)) {
        return;
    }
    if (guard->minimum_left_us != 0) {
        guard->held |= WPIN_HELD_MINIMUM;
        return;
    }
    guard->minimum_left_us = c->minimum_us;
    guard->value = on ? (uint32_t)FULL << 16 : 0;
}

/* Against the direction it last had it must come to rest first. */
WPIN_RARE uint16_t wpin_rare_turned(wpin_guard *guard, uint16_t target, int8_t direction,
                                    bool on_off) {
    if (guard->direction != 0) {
        guard->held |= WPIN_HELD_REVERSAL;
        return 0;
    }
    if (target != 0 && (!on_off || guard->minimum_left_us == 0)) {
        guard->direction = direction;
    }
    return target;
}

/* While its actuator starts by itself, with a current of its own that a limit can't fold: from
 * there it slews to what is asked. */
static uint16_t least_of(wpin_guard *guard) {
    const uint32_t least = (uint32_t)1 << 16;
    guard->held |= WPIN_HELD_SETTLING;
    guard->value = guard->value > least ? least : guard->value;
    return 1;
}

/* The first contact counts: at a limit switch of its direction it is at zero at once. */
WPIN_RARE uint16_t wpin_rare_limited(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c,
                                     uint16_t target, wpin_duty effort, bool on_off,
                                     uint8_t inputs) {
    int8_t direction = (int8_t)((effort > 0) - (effort < 0));
    if (guard->value != 0 && guard->direction != WPIN_DIRECTION_UNKNOWN &&
        at_limit(inputs, guard->direction)) {
        wpin_guard_drop(guard, c, on_off);
    }
    if (at_limit(inputs, direction)) {
        guard->held |= WPIN_HELD_LIMIT;
        return 0;
    }
    return effort != 0 && (inputs & WPIN_STARTING) != 0 ? least_of(guard) : target;
}

wpin_duty wpin_guard_pass(wpin_guard *guard, const WPIN_FAR wpin_guard_config *c, wpin_duty effort,
                          uint16_t floor, bool on_off, const wpin_measurement *m,
                          uint16_t hold_us) {
    effort = wpin_steady_pass(guard, c, effort, floor, on_off, true, m->inputs, m, hold_us);
    if (wpin_steady_starts(guard, effort)) {
        wpin_steady_driven_on(guard, c);
    }
    return effort;
}

WPIN_RARE void wpin_guard_drop(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                               bool on_off) {
    if (!on_off) {
        guard->minimum_left_us = 0;
    } else if (guard->value != 0) {
        guard->minimum_left_us = config->minimum_us; /* going off at once starts it too */
    }
    guard->value = 0;
}
