/* A motor that answers anything and is anything after each call, in place of the core's own: what
 * is proved with it holds whatever a motor does. That every one of these calls may come at any
 * time, and with anything, is proved in motor.c and loop.c. */
#ifndef WPIN_PROOF_ANY_MOTOR_H
#define WPIN_PROOF_ANY_MOTOR_H

#include "../src/core/motor_core.h"
#include "any.h"

/* All of it but what it is made of; of another one it would be no motor. */
static wpin_status changed(wpin_motor *motor) {
    const wpin_motor_config *config = motor->config;
    const wpin_port *port = motor->port;
    ANYTHING(*motor);
    motor->config = config;
    motor->port = port;
    return any ? (wpin_status)any8 : WPIN_OK;
}

wpin_status wpin_motor_arm(wpin_motor *motor) {
    return changed(motor);
}

void wpin_motor_disarm(wpin_motor *motor) {
    changed(motor);
}

wpin_status wpin_motor_brake(wpin_motor *motor) {
    return changed(motor);
}

wpin_status wpin_motor_coast(wpin_motor *motor) {
    return changed(motor);
}

wpin_status wpin_motor_clear_fault(wpin_motor *motor) {
    return changed(motor);
}

wpin_status wpin_motor_calibrate(wpin_motor *motor, uint32_t timeout_ms) {
    (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_home(wpin_motor *motor, uint32_t timeout_ms) {
    (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_refresh(wpin_motor *motor, uint32_t timeout_ms) {
    (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_stop(wpin_motor *motor, uint32_t ramp_us) {
    (void)ramp_us;
    return changed(motor);
}

wpin_status wpin_motor_request(wpin_motor *motor, wpin_setpoint setpoint, uint32_t ramp_us,
                               uint32_t timeout_ms) {
    (void)setpoint, (void)ramp_us, (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_turn(wpin_motor *motor, int32_t millidegrees, uint32_t timeout_ms) {
    (void)millidegrees, (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_turn_to(wpin_motor *motor, int32_t millidegrees, uint32_t timeout_ms) {
    (void)millidegrees, (void)timeout_ms;
    return changed(motor);
}

wpin_status wpin_motor_set_position(wpin_motor *motor, int32_t position) {
    (void)position;
    return changed(motor);
}

void wpin_motor_take(wpin_motor *motor) {
    changed(motor);
}

void wpin_motors_tick(wpin_motor *const *motors, uint16_t count) {
    for (uint16_t i = 0; i < count; i++) {
        changed(motors[i]);
    }
}

wpin_duty wpin_motor_duty(const wpin_motor *motor) {
    (void)motor;
    return any_signed16;
}

bool wpin_motor_busy(const wpin_motor *motor) {
    return motor != NULL && ANY_BOOL;
}

bool wpin_motor_is_homed(const wpin_motor *motor) {
    return motor != NULL && ANY_BOOL;
}

wpin_state wpin_motor_state(const wpin_motor *motor) {
    (void)motor;
    return (wpin_state)any8;
}

uint32_t wpin_motor_pause_ms(const wpin_motor *motor) {
    /*@ assert is_open: motor->config != \null && motor->port != \null; */
    (void)motor;
    return any32;
}

bool wpin_motor_has_way(const wpin_motor_config *config, uint8_t quantity) {
    (void)quantity;
    return config->actuator != NULL && ANY_BOOL;
}

#endif
