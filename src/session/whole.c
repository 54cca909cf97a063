/* A whole plan in a session that is driven by hand: run, ended early, looked at. */
#include "session.h"
#include <stdio.h>
#include <stdlib.h>

bool wpin_session_whole_runs(const wpin_session *run) {
    return run->whole.plan != NULL && run->whole.sequence.running != 0;
}

static void observe(void *context, uint8_t track, uint16_t step, bool begins) {
    wpin_session *run = context;
    size_t at = run->rig->load_count + track;
    if (begins) {
        run->onlooker->begins(run, step);
        const wpin_plan_source *source = &run->whole.plan->sources[step];
        run->whole.line = source->text[0] != '\0' ? source->line : run->whole.line;
        wpin_session_begin_step(run, run->whole.plan, at, step);
    } else {
        wpin_session_end_step(run, at, true);
    }
}

static wpin_status set_switch(void *context, uint16_t number, bool on) {
    wpin_session *run = context;
    bool done = wpin_session_switch(run, run->whole.plan, number, on);
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

static bool is_stopped(void *context) {
    return wpin_stop_latched(&((wpin_session *)context)->stop);
}

static wpin_sequence_config config_of(wpin_session *run, const wpin_plan *plan,
                                      wpin_track *tracks) {
    const wpin_rig *rig = run->rig;
    return (wpin_sequence_config){
        .steps = plan->steps,
        .step_count = (uint16_t)plan->step_count,
        .motors = run->motor_list,
        .motor_count = (uint16_t)rig->load_count,
        .switch_count = (uint16_t)(rig->supply_count + rig->input_count + plan->fault_count),
        .input_count = (uint16_t)rig->input_count,
        .read_input = wpin_session_input_held,
        .read_duty = wpin_session_input_duty,
        .rearm_input = wpin_session_rearm_input,
        .set_input = wpin_session_set_input,
        .track_count = plan->track_count,
        .tracks = tracks,
        .port = &run->port,
        .context = run,
        .set_switch = set_switch,
        .observe = observe,
        .stopped = is_stopped};
}

/* Every load armed, sound and at rest. */
static wpin_status refusal(const wpin_session *run, char *why, size_t size) {
    if (!run->by_hand || wpin_session_whole_runs(run)) {
        snprintf(why, size, run->by_hand ? "it runs already" : "the session carries out a plan");
        return WPIN_REFUSED_CONFLICT;
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_status status = wpin_session_refusal(run, i, why, size);
        if (status != WPIN_OK) {
            return status;
        }
        if (wpin_motor_busy(&run->motors[i])) {
            snprintf(why, size, "'%s' moves; a plan begins with every load at rest",
                     run->rig->loads[i].name);
            return WPIN_REFUSED_NOT_ZERO;
        }
    }
    return WPIN_OK;
}

/* Room for its tracks beside those of the loads. */
static bool make_room(wpin_session *run, const wpin_plan *plan, wpin_track **tracks) {
    size_t loads = run->rig->load_count, count = plan->track_count;
    size_t *open = realloc(run->open_step, (loads + count) * sizeof *open);
    *tracks = calloc(count, sizeof **tracks);
    if (open == NULL || *tracks == NULL) {
        run->open_step = open != NULL ? open : run->open_step;
        free(*tracks);
        return false;
    }
    run->open_step = open;
    for (size_t i = 0; i < count; i++) {
        open[loads + i] = 0;
    }
    return true;
}

wpin_status wpin_session_run(wpin_session *run, const wpin_plan *plan, char *why, size_t size) {
    wpin_track *tracks;
    wpin_status status = refusal(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    run->overtaken = true;
    wpin_session_drop_loads(run); /* they hold loads at rest at the most */
    run->overtaken = false;
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_bind_start(&run->bound[i], &run->rig->loads[i], false);
    }
    wpin_session_whole before = run->whole;
    if (!make_room(run, plan, &tracks)) {
        snprintf(why, size, "out of memory");
        return WPIN_REFUSED_FULL;
    }
    run->whole = (wpin_session_whole){.plan = plan,
                                      .tracks = tracks,
                                      .config = config_of(run, plan, tracks),
                                      .begun = wpin_session_time(run)};
    status = wpin_sequence_start(&run->whole.sequence, &run->whole.config);
    if (status == WPIN_OK && !run->onlooker->plan_begins(run, plan)) {
        status = WPIN_REFUSED_FULL;
    }
    if (status != WPIN_OK) {
        run->whole = before;
        free(tracks);
        snprintf(why, size, "%s %s", wpin_status_text(status), wpin_status_remedy(status));
        return status;
    }
    free(before.tracks);
    return WPIN_OK;
}

/* The steps that go on end with it. */
static void cut(wpin_session *run, bool done) {
    wpin_status result = run->whole.sequence.result;
    for (size_t i = run->rig->load_count; i < wpin_session_tracks(run); i++) {
        if (result != WPIN_OK) {
            wpin_session_cut_by_result(run, result, i);
        } else {
            wpin_session_end_step(run, i, false);
        }
    }
    run->onlooker->plan_ends(run, result, done);
}

void wpin_session_serve_whole(wpin_session *run) {
    if (wpin_session_whole_runs(run)) {
        wpin_sequence_serve(&run->whole.sequence);
        if (!wpin_session_whole_runs(run)) {
            cut(run, run->whole.sequence.result == WPIN_OK);
        }
    }
}

void wpin_session_drop_whole(wpin_session *run) {
    if (wpin_session_whole_runs(run)) {
        wpin_sequence_stop(&run->whole.sequence);
        cut(run, false);
    }
}

void wpin_session_end_run(wpin_session *run) {
    run->cut_by = " by hand";
    wpin_session_drop_whole(run);
    run->cut_by = NULL;
}

wpin_progress wpin_session_progress(const wpin_session *run) {
    const wpin_session_whole *w = &run->whole;
    return (wpin_progress){.running = wpin_session_whole_runs(run),
                           .line = w->line,
                           .at = w->plan == NULL ? 0 : wpin_session_time(run) - w->begun,
                           .result = w->plan == NULL ? WPIN_OK : w->sequence.result};
}
