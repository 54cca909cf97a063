/* The Hall sensors of a brushless motor. */
#include "rig_parts.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { HALL_PINS, HALL_CODES, HALL_OUTPUT, HALL_FOUND, HALL_ADVANCE };
static const wpin_field hall_fields[] = {
    NODE("pins", false),
    NODE("codes", false),
    NODE("output", false),
    NODE("found", false),
    QUANTITY("advance", wpin_rig_hall, advance, false, WPIN_ANGLE, 0, 28.0 / 360),
    CHOICE("to", wpin_rig_hall, at_driver, "controller", "driver"),
    CHOICE("apart", wpin_rig_hall, sixty, "120deg", "60deg"),
    QUANTITY("uneven", wpin_rig_hall, uneven, false, WPIN_ANGLE, 0, 25.0 / 360),
    QUANTITY("hysteresis", wpin_rig_hall, hysteresis, false, WPIN_ANGLE, 0, 10.0 / 360),
};

enum { SENSORS = 3, SECTORS = 6 };

/* Six codes that differ by one sensor from one to the next, as a turning magnet shows them. */
static bool codes_hold(const uint8_t *codes) {
    unsigned seen = 0;
    for (int i = 0; i < SECTORS; i++) {
        unsigned changed = codes[i] ^ codes[(i + 1) % SECTORS];
        seen |= 1U << codes[i];
        if (changed != 1 && changed != 2 && changed != 4) {
            return false;
        }
    }
    return __builtin_popcount(seen) == SECTORS;
}

static void read_codes(wpin_reader *reader, yaml_node_t *list, wpin_rig_hall *h) {
    static const wpin_field field = {.key = "codes",
                                     .type = WPIN_FIELD_QUANTITY,
                                     .dimension = WPIN_NUMBER,
                                     .least = 0,
                                     .most = 7};
    bool whole = wpin_list_size(list) == SECTORS;
    for (size_t i = 0; whole && i < SECTORS; i++) {
        double code = -1;
        wpin_read_field(reader, wpin_list_item(reader, list, i), &field, &code);
        whole = code >= 0 && fmod(code, 1) == 0;
        h->codes[i] = (uint8_t)(whole ? code : 0);
    }
    if (!whole || !codes_hold(h->codes)) {
        wpin_say_at(reader, list,
                    "codes: six different codes of the sensors (a is 1, b is 2, c is 4), one for "
                    "each sector in their order, each one sensor off the next; expected e.g. [5, "
                    "1, 3, 2, 6, 4]");
    }
}

uint32_t wpin_rig_order_mark(const wpin_rig_load *load) {
    const uint8_t *h = load->hall.pins;
    char text[200];
    int used = snprintf(text, sizeof text, "%s %g %u %u %u", load->kind->name,
                        load->motor.pole_pairs, h[0], h[1], h[2]);
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        used += snprintf(text + used, sizeof text - (size_t)used, " %u", load->pins[i]);
    }
    return wpin_mark_of(text);
}

/* When the codes were found, and for which wires. */
static void read_found(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load) {
    static const wpin_field fields[] = {NODE("on", true), NODE("of", true)};
    yaml_node_t *nodes[COUNT(fields)];
    uint32_t of;
    wpin_read_map(reader, node, "found", fields, COUNT(fields), &load->hall, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[0] == NULL || nodes[1] == NULL) {
        return;
    }
    const char *on = wpin_scalar(reader, nodes[0], "a day, e.g. 2026-11-25");
    if (on != NULL && wpin_read_mark(reader, nodes[1], "windpin order", &of)) {
        snprintf(load->hall.on, sizeof load->hall.on, "%.11s", on);
        load->hall.stale = of != wpin_rig_order_mark(load);
    }
}

/* Sensors that the driver commutates by; of them the controller has the speed output at the most.
 */
