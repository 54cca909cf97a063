/* Assembles the board, lets time pass, and answers what happened. */
#include "board.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

wpin_sim *wpin_sim_new(const wpin_sim_controller *controller) {
    if (controller == NULL || !(controller->logic_volts > 0) || !(controller->pin_resistance > 0) ||
        !(controller->pin_burns_above > 0) || !(controller->timer_hz > 0) ||
        controller->timer_steps_max < 2) {
        return NULL;
    }
    wpin_sim *sim = calloc(1, sizeof *sim);
    if (sim == NULL) {
        return NULL;
    }
    sim->controller = *controller;
    for (int i = 0; i < WPIN_SIM_PINS; i++) {
        sim->pins[i].wave.level = WPIN_FLOAT;
        sim->pins[i].watched = wpin_cursor_at(&sim->pins[i].wave, 0);
        sim->pins[i].partner = WPIN_SIM_NO_WIRE;
    }
    return sim;
}

void wpin_sim_free(wpin_sim *sim) {
    if (sim == NULL) {
        return;
    }
    for (int i = 0; i < sim->plant_count; i++) {
        free(sim->plants[i]);
    }
    free(sim->plants);
    free(sim->supplies);
    free(sim->bridges);
    free(sim->burns);
    free(sim->events);
    free(sim);
}

/* Room for one more element; NULL (and the array as it was) when out of memory. */
static void *grown(void *array, size_t count, size_t size) {
    return realloc(array, (count + 1) * size);
}

static void keep_name(char *to, size_t size, const char *name, const char *otherwise) {
    snprintf(to, size, "%s", name != NULL ? name : otherwise);
}

int wpin_sim_add_supply(wpin_sim *sim, const wpin_sim_supply *supply) {
    if (!(supply->volts >= 0) || !(supply->resistance >= 0) || !(supply->limit_amps >= 0) ||
        !(supply->capacitance >= 0)) {
        return -1;
    }
    wpin_supply *all = grown(sim->supplies, (size_t)sim->supply_count, sizeof *all);
    if (all == NULL) {
        return -1;
    }
    sim->supplies = all;
    wpin_supply *mine = &all[sim->supply_count];
    *mine = (wpin_supply){.part = *supply, .sound_resistance = supply->resistance};
    keep_name(mine->name, sizeof mine->name, supply->name, "supply");
    return sim->supply_count++;
}

static bool sound_bridge(const wpin_sim_bridge *b) {
    return b->logic >= 0 && b->logic < WPIN_SIM_LOGIC_COUNT && b->on_resistance >= 0 &&
           b->diode_volts >= 0 && b->diode_resistance >= 0 && b->input_resistance > 0 &&
           b->burns_above_amps > 0 && b->burns_after >= 0 && b->burns_above_volts > 0;
}

int wpin_sim_add_bridge(wpin_sim *sim, const wpin_sim_bridge *bridge, int supply) {
    if (supply < 0 || supply >= sim->supply_count || !sound_bridge(bridge)) {
        return -1;
    }
    wpin_bridge *all = grown(sim->bridges, (size_t)sim->bridge_count, sizeof *all);
    if (all == NULL) {
        return -1;
    }
    sim->bridges = all;
    wpin_bridge *mine = &all[sim->bridge_count];
    *mine = (wpin_bridge){.part = *bridge, .supply = supply, .motor = WPIN_SIM_NO_WIRE};
    keep_name(mine->name, sizeof mine->name, bridge->name, "bridge");
    for (int i = 0; i < WPIN_SIM_INPUTS; i++) {
        mine->inputs[i] = WPIN_SIM_NO_WIRE;
    }
    wpin_bridge_decide(mine);
    return sim->bridge_count++;
}

static bool sound_motor(const wpin_sim_motor *m) {
    return m->resistance > 0 && m->inductance > 0 && m->constant > 0 && m->inertia > 0 &&
           m->dry_friction >= 0 && m->static_friction >= m->dry_friction &&
           m->viscous_friction >= 0 && m->gear_ratio > 0 && m->gear_efficiency > 0 &&
           m->gear_efficiency <= 1 && m->load_torque >= 0 && m->load_viscous >= 0 &&
           m->load_quadratic >= 0 && m->load_inertia >= 0;
}

