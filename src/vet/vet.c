/* Runs the rules and keeps what they find. */
#define _GNU_SOURCE
#include "rules.h"
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

static const struct {
    const wpin_rule_entry *rules;
    const size_t *count;
} tables[] = {
    {wpin_rules_supply, &wpin_rules_supply_count}, {wpin_rules_pins, &wpin_rules_pins_count},
    {wpin_rules_driver, &wpin_rules_driver_count}, {wpin_rules_switch, &wpin_rules_switch_count},
    {wpin_rules_pwm, &wpin_rules_pwm_count},       {wpin_rules_motor, &wpin_rules_motor_count},
    {wpin_rules_load, &wpin_rules_load_count},     {wpin_rules_plan, &wpin_rules_plan_count}};

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

/* ---- findings ---- */

static bool is_accepted(const wpin_vetter *v, const wpin_finding *f) {
    for (size_t i = 0; i < v->rig->accept_count; i++) {
        const wpin_rig_accept *a = &v->rig->accepts[i];
        if (strcasecmp(a->name, f->part) == 0 && strcasecmp(a->rule, f->rule->name) == 0) {
            return true;
        }
    }
    return false;
}

wpin_finding *wpin_find(wpin_vetter *v, wpin_severity severity, const char *part) {
    wpin_vetting *r = v->result;
    wpin_finding *all = realloc(r->findings, (r->count + 1) * sizeof *all);
    if (all == NULL) {
        v->out_of_memory = true;
        return NULL;
    }
    r->findings = all;
    wpin_finding *f = &all[r->count++];
    const wpin_rig_place *place = wpin_rig_place_of(v->rig, part, v->rule->needs);
    *f = (wpin_finding){.rule = v->rule, .severity = severity, .line = 1, .column = 1};
    if (place != NULL) {
        f->line = place->line;
        f->column = place->column;
    }
    snprintf(f->part, sizeof f->part, "%s", part);
    f->accepted = is_accepted(v, f);
    return f;
}

wpin_finding *wpin_find_load(wpin_vetter *v, wpin_severity severity, const wpin_facts *f) {
    return wpin_find(v, severity, f->load->name);
}

wpin_finding *wpin_find_supply(wpin_vetter *v, wpin_severity severity, size_t supply) {
    return wpin_find(v, severity, v->rig->supplies[supply].name);
}

/* Figures above 999 as 1160, not as 1.16e+03. */
static void write_plain(char *to, size_t size, const char *words, va_list list) {
    vsnprintf(to, size, words, list);
    char *e, rest[240];
    while ((e = strstr(to, "e+")) != NULL) {
        while (e > to && strchr("0123456789.", e[-1]) != NULL) {
            e--;
        }
        char *end;
        double value = strtod(e, &end);
        snprintf(rest, sizeof rest, "%s", end);
        snprintf(e, size - (size_t)(e - to), "%.0f%s", value, rest);
    }
}

void wpin_cause(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        write_plain(f->cause, sizeof f->cause, words, list);
    }
    va_end(list);
}

void wpin_consequence(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        write_plain(f->consequence, sizeof f->consequence, words, list);
    }
    va_end(list);
}

void wpin_cure(wpin_finding *f, const char *words, ...) {
    va_list list;
    va_start(list, words);
    if (f != NULL) {
        size_t used = strlen(f->cure);
        if (used > 0) {
            used += (size_t)snprintf(f->cure + used, sizeof f->cure - used, "; or ");
        }
        write_plain(f->cure + used, sizeof f->cure - used, words, list);
    }
    va_end(list);
}

/* ---- the run ---- */

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
    wpin_vetter v = {.rig = rig, .plan = plan, .result = calloc(1, sizeof *v.result)};
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
