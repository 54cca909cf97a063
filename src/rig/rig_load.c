/* A load of the rig file: its stage, driver, motor and limits, and what must agree among them. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum {
    LOAD_WHAT, /* one of these is connected to it */
    LOAD_SUPPLY = WHAT_COUNT,
    LOAD_STAGE,
    LOAD_DRIVER,
    LOAD_LIMITS,
    LOAD_BOARD,
    LOAD_RAMP,
    LOAD_TRIP,
    LOAD_START,
    LOAD_REST,
    LOAD_DUTY_LIMIT,
    LOAD_LEAST_TIME,
    LOAD_ON_DUTY,
    LOAD_TRIM,
    LOAD_COOL_DOWN,
    LOAD_MOST_ON,
    LOAD_ON_STOP,
    LOAD_ENCODER,
    LOAD_SPEED,
    LOAD_POSITION,
    LOAD_IDENTIFIED,
    LOAD_FIRST,
    LOAD_CABLE,
    LOAD_OVERLOAD,
    LOAD_CURRENT,
    LOAD_HALL,
    LOAD_CROSSING,
    LOAD_VECTOR,
    LOAD_AXIS,
    LOAD_THERMISTOR
};
static const wpin_field load_fields[] = {
    [WHAT_MOTOR] = NODE("motor", false),
    [WHAT_LAMP] = NODE("lamp", false),
    [WHAT_LEDS] = NODE("leds", false),
    [WHAT_SOLENOID] = NODE("solenoid", false),
    [WHAT_STEPPER] = NODE("stepper", false),
    NODE("supply", true),
    NODE("stage", true),
    NODE("driver", false),
    NODE("limits", false),
    NODE("board", false),
    NODE("ramp", false),
    NODE("current-trip", false),
    NODE("start", false),
    QUANTITY("rest", wpin_rig_load, limits.rest, false, WPIN_TIME, 0, 600),
    QUANTITY("duty-limit", wpin_rig_load, limits.duty_max, false, WPIN_SHARE, 0.01, 1),
    QUANTITY("least-time", wpin_rig_load, limits.least_time, false, WPIN_TIME, 1e-3, 1800),
    QUANTITY("on-duty", wpin_rig_load, limits.on_duty, false, WPIN_SHARE, 0.01, 1),
    QUANTITY("trim", wpin_rig_load, limits.trim, false, WPIN_SHARE, WPIN_TRIM_LEAST, 1),
    QUANTITY("cool-down", wpin_rig_load, limits.cool_down, false, WPIN_TIME, 1, 3600),
    QUANTITY("most-on", wpin_rig_load, limits.most_on, false, WPIN_TIME, 1e-3, 36000),
    [LOAD_ON_STOP] = NODE("on-stop", false),
    NODE("encoder", false),
    NODE("speed", false),
    NODE("position", false),
    NODE("identified", false),
    NODE("first-motion", false),
    NODE("cable", false),
    NODE("overload", false),
    NODE("current", false),
    NODE("hall", false),
    NODE("zero-crossing", false),
    NODE("field-oriented", false),
    NODE("axis", false),
    NODE("thermistor", false),
};

static const wpin_field ramp_fields[] = {
    QUANTITY("up", wpin_rig_load, limits.ramp_up, true, WPIN_TIME, 1e-3, 600),
    QUANTITY("down", wpin_rig_load, limits.ramp_down, true, WPIN_TIME, 1e-3, 600),
    CHOICE("shape", wpin_rig_load, limits.smooth, "linear", "smooth"),
};

/* Share of a higher supply's time that gives a load what its rated volts do: to a motor their mean,
 * to a filament their heat, to diodes their mean current. */
static double share_of(const wpin_rig_load *load, double rated, double supply) {
    double forward = load->lamp.forward_volts;
    if (!wpin_rig_type(load)->shines) {
        return rated / supply;
    }
    return forward > 0 ? (rated - forward) / (supply - forward) : pow(rated / supply, 2);
}

