/* A brushless motor along the steps of its legs, its rotor led on in courses. */
#ifndef WPIN_SIM_GLIDE_H
#define WPIN_SIM_GLIDE_H

#include "rotor_course.h"

/* A place along steps. */
typedef struct wpin_along {
    const wpin_step *step, *end;
    int64_t left; /* of that step, ps */
    int64_t gone; /* since the first, ps */
} wpin_along;

static inline void wpin_along_go(wpin_along *along, int64_t part) {
    along->gone += part;
    along->left -= part;
    if (along->left == 0 && ++along->step < along->end) {
        along->left = along->step->dt;
    }
}

/* As far as it comes; what flowed is added to `flowed`. It stops before a current is too large,
 * less than two leads conduct, a diode opens within a step, or the shaft may stand; where a current
 * goes round in a delta at once. */
void wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
                wpin_flowed *flowed, wpin_along *along);
/* Over dt ps in one piece of a course that has just begun there, in a circuit with all three leads;
 * false, and nothing done, where it is too long for one. */
bool wpin_glide_over(wpin_plant *plant, const wpin_runner *runner, const wpin_star *star,
                     wpin_rotor *r, wpin_whereabouts *at, wpin_flowed *flowed, int64_t dt);

#endif
