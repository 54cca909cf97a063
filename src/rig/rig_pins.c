/* Pins of a stage: read by line name, with their other names, against what else is on them. */
#define _GNU_SOURCE
#include "fields.h"
#include "rig_parts.h"
#include <stdlib.h>
#include <string.h>
#include <strings.h>

bool wpin_read_pin(wpin_reader *reader, yaml_node_t *node, uint8_t *pin) {
    const char *text = wpin_scalar(reader, node, "a pin number");
    return text != NULL && wpin_pin_of(reader, node, text, pin);
}

void wpin_read_lines(wpin_reader *reader, yaml_node_t *list, const wpin_stage_kind *kind,
                     const char *what, bool *listed) {
    if (list->type != YAML_SEQUENCE_NODE) {
        wpin_say_at(reader, list, "%s must be a list of line names, e.g. [%s]", what,
                    kind->lines[0]);
        return;
    }
    for (size_t i = 0; i < wpin_list_size(list); i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, node, "a line name");
        int line = text == NULL ? -1
                                : wpin_find_word(reader, node, text, "line", kind->lines,
                                                 kind->table->line_count);
        if (line >= 0) {
            listed[line] = true;
        }
    }
}

enum { PIN_NUMBER, PIN_PRINT, PIN_CHIP, PIN_SHARED };
static const wpin_field pin_fields[] = {NODE("pin", true), NODE("print", false),
                                        NODE("chip", false), NODE("shared", false)};

/* The number in a pin that is written with its other names. */
static yaml_node_t *inner_pin(wpin_reader *reader, const yaml_node_t *map) {
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        if (strcasecmp(wpin_key_text(reader, pair), "pin") == 0) {
            return wpin_yaml_node(reader, pair->value);
        }
    }
    return NULL; /* said when the names are read */
}

static void copy_text(wpin_reader *reader, yaml_node_t *node, char *to, size_t size) {
    const char *text = node == NULL ? "" : wpin_scalar(reader, node, "a name");
    snprintf(to, size, "%s", text != NULL ? text : "");
}

/* Reads pin numbers by line name; returns a bit for each line given. */
unsigned wpin_read_pins(wpin_reader *reader, yaml_node_t *map, const wpin_stage_kind *kind,
                        const char *what, uint8_t *pins) {
    unsigned given = 0;
    if (map->type != YAML_MAPPING_NODE) {
        wpin_say_at(reader, map, "%s must be a mapping of line names and pin numbers", what);
        return 0;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        int line =
            wpin_find_word(reader, wpin_yaml_node(reader, pair->key), wpin_key_text(reader, pair),
                           "line", kind->lines, kind->table->line_count);
        yaml_node_t *value = wpin_yaml_node(reader, pair->value);
        if (value->type == YAML_MAPPING_NODE) {
            value = inner_pin(reader, value);
        }
        if (line >= 0) {
            given |= WPIN_PIN_NAMED((unsigned)line);
        }
        if (line >= 0 && value != NULL && wpin_read_pin(reader, value, &pins[line])) {
            given |= 1U << line;
        }
    }
    return given;
}

/* A pin on which several loads are on purpose: {pin: 2, shared: yes}. */
static void read_shared(wpin_reader *reader, yaml_node_t *node, wpin_rig_load *load,
                        unsigned line) {
    static const char *const words[] = {"no", "yes"};
    const char *word = node == NULL ? NULL : wpin_scalar(reader, node, "yes or no");
    if (word == NULL || wpin_find_word(reader, node, word, "answer", words, 2) != 1) {
        return;
    }
    load->shared[line] = true;
    if (!wpin_stage_kind_shares(load->kind, line)) {
        wpin_say_at(reader, node,
                    "'%s' of '%s' can't be shared; expected a line that is low when the load "
                    "coasts and high in every other state, and a load that coasts even while it is "
                    "high",
                    load->kind->lines[line], load->kind->name);
    }
}

/* What else the pin is called, and whether it is shared: {pin: 9, print: D9, chip: IN1}. */
static void read_pin_names(wpin_reader *reader, const yaml_node_t *map, wpin_rig_load *load) {
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         map->type == YAML_MAPPING_NODE && pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *value = wpin_yaml_node(reader, pair->value);
        for (unsigned l = 0; l < load->kind->table->line_count; l++) {
            if (value->type == YAML_MAPPING_NODE &&
                strcasecmp(load->kind->lines[l], wpin_key_text(reader, pair)) == 0) {
                yaml_node_t *nodes[COUNT(pin_fields)];
                wpin_read_map(reader, value, "pin", pin_fields, COUNT(pin_fields), load, nodes);
                copy_text(reader, nodes[PIN_PRINT], load->prints[l], sizeof load->prints[l]);
                copy_text(reader, nodes[PIN_CHIP], load->chips[l], sizeof load->chips[l]);
                read_shared(reader, nodes[PIN_SHARED], load, l);
            }
        }
    }
}

