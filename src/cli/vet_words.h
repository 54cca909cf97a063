/* Findings of a vetting, for people and as JSON. */
#ifndef WPIN_CLI_VET_WORDS_H
#define WPIN_CLI_VET_WORDS_H

#include "windpin/host/vet.h"
#include <jansson.h>
#include <stdio.h>

/* Prints every finding of at least this severity, with its place; `files` are the rig and the plan.
 */
void cli_print_findings(FILE *to, const wpin_vetting *vetting, const char *const *files,
                        wpin_severity least);
/* The line of a rig that accepts all that is refused. */
void cli_print_acceptance(FILE *to, const wpin_vetting *vetting);
/* The findings as an array. */
json_t *cli_findings_json(const wpin_vetting *vetting);

#endif
