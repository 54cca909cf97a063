/* From a field-oriented load of the rig to what the core is told. */
#include "bind_parts.h"
#include "core_units.h"
#include <math.h>
#include <string.h>

#define PI     3.14159265358979323846
#define ROOT_3 1.73205080756887729353

static uint16_t figure(double value) {
    return (uint16_t)lround(fmin(fmax(value, 0), 32767));
}

static int16_t millivolts(double value) {
    return (int16_t)lround(fmin(fmax(value, 1), 16383));
}

static void bind_encoder(wpin_vector_config *c, const wpin_bound_load *bound,
                         const wpin_rig_load *load, const wpin_vector_design *d) {
    c->counter = bound->encoder.counter;
    c->counts_back = load->encoder.reversed;
    c->counts_per_turn = (uint16_t)fmin(wpin_rig_counts(load), UINT16_MAX);
    c->pole_pairs = (uint8_t)load->motor.pole_pairs;
    c->align_ms = (uint16_t)lround(d->align * 1e3);
    c->align_mv = millivolts(d->align_amps * load->bridge.sense_volts_per_amp * 1e3);
}

void wpin_bind_vector(wpin_bound_load *bound, const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_vector *v = &load->vector;
    wpin_vector_design d = wpin_rig_vector_design(rig, load);
    double mv = load->bridge.sense_volts_per_amp * 1e3, tip = 2 / ROOT_3 * mv;
    double unit = WPIN_DUTY_FULL / mv, period = 1 / load->limits.pwm_hz;
    double rated = load->current.there ? load->current.rated : d.limit_amps;
    /* counts a second at full speed, as electrical turns */
    double turns = bound->encoder.full_hz * load->motor.pole_pairs / wpin_rig_counts(load);
    double scale = v->supply_ratio * 1e3;
    bound->stage.centred = true;
    wpin_vector_config *c = &bound->vector;
    *c = (wpin_vector_config){
        .stage = &bound->stage,
        .hall = load->hall.there ? &bound->six_step : NULL,
        .zero_mv = millivolts(v->zero * 1e3),
        .least_low = figure(d.least_low * WPIN_DUTY_FULL),
        .full_mv = millivolts(rated * tip),
        .limit_mv = millivolts(d.limit_amps * tip),
        .trip_mv = millivolts(d.trip_amps * mv),
        .gain = figure(d.gain * unit * 256),
        .integral = figure(fmax(1, d.integral * period * unit * 4096)),
        .coupling = figure(d.coupling * unit * 16 * 256 * 2 * PI * 1e6 / 65536),
        .emf = figure(d.emf * WPIN_DUTY_FULL),
        .most = (uint16_t)lround(d.most * WPIN_DUTY_FULL),
        .dead = (int16_t)figure(fmin(d.dead, 0.125) * WPIN_DUTY_FULL),
        .dead_slope = figure(d.dead * WPIN_DUTY_FULL * 256 / fmax(d.limit_amps * tip / 32, 1)),
        .lead_us = (uint16_t)lround(d.lead * 1e6),
        .rate = WPIN_VECTOR_RATE(fmin(turns, 1900)),
        .supply_from = (int16_t)(v->give_up > 0 ? millivolts(v->give_way * scale) : 0),
        .supply_to = (int16_t)(v->give_up > 0 ? millivolts(v->give_up * scale) : 0)};
    memcpy(c->shunts, v->shunts, sizeof c->shunts);
    if (!load->hall.there) {
        bind_encoder(c, bound, load, &d);
    }
    wpin_motor_config *m = &bound->motor;
    m->actuator = &wpin_vector_actuator;
    m->part = &bound->vector_at_work;
    m->part_config = c;
    if (v->give_up > 0) {
        m->sense.reads |= WPIN_HAS_SUPPLY;
        m->sense.supply_input = (uint8_t)v->supply_input;
    }
}
