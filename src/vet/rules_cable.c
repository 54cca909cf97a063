/* The rule about a load's cable: each wire against what the rig's stage and sensors expect. */
#include "rules.h"
#include "windpin/host/plain.h"
#include <stdio.h>

static const char *end_of(const wpin_vetter *v, const wpin_rig_load *load, const wpin_rig_wire *w,
                          char *to, size_t size) {
    switch ((wpin_wire_to)w->to) {
    case WPIN_WIRE_TO_DRIVER:
        snprintf(to, size, "the driver's output %s", wpin_wire_output(load, w->number));
        break;
    case WPIN_WIRE_TO_SUPPLY:
        wpin_plain(to, size, "supply '%s' (%.3g V)", v->rig->supplies[w->number].name,
                   v->rig->supplies[w->number].volts);
        break;
    case WPIN_WIRE_TO_PIN: snprintf(to, size, "pin %d", w->number); break;
    case WPIN_WIRE_TO_LOGIC: snprintf(to, size, "the logic supply"); break;
    case WPIN_WIRE_TO_GROUND: snprintf(to, size, "ground"); break;
    default: snprintf(to, size, "nothing"); break;
    }
    return to;
}

static bool is_lead(const wpin_rig_wire *w) {
    return w->is <= WPIN_WIRE_LEAD_C || w->is >= WPIN_WIRE_COIL_A1;
}

/* The driver's output that a lead belongs on. */
static int output_of(const wpin_rig_wire *w) {
    return w->is >= WPIN_WIRE_COIL_A1 ? w->is - WPIN_WIRE_COIL_A1 : w->is;
}

/* Begins a finding about one wire: "its wire 'red' (lead-a) is on pin 2". */
static wpin_finding *tell(wpin_vetter *v, wpin_severity severity, const wpin_facts *f,
                          const wpin_rig_wire *w, const char *more) {
    char end[80];
    wpin_finding *n = wpin_find_load(v, severity, f);
    wpin_cause(n, "its wire '%s' (%s) is on %s%s", w->label, wpin_wire_word((wpin_wire_is)w->is),
               end_of(v, f->load, w, end, sizeof end), more);
    return n;
}

static void check_lead(wpin_vetter *v, const wpin_facts *f, const wpin_rig_wire *w) {
    bool any = wpin_rig_three_leads(f->load) || wpin_rig_type(f->load)->steps;
    bool fed = f->load->encoder.there;
    const char *right = wpin_wire_output(f->load, output_of(w));
    if (w->to == WPIN_WIRE_TO_NOTHING) {
        wpin_finding *n = tell(v, WPIN_REFUSE, f, w, "");
        wpin_consequence(n, "no current flows: it does not move");
        wpin_cure(n, "the driver's output %s", right);
    } else if (w->to == WPIN_WIRE_TO_PIN || w->to == WPIN_WIRE_TO_LOGIC) {
        wpin_finding *n = tell(v, WPIN_REFUSE, f, w, "");
        wpin_consequence(n,
                         "the motor's current and its kicks go through the controller: it burns");
        wpin_cure(n, "the driver's output %s", right);
    } else if (w->to != WPIN_WIRE_TO_DRIVER) {
        wpin_finding *n = tell(v, WPIN_REFUSE, f, w, "");
        wpin_consequence(n, "the driver does not drive it, or shorts its supply");
        wpin_cure(n, "the driver's output %s", right);
    } else if (w->number != w->is && !any) {
        wpin_finding *n = tell(v, fed ? WPIN_REFUSE : WPIN_CAUTION, f, w, "");
        wpin_consequence(n, fed ? "it turns the other way than its encoder counts"
                                : "it turns the other way");
        wpin_cure(n, "the driver's output %s", right);
    }
}

static void check_feed(wpin_vetter *v, const wpin_facts *f, const wpin_rig_wire *w) {
    double logic = v->rig->controller.logic_volts;
    bool plus = w->is == WPIN_WIRE_SENSOR_PLUS;
    double volts = w->to == WPIN_WIRE_TO_SUPPLY ? v->rig->supplies[w->number].volts : 0;
    if (plus ? wpin_rig_wire_feeds(v->rig, w) : w->to == WPIN_WIRE_TO_GROUND) {
        return;
    }
    wpin_finding *n = tell(v, WPIN_REFUSE, f, w, "");
    bool burns = volts > logic || w->to == WPIN_WIRE_TO_DRIVER;
    wpin_consequence(n, burns ? "its sensor burns, and what it is connected to may follow"
                              : "its sensor shows nothing");
    wpin_cure(n, plus ? "logic, or a supply of %.3g V" : "ground", logic);
}

/* Which sensor wire the rig reads on a pin; NULL: none. */
static const char *read_there(const wpin_rig_load *load, int pin) {
    for (int is = WPIN_WIRE_ENCODER_A; is <= WPIN_WIRE_HALL_C; is++) {
        if (wpin_rig_wire_pin(load, (wpin_wire_is)is) == pin) {
            return wpin_wire_word((wpin_wire_is)is);
        }
    }
    return NULL;
}

