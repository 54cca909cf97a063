/* From the rig to what the core is told. */
#include "bind_parts.h"
#include "core_units.h"
#include <math.h>
#include <string.h>

static wpin_start_config bind_start(const wpin_rig_limits *limits) {
    return (wpin_start_config){.start_duty = to_duty(limits->start_duty),
                               .drop_out_duty = to_duty(limits->drop_out),
                               .below = (uint8_t)limits->below,
                               .kick_duty = to_duty(limits->kick_level),
                               .kick_us = to_us(limits->kick_time),
                               .smooth = limits->smooth};
}

void wpin_bind_start(wpin_bound_load *bound, const wpin_rig_load *load, bool gently) {
    wpin_start_config gentle = {.smooth = load->limits.smooth};
    bound->motor.start = gently ? gentle : bind_start(&load->limits);
}

static wpin_limit bind_limit(const wpin_rig *rig, int input) {
    if (input < 0) {
        return (wpin_limit){0};
    }
    const wpin_rig_input *i = &rig->inputs[input];
    return (wpin_limit){.used = true, .pin = (wpin_pin)i->pin, .high = i->opens};
}

/* mV for each ampere. */
static double sense_slope(const wpin_rig_load *load) {
    return load->bridge.sense_volts_per_amp * 1e3;
}

static int16_t sensed_mv(const wpin_rig_load *load, double amps) {
    return (int16_t)lround(fmin(amps * sense_slope(load), INT16_MAX));
}

static wpin_sense_config bind_sense(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_sense_config sense = {.limit_forward = bind_limit(rig, load->limits.limit_inputs[0]),
                               .limit_reverse = bind_limit(rig, load->limits.limit_inputs[1])};
    if (load->limits.trip_input >= 0) {
        sense.reads = WPIN_HAS_CURRENT;
        sense.current_input = (uint8_t)load->limits.trip_input;
        sense.current_mv_per_a = (uint16_t)lround(sense_slope(load));
        sense.current_zero_mv = (int16_t)lround(load->bridge.sense_zero * 1e3);
    }
    return sense;
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
                               .cool_s = (uint16_t)ceil(l->cool_down),
                               .tick_max_us = latest_tick(rig)};
    if (l->trip_input >= 0) {
        guard.current_trip = sensed_mv(load, l->trip_amps);
        guard.trip_us = to_us(l->trip_time);
        if (l->limit_amps > 0) {
            guard.current_limit = sensed_mv(load, l->limit_amps);
            double mv_per_duty = wpin_rig_limit_gain(rig, load) * WPIN_DUTY_FULL;
            guard.limit_gain =
                (uint16_t)fmin(fmax(1, round(mv_per_duty / sense_slope(load))), UINT16_MAX);
        }
    }
    return guard;
}

static wpin_stepper_config bind_stepper(const wpin_rig_load *load, const wpin_stage_config *stage) {
    const wpin_rig_stepping *s = &load->stepping;
    return (wpin_stepper_config){.stage = stage,
                                 .steps_per_rev = (uint16_t)lround(load->stepper.steps_per_rev),
                                 .half_steps = s->half_steps,
                                 .release = s->at_end == WPIN_STEP_RELEASE && s->release_after <= 0,
                                 .reduce = s->at_end == WPIN_STEP_REDUCE,
                                 .reduce_after_us = (uint32_t)lround(s->reduce_after * 1e6),
                                 .duty = (uint16_t)to_duty(s->duty),
                                 .rest_duty = (uint16_t)to_duty(s->rest_duty),
                                 .release_after_us = (uint32_t)lround(s->release_after * 1e6),
                                 .start_rate = (uint16_t)lround(s->start_rate),
                                 .top_rate = (uint16_t)lround(s->top_rate),
                                 .acceleration = (uint32_t)llround(s->acceleration)};
}

/* Gains of 15 bits. */
static uint16_t to_gain(double value) {
    return (uint16_t)lround(fmin(fmax(value, 0), 32767));
}

static uint8_t counter_of(const wpin_rig *rig, const wpin_rig_load *load) {
    uint8_t counter = 0;
    for (const wpin_rig_load *l = rig->loads; l < load; l++) {
        counter = (uint8_t)(counter + (wpin_rig_counts_here(l) ? 1 : 0));
    }
    return counter;
}

