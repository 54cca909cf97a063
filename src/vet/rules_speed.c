/* Rules about a speed that is measured and regulated. */
#include "rules.h"

static double counts_per_second(const wpin_rig_load *load, double rpm) {
    return rpm / 60 * wpin_rig_counts_at_output(load);
}

/* A rated speed that the volts do not reach, or just reach. */
static void reach(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double most = l->limits.duty_max * f->volts / f->supply->volts;
        double takes = l->speed.there ? wpin_rig_speed_duty(v->rig, l, l->speed.rated) : 0;
        if (takes <= 0.93 * most) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, takes > most ? WPIN_REFUSE : WPIN_CAUTION, f);
        double rpm = l->speed.rated;
        for (int i = 0; i < 150 && wpin_rig_speed_duty(v->rig, l, rpm) >= 0.9 * most; i++) {
            rpm *= 0.98;
        }
        wpin_cause(n, "its rated %.4g rpm take about %.0f %% duty, it may have %.0f %%",
                   l->speed.rated, takes * 100, most * 100);
        wpin_consequence(n, takes > most ? "it never gets there: a following fault ends the plan"
                                         : "nothing is left to regulate with when its load rises");
        wpin_cure_value(n, WPIN_KEY(.path = "speed.rated", .unit = "rpm", .digits = 3), rpm, NULL);
        wpin_cure_value(
            n, WPIN_KEY(.part = f->supply->name, .path = "voltage", .unit = "V", .digits = 3),
            f->volts * takes / (0.9 * most), "a supply of %s");
    }
}

/* A ramp of the speed whose current is more than it may have. */
static void ramp_current(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        const wpin_rig_limits *limits = &l->limits;
        double most = l->bridge.burns_above_amps;
        most = limits->trip_input >= 0 ? fmin(most, limits->trip_amps) : most;
        most = limits->limit_amps > 0 ? fmin(most, limits->limit_amps) : most;
        if (!l->speed.there || f->load->motor.constant <= 0) {
            continue;
        }
        double full = wpin_part_shaft_speed(&l->motor, l->speed.maximum), rated = l->speed.rated;
        double w = rated / l->speed.maximum * full;
        double runs = f->torque + f->viscous * w + f->quadratic * w * w;
        double speeds_up = f->inertia * full / fmax(limits->ramp_up, 1e-3);
        double amps = (runs + speeds_up) / l->motor.constant;
        if (amps <= 0.9 * most) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, amps > 1.1 * most ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "on its ramp to %.4g rpm it takes %.3g A, %.3g A of that for its inertia; it "
                   "may have %.3g A",
                   rated, amps, speeds_up / l->motor.constant, most);
        wpin_consequence(n, "it falls behind what is asked, and a fault ends the plan");
        double left = 0.8 * most * l->motor.constant - runs;
        if (left > 0) {
            wpin_cure_value(n, WPIN_KEY(.path = "ramp.up", .unit = "s", .digits = 2),
                            ceil(10 * f->inertia * full / left) / 10, NULL);
        }
        wpin_cure(n, "a motor, or a driver and limits, for %.3g A", 1.25 * amps);
    }
}

/* A ramp down that nothing can follow: the stage lets the motor coast, and friction alone slows it.
 */
static void ramp_coasts(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        bool there = l->speed.there && !wpin_logic_of(l->kind->logic)->own;
        double slows = there ? wpin_rig_coasts(l, 0) : 0; /* towards its end by dry friction */
        if (slows <= 0) {
            continue;
        }
        double ramp = l->limits.ramp_down;
        double coasts = wpin_part_shaft_speed(&l->motor, l->speed.maximum) / slows;
        if (coasts <= 1.05 * ramp) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "from %.4g rpm it runs down in about %.2g s by itself, its ramp down takes %.2g "
                   "s, and its stage lets it coast while PWM is low",
                   l->speed.maximum, coasts, ramp);
        wpin_consequence(n, "it comes down later than its ramp, and is still turning when a stop "
                            "is over");
        wpin_cure_value(n, WPIN_KEY(.path = "ramp.down", .unit = "s", .digits = 2),
                        ceil(10.5 * coasts) / 10, NULL);
        wpin_cure(n, "a stage that shorts the motor while PWM is low, which slows it too");
    }
}

/* The slowest speed that a plan asks for, rpm; without a plan a tenth of what is rated. */
static double slowest(const wpin_vetter *v, const wpin_rig_load *load) {
    double rpm = load->speed.rated;
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        bool mine = wpin_op_moves_motor((wpin_op)s->op) &&
                    s->target.number == (uint16_t)(load - v->rig->loads);
        if (mine && s->quantity == WPIN_QUANTITY_SPEED && s->op != WPIN_OP_FOLLOW) {
            rpm = fmin(rpm, fabs((double)s->value) / WPIN_DUTY_FULL * load->speed.maximum);
        }
    }
    return v->plan != NULL ? rpm : 0.1 * load->speed.rated;
}

