/* Anything at all as a plan for the honey house or the bottling line: read, and vetted if it can be
 * read. */
#include "input.h"
#include <stdlib.h>
#include <windpin/host/plan.h>
#include <windpin/host/vet.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static wpin_rig *rigs[2];
    wpin_messages m = {0};
    bool line = size > 0 && data[size - 1] == '\t'; /* the other rig */
    wpin_rig **rig = &rigs[line];
    if (*rig == NULL) {
        *rig = wpin_rig_read(line ? "demo/honey-line.yaml" : "demo/honey-house.yaml", &m);
    }
    const char *path = fuzz_path(data, size);
    wpin_plan *plan = *rig == NULL || path == NULL ? NULL : wpin_plan_read(path, *rig, &m);
    if (plan != NULL) {
        wpin_vetting_free(wpin_vet(*rig, plan, NULL));
    } else if (path != NULL && m.count == 0 && !m.out_of_memory) {
        abort(); /* refused, and nobody is told why */
    }
    wpin_plan_free(plan);
    wpin_messages_free(&m);
    return 0;
}
