/* Waits of the plan language: for a time, or for an event with an end. */
#define _GNU_SOURCE
#include "parts.h"
#include <math.h>
#include <string.h>

bool wpin_plan_take_at_most(wpin_plan_reader *r, double *seconds) {
    if (!wpin_words_take(&r->line, "at") || !wpin_words_take(&r->line, "most")) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "no wait without an end: expected 'at most' and a time, e.g. 'at most 5s'");
        return false;
    }
    return wpin_words_take_time(&r->line, WPIN_HOLD_MAX, seconds) && wpin_words_no_more(&r->line);
}

static void set_event(wpin_plan_reader *r, size_t number, wpin_event event, double amps) {
    r->until = (wpin_step){.until = (uint8_t)(1 + event),
                           .until_of = (uint16_t)number,
                           .until_ma = (uint16_t)lround(amps * 1e3)};
}

/* The core knows a sense in whole mV for an ampere: how many of its amperes are one. */
static double of_the_core(const wpin_rig_load *l) {
    const double slope = l->bridge.sense_volts_per_amp * 1e3, whole = round(slope);
    return whole > 0 ? slope / whole : 1;
}

static bool take_current(wpin_plan_reader *r, size_t load, wpin_event event) {
    double amps;
    const wpin_rig_load *l = &r->rig->loads[load];
    unsigned column = wpin_words_column(&r->line);
    if (l->limits.trip_input < 0) {
        wpin_words_say(&r->line, column,
                       "the current of '%s' is not sensed; give it a current-trip in the rig",
                       l->name);
        return false;
    }
    if (!wpin_words_take_quantity(&r->line, WPIN_CURRENT, "a current, e.g. 2A", &amps)) {
        return false;
    }
    const double most = 65.5 / of_the_core(l);
    if (!(amps >= 0) || amps > most) {
        wpin_words_say(&r->line, column, "%.4g A is out of range; expected 0 to %.3g A", amps,
                       most);
        return false;
    }
    set_event(r, load, event, amps * of_the_core(l));
    return true;
}

/* What no line before it brings about, nor its own. */
static bool never_comes(wpin_plan_reader *r, size_t load, wpin_event event, unsigned column) {
    const char *name = r->rig->loads[load].name;
    if (r->alone || strcasecmp(r->line.words[0].text, name) == 0) {
        return false;
    }
    if (event == WPIN_EVENT_AT_SETPOINT && wpin_flow_is_at_rest(&r->flow, load)) {
        wpin_words_say(&r->line, column,
                       "'%s' is at rest here, with nothing asked that it could come to; expected a "
                       "ramp before it, or 'until %s resting'",
                       name, name);
        return true;
    }
    if (event == WPIN_EVENT_RESTING && wpin_flow_is_driven(&r->flow, load) &&
        !wpin_rig_ends_itself(&r->rig->loads[load])) {
        wpin_words_say(&r->line, column,
                       "'%s' is driven here (line %u), and goes on; expected '%s stop' before it",
                       name, r->flow.set_at[load], name);
        return true;
    }
    return false;
}

/* LOAD resting|faulted|steady|above CURRENT|below CURRENT (a stepper: the first two), or INPUT
 * pressed|released|reached|clear. */
bool wpin_plan_take_event(wpin_plan_reader *r) {
    static const char *const events[] = {"resting", "faulted", "steady", "above", "below"};
    static const wpin_event of_load[] = {WPIN_EVENT_RESTING, WPIN_EVENT_FAULTED,
                                         WPIN_EVENT_AT_SETPOINT, WPIN_EVENT_CURRENT_ABOVE,
                                         WPIN_EVENT_CURRENT_BELOW};
    static const char *const states[] = {"pressed", "released", "reached", "clear"};
    const wpin_word *w = wpin_words_peek(&r->line);
    int load = w == NULL ? -1 : wpin_rig_find_load(r->rig, w->text);
    int input = w == NULL ? -1 : wpin_rig_find_input(r->rig, w->text);
    if (load < 0 && input < 0) {
        wpin_words_say(&r->line, wpin_words_column(&r->line),
                       "until what? expected a load or an input of the rig");
        return false;
    }
    const char *const *known = load >= 0 ? events : states;
    bool stepper = load >= 0 && wpin_rig_type(&r->rig->loads[load])->steps;
    bool limit = load < 0 && r->rig->inputs[input].kind == WPIN_RIG_LIMIT;
    if (load < 0 && r->rig->inputs[input].kind > WPIN_RIG_LIMIT) {
        wpin_words_say(&r->line, w->column,
                       "'%s' is not a button or limit switch; a wait needs a button, a "
                       "limit switch or a load",
                       w->text);
        return false;
    }
    known = limit ? states + 2 : known;
    int count = load < 0 ? 2 : (stepper ? 2 : 5), found = 0;
    r->line.at++;
    unsigned column = wpin_words_column(&r->line);
    const wpin_word *event = wpin_words_peek(&r->line);
    while (found < count && !wpin_words_take(&r->line, known[found])) {
        found++;
    }
    if (found == count) {
        wpin_plan_say_unknown(r, column, "event", event != NULL ? event->text : "", known,
                              (size_t)count);
        return false;
    }
    if (load >= 0 && never_comes(r, (size_t)load, of_load[found], column)) {
        return false;
    }
    if (load >= 0 && found >= 3) {
        return take_current(r, (size_t)load, of_load[found]);
    }
    wpin_event one = load >= 0    ? of_load[found]
                     : found == 0 ? WPIN_EVENT_INPUT_ON
                                  : WPIN_EVENT_INPUT_OFF;
    set_event(r, (size_t)(load >= 0 ? load : input), one, 0);
    return true;
}

bool wpin_plan_take_until(wpin_plan_reader *r, double *seconds) {
    if (wpin_plan_take_event(r) && wpin_plan_take_at_most(r, seconds)) {
        return true;
    }
    r->until = (wpin_step){0};
    return false;
}

static void read_until(wpin_plan_reader *r) {
    double seconds;
    if (wpin_plan_take_until(r, &seconds)) {
        wpin_step e = r->until;
        wpin_event event = (wpin_event)(e.until - 1);
        r->until = (wpin_step){0};
        if (event == WPIN_EVENT_FAULTED) { /* it stands still then, and belongs to this track */
            wpin_plan_begin_action(r);
            wpin_plan_claim(r, e.until_of);
            wpin_flow_ramp(&r->flow, e.until_of, 0, 0, r->line.number);
        }
        wpin_plan_add_action(r,
                             (wpin_step){.op = WPIN_OP_UNTIL,
                                         .target = {wpin_event_about(event), e.until_of},
                                         .value = (int16_t)event,
                                         .milliamps = e.until_ma,
                                         .time_ms = wpin_to_ms(seconds)},
                             seconds);
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
