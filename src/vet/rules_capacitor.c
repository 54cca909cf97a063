/* Rules about a capacitor across the motor: heat at each edge, current at each edge. */
#include "rules.h"

static void capacitor(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double hz = wpin_stage_kind_takes_duty(l->kind) ? l->limits.pwm_hz : 0;
        double watts = wpin_calc_capacitor_watts(l->bridge.motor_farads, f->volts, hz);
        bool hot = l->bridge.heat.resistance > 0 &&
                   wpin_air(v) + watts * l->bridge.heat.resistance > l->bridge.heat.limit;
        if (watts > 0.5) {
            wpin_finding *n = wpin_find_load(v, hot ? WPIN_REFUSE : WPIN_CAUTION, f);
            wpin_cause(
                n,
                "%.3g uF at the motor are charged and emptied %.3g thousand times a second: %.3g W",
                l->bridge.motor_farads * 1e6, hz / 1e3, watts);
            wpin_consequence(n, hot ? "the driver burns, motor or not"
                                    : "the driver runs hot for nothing");
            wpin_cure(n, "at most %.3g nF at the motor, or a lower PWM frequency",
                      0.2 / (f->volts * f->volts * hz) * 1e9);
        }
    }
}

/* Each edge that drives charges the capacitor through supply and switches at once. */
static void capacitor_edge(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        double ohms = f->switch_ohms + f->supply->resistance, peak;
        double above =
            wpin_calc_surge_seconds(f->volts, ohms, b->motor_farads, b->burns_above_amps, &peak);
        if (above <= 0 || above < 0.5 * b->burns_after) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, b->protects ? WPIN_CAUTION : WPIN_REFUSE, f);
        wpin_cause(
            n,
            "%.3g uF at the motor take %.3g A through %.3g ohm at each edge that drives, for "
            "%.3g us more than the %.3g A that the driver survives for %.3g us",
            b->motor_farads * 1e6, peak, ohms, above * 1e6, b->burns_above_amps,
            b->burns_after * 1e6);
        wpin_consequence(n, b->protects ? "the driver switches itself off and on again"
                                        : "the driver burns as soon as it drives");
        double less = 0.25 * b->burns_after / fmax(above, 1e-12) * b->motor_farads;
        if (less > 1e-11) {
            wpin_cure_value(n,
                            WPIN_KEY(.path = "driver.motor-capacitor", .unit = "nF", .digits = 3),
                            less * 1e9, "at most %s at the motor");
        }
        wpin_cure(n, "no capacitor there: it belongs at the driver's supply");
    }
}

const wpin_rule_entry wpin_rules_capacitor[] = {
    {{"motor-capacitor", "driver motor-capacitor", "a capacitor at the motor under PWM",
      WPIN_EFFECT_BURNS},
     capacitor},
    {{"capacitor-edge", "driver motor-capacitor, current-limit, current-time",
      "a capacitor at the motor that takes more than the driver at each edge", WPIN_EFFECT_BURNS},
     capacitor_edge},
};
const size_t wpin_rules_capacitor_count =
    sizeof wpin_rules_capacitor / sizeof *wpin_rules_capacitor;
