/* What the rules want to know about each load. */
#include "rules.h"
#include <stdlib.h>

double wpin_volts_of(const wpin_vetter *v, size_t supply) {
    double volts = v->rig->supplies[supply].volts;
    if (v->options.supply == (int)supply + 1) {
        volts = v->options.volts;
    }
    return volts * (1 + v->options.tolerance);
}

double wpin_made_volts(const wpin_vetter *v, const wpin_rig_supply *made, double input) {
    bool boost = made->switching && made->volts > v->rig->supplies[made->from].volts;
    if (input < made->least_input) {
        return 0;
    }
    return boost ? made->volts : fmin(made->volts, fmax(0, input - made->headroom));
}

double wpin_air(const wpin_vetter *v) {
    return 25 + v->options.air_above;
}

double wpin_gate_volts(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_part_gate *g = &f->load->bridge.gate;
    if (g->kind != WPIN_TRANSISTOR_PFET) {
        return v->rig->controller.logic_volts;
    }
    return g->clamp_volts > 0 ? fmin(f->volts, g->clamp_volts) : f->volts;
}

/* What a bipolar switch passes by its base; as much as one likes of others. */
static double base_lets(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_part_gate *g = &f->load->bridge.gate;
    wpin_part_controller part = wpin_rig_controller_part(v->rig);
    return g->kind == WPIN_TRANSISTOR_NPN ? g->gain * wpin_part_base_amps(&part, g) : HUGE_VAL;
}

/* Resistance of each switch as its pin drives it. */
static double driven_ohms(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_part_driver *part = &f->load->bridge;
    const wpin_part_gate *g = &part->gate;
    switch (g->kind) {
    case WPIN_TRANSISTOR_NFET:
    case WPIN_TRANSISTOR_PFET:
        return fmin(wpin_calc_fet_ohms(part->on_resistance, g->stated_at, g->threshold,
                                       wpin_gate_volts(v, f)),
                    1e6);
    default: return part->on_resistance;
    }
}

/* Torque against it while it turns at a speed, on the motor's shaft. */
static double drag(const wpin_facts *f, double w) {
    return f->torque + f->viscous * w + f->quadratic * w * w;
}

/* Speed at which the driving torque K (V - K w) / R meets friction, load and fan: by halving. */
static double settled_speed(const wpin_facts *f, double volts) {
    const wpin_part_motor *m = &f->load->motor;
    double low = 0, high = volts / m->constant;
    for (int i = 0; i < 60; i++) {
        double w = (low + high) / 2;
        double drive = m->constant * (volts - m->constant * w) / f->loop_ohms;
        if (drive > drag(f, w)) {
            low = w;
        } else {
            high = w;
        }
    }
    return low;
}

static double volts_at(const wpin_facts *f, double duty) {
    return fmax(0, f->volts * duty - f->switches * f->load->bridge.saturation_volts);
}

wpin_pwm_loop wpin_loop_of(const wpin_facts *f, double speed) {
    return wpin_rig_pwm_loop(f->load, f->volts, f->loop_ohms, f->pwm_hz, speed);
}

double wpin_speed_at(const wpin_facts *f, double duty) {
    wpin_at_shaft shaft = {.drags = f->torque, .viscous = f->viscous, .quadratic = f->quadratic};
    if (f->pwm_hz <= 0 || duty >= 1) {
        return settled_speed(f, volts_at(f, duty));
    }
    return wpin_rig_speed_at(f->load, &shaft, f->volts, f->loop_ohms, f->pwm_hz, duty);
}

double wpin_stall_seconds(const wpin_facts *f, double duty, double amps) {
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    return wpin_calc_pwm_above_seconds(&loop, duty, amps);
}

/* What each driver of it loses at a duty: switches while on, switches and diodes while off by the
 * way the current then goes, edges, slow diodes, a capacitor at the motor. */
