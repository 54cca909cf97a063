/* A long session forgets its oldest steps. */
#include "session.h"

static bool is_needed(const wpin_session *run, size_t step) {
    for (size_t i = 0; i < wpin_session_tracks(run); i++) {
        bool owned = i < run->rig->load_count && run->owner[i] == step + 1;
        if (owned || run->open_step[i] == step + 1) {
            return true;
        }
    }
    return false;
}

/* What spoke of step `from` speaks of `to`. */
static void renumber(wpin_session *run, size_t from, size_t to) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->owner[i] = run->owner[i] == from + 1 ? to + 1 : run->owner[i];
    }
    for (size_t i = 0; i < wpin_session_tracks(run); i++) {
        run->open_step[i] = run->open_step[i] == from + 1 ? to + 1 : run->open_step[i];
    }
}

void wpin_session_forget(wpin_session *run, size_t keep) {
    wpin_report *report = run->report;
    size_t forgotten = 0, ended = 0;
    for (size_t i = 0; i < report->step_count; i++) {
        ended += report->steps[i].ended != 0;
    }
    for (size_t i = 0; run->by_hand && i < report->step_count; i++) {
        bool over = report->steps[i].ended != 0;
        if (over && ended - forgotten > keep && !is_needed(run, i)) {
            forgotten++;
        } else if (forgotten > 0) {
            renumber(run, i, i - forgotten);
            report->steps[i - forgotten] = report->steps[i];
        }
    }
    report->step_count -= forgotten;
}
