/* The motor: requests on one side, the stage on the other, the rules between them. */
#include "countdown.h"
#include "guard.h"

static wpin_moment now_of(const wpin_motor *motor) {
    return motor->port->now(motor->port->context);
}

static int8_t way_of(wpin_duty duty) {
    return (int8_t)((duty > 0) - (duty < 0));
}

static uint16_t size_of(wpin_duty duty) {
    return (uint16_t)(duty < 0 ? -duty : duty);
}

static bool resting_state(wpin_state state) {
    return state == WPIN_STATE_FREE || state == WPIN_STATE_BRAKE;
}

/* Longest kick: a short push, not a way round the ramp. */
#define KICK_MAX_US 2000000

static bool start_fits(const wpin_start_config *start) {
    uint16_t full = (uint16_t)WPIN_DUTY_FULL;
    bool has_kick = start->kick_duty != 0 && start->kick_us != 0;
    return start->start_duty <= full && start->drop_out_duty <= start->start_duty &&
           start->kick_duty <= full && start->kick_us <= KICK_MAX_US &&
           start->below <= WPIN_BELOW_KICK && (start->below != WPIN_BELOW_KICK || has_kick);
}

static wpin_status check_limits(const wpin_motor_config *config) {
    if (!start_fits(&config->start) || config->start.start_duty > config->duty_max ||
        config->rest_us > WPIN_SPAN_MAX || config->least_us > WPIN_SPAN_MAX ||
        config->duty_max == 0 || config->duty_max > (uint16_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_RANGE;
    }
    return resting_state(config->rest_state) && resting_state(config->safe_state)
               ? WPIN_OK
               : WPIN_REFUSED_STATE;
}

/* Puts a state at zero duty on the pins and marks since when. */
static void show_zero(wpin_motor *motor, wpin_state state, wpin_moment now) {
    motor->zero_state = state;
    wpin_stage_apply(&motor->stage, state, 0);
    if (!motor->at_zero) {
        motor->at_zero = true;
        motor->zero_since = now;
    }
}

/* Drops every request and shows a state at once. The next start begins at zero duty. */
static void drop(wpin_motor *motor, wpin_state state) {
    if (motor->on_off && motor->ramp.value != 0) {
        motor->changed = now_of(motor); /* going off at once starts its least time off too */
        motor->waits = true;
    }
    motor->wanted = 0;
    motor->kicking = motor->carrying = motor->teaching = false;
    wpin_ramp_reset(&motor->ramp);
    show_zero(motor, state, now_of(motor));
}

wpin_status wpin_motor_init(wpin_motor *motor, const wpin_motor_config *config,
                            const wpin_port *port) {
    if (motor == NULL || config == NULL || port == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *motor = (wpin_motor){.config = config, .port = port, .direction = WPIN_WAY_UNKNOWN};
    wpin_status status = check_limits(config);
    if (status == WPIN_OK && !wpin_ramp_init(&motor->ramp, config->up_us, config->down_us)) {
        status = WPIN_REFUSED_RANGE;
    }
    if (status == WPIN_OK) {
        status = wpin_guard_check(&config->guard, port);
    }
    if (status == WPIN_OK && (config->limit_forward.used || config->limit_reverse.used) &&
        port->read == NULL) {
        status = WPIN_REFUSED_PORT;
    }
    if (status == WPIN_OK) {
        status = wpin_stage_open(&motor->stage, config->stage, port);
    }
    if (status != WPIN_OK) {
        return status;
    }
    if (!wpin_stage_has(&motor->stage, config->safe_state) ||
        !wpin_stage_has(&motor->stage, config->rest_state)) {
        return WPIN_REFUSED_STATE;
    }
    motor->on_off = wpin_stage_is_on_off(&motor->stage);
    motor->ramp.smooth = config->start.smooth;
    if (motor->on_off && config->duty_max != (uint16_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_ON_OFF;
    }
    motor->last = now_of(motor);
    show_zero(motor, config->safe_state, motor->last);
    return WPIN_OK;
}

wpin_status wpin_motor_arm(wpin_motor *motor) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (motor->fault.cause != WPIN_OK) {
        return WPIN_REFUSED_FAULTED;
    }
    if (motor->wanted != 0 || motor->ramp.value != 0) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    wpin_status cause = wpin_guard_tick(&motor->guard, &motor->config->guard, motor->port, 0);
    if (cause != WPIN_OK) {
        return cause;
    }
    motor->armed = true;
    return WPIN_OK;
}

void wpin_motor_disarm(wpin_motor *motor) {
    if (motor != NULL && motor->stage.open) {
        motor->armed = false;
        drop(motor, motor->config->safe_state);
    }
}

/* On and off know no ramp: the value jumps, against the present direction to zero first, and not
 * before the last change is old enough. */
static void serve_on_off(wpin_motor *motor, wpin_moment now) {
    int8_t way = way_of(motor->wanted);
    bool may = way != 0 && (motor->direction == 0 || motor->direction == way);
    bool on = motor->ramp.value != 0;
    motor->waits = motor->waits && now - motor->changed < motor->config->least_us;
    if (may == on || motor->waits) {
        return;
    }
    wpin_ramp_reset(&motor->ramp);
    motor->changed = now;
    motor->waits = true;
    if (may) {
        motor->direction = way;
        motor->ramp.value = motor->ramp.target = (uint16_t)WPIN_DUTY_FULL;
        motor->operations++;
    }
}

/* Points the ramp at what is wanted as far as the direction allows: against the present
 * direction the way leads through zero and a rest first. */
static void aim(wpin_motor *motor, uint32_t ramp_us, wpin_moment now) {
    int8_t way = way_of(motor->wanted);
    if (motor->on_off) {
        serve_on_off(motor, now);
    } else if (way == 0) {
        wpin_ramp_to(&motor->ramp, 0, ramp_us, now);
    } else if (motor->direction == 0 || motor->direction == way) {
        motor->direction = way;
        wpin_ramp_to(&motor->ramp, size_of(motor->wanted), ramp_us, now);
    } else {
        motor->ramp_us = ramp_us;
        wpin_ramp_to(&motor->ramp, 0, 0, now);
    }
}

static wpin_duty capped(wpin_motor *motor, wpin_duty duty) {
    wpin_duty cap = (wpin_duty)motor->config->duty_max;
    if (duty <= cap && duty >= -cap) {
        return duty;
    }
    if (motor->saturated < 255) {
        motor->saturated++;
    }
    return duty < 0 ? (wpin_duty)-cap : cap;
}

/* A request below the start duty: refused, lifted, or left to the kick. */
static wpin_status mind_start(wpin_motor *motor, wpin_duty *duty) {
    const wpin_start_config *start = &motor->config->start;
    uint16_t size = size_of(*duty);
    if (size == 0 || size >= start->start_duty || start->below == WPIN_BELOW_ALLOW) {
        return WPIN_OK;
    }
    if (start->below == WPIN_BELOW_LIFT) {
        wpin_duty least = (wpin_duty)start->start_duty;
        *duty = *duty < 0 ? (wpin_duty)-least : least;
        motor->lifted = (uint8_t)(motor->lifted + (motor->lifted < 255));
        return WPIN_OK;
    }
    bool kicked = start->below == WPIN_BELOW_KICK && size >= start->drop_out_duty;
    return kicked ? WPIN_OK : WPIN_REFUSED_BELOW_START;
}

/* Whether it stands at the limit switch of a way. */
static bool at_limit(const wpin_motor *motor, int8_t way) {
    const wpin_limit *l = way > 0 ? &motor->config->limit_forward : &motor->config->limit_reverse;
    return way != 0 && l->used && motor->port->read(motor->port->context, l->pin) == l->high;
}

wpin_status wpin_motor_run(wpin_motor *motor, wpin_duty duty, uint32_t ramp_us, uint32_t life_ms) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (duty > WPIN_DUTY_FULL || duty < -WPIN_DUTY_FULL || ramp_us > WPIN_RAMP_MAX_US ||
        life_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    if (motor->fault.cause != WPIN_OK) {
        return WPIN_REFUSED_FAULTED;
    }
    if (!motor->armed) {
        return WPIN_REFUSED_NOT_ARMED;
    }
    if (duty != 0 &&
        !wpin_stage_has(&motor->stage, duty > 0 ? WPIN_STATE_FORWARD : WPIN_STATE_REVERSE)) {
        return WPIN_REFUSED_STATE;
    }
    if (motor->on_off && duty != 0 && size_of(duty) != (uint16_t)WPIN_DUTY_FULL) {
        return WPIN_REFUSED_ON_OFF;
    }
    if (at_limit(motor, way_of(duty))) {
        wpin_motor_stop(motor, 0);
        motor->limited = true;
        return WPIN_REFUSED_LIMIT;
    }
    wpin_status status = mind_start(motor, &duty);
    if (status != WPIN_OK) {
        return status;
    }
    motor->limited = motor->teaching = false;
    motor->wanted = capped(motor, duty);
    motor->life_ms = life_ms;
    motor->life_us = 0;
    motor->life_ended = false;
    aim(motor, ramp_us, now_of(motor));
    return WPIN_OK;
}

wpin_status wpin_motor_teach(wpin_motor *motor, uint32_t life_ms) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (life_ms == 0 || life_ms == WPIN_LIFE_HELD) {
        return WPIN_REFUSED_RANGE;
    }
    if (!wpin_stage_pulses(&motor->stage)) {
        return WPIN_REFUSED_STATE;
    }
    if (motor->fault.cause != WPIN_OK) {
        return WPIN_REFUSED_FAULTED;
    }
    if (!motor->armed) {
        return WPIN_REFUSED_NOT_ARMED;
    }
    if (wpin_motor_busy(motor) && !motor->teaching) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    motor->teaching = true;
    motor->direction = 1; /* it may turn: what follows rests first */
    motor->life_ms = life_ms;
    motor->life_us = 0;
    motor->life_ended = false;
    return WPIN_OK;
}

wpin_status wpin_motor_refresh(wpin_motor *motor, uint32_t life_ms) {
    if (motor == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (life_ms == 0) {
        return WPIN_REFUSED_RANGE;
    }
    motor->life_ms = life_ms;
    motor->life_us = 0;
    return WPIN_OK;
}

wpin_status wpin_motor_stop(wpin_motor *motor, uint32_t ramp_us) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (ramp_us > WPIN_RAMP_MAX_US) {
        return WPIN_REFUSED_RANGE;
    }
    motor->wanted = 0;
    motor->teaching = false;
    if (motor->armed) {
        motor->zero_state = motor->config->rest_state;
        aim(motor, ramp_us, now_of(motor));
    }
    return WPIN_OK;
}

wpin_status wpin_motor_coast(wpin_motor *motor) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!wpin_stage_has(&motor->stage, WPIN_STATE_FREE)) {
        return WPIN_REFUSED_STATE;
    }
    if (motor->armed) {
        drop(motor, WPIN_STATE_FREE);
    }
    return WPIN_OK;
}

