/* Findings of a vetting, for people and as JSON. */
#include "vet_words.h"

void cli_print_findings(FILE *to, const wpin_vetting *vetting, const char *const *files,
                        wpin_severity least) {
    for (size_t i = 0; i < vetting->count; i++) {
        const wpin_finding *f = &vetting->findings[i];
        if (f->severity < least || (least == WPIN_REFUSE && f->accepted)) {
            continue;
        }
        fprintf(to, "%s:%u: %s: %s %s%s\n", files[f->in_plan ? 1 : 0], f->line,
                wpin_severity_word(f->severity), f->part, f->rule->name,
                f->accepted ? " (accepted in the rig)" : "");
        fprintf(to, "    %s\n    so: %s\n    cure: %s\n", f->cause, f->consequence, f->cure);
    }
    if (vetting->count > 0 && least == WPIN_NOTE) {
        fprintf(to, "\n");
    }
}

json_t *cli_findings_json(const wpin_vetting *vetting) {
    json_t *all = json_array();
    for (size_t i = 0; i < vetting->count; i++) {
        const wpin_finding *f = &vetting->findings[i];
        json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:b, s:b, s:i, s:s, s:s, s:s, s:s}",
                                             "rule", f->rule->name, "part", f->part, "severity",
                                             wpin_severity_word(f->severity), "accepted",
                                             (int)f->accepted, "in_plan", (int)f->in_plan, "line",
                                             (int)f->line, "cause", f->cause, "consequence",
                                             f->consequence, "cure", f->cure, "effect",
                                             wpin_effect_word(f->rule->effect)));
    }
    return all;
}
