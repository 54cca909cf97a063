/* A motor's protections; and the loop of a motor that has nothing else, so that firmware of such
 * motors links no regulators. */
#include "motor_core.h"

bool wpin_protections_hold(const WPIN_FAR wpin_motor_config *config) {
    config = wpin_config_known(config);
    for (uint8_t i = 0; i < config->protection_count; i++) {
        const WPIN_FAR wpin_protection *p = &config->protections[i];
        if (config->protections == NULL || p->check == NULL || p->reset == NULL) {
            return false;
        }
    }
    return true;
}

void wpin_protections_armed(wpin_motor *motor) {
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    for (uint8_t i = 0; i < config->protection_count; i++) {
        config->protections[i].reset(config->protections[i].state);
    }
}

wpin_status wpin_protections_watch(wpin_motor *motor) {
    return wpin_steady_watch(motor, wpin_config_of(motor));
}

/* ---- nothing else ---- */

static bool holds(const WPIN_FAR wpin_motor_config *config) {
    config = wpin_config_known(config);
    return config->regulator_count == 0 && config->travel == NULL && wpin_protections_hold(config);
}

static bool has_way(const WPIN_FAR wpin_motor_config *config, uint8_t quantity) {
    (void)config, (void)quantity;
    return false;
}

static wpin_status check(wpin_motor *motor, const wpin_setpoint *setpoint, uint32_t timeout_ms) {
    (void)motor, (void)setpoint, (void)timeout_ms;
    return WPIN_REFUSED_QUANTITY;
}

static wpin_status place_of(wpin_motor *motor, int32_t millidegrees, bool by, int32_t *place) {
    (void)motor, (void)millidegrees, (void)by, (void)place;
    return WPIN_REFUSED_QUANTITY;
}

static uint32_t least_us(const wpin_motor *motor, uint8_t quantity, int32_t target) {
    (void)motor, (void)quantity, (void)target;
    return 0;
}

static void begin(wpin_motor *motor, uint8_t quantity, const wpin_request *request) {
    (void)motor, (void)quantity, (void)request;
}

static uint8_t follow(const wpin_motor *motor, uint8_t quantity, int32_t *value) {
    (void)motor, (void)value;
    return quantity;
}

static wpin_duty effort(wpin_motor *motor, uint16_t ramp_us) {
    (void)motor, (void)ramp_us;
    return 0;
}

static bool rests(wpin_motor *motor, uint16_t ramp_us) {
    (void)motor, (void)ramp_us;
    return true;
}

static void far(wpin_motor *motor, int16_t off) {
    (void)motor, (void)off;
}

static void nothing(wpin_motor *motor) {
    (void)motor;
}

static bool ends(const wpin_motor *motor) {
    (void)motor;
    return true;
}

const WPIN_FLASH wpin_loop wpin_protecting_loop = {.holds = holds,
                                                   .has_way = has_way,
                                                   .check = check,
                                                   .place_of = place_of,
                                                   .least_us = least_us,
                                                   .begin = begin,
                                                   .follow = follow,
                                                   .effort = effort,
                                                   .rests = rests,
                                                   .far = far,
                                                   .settle = nothing,
                                                   .armed = wpin_protections_armed,
                                                   .watch = wpin_protections_watch,
                                                   .bound = nothing,
                                                   .ends = ends};
