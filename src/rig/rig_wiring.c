/* What the rig file says about wiring beyond the stages: timers and taken pins, boards, jumpers,
 * what is behind a pin. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void wpin_read_timer_pins(wpin_reader *reader, const yaml_node_t *list, wpin_rig_controller *c) {
    if (wpin_list_size(list) == 0) {
        wpin_say_at(reader, list, "pwm-pins must be a list of pins, e.g. [3, 5, 9]");
        return;
    }
    c->timers_given = true;
    for (size_t i = 0; i < wpin_list_size(list); i++) {
        uint8_t pin;
        if (wpin_read_pin(reader, wpin_list_item(reader, list, i), &pin)) {
            c->timer[pin] = true;
        }
    }
}

void wpin_read_taken(wpin_reader *reader, const yaml_node_t *map, wpin_rig_controller *c) {
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map,
                    "taken must be a mapping of pins and what uses them, e.g. {0: serial}");
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top && c->taken_count < WPIN_RIG_TAKEN; pair++) {
        uint8_t pin;
        const char *by = wpin_scalar(reader, wpin_yaml_node(reader, pair->value), "what uses it");
        if (by != NULL && wpin_read_pin(reader, wpin_yaml_node(reader, pair->key), &pin)) {
            c->taken[c->taken_count].pin = pin;
            snprintf(c->taken[c->taken_count++].by, WPIN_NAME_MAX + 1, "%s", by);
        }
    }
}

void wpin_read_ground(wpin_reader *reader, yaml_node_t *node, char *to) {
    const char *text = wpin_scalar(reader, node, "the name of a ground");
    snprintf(to, WPIN_NAME_MAX + 1, "%s", text != NULL ? text : "");
    if (strcmp(to, "common") == 0) {
        to[0] = '\0';
    }
}

/* statics: {NAME: [needs, is]} */
void wpin_read_statics(wpin_reader *reader, const yaml_node_t *map, wpin_rig_load *load) {
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map,
                    "statics must be a mapping, e.g. {enable-jumper: [fitted, fitted]}");
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top && load->static_count < WPIN_RIG_STATICS; pair++) {
        const yaml_node_t *value = wpin_yaml_node(reader, pair->value);
        if (wpin_list_size(value) != 2) {
            wpin_say_at(
                reader, value,
                "a static condition is what it needs and what it is, e.g. [fitted, removed]");
            continue;
        }
        wpin_rig_static *s = &load->statics[load->static_count];
        const char *needs = wpin_scalar(reader, wpin_list_item(reader, value, 0), "what it needs");
        const char *is = wpin_scalar(reader, wpin_list_item(reader, value, 1), "what it is");
        if (needs != NULL && is != NULL) {
            snprintf(s->name, sizeof s->name, "%.31s", wpin_key_text(reader, pair));
            snprintf(s->needs, sizeof s->needs, "%s", needs);
            snprintf(s->is, sizeof s->is, "%s", is);
            load->static_count++;
        }
    }
}

enum { GATE_KIND };
static const wpin_field gate_fields[] = {
    NODE("kind", true),
    QUANTITY("base-resistor", wpin_part_gate, base_ohms, false, WPIN_RESISTANCE, 0, 1e7),
    QUANTITY("base", wpin_part_gate, base_volts, false, WPIN_VOLTAGE, 0.2, 3),
    QUANTITY("gain", wpin_part_gate, gain, false, WPIN_NUMBER, 1, 1e5),
    QUANTITY("threshold", wpin_part_gate, threshold, false, WPIN_VOLTAGE, 0.1, 10),
    QUANTITY("stated-at", wpin_part_gate, stated_at, false, WPIN_VOLTAGE, 0.5, 20),
    QUANTITY("gate-limit", wpin_part_gate, limit, false, WPIN_VOLTAGE, 3, 60),
    QUANTITY("clamp", wpin_part_gate, clamp_volts, false, WPIN_VOLTAGE, 2, 60),
    CHOICE("shifter", wpin_part_gate, shifter, "no", "yes"),
};

