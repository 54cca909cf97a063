/* The inputs of a rig while a plan runs: the core reads them, here is said what became of them. */
#include "session.h"
#include <stdio.h>

wpin_status wpin_session_open_inputs(wpin_session *run, char *why, size_t size) {
    for (size_t i = 0; i < run->rig->input_count; i++) {
        const wpin_rig_input *input = &run->rig->inputs[i];
        wpin_bind_input(&run->input_at[i], run->rig, input);
        run->input_table[i] = run->input_at[i].config;
    }
    run->inputs_config = (wpin_inputs_config){.table = run->input_table,
                                              .state = run->input_state,
                                              .count = (uint16_t)run->rig->input_count};
    wpin_status status = wpin_inputs_init(&run->inputs, &run->inputs_config, &run->port);
    if (status != WPIN_OK) {
        snprintf(why, size, "the inputs: %s %s", wpin_status_text(status),
                 wpin_status_remedy(status));
    }
    return status;
}

static void say_it_gave_up(wpin_session *run, const wpin_rig_input *input) {
    if (input->kind == WPIN_RIG_TWO_POINT) {
        wpin_session_note(
            run, input->name,
            "has not come to %.4g V within %.3g s of running: it gives up until it is released",
            input->off, input->most);
    } else {
        wpin_session_note(run, input->name, "has been held for %.3g s: stuck, it no longer counts",
                          input->stuck);
    }
}

void wpin_session_update_inputs(wpin_session *run) {
    wpin_inputs_update(&run->inputs);
    for (size_t i = 0; i < run->rig->input_count; i++) {
        bool gave_up = wpin_inputs_gave_up(&run->inputs, (uint16_t)i);
        if (gave_up && !run->input_told[i]) {
            say_it_gave_up(run, &run->rig->inputs[i]);
        }
        run->input_told[i] = gave_up;
    }
}

bool wpin_session_input_held(void *context, uint16_t number) {
    return wpin_inputs_held(&((wpin_session *)context)->inputs, number);
}

wpin_duty wpin_session_input_duty(void *context, uint16_t number) {
    return wpin_inputs_duty(&((wpin_session *)context)->inputs, number);
}

void wpin_session_rearm_input(void *context, uint16_t number) {
    wpin_inputs_rearm(&((wpin_session *)context)->inputs, number);
}

wpin_status wpin_session_set_input(void *context, uint16_t number, int16_t millivolts) {
    const wpin_bench *b = &((const wpin_session *)context)->bench;
    bool done = b->set_input != NULL && b->set_input(b->context, number, millivolts * 1e-3);
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}
