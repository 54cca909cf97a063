/* The rule about what is accepted: it looks at what all others found. */
#include "rules.h"
#include <string.h>
#include <strings.h>

static const wpin_vet_rule *rule_named(const wpin_vetter *v, const char *name) {
    const wpin_vet_rule *rule = v->rule_at(0);
    for (size_t i = 1; rule != NULL && strcasecmp(rule->name, name) != 0; i++) {
        rule = v->rule_at(i);
    }
    return rule;
}

static const char *nearest_rule(const wpin_vetter *v, const char *name) {
    const char *nearest = NULL;
    const wpin_vet_rule *rule;
    for (size_t i = 0; (rule = v->rule_at(i)) != NULL; i++) {
        nearest = wpin_nearer_word(name, nearest, rule->name);
    }
    return nearest;
}

static bool was_needed(const wpin_vetting *result, const wpin_rig_accept *accept) {
    for (size_t i = 0; i < result->count; i++) {
        const wpin_finding *f = &result->findings[i];
        if (f->accepted && strcasecmp(f->part, accept->name) == 0 &&
            strcasecmp(f->rule->name, accept->rule) == 0) {
            return true;
        }
    }
    return false;
}

/* Runs after every other rule: it looks at what they found. */
static void acceptance(wpin_vetter *v) {
    for (size_t i = 0; i < v->rig->accept_count; i++) {
        const wpin_rig_accept *a = &v->rig->accepts[i];
        const wpin_vet_rule *known = rule_named(v, a->rule);
        bool waits = known != NULL && v->plan == NULL && strstr(known->needs, "plan") != NULL;
        if (waits || was_needed(v->result, a)) {
            continue;
        }
        wpin_finding *n = wpin_find(v, known != NULL ? WPIN_NOTE : WPIN_CAUTION, a->name);
        if (n != NULL) {
            n->line = a->line;
            n->column = a->column;
        }
        if (known != NULL) {
            wpin_cause(n, "'%s' is accepted, and nothing of that kind is found", a->rule);
            wpin_consequence(n, "it would hide the next one");
            wpin_cure(n, "take it out of 'accept'");
        } else {
            const char *near = nearest_rule(v, a->rule), *now = wpin_new_word(a->rule);
            near = now != NULL ? now : near;
            wpin_cause(n, "'%s' is accepted, and there is no such rule", a->rule);
            wpin_consequence(n, "it accepts nothing");
            wpin_cure(n,
                      now != NULL    ? "it is called '%s' now"
                      : near != NULL ? "did you mean '%s'?"
                                     : "%s",
                      near != NULL ? near : "windpin vet --rules lists them");
        }
    }
}

const wpin_rule_entry wpin_rules_accepted[] = {
    {{"acceptance", "accept", "what is accepted and does not occur", WPIN_EFFECT_ADVICE},
     acceptance},
};
const size_t wpin_rules_accepted_count = sizeof wpin_rules_accepted / sizeof *wpin_rules_accepted;
