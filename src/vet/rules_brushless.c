/* Rules about brushless motors in six steps, by sensors and without. */
#include "rules.h"

/* Sectors a second at the fastest it may turn. */
static double sectors_at_most(const wpin_rig *rig, const wpin_rig_load *l) {
    double rpm = wpin_rig_full_rpm(rig, l);
    return 6 * l->motor.pole_pairs * l->motor.gear_ratio * rpm / 60;
}

static bool by_sectors(const wpin_rig_load *l) {
    return l->kind != NULL && wpin_stage_kind_is_three_phase(l->kind) && !l->vector.there;
}

/* An interrupt for each sector: 360 cycles of an 8-bit controller, docs/benchmarks.md. */
static void rate(wpin_vetter *v) {
    const double cycles = 360, clock = 16e6, many = 0.1;
    WPIN_EACH_LOAD(v, f) {
        double share = f->load->hall.there ? sectors_at_most(v->rig, f->load) * cycles / clock : 0;
        if (share <= many) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "at its fastest its Hall sensors raise %.0f interrupts a second, %.0f %% of an "
                   "8-bit controller's time at 16 MHz",
                   share * clock / cycles, share * 100);
        wpin_consequence(n, share < 0.5
                                ? "its ticks come later, and so does all else there"
                                : "such a controller does not keep up: sectors are left out");
        wpin_cure(n, "a 32-bit controller");
        wpin_cure(n, "WPIN_FAST_EDGE, and nothing else in that interrupt");
    }
}

/* A look at the back-emf in each PWM period: 620 cycles of an 8-bit controller. */
static void look_rate(wpin_vetter *v) {
    const double cycles = 620, clock = 16e6, many = 0.4;
    WPIN_EACH_LOAD(v, f) {
        double hz = f->load->crossing.there ? f->load->limits.pwm_hz : 0;
        if (hz * cycles / clock <= many) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "a look at its back-emf in each PWM period takes %.0f %% of an 8-bit "
                   "controller's time at 16 MHz",
                   hz * cycles / clock * 100);
        wpin_consequence(n, "its ticks come later there, and so does all else");
        wpin_cure(n, "a 32-bit controller");
        wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                        floor(many * clock / cycles / 1000) * 1000, NULL);
    }
}

/* Few PWM periods in a sector: where in a period the sector changes makes the current tremble. */
static void few_periods(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        const bool blind = l->crossing.there; /* a look at the back-emf in each */
        const bool ahead = l->hall.advance > 0;
        const double few = blind || ahead ? 8 : 5;
        double sectors = by_sectors(l) ? sectors_at_most(v->rig, l) : 0;
        if (sectors == 0 || l->limits.pwm_hz >= few * sectors) {
            continue;
        }
        bool never = blind && l->limits.pwm_hz < 3 * sectors;
        wpin_finding *n = wpin_find_load(v,
                                         never   ? WPIN_REFUSE
                                         : blind ? WPIN_CAUTION
                                                 : WPIN_NOTE,
                                         f);
        wpin_cause(n, "at its fastest a sector has %.2g periods of its PWM",
                   l->limits.pwm_hz / sectors);
        wpin_consequence(n, never   ? "its crossings come between two looks: it never gets that far"
                            : blind ? "its crossings are seen late and unevenly: it may lose its "
                                      "step"
                            : ahead ? "it commutates ahead of its sensors unevenly: torque and "
                                      "sound go up and down"
                                    : "its current trembles: torque and sound go up and down");
        wpin_cure_value(n, WPIN_KEY(.path = "stage.pwm", .unit = "Hz", .digits = 0),
                        ceil(few * sectors / 1000) * 1000, NULL);
    }
}

/* A lead that is off is known by the rows without current: a slow sense blurs them. */
static void slow_sense(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double sectors =
            l->hall.there && l->limits.trip_input >= 0 ? sectors_at_most(v->rig, l) : 0;
        if (sectors == 0 || l->bridge.sense_filter * sectors <= 2) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "its current sense takes %.3g ms, %.2g sectors at its fastest",
                   l->bridge.sense_filter * 1e3, l->bridge.sense_filter * sectors);
        wpin_consequence(
            n, "a lead or a switch that is off is not noticed there, only at lower speeds");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.sense-filter", .unit = "ms", .digits = 2),
                        1e3 / sectors, NULL);
    }
}

