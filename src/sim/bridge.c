/* Drivers at work: each follows the levels on its inputs, by its own logic and with its own
 * delays. What burns it stands in bridge_burns.c, when it may sleep in bridge_sleep.c. */
#include "board.h"
#include <math.h>

#define PS_PER_S 1e12

/* A chip that keeps the sides of a leg apart turns neither on when both are asked for. */
static wpin_leg_state kept_apart(wpin_leg_state leg) {
    return leg == WPIN_LEG_BOTH ? WPIN_LEG_OFF : leg;
}

void wpin_bridge_decide(wpin_bridge *bridge) {
    bool waits = bridge->part.interlock || bridge->part.contact_delay > 0;
    for (unsigned levels = 0; levels < WPIN_SIM_LEVELS; levels++) {
        bool high[WPIN_DRIVER_INPUTS];
        for (unsigned i = 0; i < WPIN_DRIVER_INPUTS; i++) {
            high[i] = (levels >> i & 1U) != 0;
        }
        wpin_legs *legs = &bridge->legs[levels];
        *legs = wpin_logic_decide(&bridge->part, high);
        if (bridge->commutates) {
            *legs = wpin_logic_commutate(*legs, bridge->code, bridge->sixty);
        }
        if (waits) {
            *legs = (wpin_legs){kept_apart(legs->a), kept_apart(legs->b), kept_apart(legs->c),
                                kept_apart(legs->d)};
        }
    }
    bridge->delicate = !waits || bridge->part.no_diodes;
}

/* ---- supply and legs ---- */

void wpin_bridge_feed(wpin_sim *sim, wpin_bridge *bridge) {
    if (bridge->motor == WPIN_SIM_NO_WIRE) {
        return;
    }
    wpin_plant *plant = sim->plants[bridge->motor];
    const wpin_part_supply *supply = &sim->supplies[bridge->supply].part;
    double change = fabs(plant->feed.volts - supply->volts);
    bridge->swayed = bridge->swayed || change > WPIN_SWAYS * supply->volts;
    if (change > 1e-4) { /* less is not worth the work */
        plant->feed.volts = supply->volts;
        wpin_plant_fed(plant);
    }
    wpin_bridge_gate(sim, bridge);
    if (supply->on) {
        wpin_bridge_check_voltage(sim, bridge, plant);
        wpin_bridge_check_polarity(sim, bridge);
    }
}

void wpin_bridges_feed(wpin_sim *sim, int supply) {
    for (int i = 0; i < sim->awake_count; i++) {
        wpin_bridge *bridge = &sim->bridges[sim->awake[i]];
        if (bridge->supply == supply) {
            wpin_bridge_feed(sim, bridge);
        }
    }
}

/* With the supply off the driver has no power: legs off. What current is left runs down through
 * the diodes against the voltage the rail still holds. */
static bool alive(const wpin_sim *sim, const wpin_bridge *bridge) {
    bool fed = sim->supplies[bridge->supply].part.volts >= bridge->part.least_volts;
    return !bridge->burnt && !bridge->no_ground && !bridge->hot && !bridge->part.not_ready && fed &&
           sim->now >= bridge->off_until && wpin_supply_live(sim, &sim->supplies[bridge->supply]);
}

/* The windings of a stepper, each between the legs that its two leads are on. One with a lead off
 * carries nothing. */
static void lead_windings(const wpin_bridge *bridge, wpin_plant *plant) {
    const wpin_leg_state legs[5] = {plant->leg_a, plant->leg_b, plant->leg_c, plant->leg_d,
                                    WPIN_LEG_OFF};
    wpin_leg_state on[4];
    for (int i = 0; i < 4; i++) {
        bool open = bridge->leads[i & 2] > 3 || bridge->leads[(i & 2) + 1] > 3;
        on[i] = legs[open ? 4 : bridge->leads[i]];
    }
    plant->leg_a = on[0], plant->leg_b = on[1];
    plant->leg_c = on[2], plant->leg_d = on[3];
    plant->amps = bridge->leads[0] > 3 || bridge->leads[1] > 3 ? 0 : plant->amps;
    plant->amps_b = bridge->leads[2] > 3 || bridge->leads[3] > 3 ? 0 : plant->amps_b;
}

