/* From the rig to the two sides of a run: what the core is told, and the board that is there. */
#define _GNU_SOURCE
#include "windpin/rehearsal.h"
#include <math.h>
#include <string.h>
#include <strings.h>

static uint32_t to_us(double seconds) {
    return (uint32_t)llround(seconds * 1e6);
}

static uint16_t to_duty(double share) {
    return (uint16_t)lround(share * WPIN_DUTY_FULL);
}

static wpin_start_config bind_start(const wpin_rig_limits *limits) {
    return (wpin_start_config){.start_duty = to_duty(limits->start_duty),
                               .drop_out_duty = to_duty(limits->drop_out),
                               .below = (uint8_t)limits->below,
                               .kick_duty = to_duty(limits->kick_level),
                               .kick_us = to_us(limits->kick_time),
                               .smooth = limits->smooth};
}

static wpin_limit bind_limit(const wpin_rig *rig, int input) {
    if (input < 0) {
        return (wpin_limit){0};
    }
    const wpin_rig_input *i = &rig->inputs[input];
    return (wpin_limit){.used = true, .pin = (wpin_pin)i->pin, .high = i->opens};
}

static uint16_t sense_slope(const wpin_rig_load *load) {
    return (uint16_t)lround(load->bridge.sense_volts_per_amp * 1e3);
}

static wpin_sense_config bind_sense(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_sense_config sense = {.limit_forward = bind_limit(rig, load->limits.limit_inputs[0]),
                               .limit_reverse = bind_limit(rig, load->limits.limit_inputs[1])};
    if (load->limits.trip_input >= 0) {
        sense.reads = WPIN_HAS_CURRENT;
        sense.current_input = (uint8_t)load->limits.trip_input;
        sense.current_mv_per_a = sense_slope(load);
    }
    return sense;
}

/* How fast the current limit folds back: a fifth of what is too much a tick, so that it settles
 * though the sense lags, from what full duty would drive through the winding that stands. */
static uint16_t limit_gain(const wpin_rig *rig, const wpin_rig_load *load) {
    double amps = rig->controller.logic_volts / load->bridge.sense_volts_per_amp;
    if (load->what == WPIN_RIG_MOTOR) {
        amps = fmin(amps, rig->supplies[load->supply].volts / load->motor.resistance);
    }
    return (uint16_t)fmax(1, round(0.2 * WPIN_DUTY_FULL / (amps * sense_slope(load))));
}

/* A tick that comes late is a fault; how late depends on the rig's own tick. */
static uint16_t latest_tick(const wpin_rig *rig) {
    return (uint16_t)fmax(WPIN_TICK_MAX_US, fmin(3 * to_us(rig->controller.tick), UINT16_MAX));
}

static wpin_guard_config bind_guard(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    wpin_guard_config guard = {.cap = to_duty(l->duty_max),
                               .up = WPIN_SLEW_US(to_us(l->ramp_up)),
                               .down = WPIN_SLEW_US(to_us(l->ramp_down)),
                               .pause_us = to_us(l->rest),
                               .minimum_us = to_us(l->least_time),
                               .on_time_max_us = to_us(l->most_on),
                               .tick_max_us = latest_tick(rig)};
    if (l->trip_input >= 0) {
        guard.current_trip = WPIN_CURRENT_MV(llround(l->trip_amps * 1e3), sense_slope(load));
        guard.trip_us = to_us(l->trip_time);
        if (l->limit_amps > 0) {
            guard.current_limit = WPIN_CURRENT_MV(llround(l->limit_amps * 1e3), sense_slope(load));
            guard.limit_gain = limit_gain(rig, load);
        }
    }
    return guard;
}

static wpin_stepper_config bind_stepper(const wpin_rig_load *load, const wpin_stage_config *stage) {
    const wpin_rig_stepping *s = &load->stepping;
    return (wpin_stepper_config){.stage = stage,
                                 .steps_per_rev = (uint16_t)lround(load->stepper.steps_per_rev),
                                 .half_steps = s->half_steps,
                                 .release = s->release,
                                 .start_rate = (uint16_t)lround(s->start_rate),
                                 .top_rate = (uint16_t)lround(s->top_rate),
                                 .acceleration = (uint32_t)llround(s->acceleration)};
}

