/* The part of an exported header that is a plan: its steps as the core's sequence takes them. */
#ifndef WPIN_BIND_HEADER_PLAN_H
#define WPIN_BIND_HEADER_PLAN_H

#include "windpin/host/plan.h"
#include <stdio.h>

/* The table, its size and tracks, and what the numbers of motors, switches and inputs are; names
 * begin with `id`. */
void wpin_header_plan(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *id);

#endif