/* A tenth more than rated, like 12 V lamps on a full battery, is within what ratings allow for. */
static bool is_rated_below(const wpin_rig *rig, const wpin_rig_load *load) {
    double rated = load->limits.rated_volts;
    return rated > 0 && WPIN_RATED_SLACK * rated < rig->supplies[load->supply].volts;
}

/* A load rated well below its supply never gets more than its share of it. */
static void cap_by_rating(const wpin_rig *rig, wpin_rig_load *load) {
    if (is_rated_below(rig, load)) {
        double share = share_of(load, load->limits.rated_volts, rig->supplies[load->supply].volts);
        load->limits.duty_max = fmin(load->limits.duty_max, share);
    }
}

/* limits: {forward: INPUT, reverse: INPUT}, each a button or limit switch. */
static void read_limits(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                        wpin_rig_load *load) {
    static const wpin_field fields[] = {NODE("forward", false), NODE("reverse", false)};
    yaml_node_t *nodes[COUNT(fields)];
    wpin_read_map(reader, node, "limits", fields, COUNT(fields), load, nodes);
    for (size_t i = 0; node->type == YAML_MAPPING_NODE && i < COUNT(fields); i++) {
        const char *text =
            nodes[i] == NULL ? NULL : wpin_scalar(reader, nodes[i], "the name of an input");
        int input = text == NULL ? -1 : wpin_rig_find_input(rig, text);
        bool good = input >= 0 && rig->inputs[input].kind <= WPIN_RIG_LIMIT;
        if (text != NULL && !good) {
            wpin_say_at(reader, nodes[i],
                        "'%s' is not a button or limit switch among the inputs of this rig", text);
        }
        load->limits.limit_inputs[i] = good ? input : -1;
    }
}

/* What the sense of the driver and the trip say together. */
static wpin_rig_load default_load(void) {
    return (wpin_rig_load){
        .limits = {.duty_max = 1,
                   .trim = 1,
                   .dead_time = 2e-6,
                   .parallel = 1,
                   .trip_input = -1,
                   .limit_inputs = {-1, -1},
                   .pulse_zero = 1.5e-3,
                   .pulse_swing = 0.5e-3},
        .bridge = {.pulse_zero = 1.5e-3,
                   .pulse_swing = 0.5e-3,
                   .diode_volts = 0.8,
                   .diode_resistance = 0.05,
                   .input_resistance = 100e3,
                   .burns_after = 1e-3,
                   .sense_filter = 1e-3,
                   .interlock = true},
        .motor = {.gear_ratio = 1, .gear_efficiency = 1},
        .position = {.settle = 60e-3},
        .board = -1,
    };
}

/* What a load must or must not say follows from its kind of stage. */
static void check_kind(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                       const wpin_rig_load *load) {
    bool takes = wpin_stage_kind_takes_duty(load->kind);
    const char *why = load->kind->coils ? "drives a stepper, which has its own under 'stepping',"
                                        : "knows on and off only";
    bool turns_back =
        wpin_rig_type(load)->spins && wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
    if (turns_back && nodes[LOAD_REST] == NULL) {
        wpin_say_at(reader, node,
                    "load '%s' lacks 'rest', the pause before it may turn the other way; "
                    "expected at least its run-down time, 0 to 600 s",
                    load->name);
    }
    if (takes && nodes[LOAD_RAMP] == NULL) {
        wpin_say_at(reader, node,
                    "load '%s' lacks 'ramp'; expected e.g. ramp: {up: 2s, down: 1.5s}", load->name);
    }
    if (!takes && nodes[LOAD_RAMP] != NULL) {
        wpin_say_at(reader, nodes[LOAD_RAMP], "'%s' %s and takes no ramp", load->kind->name, why);
    }
    if (!takes && load->limits.duty_max < 1) {
        wpin_say_at(reader, nodes[LOAD_DUTY_LIMIT], "'%s' %s and takes no duty-limit",
                    load->kind->name, why);
    }
    if (nodes[LOAD_TRIM] != NULL && (!takes || !wpin_rig_type(load)->spins || load->axis.there)) {
        wpin_say_at(reader, nodes[LOAD_TRIM],
                    "a trim evens out the speeds of two motors that get duties; '%s' %s",
                    load->name, takes && !load->axis.there ? "is no motor" : "takes none");
    }
    if (takes && nodes[LOAD_LEAST_TIME] != NULL) {
        wpin_say_at(reader, nodes[LOAD_LEAST_TIME],
                    "least-time is for stages that know on and off only, '%s' takes a duty",
                    load->kind->name);
    }
    if (load->kind->contacts && load->limits.rest < WPIN_CONTACT_REST) {
        wpin_say_at(reader, nodes[LOAD_REST] != NULL ? nodes[LOAD_REST] : node,
                    "rest: %.3g ms is too short for relay contacts; expected 50 ms or more",
                    load->limits.rest * 1e3);
    }
}

