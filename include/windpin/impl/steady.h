/** @file steady.h
 * Not for direct use: what a tick does every time, as inline functions, so that windpin/fast.h can
 * fold one motor's constants into it. src/core/motor_tick.c is made of the same source. What runs
 * only when something changes is called out of line (the functions marked rare).
 */
#ifndef WINDPIN_IMPL_STEADY_H
#define WINDPIN_IMPL_STEADY_H

#include "../api.h"
#include "../encoder.h"
#include "known.h"
#include "steady_counting.h"
#include "steady_guard.h"
#include "steady_loop.h"
#include "steady_stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** @name wpin_motor.armed: armed since the last tick, and armed
 * @{ */
#define WPIN_DISARMED 0
#define WPIN_ARMED    1
#define WPIN_ARMING   2
/** @} */

/** @name wpin_motor.flags
 * @{ */
#define WPIN_WANTS      ((uint8_t)1) /**< It has a set-point to go to. */
#define WPIN_CALIBRATES ((uint8_t)2)
#define WPIN_CARRIES    ((uint8_t)4) /**< Held up since its kick until the ramp has come that far. */
#define WPIN_OWN_RULES  ((uint8_t)8)   /**< The actuator itself goes to the place asked for. */
#define WPIN_MOVES      ((uint8_t)16)  /**< Such an actuator has not come to rest. */
#define WPIN_MOVED      ((uint8_t)32)  /**< It has moved since it last came to rest. */
#define WPIN_BENDS      ((uint8_t)64)  /**< Its ramp is S-shaped. */
#define WPIN_BRAKES     ((uint8_t)128) /**< At zero it brakes for now. */
/** @} */

/** @name wpin_motor.senses, beside the WPIN_HAS bits of current and supply
 * @{ */
#define WPIN_SENSES_PLACE  ((uint8_t)8) /**< It can be told where it is. */
#define WPIN_SENSES_LIMITS ((uint8_t)16)
#define WPIN_SENSES_MORE   ((uint8_t)32)
#define WPIN_SENSES_POLL   ((uint8_t)64)
#define WPIN_SENSES_WATCH  ((uint8_t)128) /**< Protections look at what was measured. */
#define WPIN_SENSES_GUARD  ((uint8_t)(WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY | WPIN_HAS_SPEED))
/** @} */

/** @name wpin_motor.shown, beside the state
 * @{ */
#define WPIN_SHOWN_STATE ((uint8_t)15)
#define WPIN_SHOWN_BUSY  ((uint8_t)64)
#define WPIN_SHOWN_KICKS ((uint8_t)128)
/** @} */

/** wpin_countdown.us: it does not run out. */
#define WPIN_NEVER UINT16_MAX

/* ---- what runs when something changes: src/core/motor_*.c ---- */
WPIN_API void wpin_rare_read_more(wpin_motor *motor);
WPIN_API void wpin_rare_unarmed(wpin_motor *motor);
WPIN_API void wpin_rare_latch(wpin_motor *motor, wpin_status cause);
WPIN_API void wpin_rare_failure(wpin_motor *motor, wpin_status status);
WPIN_API void wpin_rare_time_out(wpin_motor *motor);
WPIN_API uint8_t wpin_rare_whole_ms(uint16_t us);
WPIN_API uint16_t wpin_rare_take(wpin_motor *motor);
WPIN_API bool wpin_rare_clock_stands(const wpin_motor *motor);
WPIN_API wpin_status wpin_rare_poll(wpin_motor *motor);
WPIN_API wpin_status wpin_rare_drive(wpin_motor *motor);
WPIN_API wpin_duty wpin_rare_effort(wpin_motor *motor, uint16_t ramp_us);
WPIN_API wpin_duty wpin_rare_ramped(wpin_motor *motor, uint16_t ramp_us);
WPIN_API uint16_t wpin_rare_kick(wpin_motor *motor, wpin_duty effort, uint16_t hold_us);
WPIN_API void wpin_rare_limit(wpin_motor *motor);
WPIN_API void wpin_rare_start(wpin_motor *motor);
WPIN_API void wpin_rare_moved(wpin_motor *motor);
WPIN_API uint8_t wpin_rare_standing(const wpin_motor *motor);

/* ---- measuring ---- */

/* What the tick has to look at, so that it need not ask the configuration. */
WPIN_STEADY uint8_t wpin_senses_of(const WPIN_FAR wpin_motor_config *config) {
    const WPIN_FAR wpin_sense_config *sense = &config->sense;
    bool limits = sense->limit_forward.used || sense->limit_reverse.used;
    return (uint8_t)(sense->reads | (limits ? WPIN_SENSES_LIMITS : 0) |
                     (sense->more != NULL ? WPIN_SENSES_MORE : 0) |
                     (sense->place != NULL ? WPIN_SENSES_PLACE : 0) |
                     (config->protection_count != 0 ? WPIN_SENSES_WATCH : 0) |
                     (config->actuator->poll != NULL ? WPIN_SENSES_POLL : 0));
}

WPIN_STEADY uint8_t wpin_senses(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    return wpin_senses_of(wpin_config_of(motor));
#else
    return motor->senses;
#endif
}

WPIN_STEADY void wpin_steady_clock(wpin_motor *motor, const wpin_port *port) {
    wpin_measurement *m = &motor->measurement;
    wpin_moment now = port->now(port->context);
    uint32_t us = now - m->at;
    uint16_t dt_us = (uint16_t)us;
    if ((uint16_t)(us >> 16) != 0) { /* long, or it ran back */
        dt_us = us > WPIN_SPAN_MAX ? 0 : UINT16_MAX;
    }
    m->at = now;
    m->dt_us = dt_us;
    if (dt_us != 0) {
        motor->stood = 0;
    } else if (motor->stood < UINT8_MAX) {
        motor->stood++;
    }
}

/* What `more` is told besides: which way it was driven last. */
WPIN_STEADY uint8_t wpin_steady_driven(const wpin_motor *motor) {
    return (motor->guard.flags & WPIN_GUARD_LAST_REVERSE) != 0 ? WPIN_DRIVEN_REVERSE : 0;
}

/* Current and supply. */
WPIN_STEADY void wpin_steady_read(wpin_measurement *m, const WPIN_FAR wpin_sense_config *sense,
                                  const wpin_port *port, uint8_t senses) {
    uint8_t valid = 0;
    if ((senses & WPIN_HAS_CURRENT) != 0) {
        int16_t mv = port->millivolts(port->context, sense->current_input);
        if (mv != WPIN_NO_READING) {
            valid = WPIN_HAS_CURRENT;
            int16_t zero = sense->current_zero_mv;
            m->current = zero == 0 ? mv : wpin_steady_minus(mv, zero);
        }
    }
    if ((senses & WPIN_HAS_SUPPLY) != 0) {
        int16_t mv = port->millivolts(port->context, sense->supply_input);
        if (mv != WPIN_NO_READING) {
            valid |= WPIN_HAS_SUPPLY;
            m->supply = mv;
        }
    }
    m->valid = valid;
}

WPIN_STEADY void wpin_steady_measure(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                                     const wpin_port *port, uint8_t senses, bool folded) {
    const WPIN_FAR wpin_sense_config *sense = &config->sense;
    wpin_measurement *m = &motor->measurement;
    wpin_steady_clock(motor, port);
    wpin_steady_read(m, sense, port, senses);
    bool only_more = folded && (senses & WPIN_SENSES_LIMITS) == 0 && config->travel == NULL;
    if (only_more && sense->more != NULL) {
        m->inputs = wpin_steady_driven(motor);
        if (sense->more == wpin_counting_measure) { /* the cheapest needs no detour */
            const wpin_counting *c = (const wpin_counting *)sense->context;
            wpin_steady_counting((wpin_counting *)sense->context, wpin_counting_config_of(c),
                                 wpin_counting_port_of(c), m);
        } else {
            sense->more(sense->context, m);
        }
    } else if ((senses & (WPIN_SENSES_LIMITS | WPIN_SENSES_MORE)) != 0) {
        wpin_rare_read_more(motor);
    }
}

/* ---- the motor ---- */

WPIN_STEADY wpin_drive wpin_rest_drive(const wpin_motor *motor) {
    return (motor->flags & WPIN_BRAKES) != 0 ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST;
}

WPIN_STEADY wpin_status wpin_steady_put(const wpin_motor *motor,
                                        const WPIN_FAR wpin_motor_config *config,
                                        const wpin_port *port, wpin_duty effort) {
    bool rests = effort == 0;
    if (config->actuator == &wpin_stage_actuator) { /* the usual one needs no detour */
        wpin_drive drive =
            rests ? wpin_rest_drive(motor) : (effort < 0 ? WPIN_DRIVE_REVERSE : WPIN_DRIVE_FORWARD);
        return wpin_steady_apply((wpin_stage *)config->part, port, drive, wpin_steady_size(effort));
    }
    uint8_t effort_only = WPIN_QUANTITY_EFFORT; /* C++ mixes no enumeration with a number */
    uint8_t asked = motor->setpoint.quantity;
    uint8_t quantity = (config->actuator->takes & WPIN_TAKES(asked)) != 0 ? asked : effort_only;
    return rests ? config->actuator->idle(config->part, wpin_rest_drive(motor))
                 : config->actuator->put(config->part, quantity, effort);
}

/* Whether anything that is measured may end a motion: the library's own sensors of a shaft do not.
 */
WPIN_STEADY bool wpin_may_limit(const WPIN_FAR wpin_motor_config *config, uint8_t senses) {
    bool shaft =
        config->sense.more == wpin_counting_measure || config->sense.more == wpin_encoder_measure;
    return (senses & (WPIN_SENSES_LIMITS | WPIN_SENSES_POLL)) != 0 || config->travel != NULL ||
           ((senses & WPIN_SENSES_MORE) != 0 && !shaft);
}

/* Whether it may have rules of its own, or calibrate another controller's range. */
WPIN_STEADY bool wpin_may_go_own_way(const wpin_motor *motor,
                                     const WPIN_FAR wpin_motor_config *config) {
    return config->actuator->takes != WPIN_TAKES(WPIN_QUANTITY_EFFORT) ||
           (wpin_traits_of(motor) & WPIN_IS_PULSE) != 0;
}

WPIN_STEADY wpin_status wpin_steady_drive(wpin_motor *motor,
                                          const WPIN_FAR wpin_motor_config *config,
                                          const wpin_port *port, uint8_t senses, uint16_t hold_us,
                                          uint16_t ramp_us, bool folded) {
    if ((motor->flags & (WPIN_OWN_RULES | WPIN_CALIBRATES)) != 0 &&
        wpin_may_go_own_way(motor, config)) {
        return wpin_rare_drive(motor);
    }
    bool on_off = (wpin_traits_of(motor) & WPIN_IS_ON_OFF) != 0,
         kicks = config->start.kick_duty != 0;
    wpin_duty effort = (wpin_duty)motor->setpoint.value; /* it was checked when posted */
    uint8_t inputs = folded && !wpin_may_limit(config, senses) ? 0 : motor->measurement.inputs;
    if (folded && config->loop != NULL && motor->setpoint.quantity != WPIN_QUANTITY_EFFORT) {
        effort = wpin_steady_regulated(motor, config, ramp_us, inputs);
    } else if ((!on_off && wpin_ramp_runs(&motor->ramp)) ||
               (motor->setpoint.quantity != WPIN_QUANTITY_EFFORT &&
                (!folded || config->loop == NULL))) {
        effort = folded ? wpin_rare_ramped(motor, ramp_us) : wpin_rare_effort(motor, ramp_us);
    }
    uint16_t floor = kicks && !on_off ? wpin_rare_kick(motor, effort, hold_us) : 0;
    effort = wpin_steady_pass(&motor->guard, &config->guard, effort, floor, on_off, kicks || on_off,
                              inputs, &motor->measurement, hold_us);
    if ((motor->guard.held & WPIN_HELD_LIMIT) != 0) {
        wpin_rare_limit(motor);
    }
    if (config->loop != NULL && (motor->guard.flags & WPIN_GUARD_REGULATED) != 0) {
        wpin_steady_settle(motor, config, folded);
    }
    if (wpin_steady_starts(&motor->guard, effort)) {
        wpin_rare_start(motor);
    }
    return wpin_steady_put(motor, config, port, effort);
}

/* What it is doing, for everybody. */
WPIN_STEADY void wpin_steady_publish(wpin_motor *motor) {
    uint8_t flags = motor->flags, held = motor->guard.held;
    bool wants = (flags & (WPIN_WANTS | WPIN_CALIBRATES)) != 0;
    bool driven = (motor->guard.flags & WPIN_GUARD_DRIVEN) != 0;
    bool on_off = (wpin_traits_of(motor) & WPIN_IS_ON_OFF) != 0;
    if (wpin_may_be_regulated(motor) && driven && motor->armed != WPIN_DISARMED &&
        (flags & (uint8_t) ~(WPIN_BENDS | WPIN_BRAKES)) == (WPIN_WANTS | WPIN_MOVED)) {
        bool comes = (held & WPIN_HELD_ON_THE_WAY) != 0 ||
                     (!on_off && wpin_ramp_runs(&motor->ramp)); /* the usual, by the shortest way */
        motor->shown = WPIN_SHOWN_BUSY | (comes ? WPIN_STATE_RAMPING : WPIN_STATE_RUNNING);
        return;
    }
    bool moves = driven || (flags & WPIN_MOVES) != 0;
    if (moves && (flags & WPIN_MOVED) == 0) {
        motor->flags = (uint8_t)(flags | WPIN_MOVED);
    } else if (!moves && !wants && (flags & WPIN_MOVED) != 0) {
        wpin_rare_moved(motor);
    }
    uint8_t shown = wants || moves || motor->guard.value != 0 ? WPIN_SHOWN_BUSY : 0;
    bool waits = !moves && (held & (WPIN_HELD_REVERSAL | WPIN_HELD_MINIMUM)) != 0;
    if ((!moves && !wants) || waits || motor->armed == WPIN_DISARMED) {
        bool ready = motor->guard.direction == 0 && (flags & WPIN_BRAKES) == 0 &&
                     motor->armed != WPIN_DISARMED && motor->fault == WPIN_OK;
        uint8_t state = WPIN_STATE_READY;
        if (!ready) {
            state = wpin_rare_standing(motor);
        }
        motor->shown = (uint8_t)(shown | state);
        return;
    }
    bool kicks = (flags & WPIN_CARRIES) != 0 && motor->guard.minimum_left_us != 0;
    bool own = (flags & WPIN_OWN_RULES) != 0;
    bool there = own ? motor->measurement.speed != 0
                     : driven && (held & WPIN_HELD_ON_THE_WAY) == 0 && (flags & WPIN_WANTS) != 0 &&
                           !kicks && (on_off || !wpin_ramp_runs(&motor->ramp));
    shown = (uint8_t)(shown | (there ? WPIN_STATE_RUNNING : WPIN_STATE_RAMPING));
    motor->shown = (uint8_t)(shown | (kicks ? WPIN_SHOWN_KICKS : 0));
}

/* Takes ms and us, less than 1000 of these, off a time that runs out; true once nothing is left. */
WPIN_STEADY bool wpin_steady_count_off(wpin_countdown *c, uint32_t ms, uint16_t us) {
    uint16_t rest = c->us;
    if (rest < us) {
        rest = (uint16_t)(rest + 1000U);
        ms++;
    }
    if (ms > c->ms) {
        c->ms = 0;
        c->us = 0;
        return true;
    }
    rest = (uint16_t)(rest - us);
    c->us = rest;
    c->ms -= ms;
    return rest == 0 && c->ms == 0;
}

/* The same for the time of a tick: mostly it is about a millisecond. */
WPIN_STEADY bool wpin_steady_count_down(wpin_countdown *c, uint16_t us) {
    uint8_t ms = 0;
    if (us >= 2000) {
        ms = wpin_rare_whole_ms(us);
        us = (uint16_t)(us - ms * 1000U);
    } else if (us >= 1000) {
        ms = 1;
        us = (uint16_t)(us - 1000U);
    }
    return wpin_steady_count_off(c, ms, us);
}

/* What trips while it is armed. */
WPIN_STEADY wpin_status wpin_steady_check(wpin_motor *motor,
                                          const WPIN_FAR wpin_motor_config *config, uint8_t senses,
                                          bool late, bool folded) {
    if (late) {
        return WPIN_FAULT_LATE;
    }
    if (motor->stood != 0 && wpin_rare_clock_stands(motor)) {
        return WPIN_FAULT_CLOCK;
    }
    wpin_status fault = wpin_steady_fault(&motor->guard, &config->guard, &motor->measurement,
                                          senses & WPIN_SENSES_GUARD);
    if (fault == WPIN_OK && (senses & WPIN_SENSES_WATCH) != 0) {
        fault = folded ? wpin_steady_watch(motor, config) : config->loop->watch(motor);
    }
    return fault;
}

/* One control period of an open motor; whether the watchdog may be told that all is well. Folded:
 * all of its configuration is known to the compiler. */
WPIN_STEADY bool wpin_steady_tick(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                                  const wpin_port *port, uint8_t senses, bool folded) {
    wpin_steady_measure(motor, config, port, senses, folded);
    bool well = (senses & WPIN_SENSES_POLL) == 0 || wpin_rare_poll(motor) == WPIN_OK;
    uint16_t hold_us = motor->measurement.dt_us, most = wpin_tick_max(&config->guard);
    bool late = hold_us > most;
    if (motor->armed != WPIN_ARMED || motor->tripped != WPIN_OK) { /* a fault disarmed it */
        wpin_rare_unarmed(motor);
    } else {
        wpin_status cause = wpin_steady_check(motor, config, senses, late, folded);
        if (cause != WPIN_OK) {
            wpin_rare_latch(motor, cause);
        }
    }
    if ((motor->flags & (WPIN_WANTS | WPIN_CALIBRATES)) != 0 && motor->timeout.us != WPIN_NEVER &&
        wpin_steady_count_down(&motor->timeout, hold_us)) {
        wpin_rare_time_out(motor);
    }
    if (late) {
        hold_us = most;
    }
    uint16_t ramp_us = hold_us;
    if (motor->mailed != 0) {
        uint16_t age_us = wpin_rare_take(motor);
        ramp_us = age_us < hold_us ? age_us : hold_us;
    }
    wpin_status status = wpin_steady_drive(motor, config, port, senses, hold_us, ramp_us, folded);
    if (status != WPIN_OK) {
        wpin_rare_failure(motor, status);
    }
    wpin_steady_publish(motor);
    return well && !late && status == WPIN_OK && motor->stood < 3;
}

#ifdef __cplusplus
}
#endif
#endif
