/* Rules about motors: can they start, do they get hot, do they stop where they should. */
#include "rules.h"

/* A gear helps against the load, not against the motor's own friction. */
static void torque_cure(wpin_finding *n, const wpin_facts *f, double torque) {
    const wpin_part_motor *m = &f->load->motor;
    double load = m->load_torque / m->gear_efficiency;
    double own = f->hold - load / m->gear_ratio, left = torque / 1.5 - own;
    bool starved = f->most_amps < f->volts / f->loop_ohms;
    if (starved || f->switch_ohms > 1.01 * f->switches * f->load->bridge.on_resistance) {
        wpin_cure(n, "first what is said about its transistor");
        return;
    }
    if (left > 0) {
        wpin_cure_value(n, WPIN_KEY(.path = "motor.gear", .unit = "", .digits = 3),
                        1.01 * load / left, "a gear of %s:1 or more");
    }
    wpin_cure(n, "a motor of %.3g mNm at rest, by its make or by more volts", 1.5e3 * f->hold);
}

static void start_torque(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double torque = f->motor ? f->load->motor.constant * f->stall_amps : 0;
        if (f->motor && torque < f->hold) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n,
                       "at most %.3g mNm at rest (%.3g A), friction and load hold it with %.3g mNm",
                       torque * 1e3, f->stall_amps, f->hold * 1e3);
            wpin_consequence(n, "it hums and stands");
            torque_cure(n, f, torque);
        } else if (f->motor && torque < 1.5 * f->hold) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "%.3g mNm at rest against %.3g mNm of friction and load", torque * 1e3,
                       f->hold * 1e3);
            wpin_consequence(n, "on a cold day or with tired cells it does not start");
            wpin_cure(n, "1.5 times the torque: a lower gear, more volts or a stronger motor");
        }
    }
}

static wpin_winding_load winding_load(const wpin_facts *f, double amps, bool by_volts) {
    const wpin_part_motor *m = &f->load->motor;
    return (wpin_winding_load){.ohms = m->resistance,
                               .other_ohms = f->loop_ohms - m->resistance,
                               .amps = amps,
                               .by_volts = by_volts,
                               .drifts = m->heat.drifts};
}

/* Most amps, up to some, that leave its winding a tenth of its room. */
static double cool_amps(const wpin_facts *f, double room, double high) {
    double low = 0;
    for (int i = 0; i < 30; i++) {
        double tried = (low + high) / 2;
        wpin_winding_load load = winding_load(f, tried, false);
        double rise = wpin_calc_winding_rise(&load, f->load->motor.heat.resistance);
        *(rise < 0.9 * room ? &low : &high) = tried;
    }
    return low;
}

/* Highest duty up to which it takes no more than so much, at any; 0: none at which it starts. */
static int cool_percent(const wpin_facts *f, double amps) {
    double starts = f->hold / f->load->motor.constant * f->loop_ohms / f->volts;
    int most = (int)(100 * f->load->limits.duty_max), percent = (int)ceil(100 * fmin(starts, 2));
    for (int tried = percent; tried <= most; tried++) {
        wpin_pwm_loop loop = wpin_loop_of(f, wpin_speed_at(f, tried / 100.0));
        if (wpin_calc_pwm_wave(&loop, tried / 100.0).rms >= amps) {
            return tried > percent ? tried - 1 : 0;
        }
    }
    return 0;
}

