/* Puts each fault into a rig at many moments of a plan, one run each, and counts what was noticed.
 */
#define _GNU_SOURCE
#include "windpin/host/trials.h"
#include "pool.h"
#include "windpin/host/verdict.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef enum about {
    ABOUT_SUPPLY,
    ABOUT_LOAD,
    ABOUT_ENCODER,
    ABOUT_LINES,
    ABOUT_SWITCHES,
    ABOUT_INPUT,
    ABOUT_CONTROLLER
} about;

/* What a fault is called, the cause that is to be looked for, and the names that point at it. */
static const struct {
    const char *word;
    about part;
    wpin_cause causes[2]; /* one or two; WPIN_CAUSE_COUNT: the name says it */
    wpin_status right[6];
} kinds[] = {
    {"dead",
     ABOUT_SUPPLY,
     {WPIN_CAUSE_SUPPLY},
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_SUPPLY_LOW, WPIN_FAULT_NO_MOTION, WPIN_FAULT_RESET,
      WPIN_FAULT_SILENT, WPIN_FAULT_DRIVE}},
    {"weak",
     ABOUT_SUPPLY,
     {WPIN_CAUSE_SAG},
     {WPIN_FAULT_SUPPLY_LOW, WPIN_FAULT_RESET, WPIN_FAULT_FOLLOWING, WPIN_FAULT_DRIVE}},
    {"stalled",
     ABOUT_LOAD,
     {WPIN_CAUSE_HELD},
     {WPIN_FAULT_STALLED, WPIN_FAULT_OVERCURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_OVERLOAD,
      WPIN_FAULT_DRIVE, WPIN_FAULT_OVERTEMPERATURE}},
    {"motor-wire-off",
     ABOUT_LOAD,
     {WPIN_CAUSE_LEAD},
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_PHASE, WPIN_FAULT_DRIVE}},
    {"motor-swapped",
     ABOUT_LOAD,
     {WPIN_CAUSE_LEADS},
     {WPIN_FAULT_WRONG_WAY, WPIN_FAULT_STALLED, WPIN_FAULT_NO_MOTION, WPIN_FAULT_DRIVE,
      WPIN_FAULT_ANGLE}}, /* of two, of three */
    {"coils-crossed", ABOUT_LOAD, {WPIN_CAUSE_LEADS}, {WPIN_FAULT_NO_MOTION}},
    {"no-ground",
     ABOUT_LOAD,
     {WPIN_CAUSE_LINE},
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_SILENT}},
    {"thermistor-off", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SENSOR}},
    {"bus-cable-off", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SILENT}},
    {"bus-off", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SILENT}},
    {"bus-full", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SILENT}},
    {"bus-rate", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SILENT}},
    {"duplicate-node", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_SILENT, WPIN_FAULT_DRIVE}},
    {"deaf",
     ABOUT_LOAD,
     {WPIN_CAUSE_COUNT},
     {WPIN_FAULT_DRIVE, WPIN_FAULT_FOLLOWING, WPIN_FAULT_NO_MOTION}},
    {"local", ABOUT_LOAD, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_MASTER}},
    {"wire-off",
     ABOUT_LINES,
     {WPIN_CAUSE_LINE},
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_PHASE}},
    {"switch-open",
     ABOUT_SWITCHES,
     {WPIN_CAUSE_DRIVER},
     {WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_PHASE}},
    {"encoder-slips", ABOUT_ENCODER, {WPIN_CAUSE_SLIPS}, {WPIN_FAULT_FEEDBACK, WPIN_FAULT_ANGLE}},
    {"encoder-off",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSOR},
     {WPIN_FAULT_FEEDBACK, WPIN_FAULT_NO_MOTION, WPIN_FAULT_ANGLE}},
    {"encoder-channel-off",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSOR},
     {WPIN_FAULT_FEEDBACK, WPIN_FAULT_NO_MOTION, WPIN_FAULT_ANGLE}},
    {"encoder-swapped",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSORS},
     {WPIN_FAULT_WRONG_WAY, WPIN_FAULT_ANGLE}},
    /* of sensors that go to a driver the controller learns only what the shaft does */
    {"hall-off",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSOR},
     {WPIN_FAULT_HALL, WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_MOTION}},
    {"hall-sensor-off",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSOR},
     {WPIN_FAULT_HALL, WPIN_FAULT_STALLED, WPIN_FAULT_NO_MOTION}},
    {"hall-shifted",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SLIPS, WPIN_CAUSE_SENSORS},
     {WPIN_FAULT_HALL, WPIN_FAULT_ANGLE, WPIN_FAULT_OVERCURRENT}},
    {"comparators-off", ABOUT_ENCODER, {WPIN_CAUSE_SENSOR}, {WPIN_FAULT_NO_MOTION}},
    {"hall-swapped",
     ABOUT_ENCODER,
     {WPIN_CAUSE_SENSORS, WPIN_CAUSE_LEADS},
     {WPIN_FAULT_HALL, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_STALLED, WPIN_FAULT_ANGLE}},
    {"stuck",
     ABOUT_INPUT,
     {WPIN_CAUSE_LIMIT},
     {WPIN_FAULT_STOPPED, WPIN_FAULT_STALLED, WPIN_FAULT_NO_MOTION, WPIN_FAULT_TIMEOUT}},
    {"link-lost", ABOUT_CONTROLLER, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_LINK}},
    {"interrupts-off", ABOUT_CONTROLLER, {WPIN_CAUSE_COUNT}, {WPIN_FAULT_LATE, WPIN_FAULT_CLOCK}},
};

