/* windpin response RIG LOAD: how a regulated speed answers, predicted and on a bench. */
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/response.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_FROM = 256, KEY_TO, KEY_TORQUE, KEY_SPREAD, KEY_SEED, KEY_BENCHES, KEY_PLOT, KEY_JSON };
enum { BENCHES_MAX = 10000 };

typedef struct response_arguments {
    const char *words[2]; /* rig, load */
    wpin_response_test test;
    const char *picture;
    double spread;
    unsigned seed, benches;
    bool json;
} response_arguments;

static const struct argp_option options[] = {
    {"from", KEY_FROM, "SPEED", 0, "Its speed before the step (40 % of its rated speed)", 0},
    {"to", KEY_TO, "SPEED", 0, "Its speed after the step (60 %)", 0},
    {"torque", KEY_TORQUE, "TORQUE", 0,
     "The load step that follows, at the output (a tenth of what stalls it)", 0},
    {"spread", KEY_SPREAD, "SHARE", 0,
     "The simulated motor and load are others than the rig says, each constant up to this far, "
     "e.g. 20%",
     0},
    {"seed", KEY_SEED, "N", 0, "Which of the benches that --spread allows, 0 to 1000000 (1)", 0},
    {"benches", KEY_BENCHES, "N", 0, "How many benches, seed after seed: 1 to 10000 (1)", 0},
    {"plot", KEY_PLOT, "FILE.png", 0, "Draw speed, duty and current (.png or .svg)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs a motor whose speed is regulated at one speed, asks for another, and loads it all at "
    "once, with the firmware's own regulator on simulated hardware. Prints how it answers beside "
    "what the design predicts. With --spread and --benches it does so on many benches, and reports "
    "the worst.\v"
    "Example:\n"
    "  windpin response demo/honey-drum.yaml drum --spread 20% --benches 100\n"
    "\n"
    "Exit status: 0 as predicted; 1 not, or a fault on the way; 2 the files or the usage are "
    "wrong.";

static void take_quantity(double *to, wpin_dimension dimension, const char *option, const char *arg,
                          struct argp_state *state) {
    char why[320];
    if (!wpin_quantity_read(arg, dimension, to, why, sizeof why)) {
        argp_error(state, "%s: %s", option, why);
    } else if (!(*to > 0)) {
        argp_error(state, "%s %s: expected more than 0", option, arg);
    }
}

static error_t parse(int key, char *arg, struct argp_state *state) {
    response_arguments *a = state->input;
    switch (key) {
    case KEY_FROM: take_quantity(&a->test.from, WPIN_SPEED, "--from", arg, state); break;
    case KEY_TO: take_quantity(&a->test.to, WPIN_SPEED, "--to", arg, state); break;
    case KEY_TORQUE: take_quantity(&a->test.torque, WPIN_TORQUE, "--torque", arg, state); break;
    case KEY_SPREAD: a->spread = cli_take_spread(arg, state); break;
    case KEY_SEED: a->seed = cli_take_whole("--seed", arg, 0, 1000000, state); break;
    case KEY_BENCHES: a->benches = cli_take_whole("--benches", arg, 1, BENCHES_MAX, state); break;
    case KEY_PLOT: a->picture = arg; break;
    case KEY_JSON: a->json = true; break;
    case ARGP_KEY_END:
        if (a->benches > 1 && a->spread == 0) {
            argp_error(state, "--benches needs how far they are off; expected --spread, e.g. 20%%");
        }
        return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

/* ---- in words ---- */

typedef struct row {
    const char *words, *key, *unit;
    size_t at; /* in wpin_response_figures */
    double scale;
} row;

#define ROW(member, words, key, unit, scale)                                                       \
    { words, key, unit, offsetof(wpin_response_figures, member), scale }

static const row rows[] = {
    ROW(rise, "rise, 10 to 90 % of the step", "rise_s", "ms", 1e3),
    ROW(overshoot, "overshoot, of the step", "overshoot", "%", 100),
    ROW(settling, "settled to 5 % of the step", "settling_s", "ms", 1e3),
    ROW(off, "off at the end, of the speed", "off", "%", 100),
    ROW(dip, "furthest off under the load", "dip_rpm", "rpm", 1),
    ROW(recovery, "back to a tenth of that, or 0.5 %", "recovery_s", "ms", 1e3)};
#define ROWS (sizeof rows / sizeof *rows)

static double value_of(const wpin_response_figures *f, const row *r) {
    double value;
    memcpy(&value, (const char *)f + r->at, sizeof value);
    return value;
}

/* The bench whose figure is the largest; one that never got there counts most. */
static size_t worst(const wpin_response_bench *benches, size_t count, const row *r) {
    size_t at = 0;
    for (size_t i = 1; i < count; i++) {
        double value = value_of(&benches[i].figures, r), most = value_of(&benches[at].figures, r);
        bool more = !benches[at].ran || (!isnan(most) && (isnan(value) || value > most));
        at = benches[i].ran && more ? i : at;
    }
    return at;
}

static void put_value(double value, const row *r) {
    if (isnan(value)) {
        printf(" %12s    ", "never");
    } else {
        double shown = value * r->scale;
        cli_say(" %12.*f %-3s", shown < 10 ? 2 : (shown < 100 ? 1 : 0), shown, r->unit);
    }
}

static void print_figures(const wpin_response *r, const wpin_response_bench *benches,
                          size_t count) {
    printf("\n  %-36s %12s     %12s", "", "predicted", "simulated");
    printf(count > 1 ? "     %12s\n" : "\n", "worst");
    for (size_t i = 0; i < ROWS; i++) {
        printf("  %-36s", rows[i].words);
        put_value(value_of(&r->predicted, &rows[i]), &rows[i]);
        put_value(value_of(&r->happened, &rows[i]), &rows[i]);
        if (count > 1) {
            const wpin_response_bench *b = &benches[worst(benches, count, &rows[i])];
            put_value(value_of(&b->figures, &rows[i]), &rows[i]);
            printf("  seed %u", b->seed);
        }
        printf("\n");
    }
}

static void print_asked(const response_arguments *a, const wpin_rig *rig, int load,
                        const wpin_response *r) {
    const wpin_rig_load *l = &rig->loads[load];
    wpin_speed_design d = wpin_rig_speed_design(rig, l);
    char torque[40];
    wpin_quantity_write(torque, sizeof torque, r->test.torque, WPIN_TORQUE);
    cli_say("%s (rig %08x): %s from %.4g to %.4g rpm, then %s more at the output, on simulated "
            "hardware\n",
            rig->name, rig->fingerprint, l->name, r->test.from, r->test.to, torque);
    bool up = r->test.to > r->test.from;
    cli_say("Its regulator answers within %.3g ms (bandwidth %.2g Hz, phase margin %.0f deg); the "
            "set-point follows the ramp of the rig, %.3g rpm a second.\n",
            d.response * 1e3, d.bandwidth, d.phase_margin,
            l->speed.maximum / fmax(up ? l->limits.ramp_up : l->limits.ramp_down, 1e-3));
    if (a->spread > 0 && a->benches == 1) {
        cli_say("The simulated motor and load were others than the rig's, up to %.3g %% (seed "
                "%u).\n",
                a->spread * 100, a->seed);
    }
}

static size_t holding(const wpin_response_bench *benches, size_t count) {
    size_t holds = 0;
    for (size_t i = 0; i < count; i++) {
        holds += benches[i].holds ? 1 : 0;
    }
    return holds;
}

static void print_answer(const response_arguments *a, const wpin_response *r,
                         const wpin_response_bench *benches, size_t count) {
    static const char words[] = "settled and recovered within twice the time, no more than a "
                                "tenth of the step of overshoot beyond, under the load off by no "
                                "more than two thirds as much again, within 0.5 % at the end";
    if (r->limited > 0) {
        cli_say("\nIts current or duty limit held it back for %.3g s, which no prediction knows.\n",
                r->limited);
    }
    if (count == 1) {
        printf("\nThat is %sas predicted (%s).\n", benches[0].holds ? "" : "not ", words);
        return;
    }
    size_t holds = holding(benches, count), ran = 0;
    for (size_t i = 0; i < count; i++) {
        ran += benches[i].ran ? 1 : 0;
    }
    cli_say("\n%zu of %zu benches, each constant up to %.3g %% off, answer as predicted (%s).\n",
            holds, count, a->spread * 100, words);
    if (ran < count) {
        printf("%zu ended with a fault.\n", count - ran);
    }
    for (size_t i = 0; i < count; i++) {
        if (!benches[i].holds) {
            cli_say("To look at one that does not: --spread %.3g%% --seed %u --plot FILE.png\n",
                    a->spread * 100, benches[i].seed);
            return;
        }
    }
}

static json_t *figures_json(const wpin_response_figures *f) {
    json_t *all = json_object();
    for (size_t i = 0; i < ROWS; i++) {
        double value = value_of(f, &rows[i]);
        json_object_set_new(all, rows[i].key, cli_json_number(value));
    }
    return all;
}

static json_t *worst_json(const wpin_response_bench *benches, size_t count) {
    json_t *all = json_object();
    for (size_t i = 0; i < ROWS; i++) {
        const wpin_response_bench *b = &benches[worst(benches, count, &rows[i])];
        double value = value_of(&b->figures, &rows[i]);
        json_object_set_new(
            all, rows[i].key,
            json_pack("{s:o, s:i}", "value", cli_json_number(value), "seed", (int)b->seed));
    }
    return all;
}

static void print_json(const wpin_rig *rig, const wpin_rig_load *l, const wpin_response *r,
                       const wpin_response_bench *benches, size_t count) {
    json_t *all =
        json_pack("{s:s, s:f, s:f, s:f, s:f, s:o, s:o, s:i, s:i, s:f}", "load", l->name, "from_rpm",
                  r->test.from, "to_rpm", r->test.to, "torque_nm", r->test.torque, "load_at_s",
                  r->load_at, "predicted", figures_json(&r->predicted), "simulated",
                  figures_json(&r->happened), "benches", (int)count, "as_predicted",
                  (int)holding(benches, count), "limited_s", r->limited);
    if (all != NULL && count > 1) {
        json_object_set_new(all, "worst", worst_json(benches, count));
    }
    cli_dump_json(cli_of_rig(rig, all));
}

/* ---- running it ---- */

static bool draw(const response_arguments *a, const wpin_rig_load *l, const wpin_response *r) {
    char title[100], why[300];
    wpin_plain(title, sizeof title, "%s: from %.4g to %.4g rpm", l->name, r->test.from, r->test.to);
    if (a->picture == NULL) {
        return true;
    }
    if (!wpin_response_picture(r, a->picture, title, why, sizeof why)) {
        cli_complain("%s", why);
        return false;
    }
    fprintf(a->json ? stderr : stdout, "Picture: %s\n", a->picture);
    return true;
}

/* Of many benches the first run is on one that is what the rig says. */
static bool run(const response_arguments *a, const wpin_rig *rig, int load, wpin_response *r,
                wpin_response_bench *benches, char *why, size_t size) {
    double spread = a->benches > 1 ? 0 : a->spread;
    wpin_rig *bench = wpin_bench_vary(rig, load, spread, a->seed, true);
    if (bench == NULL) {
        snprintf(why, size, "out of memory");
        return false;
    }
    bool good = wpin_respond(rig, bench, load, &a->test, r, why, size);
    wpin_bench_free(bench);
    if (good && a->benches == 1) {
        benches[0] = (wpin_response_bench){.seed = a->seed, .ran = true, .figures = r->happened};
        benches[0].holds = wpin_response_holds(&r->predicted, &r->happened, rig->controller.tick);
    } else if (good) {
        good = wpin_respond_spread(rig, load, &a->test, a->spread, a->seed, benches, a->benches,
                                   cli_progress, "benches");
        cli_progress_end();
        snprintf(why, size, "out of memory");
    }
    return good;
}

static int respond(const response_arguments *a, const wpin_rig *rig) {
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    if (load < 0) {
        return EXIT_WRONG_INPUT;
    }
    wpin_response r = {0};
    char why[400] = "out of memory";
    wpin_response_bench *benches = calloc(a->benches, sizeof *benches);
    if (benches == NULL || !run(a, rig, load, &r, benches, why, sizeof why)) {
        cli_complain("%s", why);
        bool ran = r.rows != NULL;
        wpin_response_free(&r);
        free(benches);
        return ran ? EXIT_MET_FAULT : EXIT_WRONG_INPUT;
    }
    if (a->json) {
        print_json(rig, &rig->loads[load], &r, benches, a->benches);
    } else {
        print_asked(a, rig, load, &r);
        print_figures(&r, benches, a->benches);
        print_answer(a, &r, benches, a->benches);
    }
    bool fine = draw(a, &rig->loads[load], &r) && holding(benches, a->benches) == a->benches;
    wpin_response_free(&r);
    free(benches);
    return fine ? EXIT_FINE : EXIT_MET_FAULT;
}

int cmd_response(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    response_arguments a = {.seed = 1, .benches = 1};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!cli_may_write(a.picture)) {
        return EXIT_WRONG_INPUT;
    }
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : respond(&a, rig);
    wpin_rig_free(rig);
    return status;
}
