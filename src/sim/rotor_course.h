/* A brushless motor's rotor, which is slow beside its currents, through a course: a stretch of time
 * in which its emf goes by few terms, and after which the charge that flowed gives its speed. */
#ifndef WPIN_SIM_ROTOR_COURSE_H
#define WPIN_SIM_ROTOR_COURSE_H

#include "short_piece.h"

/* How often what may change its speed in a course must fit the speed that there is. */
#define WPIN_WELL_TURNS 20

/* As the course began, but for what adds up. */
typedef struct wpin_rotor {
    double speed, at, spins;         /* at: angle of the shaft; spins: electrical rad/s */
    double bends;                    /* how fast its emf does, 1/s */
    double gains;                    /* speed it was thought to gain a second */
    wpin_shape *shape;               /* sine and cosine, or sector, are kept up */
    wpin_two by_speed;               /* emf, A/s for each rad/s */
    wpin_two emf, emf1, emf2, emf3;  /* A/s in leads a and b: now, and how that changes */
    wpin_two pull, pull_on;          /* Nm for each ampere; and how that changes by the angle */
    wpin_two charge, moment, second; /* As so far; each times how long it had lasted, and times the
                                          square of that */
    double lasts;                    /* s */
    int64_t left;                    /* ps that it may still last */
} wpin_rotor;

/* Begins a course with currents u; false: the shaft may come to stand in it. */
bool wpin_rotor_begin(const wpin_plant *plant, const wpin_runner *runner, wpin_two u,
                      wpin_rotor *r);

/* The emf after h seconds more. */
static inline wpin_two wpin_rotor_emf(const wpin_rotor *r, double h) {
    return r->emf + h * (r->emf1 + h * (1.0 / 2) * (r->emf2 + h * (1.0 / 3) * r->emf3));
}

/* A piece of h seconds and dt ps that began with currents u, which changed by u1 a second. */
static inline void wpin_rotor_add(wpin_rotor *r, wpin_two u, wpin_two u1, wpin_two charge, double h,
                                  int64_t dt) {
    const double half = h * (1.0 / 2), third = h * (1.0 / 3);
    const wpin_two moment = h * half * (u + 2 * third * u1);
    r->charge += charge;
    r->second +=
        r->lasts * (r->lasts * charge + 2 * moment) + h * h * third * (u + h * (3.0 / 4) * u1);
    r->moment += r->lasts * charge + moment;
    r->emf = wpin_rotor_emf(r, h);
    r->emf1 += h * (r->emf2 + half * r->emf3);
    r->emf2 += h * r->emf3;
    r->lasts += h;
    r->left -= dt;
}

/* Ends it; what the emf would have changed currents by less, A. */
wpin_two wpin_rotor_end(const wpin_runner *runner, wpin_rotor *r);

#endif
