/* windpin faults RIG PLAN: every fault that may come while it works, at many moments of the plan.
 */
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/trials.h"
#include <argp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_JSON = 256, KEY_MOMENTS };

typedef struct faults_arguments {
    const char *words[2]; /* rig, plan */
    unsigned moments;
    bool json;
} faults_arguments;

static const struct argp_option options[] = {
    {"moments", KEY_MOMENTS, "N", 0, "Each fault at so many moments, 1 to 1000 (10)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs the plan on simulated hardware with every fault that may come while it works, each at "
    "many "
    "moments: a dead supply, a held shaft, wires off and swapped, an encoder that is silent. "
    "Prints "
    "how often the controller noticed it, how soon, by which name, and what burnt.\v"
    "Example:\n"
    "  windpin faults demo/honey-pump.yaml demo/honey-pump.plan\n"
    "\n"
    "Exit status: 0 nothing burnt; 1 something did; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    faults_arguments *a = state->input;
    if (key == KEY_JSON) {
        a->json = true;
        return 0;
    }
    if (key == KEY_MOMENTS) {
        char *rest;
        long moments = strtol(arg, &rest, 10);
        if (*arg == '\0' || *rest != '\0' || moments < 1 || moments > 1000) {
            argp_error(state, "--moments '%s': expected a whole number, 1 to 1000", arg);
        }
        a->moments = (unsigned)moments;
        return 0;
    }
    return cli_take_two(key, arg, state, a->words, "a rig and a plan");
}

/* The fault told most often, without the prefix all of them have. */
static const char *usual_name(const wpin_trial *t) {
    int most = -1;
    for (int i = WPIN_FAULT_FIRST; i < WPIN_STATUS_COUNT; i++) {
        most = t->names[i] > (most < 0 ? 0 : t->names[most]) ? i : most;
    }
    return most < 0 ? "-" : wpin_status_name((wpin_status)most) + strlen("WPIN_FAULT_");
}

static void print_row(const wpin_trial *t) {
    char times[40] = "-";
    if (t->tripped > 0) {
        wpin_plain(times, sizeof times, "%.3f to %.3f", t->soonest, t->latest);
    }
    printf("%-32s %6u %8u %6u %6u  %-15s %-18s %6u %6u %6u %6u\n", t->words, t->tried, t->tripped,
           t->named, t->listed, times, usual_name(t), t->seen, t->idle, t->unseen, t->burnt);
}

#define IN(state) (1U << (state))

/* What the loads were doing when the faults came. */
static void print_states(const wpin_trials *trials) {
    static const struct {
        const char *words;
        unsigned states;
    } rows[] = {{"at rest", IN(WPIN_STATE_READY) | IN(WPIN_STATE_OFF)},
                {"on a ramp", IN(WPIN_STATE_RAMPING)},
                {"running", IN(WPIN_STATE_RUNNING)},
                {"running down or braking", IN(WPIN_STATE_COASTING) | IN(WPIN_STATE_BRAKING)},
                {"waiting to turn over", IN(WPIN_STATE_RESTING)}};
    printf("\n%-32s %6s %8s\n", "when they came its loads were", "runs", "noticed");
    for (size_t r = 0; r < sizeof rows / sizeof *rows; r++) {
        unsigned tried = 0, tripped = 0;
        for (size_t i = 0; i < trials->count; i++) {
            for (int s = 0; s < WPIN_STATE_FAULT; s++) {
                bool counts = (rows[r].states & IN(s)) != 0;
                tried += counts ? trials->all[i].tried_in[s] : 0;
                tripped += counts ? trials->all[i].tripped_in[s] : 0;
            }
        }
        if (tried > 0) {
            printf("%-32s %6u %8u\n", rows[r].words, tried, tripped);
        }
    }
}

static void print_never_safe(const wpin_trials *trials) {
    const char *before = "At the end a stage was not in its safe state yet:";
    bool any = false;
    for (size_t i = 0; i < trials->count; i++) {
        const wpin_trial *t = &trials->all[i];
        if (t->never_safe > 0) {
            printf("%s %s in %u", before, t->words, t->never_safe);
            before = ",";
            any = true;
        }
    }
    if (any) {
        printf(".\n");
    }
}

static void print_safe(const wpin_trials *trials) {
    double safe_after = 0;
    for (size_t i = 0; i < trials->count; i++) {
        double after = trials->all[i].safe_after;
        safe_after = after > safe_after ? after : safe_after;
    }
    if (safe_after < 1e-6) {
        printf("\nEvery stage was in its safe state in the control period that noticed the "
               "fault.\n");
    } else {
        cli_say("\nA stage was in its safe state %.3g ms after its fault was noticed, at the "
                "latest.\n",
                safe_after * 1e3);
    }
    print_never_safe(trials);
}

static void print_unseen(const wpin_trials *trials, unsigned unseen) {
    const char *before = " ";
    if (unseen == 0) {
        return;
    }
    printf("Nothing shows, and no step went wrong:");
    for (size_t i = 0; i < trials->count; i++) {
        const wpin_trial *t = &trials->all[i];
        if (t->unseen > 0) {
            cli_say("%s%s in %u (e.g. at %.2f s)", before, t->words, t->unseen, t->unseen_at);
            before = ", ";
        }
    }
    printf(".\n");
}

static void print_table(const wpin_rig *rig, const wpin_trials *trials) {
    unsigned runs = 0, tripped = 0, named = 0, listed = 0, seen = 0, unseen = 0, burnt = 0;
    cli_say("%s (rig %08x): %zu faults, each at %u moments of %.1f s\n\n", rig->name,
            rig->fingerprint, trials->count, trials->count > 0 ? trials->all[0].tried : 0,
            trials->seconds);
    static const char head[] = "%-32s %6s %8s %6s %6s  %-15s %-18s %6s %6s %6s %6s\n";
    printf(head, "", "", "", "right", "cause", "after s", "", "record", "not", "not", "");
    printf(head, "fault", "tried", "noticed", "name", "listed", "", "reported as", "only", "driven",
           "seen", "burnt");
    for (size_t i = 0; i < trials->count; i++) {
        const wpin_trial *t = &trials->all[i];
        print_row(t);
        runs += t->tried;
        tripped += t->tripped;
        named += t->named;
        listed += t->listed;
        seen += t->seen;
        unseen += t->unseen;
        burnt += t->burnt;
    }
    printf(
        "\nOf %u runs the controller noticed %u, %u of these by the right name, %u with the cause "
        "among those it lists; %u only the record shows; %u nothing shows; in %u something "
        "burnt.\n",
        runs, tripped, named, listed, seen, unseen, burnt);
    print_states(trials);
    print_safe(trials);
    print_unseen(trials, unseen);
    if (seen > 0) {
        printf("What only the record shows came in the last moments of a motion, or takes a sense "
               "that "
               "this rig has not: of the current, the speed or the supply.\n");
    }
}

static json_t *trial_json(const wpin_trial *t) {
    json_t *names = json_object();
    for (int i = WPIN_FAULT_FIRST; i < WPIN_STATUS_COUNT; i++) {
        if (t->names[i] > 0) {
            json_object_set_new(names, wpin_status_name((wpin_status)i),
                                json_integer((json_int_t)t->names[i]));
        }
    }
    return json_pack("{s:s, s:i, s:i, s:i, s:i, s:o, s:f, s:f, s:f, s:i, s:i, s:i, s:i, s:i}",
                     "fault", t->words, "tried", (int)t->tried, "noticed", (int)t->tripped,
                     "right_name", (int)t->named, "cause_listed", (int)t->listed, "names", names,
                     "soonest_s", t->tripped > 0 ? t->soonest : 0.0, "latest_s", t->latest,
                     "safe_after_s", t->safe_after, "not_safe_at_end", (int)t->never_safe,
                     "record_only", (int)t->seen, "not_driven", (int)t->idle, "not_seen",
                     (int)t->unseen, "burnt", (int)t->burnt);
}

static int try_faults(const faults_arguments *a, const wpin_rig *rig) {
    wpin_messages messages = {0};
    wpin_plan *plan = wpin_plan_read(a->words[1], rig, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    if (plan == NULL) {
        return EXIT_WRONG_INPUT;
    }
    char why[400];
    wpin_trials *trials =
        wpin_try_faults(rig, plan, a->moments, cli_progress, "runs", why, sizeof why);
    cli_progress_end();
    wpin_plan_free(plan);
    if (trials == NULL) {
        cli_complain("%s", why);
        return EXIT_MET_FAULT;
    }
    bool burnt = false;
    json_t *all = json_array();
    for (size_t i = 0; i < trials->count; i++) {
        burnt = burnt || trials->all[i].burnt > 0;
        json_array_append_new(all, trial_json(&trials->all[i]));
    }
    if (a->json) {
        cli_dump_json(
            cli_of_rig(rig, json_pack("{s:f, s:O}", "plan_s", trials->seconds, "faults", all)));
    } else {
        print_table(rig, trials);
    }
    json_decref(all);
    wpin_trials_free(trials);
    return burnt ? EXIT_MET_FAULT : EXIT_FINE;
}

int cmd_faults(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG PLAN", doc, NULL, NULL, NULL};
    faults_arguments a = {.moments = 10};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : try_faults(&a, rig);
    wpin_rig_free(rig);
    return status;
}