static void read_at_driver(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                           yaml_node_t *const *nodes, wpin_rig_load *load) {
    const yaml_node_t *wired = nodes[HALL_PINS] != NULL      ? nodes[HALL_PINS]
                               : nodes[HALL_CODES] != NULL   ? nodes[HALL_CODES]
                               : nodes[HALL_ADVANCE] != NULL ? nodes[HALL_ADVANCE]
                                                             : nodes[HALL_FOUND];
    if (wired != NULL) {
        wpin_say_at(reader, wired,
                    "to: driver: the sensors of '%s' go to its driver, not to pins; expected only "
                    "'output', the pin that reads its speed output",
                    load->name);
    }
    if (load->kind != NULL && !wpin_logic_of(load->kind->logic)->commutates) {
        wpin_say_at(
            reader, node,
            "to: driver: a stage '%s' does not commutate by itself; expected one that takes "
            "direction and PWM, e.g. direction-pwm-brake, or pins of the controller",
            load->kind->name);
    }
    wpin_rig_encoder output = {
        .there = true, .by_driver = true, .one_channel = true, .lines = 3 * load->motor.pole_pairs};
    if (nodes[HALL_OUTPUT] != NULL && wpin_read_pin(reader, nodes[HALL_OUTPUT], &output.pins[0])) {
        const char *user = wpin_pin_user(rig, load, output.pins[0]);
        if (user != NULL) {
            wpin_say_at(reader, nodes[HALL_OUTPUT],
                        "pin %u for the speed output of '%s' is taken: '%s'", output.pins[0],
                        load->name, user);
        }
        load->encoder = output;
    }
}

void wpin_read_hall(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                    wpin_rig_load *load) {
    static const uint8_t usual[SECTORS] = {5, 1, 3, 2, 6, 4}, sixty[SECTORS] = {1, 3, 7, 6, 4, 0};
    yaml_node_t *nodes[COUNT(hall_fields)];
    wpin_rig_hall *h = &load->hall;
    wpin_read_map(reader, node, "hall", hall_fields, COUNT(hall_fields), h, nodes);
    if (node->type != YAML_MAPPING_NODE) {
        return;
    }
    if (!wpin_rig_type(load)->spins || load->motor.pole_pairs <= 0) {
        wpin_say_at(reader, node,
                    "Hall sensors are those of a brushless motor; '%s' needs a motor with "
                    "pole-pairs",
                    load->name);
        return;
    }
    if (h->at_driver) {
        read_at_driver(reader, rig, node, nodes, load);
        return;
    }
    if (nodes[HALL_PINS] == NULL || nodes[HALL_OUTPUT] != NULL) {
        wpin_say_at(reader, node,
                    nodes[HALL_PINS] == NULL
                        ? "hall lacks 'pins'; expected e.g. pins: {a: 14, b: 15, c: 16}, or to: "
                          "driver where its driver commutates by itself"
                        : "'output' is the speed output of a driver that commutates by itself; "
                          "expected 'to: driver' with it, or 'pins' alone");
        return;
    }
    memcpy(h->codes, h->sixty ? sixty : usual, sizeof h->codes);
    if (nodes[HALL_CODES] != NULL) {
        read_codes(reader, nodes[HALL_CODES], h);
    }
    wpin_read_three_pins(reader, rig, nodes[HALL_PINS], load, "Hall sensor", h->pins);
    if (nodes[HALL_FOUND] != NULL && load->kind != NULL) {
        read_found(reader, nodes[HALL_FOUND], load);
    }
    h->there = true;
    load->encoder = (wpin_rig_encoder){.there = true, .by_hall = true};
}

void wpin_rig_wires_mixed(uint8_t order, uint8_t leads[3], uint8_t sensors[3], bool *inverted) {
    static const uint8_t orders[6][3] = {{0, 1, 2}, {0, 2, 1}, {1, 0, 2},
                                         {1, 2, 0}, {2, 0, 1}, {2, 1, 0}};
    memcpy(leads, orders[order % 6], SENSORS);
    memcpy(sensors, orders[order / 6 % 6], SENSORS);
    *inverted = order / 36 % 2 != 0;
}