void wpin_bind_load(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    memset(bound, 0, sizeof *bound);
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        bound->lines[i] = (wpin_line){.pin = load->pins[i], .inverted = load->inverted[i]};
    }
    const wpin_rig_limits *l = &load->limits;
    uint32_t hz = (uint32_t)llround(l->pwm_hz);
    bound->stage =
        (wpin_stage_config){.table = load->kind->table,
                            .lines = bound->lines,
                            .pwm_hz = hz,
                            .pulse_neutral = WPIN_PULSE_SHARE(lround(l->pulse_zero * 1e6), hz),
                            .pulse_swing = WPIN_PULSE_SHARE(lround(l->pulse_swing * 1e6), hz),
                            .dead_time_us = (uint16_t)ceil(l->dead_time * 1e6 - 1e-6),
                            .reversed = load->reversed,
                            .achieved = &bound->achieved};
    bool coasts = wpin_stage_kind_has(load->kind, WPIN_DRIVE_COAST);
    bound->motor =
        (wpin_motor_config){WPIN_ON_STAGE(&bound->stage_at_work, &bound->stage),
                            .guard = bind_guard(rig, load),
                            .sense = bind_sense(rig, load),
                            .start = bind_start(l),
                            .rest_drive = load->rest_brakes ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST,
                            .safe_drive = coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE};
    if (load->what == WPIN_RIG_STEPPER) {
        bound->stage.pwm_hz = 0;
        bound->stepper = bind_stepper(load, &bound->stage);
        bound->motor.actuator = &wpin_stepper_actuator;
        bound->motor.part = &bound->stepper_at_work;
        bound->motor.part_config = &bound->stepper;
        bound->motor.rest_drive = WPIN_DRIVE_BRAKE; /* it holds, or lets go by itself */
    }
}

void wpin_bind_input(wpin_bound_input *bound, const wpin_rig *rig, const wpin_rig_input *input) {
    bool pair = input->kind == WPIN_RIG_PAIR;
    const wpin_rig_input *button = pair ? &rig->inputs[input->pair[0]] : input;
    *bound =
        (wpin_bound_input){.button = {.debounce_us = to_us(button->debounce),
                                      .stuck_us = to_us(input->stuck),
                                      .active_low = !button->opens},
                           .knob = {.low_mv = 0,
                                    .high_mv = (int16_t)lround(rig->controller.logic_volts * 1e3),
                                    .dead = to_duty(input->dead),
                                    .hysteresis = to_duty(input->hysteresis),
                                    .filter = 3,
                                    .centre = input->centre},
                           .curve = {.points = input->points,
                                     .count = input->point_count,
                                     .hysteresis_mv = (uint16_t)lround(input->play * 1e3)}};
}

void wpin_bind_shared(wpin_bound_load *bound, const wpin_rig *rig) {
    for (size_t i = 0; i < rig->load_count; i++) {
        for (unsigned l = 0; l < rig->loads[i].kind->table->line_count; l++) {
            wpin_rig_sharing with = wpin_rig_shares(rig, i, l);
            if (with.count > 1) {
                bound[i].lines[l].shared = &bound[with.load].shared[with.line];
                bound[i].lines[l].user = with.user;
            }
        }
    }
}

/* Puts what hangs on the stage on its driver. */
static bool hang(wpin_sim *sim, const wpin_rig_load *load, int driver) {
    wpin_sim_motor motor = load->motor;
    wpin_sim_lamp lamp = load->lamp;
    wpin_sim_solenoid solenoid = load->solenoid;
    wpin_sim_stepper stepper = load->stepper;
    if (load->reversed) { /* what is high for the machine is low for a mirrored motor */
        motor.stop_low = -load->motor.stop_high;
        motor.stop_high = -load->motor.stop_low;
        motor.start_turns = -load->motor.start_turns;
    }
    motor.name = lamp.name = solenoid.name = stepper.name = load->name;
    switch (load->what) {
    case WPIN_RIG_LAMP: return wpin_sim_add_lamp(sim, &lamp, driver) >= 0;
    case WPIN_RIG_SOLENOID: return wpin_sim_add_solenoid(sim, &solenoid, driver) >= 0;
    case WPIN_RIG_STEPPER: return wpin_sim_add_stepper(sim, &stepper, driver) >= 0;
    default: return wpin_sim_add_motor(sim, &motor, driver) >= 0;
    }
}

/* What stands in the way of a driver: a jumper, a missing ground, inputs that hang in the air. */
static void build_flaws(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load, int number) {
    const char *ground = rig->supplies[load->supply].ground;
    wpin_sim_inject(sim, WPIN_SIM_FAULT_NO_GROUND, number, 0,
                    strcmp(ground, rig->controller.ground) != 0);
    for (unsigned i = 0; load->limits.no_pull && i < load->kind->table->line_count; i++) {
        wpin_sim_inject(sim, WPIN_SIM_FAULT_PIN_FLOATING, number, load->kind->inputs[i], true);
    }
}