/* What brings it to rest soonest and harms nothing: a brake that the driver survives from full
 * speed, a ramp where that drives the motor back, or else letting it run down. */
static wpin_stop_how quickest_stop(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_driver *b = &load->bridge;
    if (wpin_rig_type(load)->steps) {
        return WPIN_STOP_RAMP;
    }
    if (!wpin_rig_type(load)->spins) {
        return wpin_stage_kind_has(load->kind, WPIN_DRIVE_COAST) ? WPIN_STOP_COAST : WPIN_STOP_RAMP;
    }
    double volts = rig->supplies[load->supply].volts * load->limits.duty_max;
    double amps = volts / (load->motor.resistance + 2 * b->on_resistance);
    if (wpin_stage_kind_has(load->kind, WPIN_DRIVE_BRAKE) &&
        (b->protects || amps <= b->burns_above_amps)) {
        return WPIN_STOP_BRAKE;
    }
    bool drives_back = wpin_stage_kind_takes_duty(load->kind) && b->off_phase == WPIN_OFF_SHORT;
    bool coasts = wpin_stage_kind_has(load->kind, WPIN_DRIVE_COAST);
    return drives_back || !coasts ? WPIN_STOP_RAMP : WPIN_STOP_COAST;
}

static void read_on_stop(wpin_reader *reader, yaml_node_t *node, const wpin_rig *rig,
                         wpin_rig_load *load) {
    static const char *const words[] = {"ramp", "coast", "brake"};
    if (node == NULL) {
        load->on_stop = (int8_t)quickest_stop(rig, load);
        return;
    }
    const char *text = wpin_scalar(reader, node, "ramp, coast or brake");
    int found =
        text == NULL ? -1 : wpin_find_word(reader, node, text, "on-stop", words, COUNT(words));
    load->on_stop = (int8_t)(found < 0 ? WPIN_STOP_RAMP : found);
    bool stepper = wpin_rig_type(load)->steps;
    bool can =
        found <= WPIN_STOP_RAMP ||
        (!stepper && wpin_stage_kind_has(load->kind, found == WPIN_STOP_BRAKE ? WPIN_DRIVE_BRAKE
                                                                              : WPIN_DRIVE_COAST));
    if (!can) {
        wpin_say_at(reader, node, "on-stop: '%s' can't %s; expected ramp%s", load->kind->name,
                    words[found],
                    stepper                    ? ""
                    : found == WPIN_STOP_COAST ? " or brake"
                                               : " or coast");
    }
}

