/* Rules about supplies: voltage, polarity, grounds, limits, what is made from what. */
#include "rules.h"
#include <string.h>

/* The most that the driver ever sees: the supply at its highest, and on top of it the diode through
 * which a winding's current goes on. */
static double highest_volts(const wpin_facts *f) {
    return f->volts * f->supply->highest / f->supply->volts;
}

static double with_diode(const wpin_facts *f) {
    bool winding = wpin_rig_type(f->load)->winding && !f->load->bridge.no_diodes;
    return highest_volts(f) + (winding ? f->load->bridge.diode_volts : 0);
}

static void too_many_volts(wpin_vetter *v, const wpin_facts *f) {
    double most = f->load->bridge.burns_above_volts, highest = highest_volts(f);
    wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
    if (f->volts > most) {
        wpin_cause(n, "supply '%s' has %.3g V, the driver survives %.3g V", f->supply->name,
                   f->volts, most);
        wpin_consequence(n, "the driver burns when the supply is switched on");
    } else {
        wpin_cause(n, "supply '%s' has up to %.3g V, the driver survives %.3g V", f->supply->name,
                   highest, most);
        wpin_consequence(n, "the driver burns when the supply is at its highest");
    }
    wpin_cure(n, "a supply of at most %.3g V, or a driver made for more", 0.8 * most);
}

/* What a part survives is no place to be: where it should work is less. */
static void voltage(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double most = f->load->bridge.burns_above_volts, top = with_diode(f);
        double wished = f->load->limits.recommended_volts;
        if (highest_volts(f) > most) {
            too_many_volts(v, f);
        } else if (top > 0.9 * most) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n,
                       "supply '%s' and its diode come to %.3g of the %.3g V the driver survives",
                       f->supply->name, top, most);
            wpin_consequence(n, "current that comes back, or a long wire's kick, takes the rest");
            wpin_cure_value(n, WPIN_KEY(.path = "driver.voltage-limit", .unit = "V", .digits = 3),
                            top / 0.8, "a driver made for at least %s");
        } else if (wished > 0 && highest_volts(f) > wished) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "supply '%s' has up to %.3g V, the driver is recommended for %.3g V",
                       f->supply->name, highest_volts(f), wished);
            wpin_consequence(n, "it works outside of what its data sheet promises");
            wpin_cure(n, "a supply of at most %.3g V, or a driver recommended for more", wished);
        }
    }
}

static void least_voltage(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double least = f->load->bridge.least_volts;
        if (f->volts < least) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "supply '%s' has %.3g V, the driver works from %.3g V on",
                       f->supply->name, f->volts, least);
            wpin_consequence(n, "the driver stays off, without a message");
            wpin_cure(n, "a supply of %.3g V or more, or a driver for fewer volts", 1.1 * least);
        }
    }
}

static void polarity(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        if (v->rig->supplies[i].reversed) {
            wpin_finding *n = wpin_find_supply(v, WPIN_REFUSE, i);
            wpin_cause(n, "plus and minus are swapped");
            wpin_consequence(n, "every driver on it burns when it is switched on");
            wpin_cure(
                n, "swap the wires; a series diode or a keyed plug keeps it from happening again");
        }
    }
}

static void ground(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        bool apart = strcmp(f->supply->ground, v->rig->controller.ground) != 0;
        if (apart && !wpin_rig_is_isolated(f->load)) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "the ground of supply '%s' is not the controller's", f->supply->name);
            wpin_consequence(
                n, "the control lines have no way back: the load does not move, or by chance");
            wpin_cure(n, "a wire from the minus of '%s' to the controller's ground",
                      f->supply->name);
        }
    }
}

static void joined(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        int other = v->rig->supplies[i].joined;
        if (other >= 0) {
            wpin_finding *n = wpin_find_supply(v, WPIN_REFUSE, i);
            wpin_cause(n, "its plus is joined with that of '%s'", v->rig->supplies[other].name);
            wpin_consequence(
                n, "the stronger one feeds the weaker one: regulators and ports die of it");
            wpin_cure(n, "join the grounds only; remove the supply jumper or the second plus wire");
        }
    }
}

/* Sum of the currents a supply gives while all its loads run, what is made from it included. */
static double running_amps(const wpin_vetter *v, size_t supply) {
    const wpin_rig *rig = v->rig;
    double sum = rig->controller.supply == (int)supply ? rig->controller.draws : 0;
    WPIN_EACH_LOAD(v, f) {
        sum += f->load->supply == supply ? f->run_amps : 0;
    }
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        if (s->from == (int)supply) {
            double out = running_amps(v, i);
            sum += s->switching ? wpin_calc_converter_amps(s->volts, out, s->efficiency,
                                                           wpin_volts_of(v, supply))
                                : out;
        }
    }
    return sum;
}

