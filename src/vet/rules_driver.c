/* Rules about drivers: currents, heat, transistors, dead time, PWM, boards. */
#include "rules.h"

/* A winding's current while it steps: a rotor that lags or swings back adds its back-emf to the
 * supply; as it swings it is half as fast again as its steps. */
static double stepping_amps(const wpin_facts *f) {
    const wpin_part_stepper *s = &f->load->stepper;
    const wpin_rig_stepping *d = &f->load->stepping;
    double constant = s->holding_torque / (sqrt(2) * s->rated_amps);
    double steps = d->top_rate / (d->half_steps ? 2 : 1);
    double speed = 1.5 * steps / s->steps_per_rev * 2 * PI;
    wpin_pwm_wave wave = wpin_rig_step_wave(f->load, f->volts, f->loop_ohms, false);
    return wave.most + constant * speed / f->loop_ohms;
}

/* A winding of a stepper takes its current whenever it is on, and a lamp when it glows. */
static double lasting_amps(const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    if (wpin_rig_type(f->load)->steps) {
        return stepping_amps(f);
    }
    double pulse = f->pwm_hz > 0 ? l->duty_max / f->pwm_hz : HUGE_VAL;
    bool strip = f->load->lamp.cold_share >= 1; /* filaments: see inrush */
    return strip && pulse >= f->load->bridge.burns_after ? f->stall_amps : f->run_amps;
}

/* A trip has to see the current. */
static const char *with_sense(const wpin_facts *f) {
    return f->load->bridge.sense_volts_per_amp > 0 ? "" : "a current sense and ";
}

/* Duty at which a stall harms nothing, with a tenth to spare, percent. */
static int safe_percent(const wpin_facts *f, double most) {
    int percent = f->pwm_hz > 0 ? (int)(f->load->limits.duty_max * 100) : 0;
    while (percent > 0) {
        double lasts = wpin_stall_seconds(f, percent / 100.0, 0.9 * most);
        if (lasts <= 0 || lasts < 0.8 * f->load->bridge.burns_after) {
            break;
        }
        percent--;
    }
    return percent;
}

/* What is nearer to a limit than this may be beyond it: parts are that far off. */
#define NEAR 0.95

static void tell_lasting(wpin_vetter *v, const wpin_facts *f, bool near) {
    double most = f->load->bridge.burns_above_amps;
    bool steps = wpin_rig_type(f->load)->steps;
    wpin_finding *n = wpin_find_load(v, near ? WPIN_CAUTION : WPIN_REFUSE, f);
    wpin_cause(n, "%s it takes %.3g A; the driver survives %.3g A for %.3g ms",
               steps ? "while it steps" : "switched on", lasting_amps(f), most,
               f->load->bridge.burns_after * 1e3);
    wpin_consequence(n, "%sthe driver burns %s", near ? "with parts a little off " : "",
                     steps ? "as it turns" : "when it is switched on");
    wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                    1.25 * lasting_amps(f), "a driver for %s");
}

