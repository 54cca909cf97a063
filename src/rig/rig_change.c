/* A rig file with one value changed: the text around it stays as it is. */
#define _GNU_SOURCE
#include "windpin/host/rig.h"
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <yaml.h>

/* ---- files as text ---- */

static char *read_all(const char *path) {
    FILE *file = fopen(path, "r");
    char *text = NULL;
    size_t room = 0;
    if (file == NULL) {
        return NULL;
    }
    ssize_t length = getdelim(&text, &room, '\0', file);
    fclose(file);
    if (length < 0) {
        free(text);
        return NULL;
    }
    return text;
}

static bool write_all(const char *path, const char *before, size_t length, const char *value,
                      const char *after) {
    FILE *file = fopen(path, "w");
    if (file == NULL) {
        return false;
    }
    bool good = fwrite(before, 1, length, file) == length && fputs(value, file) >= 0 &&
                fputs(after, file) >= 0;
    return fclose(file) == 0 && good;
}

/* Where the nth character (not byte) of UTF-8 begins. */
static size_t byte_of(const char *text, size_t character) {
    size_t at = 0;
    while (text[at] != '\0' && (character > 0 || ((unsigned char)text[at] & 0xC0U) == 0x80U)) {
        at++;
        character -= ((unsigned char)text[at] & 0xC0U) != 0x80U ? 1 : 0;
    }
    return at;
}

/* ---- the value ---- */

typedef struct search {
    yaml_document_t document;
    const char *path; /* all of it, for messages */
    char *why;
    size_t why_size;
} search;

static yaml_node_t *node_of(search *s, int index) {
    return yaml_document_get_node(&s->document, index);
}

static const char *key_of(search *s, const yaml_node_pair_t *pair) {
    const yaml_node_t *key = node_of(s, pair->key);
    return key != NULL && key->type == YAML_SCALAR_NODE ? (const char *)key->data.scalar.value : "";
}

/* The value of a key of a mapping, NULL if it has none of that name. */
static yaml_node_t *under(search *s, const yaml_node_t *map, const char *key, size_t length) {
    if (map == NULL || map->type != YAML_MAPPING_NODE) {
        return NULL;
    }
    for (yaml_node_pair_t *p = map->data.mapping.pairs.start; p < map->data.mapping.pairs.top;
         p++) {
        const char *name = key_of(s, p);
        if (strlen(name) == length && strncasecmp(name, key, length) == 0) {
            return node_of(s, p->value);
        }
    }
    return NULL;
}

/* What a path begins with: a part (a load, a supply, an input), or a key of the rig itself. */
static yaml_node_t *part(search *s, const char *name, size_t length) {
    yaml_node_t *root = yaml_document_get_root_node(&s->document);
    yaml_node_t *found = under(s, root, name, length);
    if (found != NULL || root == NULL || root->type != YAML_MAPPING_NODE) {
        return found;
    }
    for (yaml_node_pair_t *p = root->data.mapping.pairs.start;
         found == NULL && p < root->data.mapping.pairs.top; p++) {
        found = under(s, node_of(s, p->value), name, length);
    }
    return found;
}

/* Says that a mapping has no such key, and what it has. */
static void say_missing(search *s, const yaml_node_t *map, const char *key, size_t length) {
    int used = snprintf(s->why, s->why_size, "'%s': no '%.*s' there", s->path, (int)length, key);
    const char *between = "; expected ";
    if (map == NULL || map->type != YAML_MAPPING_NODE) {
        return;
    }
    for (yaml_node_pair_t *p = map->data.mapping.pairs.start;
         p < map->data.mapping.pairs.top && used < (int)s->why_size; p++) {
        used += snprintf(s->why + used, s->why_size - (size_t)used, "%s%s", between, key_of(s, p));
        between = ", ";
    }
}

/* The mapping that the last key of the path stands in, and that key. */
static yaml_node_t *holder(search *s, const char **last) {
    const char *at = s->path, *dot = strchr(at, '.');
    if (dot == NULL) {
        snprintf(s->why, s->why_size,
                 "'%s' is not a value; expected a part and a key of it, e.g. pump.rest", s->path);
        return NULL;
    }
    yaml_node_t *map = part(s, at, (size_t)(dot - at));
    if (map == NULL) {
        snprintf(s->why, s->why_size, "'%s': the rig has no '%.*s'", s->path, (int)(dot - at), at);
        return NULL;
    }
    for (at = dot + 1; (dot = strchr(at, '.')) != NULL; at = dot + 1) {
        yaml_node_t *next = under(s, map, at, (size_t)(dot - at));
        if (next == NULL) {
            say_missing(s, map, at, (size_t)(dot - at));
            return NULL;
        }
        map = next;
    }
    *last = at;
    if (map->type != YAML_MAPPING_NODE ||
        map->data.mapping.pairs.start >= map->data.mapping.pairs.top) {
        snprintf(s->why, s->why_size, "'%s': what it stands under is one value already", s->path);
        return NULL;
    }
    return map;
}

