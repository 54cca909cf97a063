/* Electronic data sheets by CiA 306: a section for each object, [6083] or [1018sub1]. */
#define _GNU_SOURCE
#include "windpin/host/eds.h"
#include "windpin/host/messages.h"
#include <ctype.h>
#include <ini.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#define NAME_ROOM 80

/* An object as it is read; what it points to moves with it. */
typedef struct entry {
    wpin_eds_object object;
    char name[NAME_ROOM];
    unsigned kind, type, parts; /* ObjectType, DataType, CompactSubObj */
    size_t order;               /* in the file; those of a whole array come last */
} entry;

struct wpin_eds {
    entry *all;
    wpin_eds_object *objects;
    size_t count, room;
    bool out_of_memory;
};

/* Kinds and types of CiA 301. */
enum { KIND_DOMAIN = 2, KIND_VALUE = 7 };

static const struct {
    unsigned type;
    uint8_t bytes;
    bool is_signed;
} types[] = {{1, 1, false}, {2, 1, true},  {3, 2, true}, {4, 4, true},
             {5, 1, false}, {6, 2, false}, {7, 4, false}};

/* In lower case, what is no letter or digit as one '-'. */
static void plain_name(const char *from, char to[NAME_ROOM]) {
    size_t n = 0;
    for (; *from != '\0' && n < NAME_ROOM - 1; from++) {
        bool good = isalnum((unsigned char)*from) != 0;
        if (good || (n > 0 && to[n - 1] != '-')) {
            to[n++] = good ? (char)tolower((unsigned char)*from) : '-';
        }
    }
    while (n > 0 && to[n - 1] == '-') {
        n--;
    }
    to[n] = '\0';
}

/* ---- reading ---- */

/* "6083", "1018sub1": hexadecimal both. */
static bool is_object(const char *section, uint16_t *index, uint8_t *sub) {
    char *end;
    unsigned long number = strtoul(section, &end, 16), part = 0;
    if (end != section + 4 || number < 0x1000) {
        return false;
    }
    if (strncasecmp(end, "sub", 3) == 0 && isxdigit((unsigned char)end[3])) {
        part = strtoul(end + 3, &end, 16);
    }
    *index = (uint16_t)number;
    *sub = (uint8_t)part;
    return *end == '\0' && part <= 255;
}

/* One more; where there are two of a number in the end, the first counts. */
static entry *add_entry(wpin_eds *eds, uint16_t index, uint8_t sub) {
    if (eds->all == NULL || eds->count == eds->room) {
        size_t room = eds->room == 0 ? 64 : 2 * eds->room;
        entry *more = realloc(eds->all, room * sizeof *more);
        if (more == NULL) {
            eds->out_of_memory = true;
            return NULL;
        }
        eds->all = more;
        eds->room = room;
    }
    entry *e = &eds->all[eds->count++];
    *e = (entry){.kind = KIND_VALUE, .order = eds->count};
    e->object.known.index = index;
    e->object.known.sub = sub;
    return e;
}

static entry *entry_of(wpin_eds *eds, uint16_t index, uint8_t sub) {
    entry *last = eds->count == 0 ? NULL : &eds->all[eds->count - 1];
    bool same = last != NULL && last->object.known.index == index && last->object.known.sub == sub;
    return same ? last : add_entry(eds, index, sub);
}

/* A number; one that counts from the node's own number has none here. */
static bool take_number(const char *text, int64_t *to) {
    char *end;
    *to = strtoll(text, &end, 0);
    return end != text && *end == '\0';
}

static void take(entry *e, const char *key, const char *value) {
    wpin_eds_object *o = &e->object;
    if (strcasecmp(key, "ParameterName") == 0) {
        plain_name(value, e->name);
    } else if (strcasecmp(key, "ObjectType") == 0) {
        e->kind = (unsigned)strtoul(value, NULL, 0);
    } else if (strcasecmp(key, "DataType") == 0) {
        e->type = (unsigned)strtoul(value, NULL, 0);
    } else if (strcasecmp(key, "CompactSubObj") == 0) {
        e->parts = (unsigned)strtoul(value, NULL, 0);
    } else if (strcasecmp(key, "AccessType") == 0) { /* ro, wo, rw, rwr, rww, const */
        o->can_read = strcasecmp(value, "wo") != 0;
        o->can_write = strchr(value, 'w') != NULL || strchr(value, 'W') != NULL;
    } else if (strcasecmp(key, "LowLimit") == 0) {
        o->has_least = take_number(value, &o->least);
    } else if (strcasecmp(key, "HighLimit") == 0) {
        o->has_most = take_number(value, &o->most);
    }
}

