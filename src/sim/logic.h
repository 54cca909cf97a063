/* The logic of drivers: from input levels to leg states, each as its data sheet would say. */
#ifndef WPIN_LOGIC_H
#define WPIN_LOGIC_H

#include "plant.h"

typedef struct wpin_legs {
    wpin_leg_state a, b;
    wpin_leg_state c, d; /* of a second winding */
} wpin_legs;

/* What a driver decides for a combination of input levels. */
wpin_legs wpin_logic_decide(const wpin_part_driver *part, const bool *high);

/* What a driver that commutates by itself makes of that: leg a is the phase on top, b the one at
 * the bottom, of what its Hall sensors show; shorted are all three. All off where they show no
 * sector.
 */
wpin_legs wpin_logic_commutate(wpin_legs two, uint8_t code, bool sixty);

#endif