double wpin_at_source(const wpin_vetter *v, const wpin_facts *f, double amps) {
    size_t supply = f->load->supply;
    for (const wpin_rig_supply *s = &v->rig->supplies[supply]; s->from >= 0;
         s = &v->rig->supplies[supply]) {
        supply = (size_t)s->from;
        if (s->switching) {
            amps =
                wpin_calc_converter_amps(s->volts, amps, s->efficiency, wpin_volts_of(v, supply));
        }
    }
    return amps;
}

/* The load that takes most of a source at its start or stall; there and at the source. */
static const wpin_facts *strongest(const wpin_vetter *v, size_t source, double *surge) {
    const wpin_facts *most = NULL;
    *surge = 0;
    WPIN_EACH_LOAD(v, f) {
        double amps = wpin_at_source(v, f, f->surge_amps);
        if (wpin_rig_source_of(v->rig, f->load->supply) == source &&
            (most == NULL || amps > *surge)) {
            most = f;
            *surge = amps;
        }
    }
    return most;
}

static void limit(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        double amps = running_amps(v, i);
        double surge;
        const wpin_facts *most = strongest(v, i, &surge);
        bool droops = s->droops || s->from >= 0;
        if (s->limit_amps <= 0) {
            continue;
        }
        if (amps > s->limit_amps) {
            wpin_finding *n = wpin_find_supply(v, WPIN_REFUSE, i);
            wpin_cause(n, "all its loads together take %.3g A while running, its limit is %.3g A",
                       amps, s->limit_amps);
            wpin_consequence(n, droops ? "its voltage sags: loads slow down or starve"
                                       : "it cuts out and comes back, again and again");
            wpin_cure_value(n, WPIN_KEY(.path = "limit", .unit = "A", .digits = 3),
                            fmax(1.3 * amps, 1.1 * surge), "a supply of %s or more");
        } else if (most != NULL && surge > s->limit_amps) {
            bool always =
                !droops && wpin_at_source(v, most, most->start_amps) > 1.1 * s->limit_amps;
            wpin_finding *n = wpin_find_supply(v, always ? WPIN_REFUSE : WPIN_CAUTION, i);
            wpin_cause(n, "'%s' takes up to %.3g A at a start or stall, the limit is %.3g A",
                       most->load->name, surge, s->limit_amps);
            wpin_consequence(n, droops   ? "its voltage sags at a start"
                                : always ? "it cuts out at every start"
                                         : "it may cut out at a start");
            wpin_cure_value(n, WPIN_KEY(.path = "limit", .unit = "A", .digits = 3), 1.1 * surge,
                            "a supply of %s");
            wpin_cure(n, "longer ramps and staggered starts, if it is never held");
        }
    }
}

static void sag(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        double amps = running_amps(v, i), lost = amps * s->resistance, volts = wpin_volts_of(v, i);
        if (s->from < 0 && lost > 0.15 * volts) {
            wpin_finding *n = wpin_find_supply(v, WPIN_CAUTION, i);
            wpin_cause(n, "%.3g A through %.3g ohm inside it leave %.3g of its %.3g V", amps,
                       s->resistance, fmax(0, volts - lost), volts);
            wpin_consequence(n, "everything on it runs slower than its figures say");
            wpin_cure(n, "a supply of less than %.3g ohm, shorter and thicker wires",
                      0.1 * volts / amps);
        }
    }
}

/* The load on it that starts hardest. */
static double hardest_start(const wpin_vetter *v, size_t supply) {
    double most = 0;
    WPIN_EACH_LOAD(v, f) {
        most = f->load->supply == supply ? fmax(most, f->start_amps) : most;
    }
    return most;
}