static int hear(void *context, const char *section, const char *key, const char *value) {
    wpin_eds *eds = context;
    uint16_t index;
    uint8_t sub;
    if (is_object(section, &index, &sub)) {
        entry *e = entry_of(eds, index, sub);
        if (e != NULL) {
            take(e, key, value);
        }
    }
    return 1;
}

/* ---- what is read, put in order ---- */

/* An array whose parts are all alike has one section for all of them. */
static void spread(wpin_eds *eds) {
    for (size_t i = 0, count = eds->count; i < count; i++) {
        entry whole = eds->all[i];
        for (unsigned part = 1; part <= whole.parts && part < 255 && !eds->out_of_memory; part++) {
            entry *e = add_entry(eds, whole.object.known.index, (uint8_t)part);
            if (e != NULL) {
                wpin_known_object known = e->object.known;
                size_t order = e->order;
                *e = whole;
                e->object.known = known;
                e->kind = KIND_VALUE;
                e->order = order;
                snprintf(e->name, sizeof e->name, "%.70s-%u", whole.name, part);
            }
        }
    }
}

/* A length by its type: 0 for texts, and what is longer than four bytes is left out. */
static bool settle(entry *e) {
    wpin_known_object *k = &e->object.known;
    for (size_t i = 0; i < sizeof types / sizeof *types; i++) {
        if (types[i].type == e->type) {
            k->bytes = types[i].bytes;
            k->is_signed = types[i].is_signed;
        }
    }
    bool text = e->type == 9 || e->type == 0xA || e->kind == KIND_DOMAIN;
    return (e->kind == KIND_VALUE || e->kind == KIND_DOMAIN) && (k->bytes > 0 || text);
}

static int by_number(const void *a, const void *b) {
    const wpin_known_object *k = &((const entry *)a)->object.known;
    const wpin_known_object *l = &((const entry *)b)->object.known;
    size_t first = ((const entry *)a)->order, second = ((const entry *)b)->order;
    return k->index != l->index ? k->index - l->index
           : k->sub != l->sub   ? k->sub - l->sub
                                : (first > second) - (first < second);
}

static bool is_same_number(const entry *a, const entry *b) {
    return a->object.known.index == b->object.known.index &&
           a->object.known.sub == b->object.known.sub;
}

/* Limits of signed objects may stand as their bits. */
static void sign(wpin_eds_object *o) {
    int64_t *values[] = {&o->least, &o->most};
    for (int i = 0; i < 2; i++) {
        int64_t half = o->known.bytes == 0 ? INT64_MAX : (int64_t)1 << (8 * o->known.bytes - 1);
        if (o->known.is_signed && *values[i] >= half) {
            *values[i] -= 2 * half;
        }
    }
}

static bool arrange(wpin_eds *eds) {
    size_t kept = 0;
    spread(eds);
    if (eds->count > 0) {
        qsort(eds->all, eds->count, sizeof *eds->all, by_number);
    }
    for (size_t i = 0; i < eds->count; i++) {
        bool again = kept > 0 && is_same_number(&eds->all[kept - 1], &eds->all[i]);
        if (!again && settle(&eds->all[i])) {
            eds->all[kept++] = eds->all[i];
        }
    }
    eds->count = kept;
    eds->objects = calloc(kept + 1, sizeof *eds->objects);
    if (eds->objects == NULL || eds->out_of_memory) {
        return false;
    }
    for (size_t i = 0; i < kept; i++) {
        wpin_eds_object *o = &eds->objects[i];
        *o = eds->all[i].object;
        o->known.name = eds->all[i].name;
        o->known.unit = "";
        sign(o);
    }
    return true;
}