static void winding(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_heat *h = &f->load->motor.heat;
        wpin_winding_load load = winding_load(f, f->hot_rms, false);
        double rise = wpin_calc_winding_rise(&load, h->resistance);
        double room = h->limit - wpin_air(v);
        if (!f->motor || h->resistance <= 0 || rise <= room) {
            continue;
        }
        wpin_round round = wpin_round_of(v, f, WPIN_PART_WINDING);
        bool spared = wpin_round_spares(&round, room);
        bool ends = wpin_thermistor_ends(v, f, true, rise);
        wpin_finding *n = wpin_find_load(v, spared || ends ? WPIN_CAUTION : WPIN_REFUSE, f);
        double lasts = wpin_calc_winding_seconds(&load, h->resistance, h->time, 0, room);
        if (rise > 1000) {
            wpin_cause(n,
                       "running, %.3g A heat its winding without end (the warmer it is, the more "
                       "it takes), it survives %.0f degC",
                       f->hot_rms, h->limit);
        } else {
            wpin_cause(n, "running, %.3g A heat its winding to %.0f degC, it survives %.0f degC",
                       f->hot_rms, rise + wpin_air(v), h->limit);
        }
        wpin_consequence(n,
                         ends ? "its thermistor trips before it burns, which is after %.3g s"
                              : "the winding burns after about %.3g s",
                         lasts);
        wpin_tell_round(n, v, &round, h, wpin_calc_winding_watts(&load, room) * h->resistance,
                        room);
        double amps = cool_amps(f, room, f->hot_rms);
        int percent = cool_percent(f, amps);
        if (percent > 0) {
            wpin_cure_value(n, WPIN_KEY(.path = "duty-limit", .unit = "%", .digits = 0), percent,
                            NULL);
        }
        wpin_cure(n, "a load of less than %.3g A", amps);
        wpin_cure(n, "runs shorter than %.3g s", 0.8 * lasts);
    }
}

/* Seconds for which an overload protection lets so many amps pass, warm from others. */
static double passes_overload(const wpin_rig_limits *l, double amps, double warm_amps) {
    double trips = l->overload_amps * l->overload_amps * WPIN_OVERLOAD_TRIP / WPIN_OVERLOAD_RATED;
    double square = amps * amps;
    double warm = fmin(warm_amps * warm_amps, trips);
    return square <= trips ? HUGE_VAL : l->overload_time * log((square - warm) / (square - trips));
}

/* Whether an overload protection ends a stall in time, and lets nothing pass for ever that burns.
 */
static bool overload_serves(const wpin_facts *f, double amps, double lasts, double room) {
    const wpin_rig_limits *l = &f->load->limits;
    wpin_winding_load carried = winding_load(f, 1.05 * l->overload_amps, false);
    return l->overload_amps > 0 && passes_overload(l, amps, f->hot_rms) < 0.9 * lasts &&
           wpin_calc_winding_rise(&carried, f->load->motor.heat.resistance) < room;
}

/* A stall that neither driver nor trip ends, after it has run for long. */
static void stall_winding(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_heat *h = &f->load->motor.heat;
        const wpin_rig_limits *l = &f->load->limits;
        bool trip = l->trip_input >= 0 && l->trip_amps < f->stall_amps;
        if (!f->motor || h->resistance <= 0 || trip) {
            continue;
        }
        wpin_pwm_loop loop = wpin_loop_of(f, 0);
        double amps = wpin_calc_pwm_wave(&loop, l->duty_max).rms;
        amps = l->limit_amps > 0 ? fmin(l->limit_amps, amps) : amps;
        wpin_winding_load runs = winding_load(f, f->hot_rms, false),
                          held = winding_load(f, amps, l->limit_amps <= 0);
        double warm = wpin_calc_winding_rise(&runs, h->resistance), room = h->limit - wpin_air(v);
        wpin_round round = warm >= room ? wpin_round_of(v, f, WPIN_PART_WINDING) : (wpin_round){0};
        warm = wpin_round_spares(&round, room) ? round.peak : warm;
        double lasts = wpin_calc_winding_seconds(&held, h->resistance, h->time, warm, room);
        double end = wpin_calc_winding_rise(&held, h->resistance);
        if (isinf(lasts) || warm >= room || overload_serves(f, amps, lasts, room) ||
            wpin_thermistor_ends(v, f, true, end)) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, lasts < 3.5 ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "warm from running and then held, %.3g A heat its winding to %.0f degC within "
                   "%.3g s%s",
                   amps, h->limit, lasts,
                   l->overload_amps > 0 ? ", which its overload protection lets pass" : "");
        wpin_consequence(n, "a stall of that length burns the winding");
        if (l->trip_input >= 0) {
            wpin_cure(n, "overload: {current: %.2gA, time: %.3gs}", 0.95 * cool_amps(f, room, amps),
                      fmax(0.6 * h->time, 1.1));
            wpin_cure_value(n, WPIN_KEY(.path = "current-trip.level", .unit = "A", .digits = 3),
                            0.8 * f->stall_amps, "a current-trip at %s");
        } else if (f->load->bridge.sense_volts_per_amp > 0) {
            wpin_cure(n, "current-trip: {level: %.3gA, time: 100ms, input: N}",
                      0.8 * f->stall_amps);
        } else {
            wpin_cure(n, "a current sense and a current-trip");
        }
        wpin_cure(n, "a motor with more room: at most %.3g K/W", 0.3 * h->resistance);
    }
}