static bool statics_met(const wpin_rig_load *load) {
    for (size_t i = 0; i < load->static_count; i++) {
        if (strcasecmp(load->statics[i].needs, load->statics[i].is) != 0) {
            return false;
        }
    }
    return true;
}

static bool build_load(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_sim_bridge bridge = load->bridge;
    char name[WPIN_NAME_MAX + 8];
    strcat(strcpy(name, load->name), " driver");
    bridge.name = name;
    bridge.logic = load->kind->logic;
    bridge.not_ready = !statics_met(load);
    int number = wpin_sim_add_bridge(sim, &bridge, (int)load->supply);
    if (number < 0 || !hang(sim, load, number)) {
        return false;
    }
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        wpin_sim_wire_input(sim, number, load->kind->inputs[i], load->wires[i]);
        if (load->inverts[i]) {
            wpin_sim_invert_input(sim, number, load->kind->inputs[i]);
        }
    }
    build_flaws(sim, rig, load, number);
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

static bool build_supply(wpin_sim *sim, const wpin_rig_supply *s) {
    if (s->from >= 0) {
        return wpin_sim_add_regulator(sim,
                                      &(wpin_sim_regulator){.name = s->name,
                                                            .from = s->from,
                                                            .volts = s->volts,
                                                            .resistance = s->resistance,
                                                            .headroom = s->headroom,
                                                            .least_input = s->least_input,
                                                            .switching = s->switching,
                                                            .efficiency = s->efficiency,
                                                            .limit_amps = s->limit_amps,
                                                            .heat_resistance = s->heat.resistance,
                                                            .heat_time = s->heat.time}) >= 0;
    }
    return wpin_sim_add_supply(sim, &(wpin_sim_supply){.name = s->name,
                                                       .volts = s->volts,
                                                       .resistance = s->resistance,
                                                       .limit_amps = s->limit_amps,
                                                       .capacitance = s->capacitance,
                                                       .reversed = s->reversed,
                                                       .droops = s->droops,
                                                       .capacity = s->capacity,
                                                       .empty_volts = s->empty_volts,
                                                       .on = s->on}) >= 0;
}

static bool build_input(wpin_sim *sim, const wpin_rig *rig, const wpin_rig_input *i) {
    bool mirrored = i->kind == WPIN_RIG_LIMIT && rig->loads[i->load].reversed;
    switch (i->kind) {
    case WPIN_RIG_LIMIT:
        return wpin_sim_wire_limit(sim, (wpin_pin)i->pin, i->load, mirrored ? -i->to : i->from,
                                   mirrored ? -i->from : i->to, i->opens);
    case WPIN_RIG_KNOB:
        return wpin_sim_wire_knob(sim, (uint8_t)i->analog, i->noise) &&
               wpin_sim_turn(sim, (uint8_t)i->analog,
                             i->centre && i->volts <= 0
                                 ? 0.5
                                 : fmin(i->volts / rig->controller.logic_volts, 1));
    case WPIN_RIG_SENSOR: return wpin_sim_wire_sensor(sim, (uint8_t)i->analog, i->volts, i->noise);
    default:
        return wpin_sim_wire_button(sim, (wpin_pin)i->pin, i->bounce) &&
               (!i->opens || wpin_sim_button_opens(sim, (wpin_pin)i->pin));
    }
}

wpin_sim *wpin_board_build(const wpin_rig *rig) {
    wpin_sim_controller controller = wpin_rig_controller_part(rig);
    wpin_sim *sim = wpin_sim_new(&controller);
    bool built = sim != NULL;
    for (size_t i = 0; built && i < rig->supply_count; i++) {
        built = build_supply(sim, &rig->supplies[i]);
    }
    for (size_t i = 0; built && i < rig->load_count; i++) {
        built = build_load(sim, rig, &rig->loads[i]);
    }
    for (size_t i = 0; built && i < rig->input_count; i++) {
        built = build_input(sim, rig, &rig->inputs[i]);
    }
    for (unsigned pin = 0; built && rig->controller.timers_given && pin < 256; pin++) {
        if (!rig->controller.timer[pin]) {
            wpin_sim_no_timer(sim, (wpin_pin)pin);
        }
    }
    if (built && rig->controller.supply >= 0) {
        built = wpin_sim_feed_controller(sim, rig->controller.supply, rig->controller.draws,
                                         rig->controller.least_volts);
    }
    if (!built) {
        wpin_sim_free(sim);
        return NULL;
    }
    return sim;
}
