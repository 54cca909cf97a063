/* One control period of a motor: snapshot, mail, time-out, regulators, guard, actuator; the steady
 * path stands in windpin/impl/steady.h. */
#include "motor_core.h"

#ifdef WPIN_ONE_MOTOR
#define FOLDED true
#else
#define FOLDED false
#endif

static bool tick(wpin_motor *motor) {
    return wpin_steady_tick(motor, wpin_config_of(motor), wpin_port_of(motor), wpin_senses(motor),
                            FOLDED);
}

void wpin_motor_tick(wpin_motor *motor) {
    if (!wpin_motor_is_open(motor)) {
        return;
    }
    if (tick(motor) && wpin_port_of(motor)->kick != NULL) {
        wpin_port_of(motor)->kick(wpin_port_of(motor)->context);
    }
}

void wpin_motors_tick(wpin_motor *const *motors, uint16_t count) {
    const wpin_port *port = NULL;
    bool well = true;
    for (uint16_t i = 0; motors != NULL && i < count; i++) {
        wpin_motor *motor = motors[i];
        if (wpin_motor_is_open(motor)) {
            well = tick(motor) && well;
            port = port == NULL ? wpin_port_of(motor) : port;
        }
    }
    if (well && port != NULL && port->kick != NULL) {
        port->kick(port->context);
    }
}
