/* From the units of a rig to those of the core. */
#ifndef WPIN_BIND_CORE_UNITS_H
#define WPIN_BIND_CORE_UNITS_H

#include "windpin/units.h"
#include <math.h>
#include <stdint.h>

static inline uint32_t to_us(double seconds) {
    return (uint32_t)llround(seconds * 1e6);
}

static inline uint16_t to_duty(double share) {
    return (uint16_t)lround(share * WPIN_DUTY_FULL);
}

#endif
