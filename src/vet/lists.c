/* Lists made from a rig: the power-up checklist, the wiring table, the parts. */
#define _GNU_SOURCE
#include "rules.h"
#include "windpin/vector.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

static void add(wpin_lines *to, const char *words, ...) __attribute__((format(printf, 2, 3)));

static void add(wpin_lines *to, const char *words, ...) {
    va_list list;
    char *text = NULL;
    va_start(list, words);
    int length = vasprintf(&text, words, list);
    va_end(list);
    char **all = length < 0 ? NULL : realloc(to->lines, (to->count + 1) * sizeof(char *));
    if (all == NULL) {
        free(length < 0 ? NULL : text);
        to->cut = true;
        return;
    }
    to->lines = all;
    all[to->count++] = text;
}

/* A list is whole or none. */
static wpin_lines *whole(wpin_lines *to) {
    if (to != NULL && to->cut) {
        wpin_lines_free(to);
        return NULL;
    }
    return to;
}

void wpin_lines_free(wpin_lines *lines) {
    if (lines != NULL) {
        for (size_t i = 0; i < lines->count; i++) {
            free(lines->lines[i]);
        }
        free(lines->lines);
        free(lines);
    }
}

/* ---- power-up checklist ---- */

static void list_statics(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        for (size_t s = 0; s < rig->loads[i].static_count; s++) {
            add(to, "%s: '%s' is %s.", rig->loads[i].name, rig->loads[i].statics[s].name,
                rig->loads[i].statics[s].needs);
        }
    }
}

/* Whether anything on a source, or on what is made from it, has to share the controller's ground.
 */
static bool shares_ground(const wpin_rig *rig, size_t source) {
    bool shares = rig->controller.supply >= 0 &&
                  wpin_source_of(rig, (size_t)rig->controller.supply) == source;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        shares = shares || (wpin_source_of(rig, l->supply) == source && !wpin_rig_is_isolated(l));
    }
    return shares;
}

static void list_grounds(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        if (rig->supplies[i].alternating) {
            add(to,
                "Nothing of '%s' touches the controller, its ground or another supply; what is on "
                "it was wired by someone who may.",
                rig->supplies[i].name);
        } else if (rig->supplies[i].from < 0) {
            if (shares_ground(rig, i)) {
                add(to,
                    "Ground of '%s' is wired to the controller's ground: less than 1 ohm between "
                    "them.",
                    rig->supplies[i].name);
            }
            add(to, "Plus of '%s' goes to nothing but its loads, the right way round.",
                rig->supplies[i].name);
        }
    }
}

static void list_powering(wpin_lines *to, const wpin_rig *rig) {
    size_t source = SIZE_MAX;
    if (rig->controller.supply >= 0) {
        for (source = (size_t)rig->controller.supply; rig->supplies[source].from >= 0;) {
            source = (size_t)rig->supplies[source].from;
        }
        add(to, "Switch the controller's supply on; '%s' measures %.3g V.",
            rig->supplies[rig->controller.supply].name,
            rig->supplies[rig->controller.supply].volts);
    } else {
        add(to, "Switch the controller on; its logic supply measures %.3g V.",
            rig->controller.logic_volts);
    }
    add(to,
        "Nothing moves, nothing gets warm: each control line stands at the level that windpin rig "
        "--wiring lists.");
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        if (s->alternating) {
            add(to, "Switch '%s' on, last of all, hands off: still nothing moves or glows.",
                s->name);
        } else if (s->from < 0 && i != source) {
            add(to,
                "Switch '%s' on, last of all; at the drivers it measures %.3g to %.3g V, and still "
                "nothing moves.",
                s->name, 0.9 * s->volts, 1.1 * s->volts);
        }
    }
}

/* What a single transistor needs around it, and nobody sees on the drawing of a module. */
static void list_switches(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        if (l->bridge.gate.kind == WPIN_TRANSISTOR_NONE) {
            continue;
        }
        if (wpin_rig_type(l)->winding) {
            add(to, "%s: a diode lies across it, its ring to the plus.", l->name);
        }
        add(to, "%s: a resistor holds its transistor off while the pin floats.", l->name);
    }
}

