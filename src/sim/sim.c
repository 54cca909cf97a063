/* Assembles the board, lets time pass, and answers what happened. */
#include "board.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

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

/* Room for one more element; NULL (and the array as it was) when out of memory. */
static void *grown(void *array, size_t count, size_t size) {
    return realloc(array, (count + 1) * size);
}

static void keep_name(char *to, size_t size, const char *name, const char *otherwise) {
    snprintf(to, size, "%s", name != NULL ? name : otherwise);
}

static wpin_supply *new_supply(wpin_sim *sim, const wpin_sim_supply *supply) {
    wpin_supply *all = grown(sim->supplies, (size_t)sim->supply_count, sizeof *all);
    if (all == NULL) {
        return NULL;
    }
    sim->supplies = all;
    wpin_supply *mine = &all[sim->supply_count++];
    *mine = (wpin_supply){
        .part = *supply, .sound_resistance = supply->resistance, .full_volts = supply->volts};
    keep_name(mine->name, sizeof mine->name, supply->name, "supply");
    return mine;
}

int wpin_sim_add_supply(wpin_sim *sim, const wpin_sim_supply *supply) {
    if (!(supply->volts >= 0) || !(supply->resistance >= 0) || !(supply->limit_amps >= 0) ||
        !(supply->capacitance >= 0) || !(supply->capacity >= 0) ||
        !(supply->empty_volts <= supply->volts)) {
        return -1;
    }
    return new_supply(sim, supply) == NULL ? -1 : sim->supply_count - 1;
}

int wpin_sim_add_regulator(wpin_sim *sim, const wpin_sim_regulator *r) {
    bool sound = r->from >= 0 && r->from < sim->supply_count && r->volts > 0 &&
                 r->resistance >= 0 && r->headroom >= 0 && r->limit_amps >= 0 &&
                 r->heat_resistance >= 0 &&
                 (!r->switching || (r->efficiency > 0 && r->efficiency <= 1));
    wpin_sim_supply part = {.name = r->name,
                            .volts = r->volts,
                            .resistance = r->resistance,
                            .on = true,
                            .limit_amps = r->limit_amps,
                            .droops = true};
    wpin_supply *mine = sound ? new_supply(sim, &part) : NULL;
    if (mine == NULL) {
        return -1;
    }
    mine->made = true;
    mine->maker = *r;
    wpin_rails_begin(sim);
    return sim->supply_count - 1;
}

bool wpin_sim_feed_controller(wpin_sim *sim, int supply, double amps, double least_volts) {
    if (supply < 0 || supply >= sim->supply_count || !(amps >= 0) || !(least_volts >= 0)) {
        return false;
    }
    sim->feeds_controller = supply;
    sim->controller_amps = amps;
    sim->controller_volts = least_volts;
    sim->low = !wpin_supply_live(sim, &sim->supplies[supply]);
    return true;
}

