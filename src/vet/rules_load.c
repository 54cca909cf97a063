/* Rules about loads: can they start, do they get hot, do they stop where they should. */
#include "rules.h"

#define PI 3.14159265358979323846

static void start_torque(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double torque = f->motor ? f->load->motor.constant * f->stall_amps : 0;
        if (f->motor && torque < f->hold) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "at most %.3g mNm at rest (%.3g A), friction and load hold it with %.3g mNm",
                       torque * 1e3, f->stall_amps, f->hold * 1e3);
            wpin_consequence(n, "it hums and stands");
            wpin_cure(n, "a gear of %.3g:1 or more, more volts, or a stronger motor",
                      1.5 * f->load->motor.gear_ratio * f->hold / fmax(torque, 1e-9));
        } else if (f->motor && torque < 1.5 * f->hold) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "%.3g mNm at rest against %.3g mNm of friction and load", torque * 1e3,
                       f->hold * 1e3);
            wpin_consequence(n, "on a cold day or with tired cells it does not start");
            wpin_cure(n, "half as much torque again: gear, volts or motor");
        }
    }
}

static void winding(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_heat *h = &f->load->motor.heat;
        double degrees =
            wpin_air(v) + f->run_amps * f->run_amps * f->load->motor.resistance * h->resistance;
        if (f->motor && h->resistance > 0 && degrees > h->limit) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "running, %.3g A heat its winding to %.0f degC, it survives %.0f degC",
                       f->run_amps, degrees, h->limit);
            wpin_consequence(n, "the winding burns after %.3g s and more", h->time);
            wpin_cure(n, "less load, a duty-limit, or runs shorter than %.3g s",
                      -h->time * log(1 - (h->limit - wpin_air(v)) / (degrees - wpin_air(v))));
        }
    }
}

/* ---- solenoids ---- */

static double coil_amps(const wpin_facts *f, double duty) {
    /* while PWM is low the current runs through the diode, which takes its volts too */
    double volts = duty * f->volts - (1 - duty) * f->load->bridge.diode_volts;
    return fmax(0, volts) / f->loop_ohms;
}

static double on_duty(const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    return l->on_duty > 0 ? fmin(l->on_duty, l->duty_max) : l->duty_max;
}

static double coil_on_amps(const wpin_facts *f) {
    return coil_amps(f, on_duty(f));
}

/* On-duty that holds the plunger with a fifth to spare, percent. */
static double hold_percent(const wpin_facts *f) {
    double diode = f->load->bridge.diode_volts;
    double volts = 1.2 * f->load->solenoid.drop_out * f->loop_ohms + diode;
    return fmin(100, ceil(100 * volts / (f->volts + diode)));
}

static void coil(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_solenoid *s = &f->load->solenoid;
        double amps = coil_on_amps(f), most = f->load->limits.most_on;
        double end = wpin_air(v) + amps * amps * s->resistance * s->heat.resistance;
        if (f->load->what != WPIN_RIG_SOLENOID || s->heat.resistance <= 0 || end <= s->heat.limit) {
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
        wpin_cure(n, "most-on: %.2gs, or on-duty: %.0f%% with a kick that draws it in", 0.5 * safe,
                  hold_percent(f));
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

static void plunger(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_solenoid *s = &f->load->solenoid;
        const wpin_rig_limits *l = &f->load->limits;
        if (f->load->what != WPIN_RIG_SOLENOID) {
            continue;
        }
        double on = coil_on_amps(f), kick = l->kick_level * f->volts / f->loop_ohms;
        double lag = s->inductance / f->loop_ohms, draw = fmax(on, kick);
        double takes =
            draw > s->pull_in ? -lag * log(1 - s->pull_in / draw) + s->pull_in_time : HUGE_VAL;
        bool drawn = on > s->pull_in || 1.2 * takes <= l->kick_time; /* a fifth to spare */
        if (drawn && on <= s->pull_in && on >= s->drop_out) {
            falls_back(v, f);
        }
        if (!drawn || on < s->drop_out) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            if (!drawn) {
                wpin_cause(n, "'on' gives it %.3g A, it takes %.3g A for %.3g ms to be drawn in",
                           draw, s->pull_in, s->pull_in_time * 1e3);
            } else {
                wpin_cause(n, "'on' holds it with %.3g A, it falls back below %.3g A", on,
                           s->drop_out);
            }
            wpin_consequence(n,
                             drawn ? "the plunger does not stay in" : "the plunger never comes in");
            wpin_cure(n,
                      "start: {kick-level: 100%%, kick-time: %.0fms} and on-duty: %.0f%% or more",
                      ceil(1e3 * (2 * s->pull_in_time + 2 * lag)), hold_percent(f));
        }
    }
}

