/* Rules about steppers: torque at a rate, resonance, current. */
#include "rules.h"

/* Torque left at a rate: a square wave of current in L and R reaches I tanh(t / 2 tau), the
 * back-emf takes volts away. */
static double pull_out(const wpin_facts *f, double full_rate, double speed) {
    const wpin_part_stepper *s = &f->load->stepper;
    double constant = s->holding_torque / (sqrt(2) * s->rated_amps);
    double amps = fmax(0, f->stall_amps / 2 - constant * speed / f->loop_ohms);
    double half_wave = 2 / full_rate, tau = s->inductance / f->loop_ohms;
    return constant * amps * tanh(half_wave / (2 * tau));
}

/* Torque it has and torque it needs at a rate it is started at, or has ramped to. */
typedef struct step_torque {
    double has, needs;
} step_torque;

static step_torque torque_at(const wpin_facts *f, double rate, bool started) {
    const wpin_rig_stepping *d = &f->load->stepping;
    const wpin_part_stepper *s = &f->load->stepper;
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
        if (!wpin_rig_type(f->load)->steps) {
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

/* How often a rotor swings about its place: sqrt(poles x torque / inertia); and that torque. */
static double swings(const wpin_facts *f, double *torque) {
    const wpin_part_stepper *s = &f->load->stepper;
    *torque = s->holding_torque / (sqrt(2) * s->rated_amps) * f->stall_amps / sqrt(2);
    return sqrt(s->steps_per_rev / 4 * *torque / s->inertia) / (2 * PI);
}

/* In full steps, stepped near that and hardly damped, it swings further each time until it falls
 * out of step. */
static void resonance(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_stepper *s = &f->load->stepper;
        const wpin_rig_stepping *d = &f->load->stepping;
        if (!wpin_rig_type(f->load)->steps || d->half_steps) {
            continue;
        }
        double torque, hz = swings(f, &torque);
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
        wpin_cure_value(
            n, WPIN_KEY(.path = "stepper.stepping.start-rate", .unit = "steps/s", .digits = 0),
            ceil(1.6 * hz), "start-rate: %s, if its torque allows that");
    }
}

/* Let go before it stands, it stops where its swing has brought it. */
static void step_release(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_stepping *d = &f->load->stepping;
        if (!wpin_rig_type(f->load)->steps || d->at_end != WPIN_STEP_RELEASE) {
            continue;
        }
        double torque, hz = swings(f, &torque), after = 1 / d->start_rate + d->release_after;
        if (after * hz >= 2) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n,
                   "it is let go %.3g ms after its last step, and its rotor swings about its "
                   "place at %.0f Hz first",
                   1e3 * after, hz);
        wpin_consequence(n, "it stops up to a step aside of where it is counted");
        wpin_cure_value(
            n, WPIN_KEY(.path = "stepper.stepping.release-after", .unit = "ms", .digits = 0),
            ceil(300 / hz) * 10, "release-after: %s");
        wpin_cure(n, "at-end: hold");
    }
}

/* Temperature at which a winding settles that carries a current for good. */
static double winding_degrees(const wpin_vetter *v, const wpin_facts *f, double amps) {
    const wpin_part_stepper *s = &f->load->stepper;
    wpin_winding_load load = {.ohms = s->resistance,
                              .other_ohms = f->loop_ohms - s->resistance,
                              .amps = amps * sqrt(2), /* both are on */
                              .by_volts = true,
                              .drifts = s->heat.drifts};
    return wpin_air(v) + wpin_calc_winding_rise(&load, s->heat.resistance);
}

static void cure_current(wpin_finding *n, const wpin_facts *f, bool rests) {
    const wpin_part_stepper *s = &f->load->stepper;
    bool pwm = wpin_stage_kind_has_pwm(f->load->kind);
    double share = fmin(0.95 * s->rated_amps / fmax(f->stall_amps / 2, 1e-9), 1);
    if (share > 0.05) {
        wpin_cure(n, pwm ? "duty: %.0f%%" : "kind: dual-bridge-enable, with duty: %.0f%%",
                  floor(100 * share * f->load->stepping.duty));
    }
    wpin_cure_value(n,
                    WPIN_KEY(.part = f->supply->name, .path = "voltage", .unit = "V", .digits = 3),
                    0.95 * s->rated_amps * f->loop_ohms, "a supply of %s");
    if (rests) {
        wpin_cure(n, "at-end: release, if nothing has to be held");
    }
    wpin_cure(n, "a driver that regulates the current");
}

/* Windings that carry more than they are rated for: where it stands for as long as it holds, and on
 * its way. */
