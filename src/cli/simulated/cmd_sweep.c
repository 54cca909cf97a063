/* windpin sweep RIG LOAD: duty from end to end, with what the load makes of it. */
#include "../cli_json.h"
#include "windpin/host/rehearsal.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { KEY_JSON = 256, KEY_PLACES, PLACES_MAX = 401 };

typedef struct sweep_arguments {
    const char *words[2]; /* rig, load */
    size_t places;
    bool json;
} sweep_arguments;

static const struct argp_option options[] = {
    {"places", KEY_PLACES, "N", 0, "How many places, 2 to 401 (21)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Sweeps a load's duty on simulated hardware from all reverse through zero to all forward (from "
    "zero if it can't reverse), ramping to the first place and resting at zero. Lists volts, "
    "current and speed of each place and marks the dead zone.\v"
    "Example:\n"
    "  windpin sweep demo/honey-pump.yaml pump\n"
    "\n"
    "Exit status: 0 fine; 1 a fault on the way; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    sweep_arguments *a = state->input;
    char *rest;
    long places;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case KEY_PLACES:
        places = strtol(arg, &rest, 10);
        if (rest == arg || *rest != '\0' || places < 2 || places > PLACES_MAX) {
            argp_error(state, "--places %s: expected a whole number, 2 to %d", arg, PLACES_MAX);
        }
        a->places = (size_t)places;
        break;
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

static void print_table(const char *name, const wpin_sweep_point *points, size_t count) {
    double low = 0, high = 0;
    printf("%s, each place after it has settled:\n%8s %8s %8s %8s\n", name, "duty %", "volts",
           "amps", "rpm");
    for (size_t i = 0; i < count; i++) {
        const wpin_sweep_point *p = &points[i];
        cli_say("%+8.1f %8.2f %8.3f %8.0f%s\n", p->asked * 100 + 0.0, p->volts + 0.0, p->amps + 0.0,
                p->rpm + 0.0, p->dead ? "   dead zone" : "");
        low = p->dead ? fmin(low, p->asked) : low;
        high = p->dead ? fmax(high, p->asked) : high;
    }
    if (low < 0 || high > 0) {
        cli_say("It stands from %+.1f %% to %+.1f %%; windpin find finds the start duty more "
                "closely.\n",
                low * 100, high * 100);
    }
}

static void print_json(const wpin_rig *rig, const char *name, const wpin_sweep_point *points,
                       size_t count) {
    json_t *places = json_array();
    for (size_t i = 0; i < count; i++) {
        const wpin_sweep_point *p = &points[i];
        json_array_append_new(places, json_pack("{s:f, s:f, s:f, s:f, s:b}", "duty_percent",
                                                p->asked * 100, "volts", p->volts, "amps", p->amps,
                                                "rpm", p->rpm, "dead", (int)p->dead));
    }
    cli_dump_json(cli_of_rig(rig, json_pack("{s:s, s:o}", "load", name, "places", places)));
}

static int sweep(const sweep_arguments *a, const wpin_rig *rig) {
    static wpin_sweep_point points[PLACES_MAX];
    char why[300];
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    if (load < 0) {
        return EXIT_WRONG_INPUT;
    }
    size_t done = wpin_sweep(rig, load, points, a->places, why, sizeof why);
    if (done > 0 && a->json) {
        print_json(rig, rig->loads[load].name, points, done);
    } else if (done > 0) {
        print_table(rig->loads[load].name, points, done);
    }
    if (done < a->places) {
        cli_complain("%s", why);
    }
    return done == a->places ? EXIT_FINE : EXIT_MET_FAULT;
}

int cmd_sweep(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    sweep_arguments a = {.places = 21};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : sweep(&a, rig);
    wpin_rig_free(rig);
    return status;
}