/* A side that is broken: off whatever it is told, or on. */
static wpin_leg_state broken(const wpin_bridge *bridge, int leg, wpin_leg_state next) {
    unsigned high = 1U << WPIN_PART_SWITCH(leg, false), low = 1U << WPIN_PART_SWITCH(leg, true);
    bool on_high = next == WPIN_LEG_HIGH || next == WPIN_LEG_BOTH;
    bool on_low = next == WPIN_LEG_LOW || next == WPIN_LEG_BOTH;
    on_high = (on_high && (bridge->open & high) == 0) || (bridge->shorted & high) != 0;
    on_low = (on_low && (bridge->open & low) == 0) || (bridge->shorted & low) != 0;
    return on_high ? (on_low ? WPIN_LEG_BOTH : WPIN_LEG_HIGH)
                   : (on_low ? WPIN_LEG_LOW : WPIN_LEG_OFF);
}

static void put_legs(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, wpin_legs next,
                     int64_t at) {
    static const wpin_legs off = {.a = WPIN_LEG_OFF};
    next = bridge->alive ? next : off;
    if (bridge->alive && (bridge->open | bridge->shorted) != 0) {
        next.a = broken(bridge, 0, next.a);
        next.b = broken(bridge, 1, next.b);
        next.c = broken(bridge, 2, next.c);
    }
    if (bridge->alive && (bridge->delicate || bridge->shorted != 0)) {
        wpin_bridge_check_legs(sim, bridge, plant, next, at);
        wpin_bridge_check_kick(sim, bridge, plant, next, at);
        if (bridge->burnt) {
            next = off;
            plant->amps = bridge->part.no_diodes ? 0 : plant->amps; /* it went into the arc */
        }
    }
    if (bridge->part.bootstrap_time > 0) {
        wpin_bootstrap_mind(sim, bridge, &next, at);
    }
    if (bridge->part.motor_farads > 0 || bridge->part.diode_recovery > 0) {
        bridge->edge_joules += wpin_edge_joules(bridge, plant, next);
        wpin_bridge_check_surge(sim, bridge, plant, next, at);
        next = bridge->alive && !bridge->burnt ? next : off;
    }
    if (bridge->motor_off && plant->kind != WPIN_PLANT_BRUSHLESS) {
        next = off;
        plant->amps = plant->amps_b = 0;
    }
    bridge->shown = next;
    plant->leg_a = bridge->motor_swapped ? next.b : next.a;
    plant->leg_b = bridge->motor_swapped ? next.a : next.b;
    plant->leg_c = next.c;
    plant->leg_d = next.d;
    if (plant->kind == WPIN_PLANT_STEPPER) {
        lead_windings(bridge, plant);
    }
}

static unsigned levels_of(const wpin_bridge *bridge) {
    unsigned levels = 0;
    for (int i = 0; i < bridge->input_count; i++) {
        levels |= (unsigned)(bridge->cursors[i].level == WPIN_HIGH) << i;
    }
    return levels ^ bridge->inverts;
}

/* ---- events to come ---- */

static void pass_event(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at) {
    put_legs(sim, bridge, plant, bridge->events[0].legs, at);
    for (int i = 1; i < bridge->event_count; i++) {
        bridge->events[i - 1] = bridge->events[i];
    }
    bridge->event_count -= bridge->event_count > 0;
}

/* ---- dead time of its own ---- */

static wpin_leg_state parted(wpin_leg_state from, wpin_leg_state to) {
    return wpin_legs_swap(from, to) ? WPIN_LEG_OFF : to;
}

static bool some_swaps(wpin_legs now, wpin_legs next) {
    return wpin_legs_swap(now.a, next.a) || wpin_legs_swap(now.b, next.b) ||
           wpin_legs_swap(now.c, next.c);
}

