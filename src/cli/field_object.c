/* windpin field object PLACE NODE OBJECT [VALUE]: reads an object of a node, or writes it and reads
 * it back. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "field.h"
#include "windpin/host/eds.h"
#include <argp.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_JSON = 256, KEY_BYTES, KEY_EDS };

typedef struct object_arguments {
    const char *words[4]; /* place, node, object, value */
    const char *eds;
    unsigned count, bytes;
    bool json;
} object_arguments;

static const struct argp_option options[] = {
    {"bytes", KEY_BYTES, "N", 0, "Length of a value to be written, where it is not known: 1, 2, 4",
     0},
    {"eds", KEY_EDS, "FILE", 0, "Data sheet of the drive (CiA 306), for its names and limits", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Reads an object of a node on a field bus by its name or number; with a VALUE writes it, and "
    "reads it back. What moves a drive, its control word and targets, is not written here: a plan "
    "or windpin live does that, with limits and a stop.\v"
    "Example:\n"
    "  windpin field object /tmp/line 5 velocity-actual\n"
    "  windpin field object /tmp/line 5 6083 40000\n"
    "\n"
    "Exit status: 0 fine; 1 the node refused it or was silent; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    object_arguments *a = state->input;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case KEY_EDS: a->eds = arg; break;
    case KEY_BYTES:
        a->bytes = arg[0] != '\0' && arg[1] == '\0' ? (unsigned)(arg[0] - '0') : 0;
        if (a->bytes != 1 && a->bytes != 2 && a->bytes != 4) {
            argp_error(state, "--bytes=%s: expected 1, 2 or 4", arg);
        }
        break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 3) {
            argp_error(state, "'%s' is one too many; expected PLACE NODE OBJECT [VALUE]", arg);
        }
        a->words[a->count++] = arg;
        break;
    case ARGP_KEY_END:
        if (a->count < 3) {
            argp_error(state, "expected a place, the number of a node and an object, e.g. can0 5 "
                              "status-word");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* What moves, or decides who does. */
static bool moves(uint16_t index) {
    static const uint16_t targets[] = {0x6040, 0x6042, 0x6060, 0x6071, 0x607A, 0x60FF};
    for (size_t i = 0; i < sizeof targets / sizeof *targets; i++) {
        if (targets[i] == index) {
            return true;
        }
    }
    return false;
}

/* A whole number, decimal or with 0x, that fits. */
static bool read_value(const char *text, unsigned bytes, uint8_t to[4]) {
    char *end;
    errno = 0;
    long long value = strtoll(text, &end, 0);
    long long most = (1LL << 8 * bytes) - 1, least = -(1LL << (8 * bytes - 1));
    if (end == text || *end != '\0' || errno != 0 || value > most || value < least) {
        cli_complain("'%s' is not a value for %u byte%s; expected a whole number from %lld to %lld",
                     text, bytes, bytes == 1 ? "" : "s", least, most);
        return false;
    }
    wpin_number_to(to, (uint32_t)value, (uint8_t)bytes);
    return true;
}

static void print_value(const object_arguments *a, const wpin_node *node,
                        const wpin_known_object *known, uint16_t index, uint8_t sub,
                        const uint8_t *bytes, uint16_t size) {
    char words[200];
    field_say_value(known, bytes, size, words, sizeof words);
    if (a->json) {
        json_t *value = size <= 4 && (known == NULL || known->bytes > 0)
                            ? json_integer(wpin_number_from(bytes, (uint8_t)size))
                            : json_stringn((const char *)bytes, size);
        cli_dump_json(json_pack("{s:i, s:i, s:i, s:s, s:o, s:i, s:s}", "node", node->number,
                                "object", index, "sub", sub, "name",
                                known != NULL ? known->name : "", "value", value, "bytes", size,
                                "words", words));
        return;
    }
    printf("node %u, object %04Xh:%u%s%s: %s\n", node->number, index, sub,
           known != NULL ? ", " : "", known != NULL ? known->name : "", words);
}

static int fail(const field *f, const wpin_node *node) {
    char why[500];
    field_say_why(f, node, why, sizeof why);
    cli_complain("%s", why);
    return EXIT_MET_FAULT;
}

/* Told, and asked for again: some drives say yes and keep what they had. */
static int write_it(field *f, wpin_node *node, uint16_t index, uint8_t sub, const uint8_t *bytes,
                    uint16_t size) {
    uint8_t back[4] = {0};
    bool stores = index == 0x1010 || index == 0x1011;
    if (!field_write(f, node, index, sub, bytes, size)) {
        return fail(f, node);
    }
    if (stores) {
        return EXIT_FINE;
    }
    if (!field_read(f, node, index, sub, back, size)) {
        return fail(f, node);
    }
    if (memcmp(back, bytes, size) != 0) {
        cli_complain(
            "node %u took object %04Xh:%u and has another value: %lu was written, it reads %lu",
            node->number, index, sub, (unsigned long)wpin_number_from(bytes, (uint8_t)size),
            (unsigned long)wpin_number_from(back, (uint8_t)size));
        return EXIT_MET_FAULT;
    }
    return EXIT_FINE;
}

/* What the data sheet says against a value; true: nothing. */
static bool is_allowed(const wpin_eds *eds, uint16_t index, uint8_t sub, const char *text) {
    const wpin_eds_object *o = wpin_eds_of(eds, index, sub);
    char why[200];
    bool good = o == NULL || wpin_eds_allows(o, strtoll(text, NULL, 0), why, sizeof why);
    if (!good) {
        cli_complain("object %04Xh:%u %s", index, sub, why);
    }
    return good;
}

static int act(field *f, const object_arguments *a, const wpin_eds *eds, uint8_t number) {
    uint16_t index;
    uint8_t sub, bytes[256] = {0};
    char why[300];
    const wpin_known_object *known = NULL;
    static wpin_node node;
    if (!wpin_eds_find(eds, a->words[2], &index, &sub, &known, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    wpin_network_add(&f->network, &node, number);
    if (a->count < 4) {
        if (!field_read(f, &node, index, sub, bytes, sizeof bytes)) {
            return fail(f, &node);
        }
        print_value(a, &node, known, index, sub, bytes, node.transfer.size);
        return EXIT_FINE;
    }
    unsigned size = a->bytes != 0 ? a->bytes : known != NULL ? known->bytes : 0;
    if (moves(index)) {
        cli_complain(
            "object %04Xh moves the drive: a plan (windpin run) or windpin live writes it, "
            "with limits, a time-out and a stop",
            index);
        return EXIT_WRONG_INPUT;
    }
    if (size == 0) {
        cli_complain("how long object %04Xh:%u is, is not known here; expected --bytes=1, 2 or 4",
                     index, sub);
        return EXIT_WRONG_INPUT;
    }
    if (!read_value(a->words[3], size, bytes) || !is_allowed(eds, index, sub, a->words[3])) {
        return EXIT_WRONG_INPUT;
    }
    int status = write_it(f, &node, index, sub, bytes, (uint16_t)size);
    if (status == EXIT_FINE) {
        print_value(a, &node, known, index, sub, bytes, (uint16_t)size);
    }
    return status;
}

int field_object(int argc, char **argv) {
    static const struct argp argp = {options, parse, "PLACE NODE OBJECT [VALUE]", doc, NULL,
                                     NULL,    NULL};
    object_arguments a = {0};
    static field f;
    argp_parse(&argp, argc, argv, ARGP_IN_ORDER, NULL, &a);
    uint8_t number = field_node(a.words[1]);
    wpin_eds *eds;
    int status = EXIT_WRONG_INPUT;
    if (field_read_sheet(a.eds, &eds) && number != 0 && field_open(&f, a.words[0])) {
        status = act(&f, &a, eds, number);
        field_close(&f);
    }
    wpin_eds_free(eds);
    return status;
}
