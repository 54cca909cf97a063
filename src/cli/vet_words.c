/* Findings of a vetting, for people and as JSON. */
#define _GNU_SOURCE
#include "vet_words.h"
#include "cli.h"
#include <string.h>

/* Colour of a severity on a terminal; nothing elsewhere. */
static const char *colour(FILE *to, wpin_severity severity) {
    static const char *const colours[] = {"", "\033[36m", "\033[33m", "\033[1;31m"};
    return cli_colours(to) ? colours[severity] : "";
}

/* The cures that are a value of the rig, as windpin compare takes them. */
static void print_changes(FILE *to, const wpin_finding *f) {
    bool any = false;
    for (size_t i = 0; i < f->cure_count; i++) {
        if (f->cures[i].change[0] != '\0') {
            fprintf(to, "%s%s", any ? "  or  " : "    try: ", f->cures[i].change);
            any = true;
        }
    }
    fprintf(to, "%s", any ? "\n" : "");
}

void cli_print_findings(FILE *to, const wpin_vetting *vetting, const char *const *files,
                        wpin_severity least) {
    for (size_t i = 0; i < vetting->count; i++) {
        const wpin_finding *f = &vetting->findings[i];
        if (f->severity < least || (least == WPIN_REFUSE && f->accepted)) {
            continue;
        }
        fprintf(to, "%s:%u:%u: %s%s%s: %s %s%s\n", files[f->in_plan ? 1 : 0], f->line, f->column,
                colour(to, f->severity), wpin_severity_word(f->severity),
                cli_colours(to) ? "\033[0m" : "", f->part, f->rule->name,
                f->accepted ? " (accepted in the rig)" : "");
        char cure[600];
        fprintf(to, "    %s\n    so: %s\n    cure: %s\n", f->cause, f->consequence,
                wpin_finding_cure(f, cure, sizeof cure));
        print_changes(to, f);
        fprintf(to, "\n");
    }
}

/* Whether a refusal of the same rule and part came before. */
static bool came_before(const wpin_vetting *vetting, size_t i) {
    const wpin_finding *f = &vetting->findings[i];
    for (size_t k = 0; k < i; k++) {
        const wpin_finding *other = &vetting->findings[k];
        if (other->rule == f->rule && strcmp(other->part, f->part) == 0) {
            return true;
        }
    }
    return false;
}

void cli_print_acceptance(FILE *to, const wpin_vetting *vetting) {
    const char *between = "";
    fprintf(to, "accept: [");
    for (size_t i = 0; i < vetting->count; i++) {
        const wpin_finding *f = &vetting->findings[i];
        if (f->severity == WPIN_REFUSE && !came_before(vetting, i)) {
            fprintf(to, "%s%s %s", between, f->part, f->rule->name);
            between = ", ";
        }
    }
    fprintf(to, "]\n");
}

static json_t *cures_json(const wpin_finding *f) {
    json_t *all = json_array();
    for (size_t i = 0; i < f->cure_count; i++) {
        const wpin_vet_cure *c = &f->cures[i];
        json_array_append_new(all,
                              c->change[0] != '\0'
                                  ? json_pack("{s:s, s:s, s:f, s:s}", "words", c->words, "change",
                                              c->change, "value", c->value, "unit", c->unit)
                                  : json_pack("{s:s}", "words", c->words));
    }
    return all;
}

json_t *cli_findings_json(const wpin_vetting *vetting) {
    json_t *all = json_array();
    for (size_t i = 0; i < vetting->count; i++) {
        const wpin_finding *f = &vetting->findings[i];
        char cure[600];
        json_array_append_new(
            all,
            json_pack("{s:s, s:s, s:s, s:b, s:b, s:i, s:i, s:s, s:s, s:s, s:o, s:s}", "rule",
                      f->rule->name, "part", f->part, "severity", wpin_severity_word(f->severity),
                      "accepted", (int)f->accepted, "in_plan", (int)f->in_plan, "line",
                      (int)f->line, "column", (int)f->column, "cause", f->cause, "consequence",
                      f->consequence, "cure", wpin_finding_cure(f, cure, sizeof cure), "cures",
                      cures_json(f), "effect", wpin_effect_word(f->rule->effect)));
    }
    return all;
}
