/* The supplies of the rig file: sources, and what is made from them; what feeds the controller. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum {
    SUPPLY_FROM,
    SUPPLY_GROUND,
    SUPPLY_JOINED,
    SUPPLY_HEAT,
    SUPPLY_SENSE,
    SUPPLY_RESISTANCE,
    SUPPLY_EMPTY,
    SUPPLY_CAPACITY,
    SUPPLY_SWITCH
};
#define USUAL_OUTPUT 100e-6 /* F: at a regulator's output, where the rig says nothing */
static const wpin_field supply_fields[] = {
    NODE("from", false),
    NODE("ground", false),
    NODE("joined-with", false),
    NODE("heat", false),
    NODE("sense", false),
    QUANTITY("resistance", wpin_rig_supply, resistance, false, WPIN_RESISTANCE, 0, 100),
    QUANTITY("empty", wpin_rig_supply, empty_volts, false, WPIN_VOLTAGE, 0.1, 100),
    QUANTITY("capacity", wpin_rig_supply, capacity, false, WPIN_CHARGE, 0.01, 1e7),
    CHOICE("switch", wpin_rig_supply, on, "off", "on"),
    QUANTITY("voltage", wpin_rig_supply, volts, true, WPIN_VOLTAGE, 0.5, 400),
    QUANTITY("highest", wpin_rig_supply, highest, false, WPIN_VOLTAGE, 0.5, 400),
    CHOICE("current", wpin_rig_supply, alternating, "direct", "alternating"),
    QUANTITY("limit", wpin_rig_supply, limit_amps, false, WPIN_CURRENT, 1e-3, 1e3),
    CHOICE("at-limit", wpin_rig_supply, droops, "cuts-out", "droops"),
    QUANTITY("capacitor", wpin_rig_supply, capacitance, false, WPIN_CAPACITANCE, 1e-6, 10),
    QUANTITY("headroom", wpin_rig_supply, headroom, false, WPIN_VOLTAGE, 0, 20),
    QUANTITY("least-input", wpin_rig_supply, least_input, false, WPIN_VOLTAGE, 0, 100),
    CHOICE("polarity", wpin_rig_supply, reversed, "right", "swapped"),
    CHOICE("regulates", wpin_rig_supply, switching, "linear", "switching"),
    QUANTITY("efficiency", wpin_rig_supply, efficiency, false, WPIN_SHARE, 0.1, 1),
};

static const wpin_field sense_fields[] = {
    QUANTITY("input", wpin_rig_supply_sense, input, true, WPIN_NUMBER, 0, 31),
    QUANTITY("divider", wpin_rig_supply_sense, divider, true, WPIN_SHARE, 0.001, 1),
    QUANTITY("least", wpin_rig_supply_sense, least, false, WPIN_VOLTAGE, 0.1, 1000),
    QUANTITY("most", wpin_rig_supply_sense, most, false, WPIN_VOLTAGE, 0.5, 1000),
    QUANTITY("time", wpin_rig_supply_sense, time, false, WPIN_TIME, 0, 10),
    QUANTITY("give-way", wpin_rig_supply_sense, give_way, false, WPIN_VOLTAGE, 0.5, 1000),
    QUANTITY("give-up", wpin_rig_supply_sense, give_up, false, WPIN_VOLTAGE, 0.5, 1000),
};

int wpin_find_supply_at(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node) {
    const char *text = wpin_scalar(reader, node, "the name of a supply");
    const char **names = calloc(rig->supply_count + 1, sizeof *names);
    int found = -1;
    for (size_t i = 0; names != NULL && i < rig->supply_count; i++) {
        names[i] = rig->supplies[i].name;
    }
    if (text != NULL && rig->supply_count == 0) {
        wpin_say_at(reader, node, "unknown supply '%s': the rig has no supplies", text);
    } else if (text != NULL && names != NULL) {
        found = wpin_find_word(reader, node, text, "supply", names, rig->supply_count);
    }
    reader->messages->out_of_memory |= names == NULL;
    free(names);
    return found;
}

