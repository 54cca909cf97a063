/* The usual way through a period of field orientation: legs and diodes carry all three leads, and
 * the emf is a sine. With u the currents into leads a and b, w the speed, x the electrical angle:
 *     du/dt = M u + F - w g(x)          J dw/dt = t(x) u - B w - T
 * Currents go from step to step; the rotor, which is slow beside them, in courses of several steps:
 * in one the emf goes by few terms in time, and the torque gives speed by the charge that flowed.
 */
#include "glide.h"
#include <math.h>

#define PS   1e-12
#define ROOT 0.86602540378443864676 /* of 3, halved */
/* Of a radian, in one course: three terms leave out 3e-8 of the emf as it ends. And of the swing of
 * the currents against the rotor, of which the emf knows only how it began. */
#define COURSE_MOST 0.03
#define SWING_MOST  0.003
/* How often a course's change of speed must fit the speed that there is. */
#define WELL_TURNS 20

/* What stays the same. */
typedef struct glider {
    wpin_plant *plant;
    const wpin_runner *runner;
    wpin_two emf_sine, emf_cosine;   /* A/s for each rad/s */
    wpin_two pull_sine, pull_cosine; /* Nm for each ampere */
    double swings;                   /* currents against the rotor, 1/s */
} glider;

/* A course: the rotor as it began, the currents now. */
typedef struct course {
    double speed, sine, cosine, spins; /* spins: electrical rad/s */
    double gains;                      /* speed it was thought to gain a second */
    wpin_two by_speed;                 /* emf, A/s for each rad/s */
    wpin_two emf, emf1, emf2, emf3;    /* A/s: now, and how that changes */
    wpin_two pull, pull_on;            /* Nm for each ampere; and how that changes by the angle */
    wpin_two charge, moment, second;   /* As since it began; each times how long it had lasted, and
                                          times the square of that */
    double lasts, most;                /* s; how long it may */
    wpin_two u;
    double mean, largest;  /* current in the step before; of the leads as it ended: with the sign of
                              the torque */
    double drawn;          /* out of the supply, As */
    const wpin_star *star; /* in that step */
} course;

static glider glider_of(wpin_plant *plant, const wpin_runner *runner) {
    const wpin_part_motor *m = &plant->motor;
    double constant = wpin_phases_constant(plant), per_lead = constant * 2 / m->inductance;
    return (glider){.plant = plant,
                    .runner = runner,
                    .emf_sine = {per_lead, per_lead * -0.5},
                    .emf_cosine = {0, per_lead * -ROOT},
                    .pull_sine = {constant * 1.5, 0},
                    .pull_cosine = {constant * -ROOT, constant * -2 * ROOT},
                    .swings = sqrt(1.5 * constant * per_lead * runner->per_inertia)};
}

static double drag_of(const wpin_runner *runner, double speed) {
    return (runner->viscous + runner->quadratic * fabs(speed)) * speed + runner->friction;
}

/* False: it may come to stand in it. */
static bool begin(const glider *g, course *c) {
    const wpin_runner *runner = g->runner;
    const double w = c->speed, a = runner->poles * w;
    const wpin_two emf = c->sine * g->emf_sine + c->cosine * g->emf_cosine;
    c->by_speed = emf;
    const wpin_two slope = c->cosine * g->emf_sine - c->sine * g->emf_cosine;
    c->pull = c->sine * g->pull_sine + c->cosine * g->pull_cosine;
    c->pull_on = c->cosine * g->pull_sine - c->sine * g->pull_cosine;
    const double s = runner->per_inertia * (wpin_dot(c->pull, c->u) - drag_of(runner, w));
    c->spins = a;
    c->gains = s;
    c->emf = w * emf;
    c->emf1 = s * emf + w * a * slope;
    c->emf2 = 3 * a * s * slope - w * a * a * emf;
    c->emf3 = -a * a * (w * a * slope + 6 * s * emf);
    c->charge = c->moment = c->second = (wpin_two){0};
    c->lasts = 0;
    c->most = 1 / (fabs(a) / COURSE_MOST + g->swings / SWING_MOST);
    return fabs(w) > WELL_TURNS * fabs(s) * c->most;
}

