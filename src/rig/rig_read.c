/* The rig file's shape: which mappings there are, what stands in them, and what must agree. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>

enum {
    TOP_RIG,
    TOP_CONTROLLER,
    TOP_SUPPLIES,
    TOP_INPUTS,
    TOP_LOADS,
    TOP_FAULTS,
    TOP_BOARDS,
    TOP_ACCEPT,
    TOP_LIVE,
    TOP_LINUX,
    TOP_FIELDBUSES,
    TOP_COUNT
};
static const wpin_field top_fields[] = {
    NODE("rig", true),     NODE("controller", false), NODE("supplies", true),
    NODE("inputs", false), NODE("loads", true),       NODE("faults", false),
    NODE("boards", false), NODE("accept", false),     NODE("live", false),
    NODE("linux", false),  NODE("field-buses", false)};

void wpin_rig_free(wpin_rig *rig) {
    if (rig != NULL) {
        for (size_t i = 0; i < rig->load_count; i++) {
            free(rig->loads[i].own);
        }
        free(rig->supplies);
        free(rig->inputs);
        free(rig->faults);
        free(rig->boards);
        free(rig->accepts);
        free(rig->places);
        free(rig->on_linux);
        free(rig->loads);
        free(rig);
    }
}

typedef void read_named(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *key,
                        const char *name, yaml_node_t *node);

/* Reads a mapping from the user's own names to things. */
static void read_all(wpin_reader *reader, wpin_rig *rig, yaml_node_t *map, const char *what,
                     read_named *read) {
    if (map->type != YAML_MAPPING_NODE ||
        map->data.mapping.pairs.start == map->data.mapping.pairs.top) {
        wpin_say_at(reader, map, "%s must be a mapping with at least one name", what);
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        const char *name = wpin_key_text(reader, pair);
        yaml_node_t *key = wpin_yaml_node(reader, pair->key),
                    *value = wpin_yaml_node(reader, pair->value);
        read(reader, rig, key, name, value);
        wpin_note_part(reader, rig, name, key, value);
    }
}

/* A list of faults in words, put in from the start of a rehearsal. */
static void read_faults(wpin_reader *reader, wpin_rig *rig, yaml_node_t *list) {
    if (list->type != YAML_SEQUENCE_NODE) {
        wpin_say_at(reader, list, "faults must be a list, e.g. [pump stalled]");
        return;
    }
    for (size_t i = 0; i < wpin_list_size(list); i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, node, "a fault, e.g. pump stalled");
        wpin_injection one;
        char why[400];
        if (text == NULL || rig->load_count == 0) {
            continue;
        }
        if (!wpin_injection_read(rig, text, &one, why, sizeof why)) {
            wpin_say_at(reader, node, "%s", why);
            continue;
        }
        wpin_injection *all =
            wpin_messages_room(reader->messages, rig->faults, rig->fault_count, sizeof *all);
        if (all != NULL) {
            rig->faults = all;
            all[rig->fault_count++] = one;
        }
    }
}

/* PWM in software has room for a few pins, and for no complementary ones. */
static void check_soft_pwm(wpin_reader *reader, const wpin_rig *rig) {
    unsigned pins = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        unsigned lines =
            load->limits.soft_pwm && load->kind != NULL ? load->kind->table->line_count : 0;
        for (unsigned l = 0; l < lines; l++) {
            pins += wpin_stage_kind_times_line(load->kind, l);
        }
        if (lines != 0 && load->kind->bare) {
            wpin_messages_add(reader->messages, load->line, 1,
                              "'%s' needs complementary PWM with a dead time, which software can't "
                              "make; expected pwm-by: timer",
                              load->name);
        } else if (lines != 0 && pins > WPIN_SOFT_PINS) {
            wpin_messages_add(reader->messages, load->line, 1,
                              "'%s' makes it %u pins with PWM in software; expected at most %d",
                              load->name, pins, WPIN_SOFT_PINS);
        }
    }
}

/* A rig without supplies is refused; until then one of no volts stands for that of each load. False
 * when out of memory. */