/* A winding that stands is a coil: what flows rises and falls within each period of PWM. */
static void tell_winding(wpin_vetter *v, const wpin_facts *f, double duty, double lasts,
                         bool near) {
    double most = f->load->bridge.burns_above_amps;
    wpin_pwm_loop loop = wpin_loop_of(f, 0);
    double peak = wpin_calc_pwm_wave(&loop, duty).most;
    const char *as = f->motor ? "held, the motor" : "switched on, it";
    wpin_finding *n = wpin_find_load(v, near ? WPIN_CAUTION : WPIN_REFUSE, f);
    if (near || isinf(lasts)) {
        wpin_cause(n,
                   "%s takes up to %.3g A (%.3g V / %.3g ohm%s); the driver survives %.3g A for "
                   "%.3g ms",
                   as, peak, f->volts, f->loop_ohms, duty < 1 ? ", by its duty limit" : "", most,
                   f->load->bridge.burns_after * 1e3);
    } else {
        wpin_cause(n,
                   "%s takes up to %.3g A at %.5g Hz, for %.3g ms of each period above the %.3g A "
                   "that the driver survives for %.3g ms",
                   as, peak, f->pwm_hz, lasts * 1e3, most, f->load->bridge.burns_after * 1e3);
    }
    wpin_consequence(n, "%sthe driver burns %s", near ? "with parts a little off " : "",
                     f->motor ? "at the first stall or hard start" : "when it is switched on");
    wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                    1.25 * fmax(peak, f->motor ? f->stall_amps : 0), "a driver for %s");
    int percent = f->motor ? safe_percent(f, most) : 0;
    if (percent / 100.0 * f->volts / f->loop_ohms * f->load->motor.constant > 1.5 * f->hold) {
        wpin_cure_value(n, WPIN_KEY(.path = "duty-limit", .unit = "%", .digits = 0), percent, NULL);
    }
    if (f->motor && most > 1.3 * f->run_amps) {
        wpin_cure(n, "%sa current-trip below %.3g A within %.3g ms", with_sense(f), most,
                  f->load->bridge.burns_after * 1e3);
    }
}

static void stall(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        double most = f->load->bridge.burns_above_amps;
        bool coil = wpin_rig_type(f->load)->pulls;
        if (f->load->kind->direct) {
            continue; /* its pin is judged by the rule of pins */
        }
        if (!f->motor && !coil) {
            const double amps = lasting_amps(f);
            if (amps > NEAR * most && !f->load->bridge.protects) {
                tell_lasting(v, f, amps <= most);
            }
            continue;
        }
        double on = l->on_duty > 0 ? l->on_duty : l->duty_max;
        double duty = coil ? fmax(on, l->kick_level) : l->duty_max;
        const double burns_after = f->load->bridge.burns_after;
        const double over = wpin_stall_seconds(f, duty, most);
        const double almost = wpin_stall_seconds(f, duty, NEAR * most);
        if (almost > 0 && almost >= burns_after && !f->trips) {
            tell_winding(v, f, duty, over, !(over > 0 && over >= burns_after));
        }
    }
}

/* The current that loses so much in the driver: n (R I^2 + V I) = P. */
static double amps_of_watts(const wpin_facts *f, double watts) {
    double ohms = fmax(f->switch_ohms, 1e-6);
    double volts = f->switches * f->load->bridge.saturation_volts;
    return (sqrt(volts * volts + 4 * ohms * watts) - volts) / (2 * ohms);
}

/* Thermal resistance with which neither the climb, nor running, nor a stall gets it too hot, with a
 * tenth to spare, K/W. */
static double cooler(const wpin_facts *f, double room, bool held) {
    wpin_facts with = *f;
    wpin_rig_load load = *f->load;
    with.load = &load;
    double low = 0, high = load.bridge.heat.resistance;
    for (int i = 0; i < 30; i++) {
        double tried = (low + high) / 2, warm = f->windings * f->hot_watts * tried;
        load.bridge.heat.resistance = tried;
        double end = held ? wpin_stall_watts(f, load.limits.duty_max) * tried : 0;
        double climb = f->motor ? wpin_climb_of(&with, held, warm).rise : warm;
        *(fmax(fmax(end, climb), warm) < 0.9 * room ? &low : &high) = tried;
    }
    return low;
}

typedef struct stall_end {
    bool climbing;  /* too hot before it has climbed to all its duty */
    double seconds; /* of a stall, the climb included; infinity: never too hot */
} stall_end;

