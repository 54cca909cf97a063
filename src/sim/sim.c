/* Assembles the board, lets time pass, and answers what happened. */
#include "board.h"
#include "field/field.h"
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>

wpin_sim *wpin_sim_new(const wpin_part_controller *controller) {
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
        sim->pins[i].first = INT_MAX;
        sim->pins[i].last = -1;
    }
    return sim;
}

void wpin_sim_free(wpin_sim *sim) {
    if (sim == NULL) {
        return;
    }
    for (int i = 0; i < sim->plant_count; i++) {
        wpin_plant_free(sim->plants[i]);
    }
    wpin_field_free(sim->field);
    free(sim->plants);
    free(sim->supplies);
    free(sim->bridges);
    free(sim->awake);
    free(sim->burns);
    free(sim->events);
    free(sim->event_kinds);
    free(sim);
}

bool wpin_sim_wire_input(wpin_sim *sim, int bridge, int input, wpin_pin pin) {
    if (bridge < 0 || bridge >= sim->bridge_count || input < 0 || input >= WPIN_DRIVER_INPUTS) {
        return false;
    }
    wpin_bridge *mine = &sim->bridges[bridge];
    sim->changes++;
    mine->inputs[input] = pin;
    mine->input_count = input >= mine->input_count ? input + 1 : mine->input_count;
    wpin_sim_pin *p = &sim->pins[pin];
    p->first = bridge < p->first ? bridge : p->first;
    p->last = bridge > p->last ? bridge : p->last;
    p->to_ground += 1 / wpin_bridge_input_ohms(sim, mine);
    mine->deaf[input] = wpin_bridge_is_deaf(sim, mine, pin);
    wpin_pin_check(sim, pin);
    return true;
}

bool wpin_sim_invert_input(wpin_sim *sim, int bridge, int input) {
    if (bridge < 0 || bridge >= sim->bridge_count || input < 0 || input >= WPIN_DRIVER_INPUTS) {
        return false;
    }
    sim->changes++;
    sim->bridges[bridge].inverts |= 1U << input;
    return true;
}

bool wpin_sim_wire_ground(wpin_sim *sim, wpin_pin pin, double ohms) {
    sim->pins[pin].to_ground += 1 / (ohms > 1e-3 ? ohms : 1e-3);
    wpin_pin_check(sim, pin);
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
    wpin_pin_check(sim, one);
    return true;
}

bool wpin_sim_set_converter(wpin_sim *sim, unsigned bits) {
    bool good = bits <= 24;
    sim->converter_bits = good ? bits : sim->converter_bits;
    return good;
}