static void list_first_moves(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        if (l->limits.limit_inputs[0] >= 0) {
            add(to, "%s: press each limit switch by hand; its input changes.", l->name);
        }
        if (l->hall.there) {
            add(to,
                "%s: its sensors change as the shaft is turned by hand; windpin order finds which "
                "code belongs to which sector, before a first run.",
                l->name);
        }
        if (l->first_motion.there) {
            add(to, "%s: it has moved before; forward is %s, seen from the %s.", l->name,
                l->first_motion.counter ? "counter-clockwise" : "clockwise",
                l->first_motion.from_back ? "back of the motor" : "end of its shaft");
        } else if (wpin_rig_type(l)->spins && wpin_stage_kind_has(l->kind, WPIN_DRIVE_REVERSE)) {
            add(to,
                "%s: a first run %s (windpin first); it turns the way forward means, else set "
                "'reversed'%s.",
                l->name,
                l->axis.there                         ? "at low speed"
                : wpin_stage_kind_takes_duty(l->kind) ? "at low duty for a second"
                                                      : "of half a second",
                l->axis.there || wpin_rig_three_leads(l) ? "" : " or swap its leads");
        } else if (wpin_rig_type(l)->steps) {
            add(to,
                "%s: windpin first, which looks after its windings, then turns it an eighth of "
                "a turn each way.",
                l->name);
        } else {
            add(to, "%s: on for a second, by itself.", l->name);
        }
    }
}

static void list_fieldbuses(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->fieldbus_count; i++) {
        add(to,
            "Field bus '%s' is terminated at both ends: 60 ohm between its two wires, without "
            "power; "
            "its ground goes to every drive and to the controller; every node has its own number.",
            rig->fieldbuses[i].name);
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_axis *a = &rig->loads[i].axis;
        char row[160];
        if (a->there && a->switch_count > 0) {
            wpin_rig_axis_switches(a, row, sizeof row);
            add(to, "%s: the switches of its drive stand %s, before it has power.",
                rig->loads[i].name, row);
        }
    }
}

wpin_lines *wpin_checklist(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to != NULL) {
        add(to, "All supplies off. Wires as in windpin rig --wiring.");
        list_statics(to, rig);
        list_grounds(to, rig);
        list_fieldbuses(to, rig);
        list_switches(to, rig);
        list_powering(to, rig);
        list_first_moves(to, rig);
    }
    return whole(to);
}

/* ---- wiring ---- */

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
static void add_phases(wpin_lines *to, const wpin_rig_load *l, double logic_volts) {
    for (int x = 0; l->hall.there && x < 3; x++) {
        add(to, "%-12s Hall %-7c %-10s %-16s %-8u input, pull-up resistor to the logic supply",
            l->name, 'a' + x, "-", "-", l->hall.pins[x]);
    }
    if (l->hall.there) {
        add(to, "%-12s %-12s %-10s %-16s %-8s logic supply, %.3g V, and ground", l->name,
            "Hall supply", "-", "-", "-", logic_volts);
    }
    for (int x = 0; l->crossing.there && x < 3; x++) {
        add(to, "%-12s above %-6c %-10s %-16s %-8u input, comparator of lead %c and neutral point",
            l->name, 'a' + x, "-", "-", l->crossing.pins[x], 'A' + x);
    }
    const wpin_rig_vector *v = &l->vector;
    for (int x = 0; v->there && x < 3; x++) {
        if (v->shunts[x] != WPIN_NO_SHUNT) {
            add(to,
                "%-12s shunt %-6c %-10s %-16s A%-7u reads %.4g V at none, %.4g mV/A into lead %c",
                l->name, 'a' + x, "-", "-", v->shunts[x], v->zero,
                l->bridge.sense_volts_per_amp * 1e3, 'A' + x);
        }
    }
    if (v->there && v->supply_input >= 0) {
        add(to, "%-12s %-12s %-10s %-16s A%-7.0f divider of its supply, %.4g of it", l->name,
            "supply", "-", "-", v->supply_input, v->supply_ratio);
    }
    for (int x = 0; l->hall.at_driver && x < 3; x++) {
        add(to, "%-12s Hall %-7c %-10s %-16s %-8s Hall input %c of the driver", l->name, 'a' + x,
            "-", "-", "-", 'a' + x);
    }
    if (l->hall.at_driver) {
        add(to, "%-12s %-12s %-10s %-16s %-8s the driver's own supply for them, and its ground",
            l->name, "Hall supply", "-", "-", "-");
    }
    for (int x = 0; wpin_rig_three_leads(l) && !l->axis.there && x < 3; x++) {
        add(to, "%-12s lead %-7c %-10s %-16s %-8s leg %c of the driver", l->name, 'A' + x, "-", "-",
            "-", 'a' + x);
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
        add(to, "%-12s %-13s wire '%s' to %s", l->name, wpin_wire_word((wpin_wire_is)w->is),
            w->label, end);
    }
}

/* What nobody sees on the drawing of a module: the resistor that holds a transistor off, and the
 * diode that takes a winding's current on. */
static void add_around(wpin_lines *to, const wpin_rig_load *l) {
    bool alone = l->bridge.gate.kind != WPIN_TRANSISTOR_NONE;
    bool up = l->kind->logic == WPIN_LOGIC_HIGH_SIDE;
    if (alone && !l->limits.no_pull) {
        add(to, "%-12s %-12s %-10s %-16s %-8s resistor from '%s' to %s", l->name, "pull", "-", "-",
            "-", l->kind->lines[0], up ? "the supply" : "ground");
    }
    if (alone && wpin_rig_type(l)->winding && !l->bridge.no_diodes) {
        add(to, "%-12s %-12s %-10s %-16s %-8s across the load, its ring to the plus", l->name,
            "diode", "-", "-", "-");
    }
}