enum { KINDS = sizeof kinds / sizeof *kinds };

/* What came of one fault at one moment. */
typedef struct outcome {
    double at, took, safe_after;
    wpin_status told;                    /* WPIN_OK: nothing was */
    wpin_cause causes[WPIN_CAUSES_MOST]; /* that were named of it */
    size_t cause_count;
    wpin_state state;
    bool bad, burnt;
} outcome;

/* What a trial is about: a row of `kinds`, and the number of the part. */
typedef struct mark {
    size_t kind, part;
} mark;

typedef struct campaign {
    const wpin_rig *rig;
    const wpin_plan *plan;
    wpin_trials *trials;
    mark *marks;   /* of each trial */
    double *until; /* when each load was last driven, in the run without a fault */
    unsigned moments;
    outcome *outcomes; /* of each run */
} campaign;

static bool add(campaign *c, size_t kind, size_t part, const char *name, const char *line) {
    wpin_trial trial = {.unseen_at = -1, .soonest = HUGE_VAL};
    char why[300];
    snprintf(trial.words, sizeof trial.words, "%s %s%s%s", name, kinds[kind].word,
             line[0] != '\0' ? " " : "", line);
    if (!wpin_injection_read(c->rig, trial.words, &trial.fault, why, sizeof why)) {
        return true; /* this part has no such fault */
    }
    size_t count = c->trials->count;
    wpin_trial *all = realloc(c->trials->all, (count + 1) * sizeof *all);
    if (all == NULL) {
        return false;
    }
    c->trials->all = all;
    mark *marks = realloc(c->marks, (count + 1) * sizeof *marks);
    if (marks == NULL) {
        return false;
    }
    c->marks = marks;
    c->trials->all[count] = trial;
    c->marks[count] = (mark){kind, part};
    c->trials->count++;
    return true;
}

static bool add_load(campaign *c, size_t kind, size_t number) {
    const wpin_rig_load *load = &c->rig->loads[number];
    bool moves = wpin_rig_type(load)->spins || wpin_rig_type(load)->steps, good = true;
    for (unsigned i = 0; kinds[kind].part == ABOUT_LINES && i < load->kind->table->line_count;
         i++) {
        good = good && add(c, kind, number, load->name, load->kind->lines[i]);
    }
    /* of bare legs a gate's wire that is off is the same */
    static const char *const switches[] = {"a-high", "a-low", "b-high", "b-low", "c-high", "c-low"};
    for (size_t i = 0; kinds[kind].part == ABOUT_SWITCHES && !load->kind->bare && i < 6; i++) {
        good = good && add(c, kind, number, load->name, switches[i]);
    }
    bool fits = kinds[kind].part == ABOUT_LOAD || kinds[kind].part == ABOUT_ENCODER;
    return good && (!fits || !moves || add(c, kind, number, load->name, ""));
}

