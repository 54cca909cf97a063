/* windpin compare --record: a trace of a run beside that of the same plan simulated. */
#ifndef WPIN_CLI_COMPARE_RECORD_H
#define WPIN_CLI_COMPARE_RECORD_H

#include "windpin/host/rehearsal.h"
#include "windpin/host/trace.h"
#include <stdbool.h>

/* What is printed first, and what is compared. */
typedef struct cli_recorded {
    const wpin_rig *rig;
    const char *plan, *path;   /* of the record */
    const wpin_report *report; /* of the simulated run */
    const wpin_trace *simulated, *recorded;
} cli_recorded;

/* Prints both side by side; whether the duties agree. */
bool cli_compare_record(const cli_recorded *r, bool json);

#endif