/* ---- lamps ---- */

static void inrush(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_sim_bridge *b = &f->load->bridge;
        bool lamp = f->load->what == WPIN_RIG_LAMP && f->load->lamp.cold_share < 1;
        double lasts = 0.5 * f->load->lamp.warm_up;
        if (!lamp || f->stall_amps <= b->burns_above_amps || b->protects) {
            continue;
        }
        bool burns = lasts > b->burns_after;
        wpin_finding *n = wpin_find_load(v, burns ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "its cold filament takes %.3g A for some %.3g ms; the driver survives %.3g A "
                   "for %.3g ms",
                   f->stall_amps, lasts * 1e3, b->burns_above_amps, b->burns_after * 1e3);
        wpin_consequence(n, burns ? "the driver burns when it is switched on cold"
                                  : "each switching on wears the driver");
        wpin_cure(n, "a driver for %.3g A, or %.2g ohm in series", 1.25 * f->stall_amps,
                  f->volts / b->burns_above_amps - f->loop_ohms);
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

static void step_rate(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_stepping *d = &f->load->stepping;
        const wpin_sim_stepper *s = &f->load->stepper;
        if (f->load->what != WPIN_RIG_STEPPER) {
            continue;
        }
        double halves = d->half_steps ? 2 : 1, per_turn = s->steps_a_turn;
        double top = d->top_rate / halves, slow = d->start_rate / halves;
        double speed = top / per_turn * 2 * PI, first = slow / per_turn * 2 * PI;
        double left = pull_out(f, top, speed),
               takes = s->dry_friction + s->viscous_friction * speed +
                       s->inertia * d->rate_gain / halves / per_turn * 2 * PI;
        double jerk = s->dry_friction + s->inertia * first * slow / 2;
        if (left < takes || pull_out(f, slow, first) < jerk) {
            bool at_start = pull_out(f, slow, first) < jerk;
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "%s it has %.3g mNm, and %.3g mNm are needed",
                       at_start ? "started at its start-rate" : "at its top-rate",
                       1e3 * (at_start ? pull_out(f, slow, first) : left),
                       1e3 * (at_start ? jerk : takes));
            wpin_consequence(n, "it loses steps: it is not where it is counted");
            wpin_cure(n, "%s",
                      at_start ? "a start-rate of half as much, and a ramp"
                               : "a lower top-rate, more volts or more current");
        }
    }
}

/* ---- rest before turning over ---- */

/* Time from zero duty to rest, after the ramp down from full duty: small steps, current one way
 * only. */
static double run_down(const wpin_facts *f) {
    const wpin_sim_motor *m = &f->load->motor;
    double n = m->gear_ratio, loss = m->gear_efficiency, w = f->speed;
    double viscous = m->viscous_friction + m->load_viscous / (n * n * loss);
    double quadratic = m->load_quadratic / (n * n * n * loss);
    double ramp = f->load->limits.ramp_down * f->load->limits.duty_max, dt = fmax(ramp, 0.05) / 400;
    double t = -ramp;
    for (int i = 0; i < 200000 && w > 0; i++) {
        double volts = t < 0 ? f->volts * f->load->limits.duty_max * -t / ramp : 0;
        double amps = fmax(0, (volts - m->constant * w) / f->loop_ohms);
        w += (m->constant * amps - f->torque - viscous * w - quadratic * w * w) / f->inertia * dt;
        t += dt;
    }
    return fmax(t, 0);
}

static void rest(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        bool turns =
            f->motor && wpin_stage_kind_has(l->kind, WPIN_STATE_REVERSE) && !l->rest_brakes;
        double takes = turns ? run_down(f) : 0;
        if (takes > l->limits.rest) {
            wpin_finding *n =
                wpin_find_load(v, takes > 1.5 * l->limits.rest ? WPIN_REFUSE : WPIN_CAUTION, f);
            wpin_cause(
                n, "from full speed it runs on for about %.2f s after its ramp, 'rest' is %.2f s",
                takes, l->limits.rest);
            wpin_consequence(
                n, "it is driven the other way while it still turns: up to %.3g A",
                wpin_calc_reversal_amps(f->volts, l->motor.constant * f->speed, f->loop_ohms));
            wpin_cure(n, "rest: %.2gs, a longer ramp down, or at-rest: brake", 1.2 * takes);
        }
    }
}