static wpin_plant *new_plant(const wpin_sim *sim, const wpin_bridge *bridge,
                             const wpin_sim_motor *motor) {
    wpin_plant *plant = calloc(1, sizeof *plant);
    if (plant != NULL) {
        plant->motor = *motor;
        plant->over_limit = bridge->part.burns_above_amps;
        plant->feed = (wpin_feed){.volts = sim->supplies[bridge->supply].part.volts,
                                  .resistance = sim->supplies[bridge->supply].part.resistance,
                                  .on_resistance = bridge->part.on_resistance,
                                  .diode_volts = bridge->part.diode_volts,
                                  .diode_resistance = bridge->part.diode_resistance,
                                  .sense_filter = bridge->part.sense_filter,
                                  .saturation_volts = bridge->part.saturation_volts,
                                  .share = 1};
        wpin_logic_wires(bridge->part.logic, &plant->feed.wire_a, &plant->feed.wire_b);
        wpin_plant_prepare(plant);
    }
    return plant;
}

int wpin_sim_add_motor(wpin_sim *sim, const wpin_sim_motor *motor, int bridge) {
    if (bridge < 0 || bridge >= sim->bridge_count || !sound_motor(motor) ||
        sim->bridges[bridge].motor != WPIN_SIM_NO_WIRE) {
        return -1;
    }
    wpin_plant **all = grown(sim->plants, (size_t)sim->plant_count, sizeof(wpin_plant *));
    if (all == NULL) {
        return -1;
    }
    sim->plants = all;
    all[sim->plant_count] = new_plant(sim, &sim->bridges[bridge], motor);
    if (all[sim->plant_count] == NULL) {
        return -1;
    }
    sim->bridges[bridge].motor = sim->plant_count;
    sim->supplies[sim->bridges[bridge].supply].loads++;
    wpin_bridge_feed(sim, &sim->bridges[bridge]);
    return sim->plant_count++;
}

bool wpin_sim_wire_input(wpin_sim *sim, int bridge, int input, wpin_pin pin) {
    if (bridge < 0 || bridge >= sim->bridge_count || input < 0 || input >= WPIN_SIM_INPUTS) {
        return false;
    }
    wpin_bridge *mine = &sim->bridges[bridge];
    mine->inputs[input] = pin;
    mine->input_count = input >= mine->input_count ? input + 1 : mine->input_count;
    sim->pins[pin].to_ground += 1 / sim->bridges[bridge].part.input_resistance;
    return true;
}

bool wpin_sim_wire_ground(wpin_sim *sim, wpin_pin pin, double ohms) {
    sim->pins[pin].to_ground += 1 / (ohms > 1e-3 ? ohms : 1e-3);
    return ohms >= 0;
}

bool wpin_sim_wire_pins(wpin_sim *sim, wpin_pin one, wpin_pin other) {
    if (one == other || sim->pins[one].partner != WPIN_SIM_NO_WIRE ||
        sim->pins[other].partner != WPIN_SIM_NO_WIRE) {
        return false;
    }
    sim->pins[one].partner = other;
    sim->pins[other].partner = one;
    return true;
}

bool wpin_sim_wire_sense(wpin_sim *sim, int bridge, uint8_t input) {
    if (bridge < 0 || bridge >= sim->bridge_count) {
        return false;
    }
    sim->analog[input] = (wpin_analog){.what = WPIN_SENSED_CURRENT, .part = bridge};
    return true;
}

bool wpin_sim_wire_supply(wpin_sim *sim, int supply, uint8_t input, double ratio) {
    if (supply < 0 || supply >= sim->supply_count || !(ratio > 0) || ratio > 1) {
        return false;
    }
    sim->analog[input] = (wpin_analog){.what = WPIN_SENSED_SUPPLY, .part = supply, .ratio = ratio};
    return true;
}

/* Tells the watcher every pin change up to `until`, in the order of time. */
static void tell_pins(wpin_sim *sim, int64_t until) {
    for (;;) {
        int64_t first = until;
        int pin = -1;
        for (int i = 0; i < WPIN_SIM_PINS; i++) {
            if (sim->pins[i].output && sim->pins[i].watched.edge < first) {
                first = sim->pins[i].watched.edge;
                pin = i;
            }
        }
        if (pin < 0) {
            return;
        }
        wpin_level before = sim->pins[pin].watched.level;
        wpin_cursor_pass(&sim->pins[pin].watched);
        if (sim->pins[pin].watched.level != before) {
            sim->watcher(sim->watcher_context, first, (wpin_pin)pin, sim->pins[pin].watched.level);
        }
    }
}