static void stepper_current(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_stepper *s = &f->load->stepper;
        const wpin_rig_stepping *d = &f->load->stepping;
        if (!wpin_rig_type(f->load)->steps) {
            continue;
        }
        double moves = f->stall_amps / 2;
        double rests = d->release_after > 0
                           ? 0
                           : wpin_rig_step_wave(f->load, f->volts, f->loop_ohms, true).rms;
        double degrees = winding_degrees(v, f, rests);
        bool burns = s->heat.resistance > 0 && degrees > s->heat.limit;
        double worst = fmax(moves, rests), share = worst / s->rated_amps;
        if (!burns && share <= 1.2) {
            continue;
        }
        bool stands = rests >= moves;
        wpin_finding *n = wpin_find_load(v, burns || share > 1.5 ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (burns) {
            wpin_cause(n,
                       "standing, %.3g A in each winding heat it to %.0f degC, it survives %.0f "
                       "degC; rated are %.3g A",
                       rests, degrees, s->heat.limit, s->rated_amps);
        } else {
            wpin_cause(n, "%s, each winding takes %.3g A (%.3g V, %.3g ohm%s), rated are %.3g A",
                       stands ? "standing" : "while it steps", worst, f->volts, f->loop_ohms,
                       f->pwm_hz > 0 && d->duty < 1 ? ", by its duty" : "", s->rated_amps);
        }
        wpin_consequence(n, "its windings get too hot where it %s",
                         burns || stands ? "holds" : "steps for long");
        cure_current(n, f, burns || stands);
    }
}

/* For how long its windings are without current in each period. Where both ends are let go it is
 * driven out of them by the supply. */
static double bare_seconds(const wpin_facts *f) {
    double lag = f->load->stepper.inductance / f->loop_ohms;
    double fades = wpin_rig_off_phase(f->load) == WPIN_OFF_FAST ? log(2) * lag : 3 * lag;
    return f->pwm_hz > 0 ? (1 - f->load->stepping.duty) / f->pwm_hz - fades : 0;
}

/* Pulses that come about as often as its rotor swings. */
static void shaken_by_pwm(wpin_vetter *v, const wpin_facts *f) {
    double torque, hz = swings(f, &torque);
    bool near = f->pwm_hz > 0 && f->load->stepping.duty < 1 && f->pwm_hz < 1.6 * hz;
    if (!near || f->load->stepper.dry_friction > 0.15 * torque) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
    wpin_cause(n, "its rotor swings at about %.0f Hz, and is let go %.5g times a second by its PWM",
               hz, f->pwm_hz);
    wpin_consequence(n, "it shakes, and may lose steps");
    wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0), ceil(10 * hz),
                    "pwm: %s or more");
}

/* Between the pulses of a slow PWM whole steps pass without current. */
static void step_pwm(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_stepping *d = &f->load->stepping;
        if (!wpin_rig_type(f->load)->steps) {
            continue;
        }
        double gap = bare_seconds(f);
        if (gap <= 0.5 / d->top_rate) {
            shaken_by_pwm(v, f);
            continue;
        }
        double whole = gap * d->top_rate / (d->half_steps ? 2 : 1); /* it catches up with one */
        wpin_finding *n = wpin_find_load(v, whole > 0.9 ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "at %.5g Hz and %.0f %% its windings are without current for %.3g ms in each "
                   "period, and it steps every %.3g ms",
                   f->pwm_hz, d->duty * 100, 1e3 * gap, 1e3 / d->top_rate);
        wpin_consequence(n, "it %s steps: it is not where it is counted",
                         whole > 0.9 ? "loses" : "may lose");
        wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                        ceil(10 * d->top_rate), "pwm: %s or more");
        wpin_cure(n, "duty: 100%%, and a supply with fewer volts");
    }
}

/* Where one winding is on, a row of rest may leave none: nothing holds it there. */
static void step_rest(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_stage_table *table = f->load->kind->table;
        int bare = -1;
        for (unsigned i = 0; i < table->row_count; i++) {
            int state = table->rows[i].drive - (int)WPIN_DRIVE_SECTOR - 8;
            bool used = state >= 0 && (f->load->stepping.half_steps || state % 2 == 1);
            bool none = (table->rows[i].high | table->rows[i].timed) == 0;
            bare = used && none && bare < 0 ? state : bare;
        }
        if (!wpin_rig_type(f->load)->steps || bare < 0 ||
            f->load->stepping.at_end != WPIN_STEP_REDUCE) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n, "its row 'rest' leaves every line low where it stops in step-%d", bare);
        wpin_consequence(n, "nothing holds it there");
        wpin_cure(n, "a row of rest that leaves a winding on in each state%s",
                  f->load->stepping.half_steps ? ", or mode: full" : "");
    }
}

const wpin_rule_entry wpin_rules_stepper[] = {
    {{"step-rate", "stepper; stepping", "steps faster than the torque", WPIN_EFFECT_DEAD},
     step_rate},
    {{"step-resonance", "stepper stepping, inertia", "full steps at the rotor's own frequency",
      WPIN_EFFECT_ADVICE},
     resonance},
    {{"step-release", "stepper stepping at-end, inertia", "a rotor that is let go before it stands",
      WPIN_EFFECT_ADVICE},
     step_release},
    {{"step-pwm", "stepper stepping duty, pwm", "steps between the pulses of a slow PWM",
      WPIN_EFFECT_DEAD},
     step_pwm},
    {{"step-rest", "own-table row rest, stepping mode",
      "places at which a row of rest holds nothing", WPIN_EFFECT_ADVICE},
     step_rest},
    {{"stepper-current", "stepper rated, heat; supply voltage",
      "windings that carry more than they are rated for", WPIN_EFFECT_ADVICE},
     stepper_current},
};
const size_t wpin_rules_stepper_count = sizeof wpin_rules_stepper / sizeof *wpin_rules_stepper;