double wpin_driver_watts(const wpin_facts *f, double duty, double rms, double off_share) {
    const wpin_part_driver *b = &f->load->bridge;
    double ohms = f->switch_ohms / f->switches, share = duty + off_share;
    double mean = share > 0 ? rms * sqrt(share) : 0; /* of a current that hardly ripples */
    double square = share > 0 ? rms * rms / share : 0, amps = share > 0 ? mean / share : 0;
    double on = f->switches * (square * ohms + amps * b->saturation_volts);
    double diode = square * b->diode_resistance + amps * b->diode_volts;
    double off = f->switches * square * ohms;
    double dead = fmax(f->load->limits.dead_time, b->dead_time); /* diodes carry it meanwhile */
    double dead_share = b->interlock ? 0 : fmin(2 * dead * f->pwm_hz, off_share);
    if (f->switches == 2 && b->off_phase == WPIN_OFF_SHORT && off_share > 0) {
        off += dead_share / off_share * diode;
    }
    if (f->switches == 1) {
        off = diode;
    } else if (wpin_rig_off_phase(f->load) == WPIN_OFF_SLOW) {
        off = diode + square * ohms + amps * b->saturation_volts;
    } else if (b->off_phase == WPIN_OFF_FAST) {
        off = 2 * diode;
    }
    return duty * on + off_share * off + f->volts * amps * b->switch_time * f->pwm_hz +
           wpin_calc_capacitor_watts(b->motor_farads, f->volts, f->pwm_hz) +
           wpin_calc_recovery_watts(f->volts, amps, b->diode_recovery, f->pwm_hz);
}

double wpin_stall_watts(const wpin_facts *f, double duty) {
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, duty);
    if (wave.most > f->most_amps) { /* what a starved switch does not pass on stays across it */
        double winding = f->loop_ohms - f->switch_ohms;
        return duty * f->most_amps * (f->volts - f->most_amps * winding);
    }
    return wpin_driver_watts(f, f->pwm_hz > 0 ? duty : 1, wave.rms, wave.off_share);
}

wpin_climb wpin_climb_of(const wpin_facts *f, bool held, double rise) {
    enum { STEPS = 200 };
    const wpin_part_motor *m = &f->load->motor;
    const wpin_part_heat *heat = &f->load->bridge.heat;
    double most = f->load->limits.duty_max, ramp = fmax(f->load->limits.ramp_up * most, 1e-3);
    double dt = ramp / STEPS, w = 0, diode = 0;
    /* between the pulses of a slow PWM it cools and heats again, and the speed swings as well */
    double lag = f->inertia * f->loop_ohms / (m->constant * m->constant);
    double slow = 0.5 / fmax(heat->time, 1e-6) + (held ? 0 : 0.3 / fmax(lag, 1e-6));
    double swings = f->pwm_hz > 0 ? slow / f->pwm_hz : 0;
    wpin_climb c = {.rise = rise};
    for (int i = 1; i <= STEPS; i++) {
        double duty = f->pwm_hz > 0 ? most * i / STEPS : most;
        wpin_pwm_loop loop = wpin_loop_of(f, w);
        wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, duty);
        double watts = wpin_driver_watts(f, f->pwm_hz > 0 ? duty : 1, wave.rms, wave.off_share);
        double torque = m->constant * wave.mean;
        if (!held && (w > 0 || torque > f->hold)) {
            w = fmax(w + (torque - drag(f, w)) / f->inertia * dt, 0);
        }
        double last = watts * heat->resistance, off = wave.rms * wave.off_share;
        rise = last + (rise - last) * exp(-dt / fmax(heat->time, 1e-6));
        diode = off + (diode - off) * exp(-dt / 1.0);
        c.rise = fmax(c.rise, rise * (1 + fmin(swings, 0.4)));
        c.diode_amps = fmax(c.diode_amps, diode * (1 + fmin(swings, 0.4)));
    }
    return c;
}

/* Whether a plan may run it at any duty: it follows an input, or nothing says what it does. */
bool wpin_any_duty(const wpin_vetter *v, const wpin_rig_load *load) {
    bool runs = false;
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        bool mine = s->target.number == load - v->rig->loads;
        if (mine &&
            (s->op == WPIN_OP_FOLLOW || s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO)) {
            return true;
        }
        runs = runs || (mine && (s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR));
    }
    return !runs;
}

/* Whether a plan asks for a duty between two. */
bool wpin_asked_between(const wpin_vetter *v, const wpin_rig_load *load, double low, double high) {
    for (size_t i = 0; i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        bool runs = s->op == WPIN_OP_RUN || s->op == WPIN_OP_RUN_FOR || s->op == WPIN_OP_HOME;
        bool mine = runs && s->target.number == load - v->rig->loads;
        double duty = mine ? fmin(fabs(wpin_rig_step_duty(v->rig, s)), load->limits.duty_max) : 0;
        if (mine && duty > low && duty <= high) {
            return true;
        }
    }
    return false;
}

/* What a lamp takes while PWM is high: diodes what volts and resistors let through, a glowing
 * filament in proportion to the volts. */