/* When a driver that was warm from running is too hot. */
static stall_end stall_lasts(const wpin_facts *f, double room) {
    const wpin_part_heat *h = &f->load->bridge.heat;
    double warm = fmin(f->hot_watts * h->resistance, room);
    double climbs = 1.03 * wpin_climb_of(f, true, warm).rise;
    double ramp = f->pwm_hz > 0 ? f->load->limits.ramp_up * f->load->limits.duty_max : 0;
    if (climbs > room) {
        return (stall_end){.climbing = true, .seconds = ramp};
    }
    double end = 1.03 * wpin_stall_watts(f, f->load->limits.duty_max) * h->resistance;
    double more = end > room ? h->time * log((end - climbs) / (end - room)) : HUGE_VAL;
    return (stall_end){.seconds = ramp + more};
}

/* A stall below the current limit still heats: how long until it is too much. */
static void stall_heat(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        bool trip = f->load->limits.trip_input >= 0 && f->load->limits.trip_amps < f->stall_amps;
        if (!f->motor || b->protects || trip || b->heat.resistance <= 0) {
            continue;
        }
        double room = b->heat.limit - wpin_air(v);
        stall_end end = stall_lasts(f, room);
        double last = 1.03 * wpin_stall_watts(f, f->load->limits.duty_max) * b->heat.resistance;
        if (isinf(end.seconds) || (!end.climbing && wpin_thermistor_ends(v, f, false, last))) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, end.seconds < 3.2 ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (end.climbing && end.seconds > 0) {
            wpin_cause(n,
                       "held while its duty climbs, the motor takes up to %.3g A, which heats the "
                       "driver and its diode: %.0f degC within %.2g s",
                       f->stall_amps, b->heat.limit, end.seconds);
        } else {
            wpin_cause(n,
                       "held, the motor takes %.3g A, which heats the driver with %.3g W: %.0f "
                       "degC after %.2g s",
                       f->stall_amps, wpin_stall_watts(f, f->load->limits.duty_max), b->heat.limit,
                       end.seconds);
        }
        wpin_consequence(n, "a stall of that length burns the driver");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.heat.resistance", .unit = "K/W", .digits = 3),
                        cooler(f, room, true), "at most %s (a heat sink, air)");
        double amps = amps_of_watts(f, 0.9 * room / b->heat.resistance);
        if (amps > 1.2 * f->run_amps && amps < 0.95 * f->stall_amps) {
            wpin_cure(n, "%sa current-trip at %.3g A", with_sense(f), amps);
        }
    }
}

static bool plan_brakes(const wpin_vetter *v, const wpin_facts *f) {
    for (size_t i = 0; v->plan != NULL && i < v->plan->step_count; i++) {
        const wpin_step *s = &v->plan->steps[i];
        if (s->op == WPIN_OP_BRAKE && s->target.number == f->load - v->rig->loads) {
            return true;
        }
    }
    return false;
}

/* Braking from a speed: its current, and for how long it is more than the driver survives. */
typedef struct braking {
    double volts, ohms, amps, above;
} braking;

static braking brake_from(const wpin_vetter *v, const wpin_facts *f, double speed) {
    const wpin_rig_load *l = f->load;
    double k = l->motor.constant, most = l->bridge.burns_above_amps;
    braking b = {.volts = k * speed,
                 .ohms = l->motor.resistance * (1 - v->options.tolerance) + f->switch_ohms};
    b.amps = wpin_calc_reversal_amps(0, b.volts, b.ohms);
    double fades = f->inertia * b.ohms / (k * k);
    b.above = b.amps > most ? fades * log(b.amps / most) : 0;
    return b;
}

static void tell_brake(wpin_vetter *v, const wpin_facts *f, braking b, wpin_severity severity,
                       const char *from, const char *so) {
    double most = f->load->bridge.burns_above_amps;
    wpin_finding *n = wpin_find_load(v, severity, f);
    wpin_cause(n,
               "braked from %s it drives %.3g A through the driver (%.3g V / %.3g ohm) for %.3g ms "
               "above %.3g A",
               from, b.amps, b.volts, b.ohms, b.above * 1e3, most);
    wpin_consequence(n, "%s", so);
    wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                    1.25 * b.amps, "a driver for %s");
    if (wpin_stage_kind_takes_duty(f->load->kind)) {
        wpin_cure(n, "a longer ramp down, and no brake above %.0f %% of full speed",
                  floor(90 * most / (f->load->motor.constant * f->speed / b.ohms)));
    }
}