/* A few hundredths of a radian on. */
static void turn_on(course *c, double x) {
    double q = x * x, sine = x * (1 - q * (1.0 / 6 - q * (1.0 / 120)));
    double cosine = 1 - q * (1.0 / 2 - q * (1.0 / 24 - q * (1.0 / 720)));
    double s = c->sine;
    c->sine = s * cosine + c->cosine * sine;
    c->cosine = c->cosine * cosine - s * sine;
}

/* How far the shaft turned. The pull bends as a sine does; and the currents are led to where they
 * would be, had the emf gone by the torque that there was. */
static double end(const glider *g, course *c) {
    const wpin_runner *runner = g->runner;
    const double h = c->lasts, a = c->spins, w = c->speed;
    const double pulled = wpin_dot(c->pull, c->charge);
    const double given =
        pulled - a * a / 2 * wpin_dot(c->pull, c->second) +
        wpin_dot(c->pull_on, a * c->moment + runner->poles * c->gains / 2 * c->second);
    double gained = runner->per_inertia * (given - drag_of(runner, w) * h);
    const double drag = drag_of(runner, w + gained / 2) * h;
    gained = runner->per_inertia * (given - drag);
    const double ahead =
        runner->per_inertia * (pulled * h - wpin_dot(c->pull, c->moment) - drag * h / 2);
    const double turned = w * h + ahead;
    c->u -= (ahead - c->gains * h * h / 2) * c->by_speed;
    c->speed = w + gained;
    turn_on(c, runner->poles * turned);
    return turned;
}

/* The current that heats two leads as much, squared. */
static inline double square_of(wpin_two begin, wpin_two end) {
    wpin_two squares = begin * begin + begin * end + end * end;
    double a = begin[0] + begin[1], b = end[0] + end[1];
    return (squares[0] + squares[1] + a * a + a * b + b * b) * (1.0 / 6);
}

static inline const wpin_star *star_of(wpin_plant *plant, const wpin_step *step, wpin_two u) {
    const int digit[WPIN_PHASES] = {wpin_lead_digit(step->legs[0], u[0]),
                                    wpin_lead_digit(step->legs[1], u[1]),
                                    wpin_lead_digit(step->legs[2], -u[0] - u[1])};
    return wpin_star_of(plant, digit);
}

/* One step; false: something happens in it. */
static inline bool go_on(const glider *g, course *c, wpin_flowed *flowed, const wpin_step *step) {
    wpin_plant *plant = g->plant;
    const wpin_two u = c->u;
    const wpin_star *star = star_of(plant, step, u);
    const double h = (double)step->dt * PS, share = star->fading * h;
    if (star->count != WPIN_PHASES || share > WPIN_SHARE_MOST) {
        return false;
    }
    const wpin_two u1 = wpin_by_itself(star, u) + star->force - c->emf;
    const wpin_two u2 = wpin_by_itself(star, u1) - c->emf1;
    wpin_two u3 = {0};
    if (share > WPIN_SHARE_OF_TWO) {
        u3 = wpin_by_itself(star, u2) - c->emf2;
        if (share > WPIN_SHARE_OF_THREE) { /* the fourth, in its place */
            u3 += h * (1.0 / 4) * wpin_by_itself(star, u3);
        }
    }
    const double half = h * (1.0 / 2), third = h * (1.0 / 3);
    const wpin_two next = u + h * (u1 + half * (u2 + third * u3));
    const double last = -next[0] - next[1];
    const double most = wpin_largest(next, last);
    if (most > plant->over_limit ||
        (star->diodes &&
         (star->way[0] * next[0] < 0 || star->way[1] * next[1] < 0 || star->way[2] * last < 0))) {
        return false;
    }
    const wpin_two charge = h * (u + half * (u1 + third * (u2 + h * (1.0 / 4) * u3)));
    const double square = square_of(u, next), size = sqrt(square);
    const bool back = wpin_dot(c->pull, u) < 0;
    c->mean = back ? -size : size;
    c->largest = back ? -most : most;
    flowed->amps += c->mean * h;
    flowed->sizes += size * h;
    flowed->squares += square * h;
    c->drawn += wpin_dot(star->draws, charge);
    if (plant->heats) {
        wpin_short_loses(plant, star, (const wpin_two[]){u, next}, charge, h);
    }
    c->star = star;
    c->charge += charge;
    const wpin_two moment = h * half * (u + 2 * third * u1);
    c->second +=
        c->lasts * (c->lasts * charge + 2 * moment) + h * h * third * (u + h * (3.0 / 4) * u1);
    c->moment += c->lasts * charge + moment;
    c->emf += h * (c->emf1 + half * (c->emf2 + third * c->emf3));
    c->emf1 += h * (c->emf2 + half * c->emf3);
    c->emf2 += h * c->emf3;
    c->lasts += h;
    c->u = next;
    return true;
}