wpin_eds *wpin_eds_read(const char *path, char *why, size_t size) {
    wpin_eds *eds = calloc(1, sizeof *eds);
    FILE *file = eds == NULL ? NULL : fopen(path, "r");
    if (file == NULL) {
        snprintf(why, size, "%s can not be read", path);
        wpin_eds_free(eds);
        return NULL;
    }
    int wrong = ini_parse_file(file, hear, eds);
    fclose(file);
    if (wrong > 0) {
        snprintf(why, size, "%s:%d: no line of a data sheet; expected [6083] or a key and a value",
                 path, wrong);
    } else if (wrong < 0 || !arrange(eds)) {
        snprintf(why, size, "%s: out of memory", path);
    } else if (eds->count == 0) {
        snprintf(why, size, "%s: it describes no object; expected sections as [6083]", path);
    } else {
        return eds;
    }
    wpin_eds_free(eds);
    return NULL;
}

void wpin_eds_free(wpin_eds *eds) {
    if (eds != NULL) {
        free(eds->all);
        free(eds->objects);
        free(eds);
    }
}

/* ---- asking ---- */

const wpin_eds_object *wpin_eds_objects(const wpin_eds *eds, size_t *count) {
    *count = eds->count;
    return eds->objects;
}

const wpin_eds_object *wpin_eds_of(const wpin_eds *eds, uint16_t index, uint8_t sub) {
    size_t low = 0, high = eds == NULL ? 0 : eds->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        const wpin_known_object *k = &eds->objects[middle].known;
        if (k->index == index && k->sub == sub) {
            return &eds->objects[middle];
        }
        bool before = k->index < index || (k->index == index && k->sub < sub);
        low = before ? middle + 1 : low;
        high = before ? high : middle;
    }
    return NULL;
}

/* Written as in the file or as known.name; NULL: there is none, or there are several. */
static const wpin_eds_object *named_object(const wpin_eds *eds, const char *name) {
    char plain[NAME_ROOM];
    const wpin_eds_object *found = NULL;
    plain_name(name, plain);
    for (size_t i = 0; eds != NULL && i < eds->count; i++) {
        if (strcmp(eds->objects[i].known.name, plain) == 0) {
            if (found != NULL) {
                return NULL;
            }
            found = &eds->objects[i];
        }
    }
    return found;
}

/* What somebody may have meant by a name that neither has. */
static void say_near(const wpin_eds *eds, const char *text, char *why, size_t size) {
    char plain[NAME_ROOM];
    const char **names = eds == NULL ? NULL : calloc(eds->count, sizeof *names);
    plain_name(text, plain);
    for (size_t i = 0; names != NULL && i < eds->count; i++) {
        names[i] = eds->objects[i].known.name;
    }
    const char *near = names == NULL ? NULL : wpin_nearest_word(plain, names, eds->count);
    if (near != NULL) {
        snprintf(why, size,
                 "'%s' is neither the name of an object (did you mean '%s'?) nor a number from "
                 "1000h to FFFFh, e.g. 6041 or 1018:2",
                 text, near);
    }
    free(names);
}

bool wpin_eds_find(const wpin_eds *eds, const char *text, uint16_t *index, uint8_t *sub,
                   const wpin_known_object **known, char *why, size_t size) {
    const wpin_eds_object *named = named_object(eds, text);
    if (named != NULL) {
        *index = named->known.index;
        *sub = named->known.sub;
        const wpin_known_object *usual = wpin_known_object_of(*index, *sub);
        *known = usual != NULL ? usual : &named->known; /* that has its unit too */
        return true;
    }
    if (!wpin_object_find(text, index, sub, known, why, size)) {
        say_near(eds, text, why, size);
        return false;
    }
    const wpin_eds_object *here = wpin_eds_of(eds, *index, *sub);
    *known = *known == NULL && here != NULL ? &here->known : *known;
    return true;
}

bool wpin_eds_allows(const wpin_eds_object *object, int64_t value, char *why, size_t size) {
    if (!object->can_write) {
        snprintf(why, size, "can only be read, by its data sheet");
    } else if (object->has_least && value < object->least) {
        snprintf(why, size, "%lld is too small, by its data sheet at least %lld", (long long)value,
                 (long long)object->least);
    } else if (object->has_most && value > object->most) {
        snprintf(why, size, "%lld is too large, by its data sheet at most %lld", (long long)value,
                 (long long)object->most);
    } else {
        return true;
    }
    return false;
}
