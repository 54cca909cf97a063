/* Opens a session: from a bench with a rig on it to loads that are armed and at rest, and a plan
 * that begins. */
#include "session.h"
#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PS 1e-12

static const wpin_plan no_plan = {0};

bool wpin_session_inject(const wpin_session *run, const wpin_injection *fault, bool on) {
    const wpin_bench *b = &run->bench;
    return b->inject != NULL && b->inject(b->context, fault, on);
}

/* First the supplies, then the buttons' hands, then the faults. */
bool wpin_session_switch(wpin_session *run, const wpin_plan *plan, size_t number, bool on) {
    const wpin_bench *b = &run->bench;
    size_t supplies = run->rig->supply_count, hands = supplies + run->rig->input_count;
    bool done = false;
    if (number < supplies) {
        done = b->switch_supply != NULL && b->switch_supply(b->context, number, on);
    } else if (number < hands) {
        done = b->press != NULL && b->press(b->context, number - supplies, on);
    } else if (number - hands < plan->fault_count) {
        done = wpin_session_inject(run, &plan->faults[number - hands], on);
    }
    return done;
}

static wpin_status set_switch(void *context, uint16_t number, bool on) {
    wpin_session *run = context;
    return wpin_session_switch(run, run->plan, number, on) ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}

/* Supplies on and faults in, as asked; false with what can't be done here. */
static bool prepare(wpin_session *run, char *why, size_t size) {
    const wpin_session_options *o = &run->options;
    const wpin_bench *b = &run->bench;
    bool faults = run->rig->fault_count > 0 || o->fault_count > 0 || o->late != NULL;
    if (faults && b->inject == NULL) {
        snprintf(why, size, "faults can't be put in here; take them out of rig and options");
        return false;
    }
    for (size_t i = 0; o->supplies_on && i < run->rig->supply_count; i++) {
        if (b->switch_supply == NULL || !b->switch_supply(b->context, i, true)) {
            snprintf(why, size, "supply '%s' can't be switched here", run->rig->supplies[i].name);
            return false;
        }
    }
    for (size_t i = 0; i < run->rig->fault_count; i++) {
        wpin_session_inject(run, &run->rig->faults[i], true);
    }
    for (size_t i = 0; i < o->fault_count; i++) {
        wpin_session_inject(run, &o->faults[i], true);
    }
    return true;
}

/* Not rested yet; a motor that faulted does not come to it and is not waited for. */
static bool some_rest(const wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        wpin_state phase = wpin_motor_state(&run->motors[i]);
        bool off = phase == WPIN_STATE_OFF && run->options.disarmed;
        if (phase != WPIN_STATE_READY && phase != WPIN_STATE_FAULT && !off) {
            return true;
        }
    }
    return false;
}

static void wait(const wpin_session *run, int64_t until) {
    run->bench.wait(run->bench.context, until);
}

/* A motor just opened may be turning: the core lets it rest first. The plan begins after that. */
static void await_ready(wpin_session *run) {
    while (some_rest(run)) {
        wpin_motors_tick(run->motor_list, (uint16_t)run->rig->load_count);
        wpin_session_update_inputs(run);
        wait(run, wpin_session_clock(run) + wpin_session_tick_ps(run));
    }
}

static wpin_status start_plan(wpin_session *run) {
    run->sequence_config = (wpin_sequence_config){
        .steps = run->plan->steps,
        .step_count = (uint16_t)run->plan->step_count,
        .motors = run->motor_list,
        .motor_count = (uint16_t)run->rig->load_count,
        .switch_count =
            (uint16_t)(run->rig->supply_count + run->rig->input_count + run->plan->fault_count),
        .input_count = (uint16_t)run->rig->input_count,
        .read_input = wpin_session_input_held,
        .read_duty = wpin_session_input_duty,
        .rearm_input = wpin_session_rearm_input,
        .set_input = wpin_session_set_input,
        .track_count = run->plan->track_count,
        .tracks = run->tracks,
        .port = &run->port,
        .context = run,
        .set_switch = set_switch,
        .observe = wpin_session_observe,
        .stopped = wpin_session_stopped};
    return run->by_hand ? WPIN_OK : wpin_sequence_start(&run->sequence, &run->sequence_config);
}

/* The record begins here, on a whole control period after the plan was started: so its first tick
 * reads the clock as late in its period as every other. */
static void begin_record(wpin_session *run) {
    const wpin_session_options *o = &run->options;
    wait(run, wpin_session_clock(run) + wpin_session_tick_ps(run));
    wpin_session_read_loads(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->for_trace[i] = (wpin_tally){0};
        run->report->amps_peak[i] = run->report->rpm_peak[i] = run->report->degrees_c[i] = 0;
        run->report->joules[i] = 0;
    }
    run->report->total_amps_peak = 0;
    run->start = wpin_session_clock(run);
    run->next_tick = run->start;
    run->next_row = o->csv != NULL ? run->start : INT64_MAX;
    run->next_fast = run->fast_used ? run->start : INT64_MAX;
    run->next_late = o->late != NULL ? run->start + llround(o->late_at / PS) : INT64_MAX;
    run->was_running = true;
}

static bool open_vcd(wpin_session *run) {
    const wpin_bench *b = &run->bench;
    if (run->options.vcd_path == NULL) {
        return true;
    }
    errno = ENOTSUP;
    if (b->watch_pins == NULL) {
        return false;
    }
    run->vcd = wpin_vcd_open(run->options.vcd_path, run->rig, wpin_session_clock(run));
    if (run->vcd != NULL) {
        b->watch_pins(b->context, wpin_vcd_pin, run->vcd);
    }
    return run->vcd != NULL;
}

static wpin_status open_all(wpin_session *run, char *why, size_t size) {
    if (!prepare(run, why, size)) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_session_boot(run);
    wpin_session_choose_port(run);
    wpin_status status = wpin_session_open_loads(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    status = wpin_session_open_inputs(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    wpin_session_open_stop(run);
    status = wpin_session_set_up_drives(run, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    await_ready(run);
    status = start_plan(run);
    if (status != WPIN_OK) {
        snprintf(why, size, "the plan: %s", wpin_status_text(status));
        return status;
    }
    begin_record(run);
    if (!open_vcd(run)) {
        snprintf(why, size, "%s: can't be written: %s", run->options.vcd_path, strerror(errno));
        return WPIN_REFUSED_ARGUMENT;
    }
    return WPIN_OK;
}

wpin_session *wpin_session_open(const wpin_rig *rig, const wpin_plan *plan, const wpin_bench *bench,
                                const wpin_session_options *options, wpin_status *refused,
                                char *why, size_t why_size) {
    wpin_session *run = calloc(1, sizeof *run);
    *refused = WPIN_REFUSED_FULL;
    snprintf(why, why_size, "out of memory");
    if (run == NULL) {
        return NULL;
    }
    run->rig = rig;
    run->by_hand = plan == NULL;
    run->plan = plan != NULL ? plan : &no_plan;
    if (options != NULL) {
        run->options = *options;
    }
    run->bench = *bench;
    run->port = bench->port;
    run->onlooker = run->options.onlooker != NULL ? run->options.onlooker : &wpin_session_nobody;
    if (wpin_session_allocate(run) && run->onlooker->open(run)) {
        *refused = open_all(run, why, why_size);
    }
    if (*refused != WPIN_OK) {
        if (run->motors != NULL) {
            wpin_session_close_motors(run);
        }
        wpin_session_close_vcd(run);
        run->onlooker->closes(run);
        wpin_report_free(run->report);
        wpin_session_release(run);
        return NULL;
    }
    return run;
}
