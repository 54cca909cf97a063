/* What marks a rig in records: its fingerprint, and what it accepts on purpose. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <stdio.h>
#include <stdlib.h>

/* ---- what is accepted ---- */

/* Whether findings are about a part of this name; a message with the nearest one when not. */
static bool knows_part(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *node,
                       const char *name) {
    const size_t most = 1 + rig->load_count + rig->supply_count + rig->board_count;
    const char **names = malloc(most * sizeof *names);
    size_t count = 0;
    if (names == NULL) {
        wpin_say_at(reader, node, "out of memory");
        return false;
    }
    names[count++] = "controller";
    for (size_t i = 0; i < rig->load_count; i++) {
        names[count++] = rig->loads[i].name;
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        names[count++] = rig->supplies[i].name;
    }
    for (size_t i = 0; i < rig->board_count; i++) {
        names[count++] = rig->boards[i].name;
    }
    bool known = wpin_find_word(reader, node, name, "load, supply or board", names, count) >= 0;
    free(names);
    return known;
}

void wpin_read_accepts(wpin_reader *reader, wpin_rig *rig, const yaml_node_t *list) {
    if (wpin_list_size(list) == 0) {
        wpin_say_at(reader, list,
                    "accept must be a list of names and rules, e.g. [pump stall-current]");
        return;
    }
    for (size_t i = 0; i < wpin_list_size(list); i++) {
        yaml_node_t *node = wpin_list_item(reader, list, i);
        const char *text = wpin_scalar(reader, node, "a name and a rule");
        wpin_rig_accept one = {.line = (unsigned)node->start_mark.line + 1,
                               .column = (unsigned)node->start_mark.column + 1};
        if (text == NULL || sscanf(text, "%31s %31s", one.name, one.rule) != 2) {
            wpin_say_at(reader, node, "expected a name and a rule, e.g. pump stall-current");
            continue;
        }
        if (!knows_part(reader, rig, node, one.name)) {
            continue;
        }
        wpin_rig_accept *all =
            wpin_messages_room(reader->messages, rig->accepts, rig->accept_count, sizeof *all);
        if (all != NULL) {
            rig->accepts = all;
            all[rig->accept_count++] = one;
        }
    }
}

const char *wpin_rig_accepted(const wpin_rig *rig, char *to, size_t size) {
    size_t used = 0;
    to[0] = '\0';
    for (size_t i = 0; i < rig->accept_count && used < size; i++) {
        used += (size_t)snprintf(to + used, size - used, "%s%s %s", i == 0 ? "" : "; ",
                                 rig->accepts[i].name, rig->accepts[i].rule);
    }
    return to;
}

/* ---- fingerprint ---- */

/* FNV-1a (Fowler, Noll, Vo) over the file's bytes. */
uint32_t wpin_rig_fingerprint(const char *path) {
    uint32_t hash = 2166136261U;
    FILE *file = fopen(path, "rb");
    for (int byte; file != NULL && (byte = getc(file)) != EOF;) {
        hash = (hash ^ (uint32_t)byte) * 16777619U;
    }
    if (file != NULL) {
        fclose(file);
    }
    return hash;
}

const char *wpin_rig_mark(const wpin_rig *rig, char *to, size_t size) {
    char accepted[WPIN_RIG_MARK_MAX - 24];
    wpin_rig_accepted(rig, accepted, sizeof accepted);
    snprintf(to, size, "%08x%s%s", rig->fingerprint, accepted[0] != '\0' ? " accepting " : "",
             accepted);
    return to;
}
