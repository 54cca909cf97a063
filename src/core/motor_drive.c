/* From the set-point of a motor to its effort, and to what drives it. */
#include "motor_core.h"

#define FULL ((uint32_t)WPIN_DUTY_FULL)

/* ---- from set-point to effort ---- */

/* On the ramp, which begins once the motor may turn that way. */
WPIN_RARE wpin_duty wpin_rare_ramped(wpin_motor *motor, uint16_t ramp_us) {
    wpin_duty target = (wpin_duty)motor->setpoint.value;
    int8_t direction = target < 0 ? -1 : 1, now = motor->guard.direction;
    if (target != 0 && now != 0 && now != direction) {
        return target; /* the guard holds it until then */
    }
    bool bends = wpin_config_of(motor)->start.smooth && (motor->flags & WPIN_BENDS) != 0;
    return wpin_ramp_step(&motor->ramp, target, bends, ramp_us);
}

WPIN_RARE wpin_duty wpin_rare_effort(wpin_motor *motor, uint16_t ramp_us) {
    return motor->setpoint.quantity != WPIN_QUANTITY_EFFORT && wpin_config_of(motor)->loop != NULL
               ? wpin_config_of(motor)->loop->effort(motor, ramp_us)
               : wpin_rare_ramped(motor, ramp_us);
}

/* From rest at least the kick's effort for its time. Then at least the drop-out effort until the
 * ramp has come that far, or the shaft would stop again while the ramp is still low. */
WPIN_RARE uint16_t wpin_rare_kick(wpin_motor *motor, wpin_duty effort, uint16_t hold_us) {
    const WPIN_FAR wpin_start_config *start = &wpin_config_of(motor)->start;
    wpin_guard *guard = &motor->guard;
    int8_t direction = wpin_sign_of(effort);
    const wpin_measurement *m = &motor->measurement;
    bool turns = (m->valid & WPIN_HAS_SPEED) != 0 &&
                 wpin_steady_size(m->speed) > wpin_config_of(motor)->guard.standstill;
    bool stands = (guard->flags & WPIN_GUARD_DRIVEN) == 0 && !turns;
    if (stands && direction != 0 && (guard->direction == 0 || guard->direction == direction)) {
        wpin_motor_set(motor, WPIN_CARRIES);
        motor->kick_end = 0;
        guard->minimum_left_us = start->kick_us + hold_us; /* this step comes off it */
    }
    if ((motor->flags & WPIN_CARRIES) == 0) {
        return 0;
    }
    if (motor->kick_end != 0 || turns) {
        guard->minimum_left_us = 0;
    }
    uint32_t target = wpin_magnitude(motor->setpoint.value);
    if (guard->minimum_left_us > hold_us && target != 0) {
        return start->kick_duty;
    }
    if ((guard->flags & WPIN_GUARD_REGULATED) != 0) { /* its regulator carries on by itself */
        wpin_motor_clear(motor, WPIN_CARRIES);
        return 0;
    }
    uint16_t floor = wpin_lower(start->drop_out_duty, (uint16_t)(target < FULL ? target : FULL));
    if ((uint16_t)(guard->value >> 16) >= floor) {
        wpin_motor_clear(motor, WPIN_CARRIES);
    }
    return floor;
}

/* ---- to the actuator ---- */

/* Full forward past ramp and cap, so that another controller sees the end of its range. */
static wpin_status show_full(wpin_motor *motor) {
    motor->guard.direction = 1; /* it may turn: what follows rests first */
    motor->guard.flags |= WPIN_GUARD_DRIVEN;
    motor->guard.pause_left_us = wpin_config_of(motor)->guard.pause_us;
    return wpin_config_of(motor)->actuator->put(wpin_config_of(motor)->part, WPIN_QUANTITY_EFFORT,
                                                WPIN_DUTY_FULL);
}

/* Whether a limit switch stands in the way of a set-point that the actuator takes itself. */
static bool limit_in_way(const wpin_motor *motor) {
    const wpin_measurement *m = &motor->measurement;
    int32_t to = motor->setpoint.value;
    if (wpin_finds_home(motor->setpoint.quantity, to)) {
        return false; /* a limit switch may be what it looks for */
    }
    int32_t from = motor->setpoint.quantity == WPIN_QUANTITY_POSITION ? m->position : 0;
    return (to > from && (m->inputs & WPIN_AT_FORWARD_LIMIT) != 0) ||
           (to < from && (m->inputs & WPIN_AT_REVERSE_LIMIT) != 0);
}

static wpin_status let_stand(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    if (config->actuator->stop == NULL || config->actuator->stop(config->part)) {
        wpin_motor_clear(motor, WPIN_MOVES);
        motor->guard.value = 0;
        wpin_motor_choose_rules(motor, WPIN_QUANTITY_EFFORT);
    }
    bool as_usual = wpin_rest_drive(motor) == (wpin_drive)config->rest_drive;
    return as_usual && motor->armed != WPIN_DISARMED ? WPIN_OK : wpin_motor_idle(motor);
}

/* An actuator that takes position or speed ramps by itself; here it is only let go there, or not.
 */
static wpin_status drive_own(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    const wpin_measurement *m = &motor->measurement;
    if ((motor->flags & WPIN_WANTS) != 0 && limit_in_way(motor)) {
        wpin_motor_want_nothing(motor);
        motor->ended = WPIN_ENDED_LIMIT;
    }
    wpin_motor_set(motor, WPIN_MOVES);
    motor->guard.value = 1; /* on, for the on-time */
    if ((motor->flags & WPIN_WANTS) == 0) {
        return let_stand(motor);
    }
    if (m->speed != 0) {
        motor->guard.flags =
            (uint8_t)((motor->guard.flags & WPIN_GUARD_FIRST) |
                      (m->speed < 0 ? WPIN_GUARD_LAST_REVERSE : WPIN_GUARD_LAST_FORWARD));
    }
    wpin_setpoint s = motor->setpoint;
    if (config->loop != NULL) {
        s.quantity = config->loop->follow(motor, s.quantity, &s.value);
    }
    wpin_status status = config->actuator->put(config->part, s.quantity, s.value);
    if (wpin_finds_home(motor->setpoint.quantity, motor->setpoint.value)) {
        if (config->actuator->homed != NULL && config->actuator->homed(config->part)) {
            motor->homed = 1;
            wpin_motor_want_nothing(motor);
        }
    } else if (motor->setpoint.quantity == WPIN_QUANTITY_POSITION &&
               m->position == motor->setpoint.value && m->speed == 0) {
        wpin_motor_want_nothing(motor); /* it stands where it should */
    }
    return status;
}

WPIN_RARE wpin_status wpin_rare_drive(wpin_motor *motor) {
    const uint8_t place = WPIN_TAKES(WPIN_QUANTITY_POSITION);
    bool can = (wpin_config_of(motor)->actuator->takes & place) != 0;
    return can && (motor->flags & WPIN_OWN_RULES) != 0 ? drive_own(motor) : show_full(motor);
}
