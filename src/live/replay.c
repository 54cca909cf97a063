/* What was asked by hand, written as a plan. */
#include "live.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#define AT_ONCE 0.1 /* s: what was followed by another so soon was on the way to that */

typedef struct writer {
    const wpin_live *live;
    const wpin_report *report;
    FILE *to;
    int load;    /* of the present track; -1: what hands do */
    double at;   /* s: so far it has come */
    bool begun;  /* the track has a line in it */
    bool drives; /* its load was left driven */
} writer;

static bool is_of(const writer *w, const wpin_live_asked *asked) {
    if (asked->plan == NULL) {
        return w->load >= 0;
    }
    wpin_target target = asked->plan->steps[0].target;
    int load = target.kind == WPIN_TARGET_MOTOR ? target.number : -1;
    return asked->taken && load == w->load;
}

/* The next one of the track, or NULL. */
static const wpin_live_asked *next_of(const writer *w, const wpin_live_asked *asked) {
    const wpin_live_asked *end = w->live->asked + w->live->asked_count;
    for (asked++; asked < end; asked++) {
        if (is_of(w, asked)) {
            return asked;
        }
    }
    return NULL;
}

/* How one of its steps went; NULL: it is none of a load, or never began. */
static const wpin_step_result *result_of(const writer *w, const wpin_live_asked *asked,
                                         size_t step) {
    for (size_t i = 0; i < w->report->step_count; i++) {
        if (w->report->steps[i].asks == &asked->plan->steps[step]) {
            return &w->report->steps[i];
        }
    }
    return NULL;
}

static void wait_until(writer *w, double at) {
    if (!w->begun) {
        fprintf(w->to, "  track\n");
        w->begun = true;
    }
    if (at - w->at > 0.5e-3) {
        fprintf(w->to, "    wait %.3fs\n", at - w->at);
        w->at = at;
    }
}

/* Everything was stopped. */
static void write_stop(writer *w, const wpin_live_asked *asked) {
    if (w->drives) {
        wait_until(w, asked->at);
        fprintf(w->to, "    %s stop    # everything was stopped by hand\n",
                w->live->rig->loads[w->load].name);
        w->drives = false;
    }
}

/* The first fault of the load in this time that was cleared by hand, or NULL. */
static const wpin_fault_result *fault_in(const writer *w, double from, double to) {
    for (size_t i = 0; i < w->report->fault_count; i++) {
        const wpin_fault_result *f = &w->report->faults[i];
        if (f->load == w->load && f->cleared_at != HUGE_VAL && f->at > from && f->at < to) {
            return f;
        }
    }
    return NULL;
}

/* In a plan it is cleared as soon as its cause is gone, mostly at once: what was asked for next
 * still waits for its time. */
static void write_clear(writer *w, const wpin_fault_result *f) {
    fprintf(w->to, "    %s clear at most %.3fs\n", w->live->rig->loads[w->load].name,
            f->cleared_at - f->at + 1);
    w->at = fmax(w->at, f->at);
    w->drives = false;
}

/* What came while nothing new was asked, up to the next request. */
static void write_faults(writer *w, double until) {
    const wpin_fault_result *f;
    while (w->load >= 0 && (f = fault_in(w, w->at, until)) != NULL) {
        wait_until(w, w->at);
        fprintf(w->to, "    wait until %s faulted at most %.3fs\n",
                w->live->rig->loads[w->load].name, f->at - w->at + 1);
        write_clear(w, f);
    }
}

/* An action that its fault ended goes on in the plan until that comes. */
static void write_until_fault(writer *w, const wpin_live_asked *asked, const wpin_fault_result *f) {
    const wpin_step *s = &asked->plan->steps[0];
    const char *name = w->live->rig->loads[w->load].name, *text = asked->plan->sources[0].text;
    const char *ends = strstr(text, s->op == WPIN_OP_RUN ? " in " : " for "), *ramp;
    int length = ends != NULL ? (int)(ends - text) : (int)strlen(text);
    if ((ramp = strstr(text, " ramp ")) != NULL && ramp < text + length) {
        int before = (int)(ramp - text);
        fprintf(w->to, "    %.*s run %.*s", before, text, length - before - 6, ramp + 6);
    } else {
        fprintf(w->to, "    %.*s", length, text);
    }
    fprintf(w->to, " until %s faulted at most %.3fs\n", name, f->at - asked->at + 1);
    write_clear(w, f);
}

