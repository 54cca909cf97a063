/* Estimates about a load of a rig that more than one room needs. */
#include "windpin/host/rig.h"
#include <math.h>

#define ROOT_3 1.73205080756887729353

bool wpin_rig_single_switch(const wpin_stage_kind *kind) {
    return wpin_logic_of(kind->logic)->one_switch;
}

bool wpin_rig_is_isolated(const wpin_rig_load *load) {
    return load->kind->contacts || load->kind->solid || load->bridge.opto.least_amps > 0;
}

wpin_off_phase wpin_rig_off_phase(const wpin_rig_load *load) {
    bool one_way = load->bridge.saturation_volts > 0;
    return load->bridge.off_phase == WPIN_OFF_SHORT && one_way ? WPIN_OFF_SLOW
                                                               : load->bridge.off_phase;
}

wpin_pwm_loop wpin_rig_pwm_loop(const wpin_rig_load *load, double volts, double ohms, double hz,
                                double speed) {
    const wpin_part_driver *b = &load->bridge;
    bool motor = wpin_rig_type(load)->spins, single = wpin_rig_single_switch(load->kind);
    double back = motor ? load->motor.constant * speed : 0, off = -back;
    wpin_off_phase phase = wpin_rig_off_phase(load);
    bool shorts = !single && b->off_phase == WPIN_OFF_SHORT;
    bool bipolar = shorts && b->saturation_volts > 0;
    if (single || phase == WPIN_OFF_SLOW) {
        off -= b->diode_volts + (single ? 0 : b->saturation_volts);
    } else if (phase == WPIN_OFF_FAST) {
        off -= volts + 2 * b->diode_volts;
    }
    return (wpin_pwm_loop){.on_volts = volts - (single ? 1 : 2) * b->saturation_volts - back,
                           .off_volts = off,
                           .ohms = ohms,
                           .henries = wpin_rig_type(load)->circuit(load).henries,
                           .hz = hz,
                           .both_ways = shorts,
                           .turned_volts =
                               bipolar ? 2 * (b->saturation_volts + b->diode_volts) : 0};
}

/* Of the loop while PWM is low. */
static double off_ohms(const wpin_rig_load *load, double switch_ohms) {
    const wpin_part_driver *b = &load->bridge;
    bool single = wpin_rig_single_switch(load->kind);
    switch (wpin_rig_off_phase(load)) {
    case WPIN_OFF_FAST: return load->motor.resistance + 2 * b->diode_resistance;
    case WPIN_OFF_SHORT: return load->motor.resistance + switch_ohms;
    default: return load->motor.resistance + b->diode_resistance + (single ? 0 : switch_ohms / 2);
    }
}

size_t wpin_rig_source_of(const wpin_rig *rig, size_t supply) {
    while (rig->supplies[supply].from >= 0) {
        supply = (size_t)rig->supplies[supply].from;
    }
    return supply;
}

double wpin_rig_leg_dead_time(const wpin_rig_load *load) {
    return load->kind->table->leg_count > 0 ? load->limits.dead_time : load->bridge.dead_time;
}

double wpin_rig_dead_volts(const wpin_rig_load *load, double volts, bool back) {
    const double share = fmin(wpin_rig_leg_dead_time(load) * load->limits.pwm_hz, 0.5);
    const double diode = load->bridge.diode_volts;
    if (load->kind->table->leg_count == 0) { /* a chip turns each side on later */
        return share * (volts + 2 * diode);
    }
    return 2 * share * (back ? volts + diode : diode); /* its high side keeps its time */
}

/* What dead times take from the duty of a motor that is driven. Field orientation makes up for them
 * as soon as a current flows. */
static double undriven(const wpin_rig_load *load, double volts) {
    if (load->vector.there) {
        return wpin_rig_leg_dead_time(load) * load->limits.pwm_hz;
    }
    return load->bridge.off_phase == WPIN_OFF_SHORT
               ? wpin_rig_dead_volts(load, volts, false) / fmax(volts, 1e-9)
               : 0;
}

double wpin_rig_duty_for(const wpin_rig_load *load, double tip, double mean, double volts,
                         double supply_ohms, double switch_ohms) {
    const wpin_part_driver *b = &load->bridge;
    double ohms = load->motor.resistance + switch_ohms + supply_ohms;
    bool own = wpin_logic_of(load->kind->logic)->own;
    if (own || load->limits.pwm_hz <= 0) { /* no ripple: share of the volts */
        double lost = (wpin_rig_single_switch(load->kind) ? 1 : 2) * b->saturation_volts;
        return fmin((fmax(tip, mean) * ohms + lost) / fmax(volts, 1e-9), 1);
    }
    wpin_pwm_loop loop = wpin_rig_pwm_loop(load, volts, ohms, load->limits.pwm_hz, 0);
    double low = 0, high = 1, off = off_ohms(load, switch_ohms);
    for (int i = 0; i < 40; i++) {
        double duty = (low + high) / 2;
        loop.ohms = duty * ohms + (1 - duty) * off;
        wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, duty);
        *(wave.most < tip || wave.mean < mean ? &low : &high) = duty;
    }
    return fmin(high + undriven(load, volts), 1);
}

double wpin_rig_converter_step(const wpin_rig *rig) {
    double bits = rig->controller.converter_bits;
    return bits > 0 ? rig->controller.logic_volts / exp2(bits) : 0;
}

