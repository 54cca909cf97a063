/* With u the currents into leads a and b, w the speed, x the electrical angle:
 *     emf: w g(x)          J dw/dt = t(x) u - B w - T
 * g and t are straight between the corners of flat tops, and bend as a sine does otherwise. */
#include "rotor_course.h"

#define ROOT 0.86602540378443864676 /* of 3, halved */
/* Of a radian, in one course: three terms leave out 2e-7 of the emf as it ends. And of the swing of
 * the currents against the rotor, of which the emf knows only how it began. */
#define COURSE_MOST 0.045
#define SWING_MOST  0.004
/* So near before a corner of flat tops it is past it, electrical rad. */
#define AT_CORNER 1e-6

/* What a shape of the leads' emf, its peak being 1, comes to: A/s for each rad/s of the shaft, were
 * all three to conduct; Nm for each ampere into leads a and b. */
typedef struct acts {
    wpin_two emf, pull;
} acts;

static double drag_of(const wpin_runner *runner, double speed) {
    return (runner->viscous + runner->quadratic * fabs(speed)) * speed + runner->friction;
}

static acts acts_of(const wpin_plant *plant, double a, double b, double c) {
    const double mean = (a + b + c) * (1.0 / 3);
    const double by_volts = plant->lead_rate, pull = plant->lead_constant;
    return (acts){.emf = {by_volts * (a - mean), by_volts * (b - mean)},
                  .pull = {pull * (a - c), pull * (b - c)}};
}

/* So much of a sine and of a cosine: of lead a it is the sine, and all three add up to nothing. */
static inline acts acts_of_sine(const wpin_plant *plant, double sine, double cosine) {
    const wpin_two by_sine = {1, -0.5}, by_cosine = {0, -ROOT};
    const wpin_two pull_by_sine = {1.5, 0}, pull_by_cosine = {-ROOT, -2 * ROOT};
    return (acts){.emf = plant->lead_rate * (sine * by_sine + cosine * by_cosine),
                  .pull = plant->lead_constant * (sine * pull_by_sine + cosine * pull_by_cosine)};
}

/* The shape where it is, and how it goes by the electrical angle. */
static inline void see_sine(const wpin_plant *plant, const wpin_shape *shape, acts *now, acts *on) {
    *now = acts_of_sine(plant, shape->sine, shape->cosine);
    *on = acts_of_sine(plant, shape->cosine, -shape->sine);
}

static double to_corner(const wpin_rotor *r, double turned) {
    return r->speed > 0 ? r->shape->begin + WPIN_SECTOR - turned : turned - r->shape->begin;
}

/* Up to a corner at the most: how far that is, electrical rad. */
static double see_flats(const wpin_plant *plant, wpin_rotor *r, acts *now, acts *on) {
    wpin_shape *shape = r->shape;
    const double turned = plant->motor.pole_pairs * r->at;
    double left = to_corner(r, turned);
    if (!(left > AT_CORNER)) {
        wpin_phases_sector(turned + (r->speed > 0 ? 2 : -2) * AT_CORNER, shape);
        left = to_corner(r, turned);
    }
    wpin_phases_flats(turned, shape);
    const double *f = shape->f, *slope = shape->slope;
    *now = acts_of(plant, f[0], f[1], f[2]);
    *on = acts_of(plant, slope[0], slope[1], slope[2]);
    return left;
}

bool wpin_rotor_begin(const wpin_plant *plant, const wpin_runner *runner, wpin_two u,
                      wpin_rotor *r) {
    const double w = r->speed, a = runner->poles * w, bend = a * a * runner->bend;
    acts now, on;
    double left = COURSE_MOST; /* electrical rad */
    if (runner->bend != 0) {
        see_sine(plant, r->shape, &now, &on);
    } else {
        left = see_flats(plant, r, &now, &on);
    }
    r->by_speed = now.emf;
    r->pull = now.pull;
    r->pull_on = on.pull;
    const double s = runner->per_inertia * (wpin_dot(r->pull, u) - drag_of(runner, w));
    r->spins = a;
    r->bends = fabs(a * runner->bend);
    r->gains = s;
    r->emf = w * now.emf;
    r->emf1 = s * now.emf + w * a * on.emf;
    r->emf2 = 3 * a * s * on.emf + w * bend * now.emf;
    r->emf3 = bend * (w * a * on.emf + 6 * s * now.emf);
    r->charge = r->moment = r->second = (wpin_two){0};
    r->lasts = 0;
    const double most =
        1 / (fabs(a) * (1 + 1.0 / WPIN_WELL_TURNS) / left + plant->swings / SWING_MOST);
    r->left = (int64_t)(most * 1e12);
    return fabs(w) > WPIN_WELL_TURNS * fabs(s) * most; /* and speeds up by no more than that */
}

/* A few hundredths of a radian on. */
static void turn_on(wpin_shape *shape, double x) {
    double q = x * x, sine = x * (1 - q * (1.0 / 6 - q * (1.0 / 120)));
    double cosine = 1 - q * (1.0 / 2 - q * (1.0 / 24 - q * (1.0 / 720)));
    double s = shape->sine;
    shape->sine = s * cosine + shape->cosine * sine;
    shape->cosine = shape->cosine * cosine - s * sine;
}

/* How far it came beyond what its speed at first made, by the torque that there was; the pull turns
 * meanwhile. */
static double ahead_of(const wpin_runner *runner, const wpin_rotor *r, double drag) {
    const double h = r->lasts;
    return runner->per_inertia * (wpin_dot(r->pull, h * r->charge - r->moment) - drag * h / 2 +
                                  r->spins * wpin_dot(r->pull_on, h * r->moment - r->second));
}

wpin_two wpin_rotor_end(const wpin_runner *runner, wpin_rotor *r) {
    const double h = r->lasts, a = r->spins, w = r->speed;
    const double given =
        wpin_dot(r->pull, r->charge) + runner->bend * a * a / 2 * wpin_dot(r->pull, r->second) +
        wpin_dot(r->pull_on, a * r->moment + runner->poles * r->gains / 2 * r->second);
    double gained = runner->per_inertia * (given - drag_of(runner, w) * h);
    const double drag = drag_of(runner, w + gained / 2) * h;
    gained = runner->per_inertia * (given - drag);
    const double ahead = ahead_of(runner, r, drag), turned = w * h + ahead;
    r->speed = w + gained;
    r->at += turned;
    if (runner->bend != 0) {
        turn_on(r->shape, runner->poles * turned);
    }
    return (ahead - r->gains * h * h / 2) * r->by_speed;
}
