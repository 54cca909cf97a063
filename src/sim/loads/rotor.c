/* A bipolar stepper: two windings and a rotor with steps/4 pole pairs,
 *     L di/dt = E - R i - e      e_a = -k w sin(p a)   e_b = k w cos(p a)
 *     J dw/dt = k (i_b cos(p a) - i_a sin(p a)) - B w - T
 * (e.g. Acarnley, "Stepping Motors", ch. 4). Within a short piece the back-emf counts as constant:
 * the currents are then exact, and rotor speed and place follow one after the other. */
#include "../plant.h"
#include <math.h>

#define PS       1e-12
#define PI       3.14159265358979323846
#define PIECE_PS 10000000 /* 10 us: short against a step and against the rotor's swing */

/* Where the current of a winding between two legs is going. */
typedef struct course {
    wpin_loop loop;
    double last, rate; /* A; how fast, 1/s */
    bool open;         /* diodes block both ways */
} course;

static course course_of(const wpin_plant *plant, double amps, wpin_leg_state one,
                        wpin_leg_state other, double emf) {
    course c = {.loop = wpin_plant_loop(plant, one, other, amps < 0 ? -1 : 1)};
    if (amps == 0 && c.loop.way != 0 && c.loop.emf <= emf) {
        c.loop = wpin_plant_loop(plant, one, other, -1);
        c.open = c.loop.emf >= emf;
    }
    c.last = c.open ? 0 : (c.loop.emf - emf) / c.loop.resistance;
    c.rate = c.loop.resistance / plant->motor.inductance;
    return c;
}

/* One winding through a piece; the charge it took from the supply. */
static double wind(wpin_plant *plant, double *amps, const course *c, double seconds, double *mean) {
    if (c->open) {
        *mean = 0;
        return 0;
    }
    double end = c->last + (*amps - c->last) * exp(-c->rate * seconds);
    if (c->loop.way != 0 && end * c->loop.way < 0) {
        end = 0; /* the diode ran dry */
    }
    *mean = (*amps + end) / 2;
    *amps = end;
    plant->lost += wpin_loop_watts(&c->loop, *mean) * seconds;
    return c->loop.rail * *mean * seconds;
}

/* Speed after a piece: friction holds a rotor at rest and never turns one round. */
static double turn(const wpin_plant *plant, double torque, double seconds) {
    double w = plant->speed, dry = plant->torque_move;
    if (w == 0 && fabs(torque) <= dry) {
        return 0;
    }
    double way = w != 0 ? copysign(1, w) : copysign(1, torque);
    double next = w + (torque - plant->viscous * w - way * dry) * seconds / plant->inertia;
    return w != 0 && next * w < 0 && fabs(torque) <= dry ? 0 : next;
}

/* Currents are nearly where they are going, and hold the rotor all the way there: how long a piece
 * is does not matter. */
static bool holds(const wpin_plant *plant, const course *a, const course *b, double s, double c) {
    double k = plant->motor.constant, near = 0.02 * (fabs(a->last) + fabs(b->last));
    double by_a = k * fabs((a->last - plant->amps) * s), goes_a = fabs(a->last - plant->amps);
    double by_b = k * fabs((b->last - plant->amps_b) * c), goes_b = fabs(b->last - plant->amps_b);
    double torque = k * fabs(plant->amps_b * c - plant->amps * s) + by_a + by_b;
    return plant->speed == 0 && goes_a <= near && goes_b <= near &&
           (plant->stalled || torque <= plant->torque_move);
}

/* Through so much of dt. */
static int64_t piece(wpin_plant *plant, int64_t dt) {
    double poles = plant->stepper.steps_per_rev / 4, k = plant->motor.constant;
    double s = sin(poles * plant->angle), c = cos(poles * plant->angle), w = plant->speed;
    double mean_a, mean_b, before = plant->amps;
    course of_a = course_of(plant, plant->amps, plant->leg_a, plant->leg_b, -k * w * s);
    course of_b = course_of(plant, plant->amps_b, plant->leg_c, plant->leg_d, k * w * c);
    int64_t part = dt < PIECE_PS || holds(plant, &of_a, &of_b, s, c) ? dt : PIECE_PS;
    double seconds = (double)part * PS;
    double drawn = wind(plant, &plant->amps, &of_a, seconds, &mean_a);
    drawn += wind(plant, &plant->amps_b, &of_b, seconds, &mean_b);
    plant->volt_seconds += plant->motor.resistance * mean_a * seconds - k * w * s * seconds +
                           plant->motor.inductance * (plant->amps - before);
    plant->speed = plant->stalled ? 0 : turn(plant, k * (mean_b * c - mean_a * s), seconds);
    plant->angle += plant->speed * seconds;
    plant->sums.rads += plant->speed * seconds;
    double size = fmax(fabs(mean_a), fabs(mean_b));
    wpin_plant_tally(plant, seconds, size, fmax(fabs(plant->amps), fabs(plant->amps_b)), drawn);
    double less = fmin(fabs(mean_a), fabs(mean_b)); /* the other winding heats as well */
    plant->squares += less * less * seconds;
    plant->sizes += less * seconds;
    return part;
}

void wpin_stepper_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        dt -= piece(plant, dt);
    }
}
