/* Which piece of the two equations holds: legs, diodes and the shaft say it. */
#include "plant.h"
#include <math.h>

#define PS 1e-12

/* Where a terminal is tied for a current of this sign out of the leg: a wire, a switch, or the
 * diode that this sign opens. A bipolar switch takes its saturation from a current it was made
 * for, and leaves the other sign to the diode across it. */
wpin_tie wpin_plant_tie(const wpin_feed *f, wpin_leg_state leg, bool wire, int out) {
    double diode = f->diode_volts;
    wpin_tie low_diode = {-diode, f->diode_resistance, 0, true, diode};
    wpin_tie high_diode = {wpin_feed_volts(f) + diode, f->diode_resistance, 1, true, diode};
    bool bipolar = f->saturation_volts > 0 && !wire;
    double resistance = wire ? 0 : f->on_resistance, drop = bipolar ? f->saturation_volts : 0;
    if (leg == WPIN_LEG_LOW) {
        return bipolar && out > 0 ? low_diode : (wpin_tie){drop, resistance, 0, false, drop};
    }
    if (leg == WPIN_LEG_HIGH) {
        return bipolar && out < 0
                   ? high_diode
                   : (wpin_tie){wpin_feed_volts(f) - drop, resistance, 1, false, drop};
    }
    return out > 0 ? low_diode : high_diode;
}

static bool through_diode(const wpin_plant *plant) {
    return plant->leg_a == WPIN_LEG_OFF || plant->leg_b == WPIN_LEG_OFF ||
           plant->feed.saturation_volts > 0;
}

wpin_loop wpin_plant_loop(const wpin_plant *plant, wpin_leg_state one, wpin_leg_state other,
                          int way) {
    const wpin_feed *f = &plant->feed;
    wpin_tie a = wpin_plant_tie(f, one, f->wire_a, way);
    wpin_tie b = wpin_plant_tie(f, other, f->wire_b, -way);
    int rail = a.rail - b.rail;
    bool diode = one == WPIN_LEG_OFF || other == WPIN_LEG_OFF || f->saturation_volts > 0;
    return (wpin_loop){.emf = a.volts - b.volts,
                       .resistance = plant->motor.resistance + a.resistance + b.resistance +
                                     rail * rail * f->resistance * f->share * f->share,
                       .rail = rail,
                       .diode = a.diode || b.diode,
                       .drop_ohms = a.resistance + b.resistance,
                       .drop_volts = a.drop + b.drop,
                       .way = diode ? way : 0};
}

static wpin_loop loop_for(const wpin_plant *plant, int way) {
    return wpin_plant_loop(plant, plant->leg_a, plant->leg_b, way);
}

/* Whether the switch to ground passes all its base allows, and volts are left for more. */
static bool is_limited(const wpin_plant *plant) {
    double most = plant->feed.most_amps;
    if (most <= 0 || plant->leg_b != WPIN_LEG_LOW || plant->amps < most * (1 - 1e-9)) {
        return false;
    }
    wpin_loop loop = loop_for(plant, 1);
    return loop.emf > loop.resistance * plant->amps + plant->motor.constant * plant->speed;
}

/* Sign of the current that flows or is about to; 0 when diodes block both ways. */
static int find_way(const wpin_plant *plant) {
    if (plant->amps != 0) {
        return plant->amps < 0 ? -1 : (is_limited(plant) ? WPIN_LIMITED : 1);
    }
    if (!through_diode(plant)) {
        return 1;
    }
    double back = plant->motor.constant * plant->speed;
    if (loop_for(plant, 1).emf > back) {
        return 1;
    }
    return loop_for(plant, -1).emf < back ? -1 : 0;
}

bool wpin_plant_against_stop(const wpin_plant *plant, double torque) {
    return plant->has_stops && ((torque > 0 && plant->angle >= plant->high_angle) ||
                                (torque < 0 && plant->angle <= plant->low_angle));
}

static wpin_shaft find_shaft(const wpin_plant *plant) {
    if (plant->speed != 0) {
        return plant->speed > 0 ? WPIN_SHAFT_FORWARD : WPIN_SHAFT_REVERSE;
    }
    double torque = plant->motor.constant * plant->amps;
    if (fabs(torque) <= plant->torque_hold || wpin_plant_against_stop(plant, torque)) {
        return WPIN_SHAFT_STUCK;
    }
    return torque > 0 ? WPIN_SHAFT_FORWARD : WPIN_SHAFT_REVERSE;
}