/* What its loads are driven in must hold what is usual: its sag at a start, and cells run down. */
static void window(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        double amps = hardest_start(v, i), volts = wpin_volts_of(v, i) - amps * s->resistance;
        bool cells = s->empty_volts > 0 && s->empty_volts < s->sense.least;
        if (!s->sense.there || (volts > s->sense.least && !cells)) {
            continue;
        }
        wpin_finding *n = wpin_find_supply(v, WPIN_CAUTION, i);
        if (volts <= s->sense.least) {
            wpin_cause(n, "a start takes %.3g A and leaves %.3g V; below %.3g V its loads trip",
                       amps, fmax(0, volts), s->sense.least);
            wpin_consequence(n, "a start that lasts longer than %.3g s trips: SUPPLY_LOW",
                             s->sense.time);
        } else {
            wpin_cause(n, "its cells fall to %.3g V; below %.3g V its loads trip", s->empty_volts,
                       s->sense.least);
            wpin_consequence(n, "they trip before the cells are empty: SUPPLY_LOW");
        }
        wpin_cure_value(n, WPIN_KEY(.path = "sense.least", .unit = "V", .digits = 2),
                        0.9 * fmin(fmax(volts, 0.2 * s->volts), cells ? s->empty_volts : s->volts),
                        "least: %s, or a supply that gives way less");
    }
}

/* What the load on it that starts hardest makes it take at its input. */
static double starting_amps(const wpin_vetter *v, size_t made) {
    const wpin_rig_supply *s = &v->rig->supplies[made];
    double most = hardest_start(v, made);
    return s->switching ? wpin_calc_converter_amps(s->volts, most, s->efficiency,
                                                   wpin_volts_of(v, (size_t)s->from))
                        : most;
}

/* Volts it needs at its input for all of its output. */
static double least_input_of(const wpin_vetter *v, const wpin_rig_supply *made) {
    bool boost = made->switching && made->volts > v->rig->supplies[made->from].volts;
    return fmax(made->least_input, boost ? 0 : made->volts + made->headroom);
}

static void least_input(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        if (s->from < 0) {
            continue;
        }
        const wpin_rig_supply *from = &v->rig->supplies[s->from];
        double amps = running_amps(v, (size_t)s->from);
        bool starves = from->limit_amps > 0 && from->droops && amps > from->limit_amps;
        double input = fmax(0, wpin_volts_of(v, (size_t)s->from) - amps * from->resistance);
        double out = wpin_made_volts(v, s, input);
        if (starves || out < 0.97 * s->volts) {
            wpin_finding *n = wpin_find_supply(v, WPIN_REFUSE, i);
            if (starves) {
                wpin_cause(n, "it takes %.3g A out of '%s', which gives %.3g A", amps, from->name,
                           from->limit_amps);
            } else {
                wpin_cause(n,
                           "%.3g V are left at its input under load: it makes %.3g V of them "
                           "instead of %.3g V",
                           input, out, s->volts);
            }
            wpin_consequence(n, "its output falls or goes off when the load runs");
            if (starves) {
                wpin_cure_value(
                    n, WPIN_KEY(.part = from->name, .path = "limit", .unit = "A", .digits = 3),
                    1.3 * fmax(amps, starting_amps(v, i)), "at least %s from '%s'");
            } else {
                wpin_cure_value(
                    n, WPIN_KEY(.part = from->name, .path = "voltage", .unit = "V", .digits = 3),
                    1.05 * least_input_of(v, s) + amps * from->resistance, "at least %s from '%s'");
            }
            wpin_cure(n, "less load on '%s'", s->name);
        }
    }
}

static void regulator_heat(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        if (s->from < 0 || s->heat.resistance <= 0) {
            continue;
        }
        double amps = running_amps(v, i), input = wpin_volts_of(v, (size_t)s->from);
        double watts = s->switching ? s->volts * amps * (1 / s->efficiency - 1)
                                    : wpin_calc_linear_watts(input, s->volts, amps);
        double degrees = wpin_calc_junction_degrees(wpin_air(v), watts, s->heat.resistance);
        if (degrees > 150) {
            wpin_finding *n = wpin_find_supply(v, WPIN_REFUSE, i);
            wpin_cause(n, "%.3g A from %.3g V to %.3g V lose %.3g W in it: %.0f degC", amps, input,
                       s->volts, watts, degrees);
            wpin_consequence(n, "it shuts itself down when warm, and its loads stop with it");
            wpin_cure(n, "at most %.3g K/W (a heat sink)", (100 - wpin_air(v)) / watts);
            wpin_cure(n, s->switching ? "a better one" : "a lower input, or a switching one");
        } else if (degrees > 110) {
            wpin_finding *n = wpin_find_supply(v, WPIN_CAUTION, i);
            wpin_cause(n, "it loses %.3g W: %.0f degC", watts, degrees);
            wpin_consequence(n, "in a warm box it shuts itself down");
            wpin_cure(n, "at most %.3g K/W", (100 - wpin_air(v)) / watts);
        }
    }
}

