/* Rules about what is no motor: solenoids, lamps, steppers. */
#include "rules.h"

/* ---- solenoids ---- */

static double coil_amps(const wpin_facts *f, double duty) {
    /* while PWM is low the current runs through the diode, which takes its volts too */
    const wpin_sim_bridge *b = &f->load->bridge;
    double on = f->volts - f->switches * b->saturation_volts;
    double volts = duty * on - (1 - duty) * b->diode_volts;
    return fmax(0, volts) / f->loop_ohms;
}

static double on_duty(const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    return l->on_duty > 0 ? fmin(l->on_duty, l->duty_max) : l->duty_max;
}

static double coil_on_amps(const wpin_facts *f) {
    return coil_amps(f, on_duty(f));
}

static double coil_rise(const wpin_facts *f, double amps) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    wpin_winding_load load = {.ohms = s->resistance,
                              .other_ohms = f->loop_ohms - s->resistance,
                              .amps = amps,
                              .by_volts = true,
                              .drifts = s->heat.drifts};
    return wpin_calc_winding_rise(&load, s->heat.resistance);
}

/* Ohms its coil has more when it was on for long. */
static double warm_ohms(const wpin_facts *f, double amps) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    double rise = s->heat.drifts ? fmin(coil_rise(f, amps), s->heat.limit) : 0;
    return 0.00393 * rise * s->resistance;
}

/* On-duty that holds the plunger with a fifth to spare, percent. */
static double hold_percent(const wpin_facts *f) {
    double diode = f->load->bridge.diode_volts;
    double amps = 1.2 * f->load->solenoid.drop_out;
    double volts = amps * (f->loop_ohms + warm_ohms(f, amps)) + diode;
    double on = f->volts - f->switches * f->load->bridge.saturation_volts;
    return fmin(100, ceil(100 * volts / fmax(on + diode, 1e-9)));
}

/* A small coil that gets too hot in the kick alone. */
static void kick_heat(wpin_vetter *v, const wpin_facts *f) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    const wpin_rig_limits *l = &f->load->limits;
    wpin_winding_load load = {.ohms = s->resistance,
                              .other_ohms = f->loop_ohms - s->resistance,
                              .amps = coil_amps(f, fmin(l->kick_level, l->duty_max)),
                              .by_volts = true,
                              .drifts = s->heat.drifts};
    double lasts = wpin_calc_winding_seconds(&load, s->heat.resistance, s->heat.time, 0,
                                             s->heat.limit - wpin_air(v));
    if (l->kick_time <= lasts) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
    wpin_cause(n, "its kick of %.3g ms with %.3g A heats it to %.0f degC within %.3g ms",
               l->kick_time * 1e3, load.amps, s->heat.limit, lasts * 1e3);
    wpin_consequence(n, "the coil burns when it is drawn in");
    wpin_cure(n, "kick-time: %.0fms", floor(0.6e3 * lasts));
}

static void coil(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_solenoid *s = &f->load->solenoid;
        double amps = coil_on_amps(f), most = f->load->limits.most_on;
        double end = wpin_air(v) + coil_rise(f, amps);
        if (f->load->what != WPIN_RIG_SOLENOID || s->heat.resistance <= 0) {
            continue;
        }
        kick_heat(v, f);
        if (end <= s->heat.limit) {
            continue;
        }
        double safe = -s->heat.time * log(1 - (s->heat.limit - wpin_air(v)) / (end - wpin_air(v)));
        if (most > 0 && most <= safe) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n, "held in by %.3g A its coil reaches %.0f degC, it survives %.0f degC", amps,
                   end, s->heat.limit);
        wpin_consequence(n, "the coil burns after about %.3g s", safe);
        wpin_cure(n, "most-on: %.2gs", 0.5 * safe);
        double held = coil_amps(f, hold_percent(f) / 100);
        if (wpin_stage_kind_takes_duty(f->load->kind) &&
            wpin_air(v) + coil_rise(f, held) < s->heat.limit) {
            wpin_cure(n, "on-duty: %.0f%% with a kick that draws it in", hold_percent(f));
        }
    }
}