wpin_status wpin_motor_brake(wpin_motor *motor) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!wpin_stage_has(&motor->stage, WPIN_STATE_BRAKE)) {
        return WPIN_REFUSED_STATE;
    }
    if (motor->fault.cause != WPIN_OK) {
        return WPIN_REFUSED_FAULTED;
    }
    if (!motor->armed) {
        return WPIN_REFUSED_NOT_ARMED;
    }
    drop(motor, WPIN_STATE_BRAKE);
    return WPIN_OK;
}

void wpin_motor_trip(wpin_motor *motor, wpin_status cause) {
    if (motor == NULL || !motor->stage.open || motor->fault.cause != WPIN_OK) {
        return;
    }
    bool known = cause >= WPIN_FAULT_FIRST && cause < WPIN_STATUS_COUNT;
    motor->fault = (wpin_fault){known ? cause : WPIN_FAULT_EXTERNAL, now_of(motor)};
    wpin_motor_disarm(motor);
}

wpin_status wpin_motor_clear_fault(wpin_motor *motor) {
    if (motor == NULL || !motor->stage.open) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (motor->fault.cause == WPIN_OK) {
        return WPIN_REFUSED_NO_FAULT;
    }
    wpin_guard fresh = {0}; /* a current above its level now is a cause, however short */
    wpin_guard_config at_once = motor->config->guard;
    at_once.current_trip_us = 0;
    if (wpin_guard_tick(&fresh, &at_once, motor->port, 0) != WPIN_OK) {
        return WPIN_REFUSED_CAUSE;
    }
    motor->guard = fresh;
    motor->fault.cause = WPIN_OK;
    return WPIN_OK;
}

