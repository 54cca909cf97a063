/* One input that stops everything, latched. */
#include "windpin/stop.h"
#include "motor_core.h"

#define PRESSED_AFTER 2 /* readings: one alone may be a spark */

wpin_status wpin_stop_init(wpin_stop *stop, const wpin_stop_config *config, const wpin_port *port) {
    if (stop == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *stop = (wpin_stop){0};
    if (config == NULL || port == NULL || (config->motors == NULL && config->count != 0)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    if (port->read == NULL && !config->by_program) {
        return WPIN_REFUSED_PORT;
    }
    stop->port = port;
    stop->config = config;
    return WPIN_OK;
}

static bool is_open(const wpin_stop *stop) {
    return stop != NULL && stop->config != NULL && stop->port != NULL;
}

static uint8_t how_of(const wpin_stop *stop, uint16_t index) {
    return stop->config->how == NULL ? (uint8_t)WPIN_STOP_RAMP : stop->config->how[index];
}

/* What it can't do that way it does by its ramp. */
static void bring_to_rest(wpin_motor *motor, uint8_t how) {
    wpin_status status = WPIN_REFUSED_STATE;
    if (how == WPIN_STOP_BRAKE) {
        status = wpin_motor_brake(motor);
    } else if (how == WPIN_STOP_COAST) {
        status = wpin_motor_coast(motor);
    }
    if (status != WPIN_OK) {
        (void)wpin_motor_stop(motor, 0);
    }
}

/* Something asked it to do more after it was told: in its mail, or taken already. A stepper that
 * stops is on its way to a place. */
static bool is_asked_to_move(const wpin_motor *motor) {
    return motor->mailed != 0 ||
           (motor->setpoint.value != 0 && motor->setpoint.quantity == WPIN_QUANTITY_EFFORT);
}

/* At zero for as long as it takes before it may turn the other way; braked or not. */
static bool has_rested(const wpin_motor *motor) {
    wpin_state state = wpin_motor_state(motor);
    return state == WPIN_STATE_READY ||
           (state == WPIN_STATE_BRAKING && motor->guard.direction == 0);
}

static void serve(const wpin_stop *stop, uint16_t index) {
    wpin_motor *motor = stop->config->motors[index];
    if (!wpin_motor_is_open(motor) || motor->armed == WPIN_DISARMED) {
        return;
    }
    if (!stop->served || is_asked_to_move(motor)) {
        bring_to_rest(motor, how_of(stop, index));
    } else if (has_rested(motor)) {
        wpin_motor_disarm(motor);
    }
}

static bool reads_pressed(const wpin_stop *stop) {
    const wpin_stop_config *c = stop->config;
    return !c->by_program && stop->port->read(stop->port->context, c->pin) == c->opens;
}

void wpin_stop_tick(wpin_stop *stop) {
    if (!is_open(stop)) {
        return;
    }
    if (!reads_pressed(stop)) {
        stop->pressed = 0;
    } else if (stop->pressed < PRESSED_AFTER) {
        stop->pressed++;
    }
    if (stop->pressed == PRESSED_AFTER) {
        stop->latched = 1;
    }
    if (stop->latched != 0) {
        for (uint16_t i = 0; i < stop->config->count; i++) {
            serve(stop, i);
        }
        stop->served = 1;
    }
}

void wpin_stop_now(wpin_stop *stop) {
    if (is_open(stop)) {
        stop->latched = 1;
    }
}

bool wpin_stop_latched(const wpin_stop *stop) {
    return stop != NULL && stop->latched != 0;
}

static bool some_move(const wpin_stop *stop) {
    for (uint16_t i = 0; i < stop->config->count; i++) {
        const wpin_motor *motor = stop->config->motors[i];
        wpin_state state = wpin_motor_state(motor);
        if (wpin_motor_duty(motor) != 0 || state == WPIN_STATE_RAMPING ||
            state == WPIN_STATE_RUNNING) {
            return true;
        }
    }
    return false;
}

wpin_status wpin_stop_rearm(wpin_stop *stop) {
    if (!is_open(stop)) {
        return stop == NULL ? WPIN_REFUSED_ARGUMENT : WPIN_REFUSED_CLOSED;
    }
    if (stop->latched == 0) {
        return WPIN_REFUSED_NO_FAULT;
    }
    if (stop->pressed != 0 || reads_pressed(stop)) {
        return WPIN_REFUSED_CAUSE;
    }
    if (some_move(stop)) {
        return WPIN_REFUSED_NOT_ZERO;
    }
    for (uint16_t i = 0; i < stop->config->count; i++) {
        wpin_motor_disarm(stop->config->motors[i]);
    }
    stop->served = 0;
    stop->latched = 0;
    return WPIN_OK;
}
