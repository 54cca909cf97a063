/* Rules about brushless motors in six steps. */
#include "rules.h"

/* Sectors a second at the fastest it may turn. */
static double sectors_at_most(const wpin_rig *rig, const wpin_rig_load *l) {
    double rpm = wpin_rig_full_rpm(rig, l);
    return 6 * l->motor.pole_pairs * l->motor.gear_ratio * rpm / 60;
}

static bool by_sectors(const wpin_rig_load *l) {
    return l->kind != NULL && wpin_stage_kind_is_three_phase(l->kind);
}

/* An interrupt for each sector: 360 cycles of an 8-bit controller, docs/benchmarks.md. */
static void rate(wpin_vetter *v) {
    const double cycles = 360, clock = 16e6, many = 0.1;
    WPIN_EACH_LOAD(v, f) {
        double share = by_sectors(f->load) ? sectors_at_most(v->rig, f->load) * cycles / clock : 0;
        if (share <= many) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n,
                   "at its fastest its Hall sensors raise %.0f interrupts a second, %.0f %% of an "
                   "8-bit controller's time at 16 MHz",
                   share * clock / cycles, share * 100);
        wpin_consequence(n, share < 0.5
                                ? "its ticks come later, and so does all else there"
                                : "such a controller does not keep up: sectors are left out");
        wpin_cure(n, "a 32-bit controller");
        wpin_cure(n, "WPIN_FAST_EDGE, and nothing else in that interrupt");
    }
}

/* Few PWM periods in a sector: where in a period the sector changes makes the current tremble. */
static void few_periods(wpin_vetter *v) {
    const double few = 5;
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double sectors = by_sectors(l) ? sectors_at_most(v->rig, l) : 0;
        if (sectors == 0 || l->limits.pwm_hz >= few * sectors) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "at its fastest a sector has %.2g periods of its PWM",
                   l->limits.pwm_hz / sectors);
        wpin_consequence(n, "its current trembles: torque and sound go up and down");
        wpin_cure(n, "pwm: %.0fHz", ceil(few * sectors / 1000) * 1000);
    }
}

/* A lead that is off is known by the rows without current: a slow sense blurs them. */
static void slow_sense(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_rig_load *l = f->load;
        double sectors =
            by_sectors(l) && l->limits.trip_input >= 0 ? sectors_at_most(v->rig, l) : 0;
        if (sectors == 0 || l->bridge.sense_filter * sectors <= 2) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_NOTE, f);
        wpin_cause(n, "its current sense takes %.3g ms, %.2g sectors at its fastest",
                   l->bridge.sense_filter * 1e3, l->bridge.sense_filter * sectors);
        wpin_consequence(
            n, "a lead or a switch that is off is not noticed there, only at lower speeds");
        wpin_cure(n, "sense-filter: %.2gms", 1e3 / sectors);
    }
}

const wpin_rule_entry wpin_rules_brushless[] = {
    {{"commutation-rate", "motor pole-pairs; speed maximum; hall",
      "more interrupts of Hall sensors than a small controller has time for", WPIN_EFFECT_ADVICE},
     rate},
    {{"sector-pwm", "stage pwm; motor pole-pairs; speed maximum",
      "too few PWM periods in a sector of a brushless motor", WPIN_EFFECT_ADVICE},
     few_periods},
    {{"sector-sense", "driver sense-filter; current-trip",
      "a current sense too slow to tell the sectors of a brushless motor apart",
      WPIN_EFFECT_ADVICE},
     slow_sense},
};
const size_t wpin_rules_brushless_count =
    sizeof wpin_rules_brushless / sizeof *wpin_rules_brushless;
