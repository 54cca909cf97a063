/* windpin first RIG [LOAD]: the first motion of each load, and which way is forward. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

enum { KEY_FREE = 256, KEY_FORWARD, KEY_BACK, KEY_WRITE, KEY_FAULT, KEY_JSON };

typedef struct first_arguments {
    const char *path, *load;
    const char *forward; /* the way it ought to be, NULL: not said */
    const char *fault;
    bool is_free, from_back, write, json;
} first_arguments;

static const struct argp_option options[] = {
    {"free", KEY_FREE, NULL, 0, "Every shaft that moves is free to turn, and hands are off", 0},
    {"forward", KEY_FORWARD, "WAY", 0, "Forward ought to be clockwise or counter-clockwise", 0},
    {"from-back", KEY_BACK, NULL, 0, "As seen from the back of the motor, not from its shaft", 0},
    {"write", KEY_WRITE, NULL, 0, "Store which way it turned, and 'reversed', in the rig file", 0},
    {"fault", KEY_FAULT, "WORDS", 0, "Put a fault in, e.g. \"pump motor-swapped\"", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "The first motion, on simulated hardware: one load at a time, each way it can go, with at most "
    "30 % of its duty for a second; it stops by itself. Says whether that shaft turned, which way, "
    "and whether another one did. Without LOAD every one that has a shaft, in turn.\v"
    "Example:\n"
    "  windpin first demo/honey-pump.yaml pump --free --forward clockwise\n"
    "\n"
    "Exit status: 0 they turn as they should; 1 one does not, or something faulted; 2 the files or "
    "the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    first_arguments *a = state->input;
    switch (key) {
    case KEY_FREE: a->is_free = true; break;
    case KEY_BACK: a->from_back = true; break;
    case KEY_WRITE: a->write = true; break;
    case KEY_JSON: a->json = true; break;
    case KEY_FAULT: a->fault = arg; break;
    case KEY_FORWARD:
        a->forward = arg;
        if (strcasecmp(arg, "clockwise") != 0 && strcasecmp(arg, "counter-clockwise") != 0) {
            argp_error(state, "--forward %s: expected clockwise or counter-clockwise", arg);
        }
        break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one too many; expected a rig and a load", arg);
        }
        *(state->arg_num == 0 ? &a->path : &a->load) = arg;
        break;
    case ARGP_KEY_END:
        if (a->path == NULL) {
            argp_error(state, "expected a rig, and a load if only one is to move");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- before it moves ---- */

/* Somebody has to say so; a question on a terminal, an option elsewhere. */
static bool shaft_is_free(const first_arguments *a, const wpin_rig_load *load) {
    char answer[40] = "";
    if (a->is_free) {
        return true;
    }
    if (!isatty(STDIN_FILENO) || a->json) {
        cli_complain("nothing moves before somebody says that the shaft of '%s' is free to turn "
                     "and hands are off: --free",
                     load->name);
        return false;
    }
    printf("Is the shaft of '%s' free to turn, and are hands off? [no] ", load->name);
    fflush(stdout);
    bool said =
        fgets(answer, sizeof answer, stdin) != NULL && (answer[0] == 'y' || answer[0] == 'Y');
    if (!said) {
        printf("'%s' was left alone.\n", load->name);
    }
    return said;
}

/* ---- what came of it ---- */

static bool moved(const wpin_first_way *way) {
    return way->tried && way->rpm_peak > 0;
}

/* Which way that is from where one looks. */
static const char *way_word(const first_arguments *a, double turns) {
    return (turns >= 0) != a->from_back ? "clockwise" : "counter-clockwise";
}

static void print_way(const first_arguments *a, const wpin_rig *rig, const wpin_first_way *way,
                      const char *name) {
    char asked[40] = "45 deg";
    if (way->rpm > 0) {
        wpin_plain(asked, sizeof asked, "%.3g rpm for %g s", way->rpm, way->seconds);
    } else if (way->seconds > 0 && way->duty < 1) {
        wpin_plain(asked, sizeof asked, "%.3g %% for %g s", way->duty * 100, way->seconds);
    } else if (way->seconds > 0) {
        wpin_plain(asked, sizeof asked, "on for %g s", way->seconds);
    }
    printf("  %-8s %-15s ", name, asked);
    if (moved(way)) {
        bool whole = fabs(way->turns) >= 2;
        cli_say("%.3g %s %s, up to %.0f rpm and %.3g A", fabs(way->turns) * (whole ? 1 : 360),
                whole ? "turns" : "deg", way_word(a, way->turns), way->rpm_peak, way->amps_peak);
        printf(way->verdict == WPIN_VERDICT_BAD ? ": %s%s%s\n" : "\n", cli_paint(way->verdict),
               way->words, cli_plain());
    } else {
        printf("%s%s%s\n", cli_paint(WPIN_VERDICT_BAD), way->words, cli_plain());
    }
    if (way->other >= 0) {
        printf("           %sthe shaft of '%s' turned%s: control wires of the two are mixed up\n",
               cli_paint(WPIN_VERDICT_BAD), rig->loads[way->other].name, cli_plain());
    }
}

/* The windings of a stepper, before it moves. */
static bool print_coils(const wpin_coil_test *t, bool print) {
    bool right = t->coils == WPIN_COILS_RIGHT || t->coils == WPIN_COILS_UNMEASURED;
    if (print) {
        printf("  %-8s %s%s%s\n", "coils", right ? "" : cli_paint(WPIN_VERDICT_BAD), t->words,
               right ? "" : cli_plain());
        if (t->cure[0] != '\0') {
            printf("  %-8s %s\n", right ? "" : "next", t->cure);
        }
    }
    return right;
}

static json_t *coils_json(const wpin_coil_test *t) {
    json_t *amps = json_array();
    for (int i = 0; i < 8; i++) {
        json_array_append_new(amps, t->measured ? json_real(t->amps[i]) : json_null());
    }
    return json_pack("{s:o, s:s, s:s}", "amps", amps, "words", t->words, "cure", t->cure);
}

/* Whether forward is not the way it ought to be: by the option, or asked for on a terminal. */
static bool is_against(const first_arguments *a, const wpin_first_way ways[2]) {
    char answer[40] = "";
    if (!moved(&ways[0])) {
        return false;
    }
    if (a->forward != NULL) {
        return strcasecmp(a->forward, way_word(a, ways[0].turns)) != 0;
    }
    if (a->is_free || a->json || !isatty(STDIN_FILENO)) {
        return false;
    }
    printf("  Is %s the way it should turn forward? [yes] ", way_word(a, ways[0].turns));
    fflush(stdout);
    return fgets(answer, sizeof answer, stdin) != NULL && (answer[0] == 'n' || answer[0] == 'N');
}

static bool put(const first_arguments *a, const char *change) {
    char was[200], why[200];
    bool good = wpin_rig_change(a->path, a->path, change, was, sizeof was, why, sizeof why);
    if (!good) {
        cli_complain("%s was left as it is (%s): put in by hand: %s", a->path, why, change);
    }
    return good;
}

static int store(const first_arguments *a, const wpin_rig_load *load, const wpin_first_way ways[2],
                 bool against) {
    char change[200], day[12];
    cli_today(day, sizeof day);
    double forward = against ? -ways[0].turns : ways[0].turns;
    if (against) {
        snprintf(change, sizeof change, "%s.stage.reversed=%s", load->name,
                 load->reversed ? "no" : "yes");
        if (!put(a, change)) {
            return EXIT_MET_FAULT;
        }
    }
    snprintf(change, sizeof change, "%s.first-motion={on: %s, forward: %s, seen-from: %s}",
             load->name, day, way_word(a, forward), a->from_back ? "back" : "shaft");
    if (!put(a, change)) {
        return EXIT_MET_FAULT;
    }
    fprintf(a->json ? stderr : stdout, "  stored in %s\n", a->path);
    return EXIT_FINE;
}

static json_t *way_json(const first_arguments *a, const wpin_rig *rig, const wpin_first_way *w) {
    return !w->tried
               ? json_null()
               : json_pack("{s:f, s:f, s:f, s:b, s:f, s:s, s:f, s:f, s:s, s:o}", "duty_percent",
                           w->duty * 100, "rpm", w->rpm, "seconds", w->seconds, "moved",
                           (int)moved(w), "turns", fabs(w->turns), "way",
                           moved(w) ? way_word(a, w->turns) : "none", "peak_rpm", w->rpm_peak,
                           "peak_a", w->amps_peak, "words", w->words, "also_turned",
                           w->other < 0 ? json_null() : json_string(rig->loads[w->other].name));
}

static bool went_well(const wpin_first_way ways[2]) {
    for (int i = 0; i < 2; i++) {
        if (ways[i].tried && (!moved(&ways[i]) || ways[i].other >= 0)) {
            return false;
        }
    }
    return moved(&ways[0]) && (!moved(&ways[1]) || ways[0].turns * ways[1].turns < 0);
}

static void print_load(const first_arguments *a, const wpin_rig *rig, const wpin_rig_load *load,
                       const wpin_first_way ways[2]) {
    print_way(a, rig, &ways[0], "forward");
    if (ways[1].tried) {
        print_way(a, rig, &ways[1], "reverse");
    }
    if (!moved(&ways[0]) && !wpin_rig_type(load)->steps) {
        printf(
            "  next     turn it by hand: does it go easily? Then try it with its load taken off\n");
    }
}

static void print_against(const first_arguments *a, const wpin_rig_load *load,
                          const wpin_first_way ways[2]) {
    printf("  forward ought to be %s: 'reversed: %s' in its stage makes it so%s\n",
           way_word(a, -ways[0].turns), load->reversed ? "no" : "yes",
           a->write ? "" : " (--write puts it there)");
}

/* Moves one; its exit status, -1: it has no shaft. */
static int move_one(const first_arguments *a, const wpin_rig *rig, int number,
                    const wpin_injection *fault, json_t *all) {
    const wpin_rig_load *load = &rig->loads[number];
    wpin_first_way ways[2];
    char why[300];
    bool shaft = wpin_rig_type(load)->turns;
    if (!shaft && a->load == NULL) {
        return -1;
    }
    if (shaft && !shaft_is_free(a, load)) {
        return EXIT_WRONG_INPUT;
    }
    size_t faults = a->fault != NULL ? 1 : 0;
    bool stepper = wpin_rig_type(load)->steps;
    wpin_coil_test coils;
    if (stepper && !wpin_first_coils(rig, number, fault, faults, &coils, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    if (all == NULL) {
        printf("%s, %s:\n", load->name, load->kind->name);
    }
    bool wound = !stepper || print_coils(&coils, all == NULL);
    memset(ways, 0, sizeof ways);
    if (wound && !wpin_first_motion(rig, number, fault, faults, ways, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    if (all == NULL && wound) {
        print_load(a, rig, load, ways);
    } else if (all == NULL) {
        printf("           it was not moved\n");
    }
    bool against = is_against(a, ways);
    if (all == NULL && against) {
        print_against(a, load, ways);
    } else if (all != NULL) {
        json_array_append_new(
            all, json_pack("{s:s, s:b, s:o, s:o, s:b, s:o}", "name", load->name, "fine",
                           (int)(wound && went_well(ways)), "forward", way_json(a, rig, &ways[0]),
                           "reverse", way_json(a, rig, &ways[1]), "ought_to_be_reversed",
                           (int)against, "coils", stepper ? coils_json(&coils) : json_null()));
    }
    int status = wound && went_well(ways) ? EXIT_FINE : EXIT_MET_FAULT;
    return status == EXIT_FINE && a->write ? store(a, load, ways, against) : status;
}

static int move_all(const first_arguments *a, const wpin_rig *rig) {
    int only = a->load == NULL ? -1 : cli_find_load(rig, a->path, a->load), worst = -1;
    wpin_injection fault;
    char why[300];
    if (a->load != NULL && only < 0) {
        return EXIT_WRONG_INPUT;
    }
    if (a->fault != NULL && !wpin_injection_read(rig, a->fault, &fault, why, sizeof why)) {
        cli_complain("--fault: %s", why);
        return EXIT_WRONG_INPUT;
    }
    json_t *all = a->json ? json_array() : NULL;
    for (int i = 0; i < (int)rig->load_count; i++) {
        if (only < 0 || i == only) {
            int status = move_one(a, rig, i, &fault, all);
            worst = status > worst ? status : worst;
            if (status == EXIT_WRONG_INPUT && !isatty(STDIN_FILENO)) {
                break;
            }
        }
    }
    if (worst < 0) {
        cli_complain("%s: no load of it has a shaft", a->path);
        worst = EXIT_WRONG_INPUT;
    }
    if (all != NULL && json_array_size(all) > 0) {
        cli_dump_json(cli_of_rig(rig, json_pack("{s:o}", "loads", all)));
    } else {
        json_decref(all);
    }
    return worst;
}

int cmd_first(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG [LOAD]", doc, NULL, NULL, NULL};
    first_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.path);
    int status = rig == NULL ? EXIT_WRONG_INPUT : move_all(&a, rig);
    wpin_rig_free(rig);
    return status;
}