/* ---- without sensors ---- */

/* Torque that drags at the motor's shaft where its crossings begin to lead. */
static double drag_at(const wpin_facts *f, double rpm) {
    double w = wpin_part_shaft_speed(&f->load->motor, rpm);
    return f->hold + f->viscous * w + f->quadratic * w * w;
}

/* A start by the clock has no more than about half of its torque to count on. */
static void blind_start(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!l->crossing.there) {
            continue;
        }
        double top = wpin_rig_full_rpm(v->rig, l);
        if (l->crossing.hand_over > 0.5 * top) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "its crossings are to lead from %.4g rpm on, and without a load it turns at "
                       "%.4g rpm",
                       l->crossing.hand_over, top);
            wpin_consequence(n, "the clock does not take it that far");
            wpin_cure_value(n,
                            WPIN_KEY(.path = "zero-crossing.hand-over", .unit = "rpm", .digits = 2),
                            0.12 * top, NULL);
            continue;
        }
        wpin_sensorless_design d = wpin_rig_sensorless_design(v->rig, l);
        const double longest = 0.0655; /* that the core counts, s */
        if (d.seconds[d.count - 1] > longest) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "where its crossings begin to lead, at %.3g rpm, a sector takes %.3g ms",
                       d.rpm, d.seconds[d.count - 1] * 1e3);
            wpin_consequence(n,
                             "that is longer than %.3g ms, the most that is counted: it loses "
                             "its step",
                             longest * 1e3);
            wpin_cure_value(n,
                            WPIN_KEY(.path = "zero-crossing.hand-over", .unit = "rpm", .digits = 2),
                            1.2 * d.rpm * d.seconds[d.count - 1] / longest, NULL);
            wpin_cure(n, "Hall sensors, which serve at any speed");
            continue;
        }
        double k = l->motor.constant, lifts = 0.5 * k * d.amps, drags = drag_at(f, d.rpm);
        if (lifts > 1.3 * drags && d.starts) {
            continue;
        }
        bool never = lifts <= drags || !d.starts;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "without sensors it starts by the clock with %.3g A: %.3g mNm to count on, "
                   "against %.3g mNm of friction and load",
                   d.amps, lifts * 1e3, drags * 1e3);
        wpin_consequence(n, never ? "it does not start" : "it may not start on a cold day");
        double amps = 2 * 1.4 * drags / k;
        if (amps < 0.9 * f->stall_amps) {
            wpin_cure_value(
                n, WPIN_KEY(.path = "zero-crossing.start-current", .unit = "A", .digits = 2),
                ceil(amps * 100) / 100, NULL);
        }
        wpin_cure(n, "Hall sensors, which start under load");
    }
}

/* What flows while it aligns, seconds long. */
static void start_current(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double amps = l->crossing.there ? wpin_rig_sensorless_design(v->rig, l).amps : 0;
        double most = l->bridge.burns_above_amps, rated = l->limits.rated_amps;
        bool burns = 1.1 * amps > most;
        if (!burns && (rated <= 0 || amps <= rated)) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, burns ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "it starts with %.3g A, and its driver %s %.3g A", amps,
                   burns ? "survives" : "is rated for", burns ? most : rated);
        wpin_consequence(n, burns ? "the driver burns while it aligns"
                                  : "the driver gets hot while it aligns, again and again if it "
                                    "does not start");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                        1.25 * amps, "a driver for %s");
        wpin_cure_value(n,
                        WPIN_KEY(.path = "zero-crossing.start-current", .unit = "A", .digits = 2),
                        0.8 * fmin(most, rated > 0 ? rated : most), NULL);
    }
}

/* A trip that comes while it aligns: the rotor's swing adds to the current. */
static void start_trip(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        double amps =
            f->load->crossing.there ? wpin_rig_sensorless_design(v->rig, f->load).amps : 0;
        if (l->trip_input < 0 || 1.5 * amps < l->trip_amps) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n,
                   "it starts with %.3g A and half of that again as its rotor swings, and trips at "
                   "%.3g A",
                   amps, l->trip_amps);
        wpin_consequence(n, "it trips at its start");
        wpin_cure_value(n, WPIN_KEY(.path = "current-trip.level", .unit = "A", .digits = 2),
                        ceil(20 * amps) / 10, NULL);
    }
}

