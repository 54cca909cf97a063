/* How a brushless motor's way begins and ends, however it goes. */
#ifndef WPIN_SIM_WALK_H
#define WPIN_SIM_WALK_H

#include "short_piece.h"

wpin_runner wpin_runner_of(const wpin_plant *plant);
/* It has come there; what flowed on its way. */
void wpin_walk_arrive(wpin_plant *plant, const wpin_whereabouts *at, const wpin_flowed *flowed);

#endif
