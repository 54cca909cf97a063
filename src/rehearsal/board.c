/* From the rig to the simulated board: what is really there. */
#define _GNU_SOURCE
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>

/* Connects what the stage drives to its driver. */
static bool connect(wpin_sim *sim, const wpin_rig_load *load, int driver) {
    wpin_part_motor motor = load->motor;
    wpin_part_lamp lamp = load->lamp;
    wpin_part_solenoid solenoid = load->solenoid;
    wpin_part_stepper stepper = load->stepper;
    if (load->reversed) { /* what is high for the machine is low for a mirrored motor */
        motor.stop_low = -load->motor.stop_high;
        motor.stop_high = -load->motor.stop_low;
        motor.start_turns = -load->motor.start_turns;
    }
    motor.name = lamp.name = solenoid.name = stepper.name = load->name;
    switch (load->what) {
    case WPIN_RIG_LAMP: return wpin_sim_add_lamp(sim, &lamp, driver) >= 0;
    case WPIN_RIG_SOLENOID: return wpin_sim_add_solenoid(sim, &solenoid, driver) >= 0;
    case WPIN_RIG_STEPPER: return wpin_sim_add_stepper(sim, &stepper, driver) >= 0;
    default: return wpin_sim_add_motor(sim, &motor, driver) >= 0;
    }
}

/* What stands in the way of a driver: a jumper, a missing ground, inputs that hang in the air. */
static void build_flaws(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load, int number) {
    const char *ground = rig->supplies[load->supply].ground;
    wpin_sim_inject(sim, WPIN_PART_FAULT_NO_GROUND, number, 0,
                    !wpin_rig_is_isolated(load) && strcmp(ground, rig->controller.ground) != 0);
    for (unsigned i = 0; load->limits.no_pull && i < load->kind->table->line_count; i++) {
        wpin_sim_inject(sim, WPIN_PART_FAULT_PIN_FLOATING, number, load->kind->inputs[i], true);
    }
}

/* Whether a wire that should be on a pin or an output is there; a cable of which nothing is said is
 * right. */
static bool is_on(const wpin_rig_load *load, wpin_wire_is is, wpin_wire_to to, int number) {
    const wpin_rig_wire *w = wpin_rig_wire_of(load, is);
    return w == NULL || (w->to == (uint8_t)to && w->number == number);
}

static bool is_on_pin_of(const wpin_rig_load *load, wpin_wire_is is, wpin_wire_is of) {
    int pin = wpin_rig_wire_pin(load, of);
    return pin < 0 || is_on(load, is, WPIN_WIRE_TO_PIN, pin);
}

/* Sensor wires: swapped with another, the second one off, or all of it dead. */
static void connect_sensor(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load,
                           int number) {
    bool hall = load->hall.there;
    wpin_wire_is a = hall ? WPIN_WIRE_HALL_A : WPIN_WIRE_ENCODER_A;
    wpin_wire_is b = hall ? WPIN_WIRE_HALL_B : WPIN_WIRE_ENCODER_B;
    const wpin_rig_wire *plus = wpin_rig_wire_of(load, WPIN_WIRE_SENSOR_PLUS);
    const wpin_rig_wire *ground = wpin_rig_wire_of(load, WPIN_WIRE_SENSOR_GROUND);
    bool swapped = wpin_rig_wire_of(load, a) != NULL && wpin_rig_wire_of(load, b) != NULL &&
                   is_on_pin_of(load, a, b) && is_on_pin_of(load, b, a);
    bool fed = plus == NULL || wpin_rig_wire_feeds(rig, plus);
    bool live = fed && (ground == NULL || ground->to == WPIN_WIRE_TO_GROUND) &&
                (swapped || is_on_pin_of(load, a, a)) &&
                is_on_pin_of(load, WPIN_WIRE_HALL_C, WPIN_WIRE_HALL_C);
    wpin_sim_inject(sim, hall ? WPIN_PART_FAULT_HALL_SWAPPED : WPIN_PART_FAULT_CHANNELS_SWAPPED,
                    number, 0, swapped);
    wpin_sim_inject(sim, hall ? WPIN_PART_FAULT_HALL_SENSOR_OFF : WPIN_PART_FAULT_CHANNEL_OFF,
                    number, 0, !swapped && !is_on_pin_of(load, b, b));
    wpin_sim_inject(sim, hall ? WPIN_PART_FAULT_HALL_OFF : WPIN_PART_FAULT_SENSOR_OFF, number, 0,
                    !live);
}

