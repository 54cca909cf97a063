/* What burns a driver, or makes it look after itself: legs that short, a winding that finds no way
 * on, more current or volts than it bears. */
#include "board.h"
#include <math.h>

#define OFF_FOR_PS 10000000000LL /* 10 ms off after its own protection */

/* The legs that carry a motor: two, or the three of a brushless one. */
static int leg_count(const wpin_plant *plant) {
    return plant->kind == WPIN_PLANT_BRUSHLESS ? 3 : 2;
}

static wpin_leg_state leg_of(const wpin_legs *legs, int leg) {
    return leg == 0 ? legs->a : (leg == 1 ? legs->b : legs->c);
}

/* Both sides of a leg conduct: by command, or while one turns off and the other on, unless the
 * chip waits between. Relay contacts can not. */
void wpin_bridge_check_legs(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                            wpin_legs next, int64_t at) {
    if (plant->kind == WPIN_PLANT_STEPPER) {
        return; /* its chip keeps the sides of each leg apart by its logic */
    }
    bool waits = bridge->part.interlock || bridge->part.contact_delay > 0;
    for (int leg = 0; leg < leg_count(plant) && !bridge->burnt; leg++) {
        wpin_leg_state from = leg_of(&bridge->shown, leg), to = leg_of(&next, leg);
        bool shorts = wpin_leg_shorts(bridge, &bridge->watch, leg, from, to, at);
        if (to == WPIN_LEG_BOTH) {
            wpin_bridge_burn(bridge);
            wpin_board_burn(sim, at, wpin_bridge_part(sim, bridge), bridge->name,
                            "shoot-through: both sides of leg %c are on", 'A' + leg);
        } else if (!waits && shorts) {
            wpin_bridge_burn(bridge);
            wpin_board_burn(
                sim, at, wpin_bridge_part(sim, bridge), bridge->name,
                "shoot-through: leg %c went from one side to the other faster than it turns "
                "off, and the chip has no interlock",
                'A' + leg);
        }
    }
}

/* Current that finds no way on when a leg turns off: the winding drives the voltage up until
 * something gives. */
void wpin_bridge_check_kick(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                            wpin_legs next, int64_t at) {
    const double harmless = 20e-3; /* A: what a small winding's stray capacitance takes up */
    bool opens = false;
    for (int leg = 0; leg < leg_count(plant); leg++) {
        opens = opens ||
                (leg_of(&next, leg) == WPIN_LEG_OFF && leg_of(&bridge->shown, leg) != WPIN_LEG_OFF);
    }
    bool winding = plant->kind != WPIN_PLANT_LAMP;
    if (bridge->part.no_diodes && winding && opens && fabs(plant->amps) > harmless) {
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, at, wpin_bridge_part(sim, bridge), bridge->name,
                        "over-voltage: %.3g A were cut off and found no free-wheel diode",
                        fabs(plant->amps));
    }
}

/* A driver that looks after itself switches off for a while. */
static void protect(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at) {
    if (!bridge->told) {
        wpin_board_note(sim, at, bridge->name,
                        "switches itself off and on again: %.3g A, its limit is %.3g A",
                        plant->over_peak, bridge->part.burns_above_amps);
        bridge->told = true;
    }
    bridge->off_until = at + OFF_FOR_PS;
    bridge->alive = false;
    plant->over_time = plant->over_peak = 0;
}

void wpin_bridge_check_current(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at) {
    if (plant->over_time >= bridge->part.burns_after && plant->over_time > 0 && !bridge->burnt) {
        if (bridge->part.protects) {
            protect(sim, bridge, plant, at);
            return;
        }
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, at, wpin_bridge_part(sim, bridge), bridge->name,
                        "over-current: up to %.3g A for %.3g ms; it survives %.3g A for %.3g ms",
                        plant->over_peak, plant->over_time * 1e3, bridge->part.burns_above_amps,
                        bridge->part.burns_after * 1e3);
    }
}

/* A capacitor at the motor is charged through the driver all at once. */
void wpin_bridge_check_surge(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, wpin_legs next,
                             int64_t at) {
    wpin_surge s = wpin_edge_surge(sim, bridge, plant, next);
    if (s.lasts <= 0 || s.lasts < bridge->part.burns_after || bridge->burnt) {
        return;
    }
    if (bridge->part.protects) {
        plant->over_peak = s.amps;
        protect(sim, bridge, plant, at);
        return;
    }
    wpin_bridge_burn(bridge);
    wpin_board_burn(sim, at, wpin_bridge_part(sim, bridge), bridge->name,
                    "over-current: the capacitor at the motor takes up to %.3g A at an edge, for "
                    "%.3g us too much; it survives %.3g A for %.3g us",
                    s.amps, s.lasts * 1e6, bridge->part.burns_above_amps,
                    bridge->part.burns_after * 1e6);
}

void wpin_bridge_check_voltage(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant) {
    double volts = plant->feed.volts - plant->feed.sag;
    if (volts > bridge->part.burns_above_volts && !bridge->burnt) {
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                        "over-voltage: %.3g V on the supply%s; it survives %.3g V", volts,
                        plant->feed.sag < 0 ? ", driven up by current that came back" : "",
                        bridge->part.burns_above_volts);
    }
}

/* The wrong way round the diodes of every driver lie across the supply. */
void wpin_bridge_check_polarity(wpin_sim *sim, wpin_bridge *bridge) {
    if (sim->supplies[bridge->supply].part.reversed && !bridge->burnt) {
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                        "reverse polarity: plus and minus of its supply are swapped");
    }
}
