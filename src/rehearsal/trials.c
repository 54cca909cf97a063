/* Puts each fault into a rig at many moments of a plan, one run each, and counts what was noticed.
 */
#define _GNU_SOURCE
#include "windpin/host/trials.h"
#include "pool.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef enum about { ABOUT_SUPPLY, ABOUT_LOAD, ABOUT_ENCODER, ABOUT_LINES } about;

/* What a fault is called, and the names that point at it. */
static const struct {
    const char *word;
    about part;
    wpin_status right[6];
} kinds[] = {
    {"dead",
     ABOUT_SUPPLY,
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_SUPPLY_LOW, WPIN_FAULT_NO_MOTION, WPIN_FAULT_RESET,
      WPIN_FAULT_SILENT, WPIN_FAULT_DRIVE}},
    {"stalled",
     ABOUT_LOAD,
     {WPIN_FAULT_STALLED, WPIN_FAULT_OVERCURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_OVERLOAD,
      WPIN_FAULT_DRIVE, WPIN_FAULT_OVERTEMPERATURE}},
    {"motor-wire-off",
     ABOUT_LOAD,
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_PHASE, WPIN_FAULT_DRIVE}},
    {"motor-swapped",
     ABOUT_LOAD,
     {WPIN_FAULT_WRONG_WAY, WPIN_FAULT_STALLED, WPIN_FAULT_NO_MOTION, WPIN_FAULT_DRIVE,
      WPIN_FAULT_ANGLE}}, /* of two, of three */
    {"no-ground", ABOUT_LOAD, {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_SILENT}},
    {"thermistor-off", ABOUT_LOAD, {WPIN_FAULT_SENSOR}},
    {"bus-cable-off", ABOUT_LOAD, {WPIN_FAULT_SILENT}},
    {"bus-off", ABOUT_LOAD, {WPIN_FAULT_SILENT}},
    {"bus-full", ABOUT_LOAD, {WPIN_FAULT_SILENT}},
    {"bus-rate", ABOUT_LOAD, {WPIN_FAULT_SILENT}},
    {"duplicate-node", ABOUT_LOAD, {WPIN_FAULT_SILENT, WPIN_FAULT_DRIVE}},
    {"deaf", ABOUT_LOAD, {WPIN_FAULT_DRIVE, WPIN_FAULT_FOLLOWING, WPIN_FAULT_NO_MOTION}},
    {"local", ABOUT_LOAD, {WPIN_FAULT_MASTER}},
    {"wire-off",
     ABOUT_LINES,
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_PHASE}},
    {"encoder-off", ABOUT_ENCODER, {WPIN_FAULT_FEEDBACK, WPIN_FAULT_NO_MOTION, WPIN_FAULT_ANGLE}},
    {"encoder-channel-off",
     ABOUT_ENCODER,
     {WPIN_FAULT_FEEDBACK, WPIN_FAULT_NO_MOTION, WPIN_FAULT_ANGLE}},
    {"encoder-swapped", ABOUT_ENCODER, {WPIN_FAULT_WRONG_WAY, WPIN_FAULT_ANGLE}},
    /* of sensors that go to a driver the controller learns only what the shaft does */
    {"hall-off", ABOUT_ENCODER, {WPIN_FAULT_HALL, WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION}},
    {"hall-sensor-off", ABOUT_ENCODER, {WPIN_FAULT_HALL, WPIN_FAULT_STALLED, WPIN_FAULT_NO_MOTION}},
    {"comparators-off", ABOUT_ENCODER, {WPIN_FAULT_NO_MOTION}},
    {"hall-swapped",
     ABOUT_ENCODER,
     {WPIN_FAULT_HALL, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_STALLED, WPIN_FAULT_ANGLE}},
};

enum { KINDS = sizeof kinds / sizeof *kinds };

/* What came of one fault at one moment. */
typedef struct outcome {
    double at, took, safe_after;
    wpin_status told; /* WPIN_OK: nothing was */
    wpin_state state;
    bool bad, burnt;
} outcome;

typedef struct campaign {
    const wpin_rig *rig;
    const wpin_plan *plan;
    wpin_trials *trials;
    double *until; /* when each load was last driven, in the run without a fault */
    unsigned moments;
    outcome *outcomes; /* of each run */
} campaign;

static bool add(campaign *c, const char *part, const char *word, const char *line) {
    wpin_trial trial = {.unseen_at = -1, .soonest = HUGE_VAL};
    char why[300];
    snprintf(trial.words, sizeof trial.words, "%s %s%s%s", part, word, line[0] != '\0' ? " " : "",
             line);
    if (!wpin_injection_read(c->rig, trial.words, &trial.fault, why, sizeof why)) {
        return true; /* this part has no such fault */
    }
    wpin_trial *all = realloc(c->trials->all, (c->trials->count + 1) * sizeof *c->trials->all);
    if (all != NULL) {
        c->trials->all = all;
        all[c->trials->count++] = trial;
    }
    return all != NULL;
}

static bool add_load(campaign *c, const wpin_rig_load *load, size_t kind) {
    bool motor = wpin_rig_type(load)->spins;
    bool lines = kinds[kind].part == ABOUT_LINES, good = true;
    for (unsigned i = 0; lines && i < load->kind->table->line_count; i++) {
        good = good && add(c, load->name, kinds[kind].word, load->kind->lines[i]);
    }
    bool fits = kinds[kind].part == ABOUT_LOAD || kinds[kind].part == ABOUT_ENCODER;
    return good && (!fits || !motor || add(c, load->name, kinds[kind].word, ""));
}

