/* Rigs with one load changed. */
#include "changed_rig.h"
#include <stdlib.h>
#include <string.h>

bool wpin_rig_copy_loads(wpin_rig *copy, const wpin_rig *rig) {
    *copy = *rig;
    copy->loads = malloc(rig->load_count * sizeof *copy->loads);
    if (copy->loads == NULL) {
        return false;
    }
    memcpy(copy->loads, rig->loads, rig->load_count * sizeof *copy->loads);
    return true;
}

void wpin_rig_free_loads(wpin_rig *copy) {
    free(copy->loads);
    copy->loads = NULL;
}
