/* windpin field look PLACE: who answers on a field bus, and what they say they are. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "field.h"
#include <argp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_JSON = 256, KEY_LISTEN };

typedef struct look_arguments {
    const char *place;
    double listen;
    bool json;
} look_arguments;

/* What is known of one that answers. */
typedef struct found {
    uint32_t type, vendor, product, serial;
    char name[64];
    uint8_t status[2], error[2];
    bool has_name, has_status, twice;
} found;

static const struct argp_option options[] = {
    {"listen", KEY_LISTEN, "SECONDS", 0, "Listen for so long first (0.5)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Asks every number on a field bus what it is, and listens for heartbeats. It moves nothing and "
    "changes nothing. PLACE is a CAN interface (can0), or the socket of simulated drives.\v"
    "Example:\n"
    "  windpin field look /tmp/line\n"
    "\n"
    "Exit status: 0 somebody answered; 1 nobody did, or the bus is gone; 2 the files or the usage "
    "are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    look_arguments *a = state->input;
    char *end;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case KEY_LISTEN:
        a->listen = strtod(arg, &end);
        if (end == arg || *end != '\0' || !(a->listen >= 0 && a->listen <= 60)) {
            argp_error(state, "--listen=%s: expected 0 to 60 seconds", arg);
        }
        break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state, "'%s' is one too many; expected a place", arg);
        }
        a->place = arg;
        break;
    case ARGP_KEY_END:
        if (a->place == NULL) {
            argp_error(state, "expected a place, e.g. can0");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* All of them at once, a little apart: a bus of 10 kbit/s has room for that too. */
static void ask_all(field *f, wpin_node *nodes, uint32_t *types) {
    for (uint8_t i = 1; i <= WPIN_NODE_MAX; i++) {
        wpin_network_add(&f->network, &nodes[i], i);
    }
    for (int i = 1; i <= WPIN_NODE_MAX; i++) {
        f->heard[i] = 0;
        wpin_object_read(&nodes[i], 0x1000, 0, &types[i], 4);
        field_pass(f, 3e-3);
    }
    field_pass(f, 0.35);
}

static void ask_one(field *f, wpin_node *node, found *one) {
    uint8_t four[4];
    field_read_text(f, node, 0x1008, one->name, sizeof one->name);
    uint32_t *const identity[] = {&one->vendor, &one->product, NULL, &one->serial};
    for (uint8_t i = 0; i < 4; i++) {
        if (identity[i] != NULL && field_read(f, node, 0x1018, (uint8_t)(i + 1), four, 4)) {
            *identity[i] = wpin_number_from(four, 4);
        }
    }
    one->has_status = field_read(f, node, 0x6041, 0, one->status, 2) &&
                      field_read(f, node, 0x603F, 0, one->error, 2);
}

static void print_one(const field *f, const wpin_node *node, const found *one) {
    char status[100] = "", error[100] = "";
    unsigned profile = one->type & 0xFFFF;
    printf("%4u  %s%s%s, profile %u%s; vendor %08lXh, product %08lXh, serial number %lu\n",
           node->number, one->name[0] != '\0' ? "\"" : "",
           one->name[0] != '\0' ? one->name : "no name", one->name[0] != '\0' ? "\"" : "", profile,
           profile == 402 ? " (a drive)" : "", (unsigned long)one->vendor,
           (unsigned long)one->product, (unsigned long)one->serial);
    printf("      %s", field_node_state(node->state));
    if (one->has_status) {
        field_say_value(wpin_known_object_of(0x6041, 0), one->status, 2, status, sizeof status);
        field_say_value(wpin_known_object_of(0x603F, 0), one->error, 2, error, sizeof error);
        printf("; status word %s; error code %s", status, error);
    }
    printf("\n");
    if (one->twice) {
        printf("      two answers to one question: two nodes have this number; nothing they say "
               "can be trusted, switch one off\n");
    }
    (void)f;
}

static int say_silence(const field *f, unsigned long overheard) {
    const char *trouble = wpin_bearer_trouble(f->bearer);
    char check[120] = "";
    if (strchr(f->place, '/') == NULL) {
        snprintf(check, sizeof check, " (ip -details link show %s)", f->place);
    }
    printf("Nobody answers on %s%s%s.\n", f->place, trouble[0] != '\0' ? ": " : "", trouble);
    if (overheard > 0) {
        printf("But others are heard there: the wires and the rate are right. A bus that is full "
               "leaves no room for answers (windpin field listen %s shows who speaks).\n",
               f->place);
        return EXIT_MET_FAULT;
    }
    printf("In this order: have the drives power; is the rate of the bus that of the interface%s; "
           "is there a common ground; is the bus terminated at both ends (60 ohm between its "
           "wires); are their numbers set.\n",
           check);
    return EXIT_MET_FAULT;
}

static json_t *one_json(const wpin_node *node, const found *one) {
    const char *state =
        one->has_status
            ? wpin_axis_state_name(wpin_axis_state_of((uint16_t)wpin_number_from(one->status, 2)))
            : "";
    return json_pack("{s:i, s:s, s:i, s:I, s:I, s:I, s:s, s:s, s:i, s:b}", "node", node->number,
                     "name", one->name, "profile", (int)(one->type & 0xFFFF), "vendor",
                     (json_int_t)one->vendor, "product", (json_int_t)one->product, "serial",
                     (json_int_t)one->serial, "node_state", field_node_state(node->state), "state",
                     state, "error_code", (int)wpin_number_from(one->error, 2), "two_have_it",
                     one->twice);
}

static int look(field *f, const look_arguments *a) {
    static wpin_node nodes[WPIN_NODE_MAX + 1];
    static uint32_t types[WPIN_NODE_MAX + 1];
    unsigned count = 0;
    char rate[120];
    field_say_rate(f->place, rate, sizeof rate);
    if (!a->json && rate[0] != '\0') {
        printf("%s: %s\n", f->place, rate);
    }
    field_pass(f, a->listen);
    unsigned long overheard = f->frames;
    ask_all(f, nodes, types);
    json_t *all = json_array();
    for (int i = 1; i <= WPIN_NODE_MAX; i++) {
        bool answers =
            nodes[i].transfer.result == WPIN_OK || nodes[i].transfer.result == WPIN_REFUSED_OBJECT;
        found one = {.twice = f->heard[i] > 1u + nodes[i].retries};
        if (!answers || !wpin_object_done(&nodes[i])) {
            continue;
        }
        one.type = wpin_number_from((const uint8_t *)&types[i], 4);
        ask_one(f, &nodes[i], &one);
        if (a->json) {
            json_array_append_new(all, one_json(&nodes[i], &one));
        } else {
            print_one(f, &nodes[i], &one);
        }
        count++;
    }
    if (a->json) {
        cli_dump_json(json_pack("{s:o, s:s, s:o, s:I}", "place", cli_json_text(f->place), "rate",
                                rate, "nodes", all, "overheard", (json_int_t)overheard));
        return count > 0 ? EXIT_FINE : EXIT_MET_FAULT;
    }
    json_decref(all);
    if (count == 0) {
        return say_silence(f, overheard);
    }
    printf("%u of the numbers 1 to %d %s taken%s", count, WPIN_NODE_MAX, count == 1 ? "is" : "are",
           overheard > 0 ? "; " : ".\n");
    if (overheard > 0) {
        cli_say("%lu frames in %.3g s before anything was asked.\n", overheard, a->listen);
    }
    char quality[160];
    field_say_quality(f, quality, sizeof quality);
    printf("%s%s", quality, quality[0] != '\0' ? "\n" : "");
    return EXIT_FINE;
}

int field_look(int argc, char **argv) {
    static const struct argp argp = {options, parse, "PLACE", doc, NULL, NULL, NULL};
    look_arguments a = {.listen = 0.5};
    static field f;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!field_open(&f, a.place)) {
        return EXIT_WRONG_INPUT;
    }
    int status = look(&f, &a);
    field_close(&f);
    return status;
}