/* As the encoder was bound. */
static void bind_counting(wpin_bound_load *bound, uint8_t smooth) {
    const wpin_encoder_config *e = &bound->encoder;
    bound->counting = (wpin_counting_config){.counter = e->counter,
                                             .reversed = e->reversed,
                                             .one_channel = e->one_channel,
                                             .smooth = smooth};
    bound->counting.per_count = (uint32_t)llround(16384e6 / e->full_hz);
    bound->counting.most = (uint16_t)(e->full_hz * 32768ULL / 1000000U);
}

static void bind_encoder(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    bound->encoder =
        (wpin_encoder_config){.counter = counter_of(rig, load),
                              .reversed = load->encoder.reversed != load->reversed,
                              .one_channel = load->encoder.one_channel,
                              .no_moments = load->encoder.no_moments,
                              .full_hz = wpin_bind_full_hz(rig, load),
                              .window_us = (uint16_t)to_us(wpin_rig_encoder_window(rig, load))};
    bound->encoder.kinds = wpin_rig_counts_sectors(load) ? 3 : 0;
    if (load->encoder.by_hall) {
        bound->encoder.quadrature = load->vector.there ? &bound->vector_at_work.rotor.counts
                                                       : &bound->six_step_at_work.counts;
    } else if (load->encoder.by_crossings) {
        bound->encoder.quadrature = &bound->sensorless_at_work.counts;
    }
    wpin_sense_config *sense = &bound->motor.sense;
    sense->reads |= WPIN_HAS_SPEED;
    int smooth = wpin_rig_counting_smooth(rig, load);
    if (smooth >= 0) {
        bind_counting(bound, (uint8_t)smooth);
        sense->more = wpin_counting_measure;
        sense->place = wpin_counting_set_position;
        sense->context = &bound->counting_at_work;
    } else {
        sense->more = wpin_encoder_measure;
        sense->place = wpin_encoder_set_position;
        sense->context = &bound->encoder_at_work;
    }
    if (wpin_rig_sees_rest(load)) {
        bound->motor.guard.reversal = WPIN_REVERSAL_STANDSTILL;
        bound->motor.guard.standstill = wpin_bind_still_speed(rig, load);
    }
}

static void bind_overload(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    uint32_t mv = (uint32_t)lround(l->overload_amps * sense_slope(load));
    uint32_t ms = (uint32_t)lround(l->overload_time * 1e3);
    bound->overload = (wpin_overload_config){.share = WPIN_OVERLOAD_SHARE(mv),
                                             .decay = WPIN_OVERLOAD_DECAY(ms),
                                             .at_first = (uint8_t)lround(l->overload_first * 100)};
    wpin_bind_watch(bound, (wpin_protection)WPIN_OVERLOAD_PROTECTION(&bound->overload_at_work,
                                                                     &bound->overload));
}

/* From where on braking gives way to the supply it drives up, mV at its input; 0: nowhere. */
static int16_t gives_way_mv(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_supply_sense *sense = &rig->supplies[load->supply].sense;
    const wpin_rig_vector *v = &load->vector;
    bool own = v->there && v->give_up > 0;
    return (int16_t)lround(
        1e3 * (own ? v->give_way * v->supply_ratio : sense->give_way * sense->divider));
}

/* What a shaft that is regulated must do. One whose speed is not asked for may be turned back for a
 * while, and go as fast as it likes. */
static void bind_motion(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_speed *s = &load->speed;
    double breakaway = wpin_rig_duty_at(rig, load, wpin_rig_loose_amps(load), 0);
    double stall_time = s->there ? s->stall_time : 0.5, wrong = s->there ? 0.1 : stall_time;
    bound->motion = (wpin_motion_config){.still = wpin_bind_still_speed(rig, load),
                                         .least_effort = to_duty(fmin(breakaway + 0.02, 1)),
                                         .still_ms = (uint16_t)lround(stall_time * 1e3),
                                         .wrong_ms = (uint16_t)lround(wrong * 1e3)};
    if (s->there) {
        bound->motion.over_speed = WPIN_DUTY_FULL;
        bound->motion.off_by = WPIN_DUTY_FULL / 10;
        bound->motion.off_ms = (uint16_t)lround(s->follow_time * 1e3);
        bound->motion.gives_way_mv = gives_way_mv(rig, load);
    }
    if (load->limits.trip_input >= 0) {
        /* at the slowest that so little current tells of, some counts must have come */
        double counts = 3.0 / 8 * fmin(breakaway + 0.02, 1) * wpin_bind_full_hz(rig, load);
        bound->motion.lost_ms =
            (uint16_t)fmin(fmax(4e3 / fmax(counts, 1), 100), bound->motion.still_ms);
        double amps = wpin_rig_mean_amps(rig, load, 1, 0), near = 0.02;
        double slope = (amps - wpin_rig_mean_amps(rig, load, 1 - near, 0)) / near; /* below it */
        bound->motion.stall_mv = (uint16_t)fmin(slope * sense_slope(load), UINT16_MAX);
        bound->motion.stall_from = to_duty(fmin(fmax(1 - amps / fmax(slope, 1e-9), 0), 1));
    }
    wpin_bind_watch(
        bound, (wpin_protection)WPIN_MOTION_PROTECTION(&bound->motion_at_work, &bound->motion));
}