/* What leads to a drive besides its motor's power. */
static void list_drive(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->axis.logic >= 0) {
        add(to, "%-12s %-12s %-10s %-16s %-8s supply '%s', and its ground", l->name, "controller",
            "-", "-", "-", rig->supplies[l->axis.logic].name);
    }
    add(to, "%-12s %-12s %-10s %-16s %-8s field bus '%s': both its wires and its ground; node %g",
        l->name, "bus", "-", "-", "-", rig->fieldbuses[l->axis.bus].name, l->axis.number);
}

wpin_lines *wpin_wiring(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to == NULL) {
        return NULL;
    }
    if (rig->controller.numbering[0] != '\0') {
        add(to, "pins are numbered %s", rig->controller.numbering);
    }
    add(to, "%-12s %-12s %-10s %-16s %-8s %s", "load", "line", "chip", "board", "pin",
        "at the start");
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        for (unsigned n = 0; n < l->kind->table->line_count; n++) {
            char called[60];
            wpin_rig_pin_called(rig, l->pins[n], called, sizeof called);
            add(to, "%-12s %-12s %-10s %-16s %-8u %s%s%s", l->name, l->kind->lines[n],
                or_dash(l->chips[n]), or_dash(l->prints[n][0] != '\0' ? l->prints[n] : called),
                l->pins[n], first_level(l, n),
                wpin_stage_kind_times_line(l->kind, n) ? ", then PWM" : "",
                l->shared[n] ? ", shared" : "");
        }
        if (l->limits.trip_input >= 0 && !l->vector.there) {
            add(to, "%-12s %-12s %-10s %-16s A%-7.0f reads %.4g mV/A", l->name, "sense", "-", "-",
                l->limits.trip_input, l->bridge.sense_volts_per_amp * 1e3);
        }
        if (l->thermistor.there) {
            add(to, "%-12s %-12s %-10s %-16s A%-7.0f to ground, and %.3g kohm from A%.0f to %.3g V",
                l->name, "thermistor", "-", "-", l->thermistor.input,
                l->thermistor.part.pull_up / 1e3, l->thermistor.input, rig->controller.logic_volts);
        }
        add_phases(to, l, rig->controller.logic_volts);
        bool counts = wpin_rig_counts_here(l);
        for (unsigned n = 0; counts && n < (l->encoder.one_channel ? 1U : 2U); n++) {
            add(to, "%-12s %-12s %-10s %-16s %-8u input, pull-up in the controller", l->name,
                l->encoder.by_driver ? "speed output"
                : n == 0             ? "encoder a"
                                     : "encoder b",
                "-", "-", l->encoder.pins[n]);
        }
        list_cable(to, rig, l);
        add_around(to, l);
        if (l->kind->direct) {
            add(to, "%-12s %-12s %-10s %-16s %-8s ground", l->name, "other lead", "-", "-", "-");
        } else {
            add(to, "%-12s %-12s %-10s %-16s %-8s supply '%s', %s", l->name, "power", "-", "-", "-",
                rig->supplies[l->supply].name,
                rig->supplies[l->supply].alternating ? "both its wires, apart from all others"
                                                     : "and its ground");
        }
        if (l->axis.there) {
            list_drive(to, rig, l);
        }
    }
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *n = &rig->inputs[i];
        bool digital = n->kind <= WPIN_RIG_LIMIT;
        if (n->kind == WPIN_RIG_PAIR) {
            continue; /* two of the others */
        }
        add(to, "%-12s %-12s %-10s %-16s %s%-*.0f %s", n->name, "input", "-", "-",
            digital ? "" : "A", digital ? 8 : 7, digital ? n->pin : n->analog,
            digital ? "to ground, pull-up in the controller" : "0 V to logic level");
    }
    return whole(to);
}

/* ---- parts ---- */

static void add_driver(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->axis.there) {
        add(to, "1  drive by CiA 402 for %s: %.3g A, %.3g A for a time, %.3g V", l->name,
            l->axis.rated_amps, l->axis.most_amps, rig->supplies[l->supply].volts);
    } else if (!l->kind->direct) {
        add(to, "1  driver '%s' for %s: %s; %.3g A, %.3g V", l->kind->name, l->name, l->kind->words,
            l->bridge.burns_above_amps, l->bridge.burns_above_volts);
    }
}

