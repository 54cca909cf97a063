/* Rules about brushless motors by field orientation. */
#include "rules.h"
#include "windpin/vector.h"

/* What a PWM period takes of a controller of 32 bits, docs/benchmarks.md: a small one needs half as
 * much again as a cycle for an instruction. */
#define CYCLES 1560.0
#define BUSY   0.7

/* Electrical turns a second at the fastest. */
static double turns_at_most(const wpin_rig *rig, const wpin_rig_load *l) {
    return l->motor.pole_pairs * l->motor.gear_ratio * wpin_rig_full_rpm(rig, l) / 60;
}

/* The work of each period on the controller the rig names. */
static void period_rate(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    WPIN_EACH_LOAD(v, f) {
        double hz = f->load->limits.pwm_hz;
        if (!f->load->vector.there) {
            continue;
        }
        if (c->bits > 0 && c->bits < 32) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "field orientation takes each PWM period some %.0f cycles of a controller "
                       "of 32 bits; this one has %.0f bits",
                       CYCLES, c->bits);
            wpin_consequence(n, "it does not keep up with any PWM");
            wpin_cure(n, "six steps by Hall sensors (no field-oriented), which 8 bits serve");
            wpin_cure(n, "a controller of 32 bits");
            continue;
        }
        double share = c->clock > 0 ? hz * CYCLES / c->clock : 0;
        if (share > BUSY) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "its currents are regulated %.3g times a second, %.0f %% of this "
                       "controller's time; %.0f %% is the most, %.3g kHz",
                       hz, share * 100, BUSY * 100, BUSY * c->clock / CYCLES / 1e3);
            wpin_consequence(n, "its ticks come late, and so does all else");
            wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                            floor(BUSY * c->clock / CYCLES / 1000) * 1000, NULL);
        } else if (c->clock <= 0) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n,
                       "its currents are regulated %.3g times a second, some %.0f cycles of a "
                       "controller of 32 bits each",
                       hz, CYCLES);
            double least = ceil(hz * CYCLES / BUSY / 1e6);
            wpin_consequence(n,
                             "one of less than %.0f MHz has no time for it, one of 8 bits none at "
                             "all",
                             least);
            wpin_cure_value(n, WPIN_KEY(.part = "controller", .path = "clock", .unit = "MHz"),
                            fmax(64, least), "say what it has, e.g. %s");
        }
    }
}

/* Few periods in an electrical turn: the vector lags, and its sine gets steps. */
static void few_periods(wpin_vetter *v) {
    const double few = 10, least = 4, most = 1900;
    WPIN_EACH_LOAD(v, f) {
        double turns = f->load->vector.there ? turns_at_most(v->rig, f->load) : 0;
        double periods = turns > 0 ? f->load->limits.pwm_hz / turns : few;
        if (periods >= few && turns <= most) {
            continue;
        }
        bool never = periods < least || turns > most;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "at its fastest an electrical turn takes %.3g ms, %.3g periods of its PWM",
                   1e3 / turns, periods);
        wpin_consequence(n,
                         turns > most ? "more than %.0f electrical turns a second are not counted"
                         : never      ? "its currents can't be regulated there"
                                      : "its currents are regulated roughly there",
                         most);
        wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                        ceil(few * turns / 1000) * 1000, NULL);
        wpin_cure_value(
            n, WPIN_KEY(.path = "speed.maximum", .unit = "rpm", .digits = 0),
            floor(wpin_rig_full_rpm(v->rig, f->load) * fmin(periods / few, most / turns)), NULL);
    }
}

/* In a dead time a leg's diodes decide, by the current's sign, and the regulator of the currents
 * finds other volts than it asked for: most of all near nothing. */
static void vector_dead_time(wpin_vetter *v) {
    const double some = 0.13, most = 0.27; /* measured: peaks grow; it loses its angle */
    const double little = 0.08;            /* does neither */
    WPIN_EACH_LOAD(v, f) {
        const double dead = wpin_rig_leg_dead_time(f->load), hz = f->load->limits.pwm_hz;
        const double share = f->load->vector.there ? 2 * dead * hz : 0;
        if (share <= some) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, share > most ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "dead times of %.3g us take %.3g %% of each PWM period from its legs",
                   dead * 1e6, share * 100);
        wpin_consequence(n, share > most ? "its currents are not the ones asked for: it stands "
                                           "where it should turn, loses its angle, or trips"
                                         : "its currents are no sines, with higher peaks, most of "
                                           "all while it turns slowly");
        const bool own = f->load->kind->table->leg_count == 0; /* the driver's */
        const double least = 1.5e6 * f->load->bridge.switch_time,
                     good = floor(little / 2 * 1e6 / hz);
        if (good >= fmax(least, 1)) {
            wpin_cure_value(n,
                            WPIN_KEY(.path = own ? "driver.dead-time" : "stage.dead-time",
                                     .unit = "us", .digits = 0),
                            good, own ? "a driver with a dead time of %s" : NULL);
        }
        const double slower = floor(little / 2 / dead / 1000) * 1000;
        if (slower > 0) {
            wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0), slower,
                            NULL);
        }
    }
}