/* After the kick the duty is where the ramp has come to meanwhile; that has to hold the plunger. */
static void falls_back(wpin_vetter *v, const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    double ramped = fmin(on_duty(f), l->kick_time / fmax(l->ramp_up, 1e-6));
    double left = fmax(ramped, l->drop_out), amps = coil_amps(f, left);
    if (amps >= f->load->solenoid.drop_out) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
    wpin_cause(n,
               "when its kick of %.3g ms ends, the ramp has come to %.0f %%: %.3g A; it falls back "
               "below %.3g A",
               l->kick_time * 1e3, left * 100, amps, f->load->solenoid.drop_out);
    wpin_consequence(n, "the plunger comes in and falls back");
    wpin_cure(n, "ramp: {up: %.0fms} or shorter", fmax(1, floor(0.8e3 * l->kick_time)));
}

/* Drawn in with all there is, if that is enough, and held with less. */
static void plunger_cure(wpin_finding *n, const wpin_facts *f) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    double most = coil_amps(f, 1), lag = s->inductance / f->loop_ohms;
    if (most <= 1.1 * s->pull_in) {
        wpin_cure(n, "%.3g V or more, or a coil made for %.3g V", 1.2 * s->pull_in * f->loop_ohms,
                  f->volts);
        return;
    }
    double takes = s->pull_in_time - lag * log(1 - s->pull_in / most);
    wpin_cure(n, "start: {kick-level: 100%%, kick-time: %.0fms} and on-duty: %.0f%% or more",
              ceil(1.5e3 * takes), hold_percent(f));
}

/* Between two pulses of a slow PWM the current runs down; a plunger takes a millisecond to fall. */
static void falls_between(wpin_vetter *v, const wpin_facts *f) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    loop.ohms += warm_ohms(f, coil_on_amps(f)); /* a warm coil runs down sooner */
    double duty = on_duty(f), period = f->pwm_hz > 0 ? 1 / f->pwm_hz : 0;
    if (period <= 0 || duty >= 1 || coil_amps(f, 1) <= s->drop_out) {
        return;
    }
    double above = wpin_calc_pwm_above_seconds(&loop, duty, s->drop_out);
    if (period - above < 0.8e-3 || isinf(above)) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
    wpin_cause(n,
               "at %.5g Hz and %.0f %% duty its current is below the %.3g A that hold it for "
               "%.3g ms of each period",
               f->pwm_hz, duty * 100, s->drop_out, (period - above) * 1e3);
    wpin_consequence(n, "the plunger falls and comes in with every period");
    wpin_cure(n, "pwm: %.0fHz or more", ceil(4 * f->loop_ohms / s->inductance));
}

/* Whether a duty draws it in: its current stays above the pull-in current for as long as that
 * takes, which the pulses of a slow PWM may not. */
static bool draws_in(const wpin_facts *f, double duty) {
    const wpin_sim_solenoid *s = &f->load->solenoid;
    if (f->pwm_hz <= 0 || duty >= 1) {
        return coil_amps(f, 1) > s->pull_in;
    }
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    return coil_amps(f, duty) > s->pull_in &&
           wpin_calc_pwm_above_seconds(&loop, duty, s->pull_in) >= 1.1 * s->pull_in_time;
}

static void plunger(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_solenoid *s = &f->load->solenoid;
        const wpin_rig_limits *l = &f->load->limits;
        if (f->load->what != WPIN_RIG_SOLENOID) {
            continue;
        }
        double on = coil_on_amps(f), kick = coil_amps(f, fmin(l->kick_level, l->duty_max));
        double lag = s->inductance / f->loop_ohms, draw = fmax(on, kick);
        double kick_duty = fmin(l->kick_level, l->duty_max);
        double takes = draw > s->pull_in && draws_in(f, fmax(kick_duty, on_duty(f)))
                           ? -lag * log(1 - s->pull_in / draw) + s->pull_in_time
                           : HUGE_VAL;
        bool drawn = draws_in(f, on_duty(f)) || 1.2 * takes <= l->kick_time; /* a fifth to spare */
        double warm = on * f->loop_ohms / (f->loop_ohms + warm_ohms(f, on));
        if (l->kick_time > 0 && 1.2 * takes <= l->kick_time && warm >= s->drop_out) {
            falls_back(v, f);
        }
        falls_between(v, f);
        if (!drawn || warm < s->drop_out) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            if (!drawn) {
                wpin_cause(n, "'on' gives it %.3g A, it takes %.3g A for %.3g ms to be drawn in",
                           draw, s->pull_in, s->pull_in_time * 1e3);
            } else {
                wpin_cause(n, "'on' holds it with %.3g A%s, it falls back below %.3g A", warm,
                           warm < 0.98 * on ? " once its coil is warm" : "", s->drop_out);
            }
            wpin_consequence(n,
                             drawn ? "the plunger does not stay in" : "the plunger never comes in");
            plunger_cure(n, f);
        }
    }
}

