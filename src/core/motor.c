/* A motor from init to close: what must hold before it is open, and how it becomes safe. */
#include "motor_core.h"

/* Longest kick: a short push, not a way round the ramp. */
#define KICK_MAX_US 2000000

static bool start_fits(const WPIN_FAR wpin_motor_config *config) {
    const WPIN_FAR wpin_start_config *start = &config->start;
    uint16_t full = (uint16_t)WPIN_DUTY_FULL;
    bool has_kick = start->kick_duty != 0 && start->kick_us != 0;
    return start->start_duty <= full && start->start_duty <= config->guard.cap &&
           start->drop_out_duty <= start->start_duty && start->kick_duty <= full &&
           start->kick_us <= KICK_MAX_US && start->below <= WPIN_BELOW_KICK &&
           (start->below != WPIN_BELOW_KICK || has_kick);
}

/* Regulators and protections are nothing without what leads through them. */
static bool loop_holds(const WPIN_FAR wpin_motor_config *config) {
    if (config->loop != NULL) {
        return config->loop_state != NULL && config->loop->holds(wpin_config_told(config));
    }
    if (config->travel !=
        NULL) { /* as a part of the next expression it is too much for avr-gcc 5 */
        return false;
    }
    return config->regulator_count == 0 && config->protection_count == 0;
}

static bool port_serves(const WPIN_FAR wpin_sense_config *sense, const wpin_port *port) {
    bool limits = sense->limit_forward.used || sense->limit_reverse.used;
    bool analog = (sense->reads & (WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY)) != 0;
    return port->now != NULL && (!analog || port->millivolts != NULL) &&
           (!limits || port->read != NULL) && (port->lock == NULL) == (port->unlock == NULL);
}