/* Where the crossings begin to lead, the back-emf must be well above what the comparators are off
 * by. */
static void faint_crossing(wpin_vetter *v) {
    const double times = 5;
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_crossing *c = &f->load->crossing;
        wpin_sensorless_design d = {0};
        if (c->there) {
            d = wpin_rig_sensorless_design(v->rig, f->load);
        }
        bool slow = c->hand_over > 0 && d.rpm < 0.9 * c->hand_over;
        if (!d.starts || (d.emf_volts >= times * c->offset && !slow)) {
            continue;
        }
        bool never = d.emf_volts < c->offset;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (slow && !never) {
            wpin_cause(n, "its ramp ends at %.3g rpm after %d sectors, hand-over is at %.3g rpm",
                       d.rpm, WPIN_SENSORLESS_STEPS, c->hand_over);
            wpin_consequence(n, "its crossings lead from there on, fainter than meant");
            wpin_cure_value(
                n, WPIN_KEY(.path = "zero-crossing.start-current", .unit = "A", .digits = 2),
                d.amps * pow(c->hand_over / fmax(d.rpm, 1), 2), NULL);
        } else {
            wpin_cause(
                n,
                "at %.3g rpm, where its crossings begin to lead, a lead's back-emf is %.3g V "
                "at its tip, the comparators are off by up to %.3g V",
                d.rpm, d.emf_volts, c->offset);
            wpin_consequence(n, never ? "it loses its step as it starts"
                                      : "it loses its step as it starts, now and then");
            wpin_cure_value(n,
                            WPIN_KEY(.path = "zero-crossing.hand-over", .unit = "rpm", .digits = 2),
                            ceil(d.rpm * times * c->offset / fmax(d.emf_volts, 1e-6)), NULL);
            wpin_cure(n, "dividers of 0.1 %% and a better comparator");
        }
    }
}

/* The row that aligns brakes a rotor that has not run down. */
static void short_rest(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_crossing *c = &f->load->crossing;
        double runs_down = c->there ? wpin_run_down(f, false, NULL) : 0;
        if (runs_down <= c->rest) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n,
                   "it starts anew %.3g s after it was let go, and takes %.3g s to run down from "
                   "full speed",
                   c->rest, runs_down);
        wpin_consequence(n, "the row that aligns it brakes a turning rotor, with up to %.3g A",
                         f->load->motor.constant * f->speed / f->loop_ohms);
        wpin_cure_value(n, WPIN_KEY(.path = "zero-crossing.rest", .unit = "s", .digits = 2),
                        ceil(10 * runs_down) / 10, NULL);
    }
}

/* Found for other wires than the rig says now. */
static void order_before(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_hall *h = &f->load->hall;
        if (!h->there || !h->stale) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n,
                   "the order of its wires was found on %s, and its stage, pins or pole pairs "
                   "have changed since",
                   h->on);
        wpin_consequence(n, "it may hum and stand, or turn and draw many times its current");
        wpin_cure(n, "windpin order again");
        wpin_cure(n, "'found' taken out, if the codes hold for these wires too");
    }
}

/* Magnets that were counted for pairs of them are twice as many, and so an even number. */
static void counted_magnets(wpin_vetter *v) {
    const double many = 8;
    WPIN_EACH_LOAD(v, f) {
        double pairs = f->load->motor.pole_pairs;
        if (!wpin_rig_type(f->load)->spins || pairs <= many || fmod(pairs, 2) != 0) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "%.0f pole pairs are %.0f magnets, which few motors have", pairs, 2 * pairs);
        wpin_consequence(n,
                         "if %.0f is the number of its magnets, its speed is measured half as "
                         "fast as it turns, and it is driven twice as fast as asked",
                         pairs);
        wpin_cure_value(n, WPIN_KEY(.path = "motor.pole-pairs", .unit = "", .digits = 3), pairs / 2,
                        "%s, if so: windpin size poles");
    }
}

/* The leg whose row keeps its high side on without PWM: for two sectors, or as long as it stands.
 */
