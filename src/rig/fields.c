/* The table-driven reader behind every mapping of the rig file. */
#define _GNU_SOURCE
#include "fields.h"
#include "windpin/host/plain.h"
#include <assert.h>
#include <errno.h>
#include <limits.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/stat.h>

/* In place of a line number: a needed key that is there with a slip. */
#define EXCUSED UINT_MAX
enum { FIELDS_MAX = 64 };

/* The line of a file, counted from 0; "" when there is none. */
static void line_of(FILE *file, size_t number, char *line, size_t size) {
    rewind(file);
    line[0] = '\0';
    for (size_t i = 0; i <= number && fgets(line, (int)size, file) != NULL; i++) {
    }
}

/* Whether "key:value" stands there, without the blank that makes it a key. */
static bool lacks_blank(const char *line) {
    const char *colon = strchr(line, ':');
    return colon != NULL && colon > line && colon[1] != '\0' && strchr(" \t\r\n", colon[1]) == NULL;
}

/* What the parser complains about, in words for somebody who never heard of YAML. */
static void say_parser(const yaml_parser_t *parser, FILE *file, wpin_messages *messages) {
    size_t number = parser->problem_mark.line, slip = 0;
    char line[400], other[400];
    line_of(file, number, line, sizeof line);
    const size_t suspects[] = {number, number > 0 ? number - 1 : 0, parser->context_mark.line};
    bool slips = false;
    for (size_t i = 0; i < 3 && !slips; i++) {
        slip = suspects[i];
        line_of(file, slip, other, sizeof other);
        slips = lacks_blank(other);
    }
    const char *problem = parser->problem != NULL ? parser->problem : "unknown problem";
    unsigned row = (unsigned)number + 1, column = (unsigned)parser->problem_mark.column + 1;
    bool control = parser->error == YAML_READER_ERROR;
    if (control) {
        wpin_messages_add(messages, 0, 0,
                          "is not a text file; expected a rig (see docs/rig.md): %s", problem);
    } else if (line[strspn(line, " ")] == '\t' || strchr(line, '\t') == line + column - 1) {
        wpin_messages_add(messages, row, column,
                          "a tab stands here; expected blanks, two more for each level");
    } else if (slips) {
        wpin_messages_add(messages, (unsigned)slip + 1, (unsigned)(strchr(other, ':') - other) + 2,
                          "a blank is missing behind the colon; expected 'key: value'");
    } else if (strstr(problem, "did not find expected key") != NULL ||
               strstr(problem, "block mapping") != NULL || strstr(problem, "block end") != NULL) {
        wpin_messages_add(messages, row, column,
                          "this line's indent fits no line above; lines that belong together begin "
                          "in the same column");
    } else {
        wpin_messages_add(messages, row, column, "not readable as YAML: %s%s%s", problem,
                          parser->context != NULL ? ", " : "",
                          parser->context != NULL ? parser->context : "");
    }
}

/* Opens a file that can be read as text; NULL with a message. */
static FILE *open_text(const char *path, wpin_messages *messages) {
    struct stat s;
    FILE *file = fopen(path, "rb");
    if (file == NULL) {
        wpin_messages_add(messages, 0, 0, "can't be opened: %s", strerror(errno));
    } else if (fstat(fileno(file), &s) == 0 && S_ISDIR(s.st_mode)) {
        wpin_messages_add(messages, 0, 0, "is a folder; expected a file");
        fclose(file);
        file = NULL;
    }
    return file;
}

bool wpin_reader_open(wpin_reader *reader, const char *path, wpin_messages *messages) {
    reader->messages = messages;
    FILE *file = open_text(path, messages);
    yaml_parser_t parser;
    if (file == NULL || !yaml_parser_initialize(&parser)) {
        messages->out_of_memory = messages->out_of_memory || file != NULL;
        if (file != NULL) {
            fclose(file);
        }
        return false;
    }
    yaml_parser_set_input_file(&parser, file);
    bool loaded = yaml_parser_load(&parser, &reader->document) != 0;
    if (!loaded) {
        say_parser(&parser, file, messages);
    } else if (yaml_document_get_root_node(&reader->document) == NULL) {
        wpin_messages_add(messages, 0, 0, "is empty; expected a rig (see docs/rig.md)");
        yaml_document_delete(&reader->document);
        loaded = false;
    }
    yaml_parser_delete(&parser);
    fclose(file);
    return loaded;
}

void wpin_reader_close(wpin_reader *reader) {
    yaml_document_delete(&reader->document);
}

