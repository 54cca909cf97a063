/* A request is taken from the mail of a motor and carried out. */
#include "motor_core.h"

/* The effort shown now, signed: where a ramp begins. */
static wpin_duty effort_now(const wpin_guard *guard) {
    uint16_t size = (uint16_t)(guard->value >> 16);
    return (wpin_duty)(guard->direction < 0 ? 0U - size : size);
}

/* Scales a ramp's time, which is not 0, as its share was made for it: see wpin_ramp_time_of. */
int8_t wpin_ramp_shift(uint32_t us) {
    uint8_t byte = (uint8_t)(us >> 24);
    int8_t shift = 16;
    if (byte == 0) {
        byte = (uint8_t)(us >> 16);
        shift = 8;
    }
    if (byte == 0) {
        byte = (uint8_t)(us >> 8);
        shift = 0;
    }
    if (byte == 0) {
        byte = (uint8_t)us;
        shift = -8;
    }
    if (byte < 16) {
        byte = (uint8_t)(byte << 4);
        shift = (int8_t)(shift - 4);
    }
    if (byte < 64) {
        byte = (uint8_t)(byte << 2);
        shift = (int8_t)(shift - 2);
    }
    return byte < 128 ? (int8_t)(shift - 1) : shift;
}

static void begin_ramp(wpin_motor *motor, const wpin_request *request) {
    if (wpin_motor_is_on_off(motor)) {
        return;
    }
    bool stands = !wpin_ramp_runs(&motor->ramp) && (motor->guard.held & WPIN_HELD_SLEW) == 0;
    wpin_motor_clear(motor, WPIN_BENDS);
    if (wpin_config_of(motor)->start.smooth && stands) {
        wpin_motor_set(motor, WPIN_BENDS);
    } else if ((request->what & WPIN_UNASKED) != 0) {
        wpin_ramp_end(&motor->ramp); /* in the middle of a change only the slew limit holds */
        return;
    }
    wpin_duty effort = (wpin_duty)request->value;
    wpin_duty from = effort_now(&motor->guard);
    if ((effort < 0 && from > 0) || (effort > 0 && from < 0)) {
        from = 0; /* it turns over in between */
    }
    wpin_ramp_time time = {request->ramp_us, request->ramp_share,
                           wpin_ramp_shift(request->ramp_us)};
    wpin_ramp_start(&motor->ramp, from, &time);
}

static bool is_first(const wpin_motor *motor) {
    return (motor->guard.flags & WPIN_GUARD_FIRST) != 0;
}

/* The first move after a fault is short, whatever was asked; and what is left of that. */
static uint16_t first_time(wpin_motor *motor, uint32_t asked_ms) {
    uint16_t first_ms = wpin_config_of(motor)->guard.first_ms,
             most = first_ms != 0 ? first_ms : 2000;
    uint16_t ms = asked_ms < most ? (uint16_t)asked_ms : most;
    motor->first_left = (uint16_t)(most - ms);
    return ms;
}

static void set_timeout(wpin_motor *motor, uint32_t ms, uint16_t age_us) {
    ms = is_first(motor) ? first_time(motor, ms) : ms;
    if (ms == WPIN_TIMEOUT_HELD) {
        motor->timeout.us = WPIN_NEVER;
        return;
    }
    uint8_t age_ms = age_us < 1000 ? 0 : wpin_rare_whole_ms(age_us);
    uint16_t us = (uint16_t)(age_us - age_ms * 1000U);
    if (us != 0) {
        age_ms++;
        us = (uint16_t)(1000U - us);
    }
    if (ms < age_ms) {
        ms = age_ms;
        us = 0;
    }
    motor->timeout.ms = ms - age_ms;
    motor->timeout.us = us;
}

/* Kept up from outside like any other move, the first one ends all the same. */
static void prolong_first(wpin_motor *motor, uint32_t asked_ms) {
    uint32_t left = motor->timeout.ms, more = asked_ms > left ? asked_ms - left : 0;
    more = more < motor->first_left ? more : motor->first_left;
    motor->first_left = (uint16_t)(motor->first_left - more);
    motor->timeout.ms = left + more;
}

static bool ramps_down(const wpin_motor *motor) {
    return wpin_config_of(motor)->loop != NULL &&
           (motor->guard.flags & WPIN_GUARD_REGULATED) != 0 &&
           wpin_steady_ramps(motor->setpoint.quantity);
}

static uint8_t quantity_of(const wpin_motor *motor, const wpin_request *request) {
    uint8_t asked = (request->what >> WPIN_QUANTITY_SHIFT) & 3U, effort = WPIN_QUANTITY_EFFORT;
    return wpin_motor_takes_effort_alone(motor) ? effort : asked;
}