static bool holds_high_sides(const wpin_stage_table *table) {
    for (uint8_t row = 0; row < table->row_count; row++) {
        for (uint8_t leg = 0; leg < table->leg_count; leg++) {
            if ((table->rows[row].high >> table->legs[leg].high_side & 1) != 0) {
                return true;
            }
        }
    }
    return false;
}

static void held_bootstrap(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double lasts = l->bridge.bootstrap_time;
        if (lasts <= 0 || !by_sectors(l) || !holds_high_sides(l->kind->table)) {
            continue;
        }
        double rpm = 60 / (3 * lasts * l->motor.pole_pairs * l->motor.gear_ratio);
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n,
                   "each high side stays on through two sectors, fed by a bootstrap capacitor that "
                   "lasts %.3g ms",
                   lasts * 1e3);
        wpin_consequence(n,
                         "below %.3g rpm, and held at rest, it falls off and the motor loses "
                         "its drive",
                         rpm);
        wpin_cure(n, "PWM on the high sides: stage 'three-phase-bridge' or "
                     "'three-phase-bridge-high'");
    }
}

/* Capacitors are empty after a while at rest. */
static void charged_first(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double needs = l->bridge.bootstrap_charge;
        bool can = l->kind != NULL && wpin_stage_kind_has(l->kind, WPIN_DRIVE_BRAKE);
        if (l->bridge.bootstrap_time <= 0 || needs <= 0 || l->limits.charge >= needs || !can) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "its high sides need %.3g us at ground before they turn on, and are given %.3g",
                   needs * 1e6, l->limits.charge * 1e6);
        wpin_consequence(n, "the first PWM periods of each start are missing");
        wpin_cure_value(n, WPIN_KEY(.path = "stage.charge", .unit = "us", .digits = 3),
                        ceil(needs * 1e6), NULL);
    }
}

const wpin_rule_entry wpin_rules_brushless[] = {
    {{"pole-pairs", "motor pole-pairs", "magnets counted for pole pairs", WPIN_EFFECT_ADVICE},
     counted_magnets},
    {{"bootstrap-held", "driver bootstrap; stage kind",
      "high sides that stay on longer than their bootstrap lasts", WPIN_EFFECT_ADVICE},
     held_bootstrap},
    {{"bootstrap-charge", "driver bootstrap-charge; stage charge",
      "high sides that nothing charges before they drive", WPIN_EFFECT_ADVICE},
     charged_first},
    {{"order-before", "hall codes, found; stage pins; motor pole-pairs",
      "an order that was found for other wires", WPIN_EFFECT_ADVICE},
     order_before},
    {{"commutation-rate", "motor pole-pairs; speed maximum; hall",
      "more interrupts of Hall sensors than a small controller has time for", WPIN_EFFECT_ADVICE},
     rate},
    {{"look-rate", "zero-crossing; stage pwm",
      "more looks at the back-emf than a small controller has time for", WPIN_EFFECT_ADVICE},
     look_rate},
    {{"sector-pwm", "stage pwm; motor pole-pairs; speed maximum",
      "too few PWM periods in a sector of a brushless motor", WPIN_EFFECT_ADVICE},
     few_periods},
    {{"sector-sense", "driver sense-filter; current-trip",
      "a current sense too slow for the sectors of a brushless motor", WPIN_EFFECT_ADVICE},
     slow_sense},
    {{"blind-start", "zero-crossing start-current; motor load",
      "a start without sensors against too much load", WPIN_EFFECT_DEAD},
     blind_start},
    {{"start-current", "zero-crossing start-current; driver current-limit, rated",
      "a start without sensors with more current than the driver stands", WPIN_EFFECT_BURNS},
     start_current},
    {{"start-trip", "zero-crossing start-current; current-trip",
      "a trip at a start without sensors", WPIN_EFFECT_DEAD},
     start_trip},
    {{"faint-crossing", "zero-crossing hand-over, offset",
      "back-emf too small to see where it begins to lead", WPIN_EFFECT_DEAD},
     faint_crossing},
    {{"restart-rest", "zero-crossing rest; motor load, inertia",
      "a start without sensors of a rotor that still turns", WPIN_EFFECT_ADVICE},
     short_rest},
};
const size_t wpin_rules_brushless_count =
    sizeof wpin_rules_brushless / sizeof *wpin_rules_brushless;