static bool list_all(campaign *c) {
    const wpin_rig *rig = c->rig;
    bool good = true;
    for (size_t k = 0; k < KINDS; k++) {
        about part = kinds[k].part;
        for (size_t i = 0; part == ABOUT_SUPPLY && i < rig->supply_count; i++) {
            good = good && add(c, k, i, rig->supplies[i].name, "");
        }
        for (size_t i = 0; part == ABOUT_INPUT && i < rig->input_count; i++) {
            good = good && add(c, k, i, rig->inputs[i].name, "");
        }
        good = good && (part != ABOUT_CONTROLLER || add(c, k, 0, "controller", ""));
        for (size_t i = 0; i < rig->load_count; i++) {
            good = good && add_load(c, k, i);
        }
    }
    return good;
}

/* Whether a load is what a fault is about. */
static bool touches(const campaign *c, const mark *m, size_t load) {
    const wpin_rig *rig = c->rig;
    switch (kinds[m->kind].part) {
    case ABOUT_SUPPLY:
        return rig->loads[load].supply == m->part || rig->controller.supply == (int)m->part;
    case ABOUT_CONTROLLER: return true;
    case ABOUT_INPUT:
        return rig->inputs[m->part].kind != WPIN_RIG_LIMIT ||
               rig->inputs[m->part].load == (int)load;
    default: return load == m->part;
    }
}

/* Whether something that the fault could touch is driven after a moment. */
static bool matters(const campaign *c, const mark *m, double at) {
    for (size_t i = 0; i < c->rig->load_count; i++) {
        if (c->until[i] > at && touches(c, m, i)) {
            return true;
        }
    }
    return false;
}

static bool is_right(size_t kind, wpin_status told) {
    for (size_t n = 0; n < sizeof kinds[kind].right / sizeof *kinds[kind].right; n++) {
        if (kinds[kind].right[n] == told && told != WPIN_OK) {
            return true;
        }
    }
    return false;
}

/* Whether what is to be looked for is among the causes that it named; where a name says it, that.
 */
static bool is_listed(size_t kind, const outcome *o) {
    const wpin_cause *of = kinds[kind].causes;
    for (size_t i = 0; i < o->cause_count; i++) {
        if (o->causes[i] == of[0] || (of[1] != 0 && o->causes[i] == of[1])) {
            return true;
        }
    }
    return (o->cause_count == 0 || of[0] == WPIN_CAUSE_COUNT) && is_right(kind, o->told);
}

static void count_trip(wpin_trial *t, size_t kind, const outcome *o) {
    t->tripped++;
    t->named += is_right(kind, o->told) ? 1 : 0;
    t->listed += is_listed(kind, o) ? 1 : 0;
    t->names[o->told]++;
    t->soonest = fmin(t->soonest, o->took);
    t->latest = fmax(t->latest, o->took);
}

static void count(const campaign *c, const mark *m, wpin_trial *t, const outcome *o) {
    bool tripped = o->told != WPIN_OK;
    t->tried++;
    t->burnt += o->burnt ? 1 : 0;
    t->tried_in[o->state]++;
    t->tripped_in[o->state] += tripped ? 1 : 0;
    t->never_safe += isfinite(o->safe_after) ? 0 : 1;
    t->safe_after = fmax(t->safe_after, isfinite(o->safe_after) ? o->safe_after : 0);
    if (tripped) {
        count_trip(t, m->kind, o);
    } else if (o->bad) {
        t->seen++;
    } else if (!matters(c, m, o->at)) {
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
    if (latched) {
        o->cause_count = wpin_fault_causes(c->rig, &report->faults[0], o->causes);
    }
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
        size_t trial = i / c->moments;
        count(c, &c->marks[trial], &c->trials->all[trial], &c->outcomes[i]);
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
    free(c.marks);
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
