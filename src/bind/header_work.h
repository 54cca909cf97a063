/* The part of an exported header that puts the rest to work: the objects, and calls to open, arm,
 * start and tick all of them. */
#ifndef WPIN_BIND_HEADER_WORK_H
#define WPIN_BIND_HEADER_WORK_H

#include "windpin/host/plan.h"
#include <stdio.h>

/* A name of the rig as part of a C identifier. */
const char *wpin_header_identifier(char *to, size_t size, const char *name);

/* `plan_id` begins the names of the plan's table; NULL: there is no plan. */
void wpin_header_work(FILE *to, const wpin_rig *rig, const wpin_plan *plan, const char *plan_id);

#endif
