/* Currents of a brushless motor in a piece of its way, as power series in time; and what ends it.
 */
#ifndef WPIN_SIM_CURRENTS_H
#define WPIN_SIM_CURRENTS_H

#include "phases.h"
#include <math.h>

/* The share of a time constant, and of a radian, that may pass in a piece: what four terms leave
 * out is then 3e-9. Three and two do for less: they leave out 9e-10 and 6e-10. */
#define WPIN_SHARE_MOST     0.05
#define WPIN_SHARE_OF_THREE 0.012
#define WPIN_SHARE_OF_TWO   0.0015

/* A lead's diode opens this far beyond it, V; and by so much late, ps, so that it is seen to. */
#define WPIN_OPENS_BY      1e-9
#define WPIN_OPENS_LATE_PS 1000
/* One that opens does not run dry at once: that takes a closer look, ps. */
#define WPIN_DRY_LEAST 1000

/* Into leads a and b, and their derivatives by time. */
typedef struct wpin_currents {
    wpin_two u, u1, u2, u3, u4;
} wpin_currents;

/* After h seconds; what flowed until then, As. */
static inline wpin_two wpin_currents_at(const wpin_currents *s, double h) {
    return s->u +
           h * (s->u1 + h * (1.0 / 2) * (s->u2 + h * (1.0 / 3) * (s->u3 + h * (1.0 / 4) * s->u4)));
}
static inline wpin_two wpin_currents_charge(const wpin_currents *s, double h) {
    return h * (s->u + h * (1.0 / 2) *
                           (s->u1 + h * (1.0 / 3) *
                                        (s->u2 + h * (1.0 / 4) * (s->u3 + h * (1.0 / 5) * s->u4))));
}

static inline double wpin_dot(wpin_two a, wpin_two b) {
    wpin_two c = a * b;
    return c[0] + c[1];
}

static inline wpin_two wpin_by_itself(const wpin_star *star, wpin_two u) {
    return star->by_a * u[0] + star->by_b * u[1];
}

/* Into one of the leads. */
static inline double wpin_into(wpin_two u, int x) {
    return x < 2 ? u[x] : -u[0] - u[1];
}

/* What of an emf acts: with all leads the whole of it. */
static inline wpin_two wpin_acting(const wpin_star *star, bool all, wpin_two emf) {
    return all ? emf : star->emf_by_a * emf[0] + star->emf_by_b * emf[1];
}

/* Signs of currents into leads a and b, and c, as one number; the same with all of them turned
 * round, and with a lead that had none; of one lead. */
static inline int wpin_signs_of(wpin_two u) {
    const double c = -u[0] - u[1];
    return ((u[0] > 0) - (u[0] < 0)) + 3 * ((u[1] > 0) - (u[1] < 0)) + 9 * ((c > 0) - (c < 0)) + 13;
}

static inline int wpin_signs_turned(int signs) {
    return 26 - signs;
}
static inline int wpin_signs_and(int signs, int x, int sign) {
    return signs + (x == 0 ? sign : x == 1 ? 3 * sign : 9 * sign);
}
static inline int wpin_sign_in(int signs, int x) {
    return (x == 0 ? signs % 3 : x == 1 ? signs / 3 % 3 : signs / 9) - 1;
}

/* The largest current, without its sign. */
static inline double wpin_largest(wpin_two u) {
    double a = fabs(u[0]), b = fabs(u[1]), c = fabs(u[0] + u[1]);
    a = a > b ? a : b;
    return a > c ? a : c;
}

/* What goes in at lead a comes out at b, to the last digit, where c does not conduct. */
static inline wpin_two wpin_conducted(const wpin_star *star, wpin_two u) {
    return star->idle == 2 ? (wpin_two){u[0], -u[0]} : u;
}

/* The current that heats two leads as much, squared: all but straight between the ends of a piece.
 */
static inline double wpin_square_of(wpin_two begin, wpin_two end) {
    wpin_two squares = begin * begin + begin * end + end * end;
    double a = begin[0] + begin[1], b = end[0] + end[1];
    return (squares[0] + squares[1] + a * a + a * b + b * b) * (1.0 / 6);
}

/* The current through two leads that would be as large as those of all three; likewise of what
 * flowed.
 */
static inline double wpin_size_of(wpin_two u) {
    return sqrt(wpin_dot(u, u) + u[0] * u[1]);
}

/* The circuit that legs make with these currents; the lead that does not conduct through a diode,
 * as wpin_beyond has it, or 0. */
static inline const wpin_star *wpin_star_with(wpin_plant *plant, const wpin_leg_state *legs,
                                              wpin_two u, int through) {
    int digit[WPIN_PHASES] = {(int)legs[0], (int)legs[1], (int)legs[2]};
    if (legs[0] != WPIN_LEG_OFF && legs[1] != WPIN_LEG_OFF && legs[2] != WPIN_LEG_OFF) {
        return wpin_star_of(plant, digit);
    }
    const double amps[WPIN_PHASES] = {u[0], u[1], -u[0] - u[1]};
    for (int x = 0; x < WPIN_PHASES; x++) {
        digit[x] = wpin_lead_digit(legs[x], amps[x]);
        digit[x] = digit[x] == 0 ? through : digit[x];
    }
    return wpin_star_of(plant, digit);
}

/* By how much the lead that does not conduct is beyond a diode of its leg, V: 3 to ground, 4 to the
 * supply. Its emf over that of the star point, V. */
static inline double wpin_beyond(const wpin_star *star, wpin_two u, double emf, int *digit) {
    const double above = star->above + wpin_dot(star->above_by, u) + emf;
    const double below = star->below - wpin_dot(star->middle, u) - emf;
    *digit = above > below ? 4 : 3;
    return above > below ? above : below;
}

/* Whether a diode would have to let a current through the other way. */
static inline bool wpin_flows_back(const wpin_star *star, wpin_two u) {
    return star->diodes && (star->way[0] * u[0] < 0 || star->way[1] * u[1] < 0 ||
                            star->way[2] * (-u[0] - u[1]) < 0);
}

/* Of dt ps, which are such a share, so much that four terms do. */
static inline int64_t wpin_short_enough(double share, int64_t dt) {
    if (share <= WPIN_SHARE_MOST) {
        return dt;
    }
    int64_t most = (int64_t)(WPIN_SHARE_MOST / share * (double)dt) + 1;
    return dt > 2 * most ? most : dt / 2 + 1;
}

/* Of dt ps, no more than until a diode's current would turn back from beyond nothing: there it
 * shows that it runs dry. */
int64_t wpin_up_to_dip(const wpin_star *star, const wpin_currents *s, int64_t dt);

/* The first of the leads whose diode runs dry within dt ps, which is until then; -1: none does. */
int wpin_first_dry(const wpin_star *star, const wpin_currents *s, int64_t *dt);

/* Without what that lead carries. */
wpin_two wpin_emptied(wpin_two u, int x, int count);

#endif
