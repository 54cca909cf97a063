/* Rules about switches: free-wheel diodes, dead time, bootstrap, single transistors. */
#include "rules.h"
#include <string.h>

/* ---- diodes, dead time, bootstrap ---- */

static void free_wheel(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (f->load->bridge.no_diodes && wpin_rig_type(f->load)->winding) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "the free-wheel diodes are missing");
            wpin_consequence(
                n, "the first time the current is cut off the winding's kick kills the driver");
            double driven =
                f->loop_ohms - f->switch_ohms +
                f->switches * f->load->bridge.on_resistance; /* if its drive is mended */
            wpin_cure(n, "a diode for %.3g A and %.3g V, ring to the supply: windpin size diode",
                      f->volts / driven, 1.5 * f->volts);
        }
    }
}

/* A transistor of one's own has no diode unless somebody puts one in. */
static void diode_assumed(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        bool alone = f->load->bridge.gate.kind != WPIN_TRANSISTOR_NONE;
        const wpin_rig_place *said = wpin_rig_place_of(v->rig, f->load->name, "driver free-wheel");
        bool told = said != NULL && strcmp(said->key, "free-wheel") == 0;
        if (alone && !told && wpin_rig_type(f->load)->winding) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "a single transistor, and the rig does not say that it has a free-wheel "
                          "diode");
            wpin_consequence(n, "it is taken to be there; without it the first switching off kills "
                                "the transistor");
            wpin_cure(n, "free-wheel: yes in its driver, once you have looked: windpin size diode");
        }
    }
}

/* Highest mean current of a diode over about a second: the motor's own, but for the share of the
 * time the switch has it. At a low duty, while a ramp turns inertia up, and held. */
static double diode_amps(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    if (!f->motor) {
        double duty = l->on_duty > 0 ? l->on_duty : l->duty_max;
        return wpin_calc_diode_amps(f->run_amps, duty);
    }
    double most = wpin_climb_of(f, false, 0).diode_amps;
    if (!f->trips) {
        most = fmax(most, wpin_climb_of(f, true, 0).diode_amps);
        wpin_pwm_loop loop = wpin_loop_of(f, 0);
        wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, l->duty_max);
        most = fmax(most, wave.rms * wave.off_share);
    }
    bool any = wpin_any_duty(v, f->load);
    for (int percent = 5; percent < 100 * l->duty_max; percent += 5) {
        double duty = percent / 100.0;
        if (any || wpin_asked_between(v, f->load, duty - 0.025, duty + 0.025)) {
            most = fmax(most, wpin_calc_diode_amps(wpin_running_amps(f, duty), duty));
        }
    }
    return most;
}

static void diode_limit(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double amps = diode_amps(v, f), limit = f->load->bridge.diode_limit;
        bool coil = f->motor || wpin_rig_type(f->load)->pulls;
        if (limit <= 0 || f->pwm_hz <= 0 || !coil || amps <= 0.8 * limit) {
            continue;
        }
        bool over = amps > limit;
        wpin_finding *n = wpin_find_load(v, over ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "while PWM is low its free-wheel diode carries up to %.3g A, averaged over a "
                   "second, it survives %.3g A",
                   amps, limit);
        wpin_consequence(n, over ? "the diode burns, and the next switching the driver"
                                 : "the diode gets hot");
        wpin_cure(n, "a diode for %.3g A and %.3g V: windpin size diode", 1.5 * amps,
                  1.5 * f->volts);
    }
}

static void diode_recovery(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double recovery = f->load->bridge.diode_recovery, share = recovery * f->pwm_hz;
        if (share > 0.01) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "its free-wheel diode takes %.3g us to block, %.2g %% of each PWM period",
                       recovery * 1e6, share * 100);
            wpin_consequence(n, "every turn-on is a short for that long: %.3g W of heat",
                             wpin_calc_recovery_watts(f->volts, f->run_amps, recovery, f->pwm_hz));
            wpin_cure(n, "a fast or Schottky diode, at most %.0f ns", floor(0.9e7 / f->pwm_hz));
            wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                            floor(0.009 / recovery), NULL);
        }
    }
}

