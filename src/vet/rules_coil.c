/* Rules about solenoids: are they drawn in, do they stay, do they get hot. */
#include "rules.h"

#define SPARE 2.0 /* K: so much hotter than estimated it may get */

static double coil_amps(const wpin_facts *f, double duty) {
    /* while PWM is low the current runs through the diode, which takes its volts too */
    const wpin_part_driver *b = &f->load->bridge;
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

/* What heats it: in the pulses of a slow PWM more than its mean. */
static double heating_amps(const wpin_facts *f, double duty) {
    if (f->pwm_hz <= 0 || duty >= 1) {
        return coil_amps(f, duty);
    }
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    return wpin_calc_pwm_wave(&loop, duty).rms;
}

static wpin_winding_load coil_load(const wpin_facts *f, double amps) {
    const wpin_part_solenoid *s = &f->load->solenoid;
    return (wpin_winding_load){.ohms = s->resistance,
                               .other_ohms = f->loop_ohms - s->resistance,
                               .amps = amps,
                               .by_volts = true,
                               .drifts = s->heat.drifts};
}

static double coil_rise(const wpin_facts *f, double amps) {
    wpin_winding_load load = coil_load(f, amps);
    return wpin_calc_winding_rise(&load, f->load->solenoid.heat.resistance);
}

/* Seconds, from cold, until it is too hot; infinity: never. */
static double coil_lasts(const wpin_vetter *v, const wpin_facts *f, double amps) {
    const wpin_part_heat *heat = &f->load->solenoid.heat;
    wpin_winding_load load = coil_load(f, amps);
    return wpin_calc_winding_seconds(&load, heat->resistance, heat->time, 0,
                                     heat->limit - SPARE - wpin_air(v));
}

static double warmer_ohms(const wpin_facts *f, double rise) {
    const wpin_part_solenoid *s = &f->load->solenoid;
    rise = s->heat.drifts ? fmin(rise, s->heat.limit) : 0;
    return wpin_calc_warm_ohms(s->resistance, rise) - s->resistance;
}

/* Ohms its coil has more when it was on for long. */
static double warm_ohms(const wpin_facts *f, double amps) {
    return warmer_ohms(f, coil_rise(f, amps));
}

/* The same where it has to be held: on for long, or right after its kick. */
static double held_ohms(const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    double kick = coil_rise(f, heating_amps(f, fmin(l->kick_level, l->duty_max)));
    double kicked = 1 - exp(-l->kick_time / fmax(f->load->solenoid.heat.time, 1e-6));
    return warmer_ohms(f, fmax(coil_rise(f, heating_amps(f, on_duty(f))), kick * kicked));
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
    const wpin_part_solenoid *s = &f->load->solenoid;
    const wpin_rig_limits *l = &f->load->limits;
    double amps = heating_amps(f, fmin(l->kick_level, l->duty_max));
    double lasts = coil_lasts(v, f, amps);
    if (l->kick_time <= lasts) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
    wpin_cause(n, "its kick of %.3g ms with %.3g A heats it to %.0f degC within %.3g ms",
               l->kick_time * 1e3, amps, s->heat.limit, lasts * 1e3);
    wpin_consequence(n, "the coil burns when it is drawn in");
    wpin_cure_value(n, WPIN_KEY(.path = "start.kick-time", .unit = "ms", .digits = 0),
                    floor(0.6e3 * lasts), NULL);
}

static void coil(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_solenoid *s = &f->load->solenoid;
        double amps = heating_amps(f, on_duty(f)), most = f->load->limits.most_on;
        double end = wpin_air(v) + coil_rise(f, amps);
        if (!wpin_rig_type(f->load)->pulls || s->heat.resistance <= 0) {
            continue;
        }
        kick_heat(v, f);
        if (end <= s->heat.limit - SPARE) {
            continue;
        }
        double safe = coil_lasts(v, f, amps);
        if (most > 0 && most <= safe) {
            continue;
        }
        wpin_round round = wpin_round_of(v, f, WPIN_PART_WINDING);
        double room = s->heat.limit - SPARE - wpin_air(v);
        bool spared = wpin_round_spares(&round, room);
        wpin_finding *n = wpin_find_load(v, spared ? WPIN_CAUTION : WPIN_REFUSE, f);
        wpin_cause(n, "held in by %.3g A its coil reaches %.0f degC, it survives %.0f degC", amps,
                   end, s->heat.limit);
        wpin_consequence(n, "the coil burns after about %.3g s", safe);
        wpin_tell_round(n, v, &round, &s->heat, end - wpin_air(v), room);
        wpin_cure_value(n, WPIN_KEY(.path = "most-on", .unit = "s", .digits = 2), 0.5 * safe, NULL);
        double held = coil_amps(f, hold_percent(f) / 100);
        if (wpin_stage_kind_takes_duty(f->load->kind) &&
            wpin_air(v) + coil_rise(f, held) < s->heat.limit - SPARE) {
            if (f->load->limits.kick_level > 0) {
                wpin_cure_value(n, WPIN_KEY(.path = "on-duty", .unit = "%"), hold_percent(f), NULL);
            } else {
                wpin_cure(n, "on-duty: %.0f%% with a kick that draws it in", hold_percent(f));
            }
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
    wpin_cure_value(n, WPIN_KEY(.path = "ramp.up", .unit = "ms", .digits = 0),
                    fmax(1, floor(0.8e3 * l->kick_time)), "ramp: {up: %s} or shorter");
}

/* Drawn in with all there is, if that is enough, and held with less. */
static void plunger_cure(wpin_finding *n, const wpin_facts *f) {
    const wpin_part_solenoid *s = &f->load->solenoid;
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
    const wpin_part_solenoid *s = &f->load->solenoid;
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    double duty = on_duty(f);
    loop.ohms += held_ohms(f); /* a warm coil runs down sooner */
    double period = f->pwm_hz > 0 ? 1 / f->pwm_hz : 0;
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
    wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                    ceil(4 * f->loop_ohms / s->inductance), "pwm: %s or more");
}

/* Whether a duty draws it in: its current stays above the pull-in current for as long as that
 * takes, which the pulses of a slow PWM may not. */
static bool draws_in(const wpin_facts *f, double duty) {
    const wpin_part_solenoid *s = &f->load->solenoid;
    if (f->pwm_hz <= 0 || duty >= 1) {
        return coil_amps(f, 1) > s->pull_in;
    }
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    double above = wpin_calc_pwm_above_seconds(&loop, duty, 1.05 * s->pull_in); /* it warms */
    return coil_amps(f, duty) > s->pull_in && above >= 1.1 * s->pull_in_time;
}

static void plunger(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_solenoid *s = &f->load->solenoid;
        const wpin_rig_limits *l = &f->load->limits;
        if (!wpin_rig_type(f->load)->pulls) {
            continue;
        }
        double on = coil_on_amps(f), kick = coil_amps(f, fmin(l->kick_level, l->duty_max));
        double lag = s->inductance / f->loop_ohms, draw = fmax(on, kick);
        double kick_duty = fmin(l->kick_level, l->duty_max);
        double takes = draw > s->pull_in && draws_in(f, fmax(kick_duty, on_duty(f)))
                           ? -lag * log(1 - s->pull_in / draw) + s->pull_in_time
                           : HUGE_VAL;
        bool drawn = draws_in(f, on_duty(f)) || 1.2 * takes <= l->kick_time; /* a fifth to spare */
        double warm = on * f->loop_ohms / (f->loop_ohms + held_ohms(f));
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

const wpin_rule_entry wpin_rules_coil[] = {
    {{"coil-heat", "solenoid heat; most-on, on-duty", "a coil held in for too long",
      WPIN_EFFECT_BURNS},
     coil},
    {{"plunger", "solenoid; start kick; on-duty", "a plunger that does not come in or stay",
      WPIN_EFFECT_DEAD},
     plunger},
};
const size_t wpin_rules_coil_count = sizeof wpin_rules_coil / sizeof *wpin_rules_coil;
