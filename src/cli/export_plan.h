/* The part of an exported header that is a plan: its steps as the core's sequence takes them. */
#ifndef WPIN_CLI_EXPORT_PLAN_H
#define WPIN_CLI_EXPORT_PLAN_H

#include "windpin/host/plan.h"
#include <stdio.h>

/* The table, its size and tracks, and what the numbers of motors, switches and inputs are; names
 * begin with `id`. */
void cli_export_plan(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *id);

#endif