/* A pin of another load, unless both share it on purpose and in the same sense. */
static void check_other_loads(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *node,
                              const wpin_rig_load *load, unsigned line) {
    unsigned sharers = 1;
    for (size_t l = 0; l < rig->load_count; l++) {
        const wpin_rig_load *other = &rig->loads[l];
        for (unsigned j = 0; other->kind != NULL && j < other->kind->table->line_count; j++) {
            if (other->pins[j] != load->pins[line]) {
                continue;
            }
            bool both = load->shared[line] && other->shared[j];
            bool could =
                wpin_stage_kind_shares(load->kind, line) && wpin_stage_kind_shares(other->kind, j);
            sharers++;
            if (both && load->inverted[line] == other->inverted[j] && sharers <= 8) {
                continue;
            }
            wpin_say_at(reader, node, "pin %u for '%s' of '%s' is taken: '%s' of '%s' (line %u)%s",
                        load->pins[line], load->kind->lines[line], load->name,
                        other->kind->lines[j], other->name, other->line,
                        sharers > 8 ? "; up to 8 can share one"
                        : both      ? "; to share it both must be inverted, or none"
                        : could ? "; if one wire goes to both, write {pin: N, shared: yes} in both"
                                : "");
        }
    }
}

static void check_pins(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *node,
                       const wpin_rig_load *load, unsigned given) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        if ((given & WPIN_PIN_NAMED(i)) != 0 && (given >> i & 1) == 0) {
            continue; /* said already */
        }
        if ((given >> i & 1) == 0) {
            wpin_say_at(reader, node, "pins lack '%s'; %s needs it", load->kind->lines[i],
                        load->kind->name);
            continue;
        }
        for (unsigned j = 0; j < i; j++) {
            if ((given >> j & 1) != 0 && load->pins[j] == load->pins[i]) {
                wpin_say_at(reader, node, "pin %u can't be both '%s' and '%s'", load->pins[i],
                            load->kind->lines[j], load->kind->lines[i]);
            }
        }
        for (size_t n = 0; n < rig->load_count; n++) {
            const char *sensor = wpin_shaft_sensor_on(&rig->loads[n], load->pins[i]);
            if (sensor != NULL) {
                wpin_say_at(reader, node, "pin %u for '%s' of '%s' is taken: %s of '%s' (line %u)",
                            load->pins[i], load->kind->lines[i], load->name, sensor,
                            rig->loads[n].name, rig->loads[n].line);
            }
        }
        for (size_t n = 0; n < rig->input_count; n++) {
            if (rig->inputs[n].kind <= WPIN_RIG_LIMIT && rig->inputs[n].pin == load->pins[i]) {
                wpin_say_at(reader, node, "pin %u for '%s' of '%s' is taken: input '%s' (line %u)",
                            load->pins[i], load->kind->lines[i], load->name, rig->inputs[n].name,
                            rig->inputs[n].line);
            }
        }
        check_other_loads(reader, rig, node, load, i);
    }
}

static bool names_line(wpin_reader *reader, const yaml_node_pair_t *pair,
                       const wpin_stage_kind *kind) {
    for (unsigned i = 0; i < kind->table->line_count; i++) {
        if (strcasecmp(kind->lines[i], wpin_key_text(reader, pair)) == 0) {
            return true;
        }
    }
    return false;
}

/* Whether all lines of a kind are named there, and none besides. */
static bool are_lines_of(wpin_reader *reader, const yaml_node_t *map, const wpin_stage_kind *kind) {
    size_t count = 0;
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++, count++) {
        if (!names_line(reader, pair, kind)) {
            return false;
        }
    }
    return count == kind->table->line_count;
}

/* Where they are the lines of another kind: which. */
static void tell_kind(wpin_reader *reader, const yaml_node_t *map, const wpin_rig_load *load) {
    char names[400] = "";
    size_t count, found = 0;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    if (map->type != YAML_MAPPING_NODE || are_lines_of(reader, map, load->kind)) {
        return;
    }
    for (size_t i = 0; i < count; i++) {
        size_t used = strlen(names);
        if (are_lines_of(reader, map, &kinds[i])) {
            snprintf(names + used, sizeof names - used, "%s%s", found++ == 0 ? "" : ", ",
                     kinds[i].name);
        }
    }
    if (found > 0) {
        wpin_say_at(reader, map, "just these lines are those of %s: %s",
                    found == 1 ? "another kind" : "other kinds", names);
    }
}

void wpin_read_stage_pins(wpin_reader *reader, const wpin_rig *rig, yaml_node_t *node,
                          wpin_rig_load *load) {
    unsigned given = wpin_read_pins(reader, node, load->kind, "pins", load->pins);
    read_pin_names(reader, node, load);
    check_pins(reader, rig, node, load, given);
    tell_kind(reader, node, load);
}

wpin_rig_sharing wpin_rig_shares(const wpin_rig *rig, size_t load, unsigned line) {
    wpin_rig_sharing sharing = {.load = load, .line = line};
    for (size_t l = 0; rig->loads[load].shared[line] && l < rig->load_count; l++) {
        const wpin_rig_load *other = &rig->loads[l];
        for (unsigned j = 0; j < other->kind->table->line_count; j++) {
            if (other->shared[j] && other->pins[j] == rig->loads[load].pins[line]) {
                if (sharing.count++ == 0) {
                    sharing.load = l;
                    sharing.line = j;
                }
                sharing.user = (uint8_t)(sharing.user + (l < load ? 1 : 0));
            }
        }
    }
    return sharing;
}
