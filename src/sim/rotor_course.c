/* With u the currents into leads a and b, w the speed, x the electrical angle:
 *     emf: w g(x)          J dw/dt = t(x) u - B w - T
 * g and t are straight between the corners of flat tops, and bend as a sine does otherwise. */
#include "rotor_course.h"

#define ROOT 0.86602540378443864676 /* of 3, halved */
/* Of a radian, in one course: what its terms leave out of the emf is then 2e-8. And of the swing of
 * the currents against the rotor. */
#define COURSE_MOST 0.4
#define SWING_MOST  0.05
/* How often what may change its speed in a course must fit the speed that there is. */
#define WELL_TURNS 20
/* What comes so soon is known to the last digit, s. */
#define NEAR 50e-6
/* A shorter course is not worth it, s. */
#define COURSE_LEAST 2e-6
/* How long a span may be, s; and of the swing of the currents against the rotor. */
#define SPAN_MOST  90e-6
#define SPAN_SWING 0.004
/* So near before a corner of flat tops it is past it, electrical rad. */
#define AT_CORNER 1e-6

/* What a shape of the leads' emf, its peak being 1, comes to, were all three to conduct: A/s for
 * each rad/s of the shaft. */
static wpin_two acts(const wpin_plant *plant, double a, double b, double c) {
    const double mean = (a + b + c) * (1.0 / 3);
    return plant->lead_rate * (wpin_two){a - mean, b - mean};
}

/* So much of a sine and of a cosine: of lead a it is the sine, and all three add up to nothing. */
static wpin_two acts_of_sine(const wpin_plant *plant, double sine, double cosine) {
    return plant->lead_rate * (wpin_two){sine, -sine / 2 - ROOT * cosine};
}

static double to_corner(const wpin_rotor *r, double turned) {
    return r->speed > 0 ? r->kept->begin + WPIN_SECTOR - turned : turned - r->kept->begin;
}

/* The shape where it is, and how it goes by the electrical angle; for how far, electrical rad: up
 * to a corner. */
static double see_flats(const wpin_plant *plant, wpin_rotor *r) {
    wpin_shape *shape = r->kept;
    const double turned = plant->motor.pole_pairs * r->at;
    double left = to_corner(r, turned);
    if (!(left > AT_CORNER)) {
        wpin_phases_sector(turned + (r->speed > 0 ? 2 : -2) * AT_CORNER, shape);
        left = to_corner(r, turned);
    }
    wpin_phases_flats(turned, shape);
    const double *f = shape->f, *slope = shape->slope;
    r->shape = acts(plant, f[0], f[1], f[2]);
    r->on = acts(plant, slope[0], slope[1], slope[2]);
    return left;
}

static double see_sine(const wpin_plant *plant, wpin_rotor *r) {
    r->shape = acts_of_sine(plant, r->kept->sine, r->kept->cosine);
    r->on = acts_of_sine(plant, r->kept->cosine, -r->kept->sine);
    return COURSE_MOST;
}

/* Seconds in which it turns so far, electrical rad, or has hardly changed its speed. */
static double lasts_for(const wpin_rotor *r, double left, double swings) {
    const double rate = r->gains / r->speed, calm = WELL_TURNS * fabs(rate) + swings / SWING_MOST;
    const double evenly = left / fabs(r->poles * r->speed);
    if (evenly * calm > 1) {
        return 1 / calm;
    }
    return evenly < NEAR ? evenly / (1 + evenly * rate / 2) : evenly / (1 + 1.0 / WELL_TURNS);
}

bool wpin_rotor_begin(const wpin_plant *plant, const wpin_runner *runner, wpin_two u,
                      wpin_rotor *r) {
    const double left = runner->bend != 0 ? see_sine(plant, r) : see_flats(plant, r);
    r->poles = runner->poles;
    r->bend = runner->bend;
    r->per_inertia = runner->per_inertia;
    r->rubs = runner->per_inertia * runner->friction;
    r->steady = runner->per_inertia * runner->viscous;
    r->blows = runner->per_inertia * copysign(runner->quadratic, r->speed);
    r->bends = fabs(runner->poles * r->speed * runner->bend);
    r->pulls = plant->lead_constant / plant->lead_rate;
    r->turned = r->lasts = 0;
    r->span = fmin(SPAN_MOST, SPAN_SWING / plant->swings);
    wpin_rotor_look(r, u);
    const double most = lasts_for(r, left, plant->swings);
    r->left = (int64_t)(most * 1e12);
    return most > COURSE_LEAST;
}

/* A fraction of a radian on. */
static void turn_on(wpin_shape *shape, double x) {
    double sine, cosine, was = shape->sine;
    wpin_turned(x, -1, &sine, &cosine);
    shape->sine = was * cosine + shape->cosine * sine;
    shape->cosine = shape->cosine * cosine - was * sine;
}

void wpin_rotor_end(wpin_rotor *r) {
    r->at += r->turned;
    if (r->bend != 0) {
        turn_on(r->kept, r->poles * r->turned);
    }
}