void wpin_sim_average(wpin_sim *sim, bool averages) {
    sim->averages = averages;
    sim->changes++; /* every bridge looks anew */
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

/* The pin that changes first of those, before `until`; -1: none. */
static int first_change(const wpin_sim *sim, const uint8_t *pins, int count, int64_t until) {
    int first = -1;
    for (int i = 0; i < count; i++) {
        int64_t edge = sim->pins[pins[i]].watched.edge;
        if (edge < until) {
            until = edge;
            first = pins[i];
        }
    }
    return first;
}

/* Tells the watcher every pin change up to `until`, in the order of time. */
static void tell_pins(wpin_sim *sim, int64_t until) {
    uint8_t moving[WPIN_SIM_PINS];
    int count = 0, pin;
    for (int i = 0; i < WPIN_SIM_PINS; i++) {
        if (sim->pins[i].output && sim->pins[i].watched.edge < until) {
            moving[count++] = (uint8_t)i;
        }
    }
    while ((pin = first_change(sim, moving, count, until)) >= 0) {
        wpin_cursor *c = &sim->pins[pin].watched;
        wpin_level before = c->level;
        int64_t at = c->edge;
        wpin_cursor_pass(c);
        if (c->level != before) {
            sim->watcher(sim->watcher_context, at, (wpin_pin)pin, c->level);
        }
    }
}

static int64_t sooner(int64_t a, int64_t b) {
    return a < b ? a : b;
}

/* How long drivers and their loads may run without a look at what else there is. */
static int64_t stretch(wpin_sim *sim) {
    int64_t window = wpin_rails_window(sim);
    window = sim->heats ? sooner(window, WPIN_HEAT_WINDOW) : window;
    window = sim->hall_count > 0 ? sooner(window, wpin_hall_window(sim)) : window;
    window = sim->middle_count > 0 ? sooner(window, wpin_middle_window(sim)) : window;
    window = sim->shunt_count > 0 ? sooner(window, wpin_shunt_window(sim)) : window;
    return sim->field != NULL ? sooner(window, wpin_field_window(sim)) : window;
}

/* The looks; their interrupts may let time pass. */
static void settle(wpin_sim *sim) {
    if (sim->hall_count > 0) {
        wpin_hall_settle(sim);
    }
    if (sim->middle_count > 0) {
        wpin_middle_settle(sim);
    }
    if (sim->shunt_count > 0) {
        wpin_shunt_settle(sim);
    }
    if (sim->field != NULL) {
        wpin_field_settle(sim);
    }
}

static void work(wpin_sim *sim, int64_t to) {
    if (sim->wakes < to || sim->roused != sim->changes) {
        wpin_sim_rouse(sim, to);
    }
    bool quiet = false;
    for (int i = 0; i < sim->awake_count; i++) {
        bool rests = wpin_bridge_run(sim, &sim->bridges[sim->awake[i]], to);
        quiet = quiet || rests;
    }
    const int64_t lasted = to - sim->now;
    sim->rails_since += lasted;
    sim->now = to;
    const bool due = sim->rails_since >= sim->rails_due || sim->rails_seen != sim->changes;
    if (due) {
        wpin_rails_settle(sim, (double)sim->rails_since * 1e-12);
        sim->rails_since = 0;
        sim->rails_seen = sim->changes;
    }
    if (sim->heats) {
        wpin_heat_settle(sim, (double)lasted * 1e-12);
    }
    if (quiet && due) { /* what they drew is told */
        wpin_sim_doze(sim);
    }
    settle(sim);
}

/* The coming changes of pins, which are known. */
static void announce(wpin_sim *sim, int64_t picoseconds) {
    if (sim->watcher != NULL) {
        tell_pins(sim, wpin_sim_time(sim) + picoseconds);
    }
}

static void work_until(wpin_sim *sim, int64_t until) {
    sim->ahead = 0;
    while (sim->now < until) {
        work(sim, sim->now + sooner(until - sim->now, stretch(sim)));
    }
}

void wpin_sim_advance(wpin_sim *sim, int64_t picoseconds) {
    announce(sim, picoseconds);
    work_until(sim, wpin_sim_time(sim) + picoseconds);
}

void wpin_sim_catch_up(wpin_sim *sim) {
    if (sim->ahead > 0) {
        work_until(sim, wpin_sim_time(sim));
    }
}

void wpin_sim_pass(wpin_sim *sim, int64_t picoseconds) {
    bool interrupts = sim->hall_count + sim->middle_count + sim->shunt_count > 0;
    if (interrupts || sim->field != NULL) { /* they come when they come */
        wpin_sim_advance(sim, picoseconds);
        return;
    }
    announce(sim, picoseconds);
    sim->ahead += picoseconds;
    for (int64_t window = stretch(sim); sim->ahead >= window; window = stretch(sim)) {
        sim->ahead -= window;
        work(sim, sim->now + window);
    }
}

int64_t wpin_sim_time(const wpin_sim *sim) {
    return sim->now + sim->ahead;
}

bool wpin_sim_switch(wpin_sim *sim, int supply, bool on) {
    if (supply < 0 || supply >= sim->supply_count) {
        return false;
    }
    wpin_sim_catch_up(sim);
    sim->supplies[supply].part.on = on;
    sim->changes++;
    wpin_supply_rouse(sim, supply, true);
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
    wpin_sim_catch_up(sim);
    sim->plants[motor]->motor.load_torque = torque;
    wpin_plant_prepare(sim->plants[motor]);
    return true;
}

bool wpin_sim_read_phases(const wpin_sim *sim, int motor, wpin_part_phases *phases) {
    if (motor < 0 || motor >= sim->plant_count ||
        sim->plants[motor]->kind != WPIN_PLANT_BRUSHLESS) {
        return false;
    }
    wpin_brushless_phases(sim->plants[motor], phases);
    return true;
}

wpin_part_reading wpin_sim_read(wpin_sim *sim, int motor) {
    if (motor < 0 || motor >= sim->plant_count) {
        return (wpin_part_reading){0};
    }
    wpin_bridge *bridge = &sim->bridges[wpin_driver_of(sim, motor)];
    wpin_bridge_lead(sim, bridge);
    wpin_part_reading reading = wpin_plant_read(sim->plants[motor]);
    reading.driver_degrees = 25 + bridge->rise;
    if (!wpin_supply_live(sim, &sim->supplies[bridge->supply])) {
        reading.supply_volts = 0;
    }
    return reading;
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
