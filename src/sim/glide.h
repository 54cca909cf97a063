/* A brushless motor along the steps of its legs, its rotor led on in courses. */
#ifndef WPIN_SIM_GLIDE_H
#define WPIN_SIM_GLIDE_H

#include "rotor_course.h"

#define WPIN_STEPS_KNOWN 8

/* A place along steps, which may come again and again. */
typedef struct wpin_along {
    const wpin_step *first, *step, *end;
    int64_t left;     /* of that step, ps */
    int64_t gone;     /* since the first, ps */
    int more;         /* times that all of them come again... */
    bool again;       /* ...or came; no more than WPIN_STEPS_KNOWN */
    bool until_quiet; /* not once no more than two leads have conducted all along */
    bool quiet;       /* that has been so from the first on */
} wpin_along;

static inline void wpin_along_go(wpin_along *along, int64_t part, bool two) {
    along->gone += part;
    along->quiet = along->quiet && two;
    while (part >= along->left) {
        part -= along->left;
        along->step++;
        if (along->step == along->end && along->more > 0 && !(along->until_quiet && along->quiet)) {
            along->more--;
            along->step = along->first;
            along->quiet = true;
        }
        if (along->step == along->end) {
            return;
        }
        along->left = along->step->dt;
    }
    along->left -= part;
}

/* As far as it comes; what flowed is added to `flowed`. It stops before a current is too large,
 * less than two leads conduct, a diode opens within a step, or the shaft may stand; where a current
 * goes round in a delta at once. */
void wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
                wpin_flowed *flowed, wpin_along *along);
/* Over dt ps in one piece of a course that has just begun there, in a circuit with all three leads;
 * false, and nothing done, where it is too long for one. */
bool wpin_glide_over(wpin_plant *plant, const wpin_star *star, wpin_rotor *r, wpin_whereabouts *at,
                     wpin_flowed *flowed, int64_t dt);

#endif