void wpin_sim_advance(wpin_sim *sim, int64_t picoseconds) {
    int64_t until = sim->now + picoseconds;
    if (sim->watcher != NULL) {
        tell_pins(sim, until);
    }
    while (sim->now < until) {
        int64_t left = until - sim->now, window = wpin_rails_window(sim);
        int64_t to = sim->now + (left < window ? left : window);
        for (int i = 0; i < sim->bridge_count; i++) {
            wpin_bridge_run(sim, &sim->bridges[i], to);
        }
        wpin_rails_settle(sim, sim->now, to);
        sim->now = to;
    }
}

int64_t wpin_sim_time(const wpin_sim *sim) {
    return sim->now;
}

bool wpin_sim_switch(wpin_sim *sim, int supply, bool on) {
    if (supply < 0 || supply >= sim->supply_count) {
        return false;
    }
    sim->supplies[supply].part.on = on;
    for (int i = 0; i < sim->bridge_count; i++) {
        if (sim->bridges[i].supply == supply) {
            wpin_bridge_feed(sim, &sim->bridges[i]);
        }
    }
    return true;
}

bool wpin_sim_supply_on(const wpin_sim *sim, int supply) {
    return supply >= 0 && supply < sim->supply_count && sim->supplies[supply].part.on;
}

bool wpin_sim_set_load(wpin_sim *sim, int motor, double torque) {
    if (motor < 0 || motor >= sim->plant_count || !(torque >= 0)) {
        return false;
    }
    sim->plants[motor]->motor.load_torque = torque;
    wpin_plant_prepare(sim->plants[motor]);
    return true;
}

wpin_sim_reading wpin_sim_read(wpin_sim *sim, int motor) {
    if (motor < 0 || motor >= sim->plant_count) {
        return (wpin_sim_reading){0};
    }
    wpin_sim_reading reading = wpin_plant_read(sim->plants[motor]);
    for (int i = 0; i < sim->bridge_count; i++) {
        const wpin_bridge *bridge = &sim->bridges[i];
        if (bridge->motor == motor && !wpin_supply_live(&sim->supplies[bridge->supply])) {
            reading.supply_volts = 0;
        }
    }
    return reading;
}

const wpin_sim_burn *wpin_sim_burns(const wpin_sim *sim, size_t *count) {
    *count = sim->burn_count;
    return sim->burns;
}

void wpin_sim_watch_pins(wpin_sim *sim, wpin_sim_pin_watcher *watcher, void *context) {
    sim->watcher = watcher;
    sim->watcher_context = context;
    for (int i = 0; i < WPIN_SIM_PINS; i++) {
        sim->pins[i].watched = wpin_cursor_at(&sim->pins[i].wave, sim->now);
        if (watcher != NULL && sim->pins[i].output) {
            watcher(context, sim->now, (wpin_pin)i, sim->pins[i].watched.level);
        }
    }
}

const wpin_sim_event *wpin_sim_events(const wpin_sim *sim, size_t *count) {
    *count = sim->event_count;
    return sim->events;
}

void wpin_board_note(wpin_sim *sim, int64_t at, const char *part, const char *what, ...) {
    wpin_sim_event *all = grown(sim->events, sim->event_count, sizeof *all);
    if (all == NULL) {
        return;
    }
    sim->events = all;
    wpin_sim_event *mine = &all[sim->event_count++];
    mine->at = (double)at * 1e-12;
    keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, what);
    vsnprintf(mine->what, sizeof mine->what, what, words);
    va_end(words);
}

void wpin_board_burn(wpin_sim *sim, int64_t at, const char *part, const char *reason, ...) {
    wpin_sim_burn *all = grown(sim->burns, sim->burn_count, sizeof *all);
    if (all == NULL) {
        return; /* the part stays dead all the same */
    }
    sim->burns = all;
    wpin_sim_burn *mine = &all[sim->burn_count++];
    mine->at = (double)at * 1e-12;
    keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, reason);
    vsnprintf(mine->reason, sizeof mine->reason, reason, words);
    va_end(words);
}