int wpin_sim_resets(const wpin_sim *sim) {
    return sim->resets;
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
        plant->heat = motor->heat;
        plant->angle = motor->start_turns * motor->gear_ratio * 2 * PI;
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

/* Puts a load of any kind on a driver; NULL when it can not be. */
static wpin_plant *add_plant(wpin_sim *sim, const wpin_sim_motor *motor, int bridge,
                             wpin_plant_kind kind) {
    if (bridge < 0 || bridge >= sim->bridge_count || !sound_motor(motor) ||
        sim->bridges[bridge].motor != WPIN_SIM_NO_WIRE ||
        (sim->bridges[bridge].part.logic == WPIN_SIM_LOGIC_TWO_CHANNELS) !=
            (kind == WPIN_PLANT_STEPPER)) {
        return NULL;
    }
    wpin_plant **all = grown(sim->plants, (size_t)sim->plant_count, sizeof(wpin_plant *));
    if (all == NULL) {
        return NULL;
    }
    sim->plants = all;
    wpin_plant *plant = new_plant(sim, &sim->bridges[bridge], motor);
    if (plant == NULL) {
        return NULL;
    }
    plant->kind = kind;
    all[sim->plant_count] = plant;
    sim->bridges[bridge].motor = sim->plant_count++;
    sim->supplies[sim->bridges[bridge].supply].loads++;
    keep_name(plant->name, sizeof plant->name, motor->name, "motor");
    plant->motor.name = plant->name;
    wpin_bridge_feed(sim, &sim->bridges[bridge]);
    return plant;
}

int wpin_sim_add_motor(wpin_sim *sim, const wpin_sim_motor *motor, int bridge) {
    return add_plant(sim, motor, bridge, WPIN_PLANT_MOTOR) == NULL ? -1 : sim->plant_count - 1;
}

/* A winding on a shaft that never turns: what a lamp or a solenoid is to the circuit. */
static wpin_sim_motor fixed_winding(const char *name, double resistance, double inductance) {
    return (wpin_sim_motor){.name = name,
                            .resistance = resistance,
                            .inductance = inductance,
                            .constant = 1e-9,
                            .inertia = 1,
                            .static_friction = 1e6,
                            .dry_friction = 1e6,
                            .gear_ratio = 1,
                            .gear_efficiency = 1};
}

int wpin_sim_add_lamp(wpin_sim *sim, const wpin_sim_lamp *lamp, int bridge) {
    bool sound = lamp->volts > 0 && lamp->watts > 0 && lamp->cold_share > 0 &&
                 lamp->cold_share <= 1 && lamp->warm_up > 0 && lamp->forward_volts >= 0 &&
                 lamp->forward_volts < lamp->volts;
    wpin_sim_motor winding = fixed_winding(lamp->name, 1, 1e-6);
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_LAMP) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->lamp = *lamp;
    wpin_lamp_cool(plant);
    return sim->plant_count - 1;
}

int wpin_sim_add_solenoid(wpin_sim *sim, const wpin_sim_solenoid *s, int bridge) {
    bool sound =
        s->pull_in > 0 && s->drop_out >= 0 && s->drop_out <= s->pull_in && s->pull_in_time >= 0;
    wpin_sim_motor winding = fixed_winding(s->name, s->resistance, s->inductance);
    winding.heat = s->heat;
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_SOLENOID) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->solenoid = *s;
    return sim->plant_count - 1;
}

int wpin_sim_add_stepper(wpin_sim *sim, const wpin_sim_stepper *s, int bridge) {
    bool sound = s->steps_a_turn >= 4 && fmod(s->steps_a_turn, 4) == 0 && s->rated_amps > 0 &&
                 s->holding_torque > 0;
    wpin_sim_motor winding = {.name = s->name,
                              .resistance = s->resistance,
                              .inductance = s->inductance,
                              /* both windings at rated current hold sqrt(2) times one */
                              .constant = s->holding_torque / (sqrt(2) * s->rated_amps),
                              .inertia = s->inertia,
                              .static_friction = s->dry_friction,
                              .dry_friction = s->dry_friction,
                              .viscous_friction = s->viscous_friction,
                              .gear_ratio = 1,
                              .gear_efficiency = 1};
    wpin_plant *plant = sound ? add_plant(sim, &winding, bridge, WPIN_PLANT_STEPPER) : NULL;
    if (plant == NULL) {
        return -1;
    }
    plant->stepper = *s;
    return sim->plant_count - 1;
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
    wpin_sim_event *all = grown(sim->events, sim->event_count, sizeof *all);
    sim->events = all != NULL ? all : sim->events;
    const char **kinds = grown(sim->event_kinds, sim->event_count, sizeof(const char *));
    sim->event_kinds = kinds != NULL ? kinds : sim->event_kinds;
    if (all == NULL || kinds == NULL) {
        return;
    }
    kinds[sim->event_count] = what;
    wpin_sim_event *mine = &all[sim->event_count++];
    *mine = (wpin_sim_event){.at = (double)at * 1e-12};
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
