/* Six-step as a part of another actuator, which has its sensors counted by it. */
#ifndef WPIN_CORE_SIX_STEP_CORE_H
#define WPIN_CORE_SIX_STEP_CORE_H

#include "sector_rows.h"
#include "windpin/six_step.h"

/* As in the table of its actuator. */
wpin_status wpin_six_step_open(void *self, const WPIN_FAR void *config, const wpin_port *port);
wpin_status wpin_six_step_poll(void *self, wpin_measurement *measurement);

#endif
