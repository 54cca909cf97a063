/* What the files of the stepper share. */
#ifndef WPIN_CORE_STEPPER_CORE_H
#define WPIN_CORE_STEPPER_CORE_H

#include "windpin/impl/lock.h"
#include "windpin/stepper.h"

#define WPIN_STEPPER_POSITION_MAX ((int32_t)1 << 30)

static inline bool wpin_stepper_is_open(const wpin_stepper *stepper) {
    return stepper != NULL && stepper->port != NULL && stepper->config != NULL;
}

/* Its actuator's angle. */
wpin_status wpin_stepper_ask_angle(void *self, int32_t millidegrees, bool by, int32_t *position);

#endif
