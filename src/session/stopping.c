/* The rig's stop input while a plan runs. */
#include "session.h"
#include <math.h>

#define PATIENCE 60.0 /* s until what does not come to rest is told instead */

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
    if (input == NULL) {
        return;
    }
    for (size_t i = 0; i < run->rig->load_count; i++) {
        run->stop_how[i] = (uint8_t)run->rig->loads[i].on_stop;
    }
    run->stop_config = (wpin_stop_config){.motors = run->motor_list,
                                          .how = run->stop_how,
                                          .count = (uint16_t)run->rig->load_count,
                                          .pin = (wpin_pin)input->pin,
                                          .opens = input->opens};
    (void)wpin_stop_init(&run->stop, &run->stop_config, &run->port);
}

bool wpin_session_stopped(void *context) {
    wpin_session *run = context;
    bool before = wpin_stop_latched(&run->stop);
    wpin_stop_tick(&run->stop);
    if (wpin_stop_latched(&run->stop) && !before) {
        run->stopped_at = wpin_session_time(run);
        wpin_session_note(
            run, stop_input(run->rig)->name,
            "was pressed: every load is stopped, and nothing moves before it is re-armed");
        for (size_t i = 0; i < run->rig->load_count; i++) {
            run->stopping[i] = run->last[i].rpm != 0;
        }
    }
    return wpin_stop_latched(&run->stop);
}

bool wpin_session_stopping(wpin_session *run) {
    static const char *const how[] = {"ramped down", "ran down", "braked"};
    bool some = false;
    double since = wpin_session_time(run) - run->stopped_at;
    for (size_t i = 0; run->stopped_at > 0 && i < run->rig->load_count; i++) {
        const wpin_rig_load *load = &run->rig->loads[i];
        if (run->stopping[i] && run->last[i].rpm == 0) {
            run->stopping[i] = false;
            wpin_session_note(run, load->name, "stood %.3f s after that: it %s", since,
                              how[load->on_stop]);
        } else if (run->stopping[i] && since > PATIENCE) {
            run->stopping[i] = false;
            wpin_session_note(run, load->name, "still turned %.0f s after that, at %.0f rpm", since,
                              fabs(run->last[i].rpm));
        }
        some = some || run->stopping[i];
    }
    return some;
}
