/* What is connected to a stage: a motor, a lamp, a strip of diodes, a solenoid or a stepper. */
#include "rig_parts.h"
#include <math.h>

#define PI 3.14159265358979323846

static const wpin_field heat_fields[] = {
    QUANTITY("resistance", wpin_part_heat, resistance, true, WPIN_HEAT_RESISTANCE, 0.01, 1e3),
    QUANTITY("time", wpin_part_heat, time, true, WPIN_TIME, 1e-3, 36000),
    QUANTITY("limit", wpin_part_heat, limit, false, WPIN_TEMPERATURE, 40, 300),
};

void wpin_read_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat) {
    wpin_read_map(reader, node, "heat", heat_fields, COUNT(heat_fields), heat, NULL);
}

/* A winding's: warm copper and magnets count unless that is left out. */
static const wpin_field winding_heat_fields[] = {
    QUANTITY("resistance", wpin_part_heat, resistance, true, WPIN_HEAT_RESISTANCE, 0.01, 1e3),
    QUANTITY("time", wpin_part_heat, time, true, WPIN_TIME, 1e-3, 36000),
    QUANTITY("limit", wpin_part_heat, limit, false, WPIN_TEMPERATURE, 40, 300),
    CHOICE("drift", wpin_part_heat, drifts, "no", "yes"),
};

static void read_winding_heat(wpin_reader *reader, yaml_node_t *node, wpin_part_heat *heat,
                              double limit) {
    if (node != NULL) {
        *heat = (wpin_part_heat){.limit = limit, .drifts = true};
        wpin_read_map(reader, node, "heat", winding_heat_fields, COUNT(winding_heat_fields), heat,
                      NULL);
    }
}

/* ---- motors ---- */

