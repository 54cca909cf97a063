/* The driver of a load as it really is: a chip, a transistor, a relay, or the pin itself. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <math.h>
#include <string.h>

enum {
    DRIVER_OFF_PHASE,
    DRIVER_WIRES,
    DRIVER_INVERTS,
    DRIVER_HEAT,
    DRIVER_GATE,
    DRIVER_COIL,
    DRIVER_OPTO,
    DRIVER_SNUBBER,
    DRIVER_OF_LOAD
};
static const wpin_field driver_fields[] = {
    NODE("off-phase", false),
    NODE("wires", false),
    NODE("inverting-inputs", false),
    NODE("heat", false),
    NODE("transistor", false),
    NODE("coil", false),
    NODE("opto", false),
    NODE("snubber", false),
    [DRIVER_OF_LOAD] = NODE("rated", false),
    NODE("recommended", false),
    NODE("pwm-limit", false),
    NODE("pull", false),
    NODE("parallel", false),
    NODE("recommended-voltage", false),
    NODE("contact", false),
    NODE("output", false),
    NODE("leakage", false),
    NODE("operations-per-hour", false),
    QUANTITY("on-resistance", wpin_part_driver, on_resistance, true, WPIN_RESISTANCE, 0, 100),
    QUANTITY("diode", wpin_part_driver, diode_volts, false, WPIN_VOLTAGE, 0, 5),
    QUANTITY("diode-resistance", wpin_part_driver, diode_resistance, false, WPIN_RESISTANCE, 0,
             100),
    QUANTITY("diode-limit", wpin_part_driver, diode_limit, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("diode-recovery", wpin_part_driver, diode_recovery, false, WPIN_TIME, 0, 1e-4),
    QUANTITY("input-resistance", wpin_part_driver, input_resistance, false, WPIN_RESISTANCE, 1,
             1e8),
    QUANTITY("current-limit", wpin_part_driver, burns_above_amps, true, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("current-time", wpin_part_driver, burns_after, false, WPIN_TIME, 0, 60),
    QUANTITY("voltage-limit", wpin_part_driver, burns_above_volts, true, WPIN_VOLTAGE, 1, 800),
    QUANTITY("sense", wpin_part_driver, sense_volts_per_amp, false, WPIN_SENSE_SLOPE, 1e-3, 100),
    QUANTITY("sense-filter", wpin_part_driver, sense_filter, false, WPIN_TIME, 0, 1),
    QUANTITY("sense-noise", wpin_part_driver, sense_noise, false, WPIN_VOLTAGE, 0, 1),
    QUANTITY("sense-zero", wpin_part_driver, sense_zero, false, WPIN_VOLTAGE, 0, 24),
    QUANTITY("sense-offset", wpin_part_driver, sense_off, false, WPIN_VOLTAGE, 0, 1),
    QUANTITY("saturation", wpin_part_driver, saturation_volts, false, WPIN_VOLTAGE, 0, 5),
    QUANTITY("contact-delay", wpin_part_driver, contact_delay, false, WPIN_TIME, 1e-4, 0.2),
    QUANTITY("contact-bounce", wpin_part_driver, contact_bounce, false, WPIN_TIME, 0, 0.05),
    CHOICE("free-wheel", wpin_part_driver, no_diodes, "yes", "no"),
    CHOICE("interlock", wpin_part_driver, interlock, "no", "yes"),
    QUANTITY("logic-high", wpin_part_driver, input_high, false, WPIN_VOLTAGE, 0.1, 24),
    QUANTITY("least-voltage", wpin_part_driver, least_volts, false, WPIN_VOLTAGE, 0, 100),
    QUANTITY("switch-time", wpin_part_driver, switch_time, false, WPIN_TIME, 0, 1e-4),
    QUANTITY("bootstrap", wpin_part_driver, bootstrap_time, false, WPIN_TIME, 1e-5, 100),
    QUANTITY("bootstrap-charge", wpin_part_driver, bootstrap_charge, false, WPIN_TIME, 0, 1e-3),
    QUANTITY("motor-capacitor", wpin_part_driver, motor_farads, false, WPIN_CAPACITANCE, 0, 1e-2),
    CHOICE("protects-itself", wpin_part_driver, protects, "no", "yes"),
    QUANTITY("dead-time", wpin_part_driver, dead_time, false, WPIN_TIME, 0, 1e-4),
    QUANTITY("pulse-neutral", wpin_part_driver, pulse_zero, false, WPIN_TIME, 0.5e-3, 3e-3),
    QUANTITY("pulse-swing", wpin_part_driver, pulse_swing, false, WPIN_TIME, 0.1e-3, 1.5e-3),
};

/* Keys of the driver that are about the load. */
static const wpin_field driver_load_fields[] = {
    QUANTITY("rated", wpin_rig_load, limits.rated_amps, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("recommended", wpin_rig_load, limits.recommended_amps, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("pwm-limit", wpin_rig_load, limits.pwm_most, false, WPIN_FREQUENCY, 1, 1e7),
    CHOICE("pull", wpin_rig_load, limits.no_pull, "yes", "no"),
    QUANTITY("parallel", wpin_rig_load, limits.parallel, false, WPIN_NUMBER, 1, 8),
    QUANTITY("recommended-voltage", wpin_rig_load, limits.recommended_volts, false, WPIN_VOLTAGE, 1,
             800),
    CHOICE("contact", wpin_rig_load, contact.closed, "open", "closed"),
    CHOICE("output", wpin_rig_load, contact.triacs, "direct", "alternating"),
    QUANTITY("leakage", wpin_rig_load, contact.leakage, false, WPIN_CURRENT, 0, 1),
    QUANTITY("operations-per-hour", wpin_rig_load, contact.operations, false, WPIN_NUMBER, 1, 1e6),
};

/* Outputs in parallel: less resistance, more current, but they never share it evenly. */
static void join_outputs(wpin_rig_load *load) {
    double count = load->limits.parallel, uneven = count > 1 ? 0.85 : 1;
    load->bridge.on_resistance /= count;
    load->bridge.burns_above_amps *= count * uneven;
    load->limits.rated_amps *= count * uneven;
    load->limits.recommended_amps *= count * uneven;
}

/* Only where it is the driver's own affair; elsewhere it can't be otherwise than the rows say. */
static void read_off_phase(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    static const char *const phases[] = {"slow", "fast", "short"};
    const char *text = wpin_scalar(reader, node, "slow, fast or short");
    int found =
        text == NULL ? -1 : wpin_find_word(reader, node, text, "off-phase", phases, COUNT(phases));
    if (found < 0 || load->kind == NULL) { /* whose own mistake is told already */
        return;
    }
    const wpin_logic_traits *logic = wpin_logic_of(load->kind->logic);
    if (logic->chooses || (wpin_off_phase)found == load->kind->off_phase) {
        load->bridge.off_phase = (wpin_off_phase)found;
        return;
    }
    if (logic->own) {
        wpin_say_at(reader, node, "off-phase: a '%s' has none that counts here; leave it out",
                    load->kind->name);
        return;
    }
    wpin_say_at(
        reader, node,
        "off-phase: what happens while PWM is low the rows of a '%s' say, and that is '%s'; "
        "leave it out",
        load->kind->name, phases[load->kind->off_phase]);
}

static void read_driver(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(driver_fields)];
    wpin_read_map(reader, node, "driver", driver_fields, COUNT(driver_fields), &load->bridge,
                  nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (nodes[DRIVER_OFF_PHASE] != NULL) {
        read_off_phase(reader, nodes[DRIVER_OFF_PHASE], load);
    }
    for (size_t i = 0; i < COUNT(driver_load_fields); i++) {
        if (nodes[DRIVER_OF_LOAD + i] != NULL) {
            wpin_read_field(reader, nodes[DRIVER_OF_LOAD + i], &driver_load_fields[i], load);
        }
    }
    join_outputs(load);
    wpin_read_contact(reader, node, nodes[DRIVER_SNUBBER], load);
    if (nodes[DRIVER_GATE] != NULL) {
        wpin_read_gate(reader, nodes[DRIVER_GATE], load->kind, &load->bridge.gate);
    }
    if (nodes[DRIVER_COIL] != NULL) {
        wpin_read_coil(reader, nodes[DRIVER_COIL], &load->bridge);
    }
    if (nodes[DRIVER_OPTO] != NULL) {
        wpin_read_opto(reader, nodes[DRIVER_OPTO], &load->bridge);
    }
    if (nodes[DRIVER_HEAT] != NULL) {
        load->bridge.heat.limit = 150;
        wpin_read_heat(reader, nodes[DRIVER_HEAT], &load->bridge.heat);
    }
    if (nodes[DRIVER_WIRES] != NULL && load->kind != NULL) {
        wpin_read_pins(reader, nodes[DRIVER_WIRES], load->kind, "wires", load->wires);
    }
    if (nodes[DRIVER_INVERTS] != NULL && load->kind != NULL) {
        memset(load->inverts, 0, sizeof load->inverts);
        wpin_read_lines(reader, nodes[DRIVER_INVERTS], load->kind, "inverting-inputs",
                        load->inverts);
    } else if (load->bridge.gate.shifter) {
        load->inverts[0] = true; /* its pin pulls the gate down when high */
    }
}

/* A pin that drives a load itself is its driver: two switches, one to each side of the logic
 * supply, with the pin's own resistance and limit. */
static void drive_by_pin(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                         wpin_rig_load *load) {
    const wpin_rig_controller *c = &rig->controller;
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    wpin_part_driver *b = &load->bridge;
    b->on_resistance = b->diode_resistance = c->pin_resistance;
    b->diode_volts = 0; /* the current goes on through the pin's lower switch */
    b->burns_above_amps = c->pin_limit;
    b->burns_above_volts = 1.2 * c->logic_volts;
    b->input_resistance = 100e6;
    if (rig->supply_count != 0 && fabs(s->volts - c->logic_volts) > 0.05 * c->logic_volts) {
        wpin_say_at(reader, node,
                    "'%s' is on a pin, which gives the %.3g V of 'logic'; supply '%s' is one of "
                    "%.3g V. Expected the controller's logic supply",
                    load->name, c->logic_volts, s->name, s->volts);
    }
}

/* The stage of a drive, of which nothing is said: it fits. */
static void drive_itself(const wpin_rig *rig, wpin_rig_load *load) {
    wpin_part_driver *b = &load->bridge;
    b->on_resistance = 50e-3;
    b->burns_above_amps = fmax(4 * load->axis.rated_amps, 1);
    b->burns_above_volts = rig->supply_count != 0 ? 1.5 * rig->supplies[load->supply].volts : 60;
    b->protects = true;
}

/* Every stage but a pin itself, and a drive of its own, has a driver. */
void wpin_read_driver(wpin_reader *reader, const yaml_node_t *load_node, yaml_node_t *node,
                      const wpin_rig *rig, wpin_rig_load *load) {
    bool direct = load->kind != NULL && load->kind->direct;
    bool told = load->kind != NULL && wpin_logic_of(load->kind->logic)->frames;
    if (direct && node != NULL) {
        wpin_say_at(reader, node, "'%s' is on a pin itself: there is no driver between",
                    load->name);
    } else if (direct) {
        drive_by_pin(reader, load_node, rig, load);
    } else if (node != NULL) {
        read_driver(reader, node, load);
    } else if (told) {
        drive_itself(rig, load);
    } else if (load_node->type == YAML_MAPPING_NODE) {
        wpin_say_at(reader, load_node,
                    "load '%s' lacks 'driver': what switches it, from its data sheet; expected "
                    "e.g. driver: {on-resistance: 50mohm, current-limit: 10A, voltage-limit: 30V}",
                    load->name);
    }
}