static void check_made(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *node,
                       yaml_node_t *const *nodes, const wpin_rig_supply *s) {
    const wpin_rig_supply *from = &rig->supplies[s->from];
    if (!s->switching && s->volts + s->headroom > from->volts) {
        wpin_say_at(reader, node,
                    "%.3g V and %.3g V of headroom can't be made from the %.3g V of '%s' by a "
                    "linear regulator; expected less, or regulates: switching",
                    s->volts, s->headroom, from->volts, from->name);
    }
    if (nodes[SUPPLY_SWITCH] != NULL) {
        wpin_say_at(reader, nodes[SUPPLY_SWITCH],
                    "a supply made from another has no switch of its own; it follows '%s'",
                    from->name);
    }
}

/* What its figures say of each other. */
static void check_figures(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *node,
                          const char *what, const wpin_rig_supply *s, bool read) {
    if (read && s->highest > 0 && s->highest < s->volts) {
        wpin_say_at(reader, node, "%s: highest (%.3g V) is below its voltage (%.3g V)", what,
                    s->highest, s->volts);
    }
    if (read && !s->alternating && s->volts > 100) {
        wpin_say_at(reader, node,
                    "%s: %.3g V is out of range; expected 0.5 to 100 V, or up to 400 V with "
                    "current: alternating",
                    what, s->volts);
    }
    if (s->from >= 0 && (s->alternating || rig->supplies[s->from].alternating)) {
        wpin_say_at(reader, node,
                    "%s: nothing is made from alternating current here; describe the adapter as a "
                    "supply of its own",
                    what);
    }
}

/* Both or none, between what the supply has and where it trips; a millivolt apart at the input, so
 * that there is something between. */
static void check_give_way(wpin_reader *reader, yaml_node_t *node, const wpin_rig_supply *s) {
    const wpin_rig_supply_sense *sense = &s->sense;
    bool one = (sense->give_way > 0) != (sense->give_up > 0);
    if (sense->give_way <= 0 && sense->give_up <= 0) {
        return;
    }
    if (one || sense->give_way <= s->highest || sense->give_up > sense->most ||
        (sense->give_up - sense->give_way) * sense->divider < 1e-3) {
        wpin_say_at(reader, node,
                    "sense: give-way %.4g V, give-up %.4g V: expected both, above the %.4g V that "
                    "'%s' has at its highest, the second above the first, and no more than most, "
                    "%.4g V",
                    sense->give_way, sense->give_up, s->highest, s->name, sense->most);
    }
}

/* Where nothing is said its window is from three quarters of its volts, or nine tenths of what its
 * cells fall to, to a fifth above its highest. */
static void read_sense(wpin_reader *reader, yaml_node_t *node, wpin_rig_supply *s) {
    wpin_rig_supply_sense *sense = &s->sense;
    size_t before = reader->messages->count;
    *sense = (wpin_rig_supply_sense){.line = (unsigned)node->start_mark.line + 1, .time = 0.05};
    wpin_read_map(reader, node, "sense", sense_fields, COUNT(sense_fields), sense, NULL);
    if (node->type != YAML_MAPPING_NODE || reader->messages->count != before) {
        return;
    }
    double usual = fmin(0.75 * s->volts, s->empty_volts > 0 ? 0.9 * s->empty_volts : HUGE_VAL);
    sense->least = sense->least > 0 ? sense->least : usual;
    sense->most = sense->most > 0 ? sense->most : 1.2 * s->highest;
    sense->there = true;
    if (s->alternating) {
        wpin_say_at(reader, node, "sense: '%s' alternates; a divider shows a direct voltage only",
                    s->name);
    } else if (sense->least >= s->volts) {
        wpin_say_at(reader, node,
                    "sense: least: %.4g V are not below the %.4g V of '%s'; expected e.g. %.3gV",
                    sense->least, s->volts, s->name, usual);
    } else if (sense->most <= s->highest) {
        wpin_say_at(reader, node,
                    "sense: most: %.4g V are not above the %.4g V that '%s' has at its highest; "
                    "expected e.g. %.3gV",
                    sense->most, s->highest, s->name, 1.2 * s->highest);
    } else if (s->volts * sense->divider * 1e3 < 65) {
        wpin_say_at(reader, node,
                    "sense: %.4g V are %.3g mV behind a divider of %.4g%%; expected 65 mV and more",
                    s->volts, s->volts * sense->divider * 1e3, 100 * sense->divider);
    } else {
        check_give_way(reader, node, s);
    }
}