/* What can be known before anything is touched. */
static wpin_status check(const WPIN_FAR wpin_motor_config *config, const wpin_port *port) {
    if (config->actuator == NULL || config->part == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (!wpin_guard_holds(&config->guard) || !start_fits(config)) {
        return WPIN_REFUSED_RANGE;
    }
    if (config->rest_drive > WPIN_DRIVE_BRAKE || config->safe_drive > WPIN_DRIVE_BRAKE) {
        return WPIN_REFUSED_STATE;
    }
    bool speed = (config->sense.reads & WPIN_HAS_SPEED) != 0;
    if ((config->sense.reads & ~WPIN_SENSES_GUARD) != 0 || (speed && config->sense.more == NULL) ||
        !loop_holds(config)) {
        return WPIN_REFUSED_CONFIG;
    }
    return port_serves(&config->sense, port) ? WPIN_OK : WPIN_REFUSED_PORT;
}

/* What the open actuator must be able to do. */
static wpin_status check_traits(const WPIN_FAR wpin_motor_config *config, uint8_t traits) {
    uint8_t needs =
        (uint8_t)((config->safe_drive == WPIN_DRIVE_BRAKE ? WPIN_CAN_BRAKE : WPIN_CAN_COAST) |
                  (config->rest_drive == WPIN_DRIVE_BRAKE ? WPIN_CAN_BRAKE : WPIN_CAN_COAST));
    if ((needs & ~traits) != 0) {
        return WPIN_REFUSED_STATE;
    }
    bool on_off = (traits & WPIN_IS_ON_OFF) != 0;
    bool between = config->guard.cap != (uint16_t)WPIN_DUTY_FULL || config->regulator_count != 0;
    return on_off && between ? WPIN_REFUSED_ON_OFF : WPIN_OK;
}

wpin_status wpin_motor_init(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config,
                            const wpin_port *port) {
    if (motor == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_motor_close(motor);
    uint8_t fault = motor->fault != WPIN_OK ? motor->fault : motor->tripped;
    uint8_t first = motor->guard.flags & WPIN_GUARD_FIRST;
    *motor = (wpin_motor){.fault = fault};
    if (!wpin_may_open(config, port)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    config = wpin_config_known(config);
    port = wpin_port_known(port);
    wpin_status status = check(config, port);
    if (status != WPIN_OK) {
        return status;
    }
    const WPIN_FAR wpin_actuator *actuator = config->actuator;
    status = actuator->open(config->part, config->part_config, port);
    if (status != WPIN_OK) {
        return status;
    }
    motor->traits = actuator->traits(config->part);
    status = check_traits(config, wpin_traits_of(motor));
    if (status == WPIN_OK) {
        status = actuator->idle(config->part, (wpin_drive)config->safe_drive);
    }
    if (status != WPIN_OK) {
        actuator->off(config->part);
        actuator->close(config->part);
        return status;
    }
    if (config->loop != NULL) {
        *config->loop_state = (wpin_loop_state){0};
    }
    uint8_t senses = wpin_senses_of(config);
    wpin_guard_init(&motor->guard, &config->guard);
    motor->guard.flags = first;
    motor->measurement.at = port->now(port->context);
    wpin_note_port(motor, port, senses);
    wpin_steady_read(&motor->measurement, &config->sense, port, senses);
    motor->shown = fault != WPIN_OK ? WPIN_STATE_FAULT : WPIN_STATE_OFF;
    motor->flags =
        (uint8_t)((actuator->takes == WPIN_TAKES(WPIN_QUANTITY_POSITION) ? WPIN_OWN_RULES : 0) |
                  (config->safe_drive == WPIN_DRIVE_BRAKE ? WPIN_BRAKES : 0));
    wpin_motor_heated(motor, config); /* by a fault that survived: from the begin */
    wpin_note_open(motor, config);    /* open from here on */
    if ((senses & (WPIN_SENSES_LIMITS | WPIN_SENSES_MORE)) != 0) {
        wpin_rare_read_more(motor);
    }
    if ((senses & WPIN_SENSES_WATCH) != 0) { /* what stands in the way of arming, from the begin */
        wpin_motor_watch(motor);
    }
    return WPIN_OK;
}

void wpin_motor_close(wpin_motor *motor) {
    if (!wpin_motor_is_open(motor)) {
        return;
    }
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    wpin_note_closed(motor); /* no request is taken any more */
    motor->armed = WPIN_DISARMED;
    motor->mailed = 0;
    motor->shown = motor->fault != WPIN_OK ? WPIN_STATE_FAULT : WPIN_STATE_OFF;
    config->actuator->off(config->part);
    config->actuator->idle(config->part, (wpin_drive)config->safe_drive);
    config->actuator->close(config->part);
}

/* ---- what it is doing ---- */

/* A motion that was asked for and not yet begun is no motion that has arrived. */
static bool run_waits(const wpin_motor *motor) {
    const volatile uint8_t *what = &motor->mail.what;
    return motor->mailed != 0 && (*what & WPIN_VERB_MASK) == WPIN_VERB_RUN;
}

wpin_state wpin_motor_state(const wpin_motor *motor) {
    if (motor == NULL) {
        return WPIN_STATE_OFF;
    }
    bool waits = run_waits(motor); /* first: the tick publishes after it has taken the mail */
    wpin_state state = (wpin_state)(motor->shown & WPIN_SHOWN_STATE);
    return waits && state == WPIN_STATE_RUNNING ? WPIN_STATE_RAMPING : state;
}

bool wpin_motor_busy(const wpin_motor *motor) {
    return motor != NULL && ((motor->shown & WPIN_SHOWN_BUSY) != 0 || motor->mailed != 0);
}

wpin_duty wpin_motor_duty(const wpin_motor *motor) {
    if (!wpin_motor_is_open(motor)) {
        return 0;
    }
    uint8_t locked = wpin_lock(wpin_port_of(motor)); /* two bytes on 8 bits */
    wpin_duty duty = wpin_config_of(motor)->actuator->shown(wpin_config_of(motor)->part);
    wpin_unlock(wpin_port_of(motor), locked);
    return duty;
}

bool wpin_motor_is_homed(const wpin_motor *motor) {
    return motor != NULL && *(const volatile uint8_t *)&motor->homed != 0;
}

/* What its loop remembers; nothing of a motor that has none. */
static wpin_loop_state loop_memory(const wpin_motor *motor) {
    wpin_loop_state copy = {0};
    if (wpin_motor_is_open(motor) && wpin_config_of(motor)->loop != NULL) {
        uint8_t locked = wpin_lock(wpin_port_of(motor));
        copy = *wpin_config_of(motor)->loop_state;
        wpin_unlock(wpin_port_of(motor), locked);
    }
    return copy;
}

int16_t wpin_motor_asked(const wpin_motor *motor) {
    return loop_memory(motor).asked_now;
}

int32_t wpin_motor_place(const wpin_motor *motor) {
    return loop_memory(motor).place;
}

wpin_status wpin_motor_fault(const wpin_motor *motor) {
    return motor == NULL ? WPIN_OK : (wpin_status)motor->fault;
}

wpin_ended wpin_motor_ended(const wpin_motor *motor) {
    return motor == NULL ? WPIN_ENDED_NOT : (wpin_ended)motor->ended;
}

bool wpin_motor_kicks(const wpin_motor *motor) {
    return motor != NULL && (motor->shown & WPIN_SHOWN_KICKS) != 0;
}

uint8_t wpin_motor_held(const wpin_motor *motor) {
    return motor == NULL ? 0 : *(const volatile uint8_t *)&motor->guard.held;
}

wpin_measurement wpin_motor_measurement(const wpin_motor *motor) {
    wpin_measurement copy = {0};
    if (wpin_motor_is_open(motor)) {
        uint8_t locked = wpin_lock(wpin_port_of(motor));
        copy = motor->measurement;
        wpin_unlock(wpin_port_of(motor), locked);
    }
    return copy;
}

uint32_t wpin_motor_operations(const wpin_motor *motor) {
    const wpin_port *port = motor == NULL ? NULL : wpin_port_of(motor);
    if (port == NULL || (wpin_traits_of(motor) & WPIN_IS_ON_OFF) == 0) {
        return 0;
    }
    uint8_t locked = wpin_lock(port);
    uint32_t operations = motor->operations;
    wpin_unlock(port, locked);
    return operations;
}

int8_t wpin_motor_last_direction(const wpin_motor *motor) {
    uint8_t flags = motor == NULL ? 0 : *(const volatile uint8_t *)&motor->guard.flags;
    return (int8_t)((flags & WPIN_GUARD_LAST_FORWARD) != 0
                        ? 1
                        : ((flags & WPIN_GUARD_LAST_REVERSE) != 0 ? -1 : 0));
}

uint8_t wpin_motor_saturated(const wpin_motor *motor) {
    return motor == NULL ? 0 : motor->counted & 15U;
}

uint8_t wpin_motor_lifted(const wpin_motor *motor) {
    return motor == NULL ? 0 : motor->counted >> 4;
}

int32_t wpin_motor_milliamps(const wpin_motor *motor) {
    wpin_measurement m = wpin_motor_measurement(motor);
    if (!wpin_motor_is_open(motor) || (m.valid & WPIN_HAS_CURRENT) == 0) {
        return 0;
    }
    uint16_t mv_per_a = wpin_config_of(motor)->sense.current_mv_per_a;
    return mv_per_a == 0 ? 0 : (int32_t)m.current * 1000 / mv_per_a;
}
