/* What a plan required and what came of it, in words and for programs. */
#include "cli_json.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

static const char *const outcomes[] = {"not tested", "met", "missed"};

/* A value in the unit it is told in. */
static void say_value(char *to, size_t size, const wpin_requirement *q, double value) {
    switch (q->what) {
    case WPIN_REQUIRED_SPEED:
        if (q->share) {
            snprintf(to, size, "%.3g %%", value * 100);
        } else {
            snprintf(to, size, "%.4g rpm", value);
        }
        break;
    case WPIN_REQUIRED_CURRENT: snprintf(to, size, "%.3g A", value); break;
    case WPIN_REQUIRED_LIGHT: snprintf(to, size, "%.3g %%", value * 100); break;
    case WPIN_REQUIRED_PLACE: snprintf(to, size, "%.3g deg", value * 360); break;
    case WPIN_REQUIRED_VOLTS: snprintf(to, size, "%.4g V", value); break;
    default: snprintf(to, size, "%.3f s", value);
    }
}

static void say_outcome(char *to, size_t size, const wpin_requirement_result *r) {
    const wpin_requirement *q = r->requirement;
    char value[40] = "";
    say_value(value, sizeof value, q, r->worst);
    if (r->outcome == WPIN_OUTCOME_UNTESTED) {
        snprintf(to, size,
                 q->what == WPIN_REQUIRED_END ? "the plan did not come to its end"
                 : q->step >= 0               ? "its action did not come, or was over before"
                                              : "it was never so far");
    } else if (q->what == WPIN_REQUIRED_NO_FAULT) {
        to[0] = '\0';
    } else if (q->what == WPIN_REQUIRED_END) {
        snprintf(to, size, "after %s", value);
    } else if (q->what == WPIN_REQUIRED_REST) {
        snprintf(to, size, isnan(r->worst) ? "it still turned" : "after %s", value);
    } else {
        snprintf(to, size, "%s%s%s, at %.2f s%s",
                 q->relation == WPIN_WITHIN  ? ""
                 : q->relation == WPIN_BELOW ? "at most "
                                             : "at least ",
                 value, q->relation == WPIN_WITHIN ? " off at most" : "", r->at,
                 r->measured ? ", as measured" : "");
    }
}

void cli_say_required(char *to, size_t size, const wpin_requirement_result *r) {
    char words[160];
    say_outcome(words, sizeof words, r);
    snprintf(to, size, "%s%s%s", outcomes[r->outcome], words[0] != '\0' ? ": " : "", words);
}

void cli_print_required(const wpin_report *report) {
    size_t width = 0;
    for (size_t i = 0; i < report->requirement_count; i++) {
        size_t length = strlen(report->requirements[i].requirement->text);
        width = length > width ? length : width;
    }
    for (size_t i = 0; i < report->requirement_count; i++) {
        const wpin_requirement_result *r = &report->requirements[i];
        char words[160];
        say_outcome(words, sizeof words, r);
        printf("%s%5u  %-*s  %s%s%s%s\n", i == 0 ? "\nRequired:\n" : "", r->requirement->line,
               (int)width, r->requirement->text,
               cli_paint(r->outcome == WPIN_OUTCOME_MET ? WPIN_VERDICT_OK : WPIN_VERDICT_BAD),
               outcomes[r->outcome], words[0] != '\0' ? ": " : "", words);
        printf("%s", cli_plain());
    }
}

json_t *cli_required_json(const wpin_report *report) {
    json_t *all = json_array();
    for (size_t i = 0; i < report->requirement_count; i++) {
        const wpin_requirement_result *r = &report->requirements[i];
        char words[160];
        say_outcome(words, sizeof words, r);
        json_array_append_new(
            all, json_pack("{s:i, s:s, s:s, s:s, s:b, s:o, s:f}", "line", (int)r->requirement->line,
                           "requirement", r->requirement->text, "outcome", outcomes[r->outcome],
                           "words", words, "measured", (int)r->measured, "worst",
                           isnan(r->worst) ? json_null() : json_real(r->worst), "at_s", r->at));
    }
    return all;
}