/* Counts so far apart that a regulator knows nothing for most of the time. */
static void crawl(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (!f->load->speed.there) {
            continue;
        }
        double rpm = slowest(v, f->load), rate = counts_per_second(f->load, rpm);
        if (rate >= 40) {
            continue;
        }
        bool stands = rate < 20; /* twice what counts as standing */
        wpin_finding *n = wpin_find_load(v, stands ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "at %.3g rpm %s every %.3g ms", rpm,
                   wpin_rig_counts_here(f->load) ? "its encoder gives a count"
                                                 : "it passes a sector",
                   1e3 / rate);
        wpin_consequence(n, stands ? "that is taken for standing still: a fault ends the plan"
                                   : "it is regulated softly, and hunts where friction grips");
        wpin_cure(n, "%.3g rpm or more", rpm * 50 / rate);
        if (!wpin_rig_counts_here(f->load)) {
            continue;
        }
        wpin_cure_value(n, WPIN_KEY(.path = "encoder.lines", .unit = "", .digits = 0),
                        ceil(f->load->encoder.lines * 50 / rate), "an encoder of %s lines");
    }
}

/* More counts than an interrupt for each can follow on a small controller. */
static void count_rate(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        bool counted = l->speed.there && wpin_rig_counts_here(l);
        double rate = counted ? counts_per_second(l, l->speed.maximum) : 0;
        if (rate <= 20e3) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "at its maximum its encoder gives %.3g counts a second", rate);
        wpin_consequence(n, "an interrupt for each is too much for an 8-bit controller");
        wpin_cure(n, "a counter in hardware, or an encoder of %.0f lines",
                  floor(l->encoder.lines * 20e3 / rate));
    }
}

/* Turned by something else, a sensor without direction counts as if driven. */
static void one_channel(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        bool turns = wpin_stage_kind_has(f->load->kind, WPIN_DRIVE_REVERSE);
        if (!f->load->speed.there || !f->load->encoder.one_channel || !turns) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "its %s has one channel, and its stage drives both ways",
                   f->load->encoder.by_driver ? "driver's speed output" : "encoder");
        wpin_consequence(n, "the direction is taken from the drive: turning the wrong way is never "
                            "noticed");
        wpin_cure(n, "an encoder with two channels: pins: {a: N, b: M}");
    }
}

/* The duty that holds it safely below a speed; and the least speed that a duty keeps below so. */
static double safe_duty(const wpin_vetter *v, const wpin_rig_load *load, double rpm) {
    return 0.97 * wpin_rig_speed_duty(v->rig, load, rpm);
}

static double safe_speed(const wpin_vetter *v, const wpin_rig_load *load, double duty) {
    double rpm = load->speed.maximum;
    for (int i = 0; i < 500 && safe_duty(v, load, rpm) < duty; i++) {
        rpm *= 1.02;
    }
    return ceil(rpm);
}

/* A duty of its own is no speed: its regulator is not asked, but its guard watches. */
static void over_speed(wpin_vetter *v) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        bool runs = wpin_step_turns_on(v->plan, i);
        const wpin_rig_load *load = runs ? &v->rig->loads[s->target.number] : NULL;
        if (!runs || !load->speed.there || s->quantity != WPIN_QUANTITY_EFFORT) {
            continue;
        }
        double duty = fabs((double)s->value) / WPIN_DUTY_FULL;
        double most = safe_duty(v, load, load->speed.maximum);
        if (s->op == WPIN_OP_RUN_FOR && s->until == 0) {
            duty = wpin_rig_ramp_reaches(load, duty, s->time_ms / 1e3);
        }
        if (duty <= most) {
            continue;
        }
        bool surely = s->op != WPIN_OP_RUN_FOR && duty > 1.1 * most;
        wpin_finding *n = wpin_find_in_plan(v, surely ? WPIN_REFUSE : WPIN_CAUTION, i, load->name);
        wpin_cause(n, "%.3g %% duty drive it beyond the %.4g rpm it may have; %.3g %% do not",
                   duty * 100, load->speed.maximum, floor(most * 100));
        wpin_consequence(n, "the fault OVERSPEED ends the plan");
        wpin_cure(n, "a speed: %s ramp %.4grpm", load->name, load->speed.rated);
        wpin_cure(n, "less duty");
        wpin_cure_value(n, WPIN_KEY(.path = "speed.maximum", .unit = "rpm", .digits = 0),
                        safe_speed(v, load, duty), NULL);
    }
}

const wpin_rule_entry wpin_rules_speed[] = {
    {{"speed-reach", "speed rated; motor; supply voltage",
      "a rated speed that its volts don't reach", WPIN_EFFECT_DEAD},
     reach},
    {{"ramp-current", "ramp; speed; motor; current-trip",
      "a ramp of the speed that takes more current than it may have", WPIN_EFFECT_DEAD},
     ramp_current},
    {{"ramp-coasts", "ramp down; speed; motor; stage kind",
      "a ramp down that a coasting motor can't follow", WPIN_EFFECT_ADVICE},
     ramp_coasts},
    {{"crawl", "encoder lines; speed; plan", "counts too far apart to regulate by",
      WPIN_EFFECT_DEAD},
     crawl},
    {{"over-speed", "plan; speed maximum; motor", "a duty that drives it faster than it may be",
      WPIN_EFFECT_DEAD},
     over_speed},
    {{"count-rate", "encoder lines; speed maximum", "more counts than interrupts can follow",
      WPIN_EFFECT_ADVICE},
     count_rate},
    {{"one-channel", "encoder pins", "a direction that nothing measures", WPIN_EFFECT_ADVICE},
     one_channel},
};
const size_t wpin_rules_speed_count = sizeof wpin_rules_speed / sizeof *wpin_rules_speed;
