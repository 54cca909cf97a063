/* Reading a YAML mapping by a table of fields: every key known, every value checked, every
 * mistake reported with its place. */
#ifndef WPIN_RIG_FIELDS_H
#define WPIN_RIG_FIELDS_H

#include "windpin/host/messages.h"
#include "windpin/host/quantity.h"
#include <yaml.h>

typedef enum wpin_field_type {
    WPIN_FIELD_QUANTITY, /* into a double */
    WPIN_FIELD_CHOICE,   /* one of two words, into a bool: true for the second */
    WPIN_FIELD_NODE      /* the caller reads it */
} wpin_field_type;

typedef struct wpin_field {
    const char *key;
    wpin_field_type type;
    bool required;
    wpin_dimension dimension; /* quantity */
    size_t offset;            /* where the value goes; already holds the default */
    double least, most;       /* quantity: allowed range */
    const char *words[2];     /* choice */
} wpin_field;

typedef struct wpin_reader {
    yaml_document_t document;
    wpin_messages *messages;
    const struct wpin_rig *rig; /* as far as it is read */
} wpin_reader;

/* Loads a file; false with messages when it can not be read or is no YAML. */
bool wpin_reader_open(wpin_reader *reader, const char *path, wpin_messages *messages);
void wpin_reader_close(wpin_reader *reader);

/* Reads a mapping into `base`. `nodes` (one entry a field, may be NULL) gets the value node of
 * each key present, NULL for the others. `what` names the mapping in messages. */
void wpin_read_map(wpin_reader *reader, yaml_node_t *map, const char *what,
                   const wpin_field *fields, size_t count, void *base, yaml_node_t **nodes);

/* Reads one value by its field into `base`. */
void wpin_read_field(wpin_reader *reader, yaml_node_t *node, const wpin_field *field, void *base);

/* The text of a scalar, or NULL with a message saying what was expected. */
const char *wpin_scalar(wpin_reader *reader, yaml_node_t *node, const char *expected);
/* Adds a message at a node. */
void wpin_say_at(wpin_reader *reader, const yaml_node_t *node, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* Key of a pair as text, "" when it is no scalar. */
const char *wpin_key_text(wpin_reader *reader, const yaml_node_pair_t *pair);
/* How many items a list has, 0 when it is none; and one of them. */
size_t wpin_list_size(const yaml_node_t *list);
yaml_node_t *wpin_list_item(wpin_reader *reader, const yaml_node_t *list, size_t index);
/* A node by its index in the document. */
yaml_node_t *wpin_yaml_node(wpin_reader *reader, int index);
/* Number of a word in a list without regard to case, -1 with a message (nearest word) if none. */
int wpin_find_word(wpin_reader *reader, const yaml_node_t *node, const char *word, const char *what,
                   const char *const *words, size_t count);

#endif
