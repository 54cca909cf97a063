/* Remembers where a rig file says what, so that findings can point at the very key. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

static void note(wpin_reader *reader, wpin_rig *rig, const char *part, const char *under,
                 const char *key, const yaml_node_t *node) {
    wpin_rig_place *all =
        wpin_messages_room(reader->messages, rig->places, rig->place_count, sizeof *all);
    if (all == NULL) {
        return;
    }
    rig->places = all;
    wpin_rig_place *place = &all[rig->place_count++];
    *place = (wpin_rig_place){.line = (unsigned)node->start_mark.line + 1,
                              .column = (unsigned)node->start_mark.column + 1};
    snprintf(place->part, sizeof place->part, "%s", part);
    snprintf(place->under, sizeof place->under, "%s", under);
    snprintf(place->key, sizeof place->key, "%s", key);
}

/* The keys of a part, and those one level below. */
static void note_keys(wpin_reader *reader, wpin_rig *rig, const char *part, const char *under,
                      const yaml_node_t *map) {
    if (map->type != YAML_MAPPING_NODE) {
        return;
    }
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top; pair++) {
        const char *key = wpin_key_text(reader, pair);
        note(reader, rig, part, under, key, wpin_yaml_node(reader, pair->key));
        if (under[0] == '\0') {
            note_keys(reader, rig, part, key, wpin_yaml_node(reader, pair->value));
        }
    }
}

void wpin_note_part(wpin_reader *reader, wpin_rig *rig, const char *part, const yaml_node_t *at,
                    const yaml_node_t *map) {
    note(reader, rig, part, "", "", at);
    note_keys(reader, rig, part, "", map);
}

/* A key of a part: below another one, or anywhere. */
static const wpin_rig_place *find(const wpin_rig *rig, const char *part, const char *under,
                                  const char *key) {
    for (size_t i = 0; i < rig->place_count; i++) {
        const wpin_rig_place *p = &rig->places[i];
        bool there = under == NULL || strcmp(p->under, under) == 0;
        if (there && strcasecmp(p->part, part) == 0 && strcmp(p->key, key) == 0) {
            return p;
        }
    }
    return NULL;
}

/* The innermost key that a group of words names. */
static const wpin_rig_place *find_group(const wpin_rig *rig, const char *part, char *group) {
    const wpin_rig_place *outer = NULL;
    char *rest;
    for (char *word = strtok_r(group, " ,", &rest); word != NULL;
         word = strtok_r(NULL, " ,", &rest)) {
        const wpin_rig_place *p = find(rig, part, outer != NULL ? outer->key : NULL, word);
        if (p != NULL && p->under[0] != '\0') {
            return p;
        }
        outer = outer != NULL ? outer : p;
    }
    return outer;
}

const wpin_rig_place *wpin_rig_place_of(const wpin_rig *rig, const char *part, const char *keys) {
    char groups[200], *rest;
    snprintf(groups, sizeof groups, "%s", keys);
    for (char *group = strtok_r(groups, ";", &rest); group != NULL;
         group = strtok_r(NULL, ";", &rest)) {
        const wpin_rig_place *p = find_group(rig, part, group);
        if (p != NULL) {
            return p;
        }
    }
    return find(rig, part, NULL, "");
}
