/* The guard: measured limits that trip a motor. Part of the motor object. */
#ifndef WPIN_CORE_GUARD_H
#define WPIN_CORE_GUARD_H

#include "windpin/motor.h"

/* WPIN_OK, _RANGE, or _PORT when an input is named that the port can not read. */
wpin_status wpin_guard_check(const wpin_guard_config *config, const wpin_port *port);

/* Reads the inputs; dt_us since the last call. The fault to trip on, or WPIN_OK. */
wpin_status wpin_guard_tick(wpin_guard *guard, const wpin_guard_config *config,
                            const wpin_port *port, uint32_t dt_us);

#endif