/* A torque is there to be held: for as long as anybody likes, or until an overload protection. */
static void current_winding(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_heat *h = &f->load->motor.heat;
        double amps = f->load->current.rated, room = h->limit - wpin_air(v);
        if (!f->load->current.there || h->resistance <= 0) {
            continue;
        }
        wpin_winding_load held = winding_load(f, amps, false);
        double lasts = wpin_calc_winding_seconds(&held, h->resistance, h->time, 0, room);
        double end = wpin_calc_winding_rise(&held, h->resistance);
        if (isinf(lasts) || overload_serves(f, amps, lasts, room) ||
            wpin_thermistor_ends(v, f, true, end)) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, lasts < 3.5 ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n, "its rated current of %.3g A heats its winding to %.0f degC within %.3g s",
                   amps, h->limit, lasts);
        wpin_consequence(n, "held for that long it burns");
        wpin_cure_value(n, WPIN_KEY(.path = "current.rated", .unit = "A", .digits = 2),
                        cool_amps(f, room, amps), NULL);
        wpin_cure(n, "overload: {current: %.2gA, time: %.3gs}", 0.95 * cool_amps(f, room, amps),
                  fmax(0.6 * h->time, 1.1));
    }
}

/* ---- rest before turning over ---- */

static void rest(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        bool turns = f->motor && wpin_stage_kind_has(l->kind, WPIN_DRIVE_REVERSE) &&
                     !wpin_rig_sees_rest(l); /* which shows when it stands */
        double takes = turns ? wpin_run_down(f, l->rest_brakes, NULL) : 0;
        if (takes > l->limits.rest) {
            wpin_finding *n =
                wpin_find_load(v, takes > 1.5 * l->limits.rest ? WPIN_REFUSE : WPIN_CAUTION, f);
            wpin_cause(
                n, "from full speed it runs on for about %.2f s after its ramp, 'rest' is %.2f s",
                takes, l->limits.rest);
            wpin_consequence(
                n, "it is driven the other way while it still turns: up to %.3g A",
                wpin_calc_reversal_amps(f->volts, l->motor.constant * f->speed, f->loop_ohms));
            wpin_cure_value(n, WPIN_KEY(.path = "rest", .unit = "s", .digits = 2), 1.2 * takes,
                            NULL);
            if (!l->rest_brakes && wpin_stage_kind_has(l->kind, WPIN_DRIVE_BRAKE) &&
                wpin_run_down(f, true, NULL) < l->limits.rest) {
                wpin_cure(n, "at-rest: brake");
            }
            wpin_cure(n, "a longer ramp down");
        }
    }
}

/* ---- limits ---- */

static void limit_side(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        for (int way = 0; way < 2; way++) {
            int input = f->load->limits.limit_inputs[way];
            const wpin_part_motor *m = &f->load->motor;
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
        const wpin_part_motor *m = &f->load->motor;
        bool open =
            l->limit_inputs[0] < 0 ||
            (l->limit_inputs[1] < 0 && wpin_stage_kind_has(f->load->kind, WPIN_DRIVE_REVERSE));
        open = open && !f->load->current.there; /* there a stop is what it presses against */
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
        const wpin_part_lamp *lamp = &f->load->lamp;
        double strip = lamp->forward_volts > 0 ? lamp->watts / lamp->volts : 0; /* its current */
        if (strip > 0 && WPIN_RATED_SLACK * volts < f->volts && f->stall_amps > 2 * strip) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(
                n, "rated %.3g V on %.3g V: each pulse drives %.3g A through it, rated are %.3g",
                volts, f->volts, f->stall_amps, strip);
            wpin_consequence(n, "its diodes age fast, though its duty is capped at %.3g %%",
                             f->load->limits.duty_max * 100);
            wpin_cure(n, "a supply of %.3g V, or a strip made for %.3g V", volts, f->volts);
        } else if (volts > 0 && WPIN_RATED_SLACK * volts < f->volts) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "rated %.3g V on %.3g V: its duty is capped at %.3g %%", volts, f->volts,
                       f->load->limits.duty_max * 100);
            wpin_consequence(n, "100 %% can't be asked for");
            wpin_cure(n, "nothing to do; or a supply of %.3g V", volts);
        }
    }
}