/* Up to which age a speed is corrected in full. One counted in windows is never younger than those:
 * it must be fresh whether it was older or younger before, which ends at three quarters. */
static double fresh(const wpin_rig *rig, const wpin_rig_load *load, double delay) {
    double tick = rig->controller.tick, twice = 2 * fmax(delay, tick);
    if (wpin_rig_counting_smooth(rig, load) >= 0) {
        return 0; /* as old at any speed */
    }
    double window = load->encoder.no_moments ? wpin_rig_encoder_window(rig, load) + 2 * tick : 0;
    return fmax(twice, window / 0.72);
}

/* Half of how it runs down at half of its speed is what its regulator takes for coasting; 0: its
 * stage slows it. */
static uint16_t coasts(const wpin_rig *rig, const wpin_rig_load *load) {
    double full = wpin_part_shaft_speed(&load->motor, load->speed.maximum);
    double slows = wpin_rig_coasts(load, full / 2) / 2;
    double falls = slows / full * WPIN_DUTY_FULL * 1024 * rig->controller.tick;
    return slows > 0 ? (uint16_t)fmin(fmax(falls, 1), UINT16_MAX) : 0;
}

/* Of its PWM; 0 where its slew would not follow from one step to the next. */
static uint16_t timer_step(const wpin_rig *rig, const wpin_rig_load *load, double slew) {
    double step = WPIN_DUTY_FULL / wpin_rig_pwm_steps(rig, load);
    bool follows = WPIN_DUTY_FULL * rig->controller.tick / slew > 2 * step;
    return follows ? to_gain(step) : 0;
}

/* What its speed loop may do to the effort: all of it in a fifth of the time it responds in. */
static void bind_speed(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_speed *s = &load->speed;
    wpin_speed_design d = wpin_rig_speed_design(rig, load);
    bound->speed = (wpin_speed_config){
        .feed = to_gain(d.feed * WPIN_DUTY_FULL),
        .friction = to_gain(d.friction * WPIN_DUTY_FULL),
        .breakaway = to_gain(d.breakaway * 1.2 * WPIN_DUTY_FULL), /* more than holds it */
        .climb = to_gain(fmax(1, d.breakaway * 1.2 * WPIN_DUTY_FULL * rig->controller.tick / 0.2)),
        .inertia = to_gain(d.inertia / rig->controller.tick),
        .gain = to_gain(d.gain * 256),
        .integral = to_gain(fmax(1, d.gain * rig->controller.tick / d.integral_time * 65536)),
        .fresh_us = (uint16_t)fmin(1e6 * fresh(rig, load, d.delay), UINT16_MAX),
        .coasts = coasts(rig, load),
        .timer_step = timer_step(rig, load, d.slew)};
    bound->regulators[0] =
        (wpin_regulator)WPIN_SPEED_REGULATOR(&bound->speed_at_work, &bound->speed);
    wpin_bind_loop(bound);
    bound->motor.regulators = bound->regulators;
    bound->motor.regulator_count = 1;
    int smooth = wpin_rig_counting_smooth(rig, load);
    double grain = 0; /* a count more or less in what it is measured over */
    if (smooth >= 0) {
        grain = 1.5e6 / ldexp(bound->encoder.full_hz, 14 + 2 * smooth);
    } else if (load->encoder.no_moments) {
        grain = 1.5e6 / ((double)bound->encoder.window_us * bound->encoder.full_hz);
    }
    bound->motor.at_speed = wpin_bind_speed(load, fmax(s->within, grain) * s->maximum);
    bound->motor.guard.regulated = WPIN_SLEW_US(to_us(d.slew));
}

