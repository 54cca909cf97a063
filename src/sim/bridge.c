/* Bridge chips: each decides its legs from the levels on its inputs, by its own logic, and
 * burns by its own limits. */
#include "board.h"
#include <math.h>

static wpin_legs direction_pwm_brake(const wpin_sim_bridge *part, const bool *high) {
    wpin_leg_state drive = part->off_phase == WPIN_SIM_OFF_FAST ? WPIN_LEG_OFF : WPIN_LEG_LOW;
    bool forward = high[WPIN_SIM_INPUT_DIRECTION];
    if (high[WPIN_SIM_INPUT_BRAKE]) {
        return (wpin_legs){WPIN_LEG_LOW, WPIN_LEG_LOW};
    }
    if (high[WPIN_SIM_INPUT_PWM]) {
        return forward ? (wpin_legs){WPIN_LEG_HIGH, WPIN_LEG_LOW}
                       : (wpin_legs){WPIN_LEG_LOW, WPIN_LEG_HIGH};
    }
    return forward ? (wpin_legs){WPIN_LEG_OFF, drive} : (wpin_legs){drive, WPIN_LEG_OFF};
}

void wpin_bridge_decide(wpin_bridge *bridge) {
    for (unsigned levels = 0; levels < WPIN_SIM_LEVELS; levels++) {
        bool high[WPIN_SIM_INPUTS];
        for (unsigned i = 0; i < WPIN_SIM_INPUTS; i++) {
            high[i] = (levels >> i & 1U) != 0;
        }
        bridge->legs[levels] = direction_pwm_brake(&bridge->part, high);
    }
}

static unsigned levels_of(const wpin_cursor *inputs) {
    unsigned levels = 0;
    for (unsigned i = 0; i < WPIN_SIM_INPUTS; i++) {
        levels |= (unsigned)(inputs[i].level == WPIN_HIGH) << i;
    }
    return levels;
}

static bool swaps_sides(wpin_leg_state from, wpin_leg_state to) {
    return from != to && from != WPIN_LEG_OFF && to != WPIN_LEG_OFF;
}

/* Both sides of a leg conduct while one turns off and the other on, unless the chip waits. */
static void check_shoot_through(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant,
                                wpin_legs next, int64_t at) {
    if (bridge->part.interlock || plant->feed.volts <= 0) {
        return;
    }
    bool a = swaps_sides(plant->leg_a, next.a), b = swaps_sides(plant->leg_b, next.b);
    if (a || b) {
        bridge->burnt = true;
        wpin_board_burn(sim, at, bridge->name,
                        "shoot-through: leg %s went from one side to the other with nothing "
                        "between, and the chip has no interlock",
                        a ? "A" : "B");
    }
}

static void check_current(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant, int64_t at) {
    if (plant->over_time >= bridge->part.burns_after && plant->over_time > 0 && !bridge->burnt) {
        bridge->burnt = true;
        wpin_board_burn(sim, at, bridge->name,
                        "over-current: up to %.3g A for %.3g ms; it survives %.3g A for %.3g ms",
                        plant->over_peak, plant->over_time * 1e3, bridge->part.burns_above_amps,
                        bridge->part.burns_after * 1e3);
    }
}

static void check_voltage(wpin_sim *sim, wpin_bridge *bridge, const wpin_plant *plant) {
    if (plant->feed.volts > bridge->part.burns_above_volts && !bridge->burnt) {
        bridge->burnt = true;
        wpin_board_burn(sim, sim->now, bridge->name,
                        "over-voltage: %.3g V on the supply; it survives %.3g V", plant->feed.volts,
                        bridge->part.burns_above_volts);
    }
}

/* With the supply off the chip has no power: legs off. What current is left runs down through
 * the diodes against the voltage the rail still holds. */
void wpin_bridge_feed(wpin_sim *sim, wpin_bridge *bridge) {
    if (bridge->motor == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_plant *plant = sim->plants[bridge->motor];
    const wpin_sim_supply *supply = &sim->supplies[bridge->supply].part;
    if (plant->feed.volts != supply->volts) {
        plant->feed.volts = supply->volts;
        wpin_plant_prepare(plant);
    }
    if (supply->on) {
        check_voltage(sim, bridge, plant);
    }
}

static bool powered(const wpin_sim *sim, const wpin_bridge *bridge) {
    return sim->supplies[bridge->supply].part.on;
}

static void set_legs(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant,
                     const wpin_cursor *inputs, int64_t at) {
    static const wpin_legs off = {WPIN_LEG_OFF, WPIN_LEG_OFF};
    wpin_legs next = off;
    if (!bridge->burnt && powered(sim, bridge)) {
        next = bridge->legs[levels_of(inputs)];
        check_shoot_through(sim, bridge, plant, next, at);
        next = bridge->burnt ? off : next;
    }
    plant->leg_a = next.a;
    plant->leg_b = next.b;
}

static wpin_cursor input_at(const wpin_sim *sim, int pin, int64_t now) {
    if (pin == WPIN_SIM_NO_WIRE || sim->pins[pin].burnt) {
        return (wpin_cursor){.level = WPIN_FLOAT, .edge = WPIN_WAVE_NEVER};
    }
    return wpin_cursor_at(&sim->pins[pin].wave, now);
}

static int64_t earliest(const wpin_cursor *inputs, int64_t until) {
    for (int i = 0; i < WPIN_SIM_INPUTS; i++) {
        until = inputs[i].edge < until ? inputs[i].edge : until;
    }
    return until;
}

/* Takes the inputs over their edges at this moment; whether any level changed. */
static bool pass_edges(wpin_cursor *inputs, int64_t at) {
    bool changed = false;
    for (int i = 0; i < WPIN_SIM_INPUTS; i++) {
        if (inputs[i].edge == at) {
            wpin_level before = inputs[i].level;
            wpin_cursor_pass(&inputs[i]);
            changed = changed || inputs[i].level != before;
        }
    }
    return changed;
}

void wpin_bridge_run(wpin_sim *sim, wpin_bridge *bridge, int64_t until) {
    if (bridge->motor == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_plant *plant = sim->plants[bridge->motor];
    wpin_cursor inputs[WPIN_SIM_INPUTS];
    for (int i = 0; i < WPIN_SIM_INPUTS; i++) {
        inputs[i] = input_at(sim, bridge->inputs[i], sim->now);
    }
    int64_t at = sim->now;
    set_legs(sim, bridge, plant, inputs, at);
    while (at < until) {
        int64_t edge = earliest(inputs, until);
        wpin_plant_advance(plant, edge - at);
        at = edge;
        check_current(sim, bridge, plant, at);
        if (pass_edges(inputs, at) || bridge->burnt) {
            set_legs(sim, bridge, plant, inputs, at);
        }
    }
}
