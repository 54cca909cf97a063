/* Runs the rules and keeps what they find. */
#define _GNU_SOURCE
#include "rules.h"
#include <stdlib.h>

static const struct {
    const wpin_rule_entry *rules;
    const size_t *count;
} tables[] = {{wpin_rules_supply, &wpin_rules_supply_count},
              {wpin_rules_pins, &wpin_rules_pins_count},
              {wpin_rules_driver, &wpin_rules_driver_count},
              {wpin_rules_trip, &wpin_rules_trip_count},
              {wpin_rules_switch, &wpin_rules_switch_count},
              {wpin_rules_pwm, &wpin_rules_pwm_count},
              {wpin_rules_motor, &wpin_rules_motor_count},
              {wpin_rules_coil, &wpin_rules_coil_count},
              {wpin_rules_light, &wpin_rules_light_count},
              {wpin_rules_stepper, &wpin_rules_stepper_count},
              {wpin_rules_capacitor, &wpin_rules_capacitor_count},
              {wpin_rules_inputs, &wpin_rules_inputs_count},
              {wpin_rules_speed, &wpin_rules_speed_count},
              {wpin_rules_current, &wpin_rules_current_count},
              {wpin_rules_brushless, &wpin_rules_brushless_count},
              {wpin_rules_vector, &wpin_rules_vector_count},
              {wpin_rules_warmth, &wpin_rules_warmth_count},
              {wpin_rules_relay, &wpin_rules_relay_count},
              {wpin_rules_cable, &wpin_rules_cable_count},
              {wpin_rules_starts, &wpin_rules_starts_count},
              {wpin_rules_linux, &wpin_rules_linux_count},
              {wpin_rules_field, &wpin_rules_field_count},
              {wpin_rules_reversal, &wpin_rules_reversal_count},
              {wpin_rules_required, &wpin_rules_required_count},
              {wpin_rules_powered, &wpin_rules_powered_count},
              {wpin_rules_plan, &wpin_rules_plan_count},
              {wpin_rules_accepted,
               &wpin_rules_accepted_count}}; /* last: it looks at what the others found */

enum { TABLES = sizeof tables / sizeof *tables };

const char *wpin_effect_word(wpin_effect effect) {
    static const char *const words[] = {"advice", "does not work", "burns", "moves by itself"};
    return words[effect];
}

const wpin_vet_rule *wpin_vet_rule_at(size_t index) {
    for (size_t t = 0; t < TABLES; t++) {
        if (index < *tables[t].count) {
            return &tables[t].rules[index].rule;
        }
        index -= *tables[t].count;
    }
    return NULL;
}

static int gravest_first(const void *a, const void *b) {
    const wpin_finding *x = a, *y = b;
    if (x->severity != y->severity) {
        return (int)y->severity - (int)x->severity;
    }
    if (x->line != y->line) {
        return x->line < y->line ? -1 : 1;
    }
    return x->column < y->column ? -1 : x->column > y->column;
}

static void count_up(wpin_vetting *r) {
    for (size_t i = 0; i < r->count; i++) {
        const wpin_finding *f = &r->findings[i];
        r->refusals += f->severity == WPIN_REFUSE && !f->accepted;
        r->cautions += f->severity == WPIN_CAUTION && !f->accepted;
    }
}

wpin_vetting *wpin_vet(const wpin_rig *rig, const wpin_plan *plan,
                       const wpin_vet_options *options) {
    wpin_vetter v = {.rig = rig,
                     .plan = plan,
                     .result = calloc(1, sizeof *v.result),
                     .rule_at = wpin_vet_rule_at};
    if (options != NULL) {
        v.options = *options;
    }
    if (v.result == NULL || !wpin_work_out_facts(&v)) {
        free(v.result);
        return NULL;
    }
    for (size_t t = 0; t < TABLES; t++) {
        for (size_t i = 0; i < *tables[t].count; i++) {
            v.rule = &tables[t].rules[i].rule;
            tables[t].rules[i].check(&v);
            v.result->rules++;
        }
    }
    free(v.facts);
    if (v.out_of_memory) {
        wpin_vetting_free(v.result);
        return NULL;
    }
    if (v.result->count > 1) {
        qsort(v.result->findings, v.result->count, sizeof *v.result->findings, gravest_first);
    }
    count_up(v.result);
    return v.result;
}

void wpin_vetting_free(wpin_vetting *vetting) {
    if (vetting != NULL) {
        free(vetting->findings);
        free(vetting);
    }
}
