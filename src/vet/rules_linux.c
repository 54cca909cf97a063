/* Whether the rig can move the pins of a small computer, where it says which those are. */
#include "rules.h"

static void obstacle(void *context, const char *part, const char *what, const char *cure) {
    wpin_vetter *v = context;
    wpin_finding *n = wpin_find(v, WPIN_CAUTION, part);
    wpin_cause(n, "%s", what);
    wpin_consequence(n, "with --real the rig is refused; simulated it runs");
    wpin_cure(n, "%s", cure);
}

static void real_pins(wpin_vetter *v) {
    if (v->rig->on_linux != NULL) {
        (void)wpin_rig_fits_linux(v->rig, obstacle, v);
    }
}

/* What is left where even the guardian dies. */
static void no_watchdog(wpin_vetter *v) {
    if (v->rig->on_linux == NULL || v->rig->on_linux->watchdog[0] != '\0') {
        return;
    }
    wpin_finding *n = wpin_find(v, WPIN_NOTE, "controller");
    wpin_cause(n, "no watchdog is named for real pins");
    wpin_consequence(n, "where the process and its guardian die at once, or the kernel stops, pins "
                        "and PWM go on showing what they showed");
    wpin_cure(n, "watchdog: /dev/watchdog, and a switch in the motor supply's wire");
}

const wpin_rule_entry wpin_rules_linux[] = {
    {{"real-pins", "linux", "pins of a small computer that can't be what the rig needs",
      WPIN_EFFECT_ADVICE},
     real_pins},
    {{"real-watchdog", "linux watchdog", "real pins without a watchdog", WPIN_EFFECT_ADVICE},
     no_watchdog},
};
const size_t wpin_rules_linux_count = sizeof wpin_rules_linux / sizeof *wpin_rules_linux;
