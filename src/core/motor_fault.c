/* Faults of a motor, and how it gets armed after one. */
#include "motor_core.h"

/* What is latched has no time-out: its place has the time until it may be cleared. */
void wpin_motor_heated(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config) {
    uint16_t cool_s = wpin_config_known(config)->guard.cool_s;
    uint8_t cause = motor->fault;
    bool heats = cause == WPIN_FAULT_OVERCURRENT || cause == WPIN_FAULT_STALLED ||
                 cause == WPIN_FAULT_NO_MOTION;
    if (cool_s != 0) {
        wpin_set_countdown(&motor->timeout, heats ? cool_s * (uint32_t)1000 : 0);
    }
}

static void cool(wpin_motor *motor) {
    const WPIN_FAR wpin_guard_config *guard = &wpin_config_of(motor)->guard;
    if (guard->cool_s != 0 && !wpin_run_out(&motor->timeout)) {
        uint8_t locked = wpin_lock(wpin_port_of(motor)); /* read from any context */
        wpin_count_down(&motor->timeout,
                        wpin_lower(motor->measurement.dt_us, wpin_tick_max(guard)));
        wpin_unlock(wpin_port_of(motor), locked);
    }
}

WPIN_RARE void wpin_rare_latch(wpin_motor *motor, wpin_status cause) {
    if (motor->fault == WPIN_OK) {
        motor->fault = (uint8_t)cause;
        wpin_motor_heated(motor, wpin_config_of(motor));
    }
    if (cause == WPIN_FAULT_FEEDBACK || cause == WPIN_FAULT_WRONG_WAY) {
        motor->homed = 0; /* what was counted may be wrong */
    }
    motor->armed = WPIN_DISARMED;
    wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
}

WPIN_RARE bool wpin_rare_clock_stands(const wpin_motor *motor) {
    uint8_t most = wpin_config_of(motor)->guard.clock_stands;
    return motor->stood >= (most != 0 ? most : 100);
}

/* False: an interrupt disarmed it while its actuator was made idle, and that counts. */
static bool becomes_armed(wpin_motor *motor) {
    uint8_t locked = wpin_lock(wpin_port_of(motor));
    bool arming = motor->armed == WPIN_ARMING;
    motor->armed = arming ? WPIN_ARMED : motor->armed;
    wpin_unlock(wpin_port_of(motor), locked);
    return arming;
}

/* Not armed, just armed, or tripped. A tick that is late is no fault for what was not armed before
 * it. */
WPIN_RARE void wpin_rare_unarmed(wpin_motor *motor) {
    if (motor->tripped != WPIN_OK) {
        wpin_rare_latch(motor, (wpin_status)motor->tripped);
    }
    if (motor->armed == WPIN_DISARMED || motor->fault != WPIN_OK) {
        wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
        if (motor->fault != WPIN_OK) {
            cool(motor);
        }
        if ((wpin_senses(motor) & WPIN_SENSES_WATCH) != 0) {
            wpin_motor_watch(motor);
        }
        return;
    }
    wpin_status cause =
        wpin_steady_check(motor, wpin_config_of(motor), wpin_senses(motor), false, false);
    if (cause != WPIN_OK) {
        wpin_rare_latch(motor, cause);
        return;
    }
    /* disarmed and armed within a tick it was cut off since, and takes nothing before it is idle */
    wpin_status status = wpin_config_of(motor)->actuator->idle(
        wpin_config_of(motor)->part, (wpin_drive)wpin_config_of(motor)->rest_drive);
    if (status != WPIN_OK) {
        wpin_rare_failure(motor, status);
        return;
    }
    if (!becomes_armed(motor)) {
        wpin_motor_drop(motor, wpin_config_of(motor)->safe_drive);
        return;
    }
    if (wpin_config_of(motor)->loop != NULL) {
        wpin_config_of(motor)->loop_state->watched = WPIN_OK;
        wpin_config_of(motor)->loop->armed(motor);
    }
    wpin_motor_drop(motor, wpin_config_of(motor)->rest_drive); /* whatever was, it begins at zero */
}

/* The port failed: everything off, by the shortest way, and the fault is latched. */
WPIN_RARE void wpin_rare_failure(wpin_motor *motor, wpin_status status) {
    if (status != WPIN_REFUSED_FAULTED) { /* cut by a trip that the next tick latches */
        wpin_rare_latch(motor, status >= WPIN_FAULT_FIRST ? status : WPIN_FAULT_PORT);
        motor->guard.flags &= (uint8_t)~WPIN_GUARD_DRIVEN;
        wpin_config_of(motor)->actuator->off(wpin_config_of(motor)->part);
    }
}

WPIN_RARE wpin_status wpin_rare_poll(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    wpin_status status = config->actuator->poll != NULL
                             ? config->actuator->poll(config->part, &motor->measurement)
                             : WPIN_OK;
    if (status != WPIN_OK) {
        wpin_rare_failure(motor, status);
    }
    return status;
}