static void dead_time(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!l->bridge.interlock && l->bridge.switch_time > l->limits.dead_time) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "a side takes %.3g us to turn off, the dead time is %.3g us, and nothing "
                       "else keeps "
                       "the sides apart",
                       l->bridge.switch_time * 1e6, l->limits.dead_time * 1e6);
            wpin_consequence(n, "shoot-through: both sides of a leg conduct");
            wpin_cure_value(n, WPIN_KEY(.path = "stage.dead-time", .unit = "us", .digits = 3),
                            ceil(1.5e6 * l->bridge.switch_time), NULL);
        }
    }
}

static void bootstrap(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (l->bridge.bootstrap_time > 0 && l->limits.duty_max >= 1) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(
                n,
                "its high side is fed by a bootstrap capacitor that lasts %.3g ms, and 100 %% duty "
                "never recharges it",
                l->bridge.bootstrap_time * 1e3);
            wpin_consequence(n, "at full duty the motor loses its drive");
            wpin_cure_value(n, WPIN_KEY(.path = "duty-limit", .unit = "%", .digits = 3),
                            floor(1000 * wpin_calc_bootstrap_duty(l->limits.pwm_hz, 2e-6)) / 10,
                            NULL);
        }
    }
}

/* ---- single transistors ---- */

/* A preferred base resistor, if the pin may give what it then takes. */
static void base_cure(wpin_finding *n, const wpin_rig_controller *c, const wpin_part_gate *g,
                      double amps) {
    double left = c->logic_volts - g->base_volts, ohms = left / amps - c->pin_resistance;
    ohms = ohms > 1 ? wpin_calc_preferred(ohms, 12, WPIN_ROUND_DOWN) : 0;
    if (ohms > 0 && left / (ohms + c->pin_resistance) <= c->pin_rated) {
        wpin_cure_value(
            n, WPIN_KEY(.path = "driver.transistor.base-resistor", .unit = "ohm", .digits = 3),
            ohms, "a base resistor of %s");
        wpin_cure(n, "a transistor with more gain, or a field-effect one");
        return;
    }
    wpin_cure(n,
              "a field-effect transistor for %.3g V logic, or a Darlington: this one takes %.3g mA "
              "into its base, a pin is rated for %.3g mA",
              c->logic_volts, amps * 1e3, c->pin_rated * 1e3);
}

/* What a load takes when nothing holds it back, and the least with which it does its work. */
typedef struct base_needs {
    double wants, needs;
    const char *work; /* what it does not do with less */
} base_needs;

static base_needs needs_of(const wpin_facts *f) {
    const wpin_rig_load *l = f->load;
    double all = f->volts / f->loop_ohms;
    switch (l->what) {
    case WPIN_RIG_SOLENOID: return (base_needs){all, 1.05 * l->solenoid.pull_in, "is not drawn in"};
    case WPIN_RIG_LAMP: {
        double amps = l->lamp.watts / l->lamp.volts;
        if (l->lamp.cold_share >= 1) {
            amps = (f->volts - l->lamp.forward_volts) / f->loop_ohms;
        }
        return (base_needs){amps, 0.95 * amps, "stays dim"};
    }
    default: return (base_needs){all, f->hold / l->motor.constant, "never breaks loose"};
    }
}

static void base_drive(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    wpin_part_controller part = wpin_rig_controller_part(v->rig);
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_gate *g = &f->load->bridge.gate;
        if (g->kind != WPIN_TRANSISTOR_NPN || wpin_rig_type(f->load)->steps) {
            continue;
        }
        double base = wpin_part_base_amps(&part, g);
        double most = f->most_amps * (1 - v->options.tolerance);
        base_needs n_of = needs_of(f);
        if (most >= n_of.wants) {
            continue;
        }
        bool never = most < n_of.needs;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "%.3g mA into the base times a gain of %.3g let %.3g A flow; switched on it "
                   "takes %.3g A",
                   base * 1e3, g->gain, most, n_of.wants);
        if (never) {
            wpin_consequence(n, "it %s (that takes %.3g A), and the transistor gets hot", n_of.work,
                             n_of.needs);
        } else {
            wpin_consequence(n, "it starts weakly and the transistor gets hot (%.3g A are enough)",
                             n_of.needs);
        }
        base_cure(n, c, g, wpin_calc_base_amps(n_of.wants, g->gain / 3));
    }
}

