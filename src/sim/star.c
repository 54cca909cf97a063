/* The circuit of three leads in a star: L di_x/dt = v_x - v_n - R i_x - e_x for those that conduct,
 * whose mean gives the star point's v_n. A lead's v_x is what its tie leaves of the supply, which
 * sags by what all of them draw. */
#include "currents.h"
#include <math.h>

static void tie_leads(const wpin_plant *plant, int number, wpin_star *star) {
    static const wpin_leg_state legs[] = {WPIN_LEG_OFF, WPIN_LEG_LOW, WPIN_LEG_HIGH, WPIN_LEG_OFF,
                                          WPIN_LEG_OFF};
    static const int ways[] = {0, 0, 0, 1, -1};
    for (int x = WPIN_PHASES - 1; x >= 0; x--, number /= 5) {
        int digit = number % 5;
        star->share[x] = digit != 0;
        star->count += digit != 0;
        star->idle = digit == 0 ? x : star->idle;
        star->way[x] = ways[digit];
        star->diodes = star->diodes || ways[digit] != 0;
        if (digit != 0) {
            int out = ways[digit] != 0 ? ways[digit] : 1;
            star->tie[x] = wpin_plant_tie(&plant->feed, legs[digit], false, out);
        }
    }
}

/* Volts that the current into lead y takes from lead x. */
static double ohms_between(const wpin_star *star, double winding, double rail, int x, int y) {
    const wpin_tie *a = &star->tie[x], *b = &star->tie[y];
    double shared = a->rail * b->rail * rail;
    bool conduct = star->share[x] > 0 && star->share[y] > 0;
    return !conduct ? 0 : shared + (x == y ? winding + a->resistance : 0);
}

/* The current into the first of the two. */
static wpin_pair pair_of(const wpin_star *star) {
    const int lead = star->idle == 0;
    const wpin_two way = {star->idle != 0, star->idle == 0 ? 1 : star->idle == 2 ? -1 : 0};
    const wpin_two by_itself = star->by_a * way[0] + star->by_b * way[1];
    const wpin_two draws = star->draws * way, middle = star->middle * way;
    const wpin_two above = star->above_by * way;
    return (wpin_pair){.by_itself = by_itself[lead],
                       .force = star->force[lead],
                       .emf = {star->emf_by_a[lead], star->emf_by_b[lead]},
                       .way = way,
                       .draws = draws[0] + draws[1],
                       .above = above[0] + above[1],
                       .middle = middle[0] + middle[1],
                       .signs = wpin_signs_of(way)};
}

wpin_star wpin_star_make(const wpin_plant *plant, int number) {
    const wpin_feed *f = &plant->feed;
    double winding = plant->motor.resistance / 2, henry = plant->motor.inductance / 2;
    double rail = f->resistance * f->share * f->share, constant = plant->lead_constant;
    wpin_star star = {.version = plant->version, .constant = constant, .idle = -1};
    tie_leads(plant, number, &star);
    star.idle = star.count == 2 ? star.idle : -1;
    double ohms[WPIN_PHASES][WPIN_PHASES], mean[WPIN_PHASES] = {0}, most = 0, rails = 0;
    for (int x = 0; x < WPIN_PHASES && star.count > 0; x++) {
        star.share[x] /= star.count;
        star.lift += star.share[x] * star.tie[x].volts;
        rails += star.share[x] * star.tie[x].rail;
        most = star.tie[x].resistance > most ? star.tie[x].resistance : most;
    }
    for (int x = 0; x < WPIN_PHASES; x++) {
        for (int y = 0; y < WPIN_PHASES; y++) {
            ohms[x][y] = ohms_between(&star, winding, rail, x, y);
            mean[y] += star.share[x] * ohms[x][y];
        }
    }
    for (int x = 0; x < 2; x++) { /* the third current is what the two leave */
        const double on = star.share[x] > 0;
        star.per_lead[x] = on * constant / henry;
        star.middle[x] = mean[2] - mean[x];
        star.draws[x] = star.tie[x].rail - star.tie[2].rail;
        star.force[x] = on * (star.tie[x].volts - star.lift) / henry;
        star.by_volts[x] = on * (star.tie[x].rail - rails) / henry;
        star.by_a[x] = on * (mean[0] - mean[2] - ohms[x][0] + ohms[x][2]) / henry;
        star.by_b[x] = on * (mean[1] - mean[2] - ohms[x][1] + ohms[x][2]) / henry;
        star.emf_by_a[x] = on * ((x == 0) - star.share[0] + star.share[2]);
        star.emf_by_b[x] = on * ((x == 1) - star.share[1] + star.share[2]);
    }
    star.above_by = star.middle + rail * star.draws;
    star.above = star.lift - wpin_feed_volts(f) - f->diode_volts;
    star.below = -star.lift - f->diode_volts;
    if (star.count == 2) {
        star.pair = pair_of(&star);
    }
    /* by their resistance, and swinging with a light rotor against its emf */
    star.fading = (winding + most + rail) / henry + constant * sqrt(1.5 / (henry * plant->inertia));
    return star;
}
