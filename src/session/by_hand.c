/* What people ask for in a session without a plan: actions of loads, hands on the bench, a whole
 * plan; how long it may go on; stops. */
#include "session.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

/* The load of an action, or -1: it is about a supply, an input or a fault. */
static int load_of(const wpin_plan *action) {
    wpin_target target = action->steps[0].target;
    return target.kind == WPIN_TARGET_MOTOR ? target.number : -1;
}

/* A hand on a supply, a button, a knob, or a fault put in. */
static wpin_status act_on_bench(wpin_session *run, const wpin_plan *plan, char *why, size_t size) {
    wpin_step s = plan->steps[0];
    bool done = s.op == WPIN_OP_SET
                    ? wpin_session_set_input(run, s.target.number, s.value) == WPIN_OK
                    : wpin_session_switch(run, plan, s.target.number, s.value != 0);
    if (!done) {
        snprintf(why, size, "that can't be done on this bench");
    }
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

wpin_status wpin_session_act(wpin_session *run, const wpin_plan *action, char *why, size_t size) {
    int load = load_of(action);
    if (!run->by_hand) {
        snprintf(why, size, "the session carries out a plan");
        return WPIN_REFUSED_CONFLICT;
    }
    if (load < 0) {
        return act_on_bench(run, action, why, size);
    }
    if (wpin_session_whole_runs(run)) {
        snprintf(why, size, "a plan runs; end it first");
        return WPIN_REFUSED_CONFLICT;
    }
    return wpin_session_act_on_load(run, (size_t)load, action, why, size);
}

void wpin_session_keep(wpin_session *run, double seconds) {
    run->kept_until = wpin_session_time(run) + seconds;
}

/* ---- each control period ---- */

void wpin_session_drop_actions(wpin_session *run, const char *by) {
    run->cut_by = by;
    wpin_session_drop_loads(run);
    wpin_session_drop_whole(run);
    run->cut_by = NULL;
}

static void let_go(wpin_session *run) {
    bool some = wpin_session_whole_runs(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        some = some || (wpin_session_load_acts(run, i) && wpin_motor_busy(&run->motors[i]));
    }
    if (some) {
        wpin_session_note(run, "link",
                          "lost: nobody who commands is heard; every load ramps to rest");
        wpin_session_drop_actions(run, " by a lost link");
    }
}

void wpin_session_refresh_actions(wpin_session *run) {
    double left = run->kept_until - wpin_session_time(run);
    if (left <= 0) {
        let_go(run);
        return;
    }
    uint32_t ms = (uint32_t)ceil(fmin(left, 3600) * 1e3);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (wpin_session_load_acts(run, i) || wpin_session_whole_runs(run)) {
            (void)wpin_motor_refresh(&run->motors[i], ms); /* the core ends it by itself then */
        }
    }
}

void wpin_session_serve_actions(wpin_session *run) {
    wpin_session_serve_loads(run);
    wpin_session_serve_whole(run);
}

/* ---- stop ---- */

void wpin_session_stop(wpin_session *run) {
    wpin_stop_now(&run->stop);
}

wpin_status wpin_session_rearm(wpin_session *run) {
    wpin_status status = wpin_stop_rearm(&run->stop);
    if (status == WPIN_OK) {
        run->stopped_at = 0;
        memset(run->stopping, 0, run->rig->load_count * sizeof *run->stopping);
    }
    return status;
}

bool wpin_session_is_stopped(const wpin_session *run) {
    return wpin_stop_latched(&run->stop);
}
