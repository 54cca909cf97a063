/* When a motor in closed loop has come to what it was asked for. */
#include "motor_core.h"

#define NO_NEARER_US ((uint32_t)1000000)

/* Whether it is where it was asked to be, as nearly as the configuration wants it. */
bool wpin_motor_is_near(const wpin_motor *motor) {
    uint32_t off = (uint32_t)motor->setpoint.value - (uint32_t)motor->measurement.position;
    return (motor->measurement.valid & WPIN_HAS_POSITION) != 0 &&
           wpin_magnitude((int32_t)off) <= wpin_config_of(motor)->at_count;
}

/* There once it has stood near enough for long enough; then it is let go. */
WPIN_RARE static void settle_at_place(wpin_motor *motor) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    const wpin_measurement *m = &motor->measurement;
    uint32_t settle_us = (config->settle_ms != 0 ? config->settle_ms : 50U) * (uint32_t)1000;
    bool near = wpin_motor_is_near(motor) && wpin_magnitude(m->speed) <= config->guard.standstill;
    uint32_t there_us = near ? (uint32_t)state->speed_off + m->dt_us : 0;
    state->speed_off = there_us > INT32_MAX ? INT32_MAX : (int32_t)there_us;
    if (there_us >= settle_us) {
        wpin_motor_drop(motor, config->rest_drive); /* it stands: nothing to ramp down */
    } else {
        motor->guard.held |= WPIN_HELD_SETTLING;
    }
}

/* Whether it has come no nearer for a second: then it is as near as its limits, its supply or its
 * noise let it. While it stands it may yet: for that there are protections, and ten seconds. */
WPIN_RARE static bool comes_no_nearer(wpin_motor *motor, uint16_t far, bool stands) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    bool on_way = state->asked_now != motor->setpoint.value || wpin_ramp_runs(&motor->ramp);
    if (on_way || far < state->nearest) {
        state->nearest = on_way ? UINT16_MAX : far;
        state->no_nearer_us = 0;
        return false;
    }
    bool over = state->no_nearer_us >= (stands ? 10U * NO_NEARER_US : NO_NEARER_US);
    state->no_nearer_us += over ? 0 : motor->measurement.dt_us;
    return over;
}

WPIN_RARE static void settle_torque(wpin_motor *motor) {
    wpin_loop_state *state = wpin_config_of(motor)->loop_state;
    const WPIN_FAR wpin_motor_config *config = wpin_config_of(motor);
    const uint8_t limits = WPIN_HELD_CAP | WPIN_HELD_FIRST | WPIN_HELD_LIMIT | WPIN_HELD_CURRENT;
    bool there = state->asked_now == motor->setpoint.value, near = true;
    for (uint8_t i = 0; i < config->regulator_count; i++) {
        const WPIN_FAR wpin_regulator *r = &config->regulators[i];
        near = near && (r->takes != WPIN_QUANTITY_TORQUE || r->near == NULL ||
                        r->near(r->state, r->config));
    }
    bool limited = (motor->guard.held & limits) != 0; /* running free it never draws that much */
    if (!there || !(near || limited || comes_no_nearer(motor, 1, false))) {
        motor->guard.held |= WPIN_HELD_SETTLING;
    }
}

/* Its speed is not near what was asked for yet. */
WPIN_RARE void wpin_motor_far(wpin_motor *motor, int16_t off) {
    bool stands =
        wpin_steady_size(motor->measurement.speed) <= wpin_config_of(motor)->guard.standstill;
    if (!comes_no_nearer(motor, wpin_steady_size(off), stands)) {
        motor->guard.held |= WPIN_HELD_SETTLING;
    }
}

void wpin_motor_settle(wpin_motor *motor) {
    switch (motor->setpoint.quantity) {
    case WPIN_QUANTITY_POSITION: settle_at_place(motor); break;
    case WPIN_QUANTITY_SPEED: wpin_steady_settle_speed(motor, wpin_config_of(motor)); break;
    case WPIN_QUANTITY_TORQUE: settle_torque(motor); break;
    default: break;
    }
}