static double lit_amps(const wpin_facts *f) {
    const wpin_part_lamp *lamp = &f->load->lamp;
    return lamp->forward_volts > 0 ? fmax(f->stall_amps, f->run_amps)
                                   : f->run_amps * fmax(f->volts / lamp->volts, 1);
}

/* What its driver and its winding take at a duty, if that is more than at another. */
static void compare_heat(wpin_facts *f, double duty) {
    const wpin_load_type *type = wpin_rig_type(f->load);
    double rms = f->run_amps / f->windings, off = 0;
    if (f->motor || type->steps || type->pulls) {
        wpin_pwm_loop loop = wpin_loop_of(f, f->motor ? wpin_speed_at(f, duty) : 0);
        wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, duty);
        rms = wave.rms;
        off = wave.off_share;
    } else if (type->shines) {
        rms = lit_amps(f) * sqrt(duty);
    }
    double watts = wpin_driver_watts(f, f->pwm_hz > 0 ? duty : 1, rms, off);
    f->hot_rms = fmax(f->hot_rms, rms);
    if (watts > f->hot_watts) {
        wpin_facts ideal = *f;
        ideal.switch_ohms = 0;
        f->hot_watts = watts;
        f->hot_duty = duty;
        f->hot_fixed = wpin_driver_watts(&ideal, f->pwm_hz > 0 ? duty : 1, rms, off);
    }
}

/* The duty at which its driver gets hottest, and the most its winding takes: of those that the plan
 * asks for, in steps of a twentieth. */
static void find_hottest(const wpin_vetter *v, wpin_facts *f, double most) {
    const wpin_rig_stepping *s = &f->load->stepping;
    if (wpin_rig_type(f->load)->steps) {
        compare_heat(f, most);
        if (s->at_end == WPIN_STEP_REDUCE && s->rest_duty > 0) {
            compare_heat(f, s->rest_duty); /* less current, but more of it through diodes */
        }
        return;
    }
    const double steps = f->pwm_hz > 0 ? 20 : 1;
    bool any = !f->motor || f->pwm_hz <= 0 || wpin_any_duty(v, f->load);
    double least = f->motor && f->loop_ohms > 0 ? f->hold / f->load->motor.constant : 0;
    for (int i = 1; i <= (int)steps; i++) {
        double duty = most * i / steps;
        bool asked =
            any || wpin_asked_between(v, f->load, most * (i - 1) / steps, duty * (1 + 1e-6));
        /* where it does not turn it stalls, which has its own rules */
        bool turns = !f->motor || duty * f->volts / f->loop_ohms >= least;
        if (asked && turns) {
            compare_heat(f, duty);
        }
    }
}

double wpin_running_amps(const wpin_facts *f, double duty) {
    wpin_pwm_loop loop = wpin_loop_of(f, wpin_speed_at(f, duty));
    double amps = wpin_calc_pwm_wave(&loop, duty).mean;
    if (f->pwm_hz <= 0 || duty >= 1) {
        double volts = volts_at(f, duty);
        amps = (volts - f->load->motor.constant * settled_speed(f, volts)) / f->loop_ohms;
    }
    return amps > 1e-9 ? amps : 0;
}

/* From a duty, its leads short-circuited for so long then. Only the last of a long ramp counts:
 * before, the motor follows its volts. */
static double run_down(const wpin_facts *f, double most, double ramp_down, double brakes_for,
                       double *speed_at_zero) {
    const wpin_part_motor *m = &f->load->motor;
    double lag = f->inertia * f->loop_ohms / (m->constant * m->constant);
    double ramp = ramp_down * most;
    double t = -fmin(ramp, 20 * lag), dt = fmin(lag / 20, fmax(-t, 0.05) / 400);
    double w = wpin_speed_at(f, t < 0 ? most * -t / ramp : most), at_zero = w;
    const double dead = wpin_rig_dead_volts(f->load, f->volts, true);
    for (int i = 0; i < 200000 && w > 0; i++) {
        double duty = t < 0 ? most * -t / ramp : 0;
        double amps = fmax(0, (f->volts * duty - m->constant * w) / f->loop_ohms); /* one way */
        if (t < 0 && f->pwm_hz > 0) {
            wpin_pwm_loop loop = wpin_loop_of(f, w); /* gaps in its current drive it on */
            amps = wpin_calc_pwm_wave(&loop, duty).mean;
            if (amps < 0) {
                loop.on_volts += dead;
                loop.off_volts += dead;
                amps = fmin(wpin_calc_pwm_wave(&loop, duty).mean, 0);
            }
        }
        if (t >= 0 && t < brakes_for) {
            amps = -m->constant * w / (f->loop_ohms - f->supply->resistance);
        }
        at_zero = t < 0 ? w : at_zero;
        w += (m->constant * amps - drag(f, w)) / f->inertia * dt;
        t += dt;
    }
    if (speed_at_zero != NULL) {
        *speed_at_zero = t > 0 ? at_zero : 0;
    }
    return fmax(t, 0);
}