static bool leaves_driven(const wpin_step *s) {
    return (s->op == WPIN_OP_RUN && s->value != 0) || s->op == WPIN_OP_TOGGLE;
}

/* A first motion has more steps than one. */
static void write_rest(writer *w, const wpin_live_asked *asked) {
    for (size_t i = 1; i < asked->plan->step_count; i++) {
        const wpin_step_result *r = result_of(w, asked, i);
        if (r != NULL) {
            fprintf(w->to, "    %s\n", asked->plan->sources[i].text);
            w->at += r->took;
        }
    }
}

static void write_action(writer *w, const wpin_live_asked *asked) {
    const wpin_live_asked *next = next_of(w, asked);
    const wpin_step *s = &asked->plan->steps[0];
    const wpin_step_result *r = w->load < 0 ? NULL : result_of(w, asked, 0);
    bool overtaken = r != NULL && !r->done && next != NULL;
    bool on_its_way = overtaken && next->plan != NULL && next->at - asked->at < AT_ONCE;
    if ((w->load >= 0 && r == NULL) || on_its_way || s->op == WPIN_OP_HOLD) {
        return; /* the time until the next one holds it */
    }
    wait_until(w, asked->at);
    const wpin_fault_result *f =
        r == NULL || r->done ? NULL : fault_in(w, asked->at, asked->at + r->took + AT_ONCE);
    if (f != NULL && (s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR)) {
        write_until_fault(w, asked, f);
        return;
    }
    fprintf(w->to, "    %s", asked->plan->sources[0].text);
    if (overtaken) {
        fprintf(w->to, "    # by hand the next request came after %.2f s", next->at - asked->at);
    }
    fprintf(w->to, "%s\n", asked->plan->gentle ? "    # a first motion" : "");
    w->at = asked->at + (r == NULL ? 0 : r->took);
    w->drives = leaves_driven(s);
    write_rest(w, asked);
}

static void write_track(writer *w, int load) {
    w->load = load;
    w->at = 0;
    w->begun = w->drives = false;
    for (size_t i = 0; i < w->live->asked_count; i++) {
        const wpin_live_asked *asked = &w->live->asked[i];
        if (is_of(w, asked)) {
            write_faults(w, asked->at);
        }
        if (is_of(w, asked) && asked->plan == NULL) {
            write_stop(w, asked);
        } else if (is_of(w, asked)) {
            write_action(w, asked);
        }
    }
    write_faults(w, w->report->seconds);
    if (w->drives) { /* to the end of the session, which brought it to rest */
        wait_until(w, w->report->seconds);
        fprintf(w->to, "    %s stop\n", w->live->rig->loads[load].name);
    }
    if (w->begun) {
        fprintf(w->to, "  end\n");
    }
}

bool wpin_live_write_plan(const wpin_live *live, const wpin_report *report, const char *path) {
    writer w = {.live = live, .report = report, .to = fopen(path, "w")};
    if (w.to == NULL) {
        return false;
    }
    fprintf(w.to, "# What was asked by hand on '%s' (rig %08x), as a plan.\nparallel\n",
            live->rig->name, live->rig->fingerprint);
    if (live->confirmed) {
        fprintf(w.to, "# The power-up checklist was confirmed by %s.\n", live->confirmed_by);
    }
    if (live->asked_ever > live->asked_count) {
        fprintf(w.to, "# The first %zu requests of a long session are not in it.\n",
                live->asked_ever - live->asked_count);
    }
    if (live->plan_runs > 0) {
        fprintf(w.to, "# A plan was run besides, %u times; that is not in it.\n", live->plan_runs);
    }
    write_track(&w, -1);
    for (size_t i = 0; i < live->rig->load_count; i++) {
        write_track(&w, (int)i);
    }
    fprintf(w.to, "end\n");
    bool written = ferror(w.to) == 0;
    return fclose(w.to) == 0 && written;
}