static bool is_one(const yaml_node_t *node) {
    return node->type == YAML_SCALAR_NODE ||
           (node->type == YAML_MAPPING_NODE &&
            node->data.mapping.style == YAML_FLOW_MAPPING_STYLE) ||
           (node->type == YAML_SEQUENCE_NODE &&
            node->data.sequence.style == YAML_FLOW_SEQUENCE_STYLE);
}

/* What is put in, and in place of which bytes. */
typedef struct edit {
    size_t from, to;
    char text[500];
} edit;

/* A new key goes before the first one of its mapping. */
static void insert(const char *text, const yaml_node_t *first, bool flow, const char *key,
                   const char *value, edit *e) {
    e->from = e->to = byte_of(text, first->start_mark.index);
    int used = snprintf(e->text, sizeof e->text, "%s: %s", key, value);
    if (flow) {
        snprintf(e->text + used, sizeof e->text - (size_t)used, ", ");
    } else {
        snprintf(e->text + used, sizeof e->text - (size_t)used, "\n%*s",
                 (int)first->start_mark.column, "");
    }
}

static bool find_edit(search *s, const char *text, const char *value, edit *e, char *was,
                      size_t was_size) {
    const char *key = "";
    yaml_node_t *map = holder(s, &key);
    if (map == NULL) {
        return false;
    }
    yaml_node_t *node = under(s, map, key, strlen(key));
    snprintf(was, was_size, "%s", "not given");
    if (node == NULL) {
        const yaml_node_t *first = node_of(s, map->data.mapping.pairs.start->key);
        insert(text, first, map->data.mapping.style == YAML_FLOW_MAPPING_STYLE, key, value, e);
        return true;
    }
    if (!is_one(node)) {
        snprintf(s->why, s->why_size, "'%s' is more than one value; change one of it, e.g. %s.%s",
                 s->path, s->path,
                 node->type == YAML_MAPPING_NODE ? key_of(s, node->data.mapping.pairs.start) : "0");
        return false;
    }
    e->from = byte_of(text, node->start_mark.index);
    e->to = byte_of(text, node->end_mark.index);
    snprintf(was, was_size, "%.*s", (int)(e->to - e->from), text + e->from);
    snprintf(e->text, sizeof e->text, "%s", value);
    return true;
}

static bool load(search *s, const char *text) {
    yaml_parser_t parser;
    if (!yaml_parser_initialize(&parser)) {
        return false;
    }
    yaml_parser_set_input_string(&parser, (const unsigned char *)text, strlen(text));
    bool loaded = yaml_parser_load(&parser, &s->document) != 0;
    yaml_parser_delete(&parser);
    return loaded;
}

bool wpin_rig_change(const char *from, const char *to, const char *change, char *was,
                     size_t was_size, char *why, size_t why_size) {
    char path[200];
    const char *equals = strchr(change, '=');
    if (equals == NULL || equals == change || equals[1] == '\0' ||
        (size_t)(equals - change) >= sizeof path || strlen(equals) > 400) {
        snprintf(why, why_size, "'%s': expected a key and its new value, e.g. pump.rest=500ms",
                 change);
        return false;
    }
    snprintf(path, sizeof path, "%.*s", (int)(equals - change), change);
    char *text = read_all(from);
    search s = {.path = path, .why = why, .why_size = why_size};
    if (text == NULL || !load(&s, text)) {
        snprintf(why, why_size, "%s can't be read", from);
        free(text);
        return false;
    }
    edit e;
    bool good = find_edit(&s, text, equals + 1, &e, was, was_size);
    if (good && !write_all(to, text, e.from, e.text, text + e.to)) {
        snprintf(why, why_size, "%s can't be written: %s", to, strerror(errno));
        good = false;
    }
    yaml_document_delete(&s.document);
    free(text);
    return good;
}
