/* A brushless motor over many like periods of PWM at once. While two leads conduct and their emf is
 * on its flat tops, they are those of a motor with brushes; as long as that holds, the leaps of one
 * do. The third lead's emf goes from one flat top to the other: where a diode of its leg would
 * open, no leap is made. */
#include "currents.h"
#include "short_piece.h"

/* Volts that the lead without a current stays off its diodes: a speed may swing a little. */
#define APART 1e-3
#define PS    1e-12

/* Which leads have their emf on its top, on its bottom, and between. */
typedef struct flats {
    int top, bottom, idle;
} flats;

static flats flats_of(const wpin_plant *plant) {
    const wpin_sides *sides = wpin_phases_sides(false, plant->shape.sector);
    flats f = {0, 0, 0};
    for (int x = 0; x < WPIN_PHASES; x++) {
        f.top = sides->flat[x] > 0 ? x : f.top;
        f.bottom = sides->flat[x] < 0 ? x : f.bottom;
        f.idle = sides->flat[x] == 0 ? x : f.idle;
    }
    return f;
}

/* The period as that of a motor with brushes; false: the third leg is not off all along. */
static bool find_pattern(const wpin_plant *plant, const flats *f, const wpin_step *steps, int count,
                         wpin_pattern *pattern) {
    const int way = plant->phase_amps[f->top] > 0 ? 1 : -1;
    pattern->count = 0;
    for (int s = 0; s < count; s++) {
        const wpin_leg_state *legs = steps[s].legs;
        int number = wpin_plant_number(plant, legs[f->top], legs[f->bottom], way);
        bool both_off = legs[f->top] == WPIN_LEG_OFF && legs[f->bottom] == WPIN_LEG_OFF;
        if (legs[f->idle] != WPIN_LEG_OFF || both_off || /* two diodes, of which one is counted */
            !wpin_pattern_add(pattern, number, steps[s].dt, plant->piece_max)) {
            return false;
        }
    }
    return true;
}

static wpin_two into(const flats *f, double amps) {
    double u[WPIN_PHASES] = {0};
    u[f->top] = amps;
    u[f->bottom] = -amps;
    return (wpin_two){u[0], u[1]};
}

/* Whether the third lead stays between its diodes: what is asked is straight in current and emf, so
 * that it holds if it does at their ends. A current of one sign. */
static bool stays_idle(wpin_plant *plant, const flats *f, const wpin_step *steps, int count,
                       const double amps[2], const double emf[2]) {
    const wpin_two one = into(f, amps[0]), other = into(f, amps[1]);
    const int lead = f->idle == 0; /* the first of the two */
    for (int s = 0; s < count; s++) {
        const wpin_star *star = wpin_star_with(plant, steps[s].legs, one, 0);
        const wpin_pair *pair = &star->pair;
        const double above = fmax(pair->above * one[lead], pair->above * other[lead]);
        const double middle = fmin(pair->middle * one[lead], pair->middle * other[lead]);
        if (star->idle != f->idle || star->above + above + emf[1] > -APART ||
            star->below - middle - emf[0] > -APART) {
            return false;
        }
    }
    return true;
}

/* Of the third lead, as the rotor is so much further. */
static double idle_emf(const wpin_plant *plant, double speed, double rads) {
    const wpin_shape *shape = &plant->shape;
    double turned = plant->motor.pole_pairs * (plant->angle + rads);
    return plant->lead_constant * speed * wpin_phases_ramp(shape->sector, shape->begin, turned);
}

/* Electrical rad until there is a corner, turned on so far. */
static double left_of(const wpin_plant *plant, double rads) {
    const wpin_shape *shape = &plant->shape;
    double turned = plant->motor.pole_pairs * (plant->angle + rads) - shape->begin;
    return plant->speed > 0 ? WPIN_SECTOR - turned : turned;
}

/* So many periods may lie before that. */
static int64_t up_to_corner(const wpin_plant *plant, const wpin_step *steps, int count,
                            int64_t most) {
    int64_t period = 0;
    for (int s = 0; s < count; s++) {
        period += steps[s].dt;
    }
    double each = fabs(plant->speed) * plant->motor.pole_pairs * ((double)period * PS);
    double periods = left_of(plant, 0) / each;
    return periods < (double)most ? (int64_t)periods : most;
}

/* Whether all of it stays as it is over these periods. */
static bool stays(wpin_plant *plant, const flats *f, const wpin_step *steps, int count,
                  const wpin_leap *leap) {
    const wpin_periods *n = &leap->period->several;
    const wpin_onward *o = &leap->onward;
    if (left_of(plant, leap->rads) < 0) {
        return false;
    }
    double last = o->w + n->end.first * o->step_w + n->end.change * o->change_w;
    const double emfs[] = {idle_emf(plant, o->w, 0), idle_emf(plant, last, 0),
                           idle_emf(plant, o->w, leap->rads), idle_emf(plant, last, leap->rads)};
    double emf[2] = {emfs[0], emfs[0]};
    for (int k = 1; k < 4; k++) {
        emf[0] = emfs[k] < emf[0] ? emfs[k] : emf[0];
        emf[1] = emfs[k] > emf[1] ? emfs[k] : emf[1];
    }
    const double amps[2] = {leap->least, leap->most};
    return stays_idle(plant, f, steps, count, amps, emf);
}

static void arrive(wpin_plant *plant, const flats *f, const wpin_step *last) {
    const wpin_two u = into(f, plant->amps);
    plant->phase_amps[f->top] = plant->amps;
    plant->phase_amps[f->bottom] = -plant->amps;
    plant->rail_amps = wpin_dot(wpin_star_with(plant, last->legs, u, 0)->draws, u);
}

int wpin_brushless_leap(wpin_plant *plant, const wpin_step *steps, int count, int64_t most) {
    if (plant->solved == NULL || !wpin_has_flats(plant) || !wpin_goes_simply(plant) ||
        plant->speed == 0) {
        return 0;
    }
    wpin_shape_find(plant);
    const flats f = flats_of(plant);
    const double *into_lead = plant->phase_amps, amps = into_lead[f.top];
    wpin_pattern pattern;
    if (amps == 0 || into_lead[f.idle] != 0 || !find_pattern(plant, &f, steps, count, &pattern)) {
        return 0;
    }
    const double now[2] = {amps, amps}, emf = idle_emf(plant, plant->speed, 0);
    most = up_to_corner(plant, steps, count, most);
    if (most == 0 || !stays_idle(plant, &f, steps, count, now, (const double[]){emf, emf})) {
        return 0;
    }
    plant->amps = amps;
    wpin_leap leap;
    int n = wpin_plant_look_over(plant, &pattern, most, &leap);
    while (n > 0 && !stays(plant, &f, steps, count, &leap)) {
        n = wpin_plant_look_over(plant, &pattern, n / 2, &leap);
    }
    if (n > 0) {
        wpin_plant_leap_over(plant, &leap);
        arrive(plant, &f, &steps[count - 1]);
    }
    return n;
}
