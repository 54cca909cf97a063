/* What is connected to a stage: a motor (rig_motor.c), a lamp, a strip of diodes, a solenoid or a
 * stepper. */
#include "rig_parts.h"
#include <math.h>

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
        wpin_read_winding_heat(reader, nodes[SOLENOID_HEAT], &s->heat, 120);
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
    wpin_read_winding_heat(reader, nodes[STEPPER_HEAT], &load->stepper.heat, 130);
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
    [WHAT_MOTOR] = {"motor", WPIN_RIG_MOTOR, wpin_read_motor},
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
            "three-phase-bridge (or its kin) or three-half-bridges for its "
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
