/* Keeping interrupts out for the few writes that must not be torn apart. */
#ifndef WINDPIN_IMPL_LOCK_H
#define WINDPIN_IMPL_LOCK_H

#include "../port.h"

static inline __attribute__((always_inline)) uint8_t wpin_lock(const wpin_port *port) {
    return port->lock != NULL ? port->lock(port->context) : 0;
}

static inline __attribute__((always_inline)) void wpin_unlock(const wpin_port *port,
                                                              uint8_t state) {
    if (port->unlock != NULL) {
        port->unlock(port->context, state);
    }
}

#endif
