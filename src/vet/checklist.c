/* The power-up checklist of a rig. */
#include "lists.h"
#include "windpin/vector.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static void list_statics(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        for (size_t s = 0; s < rig->loads[i].static_count; s++) {
            wpin_lines_add(to, "%s: '%s' is %s.", rig->loads[i].name, rig->loads[i].statics[s].name,
                           rig->loads[i].statics[s].needs);
        }
    }
}

/* Whether anything on a source, or on what is made from it, has to share the controller's ground.
 */
static bool shares_ground(const wpin_rig *rig, size_t source) {
    bool shares = rig->controller.supply >= 0 &&
                  wpin_rig_source_of(rig, (size_t)rig->controller.supply) == source;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        shares =
            shares || (wpin_rig_source_of(rig, l->supply) == source && !wpin_rig_is_isolated(l));
    }
    return shares;
}

static void list_grounds(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        if (rig->supplies[i].alternating) {
            wpin_lines_add(
                to,
                "Nothing of '%s' touches the controller, its ground or another supply; what is on "
                "it was wired by someone who may.",
                rig->supplies[i].name);
        } else if (rig->supplies[i].from < 0) {
            if (shares_ground(rig, i)) {
                wpin_lines_add(
                    to,
                    "Ground of '%s' is wired to the controller's ground: less than 1 ohm between "
                    "them.",
                    rig->supplies[i].name);
            }
            wpin_lines_add(to, "Plus of '%s' goes to nothing but its loads, the right way round.",
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
        wpin_lines_add(to, "Switch the controller's supply on; '%s' measures %.3g V.",
                       rig->supplies[rig->controller.supply].name,
                       rig->supplies[rig->controller.supply].volts);
    } else {
        wpin_lines_add(to, "Switch the controller on; its logic supply measures %.3g V.",
                       rig->controller.logic_volts);
    }
    wpin_lines_add(
        to,
        "Nothing moves, nothing gets warm: each control line stands at the level that windpin rig "
        "--wiring lists.");
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        if (s->alternating) {
            wpin_lines_add(to,
                           "Switch '%s' on, last of all, hands off: still nothing moves or glows.",
                           s->name);
        } else if (s->from < 0 && i != source) {
            wpin_lines_add(
                to,
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
            wpin_lines_add(to, "%s: a diode lies across it, its ring to the plus.", l->name);
        }
        wpin_lines_add(to, "%s: a resistor holds its transistor off while the pin floats.",
                       l->name);
    }
}

/* A divider the wrong way round puts the motor's volts on an input of the controller. */
static void list_dividers(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        if (s->sense.there) {
            wpin_lines_add(to,
                           "Divider of '%s': before it is wired to A%.0f it gives %.3g V at the "
                           "%.4g V of the supply.",
                           s->name, s->sense.input, s->volts * s->sense.divider, s->volts);
        }
    }
}

static void list_first_moves(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *l = &rig->loads[i];
        if (l->limits.limit_inputs[0] >= 0) {
            wpin_lines_add(to, "%s: press each limit switch by hand; its input changes.", l->name);
        }
        if (l->hall.there) {
            wpin_lines_add(
                to,
                "%s: its sensors change as the shaft is turned by hand; windpin order finds which "
                "code belongs to which sector, before a first run.",
                l->name);
        }
        if (l->first_motion.there) {
            wpin_lines_add(to, "%s: it has moved before; forward is %s, seen from the %s.", l->name,
                           l->first_motion.counter ? "counter-clockwise" : "clockwise",
                           l->first_motion.from_back ? "back of the motor" : "end of its shaft");
        } else if (wpin_rig_type(l)->spins && wpin_stage_kind_has(l->kind, WPIN_DRIVE_REVERSE)) {
            wpin_lines_add(
                to,
                "%s: a first run %s (windpin first); it turns the way forward means, else set "
                "'reversed'%s.",
                l->name,
                l->axis.there                         ? "at low speed"
                : wpin_stage_kind_takes_duty(l->kind) ? "at low duty for a second"
                                                      : "of half a second",
                l->axis.there || wpin_rig_three_leads(l) ? "" : " or swap its leads");
        } else if (wpin_rig_type(l)->steps) {
            wpin_lines_add(
                to,
                "%s: windpin first, which looks after its windings, then turns it an eighth of "
                "a turn each way.",
                l->name);
        } else {
            wpin_lines_add(to, "%s: on for a second, by itself.", l->name);
        }
    }
}

static void list_fieldbuses(wpin_lines *to, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->fieldbus_count; i++) {
        wpin_lines_add(
            to,
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
            wpin_lines_add(to, "%s: the switches of its drive stand %s, before it has power.",
                           rig->loads[i].name, row);
        }
    }
}

wpin_lines *wpin_checklist(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to != NULL) {
        wpin_lines_add(to, "All supplies off. Wires as in windpin rig --wiring.");
        list_statics(to, rig);
        list_grounds(to, rig);
        list_fieldbuses(to, rig);
        list_switches(to, rig);
        list_dividers(to, rig);
        list_powering(to, rig);
        list_first_moves(to, rig);
    }
    return wpin_lines_whole(to);
}
