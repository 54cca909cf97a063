/* An actuator, regulators and protections of any kind, which answer anything: what is proved of a
 * motor with them holds with every one, a user's own too. */
#ifndef WPIN_PROOF_ANY_KIND_H
#define WPIN_PROOF_ANY_KIND_H

#include "any.h"

static wpin_status actuator_open(void *self, const WPIN_FAR void *part, const wpin_port *port) {
    (void)self, (void)part, (void)port;
    return any_status();
}

static wpin_status actuator_call(void *self) {
    (void)self;
    return any ? (wpin_status)any8 : WPIN_OK;
}

static uint8_t actuator_traits(const void *self) {
    (void)self;
    return any8;
}

static wpin_status actuator_put(void *self, uint8_t quantity, int32_t value) {
    (void)quantity, (void)value;
    return actuator_call(self);
}

static wpin_status actuator_idle(void *self, wpin_drive how) {
    (void)how;
    return actuator_call(self);
}

static wpin_duty actuator_shown(const void *self) {
    (void)self;
    return any_signed16;
}

static void actuator_off(void *self) {
    (void)self;
}

static bool actuator_asked(void *self) {
    (void)self;
    return ANY_BOOL;
}

static wpin_status actuator_poll(void *self, wpin_measurement *m) {
    ANYTHING(*m);
    return actuator_call(self);
}

static wpin_status actuator_angle(void *self, int32_t millidegrees, bool by, int32_t *position) {
    (void)millidegrees, (void)by;
    *position = any_signed32;
    return actuator_call(self);
}

static wpin_actuator any_actuator;

/* Puts a motor on it. */
static void on_any_actuator(wpin_motor_config *config) {
    any_actuator = (wpin_actuator){.takes = any8,
                                   .open = actuator_open,
                                   .close = actuator_call,
                                   .traits = actuator_traits,
                                   .put = actuator_put,
                                   .idle = actuator_idle,
                                   .shown = actuator_shown,
                                   .off = actuator_off,
                                   .stop = any ? actuator_asked : NULL,
                                   .poll = any ? actuator_poll : NULL,
                                   .angle = any ? actuator_angle : NULL,
                                   .clear = any ? actuator_call : NULL,
                                   .homed = any ? actuator_asked : NULL};
    config->actuator = &any_actuator;
    config->part = &any_actuator;
}

static int32_t regulator_step(void *state, const void *config, int32_t setpoint,
                              const wpin_measurement *m, const wpin_given *given) {
    (void)state, (void)config, (void)setpoint, (void)m, (void)given;
    return any_signed32;
}

static void regulator_reset(void *state, const void *config, const wpin_measurement *m,
                            const wpin_given *given) {
    (void)state, (void)config, (void)m, (void)given;
}

static bool regulator_near(const void *state, const void *config) {
    (void)state, (void)config;
    return ANY_BOOL;
}

static wpin_status protection_check(void *state, const void *config, const wpin_watched *w) {
    (void)state, (void)config, (void)w;
    return any ? (wpin_status)any8 : WPIN_OK;
}

static void protection_reset(void *state) {
    (void)state;
}

enum { ANY_REGULATORS = 3, ANY_PROTECTIONS = 2 };

static wpin_regulator any_regulators[ANY_REGULATORS];
static wpin_protection any_protections[ANY_PROTECTIONS];
static wpin_loop_state any_loop_state;

/* Closes its loop through them, or only protects it. */
static void in_any_loop(wpin_motor_config *config) {
    for (int i = 0; i < ANY_REGULATORS; i++) {
        any_regulators[i] = (wpin_regulator){.takes = any8 & 3U,
                                             .gives = any8 & 3U,
                                             .step = regulator_step,
                                             .reset = regulator_reset,
                                             .near = any ? regulator_near : NULL};
    }
    for (int i = 0; i < ANY_PROTECTIONS; i++) {
        any_protections[i] =
            (wpin_protection){.check = protection_check, .reset = protection_reset};
    }
    config->loop = any ? &wpin_closed_loop : &wpin_protecting_loop;
    config->loop_state = &any_loop_state;
    config->regulators = any_regulators;
    config->regulator_count = any ? 0 : ANY_REGULATORS;
    config->protections = any_protections;
    config->protection_count = any ? 0 : ANY_PROTECTIONS;
}

#endif