/* What is left for the controller while a load on the same source takes so much. */
static double controller_volts(const wpin_vetter *v, size_t source, double amps) {
    const wpin_rig_controller *c = &v->rig->controller;
    const wpin_rig_supply *s = &v->rig->supplies[c->supply], *root = &v->rig->supplies[source];
    double volts = wpin_volts_of(v, source) - (amps + c->draws) * root->resistance;
    if (root->limit_amps > 0 && amps + c->draws > root->limit_amps) {
        return 0; /* it cuts out, or sags */
    }
    return s->from < 0 ? volts : wpin_made_volts(v, s, volts);
}

/* The controller's supply when the strongest load on the same source starts, or stalls. */
static void brown_out(wpin_vetter *v) {
    const wpin_rig_controller *c = &v->rig->controller;
    if (c->supply < 0) {
        return;
    }
    size_t source = wpin_rig_source_of(v->rig, (size_t)c->supply);
    double surge;
    const wpin_facts *most = strongest(v, source, &surge);
    const wpin_rig_supply *s = &v->rig->supplies[c->supply], *root = &v->rig->supplies[source];
    if (most == NULL) {
        return;
    }
    double together = 0;
    WPIN_EACH_LOAD(v, f) {
        together += wpin_rig_source_of(v->rig, f->load->supply) == source
                        ? wpin_at_source(v, f, f->start_amps)
                        : 0;
    }
    double worst = fmax(together, surge), starting = wpin_at_source(v, most, most->start_amps);
    double start = controller_volts(v, source, starting);
    double stalled = controller_volts(v, source, worst);
    bool at_start = start < c->least_volts;
    if (at_start || stalled < c->least_volts) {
        double amps = at_start ? starting : worst;
        wpin_finding *n = wpin_find(v, at_start ? WPIN_REFUSE : WPIN_CAUTION, "controller");
        wpin_cause(n,
                   "'%s' %s %.3g A from the same source; '%s' then falls to %.3g V, the controller "
                   "needs %.3g V",
                   most->load->name,
                   at_start           ? "takes at its start"
                   : together > surge ? "and all others starting together take"
                                      : "stalled takes",
                   amps, s->name, fmax(at_start ? start : stalled, 0), c->least_volts);
        wpin_consequence(
            n, at_start ? "the controller resets at the start, and every time it tries again"
                        : "the controller resets when that happens");
        wpin_cure(n, "a supply of its own for the controller");
        double least = root->limit_amps > 0 ? amps + c->draws : 0;
        /* with fewer ohms a stall takes more amps, at zero ohms the most */
        double most_amps = worst * most->loop_ohms / (most->loop_ohms - root->resistance);
        double allowed = (worst + c->draws) * root->resistance - (c->least_volts - stalled);
        double ohms = allowed / (most_amps + c->draws);
        if (least > root->limit_amps) {
            wpin_cure_value(n,
                            WPIN_KEY(.part = root->name, .path = "limit", .unit = "A", .digits = 3),
                            1.3 * least, "at least %s from '%s'");
        } else if (ohms > 0) {
            wpin_cure_value(
                n, WPIN_KEY(.part = root->name, .path = "resistance", .unit = "ohm", .digits = 3),
                0.9 * ohms, "at most %s in '%s'");
        }
    }
}

/* A converter whose output is above its input: what comes back has no way on. */
static bool makes_more(const wpin_rig *rig, const wpin_rig_supply *s) {
    return s->switching && s->volts > rig->supplies[s->from].volts;
}

/* How far a supply rises whose regulated load gives way: it looks once in a control period, and in
 * one the current of its ramp goes on. */
static double given_up_at(const wpin_rig *rig, const wpin_facts *f, double farads) {
    const wpin_rig_load *l = f->load;
    double slows = f->speed / fmax(l->limits.ramp_down, 1e-3);
    double amps = wpin_part_at_shaft(&l->motor).inertia * slows / l->motor.constant;
    return f->supply->sense.give_up + amps * rig->controller.tick / farads;
}

/* A motor that is shorted while PWM is low drives current back as it is ramped down; with diodes
 * alone its back-emf stays below the supply. */