/* A low side has to be on for as long as its shunt's amplifier takes to settle. */
static void shunt_window(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (!f->load->vector.there) {
            continue;
        }
        wpin_vector_design d = wpin_rig_vector_design(v->rig, f->load);
        const double whole = 0.999;
        if (d.most >= whole) {
            continue;
        }
        bool three = f->load->vector.shunts[2] != WPIN_NO_SHUNT, never = d.most < 0.5;
        wpin_finding *n = wpin_find_load(v,
                                         never          ? WPIN_REFUSE
                                         : d.most < 0.9 ? WPIN_CAUTION
                                                        : WPIN_NOTE,
                                         f);
        wpin_cause(n,
                   "its shunts can be read while a low side is on for %.3g us, %.3g %% of a PWM "
                   "period",
                   2e6 * f->load->vector.settle, d.least_low * 100);
        wpin_consequence(n, "%.3g %% of the voltage is the most it gets", d.most * 100);
        if (!three) {
            wpin_cure(n, "a third shunt: field-oriented: {shunts: {a, b, c}}");
        }
        double share =
            three ? 0.13 : 0.02; /* of a period, before and after: next to nothing is lost */
        wpin_cure_value(n, WPIN_KEY(.path = "field-oriented.settle", .unit = "us", .digits = 1),
                        floor(10e6 * share / 4 / f->load->limits.pwm_hz) / 10,
                        "amplifiers that settle in %s");
        wpin_cure(n, "shunts in the leads: at: leads");
    }
}

/* What the shunts can tell both ways, against what is asked of them. */
static void shunt_reach(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double reach = l->vector.there ? wpin_rig_sense_reach(v->rig, l) : 0;
        double asked = fmax(l->limits.limit_amps * 1.05, l->current.there ? l->current.rated : 0);
        if (reach <= 0 || asked <= 0.9 * reach) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(
            n, "its shunts measure up to %.3g A between two leads, and %.3g A are to be regulated",
            reach, asked);
        wpin_consequence(n, "it is held at %.3g A, a tenth below what they measure", 0.9 * reach);
        wpin_cure_value(n, WPIN_KEY(.path = "driver.sense", .unit = "mV/A", .digits = 0),
                        floor(l->bridge.sense_volts_per_amp * 1e3 * 0.85 * reach / asked), NULL);
    }
}

/* Sine currents in a motor made for six steps. */
static void flat_emf(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (!f->load->vector.there || f->load->motor.sinusoidal) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "its back-emf has flat tops, and its currents are sines");
        wpin_consequence(n,
                         "its torque goes up and down six times an electrical turn; it turns some "
                         "%s than its speed constant says",
                         f->load->motor.delta ? "8 % faster" : "5 % slower");
        wpin_cure(n, "'back-emf: sine' where a picture of it shows one");
        wpin_cure(n, "six steps, which it was made for");
    }
}

/* Where an encoder counts from is found by turning the shaft. */
static void alignment(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!l->vector.there || l->hall.there) {
            continue;
        }
        wpin_vector_design d = wpin_rig_vector_design(v->rig, l);
        double pulls = d.align_amps * sqrt(3) / 2 * l->motor.constant;
        bool weak = pulls < 2 * f->hold, never = pulls < 1.1 * f->hold, swings = d.align < d.swing;
        wpin_finding *n = wpin_find_load(v,
                                         never            ? WPIN_REFUSE
                                         : weak || swings ? WPIN_CAUTION
                                                          : WPIN_NOTE,
                                         f);
        wpin_cause(
            n,
            "at its first start it is led to its encoder's place with %.3g mNm, against "
            "%.3g mNm of friction and load, %.3g s for each of four pulls; the output turns by up "
            "to %.3g deg",
            pulls * 1e3, f->hold * 1e3, d.align, 360 / l->motor.pole_pairs / l->motor.gear_ratio);
        wpin_consequence(n, never  ? "it is not led there: its angle is wrong, and it does not run"
                            : weak ? "its angle may be off, and it takes more current than it needs"
                            : swings ? "it still swings about its place, to and fro in longer than "
                                       "that, and its angle is off"
                                     : "what it is connected to has to have that room, either way");
        if (weak) {
            wpin_cure_value(
                n, WPIN_KEY(.path = "field-oriented.align-current", .unit = "A", .digits = 2),
                ceil(30 * f->hold / l->motor.constant) / 10, NULL);
        }
        if (swings) {
            wpin_cure_value(n, WPIN_KEY(.path = "field-oriented.align", .unit = "s", .digits = 2),
                            ceil(20 * d.swing) / 10, NULL);
        }
        wpin_cure(n, "Hall sensors, which know where it is from the first moment");
    }
}

const wpin_rule_entry wpin_rules_vector[] = {
    {{"field-rate", "field-oriented; stage pwm; controller clock, bits",
      "a controller too slow for field orientation", WPIN_EFFECT_ADVICE},
     period_rate},
    {{"field-pwm", "field-oriented; stage pwm; motor pole-pairs; speed maximum",
      "too few PWM periods in an electrical turn", WPIN_EFFECT_ADVICE},
     few_periods},
    {{"field-dead-time", "field-oriented; stage dead-time, pwm",
      "dead times that leave field orientation other volts than it asks for", WPIN_EFFECT_DEAD},
     vector_dead_time},
    {{"shunt-window", "field-oriented shunts, settle, at; stage pwm",
      "low sides on too shortly to read their shunts", WPIN_EFFECT_DEAD},
     shunt_window},
    {{"shunt-reach", "driver sense; field-oriented zero; current-trip limit; current",
      "more current than shunts measure both ways", WPIN_EFFECT_ADVICE},
     shunt_reach},
    {{"flat-emf", "field-oriented; motor back-emf", "sine currents in a motor with flat tops",
      WPIN_EFFECT_ADVICE},
     flat_emf},
    {{"field-alignment", "field-oriented align-current; encoder; motor load",
      "an encoder whose place is found against too much friction", WPIN_EFFECT_DEAD},
     alignment},
};
const size_t wpin_rules_vector_count = sizeof wpin_rules_vector / sizeof *wpin_rules_vector;