/* A leg that changes sides is off for the chip's own dead time between them. */
static void pause_between(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, wpin_legs next,
                          int64_t at) {
    wpin_legs now = bridge->shown, between = {.a = parted(now.a, next.a),
                                              .b = parted(now.b, next.b),
                                              .c = parted(now.c, next.c),
                                              .d = parted(now.d, next.d)};
    bridge->event_count = 0;
    put_legs(sim, bridge, plant, between, at);
    wpin_bridge_add_event(bridge, at + (int64_t)(bridge->part.dead_time * PS_PER_S), next);
}

/* A driver that works, whose legs need no second thought but for what burns it. */
static bool is_plain(const wpin_bridge *bridge) {
    const wpin_part_driver *part = &bridge->part;
    const wpin_logic_traits *logic = wpin_logic_of(part->logic);
    return bridge->alive && !logic->pulses && !logic->frames && !part->no_diodes &&
           !bridge->motor_off && !bridge->motor_swapped && !bridge->mixed && !bridge->never_off &&
           (bridge->open | bridge->shorted) == 0 && part->bootstrap_time <= 0 &&
           part->motor_farads <= 0 && part->diode_recovery <= 0 && part->dead_time <= 0 &&
           part->contact_delay <= 0;
}

/* Nothing moves its legs but edges and events. */
static bool is_steady(const wpin_bridge *bridge) {
    const wpin_logic_traits *logic = wpin_logic_of(bridge->part.logic);
    return !logic->pulses && !logic->frames && !bridge->part.latches &&
           bridge->part.bootstrap_time <= 0;
}

/* A triac goes off as its current passes through zero, which a direct one never does. */
static bool stays_on(const wpin_bridge *bridge, const wpin_plant *plant, wpin_legs next) {
    bool opens = bridge->target.a != WPIN_LEG_OFF && next.a == WPIN_LEG_OFF;
    return bridge->part.latches && opens && fabs(plant->amps) > 1e-6;
}

static void follow_inputs(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at) {
    const wpin_legs *legs = &bridge->legs[bridge->levels];
    if (bridge->plain && bridge->alive && bridge->delicate) {
        wpin_bridge_check_legs(sim, bridge, plant, *legs, at);
    }
    if (bridge->plain && bridge->alive) { /* the way of nearly every edge */
        plant->leg_a = legs->a;
        plant->leg_b = legs->b;
        plant->leg_c = legs->c;
        plant->leg_d = legs->d;
        bridge->shown = *legs;
        return;
    }
    wpin_legs next = bridge->legs[bridge->never_off ? 0 : bridge->levels];
    next = stays_on(bridge, plant, next) ? bridge->target : next;
    bool pauses = bridge->part.dead_time > 0 && bridge->alive;
    bool contacts = bridge->part.contact_delay > 0 && bridge->alive;
    if (bridge->part.contact_delay > 0 && !bridge->alive) { /* they fall back */
        bridge->event_count = 0;
        bridge->target = bridge->legs[0];
    }
    if (pauses && some_swaps(bridge->shown, next)) {
        pause_between(sim, bridge, plant, next, at);
    } else if (pauses && bridge->event_count > 0) {
        bridge->event_count = 0;
        put_legs(sim, bridge, plant, next, at);
    } else if (contacts && (next.a != bridge->target.a || next.b != bridge->target.b)) {
        wpin_bridge_move_contacts(bridge, next, at);
    } else if (!contacts ||
               bridge->event_count == 0) { /* of contacts: a wire came off, or on again */
        put_legs(sim, bridge, plant, next, at);
    }
}

void wpin_bridge_commutate(wpin_sim *sim, wpin_bridge *bridge, uint8_t code) {
    bridge->code = code;
    bridge->repeats = false;
    wpin_bridge_decide(bridge);
    if (bridge->motor != WPIN_SIM_NO_WIRE) {
        follow_inputs(sim, bridge, sim->plants[bridge->motor], sim->now);
    }
}

/* ---- time ---- */