/* ---- lamps ---- */

static wpin_filament filament_of(const wpin_facts *f) {
    const wpin_sim_lamp *lamp = &f->load->lamp;
    return (wpin_filament){lamp->volts, lamp->watts, lamp->cold_share, lamp->warm_up};
}

static void inrush(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_bridge *b = &f->load->bridge;
        bool lamp = f->load->what == WPIN_RIG_LAMP && f->load->lamp.cold_share < 1;
        if (!lamp || f->stall_amps <= b->burns_above_amps || b->protects) {
            continue;
        }
        wpin_filament filament = filament_of(f);
        double lasts = wpin_calc_inrush_seconds(
            &filament, f->volts, f->loop_ohms - wpin_calc_filament_ohms(&filament, 300), f->pwm_hz,
            f->pwm_hz > 0 ? f->load->limits.ramp_up : 0, f->load->limits.duty_max,
            b->burns_above_amps);
        bool burns = lasts >= b->burns_after;
        wpin_finding *n = wpin_find_load(v, burns ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(
            n,
            "its cold filament takes up to %.3g A, and for %.3g ms on end more than the %.3g "
            "A that the driver survives for %.3g ms",
            f->stall_amps, lasts * 1e3, b->burns_above_amps, b->burns_after * 1e3);
        wpin_consequence(n, burns ? "the driver burns when it is switched on cold"
                                  : "each switching on wears the driver");
        wpin_cure(n, "a driver for %.3g A", 1.25 * f->stall_amps);
        wpin_cure(n, "%.3g ohm in series", 1.1 * f->volts / b->burns_above_amps - f->loop_ohms);
    }
}

/* The most a transistor is warmer than the air while a cold filament wants more than its base lets
 * through: the volts it does not pass on stay across it. */
static double starved_rise(const wpin_facts *f) {
    enum { STEPS = 2000 };
    const wpin_sim_heat *heat = &f->load->bridge.heat;
    const wpin_rig_limits *l = &f->load->limits;
    wpin_filament filament = filament_of(f);
    double ramp = f->pwm_hz > 0 ? l->ramp_up * l->duty_max : 0;
    double dt = (ramp + 20 * filament.warm_up) / STEPS, kelvin = 300, rise = 0, most = 0;
    for (int i = 0; i < STEPS; i++) {
        double duty = ramp > 0 ? fmin((i + 1) * dt / ramp, 1) * l->duty_max : 1;
        double ohms = wpin_calc_filament_ohms(&filament, kelvin);
        double amps = fmin(f->volts / (ohms + f->switch_ohms), f->most_amps);
        double last = duty * amps * (f->volts - amps * ohms) * heat->resistance;
        kelvin = wpin_calc_filament_warm(&filament, kelvin, duty * amps * amps * ohms, dt);
        rise = last + (rise - last) * exp(-dt / fmax(heat->time, 1e-6));
        most = fmax(most, rise);
    }
    return most;
}

static void starved_lamp(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_heat *heat = &f->load->bridge.heat;
        bool lamp = f->load->what == WPIN_RIG_LAMP && f->load->lamp.cold_share < 1;
        if (!lamp || isinf(f->most_amps) || heat->resistance <= 0) {
            continue;
        }
        double rise = starved_rise(f), room = heat->limit - wpin_air(v);
        double slow = f->pwm_hz > 0 ? 0.5 / (f->pwm_hz * fmax(heat->time, 1e-6)) : 0;
        if (rise * (1 + fmin(slow, 0.4)) <= 0.9 * room) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n,
                   "its base lets %.3g A through, and its cold filament wants more: meanwhile the "
                   "transistor gets to %.0f degC, it survives %.0f degC",
                   f->most_amps, rise + wpin_air(v), heat->limit);
        wpin_consequence(n, "the transistor burns when the cold lamp is switched on");
        wpin_cure(n, "a field-effect transistor, or one with more gain");
        wpin_cure(n, "at most %.3g K/W (a heat sink)", 0.8 * heat->resistance * room / rise);
    }
}