static void gate_drive(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_gate *g = &f->load->bridge.gate;
        bool high = g->kind == WPIN_TRANSISTOR_PFET;
        double volts = wpin_gate_volts(v, f) * (high ? 1 : 1 - v->options.tolerance);
        if ((g->kind != WPIN_TRANSISTOR_NFET && !high) || volts >= g->stated_at) {
            continue;
        }
        bool dead = volts <= g->threshold;
        wpin_finding *n = wpin_find_load(v, dead ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (dead) {
            wpin_cause(n, "its gate gets %.3g V, the threshold alone is %.3g V", volts,
                       g->threshold);
            wpin_consequence(n, "it never turns on");
        } else {
            wpin_cause(
                n,
                "its gate gets %.3g V, the on-resistance is stated at %.3g V; now it is about %.3g "
                "mohm",
                volts, g->stated_at, f->switch_ohms * 1e3);
            wpin_consequence(n, "half on: hot, and fewer volts for the load");
        }
        wpin_cure(n, "a transistor whose on-resistance is stated at %.3g V or less", volts);
    }
}

static void never_off(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_gate *g = &f->load->bridge.gate;
        double left = f->volts - v->rig->controller.logic_volts;
        if (g->kind == WPIN_TRANSISTOR_PFET && !g->shifter && left >= g->threshold) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "with the pin high its gate is still %.3g V below the supply, it conducts "
                       "from %.3g V "
                       "on",
                       left, g->threshold);
            wpin_consequence(n, "it never turns off: the load runs as soon as the supply is on");
            wpin_cure(n,
                      "a small transistor that pulls the gate down and a resistor that pulls it up "
                      "(shifter: yes in the transistor; inverted: [gate] in the stage, as a high "
                      "pin then turns it on)");
        }
    }
}

static void gate_limit(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_gate *g = &f->load->bridge.gate;
        double volts = wpin_gate_volts(v, f);
        if (g->kind == WPIN_TRANSISTOR_PFET && volts > g->limit) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "%.3g V between gate and source, it survives %.3g V", volts, g->limit);
            wpin_consequence(n, "the gate is punctured");
            wpin_cure(n,
                      "a clamp of %.3g V between gate and source, and a resistor before it "
                      "(clamp: %.3gV)",
                      0.6 * g->limit, 0.6 * g->limit);
        }
    }
}

const wpin_rule_entry wpin_rules_switch[] = {
    {{"free-wheel", "driver free-wheel", "no way on for the current of a winding",
      WPIN_EFFECT_BURNS},
     free_wheel},
    {{"diode-assumed", "driver free-wheel, transistor", "a free-wheel diode nobody spoke of",
      WPIN_EFFECT_ADVICE},
     diode_assumed},
    {{"diode-limit", "driver diode-limit; motor, solenoid",
      "a free-wheel diode that carries too much", WPIN_EFFECT_BURNS},
     diode_limit},
    {{"diode-recovery", "driver diode-recovery; pwm", "a free-wheel diode too slow for PWM",
      WPIN_EFFECT_ADVICE},
     diode_recovery},
    {{"dead-time", "driver interlock, switch-time; stage dead-time",
      "both sides of a leg on for an instant", WPIN_EFFECT_BURNS},
     dead_time},
    {{"bootstrap", "driver bootstrap; duty-limit", "100 % duty on a bootstrap", WPIN_EFFECT_DEAD},
     bootstrap},
    {{"base-drive", "driver transistor", "a base that gets too little", WPIN_EFFECT_DEAD},
     base_drive},
    {{"gate-drive", "driver transistor", "a gate that gets too little", WPIN_EFFECT_DEAD},
     gate_drive},
    {{"never-off", "driver transistor, shifter", "a high-side switch that never turns off",
      WPIN_EFFECT_MOVES},
     never_off},
    {{"gate-limit", "driver transistor, gate-limit", "a gate that gets too much",
      WPIN_EFFECT_BURNS},
     gate_limit},
};
const size_t wpin_rules_switch_count = sizeof wpin_rules_switch / sizeof *wpin_rules_switch;
