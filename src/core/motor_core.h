/* What the files of the motor share. */
#ifndef WPIN_CORE_MOTOR_CORE_H
#define WPIN_CORE_MOTOR_CORE_H

#include "countdown.h"
#include "rare.h"
#include "windpin/impl/lock.h"
#include "windpin/impl/steady.h"

/* wpin_request.what: verb, quantity of the set-point, and whether the ramp's time was not asked
 * for. */
enum {
    WPIN_VERB_RUN,
    WPIN_VERB_STOP,
    WPIN_VERB_COAST,
    WPIN_VERB_BRAKE,
    WPIN_VERB_CALIBRATE,
    WPIN_VERB_REFRESH
};
#define WPIN_VERB_MASK      ((uint8_t)7)
#define WPIN_QUANTITY_SHIFT 3
#define WPIN_UNASKED        ((uint8_t)128)

/* The size of a number; of the most negative one too. */
static inline uint32_t wpin_magnitude(int32_t value) {
    return value < 0 ? 0U - (uint32_t)value : (uint32_t)value;
}

static inline bool wpin_motor_is_open(const wpin_motor *motor) {
#ifdef WPIN_ONE_MOTOR
    return motor != NULL && wpin_is_noted(motor);
#else
    return motor != NULL && motor->config != NULL && motor->port != NULL;
#endif
}

static inline uint16_t wpin_lower(uint16_t a, uint16_t b) {
    return a < b ? a : b;
}

/* What a motor remembers in a bit each. */
static inline void wpin_motor_set(wpin_motor *motor, uint8_t flags) {
    motor->flags = (uint8_t)(motor->flags | flags);
}

static inline void wpin_motor_clear(wpin_motor *motor, uint8_t flags) {
    motor->flags = (uint8_t)(motor->flags & ~flags);
}

static inline bool wpin_motor_is_on_off(const wpin_motor *motor) {
    return (wpin_traits_of(motor) & WPIN_IS_ON_OFF) != 0;
}

/* Whether regulators turn a quantity into effort. */
static inline bool wpin_motor_regulates(const wpin_motor *motor, uint8_t quantity) {
    return quantity != WPIN_QUANTITY_EFFORT && (motor->flags & WPIN_OWN_RULES) == 0;
}

/* Nothing but effort can be asked of it, so that nothing else need be looked at. */
static inline bool wpin_motor_takes_effort_alone(const wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    return config->loop == NULL && config->actuator->takes == WPIN_TAKES(WPIN_QUANTITY_EFFORT);
}

static inline int8_t wpin_sign_of(int32_t value) {
    return (int8_t)((value > 0) - (value < 0));
}

static inline bool wpin_finds_home(uint8_t quantity, int32_t value) {
    return quantity == WPIN_QUANTITY_POSITION && value == WPIN_POSITION_HOME;
}

/* The rest state it shows now, to the actuator. */
static inline wpin_status wpin_motor_idle(wpin_motor *motor) {
    return wpin_config_of(motor)->actuator->idle(wpin_config_of(motor)->part,
                                                 wpin_rest_drive(motor));
}

/* Asks the protections what they would trip on now. */
static inline void wpin_motor_watch(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    if (config->loop != NULL) {
        config->loop_state->watched = (uint8_t)config->loop->watch(motor);
    }
}

/* Takes the mail at once, in the same control period, where there is any. Tick. */
void wpin_motor_take(wpin_motor *motor);

/* What it is asked for from here on; nothing; to zero at once, with the rest state it then shows.
 * Tick. */
void wpin_motor_ask(wpin_motor *motor, uint8_t quantity, int32_t value);
void wpin_motor_want_nothing(wpin_motor *motor);
void wpin_motor_drop(wpin_motor *motor, uint8_t drive);
/* Its ramp, if it has one, is over; what it shows at zero from here on; whether the guard's rules
 * or an actuator's own hold for a quantity. Tick. */
void wpin_motor_end_ramp(wpin_motor *motor);
void wpin_motor_rest_with(wpin_motor *motor, uint8_t drive);
void wpin_motor_choose_rules(wpin_motor *motor, uint8_t quantity);
/* How a ramp's time is scaled, as its share was made for it: see wpin_ramp_time_of. */
int8_t wpin_ramp_shift(uint32_t us);
/* A fault is latched: the cool-down begins, where its cause heats. Tick and init. */
void wpin_motor_heated(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config);
/* Whether it may be driven that way at all, and whether its time-out would be over before. Any. */
wpin_status wpin_motor_check_direction(wpin_motor *motor, int32_t value);
bool wpin_motor_never_starts(const wpin_motor *motor, int8_t direction, uint32_t timeout_ms);

/* Whether it is at the place it was asked for, as nearly as the configuration wants it; and, for
 * each quantity, holds WPIN_HELD_SETTLING until it has come to what it was asked for. Tick. */
bool wpin_motor_is_near(const wpin_motor *motor);
void wpin_motor_settle(wpin_motor *motor);
/* A speed is not near what was asked for yet. Tick. */
void wpin_motor_far(wpin_motor *motor, int16_t off);

/* Whether the list of protections is sound; they begin anew; what they would trip on. */
bool wpin_protections_hold(const WPIN_FAR wpin_motor_config *config);
void wpin_protections_armed(wpin_motor *motor);
wpin_status wpin_protections_watch(wpin_motor *motor);

/* Whether regulators lead from a quantity to one that the actuator takes. */
bool wpin_motor_has_way(const WPIN_FAR wpin_motor_config *config, uint8_t quantity);

/* Milliseconds of the reversal pause that may still be before it, rounded up. */
uint32_t wpin_motor_pause_ms(const wpin_motor *motor);

#endif
