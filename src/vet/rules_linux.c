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

/* Edges that an operating system makes come when it wakes the process. */
static void late_edges(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        bool steps = wpin_rig_type(f->load)->steps;
        if (v->rig->on_linux == NULL || !wpin_rig_needs_fast_tick(f->load)) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "on real pins its edges come when the operating system wakes the process, "
                   "%.3g us late or more, as busy as it is",
                   v->rig->controller.soft_tick * 1e6);
        wpin_consequence(n, steps ? "steps come late, and may be lost"
                                  : "its duty is kept roughly only");
        wpin_cure(n, "%s; how late it was stands at the end of each run",
                  steps ? "slower stepping, or a controller (windpin export)"
                        : "a PWM channel, or a controller (windpin export)");
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
    {{"real-edges", "linux; stage pwm-by; stepper", "edges made in software on real pins",
      WPIN_EFFECT_ADVICE},
     late_edges},
    {{"real-watchdog", "linux watchdog", "real pins without a watchdog", WPIN_EFFECT_ADVICE},
     no_watchdog},
};
const size_t wpin_rules_linux_count = sizeof wpin_rules_linux / sizeof *wpin_rules_linux;
