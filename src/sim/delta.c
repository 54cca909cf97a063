/* What goes round in a delta with flat tops. There the emf of its three windings does not add up to
 * nothing, but to that of the one between its flat tops, as two cancel each other:
 *     3 (L di/dt + R i) = -k w r(p a)          T = k r i
 * with r that one's shape, going from one flat top to the other and back, three times an electrical
 * turn. None of it shows in the leads; it brakes, and heats. Between two leads is a winding beside
 * the two others: its R and L are 3/2 of what is measured there; and where the emf between leads
 * peaks, at 4/3 of a winding's, its own is on its flat top while the third's has its whole share.
 */
#include "delta.h"

typedef struct three {
    double begin, middle, end;
} three;

/* By Simpson's rule. */
static double mean_of(three a, three b) {
    return (a.begin * b.begin + 4 * a.middle * b.middle + a.end * b.end) / 6;
}

static double winding_constant(const wpin_plant *plant) {
    return plant->motor.constant * 3 / 4;
}

static double ramp_of(const wpin_plant *plant, const wpin_shape *shape) {
    return wpin_phases_ramp(shape->sector, shape->begin, plant->motor.pole_pairs * shape->at);
}

wpin_round wpin_delta_round(const wpin_plant *plant, const wpin_shape *shape, double speed,
                            double seconds) {
    const wpin_part_motor *m = &plant->motor;
    const double k = winding_constant(plant), fading = m->resistance / m->inductance;
    const double ramp = ramp_of(plant, shape), h = seconds;
    const double rate = wpin_phases_ramp_slope(shape->sector) * m->pole_pairs * speed;
    const double by_ramp = -k * speed / (3 * (m->inductance * 3 / 2)), now = plant->round_amps;
    const double i1 = by_ramp * ramp - fading * now, i2 = by_ramp * rate - fading * i1;
    const double i3 = -fading * i2, i4 = -fading * i3, half = h / 2;
    const three r = {ramp, ramp + rate * half, ramp + rate * h};
    const three i = {now, now + half * (i1 + half / 2 * (i2 + half / 3 * (i3 + half / 4 * i4))),
                     now + h * (i1 + half * (i2 + h / 3 * (i3 + h / 4 * i4)))};
    return (wpin_round){
        .amps = i.end,
        .torque = k * mean_of(r, i),
        /* 3 x 3/2 R i i, over the R between two leads */
        .squares = 4.5 * mean_of(i, i) * h,
    };
}

double wpin_delta_torque(const wpin_plant *plant, const wpin_shape *shape) {
    return winding_constant(plant) * ramp_of(plant, shape) * plant->round_amps;
}
