/* From the inputs of a rig to what the core is told. */
#include "core_units.h"
#include "windpin/host/bind.h"

/* The pins of a pair are those of its buttons, and their debounce time is the first one's. */
static const wpin_rig_input *contact(const wpin_rig *rig, const wpin_rig_input *input, int which) {
    return input->kind == WPIN_RIG_PAIR ? &rig->inputs[input->pair[which]] : input;
}

static void bind_sensor(wpin_bound_input *bound, const wpin_rig_input *input) {
    bound->curve = (wpin_curve_config){.points = input->points,
                                       .count = input->point_count,
                                       .hysteresis_mv = (uint16_t)lround(input->play * 1e3)};
    bound->two_point = (wpin_two_point_config){.on_mv = (int16_t)lround(input->on * 1e3),
                                               .off_mv = (int16_t)lround(input->off * 1e3),
                                               .pause_ms = (uint32_t)lround(input->pause * 1e3),
                                               .most_ms = (uint32_t)lround(input->most * 1e3)};
    bound->process = (wpin_process_config){.wanted_mv = (int16_t)lround(input->wanted * 1e3),
                                           .band_mv = (uint16_t)lround(input->band * 1e3),
                                           .integral_ms = (uint32_t)lround(input->time * 1e3),
                                           .least = (wpin_duty)to_duty(input->least),
                                           .most = (wpin_duty)to_duty(input->duty),
                                           .raises = input->raises};
}

static void point_to_its_kind(wpin_bound_input *bound, wpin_rig_input_kind kind) {
    wpin_input_config *c = &bound->config;
    switch (kind) {
    case WPIN_RIG_KNOB: c->kind = WPIN_INPUT_KNOB, c->knob = &bound->knob; break;
    case WPIN_RIG_SENSOR: c->kind = WPIN_INPUT_CURVE, c->curve = &bound->curve; break;
    case WPIN_RIG_TWO_POINT:
        c->kind = WPIN_INPUT_TWO_POINT, c->two_point = &bound->two_point;
        break;
    case WPIN_RIG_PROCESS: c->kind = WPIN_INPUT_PROCESS, c->process = &bound->process; break;
    case WPIN_RIG_PAIR: c->kind = WPIN_INPUT_PAIR, c->button = &bound->button; break;
    case WPIN_RIG_LIMIT: c->kind = WPIN_INPUT_LIMIT, c->button = &bound->button; break;
    default: c->kind = WPIN_INPUT_BUTTON, c->button = &bound->button;
    }
}

void wpin_bind_input(wpin_bound_input *bound, const wpin_rig *rig, const wpin_rig_input *input) {
    const wpin_rig_input *first = contact(rig, input, 0);
    bool contacts = input->kind <= WPIN_RIG_LIMIT || input->kind == WPIN_RIG_PAIR;
    *bound =
        (wpin_bound_input){.config = {.at = (uint8_t)(contacts ? first->pin : input->analog),
                                      .other = (uint8_t)contact(rig, input, 1)->pin,
                                      .duty = (wpin_duty)lround(input->duty * WPIN_DUTY_FULL),
                                      .window_us = to_us(input->window)},
                           .button = {.debounce_us = to_us(first->debounce),
                                      .stuck_us = to_us(input->stuck),
                                      .active_low = !first->opens},
                           .knob = {.low_mv = 0,
                                    .high_mv = (int16_t)lround(rig->controller.logic_volts * 1e3),
                                    .dead = to_duty(input->dead),
                                    .hysteresis = to_duty(input->hysteresis),
                                    .filter = 3,
                                    .centre = input->centre}};
    bind_sensor(bound, input);
    point_to_its_kind(bound, input->kind);
}
