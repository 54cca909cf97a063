/* Printing JSON, for the commands that do. */
#ifndef WPIN_CLI_JSON_H
#define WPIN_CLI_JSON_H

#include "cli.h"
#include <jansson.h>

/* Prints a value on standard output and frees it; false with a complaint when it is NULL (out of
 * memory). */
bool cli_dump_json(json_t *all);
/* An object about a rig, which says first of which: its name and fingerprint. NULL when out of
 * memory; `all` is freed. */
json_t *cli_of_rig(const wpin_rig *rig, json_t *all);
/* What a plan required and what came of it: an array. */
json_t *cli_required_json(const wpin_report *report);

#endif