static void bind_current(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_current_design d = wpin_rig_current_design(rig, load);
    double mv = sense_slope(load), rated_mv = load->current.rated * mv;
    double gain = d.gain * WPIN_DUTY_FULL / mv;
    bound->torque = (wpin_torque_config){
        .full_mv = (uint16_t)fmin(round(rated_mv), INT16_MAX),
        .within_mv = (uint16_t)fmin(fmax(round(rated_mv * load->current.within), 1), INT16_MAX),
        .feed = to_gain(d.feed * WPIN_DUTY_FULL),
        .emf = to_gain(d.emf * WPIN_DUTY_FULL),
        .gain = to_gain(gain * 256),
        .integral = to_gain(fmax(1, gain * rig->controller.tick / d.integral_time * 4096))};
    bound->regulators[bound->motor.regulator_count++] =
        (wpin_regulator)WPIN_TORQUE_REGULATOR(&bound->torque_at_work, &bound->torque);
    wpin_bind_loop(bound);
    bound->motor.regulators = bound->regulators;
    wpin_slew slew = WPIN_SLEW_US(to_us(d.slew)), *regulated = &bound->motor.guard.regulated;
    *regulated = slew > *regulated ? slew : *regulated;
}

/* The power of two next to so many ticks: shifts need no division. */
static uint8_t bend_of(double ticks) {
    return (uint8_t)fmin(fmax(round(log2(fmax(ticks, 1))), 1), 12);
}

/* Its acceleration comes and goes evenly. */
static void bend(wpin_position_config *c, const wpin_rig_move *move, double up, double tick) {
    double down = up * move->down / move->up; /* speed a tick, as the other */
    c->bend = bend_of(move->bend / tick);
    c->rise = (uint16_t)fmin(fmax(round(256 * up), 1), UINT16_MAX);
    c->fall = (uint16_t)fmin(fmax(round(256 * down), 1), UINT16_MAX);
    c->square = (uint32_t)fmin(round(ldexp(1, c->bend + 14) / c->fall), 1 << 17);
}

/* Near its place a quarter of what its speed loop could follow. */
static void bind_position(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_speed_design d = wpin_rig_speed_design(rig, load);
    wpin_rig_move move = wpin_rig_move_of(load);
    double counts = wpin_rig_counts_at_output(load), full = bound->encoder.full_hz;
    double scale = WPIN_DUTY_FULL / full; /* speed for a count a second */
    double braking = move.down * counts;  /* counts a second in a second */
    double brake = 16 * sqrt(2 * braking) * scale, gain = 1 / (2.5 * (d.response + d.delay));
    double tick = rig->controller.tick, up = move.up * counts * scale * tick;
    bound->position = (wpin_position_config){
        .most = wpin_bind_speed(load, move.top * 60),
        .brake = (uint16_t)fmin(fmax(round(brake), 1), UINT16_MAX),
        .gain = (uint16_t)fmin(fmax(round(256 * scale * gain), 1), UINT16_MAX),
        .blend = (uint16_t)fmin(round(braking / (2 * gain * gain)), UINT16_MAX / 2),
        .up = (uint16_t)fmin(fmax(round(up), 1), WPIN_DUTY_FULL)};
    if (move.bend > 0) {
        bend(&bound->position, &move, up, tick);
        bound->position.near = (uint16_t)fmin(round(1 / (2 * gain * tick)), UINT16_MAX);
        bound->position.lead = (uint16_t)fmin(round(0x1p22 * tick / scale), UINT16_MAX);
    }
    bound->regulators[bound->motor.regulator_count++] =
        (wpin_regulator)WPIN_POSITION_REGULATOR(&bound->position_at_work, &bound->position);
    wpin_bind_places(bound, load);
}

static wpin_stage_config bind_stage(wpin_bound_load *bound, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    uint32_t hz = (uint32_t)llround(l->pwm_hz);
    return (wpin_stage_config){.table = load->kind->table,
                               .lines = bound->lines,
                               .pwm_hz = hz,
                               .pulse_neutral = WPIN_PULSE_SHARE(lround(l->pulse_zero * 1e6), hz),
                               .pulse_swing = WPIN_PULSE_SHARE(lround(l->pulse_swing * 1e6), hz),
                               .dead_time_us = (uint16_t)ceil(l->dead_time * 1e6 - 1e-6),
                               .charge = l->charge > 0 ? wpin_stage_charge : NULL,
                               .charge_us = (uint16_t)lround(l->charge * 1e6),
                               .reversed = load->reversed,
                               .achieved = &bound->achieved};
}

/* What drives it in place of the stage alone. */
static void bind_actuator(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    if (wpin_rig_type(load)->steps) {
        bound->stepper = bind_stepper(load, &bound->stage);
        bound->motor.actuator = &wpin_stepper_actuator;
        bound->motor.part = &bound->stepper_at_work;
        bound->motor.part_config = &bound->stepper;
        bound->motor.rest_drive = WPIN_DRIVE_BRAKE; /* it holds, or lets go by itself */
    }
    if (load->hall.there) {
        wpin_bind_six_step(bound, load);
    }
    if (load->crossing.there) {
        wpin_bind_sensorless(bound, rig, load);
    }
    if (load->axis.there) {
        wpin_bind_axis(bound, rig, load);
    }
}

