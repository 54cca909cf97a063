/** @file constants.h
 * Not for direct use: where the core finds what is constant about a motor and its stage.
 *
 * Usually each object points to its configuration and port. A program that has one motor and no
 * other may instead name both when it compiles, library and all:
 *
 *     -DWPIN_ONE_MOTOR=pump_config -DWPIN_ONE_PORT=chip_port -flto
 *
 * Then every function of the core is compiled for that motor: what it does not use is not there,
 * and no object points anywhere. `pump_config` and `chip_port` are then no `static`.
 */
#ifndef WINDPIN_IMPL_CONSTANTS_H
#define WINDPIN_IMPL_CONSTANTS_H

#include "../motor.h"
#include "inline.h"

#ifdef __cplusplus
extern "C" {
#endif

#ifdef WPIN_ONE_MOTOR
extern const WPIN_FLASH wpin_motor_config WPIN_ONE_MOTOR;
extern const wpin_port WPIN_ONE_PORT;
#endif

WPIN_STEADY const WPIN_FAR wpin_motor_config *wpin_config_of(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    (void)motor;
    return &WPIN_ONE_MOTOR;
#else
    return motor->config;
#endif
}

/* What a motor may be opened with, if that holds: there is no other. */
WPIN_STEADY const WPIN_FAR wpin_motor_config *
wpin_config_known(const WPIN_FAR wpin_motor_config *config) {
#ifdef WPIN_ONE_MOTOR
    (void)config;
    return &WPIN_ONE_MOTOR;
#else
    return config;
#endif
}

/* Whether its loop may be closed: then the usual is looked for first, which takes some flash. */
WPIN_STEADY bool wpin_may_be_regulated(const wpin_motor *motor) {
    (void)motor;
#ifdef WPIN_ONE_MOTOR
    return WPIN_ONE_MOTOR.loop != NULL;
#else
    return true;
#endif
}

/* What to tell those that know it so: nothing, so that the one motor's configuration need not lie
 * anywhere at all. */
WPIN_STEADY const WPIN_FAR wpin_motor_config *
wpin_config_told(const WPIN_FAR wpin_motor_config *config) {
#ifdef WPIN_ONE_MOTOR
    (void)config;
    return NULL;
#else
    return config;
#endif
}

WPIN_STEADY const wpin_port *wpin_port_known(const wpin_port *port) {
#ifdef WPIN_ONE_MOTOR
    (void)port;
    return &WPIN_ONE_PORT;
#else
    return port;
#endif
}

WPIN_STEADY const wpin_port *wpin_port_of(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    (void)motor;
    return &WPIN_ONE_PORT;
#else
    return motor->port;
#endif
}

#ifdef WPIN_ONE_MOTOR
/* Whether it is on a stage, and not on what has one within. That two addresses in flash differ a
 * compiler for 8 bits finds out late, and has kept by then what is not used. */
WPIN_STEADY bool wpin_is_on_stage(void) {
    return WPIN_ONE_MOTOR.actuator->stage;
}
#endif

/* Of the one motor's stage; a stage within another actuator knows its own. */
WPIN_STEADY const WPIN_FAR wpin_stage_config *wpin_stage_config_of(const wpin_stage *stage) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_is_on_stage()) {
        return (const WPIN_FAR wpin_stage_config *)WPIN_ONE_MOTOR.part_config;
    }
#endif
    return stage->config;
}

/* What it was opened with: there is no other. */
WPIN_STEADY const WPIN_FAR wpin_stage_config *
wpin_stage_config_known(const WPIN_FAR wpin_stage_config *config) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_is_on_stage()) {
        return (const WPIN_FAR wpin_stage_config *)WPIN_ONE_MOTOR.part_config;
    }
#endif
    return config;
}

/* Where it lies, which the one motor knows: an address takes no register. */
WPIN_STEADY wpin_stage *wpin_stage_there(const void *stage) {
#ifdef WPIN_ONE_MOTOR
    if (wpin_is_on_stage()) {
        return (wpin_stage *)WPIN_ONE_MOTOR.part;
    }
#endif
    return (wpin_stage *)stage;
}

WPIN_STEADY const wpin_port *wpin_stage_port_of(const wpin_stage *stage) {
#ifdef WPIN_ONE_MOTOR
    (void)stage;
    return &WPIN_ONE_PORT;
#else
    return stage->port;
#endif
}

/* ---- what a motor notes when it is opened ---- */

#ifdef WPIN_ONE_MOTOR
#define WPIN_NOTED ((uint8_t)128) /* of wpin_motor.traits: it is open */
#endif

WPIN_STEADY bool wpin_is_noted(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    return (motor->traits & WPIN_NOTED) != 0;
#else
    return motor->config != NULL;
#endif
}

WPIN_STEADY void wpin_note_port(wpin_motor *motor, const wpin_port *port, uint8_t senses) {
#ifdef WPIN_ONE_MOTOR
    (void)motor, (void)port, (void)senses;
#else
    motor->port = port;
    motor->senses = senses;
#endif
}

WPIN_STEADY void wpin_note_open(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config) {
#ifdef WPIN_ONE_MOTOR
    (void)config;
    motor->traits |= WPIN_NOTED;
#else
    motor->config = config;
#endif
}

WPIN_STEADY void wpin_note_closed(wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    motor->traits &= (uint8_t)~WPIN_NOTED;
#else
    motor->config = NULL;
#endif
}

WPIN_STEADY void wpin_stage_note_port(wpin_stage *stage, const wpin_port *port) {
#ifdef WPIN_ONE_MOTOR
    (void)stage, (void)port;
#else
    stage->port = port;
#endif
}

/* Whether a motor, and a stage, may be opened with these at all. */
WPIN_STEADY bool wpin_may_open(const WPIN_FAR wpin_motor_config *config, const wpin_port *port) {
#ifdef WPIN_ONE_MOTOR
    return config == &WPIN_ONE_MOTOR && port == &WPIN_ONE_PORT;
#else
    return config != NULL && port != NULL;
#endif
}

WPIN_STEADY bool wpin_stage_may_open(const WPIN_FAR wpin_stage_config *config,
                                     const wpin_port *port) {
#ifdef WPIN_ONE_MOTOR
    bool within = !wpin_is_on_stage() && config != NULL;
    return (within || config == (const WPIN_FAR wpin_stage_config *)WPIN_ONE_MOTOR.part_config) &&
           port == &WPIN_ONE_PORT;
#else
    return config != NULL && port != NULL;
#endif
}

#ifdef __cplusplus
}
#endif
#endif
