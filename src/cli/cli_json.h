/* Printing JSON, for the commands that do. */
#ifndef WPIN_CLI_JSON_H
#define WPIN_CLI_JSON_H

#include "cli.h"
#include <jansson.h>

/* Prints a value on standard output and frees it; NULL (out of memory) is told, and ends the tool.
 */
void cli_dump_json(json_t *all);
/* A text from outside, a file's name or what stands in a record: what is no UTF-8 as '?'. */
json_t *cli_json_text(const char *text);
/* A number; null where it is not known (NAN). */
json_t *cli_json_number(double value);
/* An object about a rig, which says first of which: its name and fingerprint. NULL when out of
 * memory; `all` is freed. */
json_t *cli_of_rig(const wpin_rig *rig, json_t *all);
/* What a plan required and what came of it: an array. */
json_t *cli_required_json(const wpin_report *report);

#endif
