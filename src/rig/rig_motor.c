/* A motor, brushed or brushless, and what is at its output. */
#include "rig_parts.h"
#include <math.h>

#define PI 3.14159265358979323846

enum {
    MOTOR_LOAD,
    MOTOR_RATED,
    MOTOR_TRAVEL,
    MOTOR_HEAT,
    MOTOR_CONSTANT,
    MOTOR_SPEED_CONSTANT,
    MOTOR_STATIC,
    MOTOR_DRY,
    MOTOR_VISCOUS,
    MOTOR_NO_LOAD
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
    QUANTITY("dry-friction", wpin_part_motor, dry_friction, false, WPIN_TORQUE, 0, 100),
    QUANTITY("viscous-friction", wpin_part_motor, viscous_friction, false, WPIN_VISCOSITY, 0, 10),
    [MOTOR_NO_LOAD] = NODE("no-load-current", false),
    QUANTITY("resistance", wpin_part_motor, resistance, true, WPIN_RESISTANCE, 1e-3, 10e3),
    QUANTITY("inductance", wpin_part_motor, inductance, true, WPIN_INDUCTANCE, 1e-6, 10),
    QUANTITY("pole-pairs", wpin_part_motor, pole_pairs, false, WPIN_NUMBER, 1, 60),
    CHOICE("back-emf", wpin_part_motor, sinusoidal, "flat", "sine"),
    CHOICE("winding", wpin_part_motor, delta, "star", "delta"),
    QUANTITY("cogging", wpin_part_motor, cogging, false, WPIN_TORQUE, 0, 100),
    QUANTITY("cogging-steps", wpin_part_motor, cogging_steps, false, WPIN_NUMBER, 2, 1000),
    QUANTITY("inertia", wpin_part_motor, inertia, true, WPIN_INERTIA, 1e-10, 10),
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

/* What it takes by itself, as its label says: all of its own friction, taken as dry. */
static void read_no_load(wpin_reader *reader, yaml_node_t *const *nodes, wpin_part_motor *m) {
    static const wpin_field field = {.key = "no-load-current",
                                     .type = WPIN_FIELD_QUANTITY,
                                     .dimension = WPIN_CURRENT,
                                     .least = 1e-3,
                                     .most = 100};
    double amps = 0;
    if (nodes[MOTOR_NO_LOAD] == NULL) {
        return;
    }
    if (nodes[MOTOR_DRY] != NULL || nodes[MOTOR_VISCOUS] != NULL) {
        wpin_say_at(reader, nodes[MOTOR_NO_LOAD],
                    "no-load-current is for all of the motor's own friction; expected it, or "
                    "dry-friction and viscous-friction");
        return;
    }
    wpin_read_field(reader, nodes[MOTOR_NO_LOAD], &field, &amps);
    m->dry_friction = m->constant * amps;
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

void wpin_read_motor(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
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
    wpin_read_winding_heat(reader, nodes[MOTOR_HEAT], &load->motor.heat, 130);
    static const wpin_field rated[] = {
        QUANTITY("rated", wpin_rig_load, limits.rated_volts, false, WPIN_VOLTAGE, 0.5, 400)};
    if (nodes[MOTOR_RATED] != NULL) {
        wpin_read_field(reader, nodes[MOTOR_RATED], &rated[0], load);
    }
    read_constant(reader, node, nodes, &load->motor);
    read_no_load(reader, nodes, &load->motor);
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
