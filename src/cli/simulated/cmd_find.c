/* windpin find RIG LOAD: start duty and drop-out duty by a sweep, stored in the rig if asked. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_WRITE = 256, KEY_JSON };

typedef struct find_arguments {
    const char *words[2]; /* rig, load */
    bool write, json;
} find_arguments;

static const struct argp_option options[] = {
    {"write", KEY_WRITE, NULL, 0, "Store what was found in the rig file", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Sweeps a load's duty slowly up until it turns and down until it stands, on simulated "
    "hardware, each way it can turn. The two differ: what holds at rest holds harder.\v"
    "Example:\n"
    "  windpin find demo/honey-pump.yaml pump\n"
    "\n"
    "Exit status: 0 found; 1 there is no such duty, or it could not be stored; 2 the files or the "
    "usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    find_arguments *a = state->input;
    switch (key) {
    case KEY_WRITE: a->write = true; break;
    case KEY_JSON: a->json = true; break;
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

/* A twentieth more, up to the next half percent: motors differ from warm to cold. */
static double with_margin(double share) {
    double percent = ceil(share * 1.05 * 200 - 1e-9) / 2;
    return percent < 100 ? percent : 100;
}

static void print_found(const char *name, const wpin_found *found, const char *start) {
    cli_say("%s starts at %.1f %% duty and stops again below %.1f %%.\n", name,
            found->start_duty * 100, found->drop_out * 100);
    printf("For the rig, with a margin of a twentieth:\n    %s\n", start);
}

static int find(const find_arguments *a, const wpin_rig *rig) {
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    wpin_found found;
    char why[300], start[100];
    if (load < 0) {
        return EXIT_WRONG_INPUT;
    }
    if (!wpin_find_start(rig, load, &found, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_MET_FAULT;
    }
    wpin_plain(start, sizeof start, "start: {duty: %g%%, drop-out: %g%%, below: lift}",
               with_margin(found.start_duty), with_margin(found.drop_out));
    if (a->json) {
        cli_dump_json(cli_of_rig(rig, json_pack("{s:s, s:f, s:f, s:s}", "load",
                                                rig->loads[load].name, "start_duty_percent",
                                                found.start_duty * 100, "drop_out_percent",
                                                found.drop_out * 100, "for_the_rig", start)));
    } else {
        print_found(rig->loads[load].name, &found, start);
    }
    if (a->write && cli_store_line(a->words[0], rig->loads[load].line, "start", start)) {
        fprintf(a->json ? stderr : stdout, "Stored in %s.\n", a->words[0]);
        return EXIT_FINE;
    }
    return a->write ? EXIT_MET_FAULT : EXIT_FINE;
}

int cmd_find(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    find_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : find(&a, rig);
    wpin_rig_free(rig);
    return status;
}
