/* Waits of the plan language: for a time, or for an event with an end. */
#define _GNU_SOURCE
#include "plan_parts.h"

/* at most TIME, to the end of the line. */
static bool take_at_most(wpin_plan_reader *r, double *seconds) {
    if (!wpin_words_take(&r->line, "at") || !wpin_words_take(&r->line, "most")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "no wait without an end: expected 'at most' and a time, e.g. 'at most 5s'");
        return false;
    }
    return wpin_words_take_time(&r->line, WPIN_HOLD_MAX, seconds) && wpin_words_no_more(&r->line);
}

static void add_until(wpin_plan_reader *r, size_t number, wpin_event event, double amps) {
    double seconds;
    if (take_at_most(r, &seconds)) {
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_UNTIL,
                                         .target = {wpin_event_about(event), (uint16_t)number},
                                         .value = (int16_t)event,
                                         .ramp_us = (uint32_t)llround(amps * 1e3),
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}

static void until_current(wpin_plan_reader *r, size_t load, wpin_event event) {
    double amps;
    const wpin_rig_load *l = &r->rig->loads[load];
    if (l->limits.trip_input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "the current of '%s' is not sensed; give it a current-trip in the rig",
                       l->name);
    } else if (wpin_words_take_quantity(&r->line, WPIN_CURRENT, "a current, e.g. 2A", &amps)) {
        add_until(r, load, event, amps);
    }
}

/* LOAD resting|steady|above CURRENT|below CURRENT, or INPUT pressed|released; at most TIME. */
static void read_until(wpin_plan_reader *r) {
    static const char *const events[] = {"resting", "steady", "above", "below"};
    static const char *const states[] = {"pressed", "released", "reached", "clear"};
    const wpin_word *w = wpin_words_peek(&r->line);
    int load = w == NULL ? -1 : wpin_rig_find_load(r->rig, w->text);
    int input = w == NULL ? -1 : wpin_rig_find_input(r->rig, w->text);
    if (load < 0 && input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "wait until what? expected a load or an input of the rig");
        return;
    }
    const char *const *known = load >= 0 ? events : states;
    bool stepper = load >= 0 && r->rig->loads[load].what == WPIN_RIG_STEPPER;
    bool limit = load < 0 && r->rig->inputs[input].kind == WPIN_RIG_LIMIT;
    if (load < 0 && r->rig->inputs[input].kind > WPIN_RIG_LIMIT) {
        wpin_words_say(&r->line, w->column,
                       "'%s' is no button or limit switch; a wait needs a button, a "
                       "limit switch or a load",
                       w->text);
        return;
    }
    known = limit ? states + 2 : known;
    int count = load < 0 ? 2 : (stepper ? 1 : 4), found = 0;
    r->line.at++;
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *event = wpin_words_peek(&r->line);
    while (found < count && !wpin_words_take(&r->line, known[found])) {
        found++;
    }
    if (found == count) {
        wpin_plan_say_unknown(r, column, "event", event != NULL ? event->text : "", known,
                              (size_t)count);
    } else if (input >= 0) {
        add_until(r, (size_t)input, found == 0 ? WPIN_EVENT_INPUT_ON : WPIN_EVENT_INPUT_OFF, 0);
    } else if (found >= 2) {
        until_current(r, (size_t)load, (wpin_event)found);
    } else {
        add_until(r, (size_t)load, (wpin_event)found, 0);
    }
}

void wpin_plan_read_wait(wpin_plan_reader *r) {
    double seconds;
    if (wpin_words_take(&r->line, "until")) {
        read_until(r);
    } else if (wpin_words_take_time(&r->line, WPIN_HOLD_MAX, &seconds) &&
               wpin_words_no_more(&r->line)) {
        wpin_plan_add_action(r, (wpin_step){.op = WPIN_OP_WAIT, .time_ms = wpin_to_ms(seconds)},
                             seconds);
    }
}
