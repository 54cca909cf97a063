/* What the campaign is made of: cells (a stage with a load), verbs, faults; rigs and plans of them.
 */
#ifndef WPIN_TESTS_EVERYTHING_MADE_H
#define WPIN_TESTS_EVERYTHING_MADE_H

#include "../support.h"
#include <windpin/host/rehearsal.h>
#include <windpin/host/starter.h>

enum { VERBS = 20, FAULTS = 26, CELLS = 80 };

/* In its line, %s is how much. */
typedef struct made_verb {
    const char *name, *line;
} made_verb;
extern const made_verb verbs[VERBS];
/* "#" is its first control line; the first is none. */
extern const char *const faults[FAULTS];

/* What a rig is made of. */
typedef struct cell {
    const wpin_wired *thing; /* NULL: a drive on a field bus */
    const wpin_stage_kind *kind;
    bool plain; /* the drive: told speeds only */
    char name[60];
} cell;

/* All there are; how many. */
size_t list_cells(cell cells[CELLS]);
wpin_rig *read_rig(const cell *of);

enum { LINES = 24, LINE = 80 };
typedef struct script {
    char lines[LINES][LINE];
    int verb[LINES]; /* -1: none */
    int fault[LINES];
    int count;
} script;

/* Lines that ask for a verb, with a fault in the middle. */
script make_script(const wpin_rig *rig, int verb, int fault);
/* Without the lines that can't be asked of it. */
wpin_plan *read_plan(script *s, const wpin_rig *rig);

#endif