static void brake(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        if (!f->motor || !wpin_stage_kind_has(l->kind, WPIN_DRIVE_BRAKE) || l->bridge.protects) {
            continue;
        }
        double left = 0;
        (void)wpin_run_down(f, l->rest_brakes, &left);
        braking full = brake_from(v, f, f->speed), stop = brake_from(v, f, left);
        if (l->rest_brakes && stop.above > l->bridge.burns_after) {
            tell_brake(v, f, stop, WPIN_REFUSE,
                       l->limits.ramp_down > 0.01 ? "the speed left when its ramp ends"
                                                  : "full speed, as at every stop,",
                       "the driver burns when it stops");
        } else if (full.above > l->bridge.burns_after) {
            bool planned = plan_brakes(v, f);
            tell_brake(v, f, full, planned ? WPIN_REFUSE : WPIN_CAUTION, "full speed",
                       planned ? "the driver burns at the brake"
                               : "a brake at full speed burns the driver");
        }
    }
}

/* ---- heat and ratings ---- */

static void heat(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_heat *h = &f->load->bridge.heat;
        double each = f->hot_watts, watts = f->windings * each;
        double climb = f->motor ? wpin_climb_of(f, false, watts * h->resistance).rise : 0;
        double degrees = wpin_air(v) + fmax(watts * h->resistance, climb);
        if (h->resistance <= 0 || degrees <= 0.85 * h->limit) {
            continue;
        }
        bool over = degrees > h->limit;
        bool rests = wpin_rig_type(f->load)->steps && f->hot_duty != f->load->stepping.duty;
        wpin_round round = over ? wpin_round_of(v, f, WPIN_PART_DRIVER) : (wpin_round){0};
        bool spared = wpin_round_spares(&round, h->limit - wpin_air(v));
        bool ends = over && wpin_thermistor_ends(v, f, false, degrees - wpin_air(v));
        wpin_finding *n =
            wpin_find_load(v, over && !spared && !ends ? WPIN_REFUSE : WPIN_CAUTION, f);
        if (climb > 1.02 * watts * h->resistance) {
            wpin_cause(n,
                       "while its ramp climbs, switches and diodes get its driver to %.0f degC, it "
                       "survives %.0f degC",
                       degrees, h->limit);
        } else {
            wpin_cause(n,
                       "%s at %.0f %% duty its driver loses %.3g W in switches and diodes: "
                       "%.0f degC, it survives %.0f degC",
                       rests ? "standing" : "running", f->hot_duty * 100, watts, degrees, h->limit);
        }
        wpin_consequence(n, "%s",
                         !over                      ? "in a warm box it is too much"
                         : f->load->bridge.protects ? "it shuts itself down again and again"
                         : ends                     ? "its thermistor trips, again and again"
                                                    : "the driver burns within minutes");
        wpin_tell_round(n, v, &round, h, degrees - wpin_air(v), h->limit - wpin_air(v));
        double room = 0.8 * h->limit - wpin_air(v);
        double fixed = f->windings * f->hot_fixed;
        double ohms = f->switch_ohms * (room / h->resistance - fixed) / fmax(watts - fixed, 1e-9);
        wpin_cure_value(n, WPIN_KEY(.path = "driver.heat.resistance", .unit = "K/W", .digits = 3),
                        cooler(f, 0.9 * room, false), "at most %s (a heat sink, air)");
        if (ohms > 0 && climb <= 1.02 * watts * h->resistance) {
            wpin_cure(n, "switches of at most %.3g mohm", 1e3 * ohms / f->switches);
        }
        if (rests) {
            wpin_cure(n, "at-end: release, if nothing has to be held");
        }
    }
}

