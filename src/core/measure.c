/* One reading of the clock and of each sensor, a tick: what is not read every time. */
#include "motor_core.h"

static uint8_t read_limit(const wpin_port *port, const WPIN_FAR wpin_limit *limit, uint8_t bit) {
    return limit->used && port->read(port->context, limit->pin) == limit->high ? bit : 0;
}

WPIN_RARE void wpin_rare_read_more(wpin_motor *motor) {
    const WPIN_FAR wpin_sense_config *sense = &wpin_config_of(motor)->sense;
    motor->measurement.inputs =
        (uint8_t)(read_limit(wpin_port_of(motor), &sense->limit_forward, WPIN_AT_FORWARD_LIMIT) |
                  read_limit(wpin_port_of(motor), &sense->limit_reverse, WPIN_AT_REVERSE_LIMIT));
    if (sense->more != NULL) {
        motor->measurement.inputs =
            (uint8_t)(motor->measurement.inputs | wpin_steady_driven(motor));
        sense->more(sense->context, &motor->measurement);
        if (wpin_config_of(motor)->loop != NULL && wpin_config_of(motor)->travel != NULL) {
            wpin_config_of(motor)->loop->bound(motor);
        }
    }
}
