/* The inputs of a rig, read together once a control period. */
#include "windpin/inputs.h"

/* The kinds of inputs that a program has, a bit each: others are not there, and are refused.
 * windpin export says which a rig needs. */
#ifndef WPIN_INPUT_KINDS
#define WPIN_INPUT_KINDS 0xFFU
#endif
#define HAS(kind) ((WPIN_INPUT_KINDS >> (kind)&1U) != 0)

static bool has_pin(uint8_t kind) {
    return kind <= WPIN_INPUT_PAIR;
}

static wpin_status can_be(const wpin_input_config *c, const wpin_port *port) {
    if (c->kind > WPIN_INPUT_PROCESS || !HAS(c->kind) ||
        c->button == NULL) { /* whichever it is: all are pointers */
        return WPIN_REFUSED_CONFIG;
    }
    bool readable = has_pin(c->kind) ? port->read != NULL : port->millivolts != NULL;
    bool in_range = c->duty >= -WPIN_DUTY_FULL && c->duty <= WPIN_DUTY_FULL;
    return !readable ? WPIN_REFUSED_PORT : (in_range ? WPIN_OK : WPIN_REFUSED_RANGE);
}

static wpin_status open_one(wpin_input *input, const wpin_input_config *c, wpin_moment now) {
    *input = (wpin_input){.duty = 0};
    uint8_t kind = c->kind;
    if (HAS(WPIN_INPUT_PAIR) && kind == WPIN_INPUT_PAIR) {
        return wpin_pair_init(&input->pair, c->button, c->window_us);
    }
    if (HAS(WPIN_INPUT_KNOB) && kind == WPIN_INPUT_KNOB) {
        return wpin_knob_init(&input->knob, c->knob);
    }
    if (HAS(WPIN_INPUT_CURVE) && kind == WPIN_INPUT_CURVE) {
        return wpin_curve_init(&input->curve, c->curve);
    }
    if (HAS(WPIN_INPUT_TWO_POINT) && kind == WPIN_INPUT_TWO_POINT) {
        return wpin_two_point_init(&input->two_point, c->two_point, now);
    }
    if (HAS(WPIN_INPUT_PROCESS) && kind == WPIN_INPUT_PROCESS) {
        return wpin_process_init(&input->process, c->process, now);
    }
    return wpin_button_init(&input->button, c->button);
}

wpin_status wpin_inputs_init(wpin_inputs *inputs, const wpin_inputs_config *config,
                             const wpin_port *port) {
    if (inputs == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    *inputs = (wpin_inputs){0};
    if (config == NULL || port == NULL || port->now == NULL ||
        (config->count > 0 && (config->table == NULL || config->state == NULL))) {
        return WPIN_REFUSED_ARGUMENT;
    }
    wpin_moment now = port->now(port->context);
    for (uint16_t i = 0; i < config->count; i++) {
        wpin_status status = can_be(&config->table[i], port);
        status = status == WPIN_OK ? open_one(&config->state[i], &config->table[i], now) : status;
        if (status != WPIN_OK) {
            return status;
        }
    }
    *inputs = (wpin_inputs){.config = config, .port = port};
    return WPIN_OK;
}

static wpin_duty of_pair(wpin_pair_command command, wpin_duty duty) {
    return command == WPIN_PAIR_FORWARD   ? duty
           : command == WPIN_PAIR_REVERSE ? (wpin_duty)-duty
                                          : (wpin_duty)0;
}

static wpin_duty of_pins(wpin_input *input, const wpin_input_config *c, const wpin_port *port,
                         wpin_moment now) {
    bool level = port->read(port->context, c->at);
    if (HAS(WPIN_INPUT_PAIR) && c->kind == WPIN_INPUT_PAIR) {
        bool other = port->read(port->context, c->other);
        return of_pair(wpin_pair_update(&input->pair, level, other, now), c->duty);
    }
    (void)wpin_button_update(&input->button, level, now);
    input->gave_up = input->button.stuck;
    return input->button.held && !input->button.stuck ? c->duty : (wpin_duty)0;
}

static wpin_duty of_reading(wpin_input *input, const wpin_input_config *c, int16_t millivolts,
                            wpin_moment now) {
    uint8_t kind = c->kind;
    if (HAS(WPIN_INPUT_KNOB) && kind == WPIN_INPUT_KNOB) {
        return wpin_knob_update(&input->knob, millivolts);
    }
    if (HAS(WPIN_INPUT_TWO_POINT) && kind == WPIN_INPUT_TWO_POINT) {
        uint8_t is = wpin_two_point_update(&input->two_point, millivolts, false, now);
        input->gave_up = (is & WPIN_TWO_POINT_EXHAUSTED) != 0;
        return (is & WPIN_TWO_POINT_RUNNING) != 0 ? c->duty : (wpin_duty)0;
    }
    if (HAS(WPIN_INPUT_PROCESS) && kind == WPIN_INPUT_PROCESS) {
        return wpin_process_update(&input->process, millivolts, now);
    }
    return HAS(WPIN_INPUT_CURVE) ? wpin_curve_update(&input->curve, millivolts) : (wpin_duty)0;
}

void wpin_inputs_update(wpin_inputs *inputs) {
    if (inputs == NULL || inputs->config == NULL) {
        return;
    }
    const wpin_port *port = inputs->port;
    wpin_moment now = inputs->config->count > 0 ? port->now(port->context) : 0;
    for (uint16_t i = 0; i < inputs->config->count; i++) {
        const wpin_input_config *c = &inputs->config->table[i];
        wpin_input *input = &inputs->config->state[i];
        input->duty = has_pin(c->kind)
                          ? of_pins(input, c, port, now)
                          : of_reading(input, c, port->millivolts(port->context, c->at), now);
        input->waits = input->waits && input->duty != 0;
    }
}

/* One of them; NULL: there is none. */
static wpin_input *at(const wpin_inputs *inputs, uint16_t number) {
    bool there = inputs != NULL && inputs->config != NULL && number < inputs->config->count;
    return there ? &inputs->config->state[number] : NULL;
}

static uint8_t kind_of(const wpin_inputs *inputs, uint16_t number) {
    return inputs->config->table[number].kind;
}

bool wpin_inputs_held(void *inputs, uint16_t number) {
    const wpin_input *input = at(inputs, number);
    if (input == NULL || kind_of(inputs, number) > WPIN_INPUT_LIMIT) {
        return false;
    }
    const wpin_button *button = &input->button;
    bool limit = kind_of(inputs, number) == WPIN_INPUT_LIMIT;
    return limit ? button->raw : button->held && !button->stuck;
}

wpin_duty wpin_inputs_duty(void *inputs, uint16_t number) {
    const wpin_input *input = at(inputs, number);
    return input == NULL || input->waits ? (wpin_duty)0 : input->duty;
}

void wpin_inputs_rearm(void *inputs, uint16_t number) {
    wpin_input *input = at(inputs, number);
    if (input != NULL) { /* a sensor is where it is */
        uint8_t kind = kind_of(inputs, number);
        input->waits =
            kind == WPIN_INPUT_KNOB || kind == WPIN_INPUT_BUTTON || kind == WPIN_INPUT_PAIR;
    }
}

bool wpin_inputs_gave_up(const wpin_inputs *inputs, uint16_t number) {
    const wpin_input *input = at(inputs, number);
    return input != NULL && input->gave_up;
}