/* To another set-point; to stop is to go to zero, of a regulated quantity where there is one. */
static void begin_move(wpin_motor *motor, const wpin_request *request, bool stops) {
    uint8_t quantity = quantity_of(motor, request);
    bool ends_regulated = stops && ramps_down(motor); /* where it ends by itself */
    if (ends_regulated) {
        quantity = motor->setpoint.quantity;
        motor->timeout.us = WPIN_NEVER;
    } else if (!stops && !wpin_motor_takes_effort_alone(motor)) {
        wpin_motor_choose_rules(motor, quantity);
    }
    if (wpin_finds_home(quantity, request->value)) {
        motor->homed = 0;
    }
    if (quantity == WPIN_QUANTITY_EFFORT) {
        begin_ramp(motor, request);
    } else {
        if (!ends_regulated) {
            wpin_motor_end_ramp(motor);
        }
        if (wpin_config_of(motor)->loop != NULL) {
            wpin_config_of(motor)->loop->begin(motor, quantity, request);
        }
    }
    wpin_motor_ask(motor, quantity, request->value);
    if (!ends_regulated) {
        bool wants = quantity != WPIN_QUANTITY_EFFORT || request->value != 0;
        wpin_motor_clear(motor, WPIN_WANTS | WPIN_CALIBRATES);
        wpin_motor_set(motor, wants ? WPIN_WANTS : 0);
    }
    wpin_motor_rest_with(motor, wpin_config_of(motor)->rest_drive);
}

/* Carries a request out; age_us is how long ago it was posted. */
static void obey(wpin_motor *motor, const wpin_request *request, uint16_t age_us) {
    uint8_t verb = request->what & WPIN_VERB_MASK;
    if (verb == WPIN_VERB_REFRESH && is_first(motor)) {
        prolong_first(motor, request->timeout_ms);
        return;
    }
    if (verb == WPIN_VERB_RUN || verb >= WPIN_VERB_CALIBRATE) {
        set_timeout(motor, request->timeout_ms, age_us);
    }
    switch (verb) {
    case WPIN_VERB_RUN:
    case WPIN_VERB_STOP: begin_move(motor, request, verb == WPIN_VERB_STOP); break;
    case WPIN_VERB_COAST: wpin_motor_drop(motor, WPIN_DRIVE_COAST); break;
    case WPIN_VERB_BRAKE: wpin_motor_drop(motor, WPIN_DRIVE_BRAKE); break;
    case WPIN_VERB_CALIBRATE:
        if ((wpin_traits_of(motor) & WPIN_IS_PULSE) != 0) {
            wpin_motor_drop(motor, wpin_config_of(motor)->rest_drive);
            wpin_motor_set(motor, WPIN_CALIBRATES);
        }
        break;
    default: break;
    }
}

/* Takes the mail, whole; how old it is, us. It was posted since the tick before: its age is told by
 * the lower half of the clock, and is no more than that tick's. */
WPIN_RARE uint16_t wpin_rare_take(wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    wpin_request request = motor->mail;
    motor->mailed = 0;
    wpin_unlock(wpin_port_of(motor), locked);
    uint16_t dt_us = motor->measurement.dt_us;
    uint16_t age_us = (uint16_t)(motor->measurement.at - request.at);
    if (dt_us != UINT16_MAX && age_us > dt_us) {
        age_us = 0; /* posted while this tick was reading its sensors */
    } else if (dt_us == UINT16_MAX) {
        age_us = UINT16_MAX;
    }
    if (motor->armed != WPIN_DISARMED) {
        obey(motor, &request, age_us);
    }
    return (request.what & WPIN_VERB_MASK) == WPIN_VERB_REFRESH ? dt_us : age_us;
}

void wpin_motor_take(wpin_motor *motor) {
    bool begins = wpin_motor_is_open(motor) && motor->armed == WPIN_ARMING; /* in its next tick */
    if (!wpin_motor_is_open(motor) || motor->mailed == 0 || begins) {
        return;
    }
    wpin_rare_take(motor);
    bool asked = (motor->flags & (WPIN_WANTS | WPIN_CALIBRATES)) != 0;
    if (!asked && motor->guard.value == 0 && motor->armed != WPIN_DISARMED) {
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_DRIVEN;
        wpin_status status = wpin_motor_idle(motor);
        if (status != WPIN_OK) {
            wpin_rare_failure(motor, status);
        }
    }
    wpin_steady_publish(motor);
    bool arrived = motor->setpoint.quantity == WPIN_QUANTITY_EFFORT &&
                   motor->setpoint.value == effort_now(&motor->guard);
    if (!arrived && (motor->shown & WPIN_SHOWN_STATE) == WPIN_STATE_RUNNING) {
        motor->shown = (uint8_t)((motor->shown & ~WPIN_SHOWN_STATE) | WPIN_STATE_RAMPING);
    } /* the tick has yet to begin it */
}
