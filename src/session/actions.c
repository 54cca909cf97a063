/* Actions by hand, each at work as a plan of its own load. */
#include "session.h"
#include <stdio.h>

static void observe(void *context, uint8_t track, uint16_t step, bool begins) {
    wpin_session_action *action = context;
    (void)track;
    if (begins) {
        wpin_session_begin_step(action->run, action->plan, action->load, step);
    } else {
        wpin_session_end_step(action->run, action->load, true);
    }
}

static bool read_input(void *context, uint16_t number) {
    return wpin_session_input_held(((wpin_session_action *)context)->run, number);
}

static wpin_duty read_duty(void *context, uint16_t number) {
    return wpin_session_input_duty(((wpin_session_action *)context)->run, number);
}

static void rearm_input(void *context, uint16_t number) {
    wpin_session_rearm_input(((wpin_session_action *)context)->run, number);
}

/* The steps as those of the only motor there is; false where one looks at another motor. */
static bool take_steps(wpin_session_action *to, const wpin_plan *action) {
    for (size_t i = 0; i < action->step_count; i++) {
        wpin_step s = action->steps[i];
        bool of_motor =
            s.until != 0 && wpin_event_about((wpin_event)(s.until - 1)) == WPIN_TARGET_MOTOR;
        if (of_motor && s.until_of != to->load) {
            return false;
        }
        s.until_of = of_motor ? 0 : s.until_of;
        s.target.number = s.target.kind == WPIN_TARGET_MOTOR ? 0 : s.target.number;
        to->steps[i] = s;
    }
    return true;
}

static bool is_stopped(void *context) {
    return wpin_stop_latched(&((wpin_session_action *)context)->run->stop);
}

static void set_up(wpin_session *run, wpin_session_action *a, const wpin_plan *plan) {
    a->run = run;
    a->plan = plan;
    a->motor = &run->motors[a->load];
    a->config = (wpin_sequence_config){.steps = a->steps,
                                       .step_count = (uint16_t)plan->step_count,
                                       .motors = &a->motor,
                                       .motor_count = 1,
                                       .input_count = (uint16_t)run->rig->input_count,
                                       .track_count = 1,
                                       .tracks = &a->track,
                                       .port = &run->port,
                                       .context = a,
                                       .read_input = read_input,
                                       .read_duty = read_duty,
                                       .rearm_input = rearm_input,
                                       .observe = observe,
                                       .stopped = is_stopped};
}

/* A stop, a fault, a refusal, an event that did not come. */
void wpin_session_cut_by_result(wpin_session *run, wpin_status result, size_t track) {
    char by[160];
    snprintf(by, sizeof by, ": %s",
             result == WPIN_FAULT_TIMEOUT ? "what ends it did not come in time"
                                          : wpin_status_text(result));
    run->cut_by = wpin_stop_latched(&run->stop) ? NULL : by;
    wpin_session_end_step(run, track, false);
    run->cut_by = NULL;
}

static void end_early(wpin_session *run, size_t load) {
    wpin_session_cut_by_result(run, run->actions[load].sequence.result, load);
}

/* Why a load takes no action now, or WPIN_OK. */
wpin_status wpin_session_refusal(const wpin_session *run, size_t load, char *why, size_t size) {
    const wpin_motor *motor = &run->motors[load];
    const char *name = run->rig->loads[load].name;
    if (wpin_stop_latched(&run->stop)) {
        snprintf(why, size, "everything is stopped; re-arm, then arm '%s'", name);
        return WPIN_REFUSED_STATE;
    }
    if (motor->fault != WPIN_OK) {
        snprintf(why, size, "'%s' is in a fault (%s); mend its cause, clear it, then arm", name,
                 wpin_status_name((wpin_status)motor->fault));
        return WPIN_REFUSED_FAULTED;
    }
    if (motor->armed == 0) {
        snprintf(why, size, "'%s' is not armed", name);
        return WPIN_REFUSED_NOT_ARMED;
    }
    return WPIN_OK;
}

wpin_status wpin_session_act_on_load(wpin_session *run, size_t load, const wpin_plan *plan,
                                     char *why, size_t size) {
    wpin_session_action *a = &run->actions[load], next = {.load = load};
    wpin_status status = wpin_session_refusal(run, load, why, size);
    if (status != WPIN_OK) {
        return status;
    }
    if (plan->gentle && wpin_motor_busy(&run->motors[load])) {
        snprintf(why, size, "'%s' moves; a first motion begins at rest",
                 run->rig->loads[load].name);
        return WPIN_REFUSED_NOT_ZERO;
    }
    if (plan->step_count > WPIN_ACTION_STEPS || !take_steps(&next, plan)) {
        snprintf(why, size,
                 "by hand 'until' looks at '%s' itself or at an input, not at another "
                 "load",
                 run->rig->loads[load].name);
        return WPIN_REFUSED_ARGUMENT;
    }
    run->overtaken = true;
    wpin_session_end_step(run, load, false);
    run->overtaken = false;
    *a = next;
    set_up(run, a, plan);
    wpin_bind_start(&run->bound[load], &run->rig->loads[load], plan->gentle);
    status = wpin_sequence_start(&a->sequence, &a->config);
    /* what was armed just now takes requests from its next tick on: served after that */
    if (status == WPIN_OK && wpin_motor_state(a->motor) != WPIN_STATE_OFF) {
        wpin_sequence_serve(&a->sequence);
        status = a->sequence.running ? WPIN_OK : a->sequence.result;
    }
    if (status != WPIN_OK) {
        a->sequence.result = status;
        end_early(run, load);
        (void)wpin_motor_stop(a->motor, 0);
        snprintf(why, size, "%s %s", wpin_status_text(status), wpin_status_remedy(status));
    }
    return status;
}

bool wpin_session_load_acts(const wpin_session *run, size_t load) {
    const wpin_session_action *a = &run->actions[load];
    return a->plan != NULL && a->sequence.running != 0;
}

void wpin_session_drop_loads(wpin_session *run) {
    for (size_t i = 0; run->by_hand && i < run->rig->load_count; i++) {
        if (wpin_session_load_acts(run, i)) {
            wpin_sequence_stop(&run->actions[i].sequence);
            wpin_session_end_step(run, i, false);
        }
    }
}

void wpin_session_serve_loads(wpin_session *run) {
    for (size_t i = 0; i < run->rig->load_count; i++) {
        if (wpin_session_load_acts(run, i)) {
            wpin_sequence_serve(&run->actions[i].sequence);
            if (!wpin_session_load_acts(run, i)) {
                end_early(run, i);
            }
        }
    }
}
