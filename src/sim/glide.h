/* A brushless motor along steps in which all that happens is that currents go on. */
#ifndef WPIN_SIM_GLIDE_H
#define WPIN_SIM_GLIDE_H

#include "short_piece.h"

/* As far as it comes: how many whole steps. What flowed in them is added to `flowed`, their time,
 * ps, to `gone`. It stops before a step in which a diode runs dry, the shaft stands or a current is
 * too large, one that is too long for a piece, and one whose leads do not all conduct; of an emf
 * that is no sine at once. */
int wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
               wpin_flowed *flowed, const wpin_step *steps, int count, int64_t *gone);

#endif
