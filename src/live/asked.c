/* What was asked for: kept for the report and for a plan, but for a long session not all of it. */
#include "live.h"
#include <stdlib.h>

/* The request of a number, or NULL: they stand in the order of their numbers. */
static wpin_live_asked *find(const wpin_live *live, unsigned number) {
    size_t low = 0, high = live->asked_count;
    while (low < high) {
        size_t middle = (low + high) / 2;
        if (live->asked[middle].number < number) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    bool there = low < live->asked_count && live->asked[low].number == number;
    return there ? &live->asked[low] : NULL;
}

bool wpin_live_is_of(const wpin_live_asked *asked, const wpin_step_result *step) {
    const wpin_plan *plan = asked->plan;
    return plan != NULL && step->asks >= plan->steps && step->asks < plan->steps + plan->step_count;
}

const wpin_live_asked *wpin_live_asked_for(const wpin_live *live, const wpin_step_result *step) {
    const wpin_live_asked *asked = find(live, step->line);
    return asked != NULL && wpin_live_is_of(asked, step) ? asked : NULL;
}

/* Which requests the report still speaks of; a plan's own steps have lines of their own. */
static void mark_spoken_of(const wpin_live *live) {
    size_t count;
    const wpin_step_result *steps = wpin_session_steps(live->session, &count);
    for (size_t i = 0; i < live->asked_count; i++) {
        live->asked[i].spoken_of = false;
    }
    for (size_t i = 0; i < count; i++) {
        wpin_live_asked *a = find(live, steps[i].line);
        if (a != NULL && wpin_live_is_of(a, &steps[i])) {
            a->spoken_of = true;
        }
    }
}

static void forget_oldest(wpin_live *live) {
    size_t kept = 0;
    wpin_session_forget(live->session, WPIN_LIVE_KEPT);
    mark_spoken_of(live);
    for (size_t i = 0; i < live->asked_count; i++) {
        const wpin_live_asked *a = &live->asked[i];
        if (a->spoken_of || live->asked_count - i <= WPIN_LIVE_KEPT) {
            live->asked[kept++] = *a;
        } else {
            wpin_plan_free(a->plan);
        }
    }
    live->asked_count = kept;
}

wpin_live_asked *wpin_live_keep(wpin_live *live, wpin_plan *action) {
    if (live->asked_count >= (size_t)2 * WPIN_LIVE_KEPT) {
        forget_oldest(live);
    }
    size_t n = live->asked_count;
    if ((n & (n - 1)) == 0) { /* full at each power of two */
        wpin_live_asked *all = realloc(live->asked, (n == 0 ? 1 : 2 * n) * sizeof *all);
        if (all == NULL) {
            return NULL;
        }
        live->asked = all;
    }
    live->asked[n] = (wpin_live_asked){
        .at = wpin_session_time(live->session), .plan = action, .number = ++live->asked_ever};
    live->asked_count++;
    return &live->asked[n];
}