/* Found for another motor than its entry says now. */
static void identified_before(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_identified *i = &f->load->identified;
        if (!i->there || !i->stale) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n, "it was identified on %s, and the entry of its motor has changed since",
                   i->on);
        wpin_consequence(n, "what was found is not used");
        wpin_cure(n, "windpin identify again");
        wpin_cure(n, "the entry as it was, or 'identified' taken out");
    }
}

/* What motors have, small and large, by a wide margin: outside of it a unit's prefix has slipped.
 */
static void figure(wpin_vetter *v, const wpin_facts *f, double is, double least, double most,
                   const char *what, const char *keys) {
    if (is >= least && is <= most) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
    wpin_cause(n, what, is, least, most);
    wpin_consequence(n, "what is said and simulated of it is of another motor");
    wpin_cure(n, "the units of %s: m is a thousandth, u a millionth", keys);
}

/* By itself it comes to full speed at any duty, and never to rest. */
static void frictionless(wpin_vetter *v, const wpin_facts *f) {
    const wpin_at_shaft at = wpin_part_at_shaft(&f->load->motor);
    if (at.drags > 0 || at.viscous > 0 || at.quadratic > 0) {
        return;
    }
    wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
    wpin_cause(n, "nothing is said of its friction, nor of a load");
    wpin_consequence(n,
                     "simulated it takes no current at speed, and never comes to rest by itself");
    wpin_cure(n, "no-load-current: what it takes without a load, from its label or a meter");
    wpin_cure(n, "dry-friction, and load");
}

static void figures(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_motor *m = &f->load->motor;
        if (!f->motor) {
            continue;
        }
        frictionless(v, f);
        double lag = m->inductance / m->resistance, rad = f->volts / m->constant;
        double speeds_up = m->inertia * m->resistance / (m->constant * m->constant);
        figure(v, f, lag * 1e3, 3e-3, 200,
               "its current follows in %.3g ms, by inductance and resistance; of motors it is %.3g "
               "to %.3g ms",
               "inductance and resistance");
        figure(v, f, rad * 30 / PI, 50, 200e3,
               "it turns its own shaft at %.3g rpm, without load; motors do at %.3g to %.6g rpm",
               "constant or speed-constant");
        figure(v, f, speeds_up, 0.3e-3, 20,
               "by itself it is up to speed in %.3g s; of motors it is %.3g to %.3g s",
               "inertia, resistance and constant");
    }
}

const wpin_rule_entry wpin_rules_motor[] = {
    {{"start-torque", "motor; load; gear", "a load that never breaks loose", WPIN_EFFECT_DEAD},
     start_torque},
    {{"winding-heat", "motor heat", "a winding that gets too hot", WPIN_EFFECT_BURNS}, winding},
    {{"stall-winding", "motor heat; current-trip; overload", "a stall that burns the winding",
      WPIN_EFFECT_BURNS},
     stall_winding},
    {{"current-winding", "current rated; motor heat; overload",
      "a regulated current that the winding can't carry for long", WPIN_EFFECT_BURNS},
     current_winding},
    {{"rest", "rest; motor; ramp", "reversed before it has come to rest", WPIN_EFFECT_DEAD}, rest},
    {{"limit-side", "limits; travel", "a limit switch at the wrong end", WPIN_EFFECT_MOVES},
     limit_side},
    {{"end-stop", "travel; limits", "end stops without limit switches", WPIN_EFFECT_ADVICE},
     no_limit},
    {{"rated-volts", "rated", "rated for fewer volts than the supply has", WPIN_EFFECT_ADVICE},
     rated},
    {{"identified-before", "identified; motor", "constants that were found for another motor",
      WPIN_EFFECT_ADVICE},
     identified_before},
    {{"motor-figures", "motor", "figures that no motor has, or no friction", WPIN_EFFECT_ADVICE},
     figures},
};
const size_t wpin_rules_motor_count = sizeof wpin_rules_motor / sizeof *wpin_rules_motor;