double wpin_run_down(const wpin_facts *f, bool braked, double *speed_at_zero) {
    const wpin_rig_limits *l = &f->load->limits;
    return run_down(f, l->duty_max, l->ramp_down, braked ? HUGE_VAL : 0, speed_at_zero);
}

double wpin_run_down_at_once(const wpin_facts *f, double duty, double brakes_for) {
    return run_down(f, duty, 0, brakes_for, NULL);
}

/* After the stop input, from full speed. */
static double stop_seconds(const wpin_facts *f) {
    const wpin_rig_load *l = f->load;
    if (wpin_rig_type(l)->steps) {
        return (l->stepping.top_rate - l->stepping.start_rate) / l->stepping.acceleration;
    }
    if (!f->motor) {
        return 0;
    }
    double ramp = l->on_stop == WPIN_STOP_RAMP ? l->limits.ramp_down : 0;
    bool braked = l->on_stop == WPIN_STOP_BRAKE || (ramp > 0 && l->rest_brakes);
    return ramp * l->limits.duty_max +
           run_down(f, l->limits.duty_max, ramp, braked ? HUGE_VAL : 0, NULL);
}

double wpin_stop_seconds(const wpin_rig *rig, size_t load) {
    wpin_vetter v = {.rig = rig};
    bool known = wpin_work_out_facts(&v) && load < rig->load_count;
    double seconds = known && v.facts[load].load != NULL ? stop_seconds(&v.facts[load]) : 0;
    free(v.facts);
    return seconds;
}

double wpin_returned_volts(const wpin_facts *f, double farads) {
    const wpin_part_motor *m = &f->load->motor;
    double most = f->load->limits.duty_max;
    double ramp = fmax(f->load->limits.ramp_down * most, 1e-3), dt = ramp / 4000;
    double w = f->speed, volts = f->volts, peak = volts;
    double ohms = f->loop_ohms - f->supply->resistance;
    for (int i = 0; i < 4000; i++) {
        double duty = most * (1 - i / 4000.0);
        double amps = (volts * duty - m->constant * w) / ohms;
        if (f->load->axis.there) { /* its regulator brings it down as fast as that */
            amps = (drag(f, w) - f->inertia * f->speed / ramp) / m->constant;
            duty = (m->constant * w + ohms * amps) / volts;
        }
        volts = fmax(volts - duty * amps * dt / farads, f->volts);
        peak = fmax(peak, volts);
        w += (m->constant * amps - drag(f, w)) / f->inertia * dt;
        w = fmax(w, 0);
    }
    return peak;
}

static void motor_facts(wpin_facts *f, double tolerance) {
    const wpin_part_motor *m = &f->load->motor;
    double volts = volts_at(f, f->load->limits.duty_max);
    wpin_at_shaft shaft = wpin_part_at_shaft(m);
    f->motor = true;
    f->torque = shaft.drags * (1 + tolerance);
    f->viscous = shaft.viscous;
    f->quadratic = shaft.quadratic;
    f->hold = wpin_rig_loose_amps(f->load) * m->constant * (1 + tolerance);
    f->inertia = shaft.inertia;
    f->stall_amps = fmin(volts / f->loop_ohms, f->most_amps);
    f->speed = wpin_speed_at(f, f->load->limits.duty_max);
    f->run_amps = wpin_running_amps(f, f->load->limits.duty_max);
    if (f->load->axis.there) { /* its drive regulates both */
        f->stall_amps = fmin(f->stall_amps, f->load->axis.most_amps);
        f->speed = wpin_part_shaft_speed(m, f->load->speed.maximum);
        f->run_amps = drag(f, f->speed) / m->constant;
    }
    /* on its ramp the current is what friction and inertia take, at least what breaks it loose */
    double ramp = fmax(f->load->limits.ramp_up * f->load->limits.duty_max, 1e-3);
    double takes = fmax(f->hold, f->torque + f->inertia * f->speed / ramp);
    f->start_amps = fmin(f->stall_amps, takes / m->constant);
}

/* While its ramp climbs a filament warms, and takes the less over its running current the longer
 * that lasts. Fitted to the filament's equation, on the safe side. */
