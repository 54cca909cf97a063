/** @file steady_loop.h
 * Not for direct use: what a motor in closed loop does in every tick; see steady.h.
 * src/core/motor_loop.c is made of the same source.
 */
#ifndef WINDPIN_IMPL_STEADY_LOOP_H
#define WINDPIN_IMPL_STEADY_LOOP_H

#include "../api.h"
#include "steady_guard.h"
#include "steady_speed.h"
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

/* Each of the up to three regulators by itself, so that what is constant about them folds: a loop
 * over a list does not. Whether the one of that number takes a quantity. */
WPIN_STEADY bool wpin_steady_takes(const WPIN_FAR wpin_motor_config *config, uint8_t number,
                                   uint8_t quantity) {
    return number < config->regulator_count && config->regulators[number].takes == quantity;
}

WPIN_STEADY bool wpin_steady_regulates(const WPIN_FAR wpin_motor_config *config, uint8_t quantity) {
    return wpin_steady_takes(config, 0, quantity) || wpin_steady_takes(config, 1, quantity) ||
           wpin_steady_takes(config, 2, quantity);
}

/* Whether a speed is all that is ever regulated. */
WPIN_STEADY bool wpin_steady_speeds_alone(const WPIN_FAR wpin_motor_config *config) {
    return config->actuator->takes == WPIN_TAKES(WPIN_QUANTITY_EFFORT) &&
           !wpin_steady_regulates(config, WPIN_QUANTITY_POSITION) &&
           !wpin_steady_regulates(config, WPIN_QUANTITY_TORQUE);
}

/* The regulator that turns speed into effort; NULL: there is none but others. */
WPIN_STEADY const WPIN_FAR wpin_regulator *
wpin_steady_speed_regulator(const WPIN_FAR wpin_motor_config *config) {
    const uint8_t speed = WPIN_QUANTITY_SPEED;
    uint8_t number = wpin_steady_takes(config, 0, speed)   ? 0
                     : wpin_steady_takes(config, 1, speed) ? 1
                                                           : 2;
    bool ours = wpin_steady_takes(config, number, speed) &&
                config->regulators[number].step == wpin_speed_step;
    return ours ? &config->regulators[number] : NULL;
}

/* The effort of a speed, by the library's own regulator; of all else the loop knows more. */
WPIN_STEADY wpin_duty wpin_steady_regulated(wpin_motor *motor,
                                            const WPIN_FAR wpin_motor_config *config,
                                            uint16_t ramp_us, uint8_t inputs) {
    const WPIN_FAR wpin_regulator *speed = wpin_steady_speed_regulator(config);
    bool known = config->loop->regulates && speed != NULL;
    if (!known || (inputs & WPIN_STARTING) != 0 ||
        (!wpin_steady_speeds_alone(config) && motor->setpoint.quantity != WPIN_QUANTITY_SPEED)) {
        return config->loop->effort(motor, ramp_us);
    }
    const wpin_loop_state *state = config->loop_state;
    bool there = state->asked_now != 0 && state->asked_now == (int16_t)motor->setpoint.value &&
                 !wpin_ramp_runs(&motor->ramp) && state->asked_part == 0;
    if (!there && config->loop->rests(motor, ramp_us)) {
        return 0;
    }
    wpin_given given = wpin_steady_given(motor, config);
    return wpin_steady_speed((wpin_speed *)speed->state,
                             (const WPIN_FAR wpin_speed_config *)speed->config, state->asked_now,
                             &motor->measurement, &given);
}

/* ---- whether it has come there ---- */

/* How near is there. */
WPIN_STEADY uint16_t wpin_steady_near(const WPIN_FAR wpin_motor_config *config) {
    return config->at_speed != 0 ? config->at_speed : 164;
}

/* What counts as far at the most. */
WPIN_STEADY int16_t wpin_steady_far(const WPIN_FAR wpin_motor_config *config) {
    uint16_t near = wpin_steady_near(config);
    return (int16_t)(4U * (near < 4096U ? near : 4096U));
}

/* Whether the mean of how far a speed is off, x 256, over some 64 ticks (so that neither an
 * overshoot nor a coarse encoder decides), is small enough. While it comes from afar it stays far:
 * its mean goes down once it has been at its set-point. */
WPIN_STEADY bool wpin_steady_comes_near(wpin_loop_state *state,
                                        const WPIN_FAR wpin_motor_config *config, int16_t off) {
    int16_t far = wpin_steady_far(config);
    uint32_t mean = (uint32_t)state->speed_off, most = (uint32_t)far * 256U;
    uint32_t near = wpin_steady_near(config) * (uint32_t)256;
    off = off > far ? far : (off < -far ? (int16_t)-far : off);
    if (mean + most > 2U * most) {
        mean = (mean >> 31) != 0 ? 0U - most : most;
    } else {
        mean -= (uint32_t)wpin_halved((int32_t)(mean << 2), 8); /* a 64th of it */
    }
    mean += (uint32_t)(off * (int32_t)4);
    state->speed_off = (int32_t)mean;
    return mean + near <= 2U * near;
}

WPIN_STEADY void wpin_steady_settle_speed(wpin_motor *motor,
                                          const WPIN_FAR wpin_motor_config *config) {
    int16_t off = wpin_steady_minus((int16_t)motor->setpoint.value, motor->measurement.speed);
    if ((motor->measurement.valid & WPIN_HAS_SPEED) != 0 &&
        !wpin_steady_comes_near(config->loop_state, config, off)) {
        config->loop->far(motor, off);
    }
}

WPIN_STEADY void wpin_steady_settle(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                                    bool folded) {
    if (folded && config->loop->regulates &&
        (motor->setpoint.quantity == WPIN_QUANTITY_SPEED || wpin_steady_speeds_alone(config))) {
        wpin_steady_settle_speed(motor, config);
    } else {
        config->loop->settle(motor);
    }
}

/* ---- protections ---- */

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
