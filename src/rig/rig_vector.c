/* A brushless motor by field orientation: its shunts, and the regulators that follow from the rig.
 */
#include "fields.h"
#include "rig_parts.h"
#include "windpin/vector.h"
#include <math.h>

#define PI     3.14159265358979323846
#define ROOT_3 1.73205080756887729353

enum { VECTOR_SHUNTS, VECTOR_SUPPLY };
static const wpin_field vector_fields[] = {
    NODE("shunts", true),
    NODE("supply", false),
    CHOICE("at", wpin_rig_vector, in_leads, "low-sides", "leads"),
    QUANTITY("zero", wpin_rig_vector, zero, false, WPIN_VOLTAGE, 0, 16),
    QUANTITY("settle", wpin_rig_vector, settle, false, WPIN_TIME, 0, 100e-6),
    QUANTITY("response", wpin_rig_vector, response, false, WPIN_TIME, 20e-6, 0.1),
    QUANTITY("align-current", wpin_rig_vector, align_amps, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("align", wpin_rig_vector, align, false, WPIN_TIME, 0.01, 10),
    QUANTITY("offset", wpin_rig_vector, off, false, WPIN_VOLTAGE, 0, 1),
    QUANTITY("noise", wpin_rig_vector, noise, false, WPIN_VOLTAGE, 0, 1),
};

static const wpin_field supply_fields[] = {
    QUANTITY("input", wpin_rig_vector, supply_input, false, WPIN_NUMBER, 0, 31),
    QUANTITY("divider", wpin_rig_vector, supply_ratio, false, WPIN_SHARE, 0.001, 1),
    QUANTITY("give-way", wpin_rig_vector, give_way, true, WPIN_VOLTAGE, 1, 1000),
    QUANTITY("give-up", wpin_rig_vector, give_up, true, WPIN_VOLTAGE, 1, 1000),
};

/* Inputs of legs a and b, and of c where there are three. */
static void read_shunts(wpin_reader *reader, yaml_node_t *node, wpin_rig_vector *v) {
    double inputs[3] = {-1, -1, -1};
    const wpin_field fields[] = {{.key = "a",
                                  .type = WPIN_FIELD_QUANTITY,
                                  .required = true,
                                  .dimension = WPIN_NUMBER,
                                  .most = 31},
                                 {.key = "b",
                                  .type = WPIN_FIELD_QUANTITY,
                                  .required = true,
                                  .dimension = WPIN_NUMBER,
                                  .offset = sizeof(double),
                                  .most = 31},
                                 {.key = "c",
                                  .type = WPIN_FIELD_QUANTITY,
                                  .dimension = WPIN_NUMBER,
                                  .offset = 2 * sizeof(double),
                                  .most = 31}};
    wpin_read_map(reader, node, "shunts", fields, COUNT(fields), inputs, NULL);
    for (int i = 0; i < 3; i++) {
        v->shunts[i] = (uint8_t)(inputs[i] < 0 ? WPIN_NO_SHUNT : inputs[i]);
    }
    bool twice = inputs[0] == inputs[1] || inputs[0] == inputs[2] || inputs[1] == inputs[2];
    if (node->type == YAML_MAPPING_NODE && inputs[0] >= 0 && inputs[1] >= 0 && twice) {
        wpin_say_at(reader, node,
                    "shunts: two legs on one analogue input; expected an input for each, e.g. {a: "
                    "1, b: 2, c: 3}");
    }
}

static void read_supply(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                        const wpin_rig_load *load, wpin_rig_vector *v) {
    wpin_read_map(reader, node, "supply", supply_fields, COUNT(supply_fields), v, NULL);
    if (node->type != YAML_MAPPING_NODE || rig->supply_count == 0) {
        return;
    }
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    bool given = v->supply_input >= 0 || v->supply_ratio > 0;
    if (s->sense.there && given) {
        wpin_say_at(reader, node,
                    "supply: the volts of '%s' are measured by its own 'sense'; expected only "
                    "give-way and give-up",
                    s->name);
    } else if (!s->sense.there && (v->supply_input < 0 || v->supply_ratio <= 0)) {
        wpin_say_at(reader, node,
                    "supply lacks 'input' and 'divider': nothing measures the volts of '%s'; "
                    "expected them, or a 'sense' of that supply",
                    s->name);
        return;
    }
    if (s->sense.there) {
        v->supply_input = s->sense.input;
        v->supply_ratio = s->sense.divider;
    }
    double volts = s->volts;
    double most = rig->controller.logic_volts / fmax(v->supply_ratio, 1e-3);
    most = s->sense.there ? fmin(most, s->sense.most) : most; /* there it trips */
    if (v->give_way <= volts || v->give_up <= v->give_way || v->give_up > most) {
        wpin_say_at(reader, node,
                    "give-way %.4g V, give-up %.4g V: expected more than the supply's %.4g V, the "
                    "second above the first, and up to the %.4g V that it is measured to",
                    v->give_way, v->give_up, volts, most);
    }
}

/* What holds for all that is on a supply holds for this as well, unless it says otherwise. */
static void take_supply(const wpin_rig_supply *s, wpin_rig_vector *v) {
    if (s->sense.give_up > 0 && v->give_up <= 0) {
        v->give_way = s->sense.give_way;
        v->give_up = s->sense.give_up;
        v->supply_input = s->sense.input;
        v->supply_ratio = s->sense.divider;
    }
}

static void check(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                  wpin_rig_load *load) {
    const wpin_rig_vector *v = &load->vector;
    if (!load->hall.there && !load->encoder.there) {
        wpin_say_at(reader, node,
                    "field-oriented goes by where the rotor is: '%s' needs hall, or an encoder of "
                    "two channels on the motor's shaft",
                    load->name);
    } else if (load->hall.advance > 0) {
        wpin_say_at(reader, node,
                    "field-oriented beside hall 'advance': '%s' has its current where it makes "
                    "most torque at every speed; expected no 'advance'",
                    load->name);
    } else if (!load->hall.there && (load->encoder.one_channel || load->encoder.at_output)) {
        wpin_say_at(reader, node,
                    "field-oriented takes an encoder of two channels on the motor's shaft, not %s",
                    load->encoder.at_output ? "behind the gear" : "of one");
    }
    if (load->crossing.there) {
        wpin_say_at(reader, node,
                    "field-oriented beside zero-crossing: '%s' goes by one of them; expected only "
                    "one",
                    load->name);
    }
    if (load->bridge.sense_zero > 0) {
        wpin_say_at(reader, node,
                    "field-oriented has a 'zero' of its own, of its shunts; expected no sense-zero "
                    "in the driver of '%s'",
                    load->name);
    }
    if (load->bridge.sense_volts_per_amp <= 0) {
        wpin_say_at(reader, node,
                    "field-oriented regulates the currents of the leads: give the driver 'sense', "
                    "what its shunts' amplifiers give for an ampere, e.g. sense: 100mV/A");
    }
    if (4 * v->settle * load->limits.pwm_hz > 1) {
        wpin_say_at(reader, node,
                    "settle: %.3g us before and after leave a low side no PWM period of %.3g us; "
                    "expected up to a quarter of it",
                    v->settle * 1e6, 1e6 / load->limits.pwm_hz);
    }
    if (v->zero >= rig->controller.logic_volts) {
        wpin_say_at(reader, node,
                    "zero: %.4g V at no current leaves nothing above it; expected about half of "
                    "the controller's %.4g V",
                    v->zero, rig->controller.logic_volts);
        load->vector.zero = 0;
    }
    if (load->kind != NULL && wpin_table_row(load->kind->table, WPIN_DRIVE_VECTOR) == WPIN_NO_ROW) {
        wpin_say_at(reader, node,
                    "field-oriented gives each leg a duty of its own; '%s' can't; expected "
                    "three-phase-bridge or three-half-bridges",
                    load->kind->name);
    }
}

void wpin_read_vector(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                      wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(vector_fields)];
    wpin_rig_vector *v = &load->vector;
    *v = (wpin_rig_vector){.settle = 1e-6, .supply_input = -1};
    wpin_read_map(reader, node, "field-oriented", vector_fields, COUNT(vector_fields), v, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (!wpin_rig_type(load)->spins || load->motor.pole_pairs <= 0) {
        wpin_say_at(reader, node,
                    "field-oriented is for a brushless motor; '%s' needs a motor with pole-pairs",
                    load->name);
        return;
    }
    if (nodes[VECTOR_SHUNTS] != NULL) {
        read_shunts(reader, nodes[VECTOR_SHUNTS], v);
    }
    if (nodes[VECTOR_SUPPLY] != NULL) {
        read_supply(reader, rig, nodes[VECTOR_SUPPLY], load, v);
    }
    if (rig->supply_count > 0) {
        take_supply(&rig->supplies[load->supply], v);
    }
    check(reader, node, rig, load);
    v->zero = v->zero > 0 ? v->zero : rig->controller.logic_volts / 2;
    load->bridge.sense_filter = 0; /* read at one instant */
    v->there = true;
}

/* ---- what follows ---- */

/* A current loop sees a winding, late by one and a half periods: a gain of L over a response of
 * three times that leaves it some 70 degrees of margin, and an integral of R over the same cancels
 * the winding's own time. */
wpin_vector_design wpin_rig_vector_design(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_vector *v = &load->vector;
    const wpin_rig_limits *l = &load->limits;
    double period = 1 / l->pwm_hz, late = 1.5 * period;
    double ohms = wpin_rig_loop_ohms(rig, load) / 2, henries = load->motor.inductance / 2;
    double unit = ROOT_3 / rig->supplies[load->supply].volts; /* of a volt at a phase */
    double response = fmax(v->response, 3 * late), low = v->in_leads ? 0 : 2 * v->settle / period;
    double reach = wpin_rig_sense_reach(rig, load);
    double limit = l->limit_amps > 0  ? 1.05 * l->limit_amps
                   : l->trip_amps > 0 ? 0.9 * l->trip_amps
                                      : 0.9 * reach;
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    double align = fmax(4 * shaft.holds / load->motor.constant, 0.2 * limit);
    align = fmin(v->align_amps > 0 ? v->align_amps : align, 0.6 * limit);
    /* w w = p k I / J about the place it is pulled to; friction stops it within two of them */
    double swing =
        2 * PI * sqrt(shaft.inertia / (load->motor.pole_pairs * load->motor.constant * align));
    bool three = v->shunts[2] != WPIN_NO_SHUNT;
    const double volts = rig->supplies[load->supply].volts;
    const double lost =
        (wpin_rig_dead_volts(load, volts, false) + wpin_rig_dead_volts(load, volts, true)) / 2;
    return (wpin_vector_design){
        .response = response,
        .gain = henries / response * unit,
        .integral = ohms / response * unit,
        .coupling = henries * unit,
        .emf = load->motor.constant *
               wpin_part_shaft_speed(&load->motor, wpin_rig_full_rpm(rig, load)) /
               rig->supplies[load->supply].volts,
        .most = fmax(0.1, fmin(1, (1 - 2 * low) * (three ? 2 / ROOT_3 : 1))),
        .least_low = low,
        .limit_amps = fmin(limit, 0.9 * reach),
        .trip_amps = fmin(1.5 * fmax(limit, l->trip_amps), 0.97 * reach) * 2 / ROOT_3,
        .align_amps = align * 2 / ROOT_3,
        .swing = swing,
        .align = v->align > 0 ? v->align : fmin(fmax(2 * swing, 0.3), 5),
        .dead = lost / volts,
        .lead = late};
}