/* The piece of two legs, a sign of the current and a shaft. */
static void make_piece(const wpin_plant *plant, wpin_piece *p, const wpin_loop *loop, int way,
                       wpin_shaft shaft) {
    const wpin_part_motor *m = &plant->motor;
    if (way == WPIN_LIMITED) { /* what the winding does not need stays across the switch */
        double ohms = loop->resistance - loop->drop_ohms;
        p->loop = *loop;
        p->loop.drop_ohms = 0;
        p->loop.drop_volts =
            loop->emf + loop->drop_volts - ohms * plant->amps - m->constant * plant->speed;
    } else if (way != 0) {
        p->loop = *loop;
        p->rates.m00 = -p->loop.resistance / m->inductance;
        p->force_amps = p->loop.emf / m->inductance;
    }
    if (shaft != WPIN_SHAFT_STUCK) {
        double against = shaft == WPIN_SHAFT_FORWARD ? plant->torque_move : -plant->torque_move;
        bool free = way != 0 && way != WPIN_LIMITED;
        p->rates.m01 = free ? -m->constant / m->inductance : 0;
        p->rates.m10 = m->constant / plant->inertia;
        p->rates.m11 = -plant->viscous / plant->inertia;
        p->force_speed = -against / plant->inertia;
    }
    p->shaft = shaft;
}

static int number_of(wpin_leg_state a, wpin_leg_state b, int way, wpin_shaft shaft) {
    return (int)(((a * 3 + b) * 4 + (unsigned)(way + 1)) * 3 + shaft);
}

int wpin_plant_driven_way(const wpin_plant *plant, wpin_leg_state a, wpin_leg_state b) {
    double back = plant->motor.constant * plant->speed;
    if (wpin_plant_loop(plant, a, b, 1).emf > back) {
        return 1;
    }
    return wpin_plant_loop(plant, a, b, -1).emf < back ? -1 : 0;
}

int wpin_plant_number(const wpin_plant *plant, wpin_leg_state a, wpin_leg_state b, int way) {
    if (way == 0 || a == WPIN_LEG_BOTH || b == WPIN_LEG_BOTH) {
        return -1;
    }
    return number_of(a, b, way, find_shaft(plant));
}

wpin_piece wpin_plant_piece(const wpin_plant *plant, int number) {
    wpin_piece piece = {.number = number};
    int way = number / 3 % 4 - 1;
    wpin_loop loop = wpin_plant_loop(plant, (wpin_leg_state)(number / 36),
                                     (wpin_leg_state)(number / 12 % 3), way);
    make_piece(plant, &piece, &loop, way, (wpin_shaft)(number % 3));
    return piece;
}

/* Load torque of the fan law over a piece: taken at the mean speed expected in it, the current
 * going on as it does. */
static double fan_torque(const wpin_plant *plant, const wpin_piece *p, double against, double dt) {
    double w = plant->speed, amps = plant->amps;
    double rising = p->rates.m00 * amps + p->rates.m01 * w + p->force_amps; /* A/s */
    amps += rising * dt / 3; /* its part in the mean speed */
    double drive = plant->motor.constant * amps - plant->viscous * w - against -
                   plant->quadratic * w * fabs(w);
    double mean = w + drive / plant->inertia * dt / 2;
    return plant->quadratic * mean * fabs(mean);
}

const wpin_piece *wpin_plant_find_piece(wpin_plant *plant, int64_t dt) {
    int way = find_way(plant);
    wpin_shaft shaft = find_shaft(plant);
    int number = number_of(plant->leg_a, plant->leg_b, way, shaft);
    wpin_piece *p = &plant->pieces[number];
    if (p->version != plant->version || way == WPIN_LIMITED) {
        *p = (wpin_piece){.version = plant->version, .number = number};
        wpin_loop loop = loop_for(plant, way == WPIN_LIMITED ? 1 : way);
        make_piece(plant, p, &loop, way, shaft);
    }
    if (plant->quadratic != 0 && shaft != WPIN_SHAFT_STUCK) {
        double against = shaft == WPIN_SHAFT_FORWARD ? plant->torque_move : -plant->torque_move;
        p->force_speed =
            -(against + fan_torque(plant, p, against, (double)dt * PS)) / plant->inertia;
    }
    return p;
}

/* How often a current out of a leg comes from the supply's plus: a diode leads it there or from
 * ground. */
static int rail_of(wpin_leg_state leg, int out) {
    bool diode = leg != WPIN_LEG_LOW && leg != WPIN_LEG_HIGH;
    return leg == WPIN_LEG_HIGH || (diode && out < 0);
}

int wpin_plant_rail(const wpin_plant *plant) {
    const int way = plant->amps > 0 ? 1 : plant->amps < 0 ? -1 : find_way(plant);
    return way == 0 ? 0 : rail_of(plant->leg_a, way) - rail_of(plant->leg_b, -way);
}

double wpin_plant_draws(const wpin_plant *plant) {
    return plant->amps == 0 ? 0 : wpin_plant_rail(plant) * plant->amps * plant->feed.share;
}
