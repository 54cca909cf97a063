/* Rules about relays: contacts and solid-state outputs, alternating current. */
#include "rules.h"
#include <string.h>

#define TOUCHED_VOLTS 50 /* of alternating current: above it a touch may kill */

static void mains(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->supply_count; i++) {
        const wpin_rig_supply *s = &v->rig->supplies[i];
        if (s->alternating && s->volts > TOUCHED_VOLTS) {
            wpin_finding *n = wpin_find_supply(v, WPIN_CAUTION, i);
            wpin_cause(n, "%.3g V of alternating current", s->volts);
            wpin_consequence(n, "a touch can kill, a loose wire can burn the house: the relay's "
                                "insulation is all that stands between it and the controller");
            wpin_cure(n, "a ready-made switched socket or relay in its own case, with a fuse, "
                         "wired by someone who may; nothing of it on a breadboard");
        }
    }
}

/* Triacs go off as the current passes through zero. */
static void solid_output(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (f->load->kind->solid && f->load->contact.triacs && !f->supply->alternating) {
            wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
            wpin_cause(n, "its output is for alternating current, '%s' gives direct current",
                       f->supply->name);
            wpin_consequence(n, "once it is on it never goes off");
            wpin_cure(n, "a solid-state relay with output: direct, or a transistor");
        }
    }
}

static void leakage(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_contact *c = &f->load->contact;
        double hz = f->supply->alternating ? 50 : 0;
        double amps = c->leakage + f->volts * 2 * PI * hz * c->snubber_farads;
        bool diodes = wpin_rig_type(f->load)->shines && f->load->lamp.cold_share >= 1;
        double least = diodes ? 0.005 * f->run_amps : 0.05 * f->run_amps;
        if (amps > least) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "while it is off %.3g mA still flow", amps * 1e3);
            wpin_consequence(n, diodes ? "it glows while it is off"
                                       : "it is not quite off, and what is taken for dead is not");
            wpin_cure(n, "a relay with a contact, or a resistor across the load");
        }
    }
}

/* A contact that is closed at rest: the load is on whenever nobody drives the coil. */
static void closed_at_rest(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        if (f->load->contact.closed) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "its contact is closed while the coil has no current");
            wpin_consequence(n, "it is on while the controller boots, is reset, or has no supply, "
                                "and after every fault of the coil's wire");
            wpin_cure(n, "the contact that is open at rest, unless that is what it should do");
        }
    }
}

/* Nobody spoke of what takes up the winding's kick. */
static void contact_arc(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_place *said = wpin_rig_place_of(v->rig, f->load->name, "driver free-wheel");
        bool told = said != NULL && strcmp(said->key, "free-wheel") == 0;
        bool winding = wpin_rig_type(f->load)->winding;
        bool contact = f->load->kind->table == &wpin_table_relay && f->load->kind->contacts;
        if (contact && winding && !told && f->load->contact.snubber_ohms <= 0) {
            wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
            wpin_cause(n, "a contact in front of a winding, and the rig does not say what takes up "
                          "the current when it opens");
            wpin_consequence(n, "without a diode or a snubber each opening burns a little of the "
                                "contact away");
            wpin_cure(n, "free-wheel: yes in its driver, once you have looked");
            wpin_cure(n, "snubber: {resistance: 100ohm, capacitor: 100nF} across the contact");
        }
    }
}

/* How often an hour it may go on: by the rounds of a plan that last, and where it follows a sensor
 * as often as its least times and pauses let it. */
typedef struct hourly {
    double rounds, follows;
} hourly;

static hourly often(const wpin_vetter *v, const wpin_facts *f) {
    const wpin_plan *plan = v->plan;
    if (plan == NULL || !f->load->kind->contacts) {
        return (hourly){0};
    }
    wpin_round r = wpin_round_of(v, f, WPIN_PART_NONE);
    bool lasts = plan->seconds >= 60 || plan->rehearsed > 0;
    hourly h = {.rounds = r.repeats && lasts ? 3600 * r.starts / fmax(r.seconds, 1e-3) : 0};
    for (size_t i = 0; i < plan->step_count; i++) {
        const wpin_step *s = &plan->steps[i];
        const wpin_rig_input *input = &v->rig->inputs[s->op == WPIN_OP_FOLLOW ? s->value : 0];
        if (s->op == WPIN_OP_FOLLOW && s->target.number == (size_t)(f->load - v->rig->loads) &&
            wpin_rig_is_sensor(input)) {
            double least = fmax(f->load->limits.least_time, 1e-3);
            h.follows = 3600 / (least + fmax(least, input->pause));
        }
    }
    return h;
}

/* Contacts that open and close under load wear, and get no rest to cool. */
static void relay_rate(wpin_vetter *v) {
    const double many = 360; /* an hour: every ten seconds */
    WPIN_EACH_LOAD(v, f) {
        hourly h = often(v, f);
        double given = f->load->contact.operations, may = given > 0 ? given : many;
        if (fmax(h.rounds, h.follows) <= may) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, given > 0 ? WPIN_CAUTION : WPIN_NOTE, f);
        bool sensor = h.follows > h.rounds;
        const char *what = given > 0 ? "its contacts are made for"
                                     : "nothing says that its contacts stand more than";
        if (sensor && h.follows > 36e3) {
            wpin_cause(n, "it follows a sensor, and nothing keeps it from switching again at once");
        } else {
            wpin_cause(n, "%s %.0f times an hour; %s %.0f",
                       sensor ? "by its least-time it may go on" : "in its rounds it goes on",
                       fmax(h.rounds, h.follows), what, may);
        }
        wpin_consequence(n, "its contacts get hot and stick, or wear out early");
        if (sensor) {
            wpin_cure_value(n, WPIN_KEY(.path = "least-time", .unit = "s", .digits = 2), 1800 / may,
                            NULL);
        } else {
            wpin_cure(n, "rounds of %.2g s or more for each time it goes on", 3600 / may);
        }
        if (given <= 0) {
            wpin_cure(n, "operations-per-hour in its driver, if its data sheet gives more");
        }
        wpin_cure(n, "a transistor in place of the contact");
    }
}

const wpin_rule_entry wpin_rules_relay[] = {
    {{"relay-rate", "driver operations-per-hour; plan", "contacts that switch too often",
      WPIN_EFFECT_ADVICE},
     relay_rate},
    {{"mains", "supply current, voltage", "volts that can kill", WPIN_EFFECT_ADVICE}, mains},
    {{"solid-output", "driver output; supply current",
      "a solid-state relay for the other kind of current", WPIN_EFFECT_MOVES},
     solid_output},
    {{"leakage", "driver leakage, snubber", "what flows while a relay is off", WPIN_EFFECT_ADVICE},
     leakage},
    {{"closed-at-rest", "driver contact", "a contact that is closed without current in its coil",
      WPIN_EFFECT_ADVICE},
     closed_at_rest},
    {{"contact-arc", "driver free-wheel, snubber", "a contact that opens a winding's current",
      WPIN_EFFECT_ADVICE},
     contact_arc},
};
const size_t wpin_rules_relay_count = sizeof wpin_rules_relay / sizeof *wpin_rules_relay;
