/** @file steady_guard.h
 * Not for direct use: what the guard does in every tick; see steady.h.
 */
#ifndef WINDPIN_IMPL_STEADY_GUARD_H
#define WINDPIN_IMPL_STEADY_GUARD_H

#include "../api.h"
#include "../guard.h"
#include "inline.h"
#include "sums.h"

#ifdef __cplusplus
extern "C" {
#endif

/* ---- what runs when something changes: src/core/guard.c ---- */
WPIN_API bool wpin_rare_over_current(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                     uint16_t dt_us);
WPIN_API bool wpin_rare_on_time(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                uint16_t dt_us);
WPIN_API void wpin_rare_ceiling(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                const wpin_measurement *m);
WPIN_API void wpin_rare_minimum(wpin_guard *guard, uint16_t hold_us);
WPIN_API uint16_t wpin_rare_first(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                  uint16_t target);
WPIN_API uint16_t wpin_rare_limited(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                    uint16_t target, wpin_duty effort, bool on_off, uint8_t inputs);
WPIN_API uint16_t wpin_rare_turned(wpin_guard *guard, uint16_t target, int8_t direction,
                                   bool on_off);
WPIN_API void wpin_rare_switch(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                               bool on);
WPIN_API void wpin_rare_rest(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                             const wpin_measurement *m, uint16_t hold_us);

/* Whether a configuration is one. */
WPIN_STEADY bool wpin_guard_holds(const WPIN_FAR wpin_guard_config *c) {
    return c->cap != 0 && c->cap <= (uint16_t)WPIN_DUTY_FULL && c->up != 0 && c->down != 0 &&
           c->reversal <= WPIN_REVERSAL_FREE && c->pause_us <= WPIN_SPAN_MAX &&
           c->minimum_us <= WPIN_SPAN_MAX && c->on_time_max_us <= WPIN_SPAN_MAX &&
           c->current_limit >= 0 && (c->current_limit == 0 || c->limit_gain != 0) &&
           c->current_trip >= 0 && c->supply_low <= c->supply_high && c->first_cap <= c->cap &&
           c->tick_max_us <= 65000U;
}

/* The longest step of the clock that is no fault. */
WPIN_STEADY uint16_t wpin_tick_max(const WPIN_FAR wpin_guard_config *config) {
    uint16_t us = config->tick_max_us;
    return us != 0 ? us : WPIN_TICK_MAX_US;
}

WPIN_STEADY wpin_status wpin_steady_fault(wpin_guard *guard,
                                          const WPIN_FAR wpin_guard_config *config,
                                          const wpin_measurement *m, uint8_t needs) {
    if ((needs & (uint8_t)~m->valid) != 0) {
        return WPIN_FAULT_SENSOR;
    }
    if ((needs & WPIN_HAS_CURRENT) != 0) {
        uint16_t trip = (uint16_t)config->current_trip; /* 0: none, and none was ever above it */
        if (trip != 0 && wpin_steady_size(m->current) <= trip) {
            guard->over_us = 0;
        } else if (trip != 0 && wpin_rare_over_current(guard, config, m->dt_us)) {
            return WPIN_FAULT_OVERCURRENT;
        }
    }
    if ((needs & WPIN_HAS_SUPPLY) != 0) {
        int16_t supply = m->supply, high = config->supply_high;
        if (supply > high && high != 0) {
            return WPIN_FAULT_SUPPLY_HIGH;
        }
        if (supply < config->supply_low) {
            return WPIN_FAULT_SUPPLY_LOW;
        }
    }
    if (config->on_time_max_us != 0 && wpin_rare_on_time(guard, config, m->dt_us)) {
        return WPIN_FAULT_ON_TIME;
    }
    return WPIN_OK;
}

/* Whether its current folds the effort back, or has: else the ceiling stays where it is. */
WPIN_STEADY bool wpin_steady_folds(const wpin_guard *guard,
                                   const WPIN_FAR wpin_guard_config *config,
                                   const wpin_measurement *m) {
    return guard->ceiling != (uint16_t)WPIN_DUTY_FULL ||
           wpin_steady_size(m->current) > (uint16_t)config->current_limit;
}

/* How far what is asked may go against cap, first move and current: not for on and off. */
WPIN_STEADY uint16_t wpin_steady_capped(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                        uint16_t target) {
    uint16_t cap = config->cap;
    if (target > cap) {
        guard->held |= WPIN_HELD_CAP;
        target = cap;
    }
    if ((guard->flags & WPIN_GUARD_FIRST) != 0) {
        target = wpin_rare_first(guard, config, target);
    }
    if (config->current_limit != 0 && target > guard->ceiling) {
        guard->held |= WPIN_HELD_CURRENT;
        target = guard->ceiling;
    }
    return target;
}

/* Whether a ramp is at work: the share of a time is no less than half of what its type holds, so
 * one byte tells. */
WPIN_STEADY bool wpin_ramp_runs(const wpin_ramp *ramp) {
    return (uint8_t)(ramp->share >> 8) != 0;
}

WPIN_STEADY void wpin_ramp_end(wpin_ramp *ramp) {
    ramp->left_us = 0;
    ramp->share = 0;
}

/* See wpin_slew_step. Nearer than an eighth of a duty step is there: a rate is rounded, an arrival
 * is not. */
WPIN_STEADY uint32_t wpin_steady_step(uint32_t value, uint32_t target, wpin_slew limit,
                                      uint16_t dt_us) {
    uint16_t high = (uint16_t)(limit >> 16);
    uint32_t move = wpin_steady_product((uint16_t)limit, dt_us) >> 8; /* of 2^-16 steps */
    if (high != 0) {
        uint32_t fast = wpin_steady_product(high, dt_us);
        if ((uint16_t)(fast >> 16) >= 64) { /* beyond the full scale */
            return target;
        }
        move += fast << 8;
    }
    if (target > value) {
        uint32_t left = target - value;
        return left <= move || left - move < 8192U ? target : value + move;
    }
    uint32_t left = value - target;
    return left <= move || left - move < 8192U ? target : value - move;
}

/* Whether a quick limit comes to a target at once, seen by its upper half alone: what a regulator
 * asks for mostly is. */
WPIN_STEADY bool wpin_steady_is_within(uint32_t value, uint16_t target, wpin_slew limit,
                                       uint16_t dt_us) {
    uint16_t now = (uint16_t)(value >> 16), left = target > now ? target - now : now - target;
    uint32_t move = wpin_steady_product((uint16_t)(limit >> 16), dt_us) >> 8;
    return left < move;
}

WPIN_STEADY void wpin_steady_slew(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                  uint16_t target, uint16_t hold_us) {
    uint32_t goal = (uint32_t)target << 16, value = guard->value;
    if (value == goal) {
        return;
    }
    wpin_slew limit = goal > value ? config->up : config->down;
    bool follows = (guard->flags & WPIN_GUARD_REGULATED) != 0 && config->regulated != 0;
    if (follows && wpin_steady_is_within(value, target, config->regulated, hold_us)) {
        value = goal;
    } else {
        value = wpin_steady_step(value, goal, follows ? config->regulated : limit, hold_us);
    }
    if (value != goal) {
        guard->held |= WPIN_HELD_SLEW;
    }
    if (config->current_limit != 0 && (uint16_t)(value >> 16) >= guard->ceiling) {
        value = (uint32_t)guard->ceiling << 16; /* current does not wait for the slew */
    }
    guard->value = value;
}

/* Not driven: after the first step without effort the pause begins. */
WPIN_STEADY void wpin_steady_rest(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                  const wpin_measurement *m, uint16_t target, uint16_t hold_us) {
    if ((guard->flags & WPIN_GUARD_DRIVEN) != 0) {
        guard->flags &= (uint8_t)~WPIN_GUARD_DRIVEN;
    } else if (guard->direction != 0 && target == 0) {
        wpin_rare_rest(guard, config, m, hold_us);
    }
}

/* Whether this effort is the first after a rest: wpin_steady_driven_on is due. */
WPIN_STEADY bool wpin_steady_starts(const wpin_guard *guard, wpin_duty effort) {
    return effort != 0 && (guard->flags & WPIN_GUARD_DRIVEN) == 0;
}

/* Driven from here on: the pause is still to come. */
WPIN_STEADY void wpin_steady_driven_on(wpin_guard *guard,
                                       const WPIN_FAR wpin_guard_config *config) {
    guard->pause_left_us = config->pause_us;
    guard->flags =
        (uint8_t)((guard->flags & (WPIN_GUARD_FIRST | WPIN_GUARD_REGULATED)) | WPIN_GUARD_DRIVEN |
                  (guard->direction < 0 ? WPIN_GUARD_LAST_REVERSE : WPIN_GUARD_LAST_FORWARD));
}

WPIN_STEADY wpin_duty wpin_steady_pass(wpin_guard *guard, const WPIN_FAR wpin_guard_config *config,
                                       wpin_duty effort, uint16_t floor, bool on_off, bool counts,
                                       uint8_t inputs, const wpin_measurement *m,
                                       uint16_t hold_us) {
    int8_t direction = 0;
    uint16_t target = 0;
    guard->held = 0;
    if (counts && guard->minimum_left_us != 0) {
        wpin_rare_minimum(guard, hold_us);
    }
    if (config->current_limit != 0 && wpin_steady_folds(guard, config, m)) {
        wpin_rare_ceiling(guard, config, m);
    }
    if (effort != 0) {
        direction = effort < 0 ? -1 : 1;
        target = wpin_steady_size(effort);
        if (!on_off) {
            target = wpin_steady_capped(guard, config, target);
        }
    }
    if (inputs != 0) {
        target = wpin_rare_limited(guard, config, target, effort, on_off, inputs);
    }
    if (direction != 0 && guard->direction != direction) {
        if (guard->direction == 0 && !on_off) {
            guard->direction = target != 0 ? direction : 0;
        } else {
            target = wpin_rare_turned(guard, target, direction, on_off);
        }
    }
    if (on_off) {
        wpin_rare_switch(guard, config, target != 0);
    } else {
        wpin_steady_slew(guard, config, target, hold_us);
    }
    uint16_t output = (uint16_t)(guard->value >> 16);
    if (output < floor && target != 0) {
        output = wpin_steady_capped(guard, config, floor);
    }
    if (output == 0) {
        wpin_steady_rest(guard, config, m, target, hold_us);
        return 0;
    }
    return (wpin_duty)(guard->direction < 0 ? 0U - output : output);
}

#ifdef __cplusplus
}
#endif
#endif
