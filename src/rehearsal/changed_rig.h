/* A rig of which one load is another than in its file: what a bench really has, or what a run is to
 * find out without. */
#ifndef WPIN_REHEARSAL_CHANGED_RIG_H
#define WPIN_REHEARSAL_CHANGED_RIG_H

#include "windpin/host/rig.h"

/* The rig again, with loads of its own; all else is the first one's. False: out of memory. */
bool wpin_rig_copy_loads(wpin_rig *copy, const wpin_rig *rig);
/* Frees those loads. */
void wpin_rig_free_loads(wpin_rig *copy);

#endif
