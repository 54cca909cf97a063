/** @file steady_loop.h
 * Not for direct use: what a motor in closed loop does in every tick; see steady.h.
 * src/core/motor_loop.c is made of the same source.
 */
#ifndef WINDPIN_IMPL_STEADY_LOOP_H
#define WINDPIN_IMPL_STEADY_LOOP_H

#include "../api.h"
#include "steady_guard.h"
#include "steady_stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What became of the last output. */
WPIN_STEADY wpin_given wpin_steady_given(const wpin_motor *motor,
                                         const WPIN_FAR wpin_motor_config *config) {
    wpin_given given;
    given.effort = config->actuator == &wpin_stage_actuator
                       ? wpin_steady_shown((const wpin_stage *)config->part)
                       : config->actuator->shown(config->part);
    given.held = motor->guard.held;
    return given;
}

/* Follows the regulators from a quantity to one that the actuator takes: each gives a smaller one.
 * Which it came to. */
WPIN_STEADY uint8_t wpin_steady_follow(const wpin_motor *motor,
                                       const WPIN_FAR wpin_motor_config *config, uint8_t quantity,
                                       int32_t *value) {
    uint8_t count = config->regulator_count, takes = config->actuator->takes;
    wpin_given given = wpin_steady_given(motor, config);
    for (uint8_t i = 0; i < count && (takes & WPIN_TAKES(quantity)) == 0; i++) {
        for (uint8_t k = 0; k < count; k++) {
            const WPIN_FAR wpin_regulator *r = &config->regulators[k];
            if (r->takes == quantity) {
                *value = r->step(r->state, r->config, *value, &motor->measurement, &given);
                quantity = r->gives;
                break;
            }
        }
    }
    return quantity;
}

WPIN_STEADY wpin_duty wpin_steady_saturated(int32_t effort) {
    int32_t full = WPIN_DUTY_FULL;
    return (wpin_duty)(effort > full ? full : (effort < -full ? -full : effort));
}

/* Whether set-points of a quantity go on a ramp. */
WPIN_STEADY bool wpin_steady_ramps(uint8_t quantity) {
    return quantity == WPIN_QUANTITY_SPEED || quantity == WPIN_QUANTITY_TORQUE;
}

/* The effort of a speed whose ramp is over; of all else the loop knows more. */
WPIN_STEADY wpin_duty wpin_steady_regulated(wpin_motor *motor,
                                            const WPIN_FAR wpin_motor_config *config,
                                            uint16_t ramp_us) {
    const wpin_loop_state *state = config->loop_state;
    int16_t now = state->asked_now;
    bool there = motor->setpoint.quantity == WPIN_QUANTITY_SPEED && now != 0 &&
                 now == (int16_t)motor->setpoint.value && !wpin_ramp_runs(&motor->ramp) &&
                 state->asked_part == 0;
    if (!there) {
        return config->loop->effort(motor, ramp_us);
    }
    int32_t value = now;
    wpin_steady_follow(motor, config, WPIN_QUANTITY_SPEED, &value);
    return wpin_steady_saturated(value);
}

/* Every one is asked: some keep account of each tick. */
WPIN_STEADY wpin_status wpin_steady_watch(const wpin_motor *motor,
                                          const WPIN_FAR wpin_motor_config *config) {
    const wpin_loop_state *state = config->loop_state;
    bool ramps = wpin_steady_ramps(motor->setpoint.quantity) &&
                 (motor->guard.flags & WPIN_GUARD_REGULATED) != 0;
    wpin_given given = wpin_steady_given(motor, config);
    wpin_watched w;
    w.measurement = &motor->measurement;
    w.quantity = motor->setpoint.quantity;
    w.setpoint = ramps ? state->asked_now : motor->setpoint.value;
    w.effort = given.effort;
    w.held = given.held;
    wpin_status first = WPIN_OK;
    for (uint8_t i = 0; i < config->protection_count; i++) {
        const WPIN_FAR wpin_protection *p = &config->protections[i];
        wpin_status fault = p->check(p->state, p->config, &w);
        first = first == WPIN_OK ? fault : first;
    }
    return first;
}

#ifdef __cplusplus
}
#endif
#endif