void wpin_read_gate(wpin_reader *reader, yaml_node_t *node, const wpin_stage_kind *kind,
                    wpin_part_gate *gate) {
    static const char *const words[] = {"npn", "n-channel", "p-channel"};
    yaml_node_t *nodes[COUNT(gate_fields)];
    *gate = (wpin_part_gate){.base_volts = 0.8, .threshold = 2, .stated_at = 4.5, .limit = 20};
    wpin_read_map(reader, node, "transistor", gate_fields, COUNT(gate_fields), gate, nodes);
    if (node->type != YAML_MAPPING_NODE || nodes[GATE_KIND] == NULL) {
        return;
    }
    const char *text = wpin_scalar(reader, nodes[GATE_KIND], "npn, n-channel or p-channel");
    int found = text == NULL ? -1
                             : wpin_find_word(reader, nodes[GATE_KIND], text, "kind of transistor",
                                              words, COUNT(words));
    gate->kind = found < 0 ? WPIN_TRANSISTOR_NONE : (wpin_transistor)(found + 1);
    bool high = gate->kind == WPIN_TRANSISTOR_PFET;
    bool single =
        kind == NULL || kind->logic == (high ? WPIN_LOGIC_HIGH_SIDE : WPIN_LOGIC_LOW_SIDE);
    if (found >= 0 && !single) {
        wpin_say_at(reader, node, "a %s transistor belongs to a stage '%s', not to '%s'",
                    words[found], high ? "high-side-switch" : "low-side-switch", kind->name);
    }
    if (gate->kind == WPIN_TRANSISTOR_NPN && (gate->base_ohms <= 0 || gate->gain <= 0)) {
        wpin_say_at(reader, node, "npn needs 'base-resistor' and 'gain', the least it has");
    }
    if (gate->threshold >= gate->stated_at) {
        wpin_say_at(reader, node, "threshold (%.3g V) is not below stated-at (%.3g V)",
                    gate->threshold, gate->stated_at);
    }
}

void wpin_read_coil(wpin_reader *reader, yaml_node_t *node, wpin_part_driver *bridge) {
    static const wpin_field fields[] = {
        QUANTITY("resistance", wpin_part_driver, coil_ohms, true, WPIN_RESISTANCE, 1, 1e6),
        QUANTITY("closes-at", wpin_part_driver, coil_volts, true, WPIN_VOLTAGE, 0.5, 60)};
    wpin_read_map(reader, node, "coil", fields, COUNT(fields), bridge, NULL);
}

void wpin_read_opto(wpin_reader *reader, yaml_node_t *node, wpin_part_driver *bridge) {
    static const wpin_field fields[] = {
        QUANTITY("forward", wpin_part_driver, opto.forward_volts, true, WPIN_VOLTAGE, 0.3, 5),
        QUANTITY("resistor", wpin_part_driver, opto.series_ohms, true, WPIN_RESISTANCE, 0, 1e5),
        QUANTITY("least", wpin_part_driver, opto.least_amps, true, WPIN_CURRENT, 1e-5, 0.1)};
    wpin_read_map(reader, node, "opto", fields, COUNT(fields), bridge, NULL);
}

/* ---- boards ---- */

static const wpin_field board_fields[] = {
    QUANTITY("total", wpin_rig_board, total, false, WPIN_CURRENT, 1e-3, 1e3),
    QUANTITY("terminal", wpin_rig_board, terminal, false, WPIN_CURRENT, 1e-3, 1e3),
};

void wpin_read_board(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key, const char *name,
                     yaml_node_t *node) {
    wpin_rig_board board = {.line = (unsigned)key->start_mark.line + 1};
    if (!wpin_take_name(reader, rig, key, name, board.name)) {
        return;
    }
    wpin_read_map(reader, node, "board", board_fields, COUNT(board_fields), &board, NULL);
    wpin_rig_board *all =
        wpin_messages_room(reader->messages, rig->boards, rig->board_count, sizeof *all);
    if (all != NULL) {
        rig->boards = all;
        all[rig->board_count++] = board;
    }
}

int wpin_find_board_at(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node) {
    const char *text = wpin_scalar(reader, node, "the name of a board");
    if (text == NULL) {
        return -1;
    }
    if (rig->board_count == 0) {
        wpin_say_at(reader, node, "board '%s': this rig describes no boards", text);
        return -1;
    }
    const char **names = calloc(rig->board_count, sizeof *names);
    if (names == NULL) {
        reader->messages->out_of_memory = true;
        return -1;
    }
    for (size_t i = 0; i < rig->board_count; i++) {
        names[i] = rig->boards[i].name;
    }
    int found = wpin_find_word(reader, node, text, "board", names, rig->board_count);
    free(names);
    return found;
}