static void live(wpin_motor *motor, uint32_t dt_us, wpin_moment now) {
    if ((motor->wanted == 0 && !motor->teaching) || motor->life_ms == WPIN_LIFE_HELD) {
        return;
    }
    if (wpin_count_down(&motor->life_ms, &motor->life_us, dt_us)) {
        motor->life_ended = true;
        motor->wanted = 0;
        motor->teaching = false;
        aim(motor, 0, now);
    }
}

/* A limit switch ends motion towards it at once; the first contact counts, bounce or not. */
static void mind_limit(wpin_motor *motor) {
    bool driven = motor->ramp.value != 0 || motor->ramp.target != 0;
    if (driven && motor->direction != WPIN_WAY_UNKNOWN && at_limit(motor, motor->direction)) {
        bool back = motor->wanted != 0 && way_of(motor->wanted) != motor->direction;
        wpin_duty wanted = back ? motor->wanted : 0; /* the way back stays asked for */
        drop(motor, motor->config->rest_state);
        motor->wanted = wanted;
        motor->limited = !back;
    }
}

/* Driven for too long without a break: a fault. */
static void mind_on_time(wpin_motor *motor, uint32_t dt_us) {
    uint32_t most = motor->config->most_on_ms;
    if (most == 0 || motor->at_zero) {
        motor->on_left_ms = most;
        motor->on_left_us = 0;
    } else if (wpin_count_down(&motor->on_left_ms, &motor->on_left_us, dt_us)) {
        wpin_motor_trip(motor, WPIN_FAULT_ON_TIME);
    }
}

