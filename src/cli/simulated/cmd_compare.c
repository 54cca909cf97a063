/* windpin compare RIG PLAN CHANGE: a plan on a rig as it is and with values changed, side by
 * side; or, with --record, simulated and as it was recorded, or as it was recorded twice. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "compare_record.h"
#include "compare_words.h"
#include "windpin/host/quantity.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/vet.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

enum { KEY_PLOT = 256, KEY_LOAD, KEY_JSON, KEY_RECORD };

static const struct argp_option options[] = {
    {"record", KEY_RECORD, "FILE.csv", 0,
     "In place of changes: a trace of a run of this plan, e.g. on real pins; twice: the first one "
     "takes the place of the simulated run",
     0},
    {"plot", KEY_PLOT, "FILE.png", 0, "Draw both over each other (.png or .svg)", 0},
    {"load", KEY_LOAD, "NAME", 0, "The load to draw (the first one)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs a plan on simulated hardware twice: with the rig as it is, and with values of it "
    "changed. Prints side by side what both came to, and the steps that differ. The file "
    "stays as "
    "it is. A change is the name of a part, keys below it, and a new value.\v"
    "Example:\n"
    "  windpin compare demo/honey-drum.yaml demo/honey-drum.plan \\\n"
    "      drum.motor.load.inertia=800kgcm2\n"
    "  windpin compare demo/honey-pump.yaml demo/honey-pump.plan \\\n"
    "      main.voltage=9V pump.ramp.up=500ms --plot both.png\n"
    "  windpin run demo/honey-shelf.yaml demo/honey-shelf.plan --powered \\\n"
    "      --trace shelf.csv\n"
    "  windpin compare demo/honey-shelf.yaml demo/honey-shelf.plan \\\n"
    "      --record shelf.csv\n"
    "A record of --real shows what the rig does not know, two of them what has changed since.\n"
    "\n"
    "Exit status: 0 both as asked; 1 one of them was not, or the record is another run; 2 the "
    "files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    compare_arguments *a = state->input;
    switch (key) {
    case KEY_PLOT: a->picture = arg; break;
    case KEY_LOAD: a->load = arg; break;
    case KEY_JSON: a->json = true; break;
    case KEY_RECORD:
        if (a->record_count == 2) {
            argp_error(state, "--record %s: one too many; expected one or two", arg);
        }
        a->records[a->record_count++] = arg;
        break;
    case ARGP_KEY_ARG:
        if (state->arg_num < 2) {
            a->files[state->arg_num] = arg;
        } else if (a->change_count == COMPARE_CHANGES) {
            argp_error(state, "'%s' is one change too many; expected up to %d", arg,
                       COMPARE_CHANGES);
        } else {
            a->changes[a->change_count++] = arg;
        }
        break;
    case ARGP_KEY_END:
        if (a->files[1] == NULL || (a->change_count == 0 && a->record_count == 0)) {
            argp_error(state, "expected a rig, a plan, and at least one change, e.g. "
                              "pump.ramp.up=500ms, or --record FILE.csv");
        }
        if (a->change_count > 0 && a->record_count > 0) {
            argp_error(state, "expected changes or --record, not both");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- the two runs ---- */

static bool temporary(char *path, size_t size) {
    const char *folder = getenv("TMPDIR");
    snprintf(path, size, "%.40s/windpin-XXXXXX", folder != NULL ? folder : "/tmp");
    int file = mkstemp(path);
    if (file < 0) {
        cli_complain("%s: can't be written", path);
        path[0] = '\0';
        return false;
    }
    close(file);
    return true;
}

static bool read_side(compare_side *s, const char *rig, const char *plan, const char *whose) {
    wpin_messages m = {0};
    s->rig = wpin_rig_read(rig, &m);
    s->plan = s->rig == NULL ? NULL : wpin_plan_read(plan, s->rig, &m);
    if (s->plan == NULL && whose == NULL) {
        cli_print_messages(&m);
    } else if (s->plan == NULL) { /* of a file that nobody knows: what was changed is named */
        cli_complain("with %s: %s", whose, m.count > 0 ? m.items[0].text : "out of memory");
    }
    wpin_messages_free(&m);
    return s->plan != NULL;
}

static bool run_side(compare_side *s, bool traced) {
    char why[400];
    wpin_status refused;
    wpin_vet_options powered = {.powered = true};
    wpin_session_options run = {.supplies_on = true};
    if (traced && (!temporary(s->trace, sizeof s->trace) ||
                   (run.csv = wpin_csv_open(s->trace, s->rig)) == NULL)) {
        return false;
    }
    s->vetting = wpin_vet(s->rig, s->plan, &powered);
    s->report = wpin_rehearse(s->rig, s->plan, &run, &refused, why, sizeof why);
    bool kept = run.csv == NULL || wpin_csv_close(run.csv) == 0;
    if (s->report == NULL || s->vetting == NULL) {
        cli_complain("%s", s->report == NULL ? why : "out of memory");
    }
    return s->report != NULL && s->vetting != NULL && kept;
}

static void free_side(compare_side *s) {
    wpin_report_free(s->report);
    wpin_vetting_free(s->vetting);
    wpin_plan_free(s->plan);
    wpin_rig_free(s->rig);
    if (s->trace[0] != '\0') {
        unlink(s->trace);
    }
}

/* ---- both ---- */