static bool list_all(campaign *c) {
    bool good = true;
    for (size_t k = 0; k < KINDS; k++) {
        for (size_t i = 0; kinds[k].part == ABOUT_SUPPLY && i < c->rig->supply_count; i++) {
            good = good && add(c, c->rig->supplies[i].name, kinds[k].word, "");
        }
        for (size_t i = 0; i < c->rig->load_count; i++) {
            good = good && add_load(c, &c->rig->loads[i], k);
        }
    }
    return good;
}

/* Whether something that the fault could touch is driven after a moment. */
static bool matters(const campaign *c, const wpin_trial *t, double at) {
    bool supply = t->fault.fault == WPIN_PART_FAULT_SUPPLY_DEAD;
    for (size_t i = 0; i < c->rig->load_count; i++) {
        bool touched =
            supply ? (int)c->rig->loads[i].supply == t->fault.number : (int)i == t->fault.number;
        if (touched && c->until[i] > at) {
            return true;
        }
    }
    return false;
}

static bool is_right(const wpin_trial *t, wpin_status told) {
    for (size_t k = 0; k < KINDS; k++) {
        const char *word = strchr(t->words, ' ') + 1;
        bool mine = strncmp(word, kinds[k].word, strlen(kinds[k].word)) == 0 &&
                    strchr("  ", word[strlen(kinds[k].word)]) != NULL;
        for (size_t n = 0; mine && n < sizeof kinds[k].right / sizeof *kinds[k].right; n++) {
            if (kinds[k].right[n] == told && told != WPIN_OK) {
                return true;
            }
        }
    }
    return false;
}

static void count_trip(wpin_trial *t, wpin_status told, double took) {
    t->tripped++;
    t->named += is_right(t, told) ? 1 : 0;
    t->names[told]++;
    t->soonest = fmin(t->soonest, took);
    t->latest = fmax(t->latest, took);
}

static void count(const campaign *c, wpin_trial *t, const outcome *o) {
    bool tripped = o->told != WPIN_OK;
    t->tried++;
    t->burnt += o->burnt ? 1 : 0;
    t->tried_in[o->state]++;
    t->tripped_in[o->state] += tripped ? 1 : 0;
    t->never_safe += isfinite(o->safe_after) ? 0 : 1;
    t->safe_after = fmax(t->safe_after, isfinite(o->safe_after) ? o->safe_after : 0);
    if (tripped) {
        count_trip(t, o->told, o->took);
    } else if (o->bad) {
        t->seen++;
    } else if (!matters(c, t, o->at)) {
        t->idle++;
    } else {
        t->unseen++;
        t->unseen_at = o->at;
    }
}

/* The run without a fault; false with the reason when that alone goes wrong. */
static bool run_plain(campaign *c, char *why, size_t size) {
    wpin_status refused;
    wpin_session_options options = {.driven_until = c->until};
    wpin_report *report = wpin_rehearse(c->rig, c->plan, &options, &refused, why, size);
    if (report == NULL) {
        return false;
    }
    bool good = !report->bad;
    c->trials->seconds = report->seconds;
    if (!good) {
        snprintf(why, size,
                 "without any fault the plan does not end well; windpin run says why, and that "
                 "comes first");
    }
    wpin_report_free(report);
    return good;
}

/* One fault at one moment, on a board of its own. */
static bool run_one(void *context, size_t i) {
    campaign *c = context;
    const wpin_trial *t = &c->trials->all[i / c->moments];
    double moment = (double)(i % c->moments) + 0.5;
    outcome *o = &c->outcomes[i];
    o->at = c->trials->seconds * moment / c->moments;
    wpin_session_options options = {.late = &t->fault, .late_at = o->at};
    wpin_status refused;
    char why[300];
    wpin_report *report = wpin_rehearse(c->rig, c->plan, &options, &refused, why, sizeof why);
    if (report == NULL) {
        return false;
    }
    bool latched = report->fault_count > 0;
    o->told = latched ? report->faults[0].cause : report->result;
    o->took = (latched ? report->faults[0].at : report->seconds) - o->at;
    o->safe_after = latched ? report->faults[0].safe_after : 0;
    o->bad = report->bad;
    o->burnt = report->burn_count > 0;
    o->state = report->late_state;
    wpin_report_free(report);
    return true;
}

/* Counted in order, whoever was done first. */
static bool run_all(campaign *c, void (*progress)(void *context, double done, double of),
                    void *context) {
    size_t runs = c->trials->count * c->moments;
    c->outcomes = calloc(runs + 1, sizeof *c->outcomes);
    bool good = c->outcomes != NULL && wpin_pool_run(runs, run_one, c, progress, context);
    for (size_t i = 0; good && i < runs; i++) {
        count(c, &c->trials->all[i / c->moments], &c->outcomes[i]);
    }
    free(c->outcomes);
    return good;
}

wpin_trials *wpin_try_faults(const wpin_rig *rig, const wpin_plan *plan, unsigned moments,
                             void (*progress)(void *context, double done, double of), void *context,
                             char *why, size_t why_size) {
    campaign c = {.rig = rig,
                  .plan = plan,
                  .trials = calloc(1, sizeof *c.trials),
                  .until = calloc(rig->load_count, sizeof *c.until),
                  .moments = moments};
    static const char full[] = "out of memory";
    snprintf(why, why_size, full);
    bool good = c.trials != NULL && c.until != NULL && list_all(&c) && run_plain(&c, why, why_size);
    if (good) {
        snprintf(why, why_size, full); /* all that can be in the way of what ran already */
        good = run_all(&c, progress, context);
    }
    free(c.until);
    if (!good) {
        wpin_trials_free(c.trials);
    }
    return good ? c.trials : NULL;
}

void wpin_trials_free(wpin_trials *trials) {
    if (trials != NULL) {
        free(trials->all);
        free(trials);
    }
}
