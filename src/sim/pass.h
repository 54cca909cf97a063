/* Several whole steps of a brushless motor at once: while the same leads conduct, what they do to
 * the currents follows from those there were, the supply and the emf, by numbers that are known. */
#ifndef WPIN_SIM_PASS_H
#define WPIN_SIM_PASS_H

#include "rotor_course.h"

#define WPIN_PASS_STEPS  3
#define WPIN_PASSES_BITS 7
#define WPIN_PASSES      (1 << WPIN_PASSES_BITS)

/* What currents come to, for each ampere into leads a and b; by diodes; by each volt of the supply;
 * by the emf of each lead and how that changes, for each A/s and so on. */
typedef struct wpin_comes_to {
    wpin_two by_a, by_b, diodes, by_volts, emf_a[4], emf_b[4];
} wpin_comes_to;

/* The same of the one current of a pair. */
typedef struct wpin_pair_comes_to {
    double by_amps, diodes, by_volts, emf[4];
} wpin_pair_comes_to;

typedef struct wpin_pass {
    unsigned number;        /* of those that were made; 0: none is known here */
    const wpin_star *first; /* its first circuit */
    unsigned built;         /* of what it was made for... */
    double share;           /* ...and of its supply */
    int signs;              /* of its leads' currents */
    int seen;               /* steps that were looked at... */
    int count;              /* ...and are in it; 1: no more are worth it */
    wpin_step steps[WPIN_PASS_STEPS];
    const wpin_star *star[WPIN_PASS_STEPS];
    int64_t dt; /* ps */
    double seconds;
    wpin_comes_to end, charge;
    wpin_pair_comes_to pair_end, pair_charge; /* instead, of two leads */
} wpin_pass;

/* From a step on, in its circuit: the same leads carry currents of these signs all along. */
const wpin_pass *wpin_pass_find(wpin_plant *plant, const wpin_star *first, int signs,
                                const wpin_step *step, const wpin_step *end);

static inline wpin_two wpin_pass_value(const wpin_comes_to *to, wpin_two u, double volts,
                                       const wpin_rotor *r) {
    return to->by_a * u[0] + to->by_b * u[1] + to->diodes + to->by_volts * volts +
           to->emf_a[0] * r->emf[0] + to->emf_b[0] * r->emf[1] + to->emf_a[1] * r->emf1[0] +
           to->emf_b[1] * r->emf1[1] + to->emf_a[2] * r->emf2[0] + to->emf_b[2] * r->emf2[1] +
           to->emf_a[3] * r->emf3[0] + to->emf_b[3] * r->emf3[1];
}

#endif