/* What it has come to. */
typedef struct way {
    wpin_flowed flowed;
    double least, most; /* current */
    double turned;      /* rad of the shaft */
    int64_t gone;       /* ps */
    int steps, courses;
} way;

/* Along steps within a course; false: the next one is not for it. */
static bool follow(const glider *g, course *c, way *w, const wpin_step *steps, int count) {
    wpin_plant *plant = g->plant;
    for (; w->steps < count; w->steps++) {
        const wpin_step *step = &steps[w->steps];
        const double h = (double)step->dt * PS;
        if (c->lasts + h > c->most) {
            return c->lasts > 0; /* in another course, unless it is too long for any */
        }
        if (!go_on(g, c, &w->flowed, step)) {
            return false;
        }
        w->gone += step->dt;
        w->least = c->largest < w->least ? c->largest : w->least;
        w->most = c->largest > w->most ? c->largest : w->most;
        if (plant->feed.sense_filter > 0) {
            wpin_plant_sense(plant, 2 * c->mean - c->largest, c->largest, h);
        }
    }
    return false;
}

static void arrive(wpin_plant *plant, const course *c, const way *w, wpin_whereabouts *at) {
    wpin_shape *shape = &at->shape;
    plant->rail_amps = wpin_dot(c->star->draws, c->u);
    plant->sums.least_amps = w->least;
    plant->sums.most_amps = w->most;
    plant->amps = c->largest;
    if (plant->feed.sense_filter <= 0) {
        plant->sense_amps = c->largest;
    }
    at->u = c->u;
    at->third = -c->u[0] - c->u[1];
    at->speed = c->speed;
    shape->at += w->turned;
    shape->turned_on += w->courses;
    shape->sine = c->sine;
    shape->cosine = c->cosine;
    wpin_shape_sine(shape);
}

int wpin_glide(wpin_plant *plant, const wpin_runner *runner, wpin_whereabouts *at,
               wpin_flowed *flowed, const wpin_step *steps, int count, int64_t *gone) {
    if (runner->bend == 0 || runner->held || at->speed == 0) {
        return 0;
    }
    const glider g = glider_of(plant, runner);
    course c = {.u = at->u, .speed = at->speed, .sine = at->shape.sine, .cosine = at->shape.cosine};
    way w = {.flowed = *flowed, .least = plant->sums.least_amps, .most = plant->sums.most_amps};
    bool goes = true;
    for (; goes && w.steps < count && begin(&g, &c); w.courses++) {
        goes = follow(&g, &c, &w, steps, count);
        w.turned += end(&g, &c);
    }
    if (w.steps > 0) {
        w.flowed.seconds += (double)w.gone * PS;
        w.flowed.drawn += c.drawn * plant->feed.share;
        *flowed = w.flowed;
        *gone += w.gone;
        arrive(plant, &c, &w, at);
    }
    return w.steps;
}
