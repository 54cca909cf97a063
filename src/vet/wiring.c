/* The wiring table of a rig. */
#include "lists.h"
#include "windpin/host/plain.h"
#include "windpin/vector.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static const char *or_dash(const char *text) {
    return text[0] != '\0' ? text : "-";
}

/* Level of a line in the row the stage begins with. */
static const char *first_level(const wpin_rig_load *l, unsigned line) {
    static const char *const plain[] = {"low",    "high",          "low", "high",
                                        "floats", "neutral pulse", "low"};
    wpin_cell cell = wpin_table_cell(l->kind->table, 0, (uint8_t)line);
    if (l->inverted[line] && cell <= WPIN_CELL_HIGH) {
        return cell == WPIN_CELL_HIGH ? "low" : "high";
    }
    return plain[cell];
}

/* The thin wires of a brushless motor, and its thick ones: which is which, sensors and phases tell
 * by what they do. */
static void add_phases(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    double logic_volts = rig->controller.logic_volts;
    for (int x = 0; l->hall.there && x < 3; x++) {
        wpin_lines_add(
            to, "%-12s Hall %-7c %-10s %-16s %-8u input, pull-up resistor to the logic supply",
            l->name, 'a' + x, "-", "-", l->hall.pins[x]);
    }
    if (l->hall.there) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s logic supply, %.3g V, and ground", l->name,
                       "Hall supply", "-", "-", "-", logic_volts);
    }
    for (int x = 0; l->crossing.there && x < 3; x++) {
        wpin_lines_add(
            to, "%-12s above %-6c %-10s %-16s %-8u input, comparator of lead %c and neutral point",
            l->name, 'a' + x, "-", "-", l->crossing.pins[x], 'A' + x);
    }
    const wpin_rig_vector *v = &l->vector;
    for (int x = 0; v->there && x < 3; x++) {
        if (v->shunts[x] != WPIN_NO_SHUNT) {
            wpin_lines_add(
                to,
                "%-12s shunt %-6c %-10s %-16s A%-7u reads %.4g V at none, %.4g mV/A into lead %c",
                l->name, 'a' + x, "-", "-", v->shunts[x], v->zero,
                l->bridge.sense_volts_per_amp * 1e3, 'A' + x);
        }
    }
    if (v->there && v->supply_input >= 0 && !rig->supplies[l->supply].sense.there) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s A%-7.0f divider of its supply, %.4g of it",
                       l->name, "supply", "-", "-", v->supply_input, v->supply_ratio);
    }
    for (int x = 0; l->hall.at_driver && x < 3; x++) {
        wpin_lines_add(to, "%-12s Hall %-7c %-10s %-16s %-8s Hall input %c of the driver", l->name,
                       'a' + x, "-", "-", "-", 'a' + x);
    }
    if (l->hall.at_driver) {
        wpin_lines_add(
            to, "%-12s %-12s %-10s %-16s %-8s the driver's own supply for them, and its ground",
            l->name, "Hall supply", "-", "-", "-");
    }
    for (int x = 0; wpin_rig_three_leads(l) && !l->axis.there && x < 3; x++) {
        wpin_lines_add(to, "%-12s lead %-7c %-10s %-16s %-8s leg %c of the driver", l->name,
                       'A' + x, "-", "-", "-", 'a' + x);
    }
}

/* The cable's own wires: label, what it is, where it goes. */
static void list_cable(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    for (size_t i = 0; i < l->wire_count; i++) {
        const wpin_rig_wire *w = &l->cable[i];
        static const char *const ends[] = {"nothing", "driver", "supply", "pin", "logic", "ground"};
        char end[60];
        snprintf(end, sizeof end, "%s", ends[w->to]);
        if (w->to == WPIN_WIRE_TO_DRIVER) {
            snprintf(end, sizeof end, "driver, output %s", wpin_wire_output(l, w->number));
        } else if (w->to == WPIN_WIRE_TO_SUPPLY) {
            snprintf(end, sizeof end, "supply '%s'", rig->supplies[w->number].name);
        } else if (w->to == WPIN_WIRE_TO_PIN) {
            snprintf(end, sizeof end, "pin %d", w->number);
        }
        wpin_lines_add(to, "%-12s %-13s wire '%s' to %s", l->name,
                       wpin_wire_word((wpin_wire_is)w->is), w->label, end);
    }
}

/* What nobody sees on the drawing of a module: the resistor that holds a transistor off, and the
 * diode that takes a winding's current on. */