static void add_part(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    double volts = rig->supplies[l->supply].volts;
    switch (l->what) {
    case WPIN_RIG_LAMP:
        add(to, "1  %s: %.3g V, %.3g W", l->name, l->lamp.volts, l->lamp.watts);
        break;
    case WPIN_RIG_SOLENOID:
        add(to, "1  solenoid %s: %.3g ohm, for %.3g V", l->name, l->solenoid.resistance, volts);
        break;
    case WPIN_RIG_STEPPER:
        add(to, "1  stepper %s: %.0f steps, %.3g A, %.3g mNm", l->name, l->stepper.steps_per_rev,
            l->stepper.rated_amps, l->stepper.holding_torque * 1e3);
        break;
    default:
        add(to, "1  %smotor %s: %.3g V, %.3g ohm, %.3g mNm/A, gear %.3g:1",
            l->motor.pole_pairs > 0 ? "brushless " : "", l->name,
            l->limits.rated_volts > 0 ? l->limits.rated_volts : volts, l->motor.resistance,
            l->motor.constant * 1e3, l->motor.gear_ratio);
    }
}

/* What stands around a switch: resistors, a diode, a capacitor. */
static void add_small_parts(wpin_lines *to, const wpin_rig_load *l) {
    const wpin_part_driver *b = &l->bridge;
    if (b->gate.kind == WPIN_TRANSISTOR_NPN) {
        add(to, "1  base resistor for %s: %.3g ohm", l->name, b->gate.base_ohms);
    }
    if (b->opto.least_amps > 0) {
        add(to, "%u  series resistor for %s: %.3g ohm", l->kind->table->line_count, l->name,
            b->opto.series_ohms);
    }
    bool alone = b->gate.kind != WPIN_TRANSISTOR_NONE;
    if (b->diode_limit > 0) {
        add(to, "1  free-wheel diode for %s: %.3g A, %.3g V", l->name, b->diode_limit,
            b->burns_above_volts);
    } else if (alone && wpin_rig_type(l)->winding) {
        add(to, "1  free-wheel diode for %s: windpin size diode", l->name);
    }
    if (alone) {
        add(to,
            "1  pull-down or pull-up resistor for %s: 10 kohm from its line to its resting level",
            l->name);
    }
    if (b->motor_farads > 0) {
        add(to, "1  capacitor at %s: %.3g nF", l->name, b->motor_farads * 1e9);
    }
}

static void add_sensors(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    double logic = rig->controller.logic_volts;
    if (l->thermistor.there) {
        add(to,
            "1  thermistor in the %s of %s: %.3g kohm at 25 degC, B %.4g K, and a resistor of "
            "%.3g kohm",
            l->thermistor.in_winding ? "winding" : "driver", l->name, l->thermistor.part.ohms / 1e3,
            l->thermistor.part.beta, l->thermistor.part.pull_up / 1e3);
    }
    if (l->hall.there) {
        add(to, "3  pull-up resistors for the Hall sensors of %s: 4.7 kohm to %.3g V", l->name,
            logic);
    }
    if (l->vector.there) {
        add(to, "%d  shunts in the %s of %s, with amplifiers for both ways: %.4g mV/A about %.4g V",
            l->vector.shunts[2] == WPIN_NO_SHUNT ? 2 : 3,
            l->vector.in_leads ? "leads" : "low sides", l->name,
            l->bridge.sense_volts_per_amp * 1e3, l->vector.zero);
    }
    if (l->crossing.there) {
        double share = logic / (1.25 * rig->supplies[l->supply].volts);
        add(to,
            "3  comparators for the leads of %s, each lead divided to %.2g of its volts (alike to "
            "0.1 %%), against the neutral point of three equal resistors from the divided leads",
            l->name, fmin(share, 1));
    }
    if (wpin_rig_counts_here(l) && !l->encoder.by_driver) {
        add(to, "1  encoder of %s: %.0f lines, %s channel%s, for %.3g V", l->name, l->encoder.lines,
            l->encoder.one_channel ? "one" : "two", l->encoder.one_channel ? "" : "s", logic);
    }
}

wpin_lines *wpin_parts_list(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to == NULL) {
        return NULL;
    }
    add(to, "1  controller: %.3g V logic", rig->controller.logic_volts);
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        add(to, "1  %s '%s': %.3g V%s",
            s->from < 0 ? (s->capacity > 0 ? "set of cells" : "supply") : "regulator", s->name,
            s->volts, s->alternating ? " alternating" : "");
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        add_driver(to, rig, &rig->loads[i]);
        add_part(to, rig, &rig->loads[i]);
        add_small_parts(to, &rig->loads[i]);
        add_sensors(to, rig, &rig->loads[i]);
    }
    static const char *const kinds[] = {"button", "limit switch", "knob (10 kohm)", "sensor"};
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].kind == WPIN_RIG_PAIR) {
            continue;
        }
        add(to, "1  %s '%s'", kinds[rig->inputs[i].kind], rig->inputs[i].name);
    }
    return whole(to);
}
