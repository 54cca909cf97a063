/* What pins are called: the controller's own line numbers, and other schemes, such as places on a
 * header or what is printed beside them. */
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

static bool is_number(const char *text, uint8_t *pin) {
    char *rest;
    long number = strtol(text, &rest, 10);
    bool good = rest != text && *rest == '\0' && number >= 0 && number <= 255;
    *pin = good ? (uint8_t)number : 0;
    return good;
}

static void read_scheme(wpin_reader *reader, const char *scheme, const yaml_node_t *map,
                        wpin_rig_controller *c) {
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *value = wpin_yaml_node(reader, pair->value);
        const char *name = wpin_key_text(reader, pair);
        const char *text = wpin_scalar(reader, value, "the controller's number of that line");
        uint8_t pin;
        if (text == NULL || !is_number(text, &pin)) {
            wpin_say_at(reader, value,
                        "'%s' is not a line of the controller; expected a whole number, 0 to 255",
                        text == NULL ? "" : text);
            continue;
        }
        if (c->name_count == WPIN_RIG_PIN_NAMES) {
            wpin_say_at(reader, value, "more names of pins than the %d that are kept",
                        WPIN_RIG_PIN_NAMES);
            return;
        }
        wpin_rig_pin_name *n = &c->names[c->name_count++];
        n->pin = pin;
        snprintf(n->scheme, sizeof n->scheme, "%.15s", scheme);
        snprintf(n->name, sizeof n->name, "%.15s", name);
    }
}

void wpin_read_pin_names(wpin_reader *reader, yaml_node_t *node, wpin_rig_controller *c) {
    bool good = node->type == YAML_MAPPING_NODE;
    for (const yaml_node_pair_t *pair = good ? node->data.mapping.pairs.start : NULL;
         good && pair < node->data.mapping.pairs.top; pair++) {
        const yaml_node_t *map = wpin_yaml_node(reader, pair->value);
        good = map->type == YAML_MAPPING_NODE;
        if (good) {
            read_scheme(reader, wpin_key_text(reader, pair), map, c);
        }
    }
    if (!good) {
        wpin_say_at(reader, node,
                    "names must be schemes of names and lines, e.g. {header: {7: 4, 11: 17}}");
    }
}

/* A name in one scheme, or in any (NULL); NULL: it is none. */
static const wpin_rig_pin_name *find(const wpin_rig_controller *c, const char *scheme,
                                     const char *name) {
    for (size_t i = 0; i < c->name_count; i++) {
        const wpin_rig_pin_name *n = &c->names[i];
        if (strcasecmp(n->name, name) == 0 &&
            (scheme == NULL || strcasecmp(n->scheme, scheme) == 0)) {
            return n;
        }
    }
    return NULL;
}

static bool is_scheme(const wpin_rig_controller *c, const char *word) {
    for (size_t i = 0; i < c->name_count; i++) {
        if (strcasecmp(c->names[i].scheme, word) == 0) {
            return true;
        }
    }
    return false;
}

/* A figure where no scheme was said to be the file's: the controller's own line, unless it may as
 * well be another. */
static bool is_plain(wpin_reader *reader, const yaml_node_t *node, const char *text, uint8_t line) {
    const wpin_rig_controller *c = &reader->rig->controller;
    const wpin_rig_pin_name *other = find(c, NULL, text);
    bool clear = strcasecmp(c->numbering, "lines") == 0 || other == NULL || other->pin == line;
    if (!clear) {
        wpin_say_at(reader, node,
                    "'%s' may be line %u of the controller, or by '%s' line %u: say which with "
                    "numbering: lines or numbering: %s",
                    text, line, other->scheme, other->pin, other->scheme);
    }
    return clear;
}

bool wpin_pin_of(wpin_reader *reader, const yaml_node_t *node, const char *text, uint8_t *pin) {
    const wpin_rig_controller *c = &reader->rig->controller;
    bool said = is_scheme(c, c->numbering), number = is_number(text, pin);
    const wpin_rig_pin_name *named = said ? find(c, c->numbering, text) : NULL;
    named = named == NULL && !number ? find(c, NULL, text) : named; /* no figure to be mistaken */
    if (named != NULL) {
        *pin = named->pin;
        return true;
    }
    if (number && said) {
        wpin_say_at(reader, node, "'%s' is not in '%s', whose numbers the pins of this file are",
                    text, c->numbering);
        return false;
    }
    if (!number) {
        wpin_say_at(reader, node, "'%s' is not a pin; expected a whole number, 0 to 255%s", text,
                    c->name_count > 0 ? ", or one of the controller's 'names'" : "");
        return false;
    }
    return is_plain(reader, node, text, *pin);
}

const char *wpin_rig_pin_called(const wpin_rig *rig, uint8_t pin, char *to, size_t size) {
    const wpin_rig_controller *c = &rig->controller;
    to[0] = '\0';
    for (size_t i = 0; i < c->name_count; i++) {
        if (c->names[i].pin == pin) {
            size_t used = strlen(to);
            bool figure = strspn(c->names[i].name, "0123456789") == strlen(c->names[i].name);
            snprintf(to + used, size - used, "%s%s%s%s", used > 0 ? ", " : "",
                     figure ? c->names[i].scheme : "", figure ? " " : "", c->names[i].name);
        }
    }
    return to;
}