/* What it is, what drives it, and from which supply; whether its kind of stage is known. */
static bool read_hardware(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          yaml_node_t *const *nodes, wpin_rig_load *load) {
    if (nodes[LOAD_SUPPLY] != NULL) {
        int supply = wpin_find_supply_at(reader, rig, nodes[LOAD_SUPPLY]);
        load->supply = supply < 0 ? 0 : (size_t)supply;
    }
    bool staged =
        nodes[LOAD_STAGE] != NULL && wpin_read_stage(reader, rig, nodes[LOAD_STAGE], load);
    wpin_read_what(reader, node, nodes, load);
    if (staged && load->kind->coils == wpin_rig_type(load)->steps) {
        if (load->kind->contacts && nodes[LOAD_REST] == NULL) {
            load->limits.rest = WPIN_CONTACT_REST;
        }
        check_kind(reader, node, nodes, load);
    }
    if (nodes[LOAD_BOARD] != NULL) {
        load->board = wpin_find_board_at(reader, rig, nodes[LOAD_BOARD]);
    }
    if (nodes[LOAD_LIMITS] != NULL) {
        read_limits(reader, rig, nodes[LOAD_LIMITS], load);
    }
    if (nodes[LOAD_AXIS] != NULL) {
        wpin_read_axis(reader, rig, nodes[LOAD_AXIS], load);
    } else if (staged && wpin_logic_of(load->kind->logic)->frames) {
        wpin_say_at(reader, node,
                    "load '%s' lacks 'axis': which drive it is on which bus; expected e.g. axis: "
                    "{bus: line, node: 5, counts: 4000, rated-current: 3A}",
                    load->name);
    }
    wpin_read_driver(reader, node, nodes[LOAD_DRIVER], rig, load);
    if (staged && rig->supply_count != 0) {
        wpin_check_alternating(reader, node, rig, load);
    }
    return staged;
}

/* What tells how it turns. */
static void read_sensors(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                         yaml_node_t *const *nodes, bool staged, wpin_rig_load *load) {
    if (nodes[LOAD_CABLE] != NULL) {
        wpin_read_cable(reader, rig, nodes[LOAD_CABLE], load);
    }
    if (nodes[LOAD_HALL] != NULL) {
        wpin_read_hall(reader, rig, nodes[LOAD_HALL], load);
    }
    if (nodes[LOAD_CROSSING] != NULL) {
        wpin_read_crossing(reader, rig, nodes[LOAD_CROSSING], load);
    }
    bool sensed =
        nodes[LOAD_HALL] != NULL || nodes[LOAD_CROSSING] != NULL || nodes[LOAD_VECTOR] != NULL;
    if (staged && !sensed && wpin_stage_kind_is_three_phase(load->kind)) {
        wpin_say_at(reader, node,
                    "load '%s' lacks 'hall': six-step goes by its Hall sensors; expected e.g. "
                    "hall: {pins: {a: 14, b: 15, c: 16}}, or zero-crossing with such pins for a "
                    "fan or a pump without sensors",
                    load->name);
    }
    bool brushless = staged && wpin_rig_type(load)->spins && load->motor.pole_pairs > 0;
    if (brushless && wpin_logic_of(load->kind->logic)->commutates && !load->hall.at_driver) {
        wpin_say_at(reader, node,
                    "a brushless motor (pole-pairs) on a stage '%s' needs a driver that commutates "
                    "by itself; expected hall: {to: driver}, or a stage with three legs for the "
                    "controller to commutate, e.g. three-phase-bridge",
                    load->kind->name);
    }
    if (nodes[LOAD_ENCODER] != NULL && load->axis.there) {
        wpin_say_at(reader, nodes[LOAD_ENCODER],
                    "the drive of '%s' has its own encoder: its 'counts' say all of it",
                    load->name);
    } else if (nodes[LOAD_ENCODER] != NULL) {
        wpin_read_encoder(reader, rig, nodes[LOAD_ENCODER], load);
    }
    if (nodes[LOAD_VECTOR] != NULL) {
        wpin_read_vector(reader, rig, nodes[LOAD_VECTOR], load);
    }
}

/* What may be asked of it besides a duty. */
static void read_quantities(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                            wpin_rig_load *load) {
    if (nodes[LOAD_SPEED] != NULL) {
        wpin_read_speed(reader, nodes[LOAD_SPEED], load);
    } else if (load->axis.there) {
        wpin_say_at(reader, node,
                    "load '%s' lacks 'speed': how fast its drive may turn it; expected e.g. speed: "
                    "{rated: 300rpm}",
                    load->name);
    }
    if (nodes[LOAD_POSITION] != NULL && load->axis.plain) {
        wpin_say_at(reader, nodes[LOAD_POSITION],
                    "the drive of '%s' takes speeds only (mode: velocity); places take mode: "
                    "profile",
                    load->name);
    } else if (nodes[LOAD_POSITION] != NULL) {
        wpin_read_position(reader, nodes[LOAD_POSITION], load);
    }
}

