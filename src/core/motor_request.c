/* Requests: checked where they are made, in any context; taken by the tick. */
#include "motor_core.h"

#define POSITION_MAX WPIN_POSITION_MAX

/* An S is half as steep again in its middle: the time in which that stays within the slew limit. */
static uint32_t smooth_time(const wpin_motor *motor, int32_t target) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    int32_t now = (int32_t)(motor->guard.value >> 16);
    int8_t direction = motor->guard.direction;
    wpin_unlock(wpin_port_of(motor), locked);
    int32_t size = (int32_t)(wpin_magnitude(target) & 0x7FFFU);
    bool turns = (target > 0 && direction < 0) || (target < 0 && direction == 1);
    int32_t distance = turns ? size : (size > now ? size - now : now - size);
    const WPIN_FAR wpin_guard_config *guard = &wpin_config_of(motor)->guard;
    uint32_t us =
        wpin_slew_time(turns || size > now ? guard->up : guard->down,
                       (uint16_t)(distance <= WPIN_DUTY_FULL ? distance : WPIN_DUTY_FULL));
    return us + us / 2U;
}

static uint32_t least_time(const wpin_motor *motor, uint8_t verb, wpin_setpoint setpoint) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    bool stops = verb == WPIN_VERB_STOP && (motor->guard.flags & WPIN_GUARD_REGULATED) != 0;
    if (config->loop != NULL && (stops || wpin_motor_regulates(motor, setpoint.quantity))) {
        uint8_t now = motor->setpoint.quantity; /* one byte: whole in any context */
        uint8_t stopped = now == WPIN_QUANTITY_TORQUE ? now : WPIN_QUANTITY_SPEED;
        return config->loop->least_us(motor, stops ? stopped : setpoint.quantity,
                                      stops ? 0 : setpoint.value);
    }
    return config->start.smooth && setpoint.quantity == WPIN_QUANTITY_EFFORT
               ? smooth_time(motor, setpoint.value)
               : 0;
}

static void post(wpin_motor *motor, uint8_t verb, wpin_setpoint setpoint, uint32_t ramp_us,
                 uint32_t timeout_ms) {
    if (!wpin_motor_is_open(motor)) {
        return;
    }
    const wpin_port *port = wpin_port_of(motor);
    uint32_t least_us = verb <= WPIN_VERB_STOP ? least_time(motor, verb, setpoint) : 0;
    wpin_ramp_time ramp = wpin_ramp_time_of(ramp_us > least_us ? ramp_us : least_us);
    wpin_request request = {.what = (uint8_t)(verb | setpoint.quantity << WPIN_QUANTITY_SHIFT |
                                              (ramp_us == 0 ? WPIN_UNASKED : 0)),
                            .value = setpoint.value,
                            .ramp_us = ramp.us,
                            .ramp_share = ramp.share,
                            .timeout_ms = timeout_ms,
                            .at = (uint16_t)port->now(port->context)};
    uint8_t locked = wpin_lock(port);
    motor->mail = request;
    motor->mailed = 1;
    motor->ended = WPIN_ENDED_NOT;
    wpin_unlock(port, locked);
}

static const wpin_setpoint nothing = {.quantity = WPIN_QUANTITY_EFFORT, .value = 0};