void wpin_say_at(wpin_reader *reader, const yaml_node_t *node, const char *format, ...) {
    va_list words;
    va_start(words, format);
    char *text = wpin_plain_text(format, words);
    va_end(words);
    if (text == NULL) {
        reader->messages->out_of_memory = true;
    } else {
        wpin_messages_add(reader->messages, (unsigned)node->start_mark.line + 1,
                          (unsigned)node->start_mark.column + 1, "%s", text);
        free(text);
    }
}

yaml_node_t *wpin_yaml_node(wpin_reader *reader, int index) {
    return yaml_document_get_node(&reader->document, index);
}

size_t wpin_list_size(const yaml_node_t *list) {
    return list->type != YAML_SEQUENCE_NODE
               ? 0
               : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
}

yaml_node_t *wpin_list_item(wpin_reader *reader, const yaml_node_t *list, size_t index) {
    return wpin_yaml_node(reader, list->data.sequence.items.start[index]);
}

const char *wpin_key_text(wpin_reader *reader, const yaml_node_pair_t *pair) {
    const yaml_node_t *key = wpin_yaml_node(reader, pair->key);
    return key->type == YAML_SCALAR_NODE ? (const char *)key->data.scalar.value : "";
}

const char *wpin_scalar(wpin_reader *reader, yaml_node_t *node, const char *expected) {
    if (node->type != YAML_SCALAR_NODE) {
        wpin_say_at(reader, node, "found a %s; expected %s",
                    node->type == YAML_MAPPING_NODE ? "mapping" : "list", expected);
        return NULL;
    }
    return (const char *)node->data.scalar.value;
}

static void join_words(char *to, size_t size, const char *const *words, size_t count) {
    to[0] = '\0';
    for (size_t i = 0; i < count; i++) {
        size_t used = strlen(to);
        snprintf(to + used, size - used, "%s%s", i == 0 ? "" : (i + 1 == count ? " or " : ", "),
                 words[i]);
    }
}

int wpin_find_word(wpin_reader *reader, const yaml_node_t *node, const char *word, const char *what,
                   const char *const *words, size_t count) {
    for (size_t i = 0; i < count; i++) {
        if (strcasecmp(word, words[i]) == 0) {
            return (int)i;
        }
    }
    const char *now = wpin_new_word(word);
    for (size_t i = 0; now != NULL && i < count; i++) {
        if (strcmp(words[i], now) == 0) {
            wpin_say_at(reader, node, "'%s' is called '%s' now", word, now);
            return -1;
        }
    }
    char all[2048];
    join_words(all, sizeof all, words, count);
    const char *near = wpin_nearest_word(word, words, count);
    if (near != NULL && count > 12) { /* all of them would hide the one */
        wpin_say_at(reader, node, "unknown %s '%s'; did you mean '%s'?", what, word, near);
        return -1;
    }
    wpin_say_at(reader, node, "unknown %s '%s'%s%s%s; expected %s", what, word,
                near != NULL ? " (did you mean '" : "", near != NULL ? near : "",
                near != NULL ? "'?)" : "", all);
    return -1;
}

/* A least of nothing is nothing in any unit. */
static const char *write_range(char *to, size_t size, const wpin_field *field) {
    char low[40], high[40];
    wpin_quantity_write(low, sizeof low, field->least, field->dimension);
    wpin_quantity_write(high, sizeof high, field->most, field->dimension);
    snprintf(to, size, "%s to %s", field->least != 0 ? low : "0", high);
    return to;
}

static void read_quantity(wpin_reader *reader, yaml_node_t *node, const wpin_field *field,
                          double *to) {
    const char *text = wpin_scalar(reader, node, "a quantity");
    char why[320], range[90];
    double value;
    if (text == NULL) {
        return;
    }
    if (!wpin_quantity_read(text, field->dimension, &value, why, sizeof why)) {
        wpin_say_at(reader, node, "%s: %s", field->key, why);
        if (field->dimension == WPIN_NUMBER && *to < field->least) {
            *to = field->least; /* it was given, all the same */
        }
    } else if (value < field->least || value > field->most) {
        wpin_say_at(reader, node, "%s: %s is out of range; expected %s", field->key, text,
                    write_range(range, sizeof range, field));
        *to = value < field->least ? field->least : field->most; /* it was given, all the same */
    } else {
        *to = value;
    }
}

static void read_choice(wpin_reader *reader, yaml_node_t *node, const wpin_field *field, bool *to) {
    const char *text = wpin_scalar(reader, node, field->words[0]);
    if (text != NULL) {
        char what[64];
        snprintf(what, sizeof what, "value for %s", field->key);
        int found = wpin_find_word(reader, node, text, what, field->words, 2);
        *to = found < 0 ? *to : found == 1;
    }
}

