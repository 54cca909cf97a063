/* Rules about PWM: its frequency against stage, motor, ear, timer and supply. */
#include "rules.h"

static void pwm_limit(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        if (l->pwm_most > 0 && l->pwm_hz > l->pwm_most) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "PWM at %.3g kHz, the stage follows up to %.3g kHz", l->pwm_hz / 1e3,
                       l->pwm_most / 1e3);
            wpin_consequence(n, "it is never quite on or off: heat, and a low duty does nothing");
            wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "kHz", .digits = 3),
                            l->pwm_most / 1e3, NULL);
        }
    }
}

/* By how much the current would swing in a period at half duty, where it does most, if it went on
 * as it begins. */
static double straight_swing(const wpin_facts *f) {
    bool fast = f->load->bridge.off_phase == WPIN_OFF_FAST;
    double amps =
        wpin_calc_ripple_amps(f->volts, 0.5, f->load->limits.pwm_hz, f->load->motor.inductance);
    return amps * (fast ? 2 : 1);
}

/* How far it does: never more than all there is. */
static double swing(const wpin_facts *f) {
    return fmin(straight_swing(f), f->stall_amps);
}

static void ripple(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!f->motor || f->pwm_hz <= 0) {
            continue;
        }
        double amps = swing(f);
        if (amps > 0.6 * f->stall_amps && amps > f->run_amps) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "at %.5g Hz the current swings by %.3g A, the motor runs on %.3g A",
                       l->limits.pwm_hz, amps, f->run_amps);
            wpin_consequence(n, "heat and noise without torque");
            double hz = ceil(l->limits.pwm_hz * straight_swing(f) / (0.5 * f->stall_amps));
            if (hz <= WPIN_RIG_PWM_MOST) {
                wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0), hz,
                                "pwm: %s or more, if the inductance is right");
            } else {
                wpin_cure(n, "a choke before the motor, if its inductance is right");
            }
        }
    }
}

/* A sense that follows the ripple, read once a tick: half the swing, by its lag, counts. */
static void sense_ripple(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double hz = f->pwm_hz, turns = 2 * PI * hz * l->bridge.sense_filter;
        bool brushed = f->motor && !wpin_rig_three_leads(l) && !wpin_rig_type(l)->steps;
        if (!brushed || hz <= 0 || l->limits.trip_input < 0 || hz * l->bridge.sense_filter >= 1) {
            continue;
        }
        double off = swing(f) / 2 / hypot(1, turns);
        double counts = l->current.there ? f->run_amps : l->limits.trip_amps;
        if (off < 0.1 * counts) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "its current sense follows the ripple of PWM: what is read lies within %.2g A "
                   "of the mean, on either side",
                   off);
        wpin_consequence(n, l->current.there
                                ? "current and torque are regulated by the moment they are read at"
                                : "a trip comes at so much less or more than its level");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.sense-filter", .unit = "ms", .digits = 3),
                        5e3 / hz, "sense-filter: %s, which shows the mean");
        wpin_cure(n, "a converter that the timer starts in the middle of the PWM's high part");
    }
}

static void audible(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double hz = f->pwm_hz;
        if (f->motor && hz > 0 && hz < 16e3) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "PWM at %.5g Hz can be heard", hz);
            wpin_consequence(n, "the motor sings");
            wpin_cure(n, "pwm: 20kHz, if the stage follows");
        }
    }
}

static void steps(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        double count = l->soft_pwm ? 1 / (l->pwm_hz * c->soft_tick) : c->timer_hz / l->pwm_hz;
        if (f->pwm_hz > 0 && count < 100) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "%.0f duty steps: one is %.2g %%", floor(count), 100 / floor(count));
            wpin_consequence(n, "slow ramps are stairs");
            wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                            floor(l->pwm_hz * count / 100), NULL);
            wpin_cure(n, l->soft_pwm ? "a pin with a timer" : "a faster timer clock");
        }
    }
}

