/* What a motor is asked for, how that ends, and what it shows. */
#include "motor_core.h"

/* ---- what is asked ---- */

void wpin_motor_ask(wpin_motor *motor, uint8_t quantity, int32_t value) {
    motor->setpoint.quantity = quantity;
    motor->setpoint.value = value;
    if (wpin_config_of(motor)->loop == NULL) {
        return; /* nothing is regulated */
    }
    uint8_t others = motor->guard.flags & (uint8_t)~WPIN_GUARD_REGULATED;
    uint8_t regulated = wpin_motor_regulates(motor, quantity) ? WPIN_GUARD_REGULATED : 0;
    motor->guard.flags = (uint8_t)(others | regulated);
}

void wpin_motor_want_nothing(wpin_motor *motor) {
    wpin_motor_ask(motor, WPIN_QUANTITY_EFFORT, 0);
    wpin_motor_clear(motor, WPIN_WANTS | WPIN_CALIBRATES);
}

void wpin_motor_end_ramp(wpin_motor *motor) {
    if (!wpin_motor_is_on_off(motor)) {
        wpin_ramp_end(&motor->ramp);
    }
}

/* What it shows at zero from here on. */
void wpin_motor_rest_with(wpin_motor *motor, uint8_t drive) {
    wpin_motor_clear(motor, WPIN_BRAKES);
    wpin_motor_set(motor, drive == WPIN_DRIVE_BRAKE ? WPIN_BRAKES : 0);
}

/* To zero at once, and shows a rest state. The next start begins at zero. */
WPIN_RARE void wpin_motor_drop(wpin_motor *motor, uint8_t drive) {
    wpin_motor_want_nothing(motor);
    wpin_motor_clear(motor, WPIN_CARRIES);
    wpin_motor_end_ramp(motor);
    wpin_motor_rest_with(motor, drive);
    wpin_guard_drop(&motor->guard, &wpin_config_of(motor)->guard, wpin_motor_is_on_off(motor));
}

/* What takes speeds too is left alone with a place only. */
void wpin_motor_choose_rules(wpin_motor *motor, uint8_t quantity) {
    uint8_t takes = wpin_config_of(motor)->actuator->takes,
            place = WPIN_TAKES(WPIN_QUANTITY_POSITION);
    if ((takes & place) != 0 && takes != place) {
        bool own = quantity == WPIN_QUANTITY_POSITION;
        wpin_motor_clear(motor,
                         own ? 0 : WPIN_OWN_RULES | WPIN_MOVES); /* the guard says if it moves */
        wpin_motor_set(motor, own ? WPIN_OWN_RULES : 0);
    }
}

WPIN_RARE void wpin_rare_time_out(wpin_motor *motor) {
    motor->ended = WPIN_ENDED_TIMEOUT;
    wpin_motor_end_ramp(motor);
    wpin_motor_want_nothing(motor);
}

WPIN_RARE void wpin_rare_limit(wpin_motor *motor) {
    const WPIN_FAR wpin_loop *loop = wpin_config_of(motor)->loop;
    bool regulated = (motor->guard.flags & WPIN_GUARD_REGULATED) != 0;
    if (loop != NULL && regulated && !loop->ends(motor)) {
        return; /* a regulator pushed that way for a moment, and is not let */
    }
    wpin_motor_want_nothing(motor);
    motor->ended = WPIN_ENDED_LIMIT;
}

/* The first step of a motion: what it rests with afterwards, and what a relay's contacts count. */
WPIN_RARE void wpin_rare_start(wpin_motor *motor) {
    wpin_steady_driven_on(&motor->guard, &wpin_config_of(motor)->guard);
    wpin_motor_rest_with(motor, wpin_config_of(motor)->rest_drive);
    if (wpin_motor_is_on_off(motor)) {
        motor->operations++;
    }
}

/* ---- what it is doing, for everybody ---- */

WPIN_RARE uint8_t wpin_rare_standing(const wpin_motor *motor) {
    if (motor->fault != WPIN_OK) {
        return WPIN_STATE_FAULT;
    }
    if (motor->armed == WPIN_DISARMED) {
        return WPIN_STATE_OFF;
    }
    wpin_drive rests = wpin_rest_drive(motor);
    if (rests == WPIN_DRIVE_BRAKE && wpin_config_of(motor)->rest_drive != WPIN_DRIVE_BRAKE) {
        return WPIN_STATE_BRAKING;
    }
    if (motor->guard.direction == 0 || (motor->flags & WPIN_OWN_RULES) != 0) {
        return WPIN_STATE_READY;
    }
    bool wants = (motor->flags & WPIN_WANTS) != 0;
    return wants || rests != WPIN_DRIVE_COAST ? WPIN_STATE_RESTING : WPIN_STATE_COASTING;
}

/* A move that ended well ends the caution after a fault. */
WPIN_RARE void wpin_rare_moved(wpin_motor *motor) {
    wpin_motor_clear(motor, WPIN_MOVED);
    if (motor->fault == WPIN_OK) {
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_FIRST;
    }
}