/* The motor's own leads; those of a brushless one in another order are told by its sensors. */
static void connect_leads(wpin_sim *sim, const wpin_rig_load *load, int number) {
    const wpin_rig_wire *a = wpin_rig_wire_of(load, WPIN_WIRE_LEAD_A);
    const wpin_rig_wire *b = wpin_rig_wire_of(load, WPIN_WIRE_LEAD_B);
    bool swapped = a != NULL && b != NULL &&
                   is_on(load, WPIN_WIRE_LEAD_A, WPIN_WIRE_TO_DRIVER, 1) &&
                   is_on(load, WPIN_WIRE_LEAD_B, WPIN_WIRE_TO_DRIVER, 0);
    bool off =
        (a != NULL && a->to != WPIN_WIRE_TO_DRIVER) || (b != NULL && b->to != WPIN_WIRE_TO_DRIVER);
    wpin_sim_inject(sim, WPIN_PART_FAULT_MOTOR_SWAPPED, number, 0, swapped);
    wpin_sim_inject(sim, WPIN_PART_FAULT_MOTOR_WIRE_OFF, number, 0, off);
}

/* The windings of a stepper, where its cable says. */
static void connect_coils(wpin_sim *sim, const wpin_rig_load *load, int number) {
    int on[4];
    for (int i = 0; i < 4; i++) {
        const wpin_rig_wire *w = wpin_rig_wire_of(load, (wpin_wire_is)(WPIN_WIRE_COIL_A1 + i));
        on[i] = w == NULL ? i : (w->to == WPIN_WIRE_TO_DRIVER ? w->number : 4);
    }
    wpin_sim_inject(sim, WPIN_PART_FAULT_LEADS_MIXED, number,
                    WPIN_PART_LEADS(on[0], on[1], on[2], on[3]), true);
}

static bool statics_met(const wpin_rig_load *load) {
    for (size_t i = 0; i < load->static_count; i++) {
        if (strcasecmp(load->statics[i].needs, load->statics[i].is) != 0) {
            return false;
        }
    }
    return true;
}

/* Sensors off their places: one early, one late. */
static bool build_hall(wpin_sim *sim, const wpin_rig_load *load, int number) {
    const wpin_rig_hall *h = &load->hall;
    double off = h->uneven * 360;
    uint8_t leads[3], sensors[3], pins[3];
    bool inverted;
    wpin_rig_wires_mixed(h->mixed, leads, sensors, &inverted);
    for (int i = 0; i < 3; i++) {
        pins[sensors[i]] = h->pins[i];
    }
    return wpin_sim_add_hall(sim,
                             &(wpin_part_hall){.sixty = h->sixty,
                                               .inverted = inverted,
                                               .off = {0, off, -off},
                                               .hysteresis = h->hysteresis * 360,
                                               .at_driver = h->at_driver},
                             number, pins) >= 0;
}

/* Shunts are in the legs as the rig numbers them; leads in another order are to the driver as if
 * the legs were. */
static bool build_shunts(wpin_sim *sim, const wpin_rig_load *load, int number) {
    const wpin_rig_vector *v = &load->vector;
    uint8_t leads[3], sensors[3], inputs[3];
    bool inverted;
    wpin_rig_wires_mixed(load->hall.mixed, leads, sensors, &inverted);
    for (int leg = 0; leg < 3; leg++) {
        inputs[leads[leg]] = v->shunts[leg];
    }
    wpin_part_shunts shunts = {.volts_per_amp = load->bridge.sense_volts_per_amp,
                               .zero_volts = v->zero,
                               .off = {v->off, -v->off, v->off / 2},
                               .noise = v->noise,
                               .in_leads = v->in_leads};
    return wpin_sim_add_shunts(sim, &shunts, number, inputs) >= 0 &&
           (v->supply_input < 0 || wpin_sim_wire_supply(sim, (int)load->supply,
                                                        (uint8_t)v->supply_input, v->supply_ratio));
}

/* The driver input behind a line. Leads of a brushless motor that are in another order are to it as
 * if the legs were. */
