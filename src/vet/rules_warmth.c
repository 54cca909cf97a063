/* Rules about temperature sensors: whether one ends what it is there for, and lets pass what is as
 * it should be. */
#include "rules.h"

/* From where it trips it climbs on while the trip waits: twice as long is to spare. */
bool wpin_thermistor_ends(const wpin_vetter *v, const wpin_facts *f, bool in_winding, double end) {
    const wpin_rig_thermistor *t = &f->load->thermistor;
    if (!t->there || t->in_winding != in_winding) {
        return false;
    }
    const wpin_part_heat *h = wpin_rig_thermistor_heat(f->load);
    double from = t->trip - wpin_air(v), room = h->limit - wpin_air(v);
    double climbs = end > room ? h->time * log((end - from) / (end - room)) : HUGE_VAL;
    return from < room && climbs > 2 * (t->time + v->rig->controller.tick);
}

/* K above the air that it settles at: running, and held at all the duty it may have. */
static double settles_at(const wpin_facts *f, bool held) {
    const wpin_part_heat *h = wpin_rig_thermistor_heat(f->load);
    const wpin_part_motor *m = &f->load->motor;
    if (!f->load->thermistor.in_winding) {
        double watts = held ? wpin_stall_watts(f, f->load->limits.duty_max) : f->hot_watts;
        return h->resistance * watts * f->windings;
    }
    wpin_winding_load load = {.ohms = m->resistance,
                              .other_ohms = f->loop_ohms - m->resistance,
                              .amps = held ? f->stall_amps : f->hot_rms,
                              .by_volts = held,
                              .drifts = h->drifts};
    return wpin_calc_winding_rise(&load, h->resistance);
}

static void trips(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_thermistor *t = &f->load->thermistor;
        if (!t->there || !f->motor) {
            continue;
        }
        const wpin_part_heat *h = wpin_rig_thermistor_heat(f->load);
        const char *part = t->in_winding ? "winding" : "driver";
        double runs = settles_at(f, false) + wpin_air(v), held = settles_at(f, true);
        double room = h->limit - wpin_air(v);
        bool late = held > room && !wpin_thermistor_ends(v, f, t->in_winding, held);
        if (late) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            double lasts = 2 * (t->time + v->rig->controller.tick);
            double before = held - (held - room) * exp(lasts / h->time); /* K, at the latest */
            wpin_cause(
                n,
                "it trips at %.4g degC after %.3g s, and held its %s is at the %.4g degC that "
                "it survives before that is over",
                t->trip, t->time, part, h->limit);
            wpin_consequence(n, "a stall burns it though its temperature is watched");
            if (before + wpin_air(v) > runs) {
                wpin_cure_value(n, WPIN_KEY(.path = "thermistor.trip", .unit = "degC", .digits = 0),
                                floor(before + wpin_air(v)), "trip at %s or less");
            } else {
                wpin_cure(n, "a current-trip, which is faster");
            }
        } else if (runs > t->trip) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "running for long its %s comes to %.0f degC; it trips at %.4g degC", part,
                       runs, t->trip);
            wpin_consequence(n, "it trips in a long run with nothing wrong");
            if (runs + 10 < h->limit) {
                wpin_cure_value(n, WPIN_KEY(.path = "thermistor.trip", .unit = "degC", .digits = 0),
                                ceil((runs + h->limit) / 2), "trip at %s");
            }
            wpin_cure(n, "a cooler %s: less load, a heat sink, air", part);
        }
    }
}

const wpin_rule_entry wpin_rules_warmth[] = {
    {{"thermistor-trip", "thermistor; driver heat; motor heat",
      "a temperature sensor that trips too late, or with nothing wrong", WPIN_EFFECT_BURNS},
     trips},
};
const size_t wpin_rules_warmth_count = sizeof wpin_rules_warmth / sizeof *wpin_rules_warmth;