static void pumped(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double farads = f->supply->capacitance, most = l->bridge.burns_above_volts;
        bool returns = wpin_stage_kind_takes_duty(l->kind) && l->bridge.off_phase == WPIN_OFF_SHORT;
        double volts = f->motor && farads > 0 && returns ? wpin_returned_volts(f, farads) : 0;
        if (f->supply->from >= 0 && !makes_more(v->rig, f->supply)) {
            volts = fmin(volts, wpin_volts_of(v, (size_t)f->supply->from) + 0.7);
        }
        if (l->vector.give_up > 0) { /* it brakes no further */
            volts = fmin(volts, l->vector.give_up);
        } else if (farads > 0 && l->speed.there && f->supply->sense.give_up > 0) {
            volts = fmin(volts, given_up_at(v->rig, f, farads));
        }
        if (volts <= 0.95 * most) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, volts > most ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(n,
                   "ramped down from full speed it drives current back into '%s', whose %.3g mF it "
                   "charges from %.3g to %.3g V",
                   f->supply->name, farads * 1e3, f->volts, volts);
        wpin_consequence(n, "the driver burns above %.3g V", most);
        double enough = farads;
        for (int i = 0; i < 12 && wpin_returned_volts(f, enough) > 0.9 * most; i++) {
            enough *= 1.5;
        }
        if (f->volts < 0.9 * most) {
            wpin_cure_value(
                n,
                WPIN_KEY(.part = f->supply->name, .path = "capacitor", .unit = "mF", .digits = 3),
                1e3 * enough, "a capacitor of %s");
        }
        wpin_cure(n, "a longer ramp down");
        if (l->vector.there) {
            wpin_cure_value(
                n, WPIN_KEY(.path = "field-oriented.supply.give-up", .unit = "V", .digits = 1),
                0.9 * most,
                "braking that gives way: field-oriented: {supply: {input, divider, give-way, "
                "give-up: %s}}");
        }
        if (l->speed.there && !l->vector.there && f->supply->sense.give_up <= 0) {
            wpin_cure(n,
                      "braking of its regulated speed that gives way: sense: {input, divider, "
                      "give-way, give-up: %.1fV} of '%s'",
                      0.9 * most, f->supply->name);
        }
        wpin_cure(n, "a brake resistor, or a supply that takes current back");
    }
}

static void run_time(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        double amps = running_amps(v, i);
        if (s->capacity > 0 && amps > 0) {
            double hours = wpin_calc_run_hours(s->capacity, amps, 0.2);
            wpin_finding *n = wpin_find_supply(v, hours < 0.1 ? WPIN_CAUTION : WPIN_NOTE, i);
            wpin_cause(n, "with all loads running (%.3g A) its cells last about %.3g h", amps,
                       hours);
            wpin_consequence(n, "then the voltage falls below %.3g V", s->empty_volts);
            if (hours < 1) {
                wpin_cure(n, "%.3g Ah for a whole hour", amps / 0.8);
            } else {
                wpin_cure(n, "%.3g Ah for twice as long", 2 * s->capacity / 3600);
            }
        }
    }
}

const wpin_rule_entry wpin_rules_supply[] = {
    {{"supply-voltage", "supply voltage; driver voltage-limit",
      "more volts than the driver survives", WPIN_EFFECT_BURNS},
     voltage},
    {{"least-voltage", "driver least-voltage", "fewer volts than the driver needs",
      WPIN_EFFECT_DEAD},
     least_voltage},
    {{"polarity", "supply polarity", "plus and minus swapped", WPIN_EFFECT_BURNS}, polarity},
    {{"ground", "supply and controller ground", "no common ground", WPIN_EFFECT_DEAD}, ground},
    {{"joined-supplies", "supply joined-with", "two sources joined on one rail",
      WPIN_EFFECT_ADVICE},
     joined},
    {{"supply-limit", "supply limit", "more current than the supply gives", WPIN_EFFECT_DEAD},
     limit},
    {{"sag", "supply resistance", "volts lost inside the supply", WPIN_EFFECT_ADVICE}, sag},
    {{"supply-window", "supply sense; resistance; empty",
      "a window that a start, or cells run down, leave", WPIN_EFFECT_ADVICE},
     window},
    {{"least-input", "from, headroom, least-input",
      "a regulator or converter with too little at its input", WPIN_EFFECT_DEAD},
     least_input},
    {{"regulator-heat", "supply heat", "a regulator that gets too hot", WPIN_EFFECT_DEAD},
     regulator_heat},
    {{"brown-out", "controller supply, least-voltage", "a start that resets the controller",
      WPIN_EFFECT_DEAD},
     brown_out},
    {{"returned-energy", "supply capacitor; inertia", "a stop that drives the supply up",
      WPIN_EFFECT_BURNS},
     pumped},
    {{"run-time", "supply capacity", "how long cells last", WPIN_EFFECT_ADVICE}, run_time},
};
const size_t wpin_rules_supply_count = sizeof wpin_rules_supply / sizeof *wpin_rules_supply;