static void add_around(wpin_lines *to, const wpin_rig_load *l) {
    bool alone = l->bridge.gate.kind != WPIN_TRANSISTOR_NONE;
    bool up = l->kind->logic == WPIN_LOGIC_HIGH_SIDE;
    if (alone && !l->limits.no_pull) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s resistor from '%s' to %s", l->name, "pull",
                       "-", "-", "-", l->kind->lines[0], up ? "the supply" : "ground");
    }
    if (alone && wpin_rig_type(l)->winding && !l->bridge.no_diodes) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s across the load, its ring to the plus",
                       l->name, "diode", "-", "-", "-");
    }
}

/* What leads to a drive besides its motor's power. */
static void list_drive(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->axis.logic >= 0) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s supply '%s', and its ground", l->name,
                       "controller", "-", "-", "-", rig->supplies[l->axis.logic].name);
    }
    wpin_lines_add(
        to, "%-12s %-12s %-10s %-16s %-8s field bus '%s': both its wires and its ground; node %g",
        l->name, "bus", "-", "-", "-", rig->fieldbuses[l->axis.bus].name, l->axis.number);
}

static void list_lines(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    for (unsigned n = 0; n < l->kind->table->line_count; n++) {
        char called[60];
        wpin_rig_pin_called(rig, l->pins[n], called, sizeof called);
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8u %s%s%s", l->name, l->kind->lines[n],
                       or_dash(l->chips[n]),
                       or_dash(l->prints[n][0] != '\0' ? l->prints[n] : called), l->pins[n],
                       first_level(l, n),
                       wpin_stage_kind_times_line(l->kind, n) ? ", then PWM" : "",
                       l->shared[n] ? ", shared" : "");
    }
}

/* What tells the controller of it. */
static void list_sensors(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->limits.trip_input >= 0 && !l->vector.there) {
        char zero[40] = "";
        if (l->bridge.sense_zero > 0) {
            wpin_plain(zero, sizeof zero, ", %.4g V at none", l->bridge.sense_zero);
        }
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s A%-7.0f reads %.4g mV/A%s", l->name, "sense",
                       "-", "-", l->limits.trip_input, l->bridge.sense_volts_per_amp * 1e3, zero);
    }
    if (l->thermistor.there) {
        wpin_lines_add(
            to, "%-12s %-12s %-10s %-16s A%-7.0f to ground, and %.3g kohm from A%.0f to %.3g V",
            l->name, "thermistor", "-", "-", l->thermistor.input, l->thermistor.part.pull_up / 1e3,
            l->thermistor.input, rig->controller.logic_volts);
    }
    add_phases(to, rig, l);
    bool counts = wpin_rig_counts_here(l);
    for (unsigned n = 0; counts && n < (l->encoder.one_channel ? 1U : 2U); n++) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8u input, pull-up in the controller", l->name,
                       l->encoder.by_driver ? "speed output"
                       : n == 0             ? "encoder a"
                                            : "encoder b",
                       "-", "-", l->encoder.pins[n]);
    }
}

static void list_power(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->kind->direct) {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s ground", l->name, "other lead", "-", "-",
                       "-");
    } else {
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s supply '%s', %s", l->name, "power", "-",
                       "-", "-", rig->supplies[l->supply].name,
                       rig->supplies[l->supply].alternating
                           ? "both its wires, apart from all others"
                           : "and its ground");
    }
}

static void list_dividers(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply_sense *s = &rig->supplies[i].sense;
        if (s->there) {
            wpin_lines_add(to, "%-12s %-12s %-10s %-16s A%-7.0f divider, %.4g of it: %.3g V",
                           rig->supplies[i].name, "volts", "-", "-", s->input, s->divider,
                           rig->supplies[i].volts * s->divider);
        }
    }
}

static void list_inputs(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *n = &rig->inputs[i];
        bool digital = n->kind <= WPIN_RIG_LIMIT;
        if (n->kind == WPIN_RIG_PAIR) {
            continue; /* two of the others */
        }
        wpin_lines_add(to, "%-12s %-12s %-10s %-16s %s%-*.0f %s", n->name, "input", "-", "-",
                       digital ? "" : "A", digital ? 8 : 7, digital ? n->pin : n->analog,
                       digital ? "to ground, pull-up in the controller" : "0 V to logic level");
    }
}

wpin_lines *wpin_wiring(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to == NULL) {
        return NULL;
    }
    if (rig->controller.numbering[0] != '\0') {
        wpin_lines_add(to, "pins are numbered %s", rig->controller.numbering);
    }
    wpin_lines_add(to, "%-12s %-12s %-10s %-16s %-8s %s", "load", "line", "chip", "board", "pin",
                   "at the start");
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        list_lines(to, rig, l);
        list_sensors(to, rig, l);
        list_cable(to, rig, l);
        add_around(to, l);
        list_power(to, rig, l);
        if (l->axis.there) {
            list_drive(to, rig, l);
        }
    }
    list_dividers(to, rig);
    list_inputs(to, rig);
    return wpin_lines_whole(to);
}