void wpin_read_field(wpin_reader *reader, yaml_node_t *node, const wpin_field *field, void *base) {
    void *to = (char *)base + field->offset;
    if (field->type == WPIN_FIELD_QUANTITY) {
        read_quantity(reader, node, field, to);
    } else if (field->type == WPIN_FIELD_CHOICE) {
        read_choice(reader, node, field, to);
    }
}

static bool takes(const wpin_field *field, const yaml_node_t *value) {
    double number;
    char why[320];
    return field->type == WPIN_FIELD_QUANTITY && value->type == YAML_SCALAR_NODE &&
           wpin_quantity_read((const char *)value->data.scalar.value, field->dimension, &number,
                              why, sizeof why);
}

/* Of two keys that are as near as the other to what was written, the one that takes its value comes
 * first. */
static void keys_by_value(const yaml_node_t *value, const wpin_field *fields, size_t count,
                          const char **keys) {
    size_t n = 0;
    for (int fits = 1; fits >= 0; fits--) {
        for (size_t i = 0; i < count; i++) {
            if (takes(&fields[i], value) == (fits == 1)) {
                keys[n++] = fields[i].key;
            }
        }
    }
}

static int find_field(wpin_reader *reader, const yaml_node_t *key, const yaml_node_t *value,
                      const char *what, const wpin_field *fields, size_t count) {
    if (key->type != YAML_SCALAR_NODE) {
        wpin_say_at(reader, key, "a key of %s must be a word", what);
        return -1;
    }
    const char *word = (const char *)key->data.scalar.value, *keys[FIELDS_MAX];
    for (size_t i = 0; i < count; i++) {
        if (strcasecmp(word, fields[i].key) == 0) {
            return (int)i;
        }
    }
    char known[80];
    snprintf(known, sizeof known, "key in %s:", what);
    keys_by_value(value, fields, count, keys);
    wpin_find_word(reader, key, word, known, keys, count);
    return -1;
}

/* A needed key that was written with a slip is told as the slip, not as missing too. */
static void excuse_nearest(const char *word, const yaml_node_t *value, const wpin_field *fields,
                           size_t count, unsigned *seen) {
    const char *keys[FIELDS_MAX];
    keys_by_value(value, fields, count, keys);
    const char *near = wpin_nearest_word(word, keys, count);
    for (size_t i = 0; near != NULL && i < count; i++) {
        if (fields[i].key == near && seen[i] == 0) {
            seen[i] = EXCUSED;
        }
    }
}

static void say_missing(wpin_reader *reader, const yaml_node_t *map, const char *what,
                        const wpin_field *field) {
    char range[90];
    if (field->type != WPIN_FIELD_QUANTITY) {
        wpin_say_at(reader, map, "%s lacks '%s'", what, field->key);
        return;
    }
    wpin_say_at(reader, map, "%s lacks '%s'; expected %s", what, field->key,
                write_range(range, sizeof range, field));
}

static void say_no_map(wpin_reader *reader, const yaml_node_t *map, const char *what,
                       const wpin_field *fields, size_t count) {
    const size_t few = 12;
    const char *keys[FIELDS_MAX];
    char all[512];
    for (size_t i = 0; i < count && count <= few; i++) {
        keys[i] = fields[i].key;
    }
    join_words(all, sizeof all, keys, count <= few ? count : 0);
    wpin_say_at(reader, map, "%s must be a mapping of keys and values%s%s", what,
                count <= few ? ": " : "", all);
}

void wpin_read_map(wpin_reader *reader, yaml_node_t *map, const char *what,
                   const wpin_field *fields, size_t count, void *base, yaml_node_t **nodes) {
    unsigned seen[FIELDS_MAX] = {0};
    assert(count <= FIELDS_MAX);
    for (size_t i = 0; nodes != NULL && i < count; i++) {
        nodes[i] = NULL;
    }
    if (map->type != YAML_MAPPING_NODE) {
        say_no_map(reader, map, what, fields, count);
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        const yaml_node_t *key = wpin_yaml_node(reader, pair->key);
        yaml_node_t *value = wpin_yaml_node(reader, pair->value);
        int i = find_field(reader, key, value, what, fields, count);
        if (i < 0) {
            excuse_nearest(wpin_key_text(reader, pair), value, fields, count, seen);
            continue;
        }
        if (seen[i] != 0 && seen[i] != EXCUSED) {
            wpin_say_at(reader, key, "'%s' stands here again; it is on line %u already",
                        fields[i].key, seen[i]);
            continue;
        }
        seen[i] = (unsigned)key->start_mark.line + 1;
        if (nodes != NULL) {
            nodes[i] = value;
        }
        wpin_read_field(reader, value, &fields[i], base);
    }
    for (size_t i = 0; i < count; i++) {
        if (fields[i].required && seen[i] == 0) {
            say_missing(reader, map, what, &fields[i]);
        }
    }
}
