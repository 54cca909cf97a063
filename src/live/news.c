/* What is told to everyone: what came of requests, faults, what burnt, what else happened. */
#include "live.h"
#include "windpin/host/plain.h"
#include "windpin/host/verdict.h"
#include <math.h>
#include <stdarg.h>
#include <stdio.h>

void wpin_live_tell(wpin_live *live, wpin_verdict grade, const char *format, ...) {
    wpin_live_news *one = &live->news[live->news_count++ % WPIN_LIVE_NEWS];
    va_list list;
    va_start(list, format);
    *one = (wpin_live_news){.at = fmax(0, wpin_session_time(live->session)), .grade = grade};
    wpin_print_plain(one->words, sizeof one->words, format, list);
    va_end(list);
}

size_t wpin_live_news_count(const wpin_live *live) {
    return live->news_count;
}

const wpin_live_news *wpin_live_news_at(const wpin_live *live, size_t number) {
    bool kept = number < live->news_count && live->news_count - number <= WPIN_LIVE_NEWS;
    return kept ? &live->news[number % WPIN_LIVE_NEWS] : NULL;
}

static void tell_first(wpin_live *live, const wpin_step_result *s) {
    char words[WPIN_LIVE_WORDS];
    if (s->op != WPIN_OP_RUN_FOR && s->op != WPIN_OP_TURN) {
        return;
    }
    wpin_verdict grade = wpin_live_say_first(live, s, words, sizeof words);
    wpin_live_tell(live, grade, "%s, first motion: %s", live->rig->loads[s->load].name, words);
    int other = wpin_live_other_that_turns(live, s->load);
    if (other >= 0) {
        wpin_live_tell(live, WPIN_VERDICT_BAD,
                       "the shaft of '%s' turned: control wires of the two are mixed up",
                       live->rig->loads[other].name);
    }
}

static void tell_step(wpin_live *live, const wpin_step_result *s) {
    const wpin_live_asked *asked = wpin_live_asked_for(live, s);
    if (asked != NULL && asked->plan->gentle) {
        tell_first(live, s);
    } else if (s->done || s->verdict != WPIN_VERDICT_OK) { /* else the next request says enough */
        wpin_live_tell(live, s->verdict, "%s: %s", s->text, s->words);
    }
}

/* A step is told when it has ended, whatever goes on beside it. */
static void collect_steps(wpin_live *live) {
    size_t count;
    const wpin_step_result *steps = wpin_session_steps(live->session, &count);
    while (live->told.ended < wpin_session_ended(live->session)) {
        live->told.ended++;
        for (size_t i = 0; i < count; i++) {
            if (steps[i].ended == live->told.ended) {
                tell_step(live, &steps[i]);
            }
        }
    }
}

/* What it is and what its load did then; what to look at. */
static void tell_fault(wpin_live *live, const wpin_fault_result *fault) {
    const char *name = live->rig->loads[fault->load].name;
    char scene[WPIN_LIVE_WORDS], advice[WPIN_LIVE_WORDS], drive[300];
    wpin_fault_scene_words(live->rig, fault, scene, sizeof scene);
    wpin_fault_advice(live->rig, fault, advice, sizeof advice);
    bool more = wpin_drive_fault_words(fault, drive, sizeof drive);
    wpin_live_tell(live, WPIN_VERDICT_BAD, "%s: %s: %s %s", name, wpin_status_name(fault->cause),
                   wpin_status_text(fault->cause), scene);
    wpin_live_tell(live, WPIN_VERDICT_BAD, "%s: %s%s%s", name, advice, more ? " " : "",
                   more ? drive : "");
}

static void collect_faults(wpin_live *live) {
    for (size_t i = 0; i < live->rig->load_count; i++) {
        wpin_fault_result result = wpin_session_fault(live->session, i);
        wpin_status fault = result.cause;
        if (fault != live->told.faults[i] && fault != WPIN_OK) {
            tell_fault(live, &result);
        }
        live->told.faults[i] = fault;
    }
}

bool wpin_live_trouble(const wpin_live *live, size_t load, char *words, size_t size) {
    wpin_glance g = wpin_session_look(live->session, load);
    bool driven = g.doing != NULL && g.duty != 0 && g.fault == WPIN_OK;
    return driven &&
           wpin_seen_judge(live->rig, (int)load, &g.doing->seen, words, size) == WPIN_SEEN_TROUBLE;
}

/* Once for each request. */
static void collect_troubles(wpin_live *live) {
    char words[WPIN_LIVE_WORDS];
    for (size_t i = 0; i < live->rig->load_count; i++) {
        const wpin_step_result *doing = wpin_session_look(live->session, i).doing;
        double since = doing == NULL ? -1 : doing->at;
        if (live->told.troubled[i] != since && wpin_live_trouble(live, i, words, sizeof words)) {
            live->told.troubled[i] = since;
            wpin_live_tell(live, WPIN_VERDICT_BAD, "%s: %s", live->rig->loads[i].name, words);
        }
    }
}

void wpin_live_tell_requirements(wpin_live *live) {
    size_t count;
    const wpin_requirement_result *all = wpin_session_required(live->session, &count);
    for (size_t i = 0; i < count; i++) {
        char words[160];
        wpin_requirement_words(&all[i], words, sizeof words);
        wpin_live_tell(live,
                       all[i].outcome == WPIN_OUTCOME_MET      ? WPIN_VERDICT_OK
                       : all[i].outcome == WPIN_OUTCOME_MISSED ? WPIN_VERDICT_BAD
                                                               : WPIN_VERDICT_NOTE,
                       "required: %s: %s%s%s", all[i].requirement->text,
                       wpin_outcome_word(all[i].outcome), words[0] == '\0' ? "" : ": ", words);
    }
}

/* The plan has begun or ended since. */
static void collect_plan(wpin_live *live) {
    wpin_progress p = wpin_session_progress(live->session);
    if (live->told.runs && !p.running && p.result != WPIN_OK) {
        wpin_live_tell(live, WPIN_VERDICT_BAD, "the plan ended early, in line %u: %s", p.line,
                       wpin_status_text(p.result));
    } else if (live->told.runs && !p.running) {
        wpin_live_tell(live, WPIN_VERDICT_OK, "the plan is over, after %.1f s", p.at);
    }
    if (live->told.runs && !p.running) {
        wpin_live_tell_requirements(live);
    }
    live->told.runs = p.running;
}

void wpin_live_collect(wpin_live *live) {
    size_t count;
    const wpin_part_burn *burns = wpin_session_burns(live->session, &count);
    for (; live->told.burns < count; live->told.burns++) {
        const wpin_part_burn *b = &burns[live->told.burns];
        wpin_live_tell(live, WPIN_VERDICT_BAD, "%s burnt: %s", b->part, b->reason);
    }
    const wpin_part_event *notes = wpin_session_notes(live->session, &count);
    for (; live->told.notes < count; live->told.notes++) {
        const wpin_part_event *n = &notes[live->told.notes];
        wpin_live_tell(live, WPIN_VERDICT_NOTE, "%s %s", n->part, n->what);
    }
    const wpin_part_event *events = wpin_session_events(live->session, &count);
    for (; live->told.events < count; live->told.events++) {
        const wpin_part_event *e = &events[live->told.events];
        wpin_live_tell(live, WPIN_VERDICT_NOTE, "%s %s", e->part, e->what);
    }
    collect_faults(live);
    collect_troubles(live);
    collect_steps(live);
    collect_plan(live);
}