/* ---- limits ---- */

static void limit_side(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        for (int way = 0; way < 2; way++) {
            int input = f->load->limits.limit_inputs[way];
            const wpin_sim_motor *m = &f->load->motor;
            if (input < 0 || v->rig->inputs[input].kind != WPIN_RIG_LIMIT) {
                continue;
            }
            const wpin_rig_input *i = &v->rig->inputs[input];
            bool of_it = i->load == (int)(f->load - v->rig->loads);
            double place = way == 0 ? fmin(i->from, m->stop_high) : fmax(i->to, m->stop_low);
            bool beyond = m->stop_high > m->stop_low &&
                          (way == 0 ? i->from >= m->stop_high : i->to <= m->stop_low);
            bool wrong_end = m->stop_high > m->stop_low && of_it &&
                             (way == 0 ? i->to < m->stop_high && i->from < m->stop_low
                                       : i->from > m->stop_low && i->to > m->stop_high);
            if (!of_it || beyond || wrong_end) {
                wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
                wpin_cause(n, "its limit %s, '%s', %s", way == 0 ? "forward" : "reverse", i->name,
                           !of_it   ? "belongs to another load"
                           : beyond ? "lies beyond its end stop"
                                    : "is at the other end of its travel");
                wpin_consequence(n, "it drives into its end stop and stays there, stalled");
                wpin_cure(n, "swap the two inputs, or move the switch before %.3g deg",
                          360 * (beyond ? (way == 0 ? m->stop_high : m->stop_low) : place));
            }
        }
    }
}

static void no_limit(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        const wpin_sim_motor *m = &f->load->motor;
        bool open =
            l->limit_inputs[0] < 0 ||
            (l->limit_inputs[1] < 0 && wpin_stage_kind_has(f->load->kind, WPIN_STATE_REVERSE));
        if (f->motor && m->stop_high > m->stop_low && open) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "it has end stops and no limit switch before each");
            wpin_consequence(n, "a run that is too long ends in a stall of %.3g A", f->stall_amps);
            wpin_cure(n, "limits: {forward: INPUT, reverse: INPUT}, or a current-trip");
        }
    }
}

static void rated(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double volts = f->load->limits.rated_volts;
        if (volts > 0 && volts < 0.98 * f->volts) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "rated %.3g V on %.3g V: its duty is capped at %.3g %%", volts, f->volts,
                       f->load->limits.duty_max * 100);
            wpin_consequence(n, "100 %% can't be asked for");
            wpin_cure(n, "nothing to do; or a supply of %.3g V", volts);
        }
    }
}

const wpin_rule_entry wpin_rules_load[] = {
    {{"start-torque", "motor; load; gear", "a load that never breaks loose", WPIN_EFFECT_DEAD},
     start_torque},
    {{"winding-heat", "motor heat", "a winding that gets too hot", WPIN_EFFECT_BURNS}, winding},
    {{"coil-heat", "solenoid heat; most-on, on-duty", "a coil held in for too long",
      WPIN_EFFECT_BURNS},
     coil},
    {{"plunger", "solenoid; start kick; on-duty", "a plunger that does not come in or stay",
      WPIN_EFFECT_DEAD},
     plunger},
    {{"inrush", "lamp; driver current-limit", "a cold filament's current", WPIN_EFFECT_BURNS},
     inrush},
    {{"step-rate", "stepper; stepping", "steps faster than the torque", WPIN_EFFECT_DEAD},
     step_rate},
    {{"rest", "rest; motor; ramp", "turned over before it has come to rest", WPIN_EFFECT_DEAD},
     rest},
    {{"limit-side", "limits; travel", "a limit switch at the wrong end", WPIN_EFFECT_MOVES},
     limit_side},
    {{"end-stop", "travel; limits", "end stops without limit switches", WPIN_EFFECT_ADVICE},
     no_limit},
    {{"rated-volts", "rated", "rated for fewer volts than the supply has", WPIN_EFFECT_ADVICE},
     rated},
};
const size_t wpin_rules_load_count = sizeof wpin_rules_load / sizeof *wpin_rules_load;
