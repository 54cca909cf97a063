/* windpin field settings RIG: what the rig tells its drives beside what they have; told and stored
 * only where that is asked for. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "field.h"
#include "windpin/host/bind.h"
#include <argp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_AT = 256, KEY_WRITE, KEY_STORE, KEY_JSON };

typedef struct settings_arguments {
    const char *path, *load, *at;
    bool write, store, json;
} settings_arguments;

static const struct argp_option options[] = {
    {"at", KEY_AT, "PLACE", 0, "Interface or socket, in place of the rig's", 0},
    {"write", KEY_WRITE, NULL, 0, "Write to the drive what differs, and read it back", 0},
    {"store", KEY_STORE, NULL, 0, "Then have it keep all its parameters without power", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Lists what the rig sets each of its drives to, beside what the drive has now. A run writes "
    "all of it at its start; here nothing is changed unless --write says so, and nothing moves.\v"
    "Example:\n"
    "  windpin field settings demo/honey-line.yaml --at=/tmp/line\n"
    "\n"
    "Exit status: 0 alike; 1 something differs, or a drive was silent; 2 the files or the usage "
    "are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    settings_arguments *a = state->input;
    switch (key) {
    case KEY_AT: a->at = arg; break;
    case KEY_WRITE: a->write = true; break;
    case KEY_STORE: a->store = true; break;
    case KEY_JSON: a->json = true; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one too many; expected RIG [LOAD]", arg);
        }
        *(state->arg_num == 0 ? &a->path : &a->load) = arg;
        break;
    case ARGP_KEY_END:
        if (a->path == NULL) {
            argp_error(state, "expected a rig file");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* One of them as the drive has it. */
typedef struct compared {
    bool read, same, told;
    uint8_t bytes[4];
    char why[300];
} compared;

static bool is_same(const wpin_setting *s, const compared *c) {
    uint32_t counts = s->asked != 0 ? s->asked : UINT32_MAX;
    uint32_t all = wpin_object_bits(s->size);
    return c->read && ((wpin_number_from(c->bytes, s->size) ^ s->value) & counts & all) == 0;
}

static compared compare(field *f, wpin_node *node, const wpin_setting *s, bool write) {
    compared c = {0};
    uint8_t wanted[4];
    wpin_number_to(wanted, s->value, s->size);
    c.read = field_read(f, node, s->index, s->sub, c.bytes, s->size);
    c.same = is_same(s, &c);
    if (c.read && !c.same && write && s->asked == 0) {
        c.told = field_write(f, node, s->index, s->sub, wanted, s->size) &&
                 field_read(f, node, s->index, s->sub, c.bytes, s->size);
        c.read = c.told;
        c.same = is_same(s, &c);
    }
    if (!c.read) {
        field_say_why(f, node, c.why, sizeof c.why);
    }
    return c;
}

static void print_one(const wpin_rig_axis *axis, const wpin_setting *s, const compared *c) {
    const wpin_known_object *known = wpin_known_object_of(s->index, s->sub);
    uint8_t wanted[4];
    char ours[120], theirs[120] = "";
    wpin_number_to(wanted, s->value, s->size);
    bool switches = axis->switches_index == s->index && axis->switches_sub == s->sub;
    field_say_value(known, wanted, s->size, ours, sizeof ours);
    if (switches) {
        wpin_rig_axis_switches(axis, ours, sizeof ours);
    }
    if (c->read) {
        field_say_value(known, c->bytes, s->size, theirs, sizeof theirs);
    }
    printf("  %04Xh:%-3u %-24s %s\n", s->index, s->sub,
           known != NULL ? known->name
           : switches    ? "switches"
                         : "",
           ours);
    if (!c->read) {
        printf("              %s\n", c->why);
    } else if (!c->same) {
        printf("              the drive has %s%s\n", theirs,
               s->asked != 0 ? "; it is only asked for, and to be set there" : "");
    } else if (c->told) {
        printf("              written just now\n");
    }
}

static json_t *one_json(const wpin_setting *s, const compared *c) {
    const wpin_known_object *known = wpin_known_object_of(s->index, s->sub);
    json_t *has = c->read ? json_integer(wpin_number_from(c->bytes, s->size)) : json_null();
    return json_pack("{s:i, s:i, s:s, s:I, s:o, s:b, s:b}", "object", s->index, "sub", s->sub,
                     "name", known != NULL ? known->name : "", "rig", (json_int_t)s->value, "drive",
                     has, "same", c->same, "written", c->told);
}

typedef struct asked_node {
    field *f;
    wpin_node *node;
} asked_node;

