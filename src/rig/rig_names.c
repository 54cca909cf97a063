/* Names of the parts of a rig: found, and given once. */
#define _GNU_SOURCE
#include "rig_parts.h"
#include <ctype.h>
#include <stdio.h>
#include <string.h>
#include <strings.h>

/* Neither case nor the kind of stroke tells two names apart: to people, to file systems and to C.
 */
static bool is_same(const char *a, const char *b) {
    size_t i = 0;
    for (; a[i] != '\0' && b[i] != '\0'; i++) {
        int left = a[i] == '_' ? '-' : tolower((unsigned char)a[i]);
        int right = b[i] == '_' ? '-' : tolower((unsigned char)b[i]);
        if (left != right) {
            return false;
        }
    }
    return a[i] == b[i];
}

int wpin_rig_find_load(const wpin_rig *rig, const char *name) {
    for (size_t i = 0; i < rig->load_count; i++) {
        if (is_same(rig->loads[i].name, name)) {
            return (int)i;
        }
    }
    return -1;
}

int wpin_rig_find_input(const wpin_rig *rig, const char *name) {
    for (size_t i = 0; i < rig->input_count; i++) {
        if (is_same(rig->inputs[i].name, name)) {
            return (int)i;
        }
    }
    return -1;
}

const char *wpin_rig_nearest_load(const wpin_rig *rig, const char *name) {
    const char *nearest = NULL;
    for (size_t i = 0; i < rig->load_count; i++) {
        nearest = wpin_nearer_word(name, nearest, rig->loads[i].name);
    }
    return nearest;
}

int wpin_rig_find_supply(const wpin_rig *rig, const char *name) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        if (is_same(rig->supplies[i].name, name)) {
            return (int)i;
        }
    }
    return -1;
}

/* Words the plan language keeps for itself, and one that reports do: pin 5. */
bool wpin_rig_name_is_reserved(const char *name) {
    static const char *const words[] = {"wait", "repeat",  "rehearse", "parallel", "track",
                                        "end",  "until",   "fault",    "mend",     "all",
                                        "pin",  "require", "together"};
    for (size_t i = 0; i < COUNT(words); i++) {
        if (strcasecmp(words[i], name) == 0) {
            return true;
        }
    }
    return false;
}

bool wpin_rig_name_fits(const char *name) {
    size_t length = strlen(name);
    bool good = length > 0 && length <= WPIN_NAME_MAX && isalpha((unsigned char)name[0]);
    for (size_t i = 0; good && i < length; i++) {
        good = isalnum((unsigned char)name[i]) || name[i] == '-' || name[i] == '_';
    }
    return good;
}

bool wpin_take_name(wpin_reader *reader, const wpin_rig *rig, const yaml_node_t *key,
                    const char *name, char *to) {
    if (!wpin_rig_name_fits(name)) {
        wpin_say_at(reader, key,
                    "'%s' can't be a name; expected 1 to %d letters, digits, - or _, beginning "
                    "with a letter",
                    name, WPIN_NAME_MAX);
        return false;
    }
    if (wpin_rig_name_is_reserved(name)) {
        wpin_say_at(reader, key,
                    "'%s' is a word that plans and reports use; choose another name, e.g. "
                    "'%s-1'",
                    name, name);
        return false;
    }
    int load = wpin_rig_find_load(rig, name), supply = wpin_rig_find_supply(rig, name);
    int input = wpin_rig_find_input(rig, name);
    if (load >= 0 || supply >= 0 || input >= 0) {
        const char *what = load >= 0 ? "load" : (supply >= 0 ? "supply" : "input");
        unsigned line = load >= 0     ? rig->loads[load].line
                        : supply >= 0 ? rig->supplies[supply].line
                                      : rig->inputs[input].line;
        wpin_say_at(reader, key,
                    "the name '%s' is taken by the %s on line %u; choose another, e.g. '%s-2'",
                    name, what, line, name);
        return false;
    }
    snprintf(to, WPIN_NAME_MAX + 1, "%s", name);
    return true;
}