void wpin_read_supply(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                      yaml_node_t *node) {
    wpin_rig_supply supply = {.line = (unsigned)key->start_mark.line + 1,
                              .from = -1,
                              .joined = -1,
                              .efficiency = 0.85,
                              .headroom = -1};
    if (!wpin_take_name(reader, rig, key, name, supply.name)) {
        return;
    }
    char what[64];
    snprintf(what, sizeof what, "supply '%s'", supply.name);
    yaml_node_t *nodes[COUNT(supply_fields)];
    size_t before = reader->messages->count;
    wpin_read_map(reader, node, what, supply_fields, COUNT(supply_fields), &supply, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (nodes[SUPPLY_FROM] != NULL) {
        supply.from = wpin_find_supply_at(reader, rig, nodes[SUPPLY_FROM]);
        supply.on = true;
    } else if (nodes[SUPPLY_RESISTANCE] == NULL) {
        wpin_say_at(reader, node, "%s lacks 'resistance'; expected 0 to 100 ohm, or 'from'", what);
    }
    if (supply.headroom < 0) {
        supply.headroom = supply.switching ? 0.5 : 1.5;
    }
    check_figures(reader, rig, node, what, &supply, reader->messages->count == before);
    supply.highest = fmax(supply.highest, supply.volts);
    if (supply.from >= 0) {
        check_made(reader, rig, node, nodes, &supply);
        supply.capacitor_assumed = supply.capacitance <= 0;
        supply.capacitance = supply.capacitor_assumed ? USUAL_OUTPUT : supply.capacitance;
    }
    if (nodes[SUPPLY_GROUND] != NULL) {
        wpin_read_ground(reader, nodes[SUPPLY_GROUND], supply.ground);
    }
    if (nodes[SUPPLY_JOINED] != NULL) {
        supply.joined = wpin_find_supply_at(reader, rig, nodes[SUPPLY_JOINED]);
    }
    if (nodes[SUPPLY_HEAT] != NULL) {
        wpin_read_heat(reader, nodes[SUPPLY_HEAT], &supply.heat);
    }
    if (nodes[SUPPLY_SENSE] != NULL) {
        read_sense(reader, nodes[SUPPLY_SENSE], &supply);
    }
    if ((nodes[SUPPLY_CAPACITY] != NULL) != (nodes[SUPPLY_EMPTY] != NULL) ||
        supply.empty_volts > supply.volts) {
        wpin_say_at(reader, node,
                    "cells need both 'capacity' and 'empty', the voltage they fall "
                    "to, below 'voltage'");
    }
    wpin_rig_supply *all =
        wpin_messages_room(reader->messages, rig->supplies, rig->supply_count, sizeof *all);
    if (all != NULL) {
        rig->supplies = all;
        all[rig->supply_count++] = supply;
    }
}

enum {
    CONTROLLER_SUPPLY,
    CONTROLLER_TIMERS,
    CONTROLLER_TAKEN,
    CONTROLLER_GROUND,
    CONTROLLER_NUMBERING,
    CONTROLLER_NAMES
};
static const wpin_field controller_fields[] = {
    NODE("supply", false),
    NODE("pwm-pins", false),
    NODE("taken", false),
    NODE("ground", false),
    NODE("numbering", false),
    NODE("names", false),
    QUANTITY("pin-rated", wpin_rig_controller, pin_rated, false, WPIN_CURRENT, 1e-4, 10),
    QUANTITY("pins-total", wpin_rig_controller, pins_total, false, WPIN_CURRENT, 1e-3, 10),
    QUANTITY("logic", wpin_rig_controller, logic_volts, false, WPIN_VOLTAGE, 1, 24),
    QUANTITY("pin-resistance", wpin_rig_controller, pin_resistance, false, WPIN_RESISTANCE, 0.1,
             10e3),
    QUANTITY("pin-limit", wpin_rig_controller, pin_limit, false, WPIN_CURRENT, 1e-4, 10),
    QUANTITY("timer-clock", wpin_rig_controller, timer_hz, false, WPIN_FREQUENCY, 1e3, 1e9),
    QUANTITY("timer-bits", wpin_rig_controller, timer_bits, false, WPIN_NUMBER, 8, 32),
    QUANTITY("clock", wpin_rig_controller, clock, false, WPIN_FREQUENCY, 1e5, 1e10),
    QUANTITY("bits", wpin_rig_controller, bits, false, WPIN_NUMBER, 8, 64),
    QUANTITY("converter-bits", wpin_rig_controller, converter_bits, false, WPIN_NUMBER, 8, 24),
    QUANTITY("tick", wpin_rig_controller, tick, false, WPIN_TIME, 50e-6, 0.02),
    QUANTITY("fast-tick", wpin_rig_controller, soft_tick, false, WPIN_TIME, 10e-6, 0.01),
    QUANTITY("boot", wpin_rig_controller, boot, false, WPIN_TIME, 0, 10),
    QUANTITY("draws", wpin_rig_controller, draws, false, WPIN_CURRENT, 0, 10),
    QUANTITY("least-voltage", wpin_rig_controller, least_volts, false, WPIN_VOLTAGE, 0.5, 24),
};

static void read_numbering(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                           wpin_rig_controller *c) {
    if (node->type == YAML_MAPPING_NODE && nodes[CONTROLLER_NAMES] != NULL) {
        wpin_read_pin_names(reader, nodes[CONTROLLER_NAMES], c);
    }
    if (node->type == YAML_MAPPING_NODE && nodes[CONTROLLER_NUMBERING] != NULL) {
        const char *text =
            wpin_scalar(reader, nodes[CONTROLLER_NUMBERING], "whose pin numbers these are");
        snprintf(c->numbering, sizeof c->numbering, "%.63s", text != NULL ? text : "");
    }
}

void wpin_read_controller(wpin_reader *reader, wpin_rig *rig, yaml_node_t *node) {
    yaml_node_t *nodes[COUNT(controller_fields)];
    wpin_rig_controller *c = &rig->controller;
    wpin_read_map(reader, node, "controller", controller_fields, COUNT(controller_fields), c,
                  nodes);
    read_numbering(reader, node, nodes, c); /* first: what follows names pins */
    if (node->type == YAML_MAPPING_NODE && nodes[CONTROLLER_TIMERS] != NULL) {
        wpin_read_timer_pins(reader, nodes[CONTROLLER_TIMERS], c);
    }
    if (node->type == YAML_MAPPING_NODE && nodes[CONTROLLER_TAKEN] != NULL) {
        wpin_read_taken(reader, nodes[CONTROLLER_TAKEN], c);
    }
    if (node->type == YAML_MAPPING_NODE && nodes[CONTROLLER_GROUND] != NULL) {
        wpin_read_ground(reader, nodes[CONTROLLER_GROUND], c->ground);
    }
    if (node->type != YAML_MAPPING_NODE || nodes[CONTROLLER_SUPPLY] == NULL) {
        return;
    }
    c->supply = wpin_find_supply_at(reader, rig, nodes[CONTROLLER_SUPPLY]);
    c->least_volts = c->least_volts > 0 ? c->least_volts : 0.85 * c->logic_volts;
    if (c->supply >= 0 && rig->supplies[c->supply].volts < c->least_volts) {
        wpin_say_at(reader, nodes[CONTROLLER_SUPPLY],
                    "'%s' gives %.3g V, and the controller needs %.3g V (least-voltage)",
                    rig->supplies[c->supply].name, rig->supplies[c->supply].volts, c->least_volts);
    }
}
