/* The inputs of a rig while a plan runs: buttons, limit switches, knobs and sensors. */
#include "session.h"
#include <math.h>

static void open_one(wpin_session *run, wpin_session_input *to, const wpin_rig_input *from) {
    wpin_bound_input bound;
    wpin_moment now = run->port.now(run->port.context);
    wpin_bind_input(&bound, run->rig, from);
    wpin_button_init(&to->button, &bound.button);
    if (from->kind == WPIN_RIG_PAIR) {
        wpin_pair_init(&to->pair, &bound.button, (uint32_t)llround(from->window * 1e6));
    }
    wpin_knob_init(&to->knob, &bound.knob);
    if (from->kind == WPIN_RIG_SENSOR) {
        to->curve_config = bound.curve;
        wpin_curve_init(&to->curve, &to->curve_config);
    }
    if (from->kind == WPIN_RIG_TWO_POINT) {
        to->two_point_config = bound.two_point;
        wpin_two_point_init(&to->two_point, &to->two_point_config, now);
    }
    if (from->kind == WPIN_RIG_PROCESS) {
        to->process_config = bound.process;
        wpin_process_init(&to->process, &to->process_config, now);
    }
}

void wpin_session_open_inputs(wpin_session *run) {
    for (size_t i = 0; i < run->rig->input_count; i++) {
        open_one(run, &run->inputs[i], &run->rig->inputs[i]);
    }
}

static wpin_duty full(const wpin_rig_input *input) {
    return (wpin_duty)lround(input->duty * WPIN_DUTY_FULL);
}

/* Two buttons: each drives one way while it is held, both together stop. */
static void update_pair(wpin_session *run, wpin_session_input *to, const wpin_rig_input *from) {
    bool level[2];
    for (int i = 0; i < 2; i++) {
        level[i] = run->port.read(run->port.context, (wpin_pin)run->rig->inputs[from->pair[i]].pin);
    }
    wpin_pair_command command =
        wpin_pair_update(&to->pair, level[0], level[1], run->port.now(run->port.context));
    to->duty = command == WPIN_PAIR_FORWARD   ? full(from)
               : command == WPIN_PAIR_REVERSE ? (wpin_duty)-full(from)
                                              : 0;
}

static wpin_duty two_points(wpin_session *run, wpin_session_input *to, const wpin_rig_input *from,
                            int16_t millivolts, wpin_moment now) {
    uint8_t is = wpin_two_point_update(&to->two_point, millivolts, false, now);
    bool exhausted = (is & WPIN_TWO_POINT_EXHAUSTED) != 0;
    if (exhausted && !to->told) {
        wpin_session_note(
            run, from->name,
            "has not come to %.4g V within %.3g s of running: it gives up until it is "
            "released",
            from->off, from->most);
    }
    to->told = exhausted;
    return (is & WPIN_TWO_POINT_RUNNING) != 0 ? full(from) : 0;
}

static void update_analog(wpin_session *run, wpin_session_input *to, const wpin_rig_input *from) {
    int16_t millivolts = run->port.millivolts(run->port.context, (uint8_t)from->analog);
    wpin_moment now = run->port.now(run->port.context);
    switch (from->kind) {
    case WPIN_RIG_KNOB: to->duty = wpin_knob_update(&to->knob, millivolts); break;
    case WPIN_RIG_TWO_POINT: to->duty = two_points(run, to, from, millivolts, now); break;
    case WPIN_RIG_PROCESS: to->duty = wpin_process_update(&to->process, millivolts, now); break;
    default: to->duty = wpin_curve_update(&to->curve, millivolts);
    }
}

static void update_one(wpin_session *run, wpin_session_input *to, const wpin_rig_input *from) {
    if (from->kind <= WPIN_RIG_LIMIT) {
        bool level = run->port.read(run->port.context, (wpin_pin)from->pin);
        wpin_button_update(&to->button, level, run->port.now(run->port.context));
        if (to->button.stuck && !to->told) {
            wpin_session_note(run, from->name,
                              "has been held for %.3g s: stuck, it no longer counts", from->stuck);
        }
        to->told = to->button.stuck;
        to->duty = to->button.held && !to->button.stuck ? full(from) : 0;
        return;
    }
    if (from->kind == WPIN_RIG_PAIR) {
        update_pair(run, to, from);
        return;
    }
    update_analog(run, to, from);
}

void wpin_session_update_inputs(wpin_session *run) {
    for (size_t i = 0; i < run->rig->input_count; i++) {
        wpin_session_input *input = &run->inputs[i];
        update_one(run, input, &run->rig->inputs[i]);
        input->waits = input->waits && input->duty != 0;
    }
}

bool wpin_session_input_held(void *context, uint16_t number) {
    const wpin_session *run = context;
    const wpin_button *button = &run->inputs[number].button;
    bool limit = run->rig->inputs[number].kind == WPIN_RIG_LIMIT;
    return limit ? button->raw : button->held && !button->stuck;
}

wpin_duty wpin_session_input_duty(void *context, uint16_t number) {
    const wpin_session_input *input = &((const wpin_session *)context)->inputs[number];
    return input->waits ? 0 : input->duty;
}

/* What a hand moves has to be at zero once; a sensor is where it is. */
void wpin_session_rearm_input(void *context, uint16_t number) {
    wpin_session *run = context;
    wpin_rig_input_kind kind = run->rig->inputs[number].kind;
    run->inputs[number].waits =
        kind == WPIN_RIG_KNOB || kind == WPIN_RIG_BUTTON || kind == WPIN_RIG_PAIR;
}

wpin_status wpin_session_set_input(void *context, uint16_t number, int16_t millivolts) {
    const wpin_bench *b = &((const wpin_session *)context)->bench;
    bool done = b->set_input != NULL && b->set_input(b->context, number, millivolts * 1e-3);
    return done ? WPIN_OK : WPIN_REFUSED_ARGUMENT;
}