double wpin_rig_loop_ohms(const wpin_rig *rig, const wpin_rig_load *load) {
    double switches = wpin_rig_single_switch(load->kind) ? 1 : 2;
    return wpin_rig_type(load)->circuit(load).ohms + switches * load->bridge.on_resistance +
           rig->supplies[load->supply].resistance;
}

wpin_pwm_wave wpin_rig_step_wave(const wpin_rig_load *load, double volts, double ohms, bool rests) {
    const wpin_rig_stepping *s = &load->stepping;
    bool reduced = rests && s->at_end == WPIN_STEP_REDUCE && s->rest_duty > 0;
    double hz = wpin_stage_kind_has_pwm(load->kind) ? load->limits.pwm_hz : 0;
    double duty = rests && s->at_end == WPIN_STEP_RELEASE ? 0 : (reduced ? s->rest_duty : s->duty);
    wpin_pwm_loop loop = wpin_rig_pwm_loop(load, volts, ohms, duty > 0 ? hz : 1, 0);
    return wpin_calc_pwm_wave(&loop, duty);
}

double wpin_rig_mean_amps(const wpin_rig *rig, const wpin_rig_load *load, double duty, double w) {
    wpin_pwm_loop loop = wpin_rig_pwm_loop(load, rig->supplies[load->supply].volts,
                                           wpin_rig_loop_ohms(rig, load), load->limits.pwm_hz, w);
    return wpin_calc_pwm_wave(&loop, duty).mean;
}

double wpin_rig_speed_at(const wpin_rig_load *load, const wpin_at_shaft *shaft, double volts,
                         double ohms, double hz, double duty) {
    double k = load->motor.constant, low = 0, high = volts / k;
    for (int i = 0; i < 40; i++) {
        double w = (low + high) / 2;
        double drags = shaft->drags + shaft->viscous * w + shaft->quadratic * w * w;
        wpin_pwm_loop loop = wpin_rig_pwm_loop(load, volts, ohms, hz, w);
        *(k * wpin_calc_pwm_wave(&loop, duty).mean > drags ? &low : &high) = w;
    }
    return low;
}

double wpin_rig_duty_at(const wpin_rig *rig, const wpin_rig_load *load, double amps, double w) {
    double most = wpin_rig_mean_amps(rig, load, 1, w), low = 0, high = 1;
    if (amps >= most) {
        double volts = rig->supplies[load->supply].volts;
        return 1 + (amps - most) * wpin_rig_loop_ohms(rig, load) / volts;
    }
    for (int i = 0; i < 40; i++) {
        double duty = (low + high) / 2;
        *(wpin_rig_mean_amps(rig, load, duty, w) < amps ? &low : &high) = duty;
    }
    return high;
}

double wpin_rig_light(const wpin_rig_load *load, double volts, double supply_ohms, double duty) {
    const wpin_part_lamp *lamp = &load->lamp;
    const wpin_part_driver *b = &load->bridge;
    double switches = wpin_rig_single_switch(load->kind) ? 1 : 2;
    double left = fmax(0, volts - switches * b->saturation_volts);
    double other = supply_ohms + switches * b->on_resistance;
    double rated = lamp->volts * (lamp->volts - lamp->forward_volts) / lamp->watts;
    if (lamp->cold_share >= 1) {
        double amps = fmax(0, left - lamp->forward_volts) / (rated + other);
        bool diodes = lamp->forward_volts > 0; /* they shine by their current */
        return duty * amps * (diodes ? lamp->volts : amps * rated) / lamp->watts;
    }
    wpin_filament f = {lamp->volts, lamp->watts, lamp->cold_share, lamp->warm_up, 0};
    double kelvin = 300;
    for (int i = 0; i < 400; i++) { /* far longer than it takes to warm up */
        double ohms = wpin_calc_filament_ohms(&f, kelvin);
        double amps = left / (ohms + other);
        kelvin = wpin_calc_filament_warm(&f, kelvin, duty * amps * amps * ohms, lamp->warm_up / 20);
    }
    return wpin_calc_filament_light(&f, kelvin);
}

double wpin_rig_sense_reach(const wpin_rig *rig, const wpin_rig_load *load) {
    double volts = rig->controller.logic_volts;
    if (load->vector.there) { /* a lead's tip is 2 / root of 3 of the current between two */
        volts = fmin(load->vector.zero, volts - load->vector.zero) * ROOT_3 / 2;
    } else if (load->bridge.sense_zero > 0) {
        volts = fmin(load->bridge.sense_zero, volts - load->bridge.sense_zero);
    }
    return volts / load->bridge.sense_volts_per_amp;
}

/* A fifth of what is too much a tick, so that it settles though the sense lags, from what full duty
 * would drive through the winding that stands. */
double wpin_rig_limit_gain(const wpin_rig *rig, const wpin_rig_load *load) {
    bool signs = load->bridge.sense_zero > 0;
    double amps = signs ? wpin_rig_sense_reach(rig, load)
                        : rig->controller.logic_volts / load->bridge.sense_volts_per_amp;
    if (wpin_rig_type(load)->spins) {
        amps = fmin(amps, rig->supplies[load->supply].volts / load->motor.resistance);
    }
    return 0.2 / amps;
}
