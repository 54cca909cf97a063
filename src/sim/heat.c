/* Heat: each part follows its losses with one time constant,
 *     tau dT/dt = P Rth - T    (T above the air's 25 degC)
 * and burns, or shuts itself down, above its limit. */
#include "board.h"
#include "windpin/host/calc.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define AIR        25.0
#define DIODE_TIME 1.0  /* s */
#define COOLER     20.0 /* K below its limit a driver comes back */

bool wpin_bridge_heats(const wpin_bridge *bridge) {
    return bridge->part.heat.resistance > 0 || bridge->part.diode_limit > 0;
}

static double warmer(double rise, const wpin_part_heat *heat, double watts, double seconds) {
    double last = watts * heat->resistance;
    return last + (rise - last) * exp(-seconds / fmax(heat->time, 1e-6));
}

/* A warm winding has more ohms, a warm magnet gives less torque and less back-emf. In steps of a
 * kelvin: each makes every solution anew. */
static void drift(wpin_plant *plant) {
    if (!plant->heat.drifts || fabs(plant->rise - plant->drifted) < 1) {
        return;
    }
    plant->drifted = plant->rise;
    plant->motor.resistance = wpin_calc_warm_ohms(plant->cold_ohms, plant->rise);
    if (plant->kind == WPIN_PLANT_MOTOR || plant->kind == WPIN_PLANT_BRUSHLESS) {
        plant->motor.constant = wpin_calc_warm_constant(plant->cold_constant, plant->rise);
    }
    wpin_plant_prepare(plant);
}

static void heat_winding(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, double mean_square,
                         double seconds) {
    plant->rise = warmer(plant->rise, &plant->heat, mean_square * plant->motor.resistance, seconds);
    if (AIR + plant->rise > plant->heat.limit && !plant->burnt) {
        plant->burnt = bridge->motor_off = true;
        char name[64];
        snprintf(name, sizeof name, "%s winding", plant->motor.name);
        wpin_board_burn(sim, sim->now, (wpin_part_id){WPIN_ID_LOAD, bridge->motor}, name,
                        "heat: %.0f degC at %.3g A; it survives %.0f degC", AIR + plant->rise,
                        sqrt(mean_square), plant->heat.limit);
    }
    drift(plant);
}

/* Seconds of the shortest period on its inputs; 0: no PWM. */
static double pwm_period(const wpin_sim *sim, const wpin_bridge *bridge) {
    int64_t shortest = 0;
    for (int m = 0; m < bridge->moving_count; m++) {
        int64_t period = sim->pins[bridge->inputs[bridge->moving[m]]].period;
        shortest = shortest == 0 || (period > 0 && period < shortest) ? period : shortest;
    }
    return (double)shortest * 1e-12;
}

/* Switches and diodes as the current flowed through them; and two edges a period, in which a side
 * carries the current at half the volts for as long as it takes to switch. */
static void heat_driver(wpin_sim *sim, wpin_bridge *bridge, double lost, double mean_square,
                        double mean_size, double seconds) {
    const wpin_part_driver *part = &bridge->part;
    double period = part->switch_time > 0 ? pwm_period(sim, bridge) : 0;
    double volts = wpin_feed_volts(&sim->plants[bridge->motor]->feed);
    double edges = period > 0 ? volts * mean_size * part->switch_time / period : 0;
    double watts = lost + edges + bridge->edge_joules / seconds;
    bridge->edge_joules = 0;
    bridge->rise = warmer(bridge->rise, &part->heat, watts, seconds);
    double degrees = AIR + bridge->rise;
    if (bridge->hot) {
        bridge->hot = degrees > part->heat.limit - COOLER;
    } else if (degrees > part->heat.limit && part->protects) {
        bridge->hot = true;
        wpin_board_note(sim, sim->now, bridge->name,
                        "shuts itself down at %.0f degC until it has cooled by %.0f K", degrees,
                        COOLER);
    } else if (degrees > part->heat.limit && !bridge->burnt) {
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                        "heat: %.0f degC at %.3g A; it survives %.0f degC", degrees,
                        sqrt(mean_square), part->heat.limit);
    }
}

/* A small part: its mean current of the last second or so counts. Of three legs each has its own;
 * elsewhere one of them carries all of it. */
static void heat_diodes(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                        double seconds) {
    const double limit = bridge->part.diode_limit, share = -expm1(-seconds / DIODE_TIME);
    for (int d = 0; d < WPIN_DIODES; d++) {
        double *amps = &bridge->diode_amps[d];
        *amps += (plant->diodes[d] / seconds - *amps) * share;
        if (*amps > limit && !bridge->burnt) {
            wpin_bridge_burn(bridge);
            wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                            "free-wheel diode: %.3g A on average, it survives %.3g A", *amps,
                            limit);
        }
    }
}

void wpin_heat_settle(wpin_sim *sim, double seconds) {
    for (int i = 0; i < sim->bridge_count && seconds > 0; i++) {
        wpin_bridge *bridge = &sim->bridges[i];
        wpin_plant *plant = bridge->motor != WPIN_SIM_NO_WIRE ? sim->plants[bridge->motor] : NULL;
        if (plant == NULL || !plant->heats) {
            continue;
        }
        double mean_square = plant->squares / seconds, mean_size = plant->sizes / seconds;
        double lost = plant->lost / seconds;
        plant->squares = plant->sizes = plant->lost = 0;
        if (plant->heat.resistance > 0) {
            heat_winding(sim, bridge, plant, mean_square, seconds);
        }
        if (bridge->part.heat.resistance > 0) {
            heat_driver(sim, bridge, lost, mean_square, mean_size, seconds);
        }
        if (bridge->part.diode_limit > 0) {
            heat_diodes(sim, bridge, plant, seconds);
        }
        memset(plant->diodes, 0, sizeof plant->diodes);
    }
}

/* ---- as a thermistor shows it ---- */

bool wpin_sim_wire_thermistor(wpin_sim *sim, const wpin_part_thermistor *part, int bridge,
                              bool in_winding, uint8_t input) {
    if (bridge < 0 || bridge >= sim->bridge_count || !(part->ohms > 0) || !(part->pull_up > 0)) {
        return false;
    }
    sim->analog[input] = (wpin_analog){
        .what = WPIN_SENSED_WARMTH, .part = bridge, .thermistor = *part, .in_winding = in_winding};
    return true;
}

double wpin_warmth_volts(const wpin_sim *sim, const wpin_analog *a) {
    const wpin_bridge *bridge = &sim->bridges[a->part];
    bool there = a->in_winding && bridge->motor != WPIN_SIM_NO_WIRE;
    double rise = there ? sim->plants[bridge->motor]->rise : bridge->rise;
    double logic = sim->controller.logic_volts;
    return a->ratio > 0 ? logic : wpin_part_thermistor_volts(&a->thermistor, AIR + rise, logic);
}

bool wpin_warmth_inject(wpin_sim *sim, int bridge, bool off) {
    bool found = false;
    for (int i = 0; i < WPIN_SIM_PINS; i++) {
        wpin_analog *a = &sim->analog[i];
        if (a->what == WPIN_SENSED_WARMTH && a->part == bridge) {
            a->ratio = off ? 1 : 0;
            found = true;
        }
    }
    return found;
}
