/* From the rig to the two sides of a run: what the core is told, and the board that is there. */
#include "windpin/rehearsal.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>

static uint32_t to_us(double seconds) {
    return (uint32_t)llround(seconds * 1e6);
}

static wpin_guard_config bind_guard(const wpin_rig_load *load) {
    wpin_guard_config guard = {.current_input = WPIN_NO_INPUT, .supply_input = WPIN_NO_INPUT};
    if (load->limits.trip_input >= 0) {
        guard.current_input = (uint8_t)load->limits.trip_input;
        guard.current_mv_per_a = (uint16_t)lround(load->bridge.sense_volts_per_amp * 1e3);
        guard.current_trip_ma = (uint32_t)llround(load->limits.trip_amps * 1e3);
        guard.current_trip_us = to_us(load->limits.trip_time);
    }
    return guard;
}

static uint16_t to_duty(double share) {
    return (uint16_t)lround(share * WPIN_DUTY_FULL);
}

static wpin_start_config bind_start(const wpin_rig_limits *limits) {
    return (wpin_start_config){.start_duty = to_duty(limits->start_duty),
                               .drop_out_duty = to_duty(limits->drop_out),
                               .below = (wpin_below_start)limits->below,
                               .kick_duty = to_duty(limits->kick_level),
                               .kick_us = to_us(limits->kick_time),
                               .smooth = limits->smooth};
}

void wpin_bind_load(wpin_bound_load *bound, const wpin_rig_load *load) {
    memset(bound, 0, sizeof *bound);
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        bound->lines[i] = (wpin_line){.pin = load->pins[i], .inverted = load->inverted[i]};
    }
    bound->stage =
        (wpin_stage_config){.table = load->kind->table,
                            .lines = bound->lines,
                            .pwm_hz = (uint32_t)llround(load->limits.pwm_hz),
                            .pulse_zero_us = (uint16_t)lround(load->limits.pulse_zero * 1e6),
                            .pulse_swing_us = (uint16_t)lround(load->limits.pulse_swing * 1e6),
                            .dead_time_us = (uint16_t)ceil(load->limits.dead_time * 1e6 - 1e-6),
                            .reversed = load->reversed};
    wpin_state rest = load->rest_brakes ? WPIN_STATE_BRAKE : WPIN_STATE_FREE;
    bool coasts = wpin_stage_kind_has(load->kind, WPIN_STATE_FREE);
    double least = 1e-6; /* on and off know no ramp; the core wants one all the same */
    bound->motor = (wpin_motor_config){.stage = &bound->stage,
                                       .up_us = to_us(fmax(load->limits.ramp_up, least)),
                                       .down_us = to_us(fmax(load->limits.ramp_down, least)),
                                       .rest_us = to_us(load->limits.rest),
                                       .duty_max = to_duty(load->limits.duty_max),
                                       .rest_state = rest,
                                       .safe_state = coasts ? WPIN_STATE_FREE : WPIN_STATE_BRAKE,
                                       .guard = bind_guard(load),
                                       .start = bind_start(&load->limits),
                                       .least_us = to_us(load->limits.least_time)};
}

static bool build_load(wpin_sim *sim, const wpin_rig_load *load) {
    wpin_sim_bridge bridge = load->bridge;
    char name[WPIN_NAME_MAX + 8];
    strcat(strcpy(name, load->name), " driver");
    bridge.name = name;
    bridge.logic = load->kind->logic;
    int number = wpin_sim_add_bridge(sim, &bridge, (int)load->supply);
    wpin_sim_motor motor = load->motor;
    motor.name = load->name;
    if (number < 0 || wpin_sim_add_motor(sim, &motor, number) < 0) {
        return false;
    }
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        wpin_sim_wire_input(sim, number, load->kind->inputs[i], load->wires[i]);
    }
    if (load->limits.trip_input >= 0) {
        wpin_sim_wire_sense(sim, number, (uint8_t)load->limits.trip_input);
    }
    return true;
}

wpin_sim_controller wpin_rig_controller_part(const wpin_rig *rig) {
    const wpin_rig_controller *c = &rig->controller;
    return (wpin_sim_controller){.logic_volts = c->logic_volts,
                                 .pin_resistance = c->pin_resistance,
                                 .pin_burns_above = c->pin_limit,
                                 .timer_hz = c->timer_hz,
                                 .timer_steps_max = (uint32_t)exp2(c->timer_bits) - 1};
}

wpin_sim *wpin_board_build(const wpin_rig *rig) {
    wpin_sim_controller controller = wpin_rig_controller_part(rig);
    wpin_sim *sim = wpin_sim_new(&controller);
    bool built = sim != NULL;
    for (size_t i = 0; built && i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        built = wpin_sim_add_supply(sim, &(wpin_sim_supply){.name = s->name,
                                                            .volts = s->volts,
                                                            .resistance = s->resistance,
                                                            .limit_amps = s->limit_amps,
                                                            .capacitance = s->capacitance,
                                                            .on = s->on}) >= 0;
    }
    for (size_t i = 0; built && i < rig->load_count; i++) {
        built = build_load(sim, &rig->loads[i]);
    }
    for (size_t i = 0; built && i < rig->input_count; i++) {
        built = wpin_sim_wire_button(sim, (wpin_pin)rig->inputs[i].pin, rig->inputs[i].bounce);
    }
    if (!built) {
        wpin_sim_free(sim);
        return NULL;
    }
    return sim;
}