static bool stand_in(wpin_reader *reader, wpin_rig *rig) {
    if (rig->supplies == NULL) {
        rig->supplies = wpin_messages_room(reader->messages, NULL, 0, sizeof *rig->supplies);
        if (rig->supplies != NULL) {
            rig->supplies[0] = (wpin_rig_supply){0};
        }
    }
    return rig->supplies != NULL;
}

static void read_top(wpin_reader *reader, wpin_rig *rig) {
    yaml_node_t *root = yaml_document_get_root_node(&reader->document);
    yaml_node_t *nodes[TOP_COUNT];
    if (root->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, root,
                    "the rig file must be a mapping of keys and values; is this the plan? The rig "
                    "comes first");
        return;
    }
    wpin_read_map(reader, root, "the rig file", top_fields, COUNT(top_fields), rig, nodes);
    if (nodes[TOP_RIG] != NULL) {
        const char *text = wpin_scalar(reader, nodes[TOP_RIG], "the rig's name");
        snprintf(rig->name, sizeof rig->name, "%s", text != NULL ? text : "");
    }
    if (nodes[TOP_SUPPLIES] != NULL) {
        read_all(reader, rig, nodes[TOP_SUPPLIES], "supplies", wpin_read_supply);
    }
    if (!stand_in(reader, rig)) {
        return;
    }
    if (nodes[TOP_CONTROLLER] != NULL) {
        wpin_read_controller(reader, rig, nodes[TOP_CONTROLLER]);
        wpin_note_part(reader, rig, "controller", nodes[TOP_CONTROLLER], nodes[TOP_CONTROLLER]);
    }
    if (nodes[TOP_INPUTS] != NULL) {
        read_all(reader, rig, nodes[TOP_INPUTS], "inputs", wpin_read_input);
    }
    if (nodes[TOP_FIELDBUSES] != NULL) {
        read_all(reader, rig, nodes[TOP_FIELDBUSES], "field-buses", wpin_read_fieldbus);
    }
    if (nodes[TOP_BOARDS] != NULL) {
        read_all(reader, rig, nodes[TOP_BOARDS], "boards", wpin_read_board);
    }
    if (nodes[TOP_LOADS] != NULL) {
        read_all(reader, rig, nodes[TOP_LOADS], "loads", wpin_read_load);
    }
    if (nodes[TOP_INPUTS] != NULL) {
        wpin_join_limits(reader, rig, nodes[TOP_INPUTS]);
    }
    if (nodes[TOP_ACCEPT] != NULL) {
        wpin_read_accepts(reader, rig, nodes[TOP_ACCEPT]);
    }
    if (nodes[TOP_LIVE] != NULL) {
        wpin_read_live(reader, rig, nodes[TOP_LIVE]);
    }
    if (nodes[TOP_LINUX] != NULL) {
        wpin_read_linux(reader, rig, nodes[TOP_LINUX]);
    }
    check_soft_pwm(reader, rig);
    if (reader->messages->count == 0) {
        wpin_check_analog(reader, rig);
    }
    if (nodes[TOP_FAULTS] != NULL && reader->messages->count == 0) {
        read_faults(reader, rig, nodes[TOP_FAULTS]);
    }
}

wpin_rig *wpin_rig_read(const char *path, wpin_messages *messages) {
    wpin_reader reader;
    size_t before = messages->count;
    messages->file = path;
    if (!wpin_reader_open(&reader, path, messages)) {
        return NULL;
    }
    wpin_rig *rig = calloc(1, sizeof *rig);
    if (rig != NULL) {
        rig->controller = (wpin_rig_controller){.logic_volts = 5,
                                                .pin_resistance = 25,
                                                .pin_limit = 40e-3,
                                                .pin_rated = 20e-3,
                                                .pins_total = 200e-3,
                                                .timer_hz = 16e6,
                                                .timer_bits = 16,
                                                .tick = 1e-3,
                                                .soft_tick = 50e-6,
                                                .boot = 50e-3,
                                                .supply = -1,
                                                .draws = 30e-3};
        rig->fingerprint = wpin_rig_fingerprint(path);
        reader.rig = rig;
        read_top(&reader, rig);
    }
    wpin_reader_close(&reader);
    messages->out_of_memory = messages->out_of_memory || rig == NULL;
    if (messages->count != before || messages->out_of_memory) {
        wpin_rig_free(rig);
        return NULL;
    }
    return rig;
}