static bool ask(void *context, uint16_t index, uint8_t sub, uint32_t *value) {
    const asked_node *n = context;
    uint8_t four[4];
    bool read = field_read(n->f, n->node, index, sub, four, sizeof four);
    *value = read ? wpin_number_from(four, sizeof four) : 0;
    return read;
}

/* Whether drive and rig count alike, as far as the drive says. */
static bool compare_counts(field *f, const wpin_rig_axis *axis, wpin_node *node, bool print) {
    asked_node asked = {f, node};
    double counts;
    bool same = wpin_rig_axis_counts_alike(axis, ask, &asked, &counts);
    if (!same && print) {
        cli_say(
            "  counts: by its own factors the drive counts %.6g in a turn of its motor, the rig "
            "%.6g: speeds and places would be off\n",
            counts, axis->counts);
    }
    return same;
}

/* Whether all of it is as the rig says. */
static bool compare_all(field *f, const settings_arguments *a, const wpin_rig *rig,
                        const wpin_rig_load *load, json_t *all) {
    wpin_bound_load *bound = calloc(1, sizeof *bound);
    static wpin_node nodes[WPIN_NODE_MAX + 1];
    wpin_node *node = &nodes[(int)load->axis.number];
    unsigned differ = 0;
    bool good =
        bound != NULL && wpin_network_add(&f->network, node, (uint8_t)load->axis.number) == WPIN_OK;
    if (!good) {
        free(bound);
        return false;
    }
    wpin_bind_load(bound, rig, load);
    json_t *objects = json_array();
    if (!a->json) {
        cli_say("%s, node %g:\n", load->name, load->axis.number);
    }
    for (uint8_t i = 0; i < bound->axis.setting_count; i++) {
        compared c = compare(f, node, &bound->settings[i], a->write);
        differ += !c.same;
        if (a->json) {
            json_array_append_new(objects, one_json(&bound->settings[i], &c));
        } else {
            print_one(&load->axis, &bound->settings[i], &c);
        }
        if (node->transfer.result == WPIN_REFUSED_SILENT) {
            break; /* it would not answer the others either */
        }
    }
    bool alike = node->transfer.result == WPIN_REFUSED_SILENT ||
                 compare_counts(f, &load->axis, node, !a->json);
    bool stored = a->store && differ == 0 && field_store(f, node);
    if (!a->json) {
        printf("  %u of %u differ%s\n", differ, bound->axis.setting_count,
               stored     ? "; stored in the drive"
               : a->store ? "; nothing was stored"
                          : "");
    }
    json_array_append_new(all, json_pack("{s:s, s:i, s:o, s:b, s:b}", "load", load->name, "node",
                                         (int)load->axis.number, "objects", objects, "counts_alike",
                                         alike, "stored", stored));
    free(bound);
    return differ == 0 && alike && (stored || !a->store);
}

static const char *place_of(const settings_arguments *a, const wpin_rig *rig, int bus) {
    const char *place = a->at != NULL ? a->at : rig->fieldbuses[bus].interface;
    if (place[0] == '\0') {
        cli_complain("the rig does not say where field bus '%s' is; expected --at=can0, or its "
                     "'interface'",
                     rig->fieldbuses[bus].name);
        return NULL;
    }
    return place;
}

static int compare_rig(const settings_arguments *a, const wpin_rig *rig, int only) {
    static field f;
    bool same = true;
    unsigned count = 0;
    json_t *all = json_array();
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        if (!load->axis.there || (only >= 0 && (size_t)only != i)) {
            continue;
        }
        const char *place = place_of(a, rig, load->axis.bus);
        if (place == NULL || !field_open(&f, place)) {
            json_decref(all);
            return EXIT_WRONG_INPUT;
        }
        same = compare_all(&f, a, rig, load, all) && same;
        field_close(&f);
        count++;
    }
    if (count == 0) {
        cli_complain(only < 0 ? "the rig has no drive on a field bus"
                              : "'%s' is not a drive on a field bus",
                     only < 0 ? "" : rig->loads[only].name);
        json_decref(all);
        return EXIT_WRONG_INPUT;
    }
    if (a->json) {
        cli_dump_json(cli_of_rig(rig, json_pack("{s:o}", "drives", all)));
    } else {
        json_decref(all);
    }
    return same ? EXIT_FINE : EXIT_MET_FAULT;
}

int field_settings(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG [LOAD]", doc, NULL, NULL, NULL};
    settings_arguments a = {0};
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.path);
    int only = rig == NULL || a.load == NULL ? -1 : cli_find_load(rig, a.path, a.load);
    bool good = rig != NULL && (a.load == NULL || only >= 0);
    int status = good ? compare_rig(&a, rig, only) : EXIT_WRONG_INPUT;
    wpin_rig_free(rig);
    return status;
}
