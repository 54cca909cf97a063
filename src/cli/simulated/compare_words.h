/* Two runs of a plan side by side, in words and as JSON. */
#ifndef WPIN_CLI_COMPARE_WORDS_H
#define WPIN_CLI_COMPARE_WORDS_H

#include "windpin/host/rehearsal.h"
#include "windpin/host/vet.h"

enum { COMPARE_CHANGES = 16 };

typedef struct compare_arguments {
    const char *files[2]; /* rig, plan */
    const char *changes[COMPARE_CHANGES];
    size_t change_count;
    const char *records[2]; /* instead of changes */
    size_t record_count;
    const char *picture, *load;
    bool json;
} compare_arguments;

typedef struct compare_side {
    wpin_rig *rig;
    wpin_plan *plan;
    wpin_report *report;
    wpin_vetting *vetting;
    char trace[64];
} compare_side;

typedef struct compare_change {
    char what[200], was[120], is[200];
} compare_change;

void compare_print(const compare_arguments *a, const compare_side *sides,
                   const compare_change *changes);
void compare_dump(const compare_arguments *a, const compare_side *sides,
                  const compare_change *changes);

#endif
