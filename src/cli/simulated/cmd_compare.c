/* windpin compare RIG PLAN CHANGE: a plan on a rig as it is and with values changed, side by side;
 * or, with --record, simulated and as it was recorded. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "compare_record.h"
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

enum { KEY_PLOT = 256, KEY_LOAD, KEY_JSON, KEY_RECORD, CHANGES_MAX = 16 };

typedef struct compare_arguments {
    const char *files[2]; /* rig, plan */
    const char *changes[CHANGES_MAX];
    size_t change_count;
    const char *picture, *load, *record;
    bool json;
} compare_arguments;

static const struct argp_option options[] = {
    {"record", KEY_RECORD, "FILE.csv", 0,
     "In place of changes: a trace of a run of this plan, e.g. on real pins", 0},
    {"plot", KEY_PLOT, "FILE.png", 0, "Draw both over each other (.png or .svg)", 0},
    {"load", KEY_LOAD, "NAME", 0, "The load to draw (the first one)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs a plan on simulated hardware twice: with the rig as it is, and with values of it "
    "changed. Prints side by side what both came to, and the steps that differ. The file stays as "
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
    "With --real such a record has something to tell.\n"
    "\n"
    "Exit status: 0 both as asked; 1 one of them was not, or the record is another run; 2 the "
    "files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    compare_arguments *a = state->input;
    switch (key) {
    case KEY_PLOT: a->picture = arg; break;
    case KEY_LOAD: a->load = arg; break;
    case KEY_JSON: a->json = true; break;
    case KEY_RECORD: a->record = arg; break;
    case ARGP_KEY_ARG:
        if (state->arg_num < 2) {
            a->files[state->arg_num] = arg;
        } else if (a->change_count == CHANGES_MAX) {
            argp_error(state, "'%s' is one change too many; expected up to %d", arg, CHANGES_MAX);
        } else {
            a->changes[a->change_count++] = arg;
        }
        break;
    case ARGP_KEY_END:
        if (a->files[1] == NULL || (a->change_count == 0 && a->record == NULL)) {
            argp_error(state, "expected a rig, a plan, and at least one change, e.g. "
                              "pump.ramp.up=500ms, or --record FILE.csv");
        }
        if (a->change_count > 0 && a->record != NULL) {
            argp_error(state, "expected changes or --record, not both");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- the two runs ---- */

typedef struct side {
    wpin_rig *rig;
    wpin_plan *plan;
    wpin_report *report;
    wpin_vetting *vetting;
    char trace[64];
} side;

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

static bool read_side(side *s, const char *rig, const char *plan, const char *whose) {
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

static bool run_side(side *s, bool traced) {
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

static void free_side(side *s) {
    wpin_report_free(s->report);
    wpin_vetting_free(s->vetting);
    wpin_plan_free(s->plan);
    wpin_rig_free(s->rig);
    if (s->trace[0] != '\0') {
        unlink(s->trace);
    }
}

/* ---- in words ---- */

typedef struct change {
    char what[200], was[120], is[200];
} change;

typedef struct figure {
    const char *words, *key, *unit;
    double a, b;
} figure;

enum { FIGURES = 4 };

static void load_figures(const side *sides, size_t load, figure *to) {
    const wpin_report *a = sides[0].report, *b = sides[1].report;
    const figure all[FIGURES] = {
        {"highest current", "peak_a", "A", a->amps_peak[load], b->amps_peak[load]},
        {"highest speed", "peak_rpm", "rpm", a->rpm_peak[load], b->rpm_peak[load]},
        {"energy", "joules", "J", a->joules[load], b->joules[load]},
        {"warmest", "degrees_c", "degC", a->degrees_c[load], b->degrees_c[load]}};
    memcpy(to, all, sizeof all);
}

static bool differ(double a, double b, double hair) {
    return fabs(a - b) > hair + 0.01 * fmax(fabs(a), fabs(b));
}

static void print_figure(const char *whose, const figure *f) {
    char change_text[24] = "";
    if (differ(f->a, f->b, 0) && f->a != 0 && strcmp(f->unit, "degC") != 0) {
        snprintf(change_text, sizeof change_text, "%+.3g %%", 100 * (f->b - f->a) / fabs(f->a));
    }
    printf("  %-12s %-22s %10.4g %-4s %10.4g %-4s %9s\n", whose, f->words, f->a, f->unit, f->b,
           f->unit, change_text);
}

static void print_figures(const side *sides) {
    printf("  %-12s %-22s %15s %15s\n", "", "", "as it is", "changed");
    for (size_t i = 0; i < sides[0].rig->load_count; i++) {
        figure all[FIGURES];
        load_figures(sides, i, all);
        const char *whose = sides[0].rig->loads[i].name;
        for (size_t k = 0; k < FIGURES; k++) {
            double nothing = strcmp(all[k].unit, "degC") == 0 ? 25.005 : 0; /* the air's own */
            if (all[k].a > nothing || all[k].b > nothing) {
                print_figure(whose, &all[k]);
                whose = "";
            }
        }
    }
    const wpin_report *a = sides[0].report, *b = sides[1].report;
    figure took = {"took", "seconds", "s", a->seconds, b->seconds};
    figure together = {"highest current at once", "amps", "A", a->total_amps_peak,
                       b->total_amps_peak};
    print_figure("all", &took);
    print_figure("", &together);
    printf("  %-12s %-22s %10zu/%-4zu %10zu/%-4zu\n", "", "vetting: refused/caution",
           sides[0].vetting->refusals, sides[0].vetting->cautions, sides[1].vetting->refusals,
           sides[1].vetting->cautions);
}

static bool steps_differ(const wpin_step_result *a, const wpin_step_result *b) {
    return a->verdict != b->verdict || differ(a->took, b->took, 2e-3) ||
           differ(a->amps_peak, b->amps_peak, 0.01) || differ(a->rpm, b->rpm, 1);
}

static const char *word_of(const wpin_step_result *s) {
    return s == NULL                       ? "not run"
           : s->verdict == WPIN_VERDICT_OK ? "ok"
           : s->words[0] != '\0'           ? s->words
                                           : "not as asked";
}

static void print_step(const wpin_rig *rig, const wpin_step_result *a, const wpin_step_result *b) {
    const wpin_step_result *any = a != NULL ? a : b;
    printf("%5u  %-28.28s", any->line, any->text);
    for (int i = 0; i < 2; i++) {
        const wpin_step_result *s = i == 0 ? a : b;
        if (s == NULL) {
            printf(" | %8s %7s %7s", "", "", "");
        } else if (s->load < 0) {
            printf(" | %8.3f %7s %7s", s->took, "", "");
        } else {
            char rpm[20] = "";
            if (wpin_rig_type(&rig->loads[s->load])->spins) {
                snprintf(rpm, sizeof rpm, "%.4g", fabs(s->rpm) < 0.05 ? 0 : s->rpm);
            }
            printf(" | %8.3f %7s %7.2f", s->took, rpm, s->amps_peak);
        }
    }
    const char *first = word_of(a), *second = word_of(b);
    printf(strcmp(first, second) == 0 ? " | %s%s\n" : " | %s -> %s\n", first,
           strcmp(first, second) == 0 ? "" : second);
}

/* The same step in the same round; NULL where it did not come to that. */
static const wpin_step_result *same_step(const side *s, const wpin_step_result *as) {
    for (size_t i = 0; i < s->report->step_count; i++) {
        const wpin_step_result *step = &s->report->steps[i];
        if (step->step == as->step && step->round == as->round) {
            return step;
        }
    }
    return NULL;
}

static void print_pair(const wpin_rig *rig, const wpin_step_result *a, const wpin_step_result *b,
                       size_t shown) {
    if (shown == 0) {
        printf("\nSteps that differ:\n%5s  %-28s | %8s %7s %7s | %8s %7s %7s |\n", "line",
               "as it is | changed", "took s", "end rpm", "most A", "took s", "end rpm", "most A");
    }
    print_step(rig, a, b);
}

static void print_steps(const side *sides) {
    size_t count = sides[0].report->step_count, shown = 0;
    for (size_t i = 0; i < count; i++) {
        const wpin_step_result *a = &sides[0].report->steps[i], *b = same_step(&sides[1], a);
        if (b == NULL || steps_differ(a, b)) {
            print_pair(sides[0].rig, a, b, shown++);
        }
    }
    for (size_t i = 0; i < sides[1].report->step_count; i++) {
        const wpin_step_result *b = &sides[1].report->steps[i];
        if (same_step(&sides[0], b) == NULL) {
            print_pair(sides[0].rig, NULL, b, shown++);
            count++;
        }
    }
    if (shown == 0) {
        printf("\nNo step differs by more than 1 %%.\n");
    } else {
        printf("%zu of %zu steps; the others differ by less than 1 %%.\n", shown, count);
    }
}

static void print_required(const side *sides) {
    for (size_t i = 0; i < sides[0].report->requirement_count; i++) {
        const wpin_requirement_result *a = &sides[0].report->requirements[i],
                                      *b = &sides[1].report->requirements[i];
        char first[200], second[200];
        cli_say_required(first, sizeof first, a);
        cli_say_required(second, sizeof second, b);
        printf("%s%5u  %s\n         as it is: %s\n         changed:  %s%s%s\n",
               i == 0 ? "\nRequired:\n" : "", a->requirement->line, a->requirement->text, first,
               b->outcome != a->outcome ? cli_paint(WPIN_VERDICT_BAD) : "", second,
               b->outcome != a->outcome ? cli_plain() : "");
    }
}

static void print_all(const compare_arguments *a, const side *sides, const change *changes) {
    printf("%s (rig %08x): %s on simulated hardware, as it is, and changed:\n", sides[0].rig->name,
           sides[0].rig->fingerprint, a->files[1]);
    for (size_t i = 0; i < a->change_count; i++) {
        printf("  %s: %s -> %s\n", changes[i].what, changes[i].was, changes[i].is);
    }
    printf("\n");
    print_figures(sides);
    print_steps(sides);
    print_required(sides);
}

static json_t *steps_json(const side *s) {
    json_t *all = json_array();
    for (size_t i = 0; i < s->report->step_count; i++) {
        const wpin_step_result *step = &s->report->steps[i];
        json_array_append_new(all, json_pack("{s:i, s:s, s:f, s:f, s:f, s:s}", "line",
                                             (int)step->line, "action", step->text, "took_s",
                                             step->took, "rpm", step->rpm, "peak_a",
                                             step->amps_peak, "verdict", step->words));
    }
    return all;
}

static json_t *side_json(const side *sides, int which) {
    json_t *loads = json_array();
    const side *s = &sides[which];
    for (size_t i = 0; i < s->rig->load_count; i++) {
        figure all[FIGURES];
        json_t *figures = json_pack("{s:s}", "name", s->rig->loads[i].name);
        load_figures(sides, i, all);
        for (size_t k = 0; k < FIGURES; k++) {
            json_object_set_new(figures, all[k].key, json_real(which == 0 ? all[k].a : all[k].b));
        }
        json_array_append_new(loads, figures);
    }
    return json_pack("{s:o, s:o, s:o, s:f, s:i, s:i, s:b}", "loads", loads, "steps", steps_json(s),
                     "required", cli_required_json(s->report), "took_s", s->report->seconds,
                     "refusals", (int)s->vetting->refusals, "cautions", (int)s->vetting->cautions,
                     "as_asked", (int)!s->report->bad);
}

static void print_json(const compare_arguments *a, const side *sides, const change *changes) {
    json_t *all = json_array();
    for (size_t i = 0; i < a->change_count; i++) {
        json_array_append_new(all, json_pack("{s:s, s:s, s:s}", "what", changes[i].what, "was",
                                             changes[i].was, "is", changes[i].is));
    }
    cli_dump_json(
        cli_of_rig(sides[0].rig, json_pack("{s:o, s:o, s:o}", "changes", all, "as_it_is",
                                           side_json(sides, 0), "changed", side_json(sides, 1))));
}

/* ---- all of it ---- */

static bool draw(const compare_arguments *a, const side *sides, const change *changes) {
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
static bool make_changes(const compare_arguments *a, const char *changed, change *changes) {
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

/* The plan simulated, beside a record of it. */
static int compare_record(const compare_arguments *a) {
    char why[400];
    side now = {0};
    int status = EXIT_WRONG_INPUT;
    wpin_trace *simulated = NULL, *recorded = wpin_trace_read(a->record, why, sizeof why);
    if (recorded == NULL) {
        cli_complain("%s", why);
        return status;
    }
    bool ran = read_side(&now, a->files[0], a->files[1], NULL) &&
               (a->load == NULL || cli_find_load(now.rig, a->files[0], a->load) >= 0) &&
               run_side(&now, true);
    simulated = ran ? wpin_trace_read(now.trace, why, sizeof why) : NULL;
    if (ran && simulated == NULL) {
        cli_complain("%s", why);
    }
    if (simulated != NULL) {
        cli_recorded r = {now.rig, a->files[1], a->record, simulated, recorded};
        status = cli_compare_record(&r, a->json) ? EXIT_FINE : EXIT_MET_FAULT;
        wpin_picture_pair pair = {.csv = {now.trace, a->record},
                                  .words = {"simulated", "recorded"},
                                  .load = a->load != NULL ? a->load : now.rig->loads[0].name};
        if (a->picture != NULL && !wpin_picture_two(&pair, a->picture, why, sizeof why)) {
            cli_complain("%s", why);
            status = EXIT_WRONG_INPUT;
        }
    }
    wpin_trace_free(simulated);
    wpin_trace_free(recorded);
    free_side(&now);
    return status;
}

static bool read_both(const compare_arguments *a, side *sides, change *changes) {
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
    side sides[2] = {{0}, {0}};
    change changes[CHANGES_MAX] = {{"", "", ""}};
    int status = EXIT_WRONG_INPUT;
    if (read_both(a, sides, changes) && run_side(&sides[0], a->picture != NULL) &&
        run_side(&sides[1], a->picture != NULL)) {
        if (a->json) {
            print_json(a, sides, changes);
        } else {
            print_all(a, sides, changes);
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
    return a.record != NULL ? compare_record(&a) : compare(&a);
}
