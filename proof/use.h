/* An actuator, used as a motor uses it, and at any time: what a motor makes of the answers is in
 * motor.c and loop.c, where they are anything. */
#ifndef WPIN_PROOF_USE_H
#define WPIN_PROOF_USE_H

#include "any.h"

static void use_actuator(const wpin_actuator *actuator, void *self, const void *config) {
    const wpin_port *port = any ? &any_port : NULL;
    wpin_measurement m;
    int32_t position;
    switch (any) {
    case 0: actuator->open(self, any ? config : NULL, port); break;
    case 1: any = actuator->traits(self); break;
    case 2: actuator->put(self, any8, any_signed32); break;
    case 3: actuator->idle(self, (wpin_drive)any8); break;
    case 4: any = actuator->shown(self); break;
    case 5: actuator->off(self); break;
    case 6: any = actuator->stop != NULL && actuator->stop(self); break;
    case 7:
        ANYTHING(m);
        any = actuator->poll != NULL ? (int)actuator->poll(self, &m) : 0;
        break;
    case 8:
        any = actuator->angle != NULL
                  ? (int)actuator->angle(self, any_signed32, ANY_BOOL, &position)
                  : 0;
        break;
    case 9: any = actuator->clear != NULL ? (int)actuator->clear(self) : 0; break;
    case 10: any = actuator->homed != NULL && actuator->homed(self); break;
    default: actuator->close(self); break;
    }
}

#endif
