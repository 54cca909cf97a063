/* How a pin drives what is behind it: chip inputs, opto inputs, bases, gates, relay coils. */
#include "board.h"
#include "windpin/host/calc.h"
#include <math.h>

/* The resistance to ground that takes so much from a high pin. */
static double ohms_that_take(const wpin_sim *sim, double amps) {
    double all = sim->controller.logic_volts / fmax(amps, 1e-9);
    return fmax(all - sim->controller.pin_resistance, 1e-3);
}

double wpin_bridge_input_ohms(const wpin_sim *sim, const wpin_bridge *bridge) {
    const wpin_part_driver *part = &bridge->part;
    if (part->coil_ohms > 0) {
        return part->coil_ohms;
    }
    if (part->opto.least_amps > 0) {
        return ohms_that_take(sim, wpin_part_opto_amps(&sim->controller, &part->opto));
    }
    if (part->gate.kind == WPIN_TRANSISTOR_NPN) {
        return ohms_that_take(sim, wpin_part_base_amps(&sim->controller, &part->gate));
    }
    return part->input_resistance;
}

bool wpin_bridge_is_deaf(const wpin_sim *sim, const wpin_bridge *bridge, wpin_pin pin) {
    const wpin_part_driver *part = &bridge->part;
    const wpin_part_controller *c = &sim->controller;
    double loaded = c->logic_volts / (1 + c->pin_resistance * sim->pins[pin].to_ground);
    if (part->coil_ohms > 0) {
        return loaded < part->coil_volts;
    }
    if (part->opto.least_amps > 0) {
        return wpin_part_opto_amps(&sim->controller, &part->opto) < part->opto.least_amps;
    }
    switch (part->gate.kind) {
    case WPIN_TRANSISTOR_NPN: return c->logic_volts <= part->gate.base_volts;
    case WPIN_TRANSISTOR_NFET: return c->logic_volts <= part->gate.threshold;
    case WPIN_TRANSISTOR_PFET: return false;
    default: return loaded < part->input_high;
    }
}

/* On-resistance at a gate voltage; at its threshold and below a switch that hardly leads. */
static double fet_ohms(const wpin_part_driver *part, double gate_volts) {
    const wpin_part_gate *g = &part->gate;
    double ohms = wpin_calc_fet_ohms(part->on_resistance, g->stated_at, g->threshold, gate_volts);
    return fmin(ohms, part->on_resistance * (g->stated_at - g->threshold) / 1e-3);
}

/* A bipolar switch passes gain x base current at most; 0 where its load never asks for more. */
static double bipolar_most(const wpin_sim *sim, const wpin_bridge *bridge) {
    const wpin_plant *plant = sim->plants[bridge->motor];
    double most =
        bridge->part.gate.gain * wpin_part_base_amps(&sim->controller, &bridge->part.gate);
    bool never = plant->kind != WPIN_PLANT_LAMP && most >= plant->feed.volts / plant->cold_ohms;
    return never ? 0 : fmax(most, 1e-9);
}

void wpin_bridge_gate(wpin_sim *sim, wpin_bridge *bridge) {
    const wpin_part_gate *g = &bridge->part.gate;
    if (g->kind == WPIN_TRANSISTOR_NONE || bridge->motor == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_plant *plant = sim->plants[bridge->motor];
    const wpin_supply *supply = &sim->supplies[bridge->supply];
    double logic = sim->controller.logic_volts, ohms;
    double volts = supply->part.volts;
    if (g->kind == WPIN_TRANSISTOR_NPN) {
        ohms = bridge->part.on_resistance;
        plant->feed.most_amps = bipolar_most(sim, bridge);
    } else if (g->kind == WPIN_TRANSISTOR_NFET) {
        ohms = fet_ohms(&bridge->part, logic);
    } else {
        bool off_too_late = volts - logic >= g->threshold;
        volts = g->clamp_volts > 0 ? fmin(volts, g->clamp_volts) : volts;
        ohms = fet_ohms(&bridge->part, volts);
        if (bridge->never_off != (!g->shifter && off_too_late)) {
            bridge->never_off = !bridge->never_off;
            sim->changes++;
        }
        if (volts > g->limit && wpin_supply_live(sim, supply) && !bridge->burnt) {
            wpin_bridge_burn(bridge);
            wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                            "gate punctured: %.3g V between gate and source, it survives %.3g V",
                            volts, g->limit);
        }
    }
    if (plant->feed.on_resistance != ohms) {
        plant->feed.on_resistance = ohms;
        wpin_plant_prepare(plant);
    }
}

/* Level that input `input` gets from its pin when high. */
static double level_at(const wpin_sim *sim, const wpin_bridge *bridge, int input) {
    double load = sim->pins[bridge->inputs[input]].to_ground;
    return sim->controller.logic_volts / (1 + sim->controller.pin_resistance * load);
}

static void tell_deaf(wpin_sim *sim, const wpin_bridge *bridge, int input) {
    const wpin_part_driver *part = &bridge->part;
    double level = level_at(sim, bridge, input);
    if (part->coil_ohms > 0) {
        wpin_board_note(sim, sim->now, bridge->name,
                        "does not close: its coil gets %.3g V, it takes %.3g V", level,
                        part->coil_volts);
    } else if (part->opto.least_amps > 0) {
        wpin_board_note(sim, sim->now, bridge->name,
                        "does not switch: its opto input gets %.3g mA, it takes %.3g mA",
                        wpin_part_opto_amps(&sim->controller, &part->opto) * 1e3,
                        part->opto.least_amps * 1e3);
    } else if (part->gate.kind == WPIN_TRANSISTOR_NONE) {
        wpin_board_note(sim, sim->now, bridge->name,
                        "reads every line low: a high pin reaches %.3g V, it needs %.3g V", level,
                        part->input_high);
    } else {
        wpin_board_note(sim, sim->now, bridge->name, "never turns on: its gate or base gets %.3g V",
                        level);
    }
}

void wpin_bridge_tell_obstacle(wpin_sim *sim, wpin_bridge *bridge) {
    const wpin_supply *supply = &sim->supplies[bridge->supply];
    if (bridge->told_obstacle || !wpin_supply_live(sim, supply)) {
        return;
    }
    bridge->told_obstacle = true;
    if (bridge->no_ground) {
        wpin_board_note(sim, sim->now, bridge->name, "does nothing: it has no ground in common");
    } else if (bridge->part.not_ready) {
        wpin_board_note(sim, sim->now, bridge->name,
                        "does nothing: a jumper or switch keeps it off");
    } else if (supply->part.volts < bridge->part.least_volts) {
        wpin_board_note(sim, sim->now, bridge->name,
                        "does nothing: it works from %.3g V on and has %.3g V",
                        bridge->part.least_volts, supply->part.volts);
    }
    for (int i = 0; i < bridge->input_count; i++) {
        if (bridge->deaf[i] && bridge->inputs[i] != WPIN_SIM_NO_WIRE) {
            tell_deaf(sim, bridge, i);
            return;
        }
    }
}