static void rating(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        double amps = f->run_amps / f->windings;
        if (l->rated_amps > 0 && amps > l->rated_amps) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "running it takes %.3g A, the driver is rated for %.3g A", amps,
                       l->rated_amps);
            wpin_consequence(n,
                             "it works for a while; the absolute limit of %.3g A is no permission",
                             f->load->bridge.burns_above_amps);
            wpin_cure(n, "a driver rated for %.3g A, or a lower duty-limit", 1.25 * amps);
        } else if (l->recommended_amps > 0 && amps > l->recommended_amps) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "running it takes %.3g A, %.3g A are recommended", amps,
                       l->recommended_amps);
            wpin_consequence(n, "warm, and little left for a hot day");
            wpin_cure(n, "air or a heat sink");
        }
    }
}

static void boards(wpin_vetter *v) {
    for (size_t b = 0; b < v->rig->board_count; b++) {
        const wpin_rig_board *board = &v->rig->boards[b];
        double sum = 0;
        WPIN_EACH_LOAD(v, f) {
            sum += f->load->board == (int)b ? f->run_amps : 0;
        }
        const double limits[] = {board->total, board->terminal};
        static const char *const what[] = {"all outputs together may carry",
                                           "the supply terminal carries"};
        for (int i = 0; i < 2; i++) {
            if (limits[i] > 0 && sum > limits[i]) {
                wpin_finding *n = wpin_find(v, WPIN_REFUSE, board->name);
                wpin_cause(n, "its loads take %.3g A while running, %s %.3g A", sum, what[i],
                           limits[i]);
                wpin_consequence(
                    n, "tracks and terminals overheat, though no single output is overloaded");
                wpin_cure(n, "fewer loads at a time, a second board, or the stronger terminal");
            }
        }
    }
}

static void drop(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        double each = f->run_amps / f->windings;
        double lost = each * f->switch_ohms + f->switches * b->saturation_volts;
        bool chip = b->gate.kind == WPIN_TRANSISTOR_NONE && !f->load->kind->direct;
        if (chip && lost > 0.15 * f->volts) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "%.3g of %.3g V stay in the stage while it runs", lost, f->volts);
            wpin_consequence(n, "%.3g V are left for the load", f->volts - lost);
            double ohms = 0.03 * f->volts / fmax(each, 1e-3);
            if (ohms > b->on_resistance) {
                wpin_cure(n, "a field-effect bridge, which loses no saturation volts");
            } else {
                wpin_cure(n, "switches of less than %.3g mohm", 1e3 * ohms);
            }
        }
    }
}

const wpin_rule_entry wpin_rules_driver[] = {
    {{"stall-current", "driver current-limit; motor; current-trip",
      "a stall the driver does not survive", WPIN_EFFECT_BURNS},
     stall},
    {{"stall-heat", "driver heat; motor; current-trip", "a stall that heats the driver too much",
      WPIN_EFFECT_BURNS},
     stall_heat},
    {{"brake-current", "driver current-limit; motor; plan",
      "a brake at speed the driver does not survive", WPIN_EFFECT_BURNS},
     brake},
    {{"driver-heat", "driver heat", "more heat than the driver gets rid of", WPIN_EFFECT_BURNS},
     heat},
    {{"driver-rating", "driver rated, recommended",
      "running above the rated or recommended current", WPIN_EFFECT_ADVICE},
     rating},
    {{"board-limit", "boards total, terminal", "all loads of a board together", WPIN_EFFECT_ADVICE},
     boards},
    {{"stage-drop", "driver on-resistance, saturation", "volts that stay in the stage",
      WPIN_EFFECT_ADVICE},
     drop},
};
const size_t wpin_rules_driver_count = sizeof wpin_rules_driver / sizeof *wpin_rules_driver;
