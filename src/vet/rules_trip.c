/* Rules about what ends a motion by its current: limits, trips, a driver's own protection. */
#include "rules.h"

/* What a motor takes to break loose. */
static double hold_amps(const wpin_facts *f) {
    return f->motor ? f->hold / f->load->motor.constant : 0;
}

/* What it takes for that, or to run at all its duty, whichever is more. */
static double least_amps(const wpin_facts *f) {
    return fmax(f->run_amps, fmin(hold_amps(f), f->stall_amps));
}

/* A current limit that holds it back where nothing is wrong. */
static void limit_level(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double limit = f->load->limits.limit_amps;
        double hold = hold_amps(f), least = least_amps(f);
        if (limit <= 0 || !f->motor || limit > 1.1 * least) {
            continue;
        }
        bool weak = limit < hold, never = limit < 0.8 * hold;
        wpin_finding *n = wpin_find_load(v, never ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its current is limited to %.3g A, and it takes %.3g A to %s", limit,
                   weak ? hold : least, weak ? "start" : "run at all its duty");
        wpin_consequence(n, never  ? "it never starts"
                            : weak ? "it may not start"
                                   : "it stays slower than asked");
        wpin_cure_value(n, WPIN_KEY(.path = "current-trip.limit", .unit = "A", .digits = 3),
                        1.3 * least, NULL);
    }
}

/* What it takes for longer than its trip bears. A sense looks at one winding of several. */
static double working_amps(const wpin_facts *f) {
    const wpin_rig_limits *l = &f->load->limits;
    const double kick = l->kick_time > l->trip_time ? l->kick_level * f->stall_amps : 0;
    return f->motor ? least_amps(f) : fmax(f->run_amps, kick) / f->windings;
}

/* A trip that comes where nothing is wrong. */
static void trip_level(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        double hold = hold_amps(f), least = working_amps(f);
        if (l->trip_input < 0 || l->trip_amps > 1.2 * least) {
            continue;
        }
        bool always = l->trip_amps < least;
        wpin_finding *n = wpin_find_load(v, always ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its current-trip is at %.3g A, and it takes %.3g A to %s", l->trip_amps,
                   least,
                   !f->motor            ? "work"
                   : hold > f->run_amps ? "start"
                                        : "run");
        wpin_consequence(n, always ? "it trips whenever it is driven" : "it trips on a cold day");
        wpin_cure_value(n, WPIN_KEY(.path = "current-trip.level", .unit = "A", .digits = 3),
                        1.5 * least, NULL);
    }
}

/* A trip that a stall never reaches. */
static void trip_too_high(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_limits *l = &f->load->limits;
        bool overload = l->overload_amps > 0 && l->overload_amps < 0.8 * f->stall_amps;
        bool stalls =
            f->motor && !f->load->current.there; /* where that is regulated, it may stand */
        if (l->trip_input >= 0 && stalls && l->trip_amps >= 0.95 * f->stall_amps && !overload) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "its current-trip is at %.3g A, and held it takes %.3g A at most",
                       l->trip_amps, f->stall_amps);
            wpin_consequence(n, "a stall is never seen");
            double level = 0.5 * (f->stall_amps + 1.2 * least_amps(f));
            if (level < 0.9 * f->stall_amps) {
                wpin_cure_value(n, WPIN_KEY(.path = "current-trip.level", .unit = "A", .digits = 3),
                                level, NULL);
            } else {
                wpin_cure(n, "an encoder or a limit switch that shows that it stands");
            }
        }
    }
}

/* A driver that switches itself off before the motor breaks loose, or while its ramp speeds it up.
 */
static void protects_early(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double most = f->load->bridge.burns_above_amps, needs = least_amps(f);
        double starts = fmax(needs, f->start_amps);
        if (!f->motor || !f->load->bridge.protects || most > 1.1 * starts) {
            continue;
        }
        bool on_ramp = most > 1.1 * needs;
        wpin_finding *n = wpin_find_load(v, most < needs ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its driver switches itself off above %.3g A, and it takes %.3g A to %s",
                   most, on_ramp ? starts : needs,
                   on_ramp                      ? "speed up as fast as its ramp"
                   : hold_amps(f) > f->run_amps ? "start"
                                                : "run");
        wpin_consequence(n, most < needs ? "it twitches and stands: off and on, again and again"
                            : on_ramp    ? "it starts off and on, again and again, if at all"
                                         : "it may not start");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                        1.25 * fmax(1.2 * needs, starts), "a driver for %s");
        if (on_ramp) {
            wpin_cure(n, "a longer ramp up");
        }
    }
}

const wpin_rule_entry wpin_rules_trip[] = {
    {{"limit-level", "current-trip limit; motor", "a current limit where nothing is wrong",
      WPIN_EFFECT_DEAD},
     limit_level},
    {{"trip-level", "current-trip; motor, stepper, solenoid, lamp", "a trip where nothing is wrong",
      WPIN_EFFECT_DEAD},
     trip_level},
    {{"trip-too-high", "current-trip; motor", "a trip that a stall never reaches",
      WPIN_EFFECT_ADVICE},
     trip_too_high},
    {{"protection-level", "driver current-limit; motor",
      "a driver that protects itself before the motor moves", WPIN_EFFECT_DEAD},
     protects_early},
};
const size_t wpin_rules_trip_count = sizeof wpin_rules_trip / sizeof *wpin_rules_trip;
