/* The cable of a load as it is connected: each wire by its label, what it is, and where it goes. */
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

static const char *const functions[] = {[WPIN_WIRE_LEAD_A] = "lead-a",
                                        [WPIN_WIRE_LEAD_B] = "lead-b",
                                        [WPIN_WIRE_LEAD_C] = "lead-c",
                                        [WPIN_WIRE_SENSOR_PLUS] = "sensor-plus",
                                        [WPIN_WIRE_SENSOR_GROUND] = "sensor-ground",
                                        [WPIN_WIRE_ENCODER_A] = "encoder-a",
                                        [WPIN_WIRE_ENCODER_B] = "encoder-b",
                                        [WPIN_WIRE_HALL_A] = "hall-a",
                                        [WPIN_WIRE_HALL_B] = "hall-b",
                                        [WPIN_WIRE_HALL_C] = "hall-c",
                                        [WPIN_WIRE_COIL_A1] = "coil-a1",
                                        [WPIN_WIRE_COIL_A2] = "coil-a2",
                                        [WPIN_WIRE_COIL_B1] = "coil-b1",
                                        [WPIN_WIRE_COIL_B2] = "coil-b2"};
static const char *const outputs[] = {"a", "b", "c"}, *const coil_outputs[] = {"a1", "a2", "b1",
                                                                               "b2"};

const char *wpin_wire_word(wpin_wire_is is) {
    return functions[is];
}

const char *wpin_wire_output(const wpin_rig_load *load, int number) {
    return wpin_rig_type(load)->steps ? coil_outputs[number & 3] : outputs[number % 3];
}

/* The number of an output of its driver, -1: it has none of that name. */
static int find_output(const wpin_rig_load *load, const char *word) {
    for (int i = 0; i < (wpin_rig_type(load)->steps ? 4 : 3); i++) {
        if (strcasecmp(word, wpin_wire_output(load, i)) == 0) {
            return i;
        }
    }
    return -1;
}

enum { WIRE_IS, WIRE_TO };
static const wpin_field wire_fields[] = {NODE("is", true), NODE("to", true)};

/* driver a, supply NAME, pin N, logic, ground, nothing */
static void read_end(wpin_reader *reader, const yaml_node_t *node, const wpin_rig *rig,
                     const wpin_rig_load *load, const char *text, wpin_rig_wire *wire) {
    char word[16] = "", rest[WPIN_NAME_MAX + 2] = "";
    uint8_t pin;
    sscanf(text, " %15s %32s", word, rest);
    int supply = wpin_rig_find_supply(rig, rest);
    int output = find_output(load, rest);
    if (strcasecmp(word, "driver") == 0 && output >= 0) {
        wire->to = WPIN_WIRE_TO_DRIVER;
        wire->number = output;
    } else if (strcasecmp(word, "supply") == 0 && supply >= 0) {
        wire->to = WPIN_WIRE_TO_SUPPLY;
        wire->number = supply;
    } else if (strcasecmp(word, "pin") == 0 && rest[0] != '\0') {
        wire->to = WPIN_WIRE_TO_PIN;
        wire->number = wpin_pin_of(reader, node, rest, &pin) ? pin : 0;
    } else if (strcasecmp(word, "logic") == 0 && rest[0] == '\0') {
        wire->to = WPIN_WIRE_TO_LOGIC;
    } else if (strcasecmp(word, "ground") == 0 && rest[0] == '\0') {
        wire->to = WPIN_WIRE_TO_GROUND;
    } else if (strcasecmp(word, "nothing") == 0 && rest[0] == '\0') {
        wire->to = WPIN_WIRE_TO_NOTHING;
    } else {
        wpin_say_at(
            reader, node,
            "'%s' is not an end of a wire; expected 'driver %s', 'supply NAME', 'pin 2', logic, "
            "ground or nothing",
            text, wpin_wire_output(load, 0));
    }
}

static void read_wire(wpin_reader *reader, const wpin_rig *rig, const char *label,
                      yaml_node_t *node, wpin_rig_load *load) {
    yaml_node_t *nodes[COUNT(wire_fields)];
    wpin_rig_wire wire = {.to = WPIN_WIRE_TO_NOTHING};
    char what[40];
    snprintf(what, sizeof what, "wire '%.20s'", label);
    wpin_read_map(reader, node, what, wire_fields, COUNT(wire_fields), &wire, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[WIRE_IS] == NULL || nodes[WIRE_TO] == NULL) {
        return;
    }
    bool stepper = wpin_rig_type(load)->steps;
    int first = stepper ? WPIN_WIRE_COIL_A1 : 0,
        behind = stepper ? (int)COUNT(functions) : WPIN_WIRE_COIL_A1;
    const char *is = wpin_scalar(reader, nodes[WIRE_IS], "what the wire is, e.g. lead-a");
    int found = is == NULL ? -1
                           : wpin_find_word(reader, nodes[WIRE_IS], is, "wire", functions + first,
                                            (size_t)(behind - first));
    const char *to = wpin_scalar(reader, nodes[WIRE_TO], "where it goes, e.g. pin 2");
    if (to != NULL) {
        read_end(reader, nodes[WIRE_TO], rig, load, to, &wire);
    }
    if (found < 0 || to == NULL) {
        return;
    }
    wire.is = (uint8_t)(first + found);
    snprintf(wire.label, sizeof wire.label, "%.15s", label);
    if (load->wire_count == WPIN_RIG_WIRES) {
        wpin_say_at(reader, node, "a cable has %d wires at most", WPIN_RIG_WIRES);
        return;
    }
    load->cable[load->wire_count++] = wire;
}

void wpin_read_cable(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                     wpin_rig_load *load) {
    if (node->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, node,
                    "cable must be a mapping of wires, e.g. red: {is: lead-a, to: driver a}");
        return;
    }
    if (!wpin_rig_type(load)->turns) {
        wpin_say_at(reader, node, "cables are described of motors and steppers; '%s' is neither",
                    load->name);
        return;
    }
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        read_wire(reader, rig, wpin_key_text(reader, pair), wpin_yaml_node(reader, pair->value),
                  load);
    }
}

const wpin_rig_wire *wpin_rig_wire_of(const wpin_rig_load *load, wpin_wire_is is) {
    for (size_t i = 0; i < load->wire_count; i++) {
        if (load->cable[i].is == (uint8_t)is) {
            return &load->cable[i];
        }
    }
    return NULL;
}

int wpin_rig_wire_pin(const wpin_rig_load *load, wpin_wire_is is) {
    bool encoder = wpin_rig_counts_here(load);
    switch (is) {
    case WPIN_WIRE_ENCODER_A: return encoder ? load->encoder.pins[0] : -1;
    case WPIN_WIRE_ENCODER_B:
        return encoder && !load->encoder.one_channel ? load->encoder.pins[1] : -1;
    case WPIN_WIRE_HALL_A:
    case WPIN_WIRE_HALL_B:
    case WPIN_WIRE_HALL_C: return load->hall.there ? load->hall.pins[is - WPIN_WIRE_HALL_A] : -1;
    default: return -1;
    }
}

bool wpin_rig_wire_feeds(const wpin_rig *rig, const wpin_rig_wire *plus) {
    if (plus->to != WPIN_WIRE_TO_SUPPLY) {
        return plus->to == WPIN_WIRE_TO_LOGIC;
    }
    return rig->supplies[plus->number].volts <= 1.1 * rig->controller.logic_volts;
}