static int input_behind(const wpin_rig_load *load, unsigned line) {
    int input = load->kind->inputs[line];
    uint8_t leads[3], sensors[3];
    bool inverted;
    if (!wpin_stage_kind_is_three_phase(load->kind)) {
        return input;
    }
    wpin_rig_wires_mixed(load->hall.mixed, leads, sensors, &inverted);
    return 2 * leads[input / 2] + input % 2;
}

/* The drive on the stage of a load. */
static bool build_drive(wpin_sim *sim, const wpin_rig_load *load, int number) {
    const wpin_rig_axis *a = &load->axis;
    wpin_part_axis part = {.number = (uint8_t)a->number,
                           .counts = a->counts,
                           .rated_amps = a->rated_amps,
                           .velocity_unit = a->rpm_units ? a->counts / 60 : 1,
                           .switches = wpin_rig_axis_switched(a, WPIN_RIG_SWITCH_DOWN),
                           .logic_supply = a->logic};
    wpin_part_object objects[WPIN_RIG_SETTINGS + 1]; /* what it has as a make of its own */
    for (; part.object_count < a->setting_count; part.object_count++) {
        const wpin_rig_setting *s = &a->settings[part.object_count];
        objects[part.object_count] = (wpin_part_object){s->index, s->sub, (uint8_t)s->size,
                                                        s->asked ? (int64_t)s->value : 0};
    }
    if (a->switches_index != 0) {
        objects[part.object_count++] =
            (wpin_part_object){a->switches_index, a->switches_sub, 1, part.switches};
    }
    part.objects = objects;
    return wpin_sim_add_drive(sim, &part, a->bus, number);
}

/* Its driver, with what hangs on it and the lines into it; the bridge's number, or -1. */
static int build_bridge(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_part_driver bridge = load->bridge;
    char name[WPIN_NAME_MAX + 8];
    if (load->kind->direct) {
        snprintf(name, sizeof name, "pin %u", load->pins[0]);
    } else {
        strcat(strcpy(name, load->name), " driver");
    }
    bridge.name = name;
    bridge.logic = load->kind->logic;
    bridge.not_ready = !statics_met(load);
    bridge.latches = load->contact.triacs && !rig->supplies[load->supply].alternating;
    int number = wpin_sim_add_bridge(sim, &bridge, (int)load->supply);
    if (number < 0 || !connect(sim, load, number)) {
        return -1;
    }
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        int input = input_behind(load, i);
        wpin_sim_wire_input(sim, number, input, load->wires[i]);
        if (load->inverts[i]) {
            wpin_sim_invert_input(sim, number, input);
        }
    }
    return number;
}

static bool build_sensors(wpin_sim *sim, const wpin_rig_load *load, int number) {
    if (load->limits.trip_input >= 0 && !load->vector.there) {
        wpin_sim_wire_sense(sim, number, (uint8_t)load->limits.trip_input);
    }
    const wpin_rig_thermistor *t = &load->thermistor;
    if (t->there &&
        !wpin_sim_wire_thermistor(sim, &t->part, number, t->in_winding, (uint8_t)t->input)) {
        return false;
    }
    if ((load->hall.there || load->hall.at_driver) && !build_hall(sim, load, number)) {
        return false;
    }
    if (load->vector.there && !build_shunts(sim, load, number)) {
        return false;
    }
    const wpin_rig_crossing *z = &load->crossing;
    wpin_part_comparators compares = {.offset = {z->offset, -z->offset, 0}};
    if (z->there && wpin_sim_add_comparators(sim, &compares, number, z->pins) < 0) {
        return false;
    }
    const wpin_rig_encoder *e = &load->encoder;
    wpin_part_encoder encoder = {.counts = wpin_rig_counts(load),
                                 .at_output = e->at_output,
                                 .one_channel = e->one_channel,
                                 .reversed = e->reversed,
                                 .uneven = e->uneven,
                                 .no_moments = e->no_moments};
    return !wpin_rig_counts_here(load) || wpin_sim_add_encoder(sim, &encoder, number) >= 0;
}

/* Where the rig says how its wires are joined. */
static void connect_wires(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load,
                          int number) {
    if (load->wire_count == 0) {
        return;
    }
    if (wpin_rig_type(load)->steps) {
        connect_coils(sim, load, number);
    } else {
        connect_leads(sim, load, number);
    }
    if (wpin_rig_counts_here(load) || load->hall.there) {
        connect_sensor(sim, rig, load, number);
    }
}

