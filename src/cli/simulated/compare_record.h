/* windpin compare --record: a trace of a run beside that of the same plan simulated, or beside that
 * of another run of it. */
#ifndef WPIN_CLI_COMPARE_RECORD_H
#define WPIN_CLI_COMPARE_RECORD_H

#include "windpin/host/rehearsal.h"
#include "windpin/host/trace.h"
#include <stdbool.h>

/* What is printed first, and what is compared. */
typedef struct cli_recorded {
    const wpin_rig *rig;
    const char *plan;
    size_t actions;             /* of the plan */
    const char *paths[2];       /* of the records; the first is NULL where that was simulated */
    const wpin_report *report;  /* of the simulated run, if there is one */
    const wpin_trace *sides[2]; /* simulated or recorded first, and recorded */
    const char *names[2];       /* of the sides, one word each */
} cli_recorded;

/* Prints both side by side; whether the duties agree. */
bool cli_compare_record(const cli_recorded *r, bool json);

#endif