/* What it may, and what trips it. */
static void read_protection(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *const *nodes,
                            wpin_rig_load *load) {
    if (nodes[LOAD_RAMP] != NULL) {
        wpin_read_map(reader, nodes[LOAD_RAMP], "ramp", ramp_fields, COUNT(ramp_fields), load,
                      NULL);
    }
    if (nodes[LOAD_START] != NULL) {
        wpin_read_start(reader, nodes[LOAD_START], load);
    }
    if (nodes[LOAD_TRIP] != NULL) {
        wpin_read_trip(reader, rig, nodes[LOAD_TRIP], load);
    }
    if (nodes[LOAD_OVERLOAD] != NULL) {
        wpin_read_overload(reader, nodes[LOAD_OVERLOAD], load);
    }
    if (nodes[LOAD_THERMISTOR] != NULL) {
        wpin_read_thermistor(reader, rig, nodes[LOAD_THERMISTOR], load);
    }
    if (nodes[LOAD_CURRENT] != NULL) {
        wpin_read_current(reader, nodes[LOAD_CURRENT], load);
    }
}

/* What must agree once all is read. */
static void check_duties(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                         const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    if (load->kind != NULL && !wpin_stage_kind_takes_duty(load->kind) &&
        is_rated_below(rig, load)) {
        wpin_say_at(reader, node,
                    "'%s' is rated %.3g V on %.3g V, and '%s' knows on and off only; "
                    "expected a stage that takes a duty, or a lower supply",
                    load->name, l->rated_volts, rig->supplies[load->supply].volts,
                    load->kind->name);
    }
    if (l->cool_down > 0 && l->trip_input < 0 && !load->encoder.there && !load->hall.there) {
        wpin_say_at(reader, node,
                    "cool-down follows a stall or a current trip, and nothing notices either: give "
                    "'%s' a current-trip or an encoder",
                    load->name);
    }
    if (l->start_duty > l->duty_max) {
        wpin_say_at(reader, node,
                    "the start duty of '%s' (%.4g %%) is above the most it may have (%.4g %%, by "
                    "duty-limit or rated volts): it could never start",
                    load->name, l->start_duty * 100, l->duty_max * 100);
    }
}

void wpin_read_load(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                    yaml_node_t *node) {
    wpin_rig_load load = default_load();
    load.line = (unsigned)key->start_mark.line + 1;
    if (!wpin_take_name(reader, rig, key, name, load.name)) {
        return;
    }
    char what[64];
    snprintf(what, sizeof what, "load '%s'", load.name);
    yaml_node_t *nodes[COUNT(load_fields)];
    wpin_read_map(reader, node, what, load_fields, COUNT(load_fields), &load, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    bool staged = read_hardware(reader, rig, node, nodes, &load);
    if (nodes[LOAD_IDENTIFIED] != NULL) {
        wpin_read_identified(reader, nodes[LOAD_IDENTIFIED], &load);
    }
    if (nodes[LOAD_FIRST] != NULL) {
        wpin_read_first_motion(reader, nodes[LOAD_FIRST], &load);
    }
    read_sensors(reader, rig, node, nodes, staged, &load);
    read_quantities(reader, node, nodes, &load);
    read_protection(reader, rig, nodes, &load);
    cap_by_rating(rig, &load);
    if (staged && rig->supply_count != 0) {
        read_on_stop(reader, nodes[LOAD_ON_STOP], rig, &load);
    }
    check_duties(reader, node, rig, &load);
    wpin_rig_load *all =
        wpin_messages_room(reader->messages, rig->loads, rig->load_count, sizeof *all);
    if (all == NULL) {
        free(load.own);
        return;
    }
    rig->loads = all;
    all[rig->load_count++] = load;
}
