/* windpin twins RIG LOAD LOAD: two motors at the same duties, and the trim that makes them alike.
 */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/response.h"
#include "windpin/host/twins.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Apart by more in spite of a trim, they carry unlike loads. */
#define UNLIKE 0.03
/* Apart by less, there is nothing to trim. */
#define ALIKE 0.001

enum { KEY_WRITE = 256, KEY_JSON, KEY_RECORD, KEY_SPREAD, KEY_SEED };

typedef struct twins_arguments {
    const char *words[3]; /* rig, two loads */
    const char *record;
    double spread;
    unsigned seed;
    bool write, json;
} twins_arguments;

static const struct argp_option options[] = {
    {"record", KEY_RECORD, "FILE.csv", 0,
     "In place of simulated hardware: a trace in which both had the same duties for a second and "
     "more each, e.g. of windpin run --real",
     0},
    {"spread", KEY_SPREAD, "SHARE", 0,
     "The simulated motors and loads are others than the rig says, each constant up to this far, "
     "e.g. 10%",
     0},
    {"seed", KEY_SEED, "N", 0, "Which of those that --spread allows, 0 to 1000000 (1)", 0},
    {"write", KEY_WRITE, NULL, 0, "Store the trim in the rig file", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs two motors that are to turn alike at the same duties, one after the other, on simulated "
    "hardware or as recorded. Prints what each makes of them: speed and how rough it is, current "
    "and its ripple. Says what share of its duty (trim) makes the faster one turn as the other "
    "does, and how far they are apart then.\v"
    "Example:\n"
    "  windpin twins demo/honey-belts.yaml left right\n"
    "  windpin run demo/honey-belts.yaml demo/honey-belts.plan --trace belts.csv\n"
    "  windpin twins demo/honey-belts.yaml left right --record belts.csv\n"
    "\n"
    "Exit status: 0 found; 1 there is no such trim, or it could not be stored; 2 the files or the "
    "usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    twins_arguments *a = state->input;
    switch (key) {
    case KEY_RECORD: a->record = arg; break;
    case KEY_WRITE: a->write = true; break;
    case KEY_JSON: a->json = true; break;
    case KEY_SPREAD: a->spread = cli_take_spread(arg, state); break;
    case KEY_SEED: a->seed = cli_take_whole("--seed", arg, 0, 1000000, state); break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 2) {
            argp_error(state, "'%s' is one too many; expected a rig and the names of two loads",
                       arg);
        }
        a->words[state->arg_num] = arg;
        break;
    case ARGP_KEY_END:
        if (state->arg_num < 3) {
            argp_error(state, "expected a rig and the names of two loads");
        }
        if (a->record != NULL && a->spread > 0) {
            argp_error(state, "expected --record or --spread, not both");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- the table ---- */

static void print_one(const wpin_twin *t) {
    cli_say(" %9.1f", t->rpm + 0.0);
    if (isfinite(t->rough)) {
        cli_say(" %8.2f", t->rough * 100);
    } else {
        printf(" %8s", "-");
    }
    cli_say(" %8.3f", t->amps + 0.0);
    if (isfinite(t->ripple)) {
        cli_say(" %8.3f", t->ripple);
    } else {
        printf(" %8s", "-");
    }
}

static void print_table(const wpin_twins *t, const char *const names[2]) {
    printf("         %-37s  %s\n%8s", names[0], names[1], "duty %");
    for (int i = 0; i < 2; i++) {
        printf(" %9s %8s %8s %8s", "rpm", "rough %", "amps", "ripple A");
    }
    printf("\n");
    for (size_t i = 0; i < t->count; i++) {
        const wpin_twin_place *p = &t->places[i];
        cli_say("%+8.1f", p->duty * 100);
        print_one(&p->of[0]);
        print_one(&p->of[1]);
        int stand = (p->of[0].rpm == 0) + (p->of[1].rpm == 0);
        printf("%s\n", stand == 2 ? "   both stand" : stand == 1 ? "   one stands" : "");
    }
}

/* ---- what stands behind it ---- */

/* Means of the sizes over the places where both turn. */
typedef struct means {
    double rough, amps, ripple;
} means;

static means means_of(const wpin_twins *t, int which) {
    means m = {0, 0, 0};
    double n = 0;
    for (size_t i = 0; i < t->count; i++) {
        const wpin_twin *one = &t->places[i].of[which];
        if (one->rpm != 0 && t->places[i].of[1 - which].rpm != 0) {
            m.rough += one->rough;
            m.amps += fabs(one->amps);
            m.ripple += one->ripple;
            n++;
        }
    }
    return (means){m.rough / n, m.amps / n, m.ripple / n};
}

/* What the slower one's current says about why it is slower. */
static void print_why(const wpin_twins *t, const char *const names[2]) {
    const char *slow = names[1 - t->faster], *fast = names[t->faster];
    means s = means_of(t, 1 - t->faster), f = means_of(t, t->faster);
    double more = s.amps / f.amps - 1;
    if (!isfinite(more)) {
        return;
    }
    if (more > 0.1) {
        cli_say("%s draws %.0f %% more current meanwhile: it runs more heavily, by friction or "
                "load.\n",
                slow, more * 100);
    } else if (more < -0.1) {
        cli_say("%s draws %.0f %% less current meanwhile: its motor has a higher constant (more "
                "windings, a stronger magnet), or it lacks volts: leads, contacts.\n",
                slow, -more * 100);
    } else {
        cli_say("Both draw the same current, within 10 %%: what %s lacks are volts, or its motor "
                "has a higher constant than that of %s.\n",
                slow, fast);
    }
}

static void print_unlike(const wpin_twins *t, const char *const names[2]) {
    means m[2] = {means_of(t, 0), means_of(t, 1)};
    for (int i = 0; i < 2; i++) {
        if (m[i].ripple > 1.3 * m[1 - i].ripple) {
            cli_say("The current of %s ripples %.1f times as much: less inductance (another motor, "
                    "a shorted winding), or a slower PWM.\n",
                    names[i], m[i].ripple / m[1 - i].ripple);
        }
        if (m[i].rough > 2 * m[1 - i].rough && m[i].rough > 0.005) {
            cli_say("%s turns more roughly: a worn commutator, a bent shaft, a gear or belt that "
                    "catches.\n",
                    names[i]);
        }
    }
}

static void print_faster(const wpin_twins *t, const char *const names[2]) {
    bool forward = isfinite(t->apart[0]), reverse = isfinite(t->apart[1]);
    printf("%s turns faster than %s, on average by", names[t->faster], names[1 - t->faster]);
    if (forward) {
        cli_say(" %.1f %% forward", t->apart[0] * 100);
    }
    if (reverse) {
        cli_say("%s %.1f %% in reverse", forward ? " and" : "", t->apart[1] * 100);
    }
    printf(".\n");
}

static void print_trim(const wpin_twins *t, bool recorded) {
    cli_say("With %s trim they are apart by %.2g %% of the highest speed at most%s; without it by "
            "%.2g %%.\n%s. With encoders on both, a speed that is regulated, or "
            "windpin/in_step.h, does for any.\n",
            t->trimmed ? "another" : "a", t->left * 100, recorded ? ", as reckoned" : ", as tried",
            t->most * 100,
            t->left > UNLIKE
                ? "No one trim evens them out at all duties, as they carry unlike loads"
                : "It holds for loads as they were just now");
}

static void print_found(const wpin_twins *t, const char *const names[2], bool recorded) {
    printf("\n");
    if (t->trimmed) {
        printf("The trims of the rig were at work.\n");
    }
    print_unlike(t, names);
    if (t->most < ALIKE) {
        cli_say("They turn alike: apart by %.2g %% of the highest speed at most.\n", t->most * 100);
        return;
    }
    print_faster(t, names);
    if (t->trim < 1) {
        if (!t->trimmed) {
            print_why(t, names);
        }
        print_trim(t, recorded);
    } else if (t->most > UNLIKE) {
        cli_say("No one trim brings them nearer than they are, %.2g %% of the highest speed apart "
                "at most: they carry unlike loads.\n",
                t->most * 100);
    } else {
        cli_say("They need no %strim: they are apart by %.2g %% of the highest speed at most.\n",
                t->trimmed ? "other " : "", t->most * 100);
    }
}

/* What either is to have in the rig: on top of a trim that was at work. The slower one has all. */
static void trims_of(const wpin_twins *t, const wpin_rig *rig, const int loads[2], double *trims) {
    for (int i = 0; i < 2; i++) {
        trims[i] =
            (t->trimmed ? rig->loads[loads[i]].limits.trim : 1) * (i == t->faster ? t->trim : 1);
    }
    double most = fmax(trims[0], trims[1]);
    trims[0] /= most;
    trims[1] /= most;
}

/* The line for the rig, where it does not have it yet; false where it could not be stored. */
static bool put_line(const twins_arguments *a, const wpin_rig_load *load, double trim) {
    char line[40];
    if (fabs(trim - load->limits.trim) < 5e-4) {
        return true;
    }
    wpin_plain(line, sizeof line, "trim: %.1f%%", trim * 100);
    if (!a->json) {
        printf("For the rig, under %s:\n    %s\n", load->name, line);
    }
    if (!a->write) {
        return true;
    }
    if (!cli_store_line(a->words[0], load->line, "trim", line)) {
        return false;
    }
    fprintf(a->json ? stderr : stdout, "Stored in %s.\n", a->words[0]);
    return true;
}

/* The lower one in the file first: a line that is put in moves all below. */
static bool put_lines(const twins_arguments *a, const wpin_rig *rig, const int loads[2],
                      const double *trims) {
    int low = rig->loads[loads[1]].line > rig->loads[loads[0]].line;
    return put_line(a, &rig->loads[loads[low]], trims[low]) &&
           put_line(a, &rig->loads[loads[1 - low]], trims[1 - low]);
}

static json_t *one_json(const wpin_twin *t) {
    return json_pack("{s:o, s:o, s:o, s:o}", "rpm", cli_json_number(t->rpm), "rough_percent",
                     cli_json_number(t->rough * 100), "amps", cli_json_number(t->amps), "ripple_a",
                     cli_json_number(t->ripple));
}

static void dump(const wpin_rig *rig, const wpin_twins *t, const char *const names[2],
                 const double *trims) {
    json_t *places = json_array();
    for (size_t i = 0; i < t->count; i++) {
        json_array_append_new(places,
                              json_pack("{s:f, s:o, s:o}", "duty_percent", t->places[i].duty * 100,
                                        names[0], one_json(&t->places[i].of[0]), names[1],
                                        one_json(&t->places[i].of[1])));
    }
    cli_dump_json(cli_of_rig(
        rig, json_pack("{s:o, s:s, s:o, s:o, s:f, s:f, s:f, s:{s:f, s:f}}", "places", places,
                       "faster", names[t->faster], "faster_forward_percent",
                       cli_json_number(t->apart[0] * 100), "faster_reverse_percent",
                       cli_json_number(t->apart[1] * 100), "trim_percent", t->trim * 100,
                       "apart_percent", t->most * 100, "apart_with_trim_percent", t->left * 100,
                       "for_the_rig_percent", names[0], trims[0] * 100, names[1], trims[1] * 100)));
}

/* ---- the command ---- */

static bool recorded(const twins_arguments *a, const wpin_rig *rig, const int loads[2],
                     wpin_twins *t, char *why, size_t why_size) {
    wpin_trace *trace = wpin_trace_read(a->record, why, why_size);
    bool good = trace != NULL && wpin_twins_recorded(trace, rig, loads, t, why, why_size);
    wpin_trace_free(trace);
    return good;
}

static bool tried(const twins_arguments *a, const wpin_rig *rig, const int loads[2], wpin_twins *t,
                  char *why, size_t why_size) {
    if (a->spread <= 0) {
        return wpin_twins_try(rig, NULL, loads, t, why, why_size);
    }
    wpin_rig *bench = wpin_bench_vary_all(rig, a->spread, a->seed);
    bool good = bench != NULL && wpin_twins_try(rig, bench, loads, t, why, why_size);
    if (bench == NULL) {
        snprintf(why, why_size, "out of memory");
    }
    wpin_bench_free(bench);
    return good;
}

static int twins(const twins_arguments *a, const wpin_rig *rig) {
    wpin_twins t = {0};
    char why[400];
    int loads[2];
    double trims[2];
    for (int i = 0; i < 2; i++) {
        loads[i] = cli_find_load(rig, a->words[0], a->words[1 + i]);
        if (loads[i] < 0) {
            return EXIT_WRONG_INPUT;
        }
    }
    if (loads[0] == loads[1]) {
        cli_complain("'%s' is no twin of itself; expected two loads", a->words[1]);
        return EXIT_WRONG_INPUT;
    }
    const char *const names[2] = {rig->loads[loads[0]].name, rig->loads[loads[1]].name};
    bool good = a->record != NULL ? recorded(a, rig, loads, &t, why, sizeof why)
                                  : tried(a, rig, loads, &t, why, sizeof why);
    if (t.count > 0 && !a->json) {
        printf("%s and %s at the same duties, %s:\n", names[0], names[1],
               a->record != NULL ? "as recorded" : "each by itself on simulated hardware");
        print_table(&t, names);
    }
    if (!good) {
        cli_complain("%s", why);
        return EXIT_MET_FAULT;
    }
    trims_of(&t, rig, loads, trims);
    if (a->json) {
        dump(rig, &t, names, trims);
    } else {
        print_found(&t, names, a->record != NULL);
    }
    return put_lines(a, rig, loads, trims) ? EXIT_FINE : EXIT_MET_FAULT;
}

int cmd_twins(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD LOAD", doc, NULL, NULL, NULL};
    twins_arguments a = {.seed = 1};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : twins(&a, rig);
    wpin_rig_free(rig);
    return status;
}