static wpin_status check_ready(const wpin_motor *motor) {
    if (!wpin_motor_is_open(motor)) {
        return motor == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (motor->fault != WPIN_OK || motor->tripped != WPIN_OK) {
        return WPIN_REFUSED_FAULTED;
    }
    return motor->armed != WPIN_DISARMED ? WPIN_OK : WPIN_REFUSED_NOT_ARMED;
}

bool wpin_motor_has_way(const WPIN_FAR wpin_motor_config *config, uint8_t quantity) {
    if (quantity >= WPIN_QUANTITY_COUNT) {
        return false;
    }
    if ((config->actuator->takes & WPIN_TAKES(quantity)) != 0) {
        return true;
    }
    const WPIN_FAR wpin_loop *loop = config->loop;
    return loop == NULL ? false : loop->has_way(wpin_config_told(config), quantity);
}

static bool in_range(uint8_t quantity, int32_t value) {
    int32_t most = quantity == WPIN_QUANTITY_POSITION ? POSITION_MAX
                   : quantity == WPIN_QUANTITY_SPEED  ? INT16_MAX
                                                      : WPIN_DUTY_FULL;
    return value <= most && value >= -most;
}

uint32_t wpin_motor_pause_ms(const wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    uint32_t us = motor->guard.pause_left_us;
    wpin_unlock(wpin_port_of(motor), locked);
    return us / 1000U + (us % 1000U != 0);
}

/* Whether the time-out would be over before it may turn that way at all. */
bool wpin_motor_never_starts(const wpin_motor *motor, int8_t direction, uint32_t timeout_ms) {
    int8_t now = motor->guard.direction;
    return direction != 0 && now != 0 && now != direction &&
           wpin_config_of(motor)->guard.reversal == WPIN_REVERSAL_BY_TIME &&
           timeout_ms <= wpin_motor_pause_ms(motor);
}

/* An effort below the start duty: refused, lifted, or left to the kick. */
static wpin_status mind_start(wpin_motor *motor, wpin_duty *effort) {
    const WPIN_FAR wpin_start_config *start = &wpin_config_of(motor)->start;
    uint16_t size = wpin_steady_size(*effort), least = start->start_duty;
    if (size == 0 || size >= least || start->below == WPIN_BELOW_ALLOW) {
        return WPIN_OK;
    }
    if (start->below == WPIN_BELOW_LIFT) {
        *effort = (wpin_duty)(*effort < 0 ? 0U - least : least);
        motor->counted = (uint8_t)(motor->counted + (motor->counted < 240 ? 16 : 0));
        return WPIN_OK;
    }
    bool kicked = start->below == WPIN_BELOW_KICK && size >= start->drop_out_duty;
    return kicked ? WPIN_OK : WPIN_REFUSED_BELOW_START;
}

static void saturate(wpin_motor *motor, wpin_duty *effort) {
    uint16_t cap = wpin_config_of(motor)->guard.cap;
    if (cap < (uint16_t)WPIN_DUTY_FULL && wpin_steady_size(*effort) > cap) {
        *effort = (wpin_duty)(*effort < 0 ? 0U - cap : cap);
        motor->counted = (uint8_t)(motor->counted + ((motor->counted & 15U) < 15));
    }
}

/* Whether it may be driven that way at all. */
wpin_status wpin_motor_check_direction(wpin_motor *motor, int32_t value) {
    int8_t direction = (int8_t)((value > 0) - (value < 0));
    uint8_t needs = direction > 0 ? WPIN_CAN_FORWARD : (direction < 0 ? WPIN_CAN_REVERSE : 0);
    if ((needs & ~wpin_traits_of(motor)) != 0) {
        return WPIN_REFUSED_STATE;
    }
    uint8_t limit = direction > 0 ? WPIN_AT_FORWARD_LIMIT : WPIN_AT_REVERSE_LIMIT;
    if (direction != 0 && (motor->measurement.inputs & limit) != 0) {
        wpin_motor_stop(motor, 0);
        motor->ended = WPIN_ENDED_LIMIT;
        return WPIN_REFUSED_LIMIT;
    }
    return WPIN_OK;
}

static wpin_status check_effort(wpin_motor *motor, wpin_duty *effort) {
    if (wpin_motor_is_on_off(motor) && *effort != 0 &&
        wpin_steady_size(*effort) != (uint16_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_ON_OFF;
    }
    wpin_status status = wpin_motor_check_direction(motor, *effort);
    if (status != WPIN_OK) {
        return status;
    }
    status = mind_start(motor, effort);
    saturate(motor, effort);
    return status;
}

/* All that can refuse a set-point; corrects an effort by cap and lift. */
static wpin_status check_request(wpin_motor *motor, uint8_t quantity, int32_t *value,
                                 uint32_t ramp_us, uint32_t timeout_ms) {
    if (!wpin_motor_is_open(motor)) {
        return motor == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (quantity >= WPIN_QUANTITY_COUNT || !in_range(quantity, *value) ||
        ramp_us > WPIN_RAMP_MAX_US || timeout_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    wpin_status status = check_ready(motor);
    if (status == WPIN_OK && !wpin_motor_has_way(wpin_config_of(motor), quantity)) {
        status = WPIN_REFUSED_QUANTITY;
    }
    if (status == WPIN_OK && quantity == WPIN_QUANTITY_EFFORT) {
        wpin_duty effort = (wpin_duty)*value; /* it is in range */
        int8_t direction = (int8_t)((effort > 0) - (effort < 0));
        status = wpin_motor_never_starts(motor, direction, timeout_ms)
                     ? WPIN_REFUSED_PAUSE
                     : check_effort(motor, &effort);
        *value = effort;
    }
    return status;
}

static wpin_status request(wpin_motor *motor, uint8_t quantity, int32_t value, uint32_t ramp_us,
                           uint32_t timeout_ms) {
    wpin_status status = check_request(motor, quantity, &value, ramp_us, timeout_ms);
    wpin_setpoint setpoint = {.quantity = quantity, .value = value};
    if (status == WPIN_OK && wpin_config_of(motor)->loop != NULL &&
        wpin_motor_regulates(motor, quantity)) {
        status = wpin_config_of(motor)->loop->check(motor, &setpoint, timeout_ms);
    }
    if (status == WPIN_OK) {
        post(motor, WPIN_VERB_RUN, setpoint, ramp_us, timeout_ms);
    }
    return status;
}

wpin_status wpin_motor_request(wpin_motor *motor, wpin_setpoint setpoint, uint32_t ramp_us,
                               uint32_t timeout_ms) {
    return request(motor, setpoint.quantity, setpoint.value, ramp_us, timeout_ms);
}

wpin_status wpin_motor_run(wpin_motor *motor, wpin_duty effort, uint32_t ramp_us,
                           uint32_t timeout_ms) {
    return request(motor, WPIN_QUANTITY_EFFORT, effort, ramp_us, timeout_ms);
}

static wpin_status turn(wpin_motor *motor, int32_t millidegrees, bool by, uint32_t timeout_ms) {
    wpin_setpoint setpoint = {.quantity = WPIN_QUANTITY_POSITION, .value = 0};
    wpin_status status = check_request(motor, setpoint.quantity, &setpoint.value, 0, timeout_ms);
    if (status != WPIN_OK) {
        return status;
    }
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    if (config->actuator->angle != NULL) {
        status = config->actuator->angle(config->part, millidegrees, by, &setpoint.value);
    } else if (config->loop != NULL) {
        status = config->loop->place_of(motor, millidegrees, by, &setpoint.value);
        status = status == WPIN_OK ? config->loop->check(motor, &setpoint, timeout_ms) : status;
    } else {
        status = WPIN_REFUSED_QUANTITY;
    }
    if (status == WPIN_OK) {
        post(motor, WPIN_VERB_RUN, setpoint, 0, timeout_ms);
    }
    return status;
}

wpin_status wpin_motor_home(wpin_motor *motor, uint32_t timeout_ms) {
    wpin_setpoint setpoint = {.quantity = WPIN_QUANTITY_POSITION, .value = 0};
    wpin_status status = check_request(motor, setpoint.quantity, &setpoint.value, 0, timeout_ms);
    if (status == WPIN_OK && wpin_config_of(motor)->actuator->homed == NULL) {
        status = WPIN_REFUSED_QUANTITY;
    }
    if (status == WPIN_OK) {
        setpoint.value = WPIN_POSITION_HOME;
        post(motor, WPIN_VERB_RUN, setpoint, 0, timeout_ms);
    }
    return status;
}

wpin_status wpin_motor_set_position(wpin_motor *motor, int32_t counts) {
    if (!wpin_motor_is_open(motor)) {
        return motor == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    const WPIN_FAR wpin_sense_config *sense = &config->sense;
    if (sense->place == NULL) {
        return WPIN_REFUSED_QUANTITY;
    }
    if (wpin_motor_busy(motor)) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    sense->place(sense->context, counts);
    motor->measurement.position = counts;
    if (config->loop != NULL) {
        config->loop_state->place = counts;
    }
    motor->homed = 1;
    return WPIN_OK;
}

wpin_status wpin_motor_turn(wpin_motor *motor, int32_t millidegrees, uint32_t timeout_ms) {
    return turn(motor, millidegrees, true, timeout_ms);
}

wpin_status wpin_motor_turn_to(wpin_motor *motor, int32_t millidegrees, uint32_t timeout_ms) {
    return turn(motor, millidegrees, false, timeout_ms);
}

wpin_status wpin_motor_calibrate(wpin_motor *motor, uint32_t timeout_ms) {
    if (!wpin_motor_is_open(motor)) {
        return motor == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (timeout_ms == 0 || timeout_ms == WPIN_TIMEOUT_HELD) {
        return WPIN_REFUSED_RANGE;
    }
    if ((wpin_traits_of(motor) & WPIN_IS_PULSE) == 0) {
        return WPIN_REFUSED_STATE;
    }
    wpin_status status = check_ready(motor);
    if (status != WPIN_OK) {
        return status;
    }
    bool turns_over = motor->guard.direction == -1; /* that pulse is full forward */
    if (turns_over || (wpin_motor_busy(motor) && (motor->flags & WPIN_CALIBRATES) == 0)) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    post(motor, WPIN_VERB_CALIBRATE, nothing, 0, timeout_ms);
    return WPIN_OK;
}

wpin_status wpin_motor_refresh(wpin_motor *motor, uint32_t timeout_ms) {
    if (!wpin_motor_is_open(motor)) {
        return motor == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (timeout_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    const wpin_port *port = wpin_port_of(motor);
    wpin_moment now = port->now(port->context);
    uint8_t locked = wpin_lock(port);
    if (motor->mailed == 0) {
        motor->mail.what = WPIN_VERB_REFRESH;
        motor->mail.timeout_ms = timeout_ms;
        motor->mail.at = (uint16_t)now;
        motor->mailed = 1;
    } else if (motor->mail.timeout_ms < timeout_ms ||
               (motor->mail.what & WPIN_VERB_MASK) == WPIN_VERB_REFRESH) {
        motor->mail.timeout_ms = timeout_ms; /* what was posted keeps its moment: its ramp counts */
    }
    wpin_unlock(port, locked);
    return WPIN_OK;
}

wpin_status wpin_motor_stop(wpin_motor *motor, uint32_t ramp_us) {
    if (motor == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (ramp_us > WPIN_RAMP_MAX_US) {
        return WPIN_REFUSED_RANGE;
    }
    if (wpin_motor_is_open(motor)) { /* what is closed stands already */
        post(motor, WPIN_VERB_STOP, nothing, ramp_us, WPIN_TIMEOUT_HELD);
    }
    return WPIN_OK;
}

wpin_status wpin_motor_coast(wpin_motor *motor) {
    wpin_status status = check_ready(motor);
    if (status == WPIN_REFUSED_CLOSED || status == WPIN_REFUSED_ARGUMENT) {
        return status;
    }
    if ((wpin_traits_of(motor) & WPIN_CAN_COAST) == 0) {
        return WPIN_REFUSED_STATE;
    }
    if (motor->armed == WPIN_DISARMED) {
        return WPIN_REFUSED_NOT_ARMED;
    }
    post(motor, WPIN_VERB_COAST, nothing, 0, WPIN_TIMEOUT_HELD);
    return WPIN_OK;
}

wpin_status wpin_motor_brake(wpin_motor *motor) {
    if (wpin_motor_is_open(motor) && (wpin_traits_of(motor) & WPIN_CAN_BRAKE) == 0) {
        return WPIN_REFUSED_STATE;
    }
    wpin_status status = check_ready(motor);
    if (status == WPIN_OK) {
        post(motor, WPIN_VERB_BRAKE, nothing, 0, WPIN_TIMEOUT_HELD);
    }
    return status;
}

void wpin_motor_end_kick(wpin_motor *motor) {
    if (motor != NULL) {
        motor->kick_end = 1;
    }
}

/* ---- arming and faults ---- */

/* What guard and protections would trip on by the last measurement, however short. */
static wpin_status cause_there(const wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    wpin_measurement m = wpin_motor_measurement(motor);
    wpin_guard fresh = {0};
    m.dt_us = 0;
    wpin_status fault = wpin_guard_fault(&fresh, &config->guard, &m, config->sense.reads);
    if (config->loop == NULL) { /* as a part of the next expression it is too much for avr-gcc 5 */
        return fault;
    }
    return fault == WPIN_OK ? (wpin_status)config->loop_state->watched : fault;
}

/* The same, with a current above its trip level counting at once. */
static bool cause_still_there(const wpin_motor *motor) {
    wpin_measurement m = wpin_motor_measurement(motor);
    uint16_t trip = (uint16_t)wpin_config_of(motor)->guard.current_trip;
    bool over = trip != 0 && (wpin_config_of(motor)->sense.reads & WPIN_HAS_CURRENT) != 0 &&
                wpin_steady_size(m.current) > trip;
    return over || cause_there(motor) != WPIN_OK;
}

wpin_status wpin_motor_arm(wpin_motor *motor) {
    wpin_status status = check_ready(motor);
    if (status != WPIN_REFUSED_NOT_ARMED) {
        return status == WPIN_OK && wpin_motor_busy(motor) ? WPIN_REFUSED_NOT_ZERO : status;
    }
    if (wpin_motor_busy(motor)) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    status = cause_there(motor);
    if (status == WPIN_OK) {
        motor->armed = WPIN_ARMING;
    }
    return status;
}

void wpin_motor_disarm(wpin_motor *motor) {
    if (wpin_motor_is_open(motor)) {
        motor->armed = WPIN_DISARMED;
        wpin_config_of(motor)->actuator->off(wpin_config_of(motor)->part);
    }
}

void wpin_motor_trip(wpin_motor *motor, wpin_status cause) {
    if (!wpin_motor_is_open(motor)) {
        return;
    }
    bool known = cause >= WPIN_FAULT_FIRST && cause < WPIN_STATUS_COUNT;
    if (motor->tripped == WPIN_OK) {
        motor->tripped = (uint8_t)(known ? cause : WPIN_FAULT_EXTERNAL);
    }
    wpin_config_of(motor)->actuator->off(wpin_config_of(motor)->part);
}

/* Whether what a fault heated has yet to cool. */
static bool cools(const wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    bool over = wpin_run_out(&motor->timeout);
    wpin_unlock(wpin_port_of(motor), locked);
    return wpin_config_of(motor)->guard.cool_s != 0 && !over;
}

wpin_status wpin_motor_clear_fault(wpin_motor *motor) {
    wpin_status status = check_ready(motor);
    if (status == WPIN_REFUSED_CLOSED || status == WPIN_REFUSED_ARGUMENT) {
        return status;
    }
    const WPIN_FAR wpin_actuator *actuator = wpin_config_of(motor)->actuator;
    if (actuator->clear != NULL && (status == WPIN_REFUSED_FAULTED || motor->armed == 0)) {
        actuator->clear(wpin_config_of(motor)->part);
    }
    if (status != WPIN_REFUSED_FAULTED) {
        return WPIN_REFUSED_NO_FAULT;
    }
    if (motor->fault == WPIN_OK || cause_still_there(motor) || cools(motor)) {
        return WPIN_REFUSED_CAUSE; /* a trip is not even latched before the next tick */
    }
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    motor->armed = WPIN_DISARMED;
    motor->fault = WPIN_OK;
    motor->tripped = WPIN_OK;
    motor->guard.flags |= WPIN_GUARD_FIRST;
    motor->guard.over_us = 0;
    wpin_unlock(wpin_port_of(motor), locked);
    return WPIN_OK;
}