/* An input with nothing on it is pulled to off: down, but up where it is a gate to the supply or
 * inverted. */
static wpin_cursor input_at(const wpin_sim *sim, const wpin_bridge *bridge, int input) {
    int pin = bridge->inputs[input];
    wpin_cursor c = {.level = WPIN_FLOAT, .edge = WPIN_WAVE_NEVER};
    if (pin != WPIN_SIM_NO_WIRE && !bridge->cut[input] && !sim->pins[pin].burnt) {
        c = wpin_cursor_at(&sim->pins[pin].wave, sim->now);
    }
    if (c.level != WPIN_FLOAT && bridge->deaf[input]) {
        return (wpin_cursor){.level = WPIN_LOW, .edge = WPIN_WAVE_NEVER};
    }
    bool up = bridge->part.logic == WPIN_LOGIC_HIGH_SIDE;
    up = up != ((bridge->inverts >> input & 1U) != 0);
    if (c.level == WPIN_FLOAT && up != bridge->floats[input]) {
        c.level = WPIN_HIGH;
    }
    return c;
}

/* An input without an edge ahead has none in the whole stretch: only the others are looked at. */
static void find_moving(wpin_bridge *bridge) {
    bridge->moving_count = 0;
    for (int i = 0; i < bridge->input_count; i++) {
        if (bridge->cursors[i].edge != WPIN_WAVE_NEVER) {
            bridge->moving[bridge->moving_count++] = i;
        }
    }
}

int64_t wpin_bridge_next(const wpin_bridge *bridge, int64_t until) {
    for (int m = 0; m < bridge->moving_count; m++) {
        int64_t edge = bridge->cursors[bridge->moving[m]].edge;
        until = edge < until ? edge : until;
    }
    if (bridge->event_count > 0 && bridge->events[0].at < until) {
        until = bridge->events[0].at;
    }
    return until;
}

/* Takes the inputs over their edges at this moment; whether any level changed. */
static bool pass_edges(wpin_bridge *bridge, int64_t at) {
    bool changed = false;
    for (int m = 0; m < bridge->moving_count; m++) {
        int i = bridge->moving[m];
        wpin_cursor *c = &bridge->cursors[i];
        if (c->edge == at) {
            wpin_cursor_pass(c);
            unsigned bit = 1U << i;
            unsigned now = ((unsigned)(c->level == WPIN_HIGH) << i) ^ (bridge->inverts & bit);
            changed = changed || (bridge->levels & bit) != now;
            bridge->levels = (bridge->levels & ~bit) | now;
        }
    }
    return changed;
}

/* Looks at everything that can have changed at this moment. */
static void look(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t at) {
    if (bridge->event_count > 0 && bridge->events[0].at <= at) {
        pass_event(sim, bridge, plant, at);
    }
    bool was_high = (bridge->levels & 1U) != 0;
    bool changed = pass_edges(bridge, at);
    if (wpin_logic_of(bridge->part.logic)->pulses) {
        wpin_pulses_watch(sim, bridge, plant, was_high, at);
    } else if ((changed && !wpin_logic_of(bridge->part.logic)->frames) || !bridge->alive) {
        follow_inputs(sim, bridge, plant, at);
    }
}

/* Running into an end stop faster than a creep is worth a word. */
static void tell_hit(wpin_sim *sim, wpin_plant *plant, const wpin_bridge *bridge) {
    if (plant->hit == 0) {
        return;
    }
    const double rpm = wpin_part_output_rpm(&plant->motor, plant->hit);
    if (rpm > 0.1) {
        wpin_board_note(sim, sim->now, bridge->name, "drove its load into an end stop at %.3g rpm",
                        rpm);
    }
    plant->hit = 0;
}