static bool build_load(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load) {
    int number = build_bridge(sim, rig, load);
    if (number < 0 || (load->axis.there && !build_drive(sim, load, number))) {
        return false;
    }
    build_flaws(sim, rig, load, number);
    if (!build_sensors(sim, load, number)) {
        return false;
    }
    connect_wires(sim, rig, load, number);
    return true;
}

static bool build_supply(wpin_sim *sim, const wpin_rig_supply *s) {
    if (s->from >= 0) {
        return wpin_sim_add_regulator(sim,
                                      &(wpin_part_regulator){.name = s->name,
                                                             .from = s->from,
                                                             .volts = s->volts,
                                                             .resistance = s->resistance,
                                                             .capacitance = s->capacitance,
                                                             .headroom = s->headroom,
                                                             .least_input = s->least_input,
                                                             .switching = s->switching,
                                                             .efficiency = s->efficiency,
                                                             .limit_amps = s->limit_amps,
                                                             .heat_resistance = s->heat.resistance,
                                                             .heat_time = s->heat.time}) >= 0;
    }
    return wpin_sim_add_supply(sim, &(wpin_part_supply){.name = s->name,
                                                        .volts = s->volts,
                                                        .resistance = s->resistance,
                                                        .limit_amps = s->limit_amps,
                                                        .capacitance = s->capacitance,
                                                        .reversed = s->reversed,
                                                        .droops = s->droops,
                                                        .capacity = s->capacity,
                                                        .empty_volts = s->empty_volts,
                                                        .on = s->on}) >= 0;
}

static bool build_input(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_input *i) {
    bool mirrored = i->kind == WPIN_RIG_LIMIT && rig->loads[i->load].reversed;
    switch (i->kind) {
    case WPIN_RIG_LIMIT:
        return wpin_sim_wire_limit(sim, (wpin_pin)i->pin, i->load, mirrored ? -i->to : i->from,
                                   mirrored ? -i->from : i->to, i->opens);
    case WPIN_RIG_KNOB:
        return wpin_sim_wire_knob(sim, (uint8_t)i->analog, i->noise) &&
               wpin_sim_turn(sim, (uint8_t)i->analog,
                             i->centre && i->volts <= 0
                                 ? 0.5
                                 : fmin(i->volts / rig->controller.logic_volts, 1));
    case WPIN_RIG_SENSOR:
    case WPIN_RIG_TWO_POINT:
    case WPIN_RIG_PROCESS: return wpin_sim_wire_sensor(sim, (uint8_t)i->analog, i->volts, i->noise);
    default:
        return wpin_sim_wire_button(sim, (wpin_pin)i->pin, i->bounce) &&
               (!i->opens || wpin_sim_button_opens(sim, (wpin_pin)i->pin));
    }
}

wpin_sim *wpin_board_build(const wpin_rig *rig) {
    wpin_part_controller controller = wpin_rig_controller_part(rig);
    wpin_sim *sim = wpin_sim_new(&controller);
    bool built =
        sim != NULL && wpin_sim_set_converter(sim, (unsigned)rig->controller.converter_bits);
    for (size_t i = 0; built && i < rig->supply_count; i++) {
        const wpin_rig_supply_sense *sense = &rig->supplies[i].sense;
        built = build_supply(sim, &rig->supplies[i]) &&
                (!sense->there ||
                 wpin_sim_wire_supply(sim, (int)i, (uint8_t)sense->input, sense->divider));
    }
    for (size_t i = 0; built && i < rig->fieldbus_count; i++) {
        built = wpin_sim_add_fieldbus(sim, rig->fieldbuses[i].bit_rate) >= 0;
    }
    for (size_t i = 0; built && i < rig->load_count; i++) {
        built = build_load(sim, rig, &rig->loads[i]);
    }
    for (size_t i = 0; built && i < rig->input_count; i++) {
        built = build_input(sim, rig, &rig->inputs[i]);
    }
    for (unsigned pin = 0; built && rig->controller.timers_given && pin < 256; pin++) {
        if (!rig->controller.timer[pin]) {
            wpin_sim_no_timer(sim, (wpin_pin)pin);
        }
    }
    if (built && rig->controller.supply >= 0) {
        built = wpin_sim_feed_controller(sim, rig->controller.supply, rig->controller.draws,
                                         rig->controller.least_volts);
    }
    if (!built) {
        wpin_sim_free(sim);
        return NULL;
    }
    return sim;
}
