/* The rig's stop input while a plan runs. */
#include "session.h"
#include <math.h>

static const wpin_rig_input *stop_input(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->input_count; i++) {
        if (rig->inputs[i].stops) {
            return &rig->inputs[i];
        }
    }
    return NULL;
}

void wpin_session_open_stop(wpin_session *run) {
    const wpin_rig_input *input = stop_input(run->rig);
    if (input == NULL && !run->by_hand) {
        return;
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->stop_how[i] = (uint8_t)run->rig->loads[i].on_stop;
    }
    run->stop_config = (wpin_stop_config){.motors = run->motor_list,
                                          .how = run->stop_how,
                                          .count = (uint16_t)run->rig->load_count,
                                          .by_program = input == NULL};
    if (input != NULL) {
        run->stop_config.pin = (wpin_pin)input->pin;
        run->stop_config.opens = input->opens;
    }
    (void)wpin_stop_init(&run->stop, &run->stop_config, &run->port);
}

/* What turns now is waited for; a stepper is where its steps have brought it. */
static void wait_for_turning(wpin_session *run) {
    run->stopped_at = wpin_session_time(run);
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->stopping[i] =
            run->last[i].rpm != 0 && (!run->ended || wpin_rig_type(&run->rig->loads[i])->spins);
    }
}

bool wpin_session_stopped(void *context) {
    wpin_session *run = context;
    bool before = wpin_stop_latched(&run->stop);
    wpin_stop_tick(&run->stop);
    if (wpin_stop_latched(&run->stop) && !before) {
        const wpin_rig_input *input = stop_input(run->rig);
        bool pressed = input != NULL && run->stop.pressed != 0;
        wait_for_turning(run);
        wpin_session_note(run, pressed ? input->name : "stop",
                          "%s: every load is stopped, and nothing moves before it is re-armed",
                          pressed ? "was pressed" : "was asked for");
    }
    return wpin_stop_latched(&run->stop);
}

/* How a load came to rest: by the stop input as its rig says; after a plan it runs down. */
static const char *how(const wpin_session *run, size_t load) {
    static const char *const words[] = {"ramped down", "ran down", "braked"};
    return wpin_stop_latched(&run->stop) ? words[run->rig->loads[load].on_stop] : words[1];
}

/* One that turned when it was stopped, or when the plan ended. */
static void look_after(wpin_session *run, size_t load, double since) {
    const char *name = run->rig->loads[load].name;
    const char *after = wpin_stop_latched(&run->stop) ? "that" : "the plan's end";
    if (run->last[load].rpm == 0) {
        run->stopping[load] = false;
        run->report->rest_seconds = since;
        wpin_session_note(run, name, "stood %.3f s after %s: it %s", since, after, how(run, load));
    } else if (since > WPIN_PATIENCE) {
        run->stopping[load] = false;
        run->report->still_turning = (int)load;
        wpin_session_note(
            run, name, "still turned %.0f s after %s, at %.3g rpm: nothing brings it to rest soon",
            since, after, fabs(run->last[load].rpm));
    }
}

bool wpin_session_stopping(wpin_session *run, bool over) {
    bool some = false;
    if (over && !run->ended && !run->out_of_memory) {
        run->ended = true;
        run->report->seconds = wpin_session_time(run);
        if (run->stopped_at <= 0) {
            wait_for_turning(run);
        }
    }
    double since = wpin_session_time(run) - run->stopped_at;
    for (size_t i = 0; run->stopped_at > 0 && i < run->rig->load_count; i++) {
        if (run->stopping[i]) {
            look_after(run, i, since);
        }
        some = some || run->stopping[i];
    }
    return some;
}
