/* windpin field watch PLACE NODE: what a drive says of itself, a few times a second. It only asks.
 */
#define _GNU_SOURCE
#include "field.h"
#include "windpin/host/plain.h"
#include <argp.h>
#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { KEY_FOR = 256, KEY_EVERY, KEY_CSV };

typedef struct watch_arguments {
    const char *place, *node, *csv;
    double every, lasts;
    unsigned count;
} watch_arguments;

static const struct argp_option options[] = {
    {"every", KEY_EVERY, "SECONDS", 0, "Ask so often (0.2)", 0},
    {"for", KEY_FOR, "SECONDS", 0, "For so long; until Ctrl-C without it", 0},
    {"csv", KEY_CSV, "FILE", 0, "Put every row into a file too", 0},
    {0}};

static const char doc[] =
    "Asks a drive for its state, velocity, position, current and error, and prints a row each "
    "time. It moves nothing: who commands the drive may go on.\v"
    "Example:\n"
    "  windpin field watch /tmp/line 5 --for=1\n"
    "\n"
    "Exit status: 0 fine; 1 the drive was silent; 2 the files or the usage are wrong.";

static bool read_seconds(const char *text, double least, double most, double *to) {
    char *end;
    *to = strtod(text, &end);
    return end != text && *end == '\0' && *to >= least && *to <= most;
}

static error_t parse(int key, char *arg, struct argp_state *state) {
    watch_arguments *a = state->input;
    switch (key) {
    case KEY_EVERY:
        if (!read_seconds(arg, 0.02, 60, &a->every)) {
            argp_error(state, "--every=%s: expected 0.02 to 60 seconds", arg);
        }
        break;
    case KEY_FOR:
        if (!read_seconds(arg, 0, 1e6, &a->lasts)) {
            argp_error(state, "--for=%s: expected seconds", arg);
        }
        break;
    case KEY_CSV: a->csv = arg; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one too many; expected PLACE NODE", arg);
        }
        *(state->arg_num == 0 ? &a->place : &a->node) = arg;
        break;
    case ARGP_KEY_END:
        if (a->node == NULL) {
            argp_error(state, "expected a place and the number of a node, e.g. can0 5");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* What is asked for, a column each. */
static const struct {
    uint16_t index;
    uint8_t bytes;
    const char *head; /* of the CSV */
} columns[] = {{0x6041, 2, "status_word"},       {0x6061, 1, "mode"},
               {0x606C, 4, "velocity"},          {0x6064, 4, "position"},
               {0x6078, 2, "current_per_mille"}, {0x603F, 2, "error_code"}};

enum { COLUMNS = sizeof columns / sizeof *columns };

static double seconds_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

static long signed_of(const uint8_t *bytes, uint8_t size) {
    uint32_t raw = wpin_number_from(bytes, size);
    bool negative = (raw >> (8 * size - 1) & 1U) != 0;
    return negative ? (long)raw - (1L << 8 * size) : (long)raw;
}

static void print_row(double at, uint8_t values[COLUMNS][4], const wpin_node *node) {
    uint16_t error = (uint16_t)wpin_number_from(values[5], 2);
    cli_say("%8.2f  %-22s %4ld %11ld %12ld %9.1f  ", at,
            wpin_axis_state_name(wpin_axis_state_of((uint16_t)wpin_number_from(values[0], 2))),
            signed_of(values[1], 1), signed_of(values[2], 4), signed_of(values[3], 4),
            (double)signed_of(values[4], 2) / 10);
    if (error != 0) {
        printf("%04Xh: %s", error, wpin_drive_error_text(error));
    }
    printf("%s\n", node->retries > 0 ? " (asked again)" : "");
    fflush(stdout);
}

static void write_row(FILE *csv, double at, uint8_t values[COLUMNS][4]) {
    wpin_plain_put(csv, "%.3f", at);
    for (int i = 0; i < COLUMNS; i++) {
        bool word = columns[i].index == 0x6041 || columns[i].index == 0x603F;
        fprintf(csv, ",%ld",
                word ? (long)wpin_number_from(values[i], 2)
                     : signed_of(values[i], columns[i].bytes));
    }
    fprintf(csv, "\r\n");
}

static bool ask_row(field *f, wpin_node *node, uint8_t values[COLUMNS][4]) {
    for (int i = 0; i < COLUMNS; i++) {
        bool read = field_read(f, node, columns[i].index, 0, values[i], columns[i].bytes);
        bool lacks = !read && node->transfer.result == WPIN_REFUSED_OBJECT;
        if (!read && !lacks) {
            return false;
        }
    }
    return true;
}

static int watch(field *f, const watch_arguments *a, uint8_t number, FILE *csv) {
    static wpin_node node;
    volatile int *stopped = cli_catch_signals();
    wpin_network_add(&f->network, &node, number);
    double begun = seconds_now(), next = begun;
    printf("%8s  %-22s %4s %11s %12s %9s  %s\n", "s", "state", "mode", "velocity", "position",
           "current %", "error");
    while (*stopped == 0 && (a->lasts <= 0 || seconds_now() - begun < a->lasts)) {
        uint8_t values[COLUMNS][4] = {{0}};
        node.retries = 0;
        if (!ask_row(f, &node, values)) {
            char why[500];
            field_say_why(f, &node, why, sizeof why);
            cli_complain("%s", why);
            return EXIT_MET_FAULT;
        }
        double at = seconds_now() - begun;
        print_row(at, values, &node);
        if (csv != NULL) {
            write_row(csv, at, values);
        }
        next += a->every;
        field_pass(f, next - seconds_now());
    }
    return EXIT_FINE;
}

int field_watch(int argc, char **argv) {
    static const struct argp argp = {options, parse, "PLACE NODE", doc, NULL, NULL, NULL};
    watch_arguments a = {.every = 0.2};
    static field f;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    uint8_t number = field_node(a.node);
    if (number == 0 || (a.csv != NULL && !cli_may_write(a.csv)) || !field_open(&f, a.place)) {
        return EXIT_WRONG_INPUT;
    }
    FILE *csv = a.csv == NULL ? NULL : fopen(a.csv, "w");
    int status = EXIT_WRONG_INPUT;
    if (a.csv != NULL && csv == NULL) {
        cli_complain("%s: can't be written: %s", a.csv, strerror(errno));
    } else {
        for (int i = 0; csv != NULL && i < COLUMNS; i++) {
            fprintf(csv, "%s%s", i == 0 ? "time_s," : ",", columns[i].head);
        }
        if (csv != NULL) {
            fprintf(csv, "\r\n");
        }
        status = watch(&f, &a, number, csv);
    }
    if (csv != NULL && fclose(csv) != 0) {
        cli_complain("%s: can't be written: %s", a.csv, strerror(errno));
        status = EXIT_MET_FAULT;
    }
    field_close(&f);
    return status;
}
