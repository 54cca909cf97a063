/* The parts of a rig. */
#include "lists.h"
#include "windpin/vector.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static void add_driver(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    if (l->axis.there) {
        wpin_lines_add(to, "1  drive by CiA 402 for %s: %.3g A, %.3g A for a time, %.3g V", l->name,
                       l->axis.rated_amps, l->axis.most_amps, rig->supplies[l->supply].volts);
    } else if (!l->kind->direct) {
        wpin_lines_add(to, "1  driver '%s' for %s: %s; %.3g A, %.3g V", l->kind->name, l->name,
                       l->kind->words, l->bridge.burns_above_amps, l->bridge.burns_above_volts);
    }
}

static void add_part(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    double volts = rig->supplies[l->supply].volts;
    switch (l->what) {
    case WPIN_RIG_LAMP:
        wpin_lines_add(to, "1  %s: %.3g V, %.3g W", l->name, l->lamp.volts, l->lamp.watts);
        break;
    case WPIN_RIG_SOLENOID:
        wpin_lines_add(to, "1  solenoid %s: %.3g ohm, for %.3g V", l->name, l->solenoid.resistance,
                       volts);
        break;
    case WPIN_RIG_STEPPER:
        wpin_lines_add(to, "1  stepper %s: %.0f steps, %.3g A, %.3g mNm", l->name,
                       l->stepper.steps_per_rev, l->stepper.rated_amps,
                       l->stepper.holding_torque * 1e3);
        break;
    default:
        wpin_lines_add(to, "1  %smotor %s: %.3g V, %.3g ohm, %.3g mNm/A, gear %.3g:1",
                       l->motor.pole_pairs > 0 ? "brushless " : "", l->name,
                       l->limits.rated_volts > 0 ? l->limits.rated_volts : volts,
                       l->motor.resistance, l->motor.constant * 1e3, l->motor.gear_ratio);
    }
}

/* What stands around a switch: resistors, a diode, a capacitor. */
static void add_small_parts(wpin_lines *to, const wpin_rig_load *l) {
    const wpin_part_driver *b = &l->bridge;
    if (b->gate.kind == WPIN_TRANSISTOR_NPN) {
        wpin_lines_add(to, "1  base resistor for %s: %.3g ohm", l->name, b->gate.base_ohms);
    }
    if (b->opto.least_amps > 0) {
        wpin_lines_add(to, "%u  series resistor for %s: %.3g ohm", l->kind->table->line_count,
                       l->name, b->opto.series_ohms);
    }
    bool alone = b->gate.kind != WPIN_TRANSISTOR_NONE;
    if (b->diode_limit > 0) {
        wpin_lines_add(to, "1  free-wheel diode for %s: %.3g A, %.3g V", l->name, b->diode_limit,
                       b->burns_above_volts);
    } else if (alone && wpin_rig_type(l)->winding) {
        wpin_lines_add(to, "1  free-wheel diode for %s: windpin size diode", l->name);
    }
    if (alone) {
        wpin_lines_add(
            to,
            "1  pull-down or pull-up resistor for %s: 10 kohm from its line to its resting level",
            l->name);
    }
    if (b->motor_farads > 0) {
        wpin_lines_add(to, "1  capacitor at %s: %.3g nF", l->name, b->motor_farads * 1e9);
    }
}

static void add_sensors(wpin_lines *to, const wpin_rig *rig, const wpin_rig_load *l) {
    double logic = rig->controller.logic_volts;
    if (l->thermistor.there) {
        wpin_lines_add(
            to,
            "1  thermistor in the %s of %s: %.3g kohm at 25 degC, B %.4g K, and a resistor of "
            "%.3g kohm",
            l->thermistor.in_winding ? "winding" : "driver", l->name, l->thermistor.part.ohms / 1e3,
            l->thermistor.part.beta, l->thermistor.part.pull_up / 1e3);
    }
    if (l->hall.there) {
        wpin_lines_add(to, "3  pull-up resistors for the Hall sensors of %s: 4.7 kohm to %.3g V",
                       l->name, logic);
    }
    if (l->vector.there) {
        wpin_lines_add(
            to, "%d  shunts in the %s of %s, with amplifiers for both ways: %.4g mV/A about %.4g V",
            l->vector.shunts[2] == WPIN_NO_SHUNT ? 2 : 3,
            l->vector.in_leads ? "leads" : "low sides", l->name,
            l->bridge.sense_volts_per_amp * 1e3, l->vector.zero);
    }
    if (l->crossing.there) {
        double share = logic / (1.25 * rig->supplies[l->supply].volts);
        wpin_lines_add(
            to,
            "3  comparators for the leads of %s, each lead divided to %.2g of its volts (alike to "
            "0.1 %%), against the neutral point of three equal resistors from the divided leads",
            l->name, fmin(share, 1));
    }
    if (wpin_rig_counts_here(l) && !l->encoder.by_driver) {
        wpin_lines_add(to, "1  encoder of %s: %.0f lines, %s channel%s, for %.3g V", l->name,
                       l->encoder.lines, l->encoder.one_channel ? "one" : "two",
                       l->encoder.one_channel ? "" : "s", logic);
    }
}

wpin_lines *wpin_parts_list(const wpin_rig *rig) {
    wpin_lines *to = calloc(1, sizeof *to);
    if (to == NULL) {
        return NULL;
    }
    wpin_lines_add(to, "1  controller: %.3g V logic", rig->controller.logic_volts);
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        wpin_lines_add(to, "1  %s '%s': %.3g V%s",
                       s->from < 0 ? (s->capacity > 0 ? "set of cells" : "supply") : "regulator",
                       s->name, s->volts, s->alternating ? " alternating" : "");
        if (s->sense.there) {
            wpin_lines_add(to,
                           "2  resistors for the divider of '%s': 10 kohm to ground, %.3g kohm to "
                           "its plus",
                           s->name, 10 / s->sense.divider - 10);
        }
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
        wpin_lines_add(to, "1  %s '%s'", kinds[rig->inputs[i].kind], rig->inputs[i].name);
    }
    return wpin_lines_whole(to);
}
