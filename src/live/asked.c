/* What was asked for: kept for the report and for a plan, but for a long session not all of it. */
#include "live.h"
#include <stdlib.h>

/* Steps and requests stand in the order of time: both are walked through once. */
static void forget_oldest(wpin_live *live) {
    size_t told = wpin_session_forget(live->session, live->told.steps, WPIN_LIVE_KEPT);
    size_t count, step = 0, kept = 0;
    const wpin_step_result *steps = wpin_session_steps(live->session, &count);
    live->told.steps -= told;
    for (size_t i = 0; i < live->asked_count; i++) {
        const wpin_live_asked *a = &live->asked[i];
        bool spoken_of = a->plan != NULL && step < count && steps[step].asks == &a->plan->steps[0];
        step += spoken_of;
        if (spoken_of || live->asked_count - i <= WPIN_LIVE_KEPT) {
            live->asked[kept++] = *a;
        } else {
            wpin_plan_free(a->plan);
        }
    }
    live->forgotten += live->asked_count - kept;
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
    live->asked[n] = (wpin_live_asked){.at = wpin_session_time(live->session), .plan = action};
    live->asked_count++;
    return &live->asked[n];
}
