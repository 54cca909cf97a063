/* What an edge of a leg costs besides the winding's current: a capacitor at the motor is charged or
 * emptied through the switches, a slow diode is a short across the supply until it blocks. */
#include "board.h"
#include "windpin/host/calc.h"
#include <math.h>

/* A switch takes over the current of the diode across the other side: out of the leg that is the
 * lower one. */
static bool takes_over(wpin_leg_state from, wpin_leg_state to, double out) {
    return from == WPIN_LEG_OFF &&
           ((out > 0 && to == WPIN_LEG_HIGH) || (out < 0 && to == WPIN_LEG_LOW));
}

wpin_surge wpin_edge_surge(const wpin_sim *sim, const wpin_bridge *bridge, const wpin_plant *plant,
                           wpin_legs next) {
    const wpin_part_driver *part = &bridge->part;
    bool driven = next.a != next.b && next.a != WPIN_LEG_OFF && next.b != WPIN_LEG_OFF;
    bool was = plant->leg_a == next.a && plant->leg_b == next.b;
    wpin_surge surge = {0};
    if (driven && !was && part->motor_farads > 0) {
        double switches = plant->feed.wire_a || plant->feed.wire_b ? 1 : 2;
        double ohms =
            switches * part->on_resistance + sim->supplies[bridge->supply].part.resistance;
        surge.lasts = wpin_calc_surge_seconds(plant->feed.volts, ohms, part->motor_farads,
                                              part->burns_above_amps, &surge.amps);
    }
    return surge;
}

double wpin_edge_joules(const wpin_bridge *bridge, const wpin_plant *plant, wpin_legs next) {
    double volts = plant->feed.volts, joules = 0;
    if (plant->leg_a != next.a && next.a != WPIN_LEG_OFF) {
        joules += bridge->part.motor_farads * volts * volts / 2;
    }
    if (takes_over(plant->leg_a, next.a, plant->amps) ||
        takes_over(plant->leg_b, next.b, -plant->amps)) {
        joules += volts * fabs(plant->amps) * bridge->part.diode_recovery;
    }
    return joules;
}
