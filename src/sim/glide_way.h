/* What a brushless motor's way along its steps comes to, piece by piece. */
#ifndef WPIN_SIM_GLIDE_WAY_H
#define WPIN_SIM_GLIDE_WAY_H

#include "glide.h"
#include "pass.h"
#include "sense_lag.h"

/* What stays the same. */
typedef struct wpin_glider {
    wpin_plant *plant;
    double volts;      /* of the supply */
    double idle_volts; /* of a lead that does not conduct, for its emf in A/s */
    bool slow_filter;  /* behind the current sense: a span is short beside it */
    bool leaps;        /* where two leads conduct in steps that come again: see flat_leap.c */
} wpin_glider;

/* Of a step: its circuit for such signs, and with the third lead on a diode to ground or to the
 * supply; what it does with those after it, and that one's number, as long as it is it. */
typedef struct wpin_known {
    int signs;
    const wpin_star *star, *opened[2];
    const wpin_pass *pass;
    unsigned number;
} wpin_known;

/* Where it has come to. */
typedef struct wpin_way {
    wpin_two u;
    const wpin_star *star; /* after the piece before */
    bool tired;            /* what comes next does not fit into the course */
    wpin_flowed flowed;
    double drawn;       /* out of the supply, As */
    double least, most; /* current */
    int courses;
    double before;     /* what had flowed as the span began */
    wpin_known *known; /* of each step */
} wpin_way;

/* A current and what flowed of it in h seconds, each with the sign of its torque: the leads as one;
 * out of the supply. */
static inline void wpin_way_adds(const wpin_glider *g, wpin_way *w, double amps, double flows,
                                 double drawn, double h) {
    wpin_plant *plant = g->plant;
    w->least = amps < w->least ? amps : w->least;
    w->most = amps > w->most ? amps : w->most;
    w->flowed.amps += flows;
    w->flowed.sizes += fabs(flows);
    w->drawn += drawn;
    if (!g->slow_filter) {
        wpin_plant_sense(plant, 2 * flows / h - amps, amps, h);
    }
}

/* The circuit of the step with currents of such signs, as it is kept where steps come again. */
static inline const wpin_star *wpin_way_star(const wpin_glider *g, wpin_way *w,
                                             const wpin_along *along, wpin_two u, int signs) {
    const wpin_leg_state *legs = along->step->legs;
    if (!along->again) {
        return wpin_star_with(g->plant, legs, u, 0);
    }
    wpin_known *k = &w->known[along->step - along->first];
    if (k->signs != signs) {
        *k = (wpin_known){.signs = signs, .star = wpin_star_with(g->plant, legs, u, 0)};
    }
    return k->star;
}

/* Steps from here on as one, where they come again and no driver warms; NULL: none that are, or not
 * in a span. */
static inline const wpin_pass *wpin_way_pass(const wpin_glider *g, wpin_way *w,
                                             const wpin_along *along, const wpin_star *star,
                                             int signs, double span) {
    if (!along->again || along->left != along->step->dt || along->step + 1 == along->end ||
        star->draws[0] != 0 || star->draws[1] != 0 || g->plant->heats ||
        (g->leaps && star->count == 2)) {
        return NULL; /* what draws stands alone, as it should for the largest current */
    }
    wpin_known *k = &w->known[along->step - along->first];
    if (k->pass == NULL || k->pass->number != k->number || k->pass->first != star ||
        k->pass->signs != signs) {
        k->pass = wpin_pass_find(g->plant, star, signs, along->step, along->end);
        k->number = k->pass->number;
    }
    return k->pass->count > 1 && k->pass->seconds <= span ? k->pass : NULL;
}

/* Steps from here on in which two leads conduct, as in the star: as far as a span goes, and nothing
 * happens in a step; false: nowhere. */
bool wpin_glide_pair(const wpin_glider *g, wpin_way *w, wpin_rotor *r, const wpin_star *star,
                     wpin_along *along);

#endif