static void check_sensor(wpin_vetter *v, const wpin_facts *f, const wpin_rig_wire *w) {
    int pin = wpin_rig_wire_pin(f->load, (wpin_wire_is)w->is);
    if (pin < 0) {
        wpin_finding *n = tell(v, WPIN_CAUTION, f, w, ", and the rig has no such sensor");
        wpin_consequence(n, "nothing reads it");
        wpin_cure(n, "'encoder' or 'hall' of the load, with its pins");
    } else if (w->to == WPIN_WIRE_TO_DRIVER || w->to == WPIN_WIRE_TO_SUPPLY) {
        wpin_finding *n = tell(v, WPIN_REFUSE, f, w, "");
        wpin_consequence(n, "the sensor burns");
        wpin_cure(n, "pin %d", pin);
    } else if (w->to != WPIN_WIRE_TO_PIN || w->number != pin) {
        const char *other = w->to == WPIN_WIRE_TO_PIN ? read_there(f->load, w->number) : NULL;
        char more[60] = "";
        if (other != NULL) {
            snprintf(more, sizeof more, ", where the rig reads %s", other);
        }
        wpin_finding *n = tell(v, WPIN_REFUSE, f, w, more);
        wpin_consequence(n, other != NULL ? "it counts the other way, or in the wrong order"
                                          : "nothing is read of it");
        wpin_cure(n, "pin %d", pin);
    }
}

/* The windings of a stepper: each on one channel, and the way it then turns. */
static void check_coils(wpin_vetter *v, const wpin_facts *f) {
    const wpin_rig_wire *w[4], *on[4] = {NULL}; /* by lead; by output */
    for (int i = 0; i < 4; i++) {
        w[i] = wpin_rig_wire_of(f->load, (wpin_wire_is)(WPIN_WIRE_COIL_A1 + i));
        if (w[i] == NULL || w[i]->to != WPIN_WIRE_TO_DRIVER) {
            return; /* told already */
        }
        on[w[i]->number] = w[i];
    }
    int other = w[0]->number ^ 1;
    if (w[1]->number != other) {
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n, "its winding a is between the outputs %s and %s, which are of two channels",
                   wpin_wire_output(f->load, w[0]->number),
                   wpin_wire_output(f->load, w[1]->number));
        wpin_consequence(n, "it jerks to and fro and does not step on");
        if (on[other] != NULL) {
            wpin_cure(n, "the wires '%s' and '%s' in each other's place", w[1]->label,
                      on[other]->label);
        }
        return;
    }
    bool turned = (w[0]->number > w[1]->number) != (w[2]->number > w[3]->number);
    if (turned != (w[0]->number > 1)) {
        wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
        wpin_cause(n, "its windings are on %s-%s and %s-%s",
                   wpin_wire_output(f->load, w[0]->number), wpin_wire_output(f->load, w[1]->number),
                   wpin_wire_output(f->load, w[2]->number),
                   wpin_wire_output(f->load, w[3]->number));
        wpin_consequence(n, "it turns the other way");
        wpin_cure(n, "the wires '%s' and '%s' in each other's place", w[2]->label, w[3]->label);
    }
}

/* What the rig reads or drives and no wire of the cable is. */
static void check_missing(wpin_vetter *v, const wpin_facts *f) {
    int leads = wpin_rig_three_leads(f->load) ? 3 : 2;
    bool coils = wpin_rig_type(f->load)->steps;
    for (int is = 0; is <= WPIN_WIRE_COIL_B2; is++) {
        bool lead = coils ? is >= WPIN_WIRE_COIL_A1 : is < leads;
        bool needed = lead || wpin_rig_wire_pin(f->load, (wpin_wire_is)is) >= 0;
        if (needed && wpin_rig_wire_of(f->load, (wpin_wire_is)is) == NULL) {
            wpin_finding *n = wpin_find_load(v, WPIN_CAUTION, f);
            wpin_cause(n, "no wire of its cable is %s", wpin_wire_word((wpin_wire_is)is));
            wpin_consequence(n, "the rig needs it");
            wpin_cure(n, "that wire in 'cable', with where it goes");
        }
    }
}

static void cable(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        for (size_t i = 0; i < f->load->wire_count; i++) {
            const wpin_rig_wire *w = &f->load->cable[i];
            if (is_lead(w)) {
                check_lead(v, f, w);
            } else if (w->is <= WPIN_WIRE_SENSOR_GROUND) {
                check_feed(v, f, w);
            } else {
                check_sensor(v, f, w);
            }
        }
        if (f->load->wire_count > 0) {
            check_missing(v, f);
            check_coils(v, f);
        }
    }
}

const wpin_rule_entry wpin_rules_cable[] = {
    {{"cable", "cable", "a wire of the load's cable in the wrong place", WPIN_EFFECT_DEAD}, cable},
};
const size_t wpin_rules_cable_count = sizeof wpin_rules_cable / sizeof *wpin_rules_cable;