/* Looks at its parts, some of which are others than they were. */
static void look_at_parts(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant) {
    bridge->alive = alive(sim, bridge);
    wpin_bridge_tell_obstacle(sim, bridge);
    if (bridge->alive && bridge->diode_reversed) {
        wpin_bridge_burn(bridge);
        wpin_board_burn(sim, sim->now, wpin_bridge_part(sim, bridge), bridge->name,
                        "short: a free-wheel diode lies the wrong way round across the supply");
    }
    bridge->plain = is_plain(bridge);
    bridge->joins = wpin_bridge_can_leap(bridge, plant);
    bridge->averages = sim->averages && wpin_bridge_has_means(sim, bridge, plant);
    bridge->steady = is_steady(bridge);
}

/* Looks at all inputs, as a stretch begins. */
static void look_anew(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant) {
    for (int i = 0; i < bridge->input_count; i++) {
        bridge->cursors[i] = input_at(sim, bridge, i);
    }
    if (bridge->seen != sim->changes || bridge->alive != alive(sim, bridge)) {
        look_at_parts(sim, bridge, plant);
    }
    bool was_high = (bridge->levels & 1U) != 0; /* when the last stretch ended */
    bridge->levels = levels_of(bridge);
    bridge->repeats = false;
    bridge->stirred = false;
    find_moving(bridge);
    if (bridge->moving_count > 0) {
        plant->timer_step = sim->pins[bridge->inputs[bridge->moving[0]]].step;
    }
    const wpin_logic_traits *logic = wpin_logic_of(bridge->part.logic);
    if (logic->pulses) {
        wpin_pulses_watch(sim, bridge, plant, was_high, sim->now);
    } else if (!logic->frames || !bridge->alive) {
        follow_inputs(sim, bridge, plant, sim->now);
    }
}

/* Whether all but its inputs is as the last stretch left it. */
static bool has_come_here(const wpin_sim *sim, const wpin_bridge *bridge) {
    return bridge->seen == sim->changes && bridge->upto == sim->now && bridge->steady &&
           bridge->alive == alive(sim, bridge);
}

/* Its inputs as well. */
static bool goes_on(const wpin_sim *sim, const wpin_bridge *bridge) {
    return !bridge->stirred && has_come_here(sim, bridge);
}

/* A current may come to stay only where it turns nothing. */
static bool may_come_to_rest(const wpin_plant *plant) {
    return plant->amps == 0 || plant->kind == WPIN_PLANT_LAMP || plant->kind == WPIN_PLANT_SOLENOID;
}

bool wpin_bridge_run(wpin_sim *sim, wpin_bridge *bridge, int64_t until) {
    wpin_plant *plant = sim->plants[bridge->motor];
    bool brushless = plant->kind == WPIN_PLANT_BRUSHLESS;
    if (brushless) {
        wpin_brushless_lead(plant, bridge->motor_off);
    }
    if (bridge->averages && has_come_here(sim, bridge) &&
        wpin_bridge_mean(sim, bridge, plant, until)) {
        bridge->upto = until;
        return false;
    }
    if (!goes_on(sim, bridge)) {
        look_anew(sim, bridge, plant);
    }
    int64_t at = sim->now;
    bool leaps =
        bridge->joins && bridge->alive && bridge->event_count == 0 && bridge->moving_count > 0;
    bool walks = brushless && wpin_bridge_can_walk(bridge);
    int edges = 0; /* periods until it is tried again */
    while (at < until) {
        bool begins = leaps && bridge->cursors[bridge->moving[0]].start == at;
        if (begins && edges-- <= 0) { /* a period; leaps from elsewhere would each be another */
            int64_t from = at;
            at = wpin_bridge_leap(bridge, plant, at, until);
            if (at > from) {
                edges = 0;
                continue;
            }
            edges = 8;
        }
        if (walks && bridge->alive) {
            at = wpin_bridge_walk(bridge, plant, at, until);
            if (at >= until) {
                break;
            }
        }
        int64_t edge = wpin_bridge_next(bridge, until);
        wpin_plant_advance(plant, edge - at);
        at = edge;
        wpin_bridge_check_current(sim, bridge, plant, at);
        look(sim, bridge, plant, at);
    }
    bridge->seen = sim->changes;
    bridge->upto = until;
    tell_hit(sim, plant, bridge);
    return may_come_to_rest(plant);
}
