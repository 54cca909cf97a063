/* Sources, and which of them has the command. */
#include "live.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

wpin_live *wpin_live_open(const wpin_rig *rig, wpin_session *session, double link_timeout) {
    bool fits = link_timeout >= WPIN_LINK_LEAST && link_timeout <= WPIN_LINK_MOST;
    wpin_live *live = fits && session != NULL ? calloc(1, sizeof *live) : NULL;
    if (live == NULL) {
        return NULL;
    }
    live->rig = rig;
    live->session = session;
    live->link_timeout = link_timeout;
    live->commander = -1;
    live->told.faults = calloc(rig->load_count, sizeof *live->told.faults);
    live->told.troubled = calloc(rig->load_count, sizeof *live->told.troubled);
    if (live->told.faults == NULL || live->told.troubled == NULL) {
        wpin_live_free(live);
        return NULL;
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        live->told.troubled[i] = -1;
    }
    return live;
}

void wpin_live_free(wpin_live *live) {
    if (live != NULL) {
        for (size_t i = 0; i < live->asked_count; i++) {
            wpin_plan_free(live->asked[i].plan);
        }
        free(live->asked);
        free(live->told.faults);
        free(live->told.troubled);
        free(live);
    }
}

void wpin_live_offer(wpin_live *live, const wpin_plan *plan) {
    live->plan = plan;
}

const wpin_plan *wpin_live_plan(const wpin_live *live) {
    return live->plan;
}

static bool is_there(const wpin_live *live, int source) {
    return source >= 0 && source < WPIN_LIVE_SOURCES && live->sources[source].there;
}

int wpin_live_join(wpin_live *live, const char *name) {
    for (int i = 0; i < WPIN_LIVE_SOURCES; i++) {
        if (!live->sources[i].there) {
            live->sources[i].there = true;
            live->sources[i].program = false;
            snprintf(live->sources[i].name, sizeof live->sources[i].name, "%s", name);
            return i;
        }
    }
    return -1;
}

void wpin_live_is_program(wpin_live *live, int source) {
    if (is_there(live, source)) {
        live->sources[source].program = true;
    }
}

void wpin_live_leave(wpin_live *live, int source) {
    if (is_there(live, source)) {
        if (source == live->commander) {
            wpin_live_lost(live, "it has gone");
        }
        live->sources[source].there = false;
    }
}

void wpin_live_give(wpin_live *live, int source) {
    int before = live->commander;
    live->commander = source;
    if (source < 0) {
        return;
    }
    if (before >= 0 && before != source) {
        wpin_live_tell(live, WPIN_VERDICT_NOTE, "%s took the command over from %s",
                       live->sources[source].name, live->sources[before].name);
    } else if (before < 0) {
        wpin_live_tell(live, WPIN_VERDICT_OK, "%s has the command", live->sources[source].name);
    }
}

void wpin_live_heard(wpin_live *live, int source) {
    if (source >= 0 && source == live->commander) {
        live->heard_at = wpin_session_time(live->session);
        wpin_session_keep(live->session, live->link_timeout);
    }
}

void wpin_live_lost(wpin_live *live, const char *why) {
    if (live->commander >= 0) {
        wpin_session_keep(live->session, 0);
        wpin_live_tell(live, WPIN_VERDICT_NOTE, "%s no longer has the command: %s",
                       live->sources[live->commander].name, why);
        live->commander = -1;
    }
}

bool wpin_live_until(wpin_live *live, double seconds) {
    bool more = wpin_session_until(live->session, seconds);
    wpin_live_collect(live);
    return more;
}

int wpin_live_commander(const wpin_live *live) {
    return live->commander;
}

const char *wpin_live_name(const wpin_live *live, int source) {
    return is_there(live, source) ? live->sources[source].name : "nobody";
}

double wpin_live_link_timeout(const wpin_live *live) {
    return live->link_timeout;
}

double wpin_live_link_left(const wpin_live *live) {
    double silent = wpin_session_time(live->session) - live->heard_at;
    return live->commander < 0 ? 0 : fmax(0, live->link_timeout - silent);
}

void wpin_live_confirm(wpin_live *live, const char *by) {
    if (!live->confirmed) {
        live->confirmed = true;
        snprintf(live->confirmed_by, sizeof live->confirmed_by, "%s", by);
        wpin_live_tell(live, WPIN_VERDICT_OK, "the power-up checklist is confirmed by %s", by);
    }
}

bool wpin_live_is_confirmed(const wpin_live *live) {
    return live->confirmed;
}

wpin_session *wpin_live_session(const wpin_live *live) {
    return live->session;
}

const wpin_rig *wpin_live_rig(const wpin_live *live) {
    return live->rig;
}