static double lamp_surge(const wpin_facts *f) {
    const wpin_part_lamp *lamp = &f->load->lamp;
    double ramps = f->pwm_hz > 0 ? f->load->limits.ramp_up / fmax(lamp->warm_up, 1e-6) : 0;
    return f->run_amps + fmax(0, f->stall_amps - f->run_amps) / (1 + 28 * ramps);
}

static void other_facts(wpin_facts *f) {
    const wpin_rig_load *load = f->load;
    double duty = load->limits.on_duty > 0 ? load->limits.on_duty : load->limits.duty_max;
    f->stall_amps = fmin((f->volts - load->lamp.forward_volts) / f->loop_ohms, f->most_amps);
    f->run_amps = f->stall_amps * duty;
    if (wpin_rig_type(load)->shines) {
        f->run_amps = load->lamp.watts / load->lamp.volts;
    }
    if (wpin_rig_type(load)->steps) {
        f->stall_amps =
            2 * wpin_rig_step_wave(load, f->volts, f->loop_ohms, false).mean; /* both on */
        f->run_amps = f->stall_amps;
    }
    f->start_amps = f->stall_amps;
}

/* A limit or trip below the driver's that comes in time, or a driver that looks after itself. */
static bool is_saved(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_rig_load *load = f->load;
    const wpin_rig_limits *l = &load->limits;
    double over = wpin_limited_seconds(v, f, load->bridge.burns_above_amps);
    if (1.5 * over < load->bridge.burns_after) {
        return true;
    }
    bool trip = l->trip_input >= 0 && l->trip_amps < load->bridge.burns_above_amps &&
                l->trip_time <= load->bridge.burns_after;
    return trip || load->bridge.protects;
}

/* Whether PWM switches the load's current; servo-style pulses only tell another controller. */
static bool is_switched(const wpin_stage_kind *kind) {
    return wpin_stage_kind_has_pwm(kind) && !wpin_logic_of(kind->logic)->pulses;
}

/* What a seized motor takes for as long as a supply needs to see it, its current being limited. */
static double limited_surge(const wpin_vetter *v, const wpin_facts *f) {
    double amps = f->load->limits.limit_amps;
    while (amps < f->stall_amps && wpin_limited_seconds(v, f, amps) >= 8e-3) {
        amps *= 1.05;
    }
    return amps;
}

static void work_out(const wpin_vetter *v, wpin_facts *f, const wpin_rig_load *load) {
    const wpin_load_type *type = wpin_rig_type(load);
    double slack = v->options.tolerance, winding = type->circuit(load).ohms * (1 - slack);
    *f = (wpin_facts){.load = load,
                      .supply = &v->rig->supplies[load->supply],
                      .volts = wpin_volts_of(v, load->supply),
                      .switches = wpin_rig_single_switch(load->kind) ? 1 : 2,
                      .windings = type->windings,
                      .pwm_hz = is_switched(load->kind) ? load->limits.pwm_hz : 0};
    f->switch_ohms = driven_ohms(v, f) * f->switches;
    f->most_amps = base_lets(v, f);
    f->loop_ohms = winding + f->switch_ohms + f->supply->resistance;
    if (wpin_rig_type(load)->spins) {
        motor_facts(f, slack);
    } else {
        other_facts(f);
    }
    f->trips = is_saved(v, f);
    double on = load->limits.on_duty > 0 ? load->limits.on_duty : load->limits.duty_max;
    find_hottest(v, f,
                 type->steps   ? load->stepping.duty
                 : type->pulls ? on
                               : load->limits.duty_max);
    f->surge_amps = f->stall_amps;
    if (f->motor && f->pwm_hz > 0 && load->limits.duty_max / f->pwm_hz > 5e-3) {
        wpin_pwm_loop loop = wpin_loop_of(f, 0); /* so slow that a supply sees each pulse */
        f->surge_amps = wpin_calc_pwm_wave(&loop, load->limits.duty_max).most;
    }
    if (load->limits.limit_amps > 0) {
        f->surge_amps = fmin(f->surge_amps, limited_surge(v, f));
    }
    if (wpin_rig_type(load)->shines) {
        f->surge_amps = f->start_amps = lamp_surge(f);
    }
}

bool wpin_work_out_facts(wpin_vetter *v) {
    v->facts = calloc(v->rig->load_count + 1, sizeof *v->facts);
    for (size_t i = 0; v->facts != NULL && i < v->rig->load_count; i++) {
        work_out(v, &v->facts[i], &v->rig->loads[i]);
    }
    return v->facts != NULL;
}