static bool draw(const compare_arguments *a, const compare_side *sides,
                 const compare_change *changes) {
    char words[340], why[400];
    if (a->picture == NULL) {
        return true;
    }
    int load = a->load == NULL ? 0 : wpin_rig_find_load(sides[0].rig, a->load);
    snprintf(words, sizeof words, "%s: %.100s%s", changes[0].what, changes[0].is,
             a->change_count > 1 ? ", ..." : "");
    wpin_picture_pair pair = {.csv = {sides[0].trace, sides[1].trace},
                              .words = {"as it is", words},
                              .load = sides[0].rig->loads[load].name};
    if (!wpin_picture_two(&pair, a->picture, why, sizeof why)) {
        cli_complain("%s", why);
        return false;
    }
    fprintf(a->json ? stderr : stdout, "Picture: %s\n", a->picture);
    return true;
}

/* Makes the changed file; false with a complaint. */
static bool make_changes(const compare_arguments *a, const char *changed, compare_change *changes) {
    for (size_t i = 0; i < a->change_count; i++) {
        char why[400];
        const char *from = i == 0 ? a->files[0] : changed, *text = a->changes[i];
        if (!wpin_rig_change(from, changed, text, changes[i].was, sizeof changes[i].was, why,
                             sizeof why)) {
            cli_complain("%s", why);
            return false;
        }
        size_t length = strcspn(text, "=");
        snprintf(changes[i].what, sizeof changes[i].what, "%.*s", (int)length, text);
        snprintf(changes[i].is, sizeof changes[i].is, "%s", text + length + 1);
    }
    return true;
}

/* The trace of one side: the plan simulated, or the first of two records. */
static wpin_trace *first_side(const compare_arguments *a, compare_side *now, char *why,
                              size_t why_size) {
    if (a->record_count == 2) {
        return wpin_trace_read(a->records[0], why, why_size);
    }
    why[0] = '\0'; /* a run that fails has said why */
    return run_side(now, true) ? wpin_trace_read(now->trace, why, why_size) : NULL;
}

static bool draw_records(const compare_arguments *a, const cli_recorded *r, const char *first) {
    char why[400];
    wpin_picture_pair pair = {.csv = {first, r->paths[1]},
                              .words = {r->names[0], r->names[1]},
                              .load = a->load != NULL ? a->load : r->rig->loads[0].name};
    bool drawn = a->picture == NULL || wpin_picture_two(&pair, a->picture, why, sizeof why);
    if (!drawn) {
        cli_complain("%s", why);
    }
    return drawn;
}

/* The plan simulated, beside a record of it; or two records. */
static int compare_record(const compare_arguments *a) {
    char why[400];
    compare_side now = {0};
    int status = EXIT_WRONG_INPUT;
    const char *path = a->records[a->record_count - 1];
    wpin_trace *second = wpin_trace_read(path, why, sizeof why), *first = NULL;
    if (second != NULL && (!read_side(&now, a->files[0], a->files[1], NULL) ||
                           (a->load != NULL && cli_find_load(now.rig, a->files[0], a->load) < 0))) {
        why[0] = '\0'; /* said already */
    } else if (second != NULL) {
        first = first_side(a, &now, why, sizeof why);
    }
    if (first != NULL) {
        bool two = a->record_count == 2;
        cli_recorded r = {now.rig,
                          a->files[1],
                          now.plan->step_count,
                          {two ? a->records[0] : NULL, path},
                          now.report,
                          {first, second},
                          {two ? "first" : "simulated", two ? "second" : "recorded"}};
        status = cli_compare_record(&r, a->json) ? EXIT_FINE : EXIT_MET_FAULT;
        status = draw_records(a, &r, two ? a->records[0] : now.trace) ? status : EXIT_WRONG_INPUT;
    } else if (why[0] != '\0') {
        cli_complain("%s", why);
    }
    wpin_trace_free(first);
    wpin_trace_free(second);
    free_side(&now);
    return status;
}

static bool read_both(const compare_arguments *a, compare_side *sides, compare_change *changes) {
    char changed[64], whose[400] = "";
    bool good = read_side(&sides[0], a->files[0], a->files[1], NULL);
    if (good && a->load != NULL && cli_find_load(sides[0].rig, a->files[0], a->load) < 0) {
        return false;
    }
    if (!good || !temporary(changed, sizeof changed)) {
        return false;
    }
    for (size_t i = 0; i < a->change_count; i++) {
        snprintf(whose + strlen(whose), sizeof whose - strlen(whose), "%s%s", i > 0 ? " " : "",
                 a->changes[i]);
    }
    good = make_changes(a, changed, changes) && read_side(&sides[1], changed, a->files[1], whose);
    unlink(changed);
    return good;
}

static int compare(const compare_arguments *a) {
    compare_side sides[2] = {{0}, {0}};
    compare_change changes[COMPARE_CHANGES] = {{"", "", ""}};
    int status = EXIT_WRONG_INPUT;
    if (read_both(a, sides, changes) && run_side(&sides[0], a->picture != NULL) &&
        run_side(&sides[1], a->picture != NULL)) {
        if (a->json) {
            compare_dump(a, sides, changes);
        } else {
            compare_print(a, sides, changes);
        }
        bool fine = draw(a, sides, changes) && !sides[0].report->bad && !sides[1].report->bad;
        status = fine ? EXIT_FINE : EXIT_MET_FAULT;
    }
    free_side(&sides[0]);
    free_side(&sides[1]);
    return status;
}

int cmd_compare(int argc, char **argv) {
    static const struct argp argp = {
        options, parse, "RIG PLAN CHANGE...\nRIG PLAN --record FILE.csv", doc, NULL, NULL, NULL};
    compare_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!cli_may_write(a.picture)) {
        return EXIT_WRONG_INPUT;
    }
    return a.record_count > 0 ? compare_record(&a) : compare(&a);
}