static void dim(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double share = f->load->what == WPIN_RIG_LAMP ? wpin_rig_light(f->load, f->volts, 0, 1) : 1;
        if (share >= 0.5) {
            continue;
        }
        bool dark = share < 0.01;
        wpin_finding *n = wpin_find_load(v, dark ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "made for %.3g V, its supply has %.3g V", f->load->lamp.volts, f->volts);
        if (dark) {
            wpin_consequence(n, "it stays dark");
        } else {
            wpin_consequence(n, "it gives about %.0f %% of its rated light", 100 * share);
        }
        wpin_cure(n, "a supply of %.3g V", f->load->lamp.volts);
    }
}

/* ---- steppers ---- */

/* Torque left at a rate: a square wave of current in L and R reaches I tanh(t / 2 tau), the
 * back-emf takes volts away. */
static double pull_out(const wpin_facts *f, double full_rate, double speed) {
    const wpin_sim_stepper *s = &f->load->stepper;
    double constant = s->holding_torque / (sqrt(2) * s->rated_amps);
    double amps = fmax(0, f->volts - constant * speed) / f->loop_ohms;
    double half_wave = 2 / full_rate, tau = s->inductance / f->loop_ohms;
    return constant * amps * tanh(half_wave / (2 * tau));
}

/* Torque it has and torque it needs at a rate it is started at, or has ramped to. */
typedef struct step_torque {
    double has, needs;
} step_torque;

static step_torque torque_at(const wpin_facts *f, double rate, bool started) {
    const wpin_rig_stepping *d = &f->load->stepping;
    const wpin_sim_stepper *s = &f->load->stepper;
    double halves = d->half_steps ? 2 : 1, full = rate / halves;
    double per_step = 2 * PI / s->steps_per_rev, speed = full * per_step;
    double gain = started ? speed * full / 2 : d->acceleration / halves * per_step;
    double viscous = started ? 0 : s->viscous_friction * speed;
    return (step_torque){.has = pull_out(f, full, speed),
                         .needs = s->dry_friction + viscous + s->inertia * gain};
}

/* Highest rate that leaves a fifth of torque to spare, by halving; 0: none. */
static double safe_rate(const wpin_facts *f, double most, bool started) {
    double low = 0, high = most;
    for (int i = 0; i < 30; i++) {
        step_torque t = torque_at(f, (low + high) / 2, started);
        *(t.has > 1.2 * t.needs ? &low : &high) = (low + high) / 2;
    }
    return low < 1 ? 0 : floor(low);
}

static void step_rate(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_stepping *d = &f->load->stepping;
        if (f->load->what != WPIN_RIG_STEPPER) {
            continue;
        }
        step_torque slow = torque_at(f, d->start_rate, true),
                    top = torque_at(f, d->top_rate, false);
        bool at_start = slow.has < slow.needs;
        if (!at_start && top.has >= top.needs) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n, "%s it has %.3g mNm, and %.3g mNm are needed",
                   at_start ? "started at its start-rate" : "at its top-rate",
                   1e3 * (at_start ? slow.has : top.has),
                   1e3 * (at_start ? slow.needs : top.needs));
        wpin_consequence(n, "it loses steps: it is not where it is counted");
        double start = fmin(safe_rate(f, d->start_rate, true), d->start_rate);
        double rate = safe_rate(f, d->top_rate, false);
        if (start > 0 && rate > 0) {
            wpin_cure(n, "start-rate: %.0fsteps/s and top-rate: %.0fsteps/s", fmin(start, rate),
                      rate);
        }
        wpin_cure(n, "more volts or more current");
    }
}

/* In full steps a rotor swings about each place with sqrt(poles x torque / inertia); stepped near
 * that and hardly damped it swings further each time until it falls out of step. */