enum {
    MOTOR_LOAD,
    MOTOR_RATED,
    MOTOR_TRAVEL,
    MOTOR_HEAT,
    MOTOR_CONSTANT,
    MOTOR_SPEED_CONSTANT,
    MOTOR_STATIC
};
static const wpin_field motor_fields[] = {
    NODE("load", false),
    NODE("rated", false),
    NODE("travel", false),
    NODE("heat", false),
    QUANTITY("constant", wpin_part_motor, constant, false, WPIN_MOTOR_CONSTANT, 1e-5, 100),
    [MOTOR_SPEED_CONSTANT] = NODE("speed-constant", false),
    [MOTOR_STATIC] =
        QUANTITY("static-friction", wpin_part_motor, static_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("resistance", wpin_part_motor, resistance, true, WPIN_RESISTANCE, 1e-3, 10e3),
    QUANTITY("inductance", wpin_part_motor, inductance, true, WPIN_INDUCTANCE, 1e-6, 10),
    QUANTITY("pole-pairs", wpin_part_motor, pole_pairs, false, WPIN_NUMBER, 1, 60),
    CHOICE("back-emf", wpin_part_motor, sinusoidal, "flat", "sine"),
    CHOICE("winding", wpin_part_motor, delta, "star", "delta"),
    QUANTITY("cogging", wpin_part_motor, cogging, false, WPIN_TORQUE, 0, 100),
    QUANTITY("cogging-steps", wpin_part_motor, cogging_steps, false, WPIN_NUMBER, 2, 1000),
    QUANTITY("inertia", wpin_part_motor, inertia, true, WPIN_INERTIA, 1e-10, 10),
    QUANTITY("dry-friction", wpin_part_motor, dry_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("viscous-friction", wpin_part_motor, viscous_friction, false, WPIN_VISCOSITY, 0, 10),
    QUANTITY("gear", wpin_part_motor, gear_ratio, false, WPIN_NUMBER, 0.01, 1e5),
    QUANTITY("gear-efficiency", wpin_part_motor, gear_efficiency, false, WPIN_SHARE, 0.01, 1),
};

static const wpin_field shaft_load_fields[] = {
    QUANTITY("torque", wpin_part_motor, load_torque, false, WPIN_TORQUE, 0, 1e4),
    QUANTITY("viscous", wpin_part_motor, load_viscous, false, WPIN_VISCOSITY, 0, 1e4),
    QUANTITY("quadratic", wpin_part_motor, load_quadratic, false, WPIN_QUADRATIC, 0, 1e4),
    QUANTITY("inertia", wpin_part_motor, load_inertia, false, WPIN_INERTIA, 0, 1e4),
};

static const wpin_field travel_fields[] = {
    QUANTITY("low", wpin_part_motor, stop_low, true, WPIN_ANGLE, -1e4, 1e4),
    QUANTITY("high", wpin_part_motor, stop_high, true, WPIN_ANGLE, -1e4, 1e4),
    QUANTITY("start", wpin_part_motor, start_turns, false, WPIN_ANGLE, -1e4, 1e4),
};

static void read_travel(wpin_reader *reader, yaml_node_t *node, wpin_part_motor *m) {
    wpin_read_map(reader, node, "travel", travel_fields, COUNT(travel_fields), m, NULL);
    if (m->stop_low >= m->stop_high || m->start_turns < m->stop_low ||
        m->start_turns > m->stop_high) {
        wpin_say_at(reader, node,
                    "travel goes from %.4g to %.4g deg and starts at %.4g deg; expected low below "
                    "high, and "
                    "start (0 deg if left out) between them",
                    m->stop_low * 360, m->stop_high * 360, m->start_turns * 360);
    }
}

/* What a motor makes of a volt, or of an ampere: its constant is said one way or the other. */
static void read_constant(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                          wpin_part_motor *m) {
    static const wpin_field field = {.key = "speed-constant",
                                     .type = WPIN_FIELD_QUANTITY,
                                     .dimension = WPIN_SPEED_CONSTANT,
                                     .least = 0.1,
                                     .most = 1e6};
    bool by_torque = nodes[MOTOR_CONSTANT] != NULL, by_speed = nodes[MOTOR_SPEED_CONSTANT] != NULL;
    if (by_torque == by_speed) {
        wpin_say_at(reader, by_speed ? nodes[MOTOR_SPEED_CONSTANT] : node,
                    "a motor has one of constant (e.g. 20mNm/A) and speed-constant (e.g. "
                    "480rpm/V)");
        return;
    }
    if (by_speed) {
        double rpm_per_volt = 0;
        wpin_read_field(reader, nodes[MOTOR_SPEED_CONSTANT], &field, &rpm_per_volt);
        m->constant = rpm_per_volt > 0 ? 30 / (PI * rpm_per_volt) : 0;
    }
}

/* The magnet's pull on the teeth: in a turn as often as both repeat, mostly six times a pole pair.
 */
static void check_cogging(wpin_reader *reader, const yaml_node_t *node, wpin_part_motor *m) {
    if (m->cogging > 0 && m->pole_pairs <= 0) {
        wpin_say_at(
            reader, node,
            "cogging is simulated of brushless motors; expected pole-pairs with it, or more "
            "static-friction instead");
    }
    if (fmod(m->cogging_steps, 1) != 0) {
        wpin_say_at(
            reader, node,
            "cogging-steps: %g is not a whole number; expected the least common multiple of "
            "its poles and teeth",
            m->cogging_steps);
    }
    m->cogging_steps = m->cogging_steps > 0 ? m->cogging_steps : 6 * m->pole_pairs;
}

/* What only three phases have. */
static void check_windings(wpin_reader *reader, const yaml_node_t *node, const wpin_part_motor *m) {
    if (m->pole_pairs <= 0 && (m->sinusoidal || m->delta)) {
        wpin_say_at(reader, node,
                    "%s is said of a brushless motor; expected pole-pairs with it, half the number "
                    "of its poles",
                    m->sinusoidal ? "back-emf" : "winding");
    }
}

static void read_motor(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(motor_fields)];
    size_t before = reader->messages->count;
    wpin_read_map(reader, node, "motor", motor_fields, COUNT(motor_fields), &load->motor, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (nodes[MOTOR_LOAD] != NULL) {
        wpin_read_map(reader, nodes[MOTOR_LOAD], "load", shaft_load_fields,
                      COUNT(shaft_load_fields), &load->motor, NULL);
    }
    if (nodes[MOTOR_TRAVEL] != NULL) {
        read_travel(reader, nodes[MOTOR_TRAVEL], &load->motor);
    }
    read_winding_heat(reader, nodes[MOTOR_HEAT], &load->motor.heat, 130);
    static const wpin_field rated[] = {
        QUANTITY("rated", wpin_rig_load, limits.rated_volts, false, WPIN_VOLTAGE, 0.5, 400)};
    if (nodes[MOTOR_RATED] != NULL) {
        wpin_read_field(reader, nodes[MOTOR_RATED], &rated[0], load);
    }
    read_constant(reader, node, nodes, &load->motor);
    if (fmod(load->motor.pole_pairs, 1) != 0) {
        wpin_say_at(reader, node,
                    "pole-pairs: %g is not a whole number; expected half the number of its poles",
                    load->motor.pole_pairs);
    }
    check_cogging(reader, node, &load->motor);
    check_windings(reader, node, &load->motor);
    if (nodes[MOTOR_STATIC] == NULL) {
        load->motor.static_friction = load->motor.dry_friction;
    }
    bool read = reader->messages->count == before; /* else a value may be no more than missing */
    if (read && load->motor.static_friction < load->motor.dry_friction) {
        wpin_say_at(reader, node,
                    "static-friction (%.4g mNm) is below dry-friction (%.4g mNm); a shaft at rest "
                    "holds at least as hard as a turning one",
                    load->motor.static_friction * 1e3, load->motor.dry_friction * 1e3);
    }
}

/* ---- light ---- */

static const wpin_field lamp_fields[] = {
    QUANTITY("rated", wpin_part_lamp, volts, true, WPIN_VOLTAGE, 0.5, 400),
    QUANTITY("power", wpin_part_lamp, watts, true, WPIN_POWER, 1e-3, 1e4),
    QUANTITY("cold", wpin_part_lamp, cold_share, false, WPIN_SHARE, 0.02, 1),
    QUANTITY("warm-up", wpin_part_lamp, warm_up, false, WPIN_TIME, 1e-3, 10),
};

static const wpin_field led_fields[] = {
    QUANTITY("rated", wpin_part_lamp, volts, true, WPIN_VOLTAGE, 0.5, 400),
    QUANTITY("power", wpin_part_lamp, watts, true, WPIN_POWER, 1e-3, 1e4),
    QUANTITY("forward", wpin_part_lamp, forward_volts, true, WPIN_VOLTAGE, 0.1, 200),
};

static void read_lamp(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    load->lamp = (wpin_part_lamp){.cold_share = 0.08, .warm_up = 0.1};
    wpin_read_map(reader, node, "lamp", lamp_fields, COUNT(lamp_fields), &load->lamp, NULL);
    load->limits.rated_volts = load->lamp.volts;
}

static void read_leds(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    load->lamp = (wpin_part_lamp){.cold_share = 1, .warm_up = 1};
    wpin_read_map(reader, node, "leds", led_fields, COUNT(led_fields), &load->lamp, NULL);
    load->limits.rated_volts = load->lamp.volts;
    if (load->lamp.forward_volts >= load->lamp.volts && load->lamp.volts > 0) {
        wpin_say_at(reader, node,
                    "forward (%.3g V) is not below rated (%.3g V); expected the rest for the "
                    "strip's resistors",
                    load->lamp.forward_volts, load->lamp.volts);
    }
}

/* ---- solenoids ---- */

enum { SOLENOID_HEAT };
static const wpin_field solenoid_fields[] = {
    NODE("heat", false),
    QUANTITY("resistance", wpin_part_solenoid, resistance, true, WPIN_RESISTANCE, 1e-2, 10e3),
    QUANTITY("inductance", wpin_part_solenoid, inductance, true, WPIN_INDUCTANCE, 1e-6, 100),
    QUANTITY("pull-in", wpin_part_solenoid, pull_in, true, WPIN_CURRENT, 1e-3, 100),
    QUANTITY("pull-in-time", wpin_part_solenoid, pull_in_time, false, WPIN_TIME, 0, 1),
    QUANTITY("drop-out", wpin_part_solenoid, drop_out, true, WPIN_CURRENT, 0, 100),
};

static void read_solenoid(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(solenoid_fields)];
    wpin_part_solenoid *s = &load->solenoid;
    *s = (wpin_part_solenoid){.pull_in_time = 15e-3};
    wpin_read_map(reader, node, "solenoid", solenoid_fields, COUNT(solenoid_fields), s, nodes);
    if (node->type == YAML_MAPPING_NODE) {
        read_winding_heat(reader, nodes[SOLENOID_HEAT], &s->heat, 120);
    }
    if (s->drop_out > s->pull_in && s->pull_in > 0) {
        wpin_say_at(reader, node,
                    "drop-out (%.3g A) is above pull-in (%.3g A); a plunger that is in is held by "
                    "less than draws it in",
                    s->drop_out, s->pull_in);
    }
}

/* ---- steppers ---- */

enum { STEPPER_STEPPING, STEPPER_HEAT };
static const wpin_field stepper_fields[] = {
    NODE("stepping", true),
    NODE("heat", false),
    QUANTITY("steps", wpin_part_stepper, steps_per_rev, true, WPIN_NUMBER, 4, 2000),
    QUANTITY("resistance", wpin_part_stepper, resistance, true, WPIN_RESISTANCE, 1e-2, 10e3),
    QUANTITY("inductance", wpin_part_stepper, inductance, true, WPIN_INDUCTANCE, 1e-6, 10),
    QUANTITY("rated", wpin_part_stepper, rated_amps, true, WPIN_CURRENT, 1e-3, 100),
    QUANTITY("holding-torque", wpin_part_stepper, holding_torque, true, WPIN_TORQUE, 1e-6, 1e3),
    QUANTITY("inertia", wpin_part_stepper, inertia, true, WPIN_INERTIA, 1e-10, 10),
    QUANTITY("friction", wpin_part_stepper, dry_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("viscous-friction", wpin_part_stepper, viscous_friction, false, WPIN_VISCOSITY, 0, 10),
};

enum { STEPPING_AT_END, STEPPING_DUTY, STEPPING_REST_DUTY, STEPPING_REDUCE_AFTER, STEPPING_AFTER };
static const wpin_field stepping_fields[] = {
    [STEPPING_AT_END] = NODE("at-end", false),
    [STEPPING_DUTY] = QUANTITY("duty", wpin_rig_stepping, duty, false, WPIN_SHARE, 0.05, 1),
    [STEPPING_REST_DUTY] =
        QUANTITY("rest-duty", wpin_rig_stepping, rest_duty, false, WPIN_SHARE, 0.05, 1),
    [STEPPING_REDUCE_AFTER] =
        QUANTITY("reduce-after", wpin_rig_stepping, reduce_after, false, WPIN_TIME, 1e-3, 3600),
    [STEPPING_AFTER] =
        QUANTITY("release-after", wpin_rig_stepping, release_after, false, WPIN_TIME, 1e-3, 3600),
    QUANTITY("start-rate", wpin_rig_stepping, start_rate, true, WPIN_STEP_RATE, 1, 20000),
    QUANTITY("top-rate", wpin_rig_stepping, top_rate, true, WPIN_STEP_RATE, 1, 20000),
    QUANTITY("ramp", wpin_rig_stepping, acceleration, true, WPIN_STEP_GAIN, 1, 1e5),
    CHOICE("mode", wpin_rig_stepping, half_steps, "full", "half"),
};

/* What becomes of the current after a move, and what that needs. */
static void read_end(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                     wpin_rig_load *load) {
    static const char *const words[] = {"hold", "release", "reduce"};
    wpin_rig_stepping *s = &load->stepping;
    const wpin_stage_kind *kind = load->kind;
    bool rows = kind != NULL && wpin_stage_kind_has(kind, (wpin_drive)(WPIN_DRIVE_SECTOR + 8));
    yaml_node_t *end = nodes[STEPPING_AT_END];
    const char *text = end != NULL ? wpin_scalar(reader, end, "hold, release or reduce") : NULL;
    int found =
        text != NULL ? wpin_find_word(reader, end, text, "at-end", words, COUNT(words)) : -1;
    s->at_end = found >= 0 ? (uint8_t)found : (rows ? WPIN_STEP_REDUCE : WPIN_STEP_HOLD);
    bool reduces = s->at_end == WPIN_STEP_REDUCE,
         pwm = kind == NULL || wpin_stage_kind_has_pwm(kind);
    for (int i = STEPPING_DUTY; i <= STEPPING_REST_DUTY && !pwm; i++) {
        if (nodes[i] != NULL) {
            wpin_say_at(reader, nodes[i],
                        "%s: '%s' has no PWM; expected kind: dual-bridge-enable for it",
                        stepping_fields[i].key, kind->name);
            return;
        }
    }
    if (reduces && s->rest_duty <= 0 && !rows && pwm) {
        wpin_say_at(reader, end, "at-end: reduce needs 'rest-duty', e.g. rest-duty: 50%%");
    } else if (reduces && !rows && !pwm) {
        wpin_say_at(reader, end,
                    "at-end: '%s' can't reduce the current; expected kind: dual-bridge-enable, or "
                    "an own-table with a row 'rest'",
                    kind->name);
    } else if (s->rest_duty > s->duty) {
        wpin_say_at(reader, nodes[STEPPING_REST_DUTY],
                    "rest-duty (%.4g %%) is above the duty of its moves (%.4g %%)",
                    s->rest_duty * 100, s->duty * 100);
    }
    static const int only[] = {STEPPING_REST_DUTY, STEPPING_REDUCE_AFTER};
    for (size_t i = 0; i < COUNT(only) && !reduces; i++) {
        if (nodes[only[i]] != NULL) {
            wpin_say_at(reader, nodes[only[i]], "%s goes with at-end: reduce",
                        stepping_fields[only[i]].key);
        }
    }
    if (reduces && s->release_after > 0 && s->release_after <= s->reduce_after) {
        wpin_say_at(reader, nodes[STEPPING_AFTER],
                    "release-after (%.4g s) is not above reduce-after (%.4g s): it would be let go "
                    "before its current is reduced",
                    s->release_after, s->reduce_after);
    }
    if (s->top_rate < s->start_rate) {
        wpin_say_at(reader, node, "top-rate (%g steps/s) is below start-rate (%g steps/s)",
                    s->top_rate, s->start_rate);
    }
}

static void read_stepper(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(stepper_fields)];
    wpin_read_map(reader, node, "stepper", stepper_fields, COUNT(stepper_fields), &load->stepper,
                  nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    read_winding_heat(reader, nodes[STEPPER_HEAT], &load->stepper.heat, 130);
    double steps = load->stepper.steps_per_rev;
    if (steps > 0 && fmod(steps, 4) != 0) {
        wpin_say_at(reader, node,
                    "steps: %g is not a multiple of 4; expected e.g. 200, the full steps "
                    "of a turn",
                    steps);
    }
    if (nodes[STEPPER_STEPPING] != NULL) {
        yaml_node_t *ends[COUNT(stepping_fields)];
        load->stepping.duty = 1;
        wpin_read_map(reader, nodes[STEPPER_STEPPING], "stepping", stepping_fields,
                      COUNT(stepping_fields), &load->stepping, ends);
        if (nodes[STEPPER_STEPPING]->type == YAML_MAPPING_NODE) {
            read_end(reader, nodes[STEPPER_STEPPING], ends, load);
        }
    }
}

static const struct {
    const char *key;
    wpin_rig_what what;
    void (*read)(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load);
} kinds[WHAT_COUNT] = {
    [WHAT_MOTOR] = {"motor", WPIN_RIG_MOTOR, read_motor},
    [WHAT_LAMP] = {"lamp", WPIN_RIG_LAMP, read_lamp},
    [WHAT_LEDS] = {"leds", WPIN_RIG_LAMP, read_leds},
    [WHAT_SOLENOID] = {"solenoid", WPIN_RIG_SOLENOID, read_solenoid},
    [WHAT_STEPPER] = {"stepper", WPIN_RIG_STEPPER, read_stepper},
};

/* Three wires need three legs, two wires two. */
static void check_phases(wpin_reader *reader, const yaml_node_t *node, const wpin_rig_load *load) {
    bool legs = wpin_stage_kind_is_three_phase(load->kind);
    bool brushless = wpin_rig_type(load)->spins && load->motor.pole_pairs > 0;
    if (legs && !brushless) {
        wpin_say_at(reader, node,
                    "'%s' is for a brushless motor: '%s' needs a motor with pole-pairs",
                    load->kind->name, load->name);
    } else if (brushless && !legs && !wpin_logic_of(load->kind->logic)->pulses &&
               !wpin_logic_of(load->kind->logic)->commutates && /* asked for with its sensors */
               !wpin_logic_of(load->kind->logic)->frames) {     /* it says so itself */
        wpin_say_at(
            reader, node,
            "a brushless motor (pole-pairs) can't be connected to a stage '%s'; expected "
            "three-phase-bridge, three-phase-bridge-high or three-half-bridges for its "
            "three wires, servo-pulse for a controller of its own, or one that takes direction and "
            "PWM for a driver that commutates by itself (hall: {to: driver})",
            load->kind->name);
    }
}

void wpin_read_what(wpin_reader *reader, const yaml_node_t *node, yaml_node_t *const *nodes,
                    wpin_rig_load *load) {
    int found = -1;
    for (int i = 0; i < WHAT_COUNT; i++) {
        if (nodes[i] == NULL) {
            continue;
        }
        if (found >= 0) {
            wpin_say_at(reader, nodes[i], "'%s' beside '%s': a stage drives one thing",
                        kinds[i].key, kinds[found].key);
            continue;
        }
        found = i;
        load->what = kinds[i].what;
        kinds[i].read(reader, nodes[i], load);
    }
    if (found < 0) {
        wpin_say_at(reader, node,
                    "load '%s' does not say what it is; expected motor, lamp, leds, "
                    "solenoid or stepper",
                    load->name);
    }
    bool coils = load->kind != NULL && load->kind->coils;
    if (load->kind != NULL && found >= 0 && coils != wpin_rig_type(load)->steps) {
        wpin_say_at(reader, nodes[found], "a %s can't be connected to a stage '%s'; expected %s",
                    kinds[found].key, load->kind->name,
                    coils ? "a stepper, or another kind of stage" : "kind: dual-bridge for it");
    } else if (load->kind != NULL && found >= 0) {
        check_phases(reader, nodes[found], load);
    }
}