/* At zero duty: shows the resting state, and after the rest is free to start either way. */
static void rest(wpin_motor *motor, wpin_moment now) {
    show_zero(motor, motor->zero_state, now);
    if (motor->direction != 0 && now - motor->zero_since >= motor->config->rest_us) {
        motor->direction = 0;
        if (motor->wanted != 0) {
            aim(motor, motor->ramp_us, now);
        }
    }
}

static uint16_t lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

/* From rest at least the kick's duty for its time. Then at least the drop-out duty until the ramp
 * has come that far, or the shaft would stop again while the ramp is still low. */
static uint16_t kicked(wpin_motor *motor, uint16_t duty, wpin_moment now) {
    const wpin_start_config *start = &motor->config->start;
    if (motor->at_zero && start->kick_duty != 0 && !motor->on_off) {
        motor->kicking = motor->carrying = true;
        motor->kick_began = now;
    }
    bool over = now - motor->kick_began >= start->kick_us;
    motor->kicking = motor->kicking && !over && motor->ramp.target != 0; /* a stop ends it */
    uint16_t floor = lower(start->drop_out_duty, motor->ramp.target);
    if (motor->kicking) {
        floor = lower(start->kick_duty, motor->config->duty_max);
    } else if (duty >= floor) {
        motor->carrying = false;
    }
    return motor->carrying && duty < floor ? floor : duty;
}

void wpin_motor_end_kick(wpin_motor *motor) {
    if (motor != NULL) {
        motor->kicking = false;
    }
}

static void drive(wpin_motor *motor, wpin_moment now) {
    if (motor->teaching) {
        motor->at_zero = false;
        wpin_stage_apply(&motor->stage, WPIN_STATE_FORWARD, (uint16_t)WPIN_DUTY_FULL);
        return;
    }
    uint16_t duty = wpin_ramp_step(&motor->ramp, now);
    if (duty == 0 && motor->ramp.target == 0) {
        motor->kicking = motor->carrying = false;
        rest(motor, now);
        return;
    }
    duty = kicked(motor, duty, now);
    motor->at_zero = false;
    motor->last_way = motor->direction;
    motor->zero_state = motor->config->rest_state;
    wpin_stage_apply(&motor->stage, motor->direction > 0 ? WPIN_STATE_FORWARD : WPIN_STATE_REVERSE,
                     duty);
}

void wpin_motor_tick(wpin_motor *motor) {
    if (motor == NULL || !motor->stage.open) {
        return;
    }
    wpin_moment now = now_of(motor);
    uint32_t dt_us = now - motor->last;
    motor->last = now;
    if (motor->armed) {
        wpin_status cause =
            wpin_guard_tick(&motor->guard, &motor->config->guard, motor->port, dt_us);
        if (cause != WPIN_OK) {
            wpin_motor_trip(motor, cause);
        }
    }
    live(motor, dt_us, now);
    mind_on_time(motor, dt_us);
    mind_limit(motor);
    if (motor->on_off) {
        serve_on_off(motor, now);
    }
    drive(motor, now);
}

wpin_phase wpin_motor_phase(const wpin_motor *motor) {
    if (motor->fault.cause != WPIN_OK) {
        return WPIN_PHASE_FAULT;
    }
    if (!motor->armed) {
        return WPIN_PHASE_OFF;
    }
    if (!motor->at_zero || motor->ramp.target != 0) {
        bool there = !motor->at_zero && !motor->kicking && wpin_ramp_done(&motor->ramp) &&
                     motor->ramp.target == size_of(motor->wanted) &&
                     motor->direction == way_of(motor->wanted);
        return there ? WPIN_PHASE_RUNNING : WPIN_PHASE_RAMPING;
    }
    if (motor->zero_state == WPIN_STATE_BRAKE && motor->config->rest_state != WPIN_STATE_BRAKE) {
        return WPIN_PHASE_BRAKING;
    }
    if (motor->direction == 0) {
        return WPIN_PHASE_READY;
    }
    return motor->wanted == 0 && motor->zero_state == WPIN_STATE_FREE ? WPIN_PHASE_COASTING
                                                                      : WPIN_PHASE_RESTING;
}

bool wpin_motor_busy(const wpin_motor *motor) {
    return motor->wanted != 0 || motor->ramp.value != 0 || motor->ramp.target != 0 ||
           motor->stage.duty != 0;
}

wpin_duty wpin_motor_duty(const wpin_motor *motor) {
    wpin_duty duty = (wpin_duty)motor->stage.duty;
    return motor->stage.open && wpin_stage_state(&motor->stage) == WPIN_STATE_REVERSE
               ? (wpin_duty)-duty
               : duty;
}