/* What the supply's own capacitor swings by at half duty, where the swing is greatest. */
static void bulk(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double farads = f->supply->capacitance;
        if (farads <= 0 || f->supply->capacitor_assumed || f->pwm_hz <= 0 ||
            wpin_rig_type(f->load)->shines) {
            continue;
        }
        double most = 0.05 * f->volts, ohms = f->supply->resistance;
        double swing = wpin_calc_bulk_ripple(f->run_amps, f->pwm_hz, farads, ohms);
        if (swing > most) {
            double wanted = wpin_calc_ripple_farads(f->run_amps, f->pwm_hz, most, ohms);
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "%.3g A at %.5g Hz swing its supply by %.2g V with %.3g uF", f->run_amps,
                       f->pwm_hz, swing, farads * 1e6);
            wpin_consequence(n, "the capacitor gets warm, the wires radiate, the logic may suffer");
            wpin_cure(n,
                      "%.2g uF of low ripple resistance next to the driver: windpin size "
                      "capacitors",
                      ceil(wanted * 1e6));
        }
    }
}

static bool plan_calibrates(const wpin_vetter *v, const wpin_facts *f) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        if (s->op == WPIN_OP_CALIBRATE && s->target.number == f->load - v->rig->loads) {
            return true;
        }
    }
    return false;
}

/* A controller of its own drives only after it has seen the neutral pulse it is calibrated to. */
static void pulse_ends(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        const wpin_part_driver *b = &f->load->bridge;
        if (!wpin_logic_of(f->load->kind->logic)->pulses || plan_calibrates(v, f)) {
            continue;
        }
        double off = fabs(l->pulse_zero - b->pulse_zero) / b->pulse_swing;
        double reach = l->pulse_swing / b->pulse_swing;
        if (off < 0.02 && fabs(reach - 1) < 0.03) {
            continue;
        }
        bool dead = off >= 0.02;
        wpin_finding *n = wpin_find_load(v, dead ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (dead) {
            wpin_cause(n, "neutral is sent as %.4g us, its controller is calibrated to %.4g us",
                       l->pulse_zero * 1e6, b->pulse_zero * 1e6);
            wpin_consequence(n, "it never sees neutral and never drives");
        } else {
            wpin_cause(
                n, "full is sent as neutral and %.4g us, its controller is calibrated to %.4g us",
                l->pulse_swing * 1e6, b->pulse_swing * 1e6);
            wpin_consequence(n,
                             reach < 1 ? "full duty is only %.0f %% of what it can"
                                       : "it gives all from %.0f %% duty on",
                             100 * (reach < 1 ? reach : 1 / reach));
        }
        wpin_cure(n,
                  "pulse-neutral: %.4gus, pulse-swing: %.4gus in the stage, or calibrate it again",
                  b->pulse_zero * 1e6, b->pulse_swing * 1e6);
    }
}

const wpin_rule_entry wpin_rules_pwm[] = {
    {{"pulse-ends", "stage pulse-neutral, pulse-swing; driver pulse-neutral",
      "servo-style pulses unlike those its controller is calibrated to", WPIN_EFFECT_DEAD},
     pulse_ends},
    {{"pwm-limit", "driver pwm-limit", "PWM faster than the stage", WPIN_EFFECT_ADVICE}, pwm_limit},
    {{"ripple", "motor inductance; pwm", "more ripple than torque", WPIN_EFFECT_ADVICE}, ripple},
    {{"sense-ripple", "driver sense, sense-filter; pwm; motor inductance",
      "a current sense that shows the ripple of PWM", WPIN_EFFECT_ADVICE},
     sense_ripple},
    {{"audible-pwm", "pwm", "PWM that can be heard", WPIN_EFFECT_ADVICE}, audible},
    {{"duty-steps", "timer-clock, fast-tick; pwm", "few duty steps", WPIN_EFFECT_ADVICE}, steps},
    {{"bulk-capacitor", "supply capacitor; pwm", "a supply that swings with every PWM period",
      WPIN_EFFECT_ADVICE},
     bulk},
};
const size_t wpin_rules_pwm_count = sizeof wpin_rules_pwm / sizeof *wpin_rules_pwm;
