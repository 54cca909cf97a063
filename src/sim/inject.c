/* Faults put into the board on purpose, and mended again. */
#include "field/field.h"

static void weaken(wpin_sim *sim, int supply, bool on) {
    double sound = sim->supplies[supply].sound_resistance;
    sim->supplies[supply].part.resistance = on ? sound * 10 + 1 : sound;
    for (int i = 0; i < sim->bridge_count; i++) {
        wpin_bridge *bridge = &sim->bridges[i];
        if (bridge->supply == supply && bridge->motor != WPIN_SIM_NO_WIRE) {
            wpin_bridge_lead(sim, bridge);
            sim->plants[bridge->motor]->feed.resistance = sim->supplies[supply].part.resistance;
            wpin_plant_prepare(sim->plants[bridge->motor]);
        }
    }
}

static void swap_inputs(wpin_bridge *bridge, bool on) {
    if (bridge->swapped != on) {
        int first = bridge->inputs[0];
        bridge->inputs[0] = bridge->inputs[1];
        bridge->inputs[1] = first;
        bridge->input_count = bridge->input_count < 2 ? 2 : bridge->input_count;
        bridge->swapped = on;
    }
}

static void stall(wpin_plant *plant, bool on) {
    plant->stalled = on;
    wpin_plant_prepare(plant);
}

static bool about_bridge(wpin_bridge *bridge, wpin_part_fault fault, int detail, bool on) {
    switch (fault) {
    case WPIN_PART_FAULT_WIRE_OFF:
        if (detail < 0 || detail >= WPIN_DRIVER_INPUTS) {
            return false;
        }
        bridge->cut[detail] = on;
        return true;
    case WPIN_PART_FAULT_PIN_FLOATING:
        if (detail < 0 || detail >= WPIN_DRIVER_INPUTS) {
            return false;
        }
        bridge->floats[detail] = on;
        return true;
    case WPIN_PART_FAULT_WIRES_SWAPPED: swap_inputs(bridge, on); return true;
    case WPIN_PART_FAULT_MOTOR_WIRE_OFF: bridge->motor_off = on; return true;
    case WPIN_PART_FAULT_MOTOR_SWAPPED: bridge->motor_swapped = on; return true;
    case WPIN_PART_FAULT_LEADS_MIXED:
        for (int i = 0; i < 4; i++) {
            bridge->leads[i] = (uint8_t)(on ? detail >> 3 * i & 7 : i);
        }
        bridge->mixed = on && detail != WPIN_PART_LEADS(0, 1, 2, 3);
        return true;
    case WPIN_PART_FAULT_SWITCH_OPEN:
    case WPIN_PART_FAULT_SWITCH_SHORTED: {
        if (detail < 0 || detail >= WPIN_PART_SWITCH(3, false)) {
            return false;
        }
        uint8_t *all = fault == WPIN_PART_FAULT_SWITCH_OPEN ? &bridge->open : &bridge->shorted;
        *all = (uint8_t)(on ? *all | 1U << detail : *all & ~(1U << detail));
        return true;
    }
    case WPIN_PART_FAULT_NO_GROUND: bridge->no_ground = on; return true;
    case WPIN_PART_FAULT_DIODE_REVERSED: bridge->diode_reversed = on; return true;
    default: return false;
    }
}

/* A motor is another than was said; mended, it is again what it was. */
static bool change_poles(wpin_sim *sim, int number, int pairs, bool on) {
    wpin_plant *plant = sim->plants[number];
    if (plant->kind != WPIN_PLANT_BRUSHLESS || pairs < 1) {
        return false;
    }
    for (int i = 0; i < sim->hall_count; i++) {
        sim->halls[i].none_before = 0; /* they may show something else at once */
    }
    plant->said_poles = plant->said_poles > 0 ? plant->said_poles : plant->motor.pole_pairs;
    plant->motor.pole_pairs = on ? pairs : plant->said_poles;
    wpin_plant_prepare(plant);
    return true;
}

bool wpin_sim_inject(wpin_sim *sim, wpin_part_fault fault, int number, int detail, bool on) {
    if (number < 0) {
        return false;
    }
    wpin_sim_catch_up(sim);
    sim->changes++;
    switch (fault) {
    case WPIN_PART_FAULT_SUPPLY_DEAD:
    case WPIN_PART_FAULT_SUPPLY_WEAK:
        if (number >= sim->supply_count) {
            return false;
        }
        if (fault == WPIN_PART_FAULT_SUPPLY_WEAK) {
            weaken(sim, number, on);
        } else {
            sim->supplies[number].dead = on;
        }
        return true;
    case WPIN_PART_FAULT_STALLED:
        if (number < sim->plant_count) {
            stall(sim->plants[number], on);
        }
        return number < sim->plant_count;
    case WPIN_PART_FAULT_STUCK:
        if (number >= WPIN_SIM_PINS || (!sim->pins[number].button && !sim->pins[number].limit)) {
            return false;
        }
        sim->pins[number].stuck = on;
        return true;
    case WPIN_PART_FAULT_READING_STUCK: {
        wpin_analog *a = number < WPIN_SIM_PINS ? &sim->analog[number] : NULL;
        bool moved = a != NULL && (a->what == WPIN_SENSED_KNOB || a->what == WPIN_SENSED_OTHER);
        if (moved) {
            wpin_analog_stick(a, on);
        }
        return moved;
    }
    case WPIN_PART_FAULT_SENSOR_OFF:
    case WPIN_PART_FAULT_CHANNEL_OFF:
    case WPIN_PART_FAULT_CHANNELS_SWAPPED:
    case WPIN_PART_FAULT_ENCODER_SLIPS: {
        bool compares =
            fault == WPIN_PART_FAULT_SENSOR_OFF && wpin_comparator_inject(sim, number, on);
        return wpin_encoder_inject(sim, fault, number, on) || compares;
    }
    case WPIN_PART_FAULT_HALL_OFF:
    case WPIN_PART_FAULT_HALL_SENSOR_OFF:
    case WPIN_PART_FAULT_HALL_SHIFTED:
    case WPIN_PART_FAULT_HALL_SWAPPED: return wpin_hall_inject(sim, fault, number, on);
    case WPIN_PART_FAULT_POLE_PAIRS:
        return number < sim->plant_count && change_poles(sim, number, detail, on);
    case WPIN_PART_FAULT_THERMISTOR_OFF: return wpin_warmth_inject(sim, number, on);
    case WPIN_PART_FAULT_CABLE_OFF:
    case WPIN_PART_FAULT_BUS_OFF:
    case WPIN_PART_FAULT_BUS_FULL:
    case WPIN_PART_FAULT_BUS_RATE:
    case WPIN_PART_FAULT_DUPLICATE_NODE:
    case WPIN_PART_FAULT_DEAF:
    case WPIN_PART_FAULT_LOCAL: return wpin_field_inject(sim, fault, number, on);
    case WPIN_PART_FAULT_LINK_LOST: sim->link_lost = on; return true;
    case WPIN_PART_FAULT_INTERRUPTS_OFF: sim->interrupts_off = on; return true;
    default:
        return number < sim->bridge_count && about_bridge(&sim->bridges[number], fault, detail, on);
    }
}

bool wpin_sim_link_lost(const wpin_sim *sim) {
    return sim->link_lost;
}

bool wpin_sim_interrupts_off(const wpin_sim *sim) {
    return sim->interrupts_off;
}