void wpin_bind_load(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    memset(bound, 0, sizeof *bound);
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        bound->lines[i] = (wpin_line){.pin = load->pins[i], .inverted = load->inverted[i]};
    }
    bound->stage = bind_stage(bound, load);
    bool coasts = wpin_stage_kind_has(load->kind, WPIN_DRIVE_COAST);
    bound->motor =
        (wpin_motor_config){WPIN_ON_STAGE(&bound->stage_at_work, &bound->stage),
                            .guard = bind_guard(rig, load),
                            .sense = bind_sense(rig, load),
                            .start = bind_start(&load->limits),
                            .rest_drive = load->rest_brakes ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST,
                            .safe_drive = coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE};
    bind_actuator(bound, rig, load);
    if (load->axis.there) {
        return; /* it measures and regulates by itself */
    }
    if (load->encoder.there) {
        bind_encoder(bound, rig, load);
    }
    wpin_bind_zero(bound, load); /* in front of the encoder */
    if (load->vector.there) {
        wpin_bind_vector(bound, rig, load);
    }
    if (wpin_bind_watches_motion(load)) {
        bind_motion(bound, rig, load); /* first: the others add to it */
    }
    if (load->speed.there) {
        bind_speed(bound, rig, load);
    }
    if (load->speed.there && wpin_rig_knows_place(load)) {
        bind_position(bound, rig, load);
    }
    if (load->current.there && !load->vector.there) { /* it regulates that itself */
        bind_current(bound, rig, load);
    } else if (load->current.there) {
        wpin_bind_loop(bound);
    }
    if (load->limits.overload_amps > 0) {
        bind_overload(bound, load);
    }
    if (load->thermistor.there) {
        wpin_bind_thermistor(bound, rig, load);
    }
    if (rig->supplies[load->supply].sense.there) {
        wpin_bind_supply(bound, rig, load); /* its regulators are all there */
    }
    bool rows = wpin_stage_kind_is_three_phase(load->kind) && !load->vector.there;
    if (rows && load->limits.trip_input >= 0) {
        wpin_bind_phase_watch(bound, rig, load);
    }
}

wpin_status wpin_bound_open(wpin_bound_load *bound, wpin_motor *motor, const wpin_port *port) {
    const bool learns = bound->motor.sense.more == wpin_zero_measure;
    const void *sensor = learns ? bound->zero.context : bound->motor.sense.context;
    wpin_status status = WPIN_OK;
    if (sensor == &bound->encoder_at_work) {
        status = wpin_encoder_init(&bound->encoder_at_work, &bound->encoder, port);
    } else if (sensor == &bound->counting_at_work) {
        status = wpin_counting_init(&bound->counting_at_work, &bound->counting, port);
    }
    if (status == WPIN_OK && bound->temperature.most_mv != 0) { /* it has a thermistor */
        status = wpin_temperature_init(&bound->temperature_at_work, &bound->temperature, port);
    }
    return status == WPIN_OK ? wpin_motor_init(motor, &bound->motor, port) : status;
}

void wpin_bound_edge(void *bound) {
    wpin_bound_load *b = bound;
    bool turned = b->motor.actuator == &wpin_vector_actuator;
    wpin_six_step_edge(turned ? &b->vector_at_work.rotor : &b->six_step_at_work);
}

void wpin_bound_look(void *bound) {
    wpin_six_step_look(&((wpin_bound_load *)bound)->six_step_at_work);
}

void wpin_bound_period(void *bound) {
    wpin_vector_period(&((wpin_bound_load *)bound)->vector_at_work);
}

void wpin_bound_sample(void *bound) {
    wpin_sensorless_sample(&((wpin_bound_load *)bound)->sensorless_at_work);
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

uint8_t wpin_bind_soft_pins(const wpin_rig *rig, wpin_pin pins[WPIN_SOFT_PINS]) {
    uint8_t count = 0;
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_load *load = &rig->loads[i];
        unsigned lines = load->limits.soft_pwm ? load->kind->table->line_count : 0;
        for (unsigned l = 0; l < lines; l++) {
            if (wpin_stage_kind_times_line(load->kind, l) && count < WPIN_SOFT_PINS) {
                pins[count++] = load->pins[l];
            }
        }
    }
    return count;
}
