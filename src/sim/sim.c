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
    sim->feeds_controller = WPIN_SIM_NO_WIRE;
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
    free(sim->event_kinds);
    free(sim);
}

bool wpin_sim_wire_input(wpin_sim *sim, int bridge, int input, wpin_pin pin) {
    if (bridge < 0 || bridge >= sim->bridge_count || input < 0 || input >= WPIN_SIM_INPUTS) {
        return false;
    }
    wpin_bridge *mine = &sim->bridges[bridge];
    mine->inputs[input] = pin;
    mine->input_count = input >= mine->input_count ? input + 1 : mine->input_count;
    sim->pins[pin].to_ground += 1 / wpin_bridge_input_ohms(sim, mine);
    mine->deaf[input] = wpin_bridge_is_deaf(sim, mine, pin);
    return true;
}

bool wpin_sim_invert_input(wpin_sim *sim, int bridge, int input) {
    if (bridge < 0 || bridge >= sim->bridge_count || input < 0 || input >= WPIN_SIM_INPUTS) {
        return false;
    }
    sim->bridges[bridge].inverts |= 1U << input;
    return true;
}

bool wpin_sim_wire_ground(wpin_sim *sim, wpin_pin pin, double ohms) {
    sim->pins[pin].to_ground += 1 / (ohms > 1e-3 ? ohms : 1e-3);
    return ohms >= 0;
}

bool wpin_sim_no_timer(wpin_sim *sim, wpin_pin pin) {
    sim->pins[pin].no_timer = true;
    return true;
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
        int64_t heating = wpin_heat_window(sim);
        window = heating < window ? heating : window;
        int64_t to = sim->now + (left < window ? left : window);
        for (int i = 0; i < sim->bridge_count; i++) {
            wpin_bridge_run(sim, &sim->bridges[i], to);
        }
        wpin_rails_settle(sim, sim->now, to);
        wpin_heat_settle(sim, (double)(to - sim->now) * 1e-12);
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
    wpin_bridges_feed(sim, supply);
    wpin_rails_begin(sim);
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
        if (bridge->motor == motor) {
            reading.driver_degrees = 25 + bridge->rise;
        }
        if (bridge->motor == motor && !wpin_supply_live(sim, &sim->supplies[bridge->supply])) {
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

/* The same sentence about the same part was said before: it happened once more. */
static bool said_before(wpin_sim *sim, const char *part, const char *what) {
    for (size_t i = 0; i < sim->event_count; i++) {
        if (sim->event_kinds[i] == what && strcmp(sim->events[i].part, part) == 0) {
            sim->events[i].more++;
            return true;
        }
    }
    return false;
}

void wpin_board_note(wpin_sim *sim, int64_t at, const char *part, const char *what, ...) {
    if (said_before(sim, part, what)) {
        return;
    }
    wpin_sim_event *all = wpin_grown(sim->events, sim->event_count, sizeof *all);
    sim->events = all != NULL ? all : sim->events;
    const char **kinds = wpin_grown(sim->event_kinds, sim->event_count, sizeof(const char *));
    sim->event_kinds = kinds != NULL ? kinds : sim->event_kinds;
    if (all == NULL || kinds == NULL) {
        sim->out_of_memory = true;
        return;
    }
    kinds[sim->event_count] = what;
    wpin_sim_event *mine = &all[sim->event_count++];
    *mine = (wpin_sim_event){.at = (double)at * 1e-12};
    wpin_keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, what);
    vsnprintf(mine->what, sizeof mine->what, what, words);
    va_end(words);
}

void wpin_board_burn(wpin_sim *sim, int64_t at, const char *part, const char *reason, ...) {
    wpin_sim_burn *all = wpin_grown(sim->burns, sim->burn_count, sizeof *all);
    if (all == NULL) {
        sim->out_of_memory = true;
        return; /* the part stays dead all the same */
    }
    sim->burns = all;
    wpin_sim_burn *mine = &all[sim->burn_count++];
    mine->at = (double)at * 1e-12;
    wpin_keep_name(mine->part, sizeof mine->part, part, "");
    va_list words;
    va_start(words, reason);
    vsnprintf(mine->reason, sizeof mine->reason, reason, words);
    va_end(words);
}

bool wpin_sim_out_of_memory(const wpin_sim *sim) {
    return sim->out_of_memory;
}