static void resonance(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_stepper *s = &f->load->stepper;
        const wpin_rig_stepping *d = &f->load->stepping;
        if (f->load->what != WPIN_RIG_STEPPER || d->half_steps) {
            continue;
        }
        double torque = s->holding_torque / (sqrt(2) * s->rated_amps) * f->stall_amps / sqrt(2);
        double hz = sqrt(s->steps_per_rev / 4 * torque / s->inertia) / (2 * PI);
        bool near = d->start_rate < 1.5 * hz && d->top_rate > 0.6 * hz;
        if (!near || s->dry_friction > 0.15 * torque) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n,
                   "its rotor swings at about %.0f Hz, and in full steps it is stepped from %.0f "
                   "to %.0f times a second with little friction",
                   hz, d->start_rate, d->top_rate);
        wpin_consequence(n, "it shakes there, and may lose steps");
        wpin_cure(n, "mode: half");
        wpin_cure(n, "start-rate: %.0fsteps/s, if its torque allows that", ceil(1.6 * hz));
    }
}

/* Windings that carry more than they are rated for: both hold while it stands. */
static void stepper_current(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_stepper *s = &f->load->stepper;
        if (f->load->what != WPIN_RIG_STEPPER) {
            continue;
        }
        double amps = f->stall_amps / 2; /* each winding at rest */
        wpin_winding_load load = {.ohms = s->resistance,
                                  .other_ohms = f->loop_ohms - s->resistance,
                                  .amps = amps * sqrt(2),
                                  .by_volts = true,
                                  .drifts = s->heat.drifts};
        double degrees = wpin_air(v) + wpin_calc_winding_rise(&load, s->heat.resistance);
        bool burns = s->heat.resistance > 0 && degrees > s->heat.limit;
        if (!burns && amps <= 1.2 * s->rated_amps) {
            continue;
        }
        wpin_finding *n =
            wpin_find_load(v, burns || amps > 1.5 * s->rated_amps ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (burns) {
            wpin_cause(n,
                       "standing, %.3g A in each winding heat it to %.0f degC, it survives %.0f "
                       "degC; rated are %.3g A",
                       amps, degrees, s->heat.limit, s->rated_amps);
        } else {
            wpin_cause(n,
                       "standing, each winding takes %.3g A (%.3g V / %.3g ohm), rated are %.3g A",
                       amps, f->volts, f->loop_ohms, s->rated_amps);
        }
        wpin_consequence(n, "its windings get too hot where it holds");
        wpin_cure(n, "a supply of %.3g V", 0.95 * s->rated_amps * f->loop_ohms);
        wpin_cure(n, "at-end: release, if nothing has to be held");
        wpin_cure(n, "a driver that regulates the current");
    }
}

const wpin_rule_entry wpin_rules_load[] = {
    {{"coil-heat", "solenoid heat; most-on, on-duty", "a coil held in for too long",
      WPIN_EFFECT_BURNS},
     coil},
    {{"plunger", "solenoid; start kick; on-duty", "a plunger that does not come in or stay",
      WPIN_EFFECT_DEAD},
     plunger},
    {{"inrush", "lamp; driver current-limit", "a cold filament's current", WPIN_EFFECT_BURNS},
     inrush},
    {{"starved-lamp", "driver transistor, heat; lamp",
      "a cold filament on a base that gets too little", WPIN_EFFECT_BURNS},
     starved_lamp},
    {{"too-dim", "lamp, leds; supply voltage", "a light that stays dark on its supply",
      WPIN_EFFECT_DEAD},
     dim},
    {{"step-rate", "stepper; stepping", "steps faster than the torque", WPIN_EFFECT_DEAD},
     step_rate},
    {{"step-resonance", "stepper stepping, inertia", "full steps at the rotor's own frequency",
      WPIN_EFFECT_ADVICE},
     resonance},
    {{"stepper-current", "stepper rated, heat; supply voltage",
      "windings that carry more than they are rated for", WPIN_EFFECT_ADVICE},
     stepper_current},
};
const size_t wpin_rules_load_count = sizeof wpin_rules_load / sizeof *wpin_rules_load;
