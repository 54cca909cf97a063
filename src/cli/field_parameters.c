/* windpin field parameters PLACE NODE: what a node was set to, saved, compared with a file or
 * another node, and copied from it only where that is asked for. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "field.h"
#include "windpin/host/eds.h"
#include "windpin/host/rig.h"
#include <argp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_EDS = 256, KEY_SAVE, KEY_LIKE, KEY_LIKE_NODE, KEY_WRITE, KEY_STORE, KEY_JSON };

#define ROOM 1000 /* parameters of a node */

typedef struct parameters_arguments {
    const char *words[2]; /* place, node */
    const char *eds, *save, *like, *like_node;
    unsigned count;
    bool write, store, json;
} parameters_arguments;

static const struct argp_option options[] = {
    {"eds", KEY_EDS, "FILE", 0, "Data sheet of the drive (CiA 306): all it describes is looked at",
     0},
    {"save", KEY_SAVE, "FILE", 0, "Write them as settings of a rig, for --like", 0},
    {"like", KEY_LIKE, "FILE", 0, "Beside those of such a file", 0},
    {"like-node", KEY_LIKE_NODE, "N", 0, "Beside those of another node", 0},
    {"write", KEY_WRITE, NULL, 0, "Make what differs like those, and read it back", 0},
    {"store", KEY_STORE, NULL, 0, "Then have it keep all its parameters without power", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Lists what a node on a field bus is set to: what CiA 402 gives every drive, or all that its "
    "data sheet lets be written; measured values, targets and communication left out. With --like "
    "what differs. Nothing is changed unless --write says so, and not while the drive is enabled.\v"
    "Example:\n"
    "  windpin field parameters /tmp/line 5 --save=belt.settings\n"
    "  windpin field parameters /tmp/line 5 --like=belt.settings\n"
    "\n"
    "Exit status: 0 fine, or alike; 1 it differs, or the node refused something or was silent; 2 "
    "the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    parameters_arguments *a = state->input;
    switch (key) {
    case KEY_EDS: a->eds = arg; break;
    case KEY_SAVE: a->save = arg; break;
    case KEY_LIKE: a->like = arg; break;
    case KEY_LIKE_NODE: a->like_node = arg; break;
    case KEY_WRITE: a->write = true; break;
    case KEY_STORE: a->store = true; break;
    case KEY_JSON: a->json = true; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one too many; expected PLACE NODE", arg);
        }
        a->words[a->count++] = arg;
        break;
    case ARGP_KEY_END:
        if (a->count < 2) {
            argp_error(state, "expected a place and the number of a node, e.g. can0 5");
        } else if (a->like != NULL && a->like_node != NULL) {
            argp_error(state, "like a file or like a node, not both");
        } else if (a->write && a->like == NULL && a->like_node == NULL) {
            argp_error(state, "--write: like what? expected --like=FILE or --like-node=N");
        } else if (a->store && !a->write) {
            argp_error(state,
                       "--store: expected --write too; by itself: windpin field object %s %s "
                       "store 0x65766173",
                       a->words[0], a->words[1]);
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* One of them: here, and as it should be. */
typedef struct parameter {
    const wpin_known_object *known; /* or NULL */
    uint16_t index;
    uint8_t sub, size;
    uint32_t here, like;
    bool has, wanted, told, refused;
} parameter;

typedef struct table {
    parameter all[ROOM];
    size_t count;
    wpin_eds *eds;
    char refusal[300]; /* the first one that a drive refused to be told */
} table;

static void add(table *t, const wpin_known_object *known) {
    if (t->count < ROOM && known->bytes > 0) {
        t->all[t->count++] = (parameter){
            .known = known, .index = known->index, .sub = known->sub, .size = known->bytes};
    }
}

static void add_known(table *t) {
    size_t count;
    const wpin_known_object *known = wpin_known_objects(&count);
    for (size_t i = 0; i < count; i++) {
        if (wpin_object_is_parameter(known[i].index)) {
            add(t, &known[i]);
        }
    }
}

static void add_described(table *t) {
    size_t count;
    const wpin_eds_object *objects = wpin_eds_objects(t->eds, &count);
    for (size_t i = 0; i < count; i++) {
        const wpin_known_object *k = &objects[i].known;
        const wpin_known_object *usual = wpin_known_object_of(k->index, k->sub);
        if (objects[i].can_read && objects[i].can_write && wpin_object_is_parameter(k->index)) {
            add(t, usual != NULL ? usual : k);
        }
    }
}

static parameter *find(table *t, uint16_t index, uint8_t sub) {
    for (size_t i = 0; i < t->count; i++) {
        if (t->all[i].index == index && t->all[i].sub == sub) {
            return &t->all[i];
        }
    }
    return NULL;
}

/* What a node has of them; false: it does not answer at all. What it lacks is no mistake. */
static bool read_node(field *f, wpin_node *node, table *t, bool like) {
    for (size_t i = 0; i < t->count; i++) {
        parameter *p = &t->all[i];
        uint8_t bytes[4];
        bool read = field_read(f, node, p->index, p->sub, bytes, p->size);
        if (!read && node->transfer.result != WPIN_REFUSED_OBJECT) {
            char why[500];
            field_say_why(f, node, why, sizeof why);
            cli_complain("%s", why);
            return false;
        }
        *(like ? &p->wanted : &p->has) = read;
        *(like ? &p->like : &p->here) = read ? wpin_number_from(bytes, p->size) : 0;
    }
    return true;
}

/* Those of a file; what it names besides is looked at too. */
static bool read_file(table *t, const char *path) {
    static wpin_rig_setting settings[ROOM];
    wpin_messages messages = {.file = path};
    size_t count = wpin_settings_read(path, t->eds, settings, ROOM, &messages);
    bool good = messages.count == 0 && !messages.out_of_memory;
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    for (size_t i = 0; good && i < count; i++) {
        const wpin_rig_setting *s = &settings[i];
        parameter *p = find(t, s->index, s->sub);
        if (p == NULL && t->count < ROOM) {
            p = &t->all[t->count++];
            *p = (parameter){.known = wpin_known_object_of(s->index, s->sub),
                             .index = s->index,
                             .sub = s->sub,
                             .size = (uint8_t)s->size};
        }
        if (p != NULL) {
            p->wanted = true;
            p->like = (uint32_t)(int64_t)s->value & wpin_object_bits(p->size);
        }
    }
    return good;
}

static bool differs(const parameter *p) {
    return p->wanted && (!p->has || p->here != p->like);
}

/* Nothing is set while it drives. */
static bool may_write(field *f, wpin_node *node) {
    uint8_t status[2];
    if (field_read(f, node, 0x6041, 0, status, 2) &&
        wpin_axis_state_of((uint16_t)wpin_number_from(status, 2)) == WPIN_AXIS_ENABLED) {
        cli_complain(
            "node %u is enabled, and may be in motion: nothing was written; end what drives "
            "it first",
            node->number);
        return false;
    }
    return true;
}

static void write_all(field *f, wpin_node *node, table *t) {
    for (size_t i = 0; i < t->count; i++) {
        parameter *p = &t->all[i];
        uint8_t bytes[4];
        if (!differs(p) || !p->has) {
            continue;
        }
        wpin_number_to(bytes, p->like, p->size);
        p->told = field_write(f, node, p->index, p->sub, bytes, p->size);
        if (p->told && field_read(f, node, p->index, p->sub, bytes, p->size)) {
            p->here = wpin_number_from(bytes, p->size);
        }
        p->refused = !p->told;
        if (p->refused && t->refusal[0] == '\0') {
            field_say_why(f, node, t->refusal, sizeof t->refusal);
        }
    }
}

static bool save(const table *t, const parameters_arguments *a, const char *name) {
    FILE *file = fopen(a->save, "w");
    if (file == NULL) {
        cli_complain("%s can not be written", a->save);
        return false;
    }
    fprintf(file, "# What node %s, \"%s\", on %s was set to: settings of a rig's axis.\n",
            a->words[1], name, a->words[0]);
    for (size_t i = 0; i < t->count; i++) {
        const parameter *p = &t->all[i];
        if (p->has) {
            long long value = field_number(p->known, p->here, p->size);
            fprintf(file, "- {object: %04Xh:%u, value: %lld, bytes: %u}  # %s\n", p->index, p->sub,
                    value, p->size, p->known != NULL ? p->known->name : "");
        }
    }
    bool good = ferror(file) == 0;
    good = fclose(file) == 0 && good;
    if (!good) {
        cli_complain("%s can not be written whole", a->save);
    }
    return good;
}

static void say(const parameter *p, uint32_t value, char *to, size_t size) {
    uint8_t bytes[4];
    wpin_number_to(bytes, value, p->size);
    field_say_value(p->known, bytes, p->size, to, size);
}

static void print_one(const parameter *p, bool compares) {
    char here[120] = "", like[120] = "";
    if (compares ? !differs(p) && !p->told : !p->has) {
        return;
    }
    say(p, p->here, here, sizeof here);
    say(p, p->like, like, sizeof like);
    printf("  %04Xh:%-3u %-28s %s\n", p->index, p->sub, p->known != NULL ? p->known->name : "",
           p->has ? here : "it has no such object");
    if (p->told && !differs(p)) {
        printf("  %38s written just now\n", "");
    } else if (compares) {
        printf("  %38s as it should be: %s%s\n", "", like, p->refused ? "; it refuses that" : "");
    }
}

static json_t *one_json(const parameter *p) {
    json_t *here = p->has ? json_integer(field_number(p->known, p->here, p->size)) : json_null();
    json_t *like = p->wanted ? json_integer(field_number(p->known, p->like, p->size)) : json_null();
    return json_pack("{s:i, s:i, s:s, s:i, s:o, s:o, s:b}", "object", p->index, "sub", p->sub,
                     "name", p->known != NULL ? p->known->name : "", "bytes", p->size, "value",
                     here, "like", like, "written", p->told);
}

static void print_all(const table *t, const parameters_arguments *a, const char *name,
                      bool stored) {
    bool compares = a->like != NULL || a->like_node != NULL;
    unsigned differ = 0, has = 0, compared = 0;
    json_t *all = json_array();
    if (!a->json) {
        printf("node %s, \"%s\":\n", a->words[1], name);
    }
    for (size_t i = 0; i < t->count; i++) {
        differ += differs(&t->all[i]);
        compared += t->all[i].wanted;
        has += t->all[i].has;
        if (a->json) {
            json_array_append_new(all, one_json(&t->all[i]));
        } else {
            print_one(&t->all[i], compares);
        }
    }
    if (a->json) {
        cli_dump_json(
            json_pack("{s:s, s:o, s:b}", "name", name, "parameters", all, "stored", stored));
        return;
    }
    json_decref(all);
    if (compares) {
        printf("  %u of %u differ%s\n", differ, compared,
               stored     ? "; stored in the drive"
               : a->store ? "; nothing was stored"
                          : "");
    } else {
        printf("  %u parameters%s%s\n", has, a->save != NULL ? ", written to " : "",
               a->save != NULL ? a->save : "");
    }
    if (t->refusal[0] != '\0') {
        printf("  first: %s\n", t->refusal);
    }
}

static bool read_like(field *f, table *t, const parameters_arguments *a) {
    static wpin_node other;
    if (a->like != NULL) {
        return read_file(t, a->like);
    }
    uint8_t number = a->like_node == NULL ? 0 : field_node(a->like_node);
    if (a->like_node == NULL) {
        return true;
    }
    if (number == 0 || wpin_network_add(&f->network, &other, number) != WPIN_OK) {
        cli_complain("--like-node=%s: that is the node itself", a->like_node);
        return false;
    }
    return read_node(f, &other, t, true);
}

static int act(field *f, const parameters_arguments *a, table *t, uint8_t number) {
    static wpin_node node;
    char name[80];
    wpin_network_add(&f->network, &node, number);
    if (!read_like(f, t, a)) {
        return EXIT_WRONG_INPUT;
    }
    if (!read_node(f, &node, t, false)) {
        return EXIT_MET_FAULT;
    }
    field_read_text(f, &node, 0x1008, name, sizeof name);
    if (a->write && !may_write(f, &node)) {
        return EXIT_MET_FAULT;
    }
    if (a->write) {
        write_all(f, &node, t);
    }
    bool same = true;
    for (size_t i = 0; i < t->count; i++) {
        same = same && !differs(&t->all[i]);
    }
    bool stored = a->store && same && field_store(f, &node);
    if (a->save != NULL && !save(t, a, name)) {
        return EXIT_WRONG_INPUT;
    }
    print_all(t, a, name, stored);
    return same && (stored || !a->store) ? EXIT_FINE : EXIT_MET_FAULT;
}

int field_parameters(int argc, char **argv) {
    static const struct argp argp = {options, parse, "PLACE NODE", doc, NULL, NULL, NULL};
    parameters_arguments a = {0};
    static field f;
    static table t;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    uint8_t number = field_node(a.words[1]);
    if (!field_read_sheet(a.eds, &t.eds)) {
        return EXIT_WRONG_INPUT;
    }
    if (t.eds != NULL) {
        add_described(&t);
    } else {
        add_known(&t);
    }
    int status = EXIT_WRONG_INPUT;
    if (number != 0 && field_open(&f, a.words[0])) {
        status = act(&f, &a, &t, number);
        field_close(&f);
    }
    wpin_eds_free(t.eds);
    return status;
}
