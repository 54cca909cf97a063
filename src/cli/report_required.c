/* What a plan required and what came of it, in words and for programs. */
#include "cli_json.h"
#include "windpin/host/verdict.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

void cli_say_required(char *to, size_t size, const wpin_requirement_result *r) {
    char words[160];
    wpin_requirement_words(r, words, sizeof words);
    snprintf(to, size, "%s%s%s", wpin_outcome_word(r->outcome), words[0] != '\0' ? ": " : "",
             words);
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
        wpin_requirement_words(r, words, sizeof words);
        printf("%s%5u  %-*s  %s%s%s%s\n", i == 0 ? "\nRequired:\n" : "", r->requirement->line,
               (int)width, r->requirement->text,
               cli_paint(r->outcome == WPIN_OUTCOME_MET ? WPIN_VERDICT_OK : WPIN_VERDICT_BAD),
               wpin_outcome_word(r->outcome), words[0] != '\0' ? ": " : "", words);
        printf("%s", cli_plain());
    }
}

json_t *cli_required_json(const wpin_report *report) {
    json_t *all = json_array();
    for (size_t i = 0; i < report->requirement_count; i++) {
        const wpin_requirement_result *r = &report->requirements[i];
        char words[160];
        wpin_requirement_words(r, words, sizeof words);
        json_array_append_new(
            all,
            json_pack("{s:i, s:s, s:s, s:s, s:b, s:o, s:f}", "line", (int)r->requirement->line,
                      "requirement", r->requirement->text, "outcome", wpin_outcome_word(r->outcome),
                      "words", words, "measured", (int)r->measured, "worst",
                      isnan(r->worst) ? json_null() : json_real(r->worst), "at_s", r->at));
    }
    return all;
}
