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

/* One winding through a piece; the charge it took from the supply. */
static double wind(wpin_plant *plant, double *amps, wpin_leg_state one, wpin_leg_state other,
                   double emf, double seconds, double *mean) {
    int way = *amps != 0 ? (*amps > 0 ? 1 : -1) : 1;
    wpin_loop loop = wpin_plant_loop(plant, one, other, way);
    if (*amps == 0 && loop.way != 0 && loop.emf <= emf) {
        loop = wpin_plant_loop(plant, one, other, -1);
        if (loop.emf >= emf) {
            *mean = 0;
            return 0; /* diodes block both ways */
        }
    }
    double rate = loop.resistance / plant->motor.inductance;
    double last = (loop.emf - emf) / loop.resistance, left = exp(-rate * seconds);
    double end = last + (*amps - last) * left;
    if (loop.way != 0 && end * loop.way < 0) {
        end = 0; /* the diode ran dry */
    }
    *mean = (*amps + end) / 2;
    *amps = end;
    plant->lost += wpin_loop_watts(&loop, *mean) * seconds;
    return loop.rail * *mean * seconds;
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

static void piece(wpin_plant *plant, double seconds) {
    double poles = plant->stepper.steps_per_rev / 4, k = plant->motor.constant;
    double s = sin(poles * plant->angle), c = cos(poles * plant->angle), w = plant->speed;
    double mean_a, mean_b, before = plant->amps;
    double drawn =
        wind(plant, &plant->amps, plant->leg_a, plant->leg_b, -k * w * s, seconds, &mean_a);
    drawn += wind(plant, &plant->amps_b, plant->leg_c, plant->leg_d, k * w * c, seconds, &mean_b);
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
}

void wpin_stepper_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        int64_t part = dt < PIECE_PS ? dt : PIECE_PS;
        piece(plant, (double)part * PS);
        dt -= part;
    }
}
