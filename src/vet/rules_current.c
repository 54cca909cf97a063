/* Rules about a current that is measured and regulated. */
#include "rules.h"

/* A rated current that the volts do not drive, even through a shaft that stands. */
static void reach(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double most = l->current.there ? wpin_rig_mean_amps(v->rig, l, l->limits.duty_max, 0) : 0;
        if (!l->current.there || l->current.rated <= most) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n,
                   "its rated current is %.3g A, %.0f %% duty drive %.3g A through a shaft that "
                   "stands",
                   l->current.rated, l->limits.duty_max * 100, most);
        wpin_consequence(n, "it never comes to what is asked for");
        wpin_cure_value(n, WPIN_KEY(.path = "current.rated", .unit = "A", .digits = 2), 0.9 * most,
                        NULL);
        if (l->limits.duty_max < 1) {
            wpin_cure(n, "a higher duty-limit");
        }
        wpin_cure_value(
            n, WPIN_KEY(.part = f->supply->name, .path = "voltage", .unit = "V", .digits = 3),
            f->volts * 1.1 * l->current.rated / most, "a supply of %s");
    }
}

/* A sense without a sign on a stage that shorts the motor: driven from outside it brakes, and what
 * flows then is taken for torque. */
static void overhauled(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        bool shorts = wpin_rig_off_phase(l) == WPIN_OFF_SHORT;
        if (!l->current.there || l->encoder.there || !shorts) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "its stage shorts the motor while PWM is low, and its sense has no sign");
        wpin_consequence(n, "a load that turns it faster than its duty does is braked, and that "
                            "current taken for torque");
        wpin_cure(n, "an encoder");
        wpin_cure(n, "a stage with fast decay");
    }
}

const wpin_rule_entry wpin_rules_current[] = {
    {{"current-reach", "current rated; duty-limit; motor; supply voltage",
      "a regulated current that its volts don't drive", WPIN_EFFECT_DEAD},
     reach},
    {{"current-way", "current; driver off-phase; encoder",
      "a torque whose direction nothing measures", WPIN_EFFECT_ADVICE},
     overhauled},
};
const size_t wpin_rules_current_count = sizeof wpin_rules_current / sizeof *wpin_rules_current;
