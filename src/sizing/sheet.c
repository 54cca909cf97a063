/* The engine behind the sheets: defaults, corners of tolerances, verdict. */
#include "answer.h"
#include "windpin/host/plain.h"
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

const char *wpin_severity_word(wpin_severity severity) {
    static const char *const words[] = {"fine", "note", "caution", "refuse"};
    return words[severity];
}

int wpin_sheet_input_find(const wpin_sheet *sheet, const char *key) {
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        if (strcmp(sheet->inputs[i].key, key) == 0) {
            return i;
        }
    }
    return -1;
}

void wpin_sheet_defaults(const wpin_sheet *sheet, double *values) {
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        values[i] = sheet->inputs[i].otherwise;
    }
}

/* ---- writing an answer ---- */

const char *wpin_text(wpin_answer *answer, double value, wpin_dimension dimension) {
    char *to = answer->scratch[answer->scratch_used++ % 8];
    if (dimension == WPIN_NUMBER) {
        wpin_plain(to, sizeof answer->scratch[0], "%.4g", value);
        return to;
    }
    if (dimension == WPIN_SHARE) {
        wpin_plain(to, sizeof answer->scratch[0], "%.4g %%", value * 100);
        return to;
    }
    return wpin_quantity_write(to, sizeof answer->scratch[0], value, dimension);
}

void wpin_say(wpin_answer *answer, const char *label, double value, wpin_dimension dimension,
              const char *formula, ...) {
    if (answer->line_count == WPIN_ANSWER_LINES) {
        return;
    }
    wpin_answer_line *line = &answer->lines[answer->line_count++];
    va_list arguments;
    va_start(arguments, formula);
    wpin_print_plain(line->formula, sizeof line->formula, formula, arguments);
    va_end(arguments);
    snprintf(line->label, sizeof line->label, "%s", label);
    line->value = value;
    line->dimension = dimension;
}

void wpin_next(wpin_answer *answer, const char *words, ...) {
    va_list arguments;
    va_start(arguments, words);
    wpin_print_plain(answer->next, sizeof answer->next, words, arguments);
    va_end(arguments);
}

void wpin_margin(wpin_answer *answer, double margin) {
    answer->margin = isnan(answer->margin) ? margin : fmin(answer->margin, margin);
}

void wpin_judge(wpin_answer *answer, wpin_severity severity, const char *words, ...) {
    if (answer->verdict[0] != '\0' && severity <= answer->severity) {
        return;
    }
    va_list arguments;
    va_start(arguments, words);
    wpin_print_plain(answer->verdict, sizeof answer->verdict, words, arguments);
    va_end(arguments);
    answer->severity = severity;
}

/* ---- worst case ---- */

/* Bit n of a corner says which way the nth input with a tolerance is off. */
static void put_corner(const wpin_sheet *sheet, const double *values, unsigned corner, double *to) {
    unsigned bit = 0;
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        double share = sheet->inputs[i].tolerance;
        to[i] = values[i];
        if (share > 0) {
            to[i] *= (corner >> bit++ & 1U) != 0 ? 1 + share : 1 - share;
        }
    }
}

/* The margin in a corner; where it does not work at all there is none. */
static double margin_in(const wpin_sheet *sheet, const double *values, unsigned corner,
                        double chosen) {
    double off[WPIN_SHEET_INPUTS + 1];
    wpin_answer there = {.chosen = chosen, .margin = NAN};
    put_corner(sheet, values, corner, off);
    sheet->work_out(off, &there);
    return isnan(there.margin) ? 0 : there.margin;
}

/* Names the tolerances of a corner that act on its margin. */
static void name_corner(const wpin_sheet *sheet, const double *values, unsigned corner,
                        wpin_answer *answer) {
    char *to = answer->worst_words;
    const size_t size = sizeof answer->worst_words;
    double here = margin_in(sheet, values, corner, answer->chosen);
    unsigned bit = 0;
    to[0] = '\0';
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        double share = sheet->inputs[i].tolerance;
        if (share <= 0) {
            continue;
        }
        unsigned mask = 1U << bit++;
        double other = margin_in(sheet, values, corner ^ mask, answer->chosen);
        size_t used = strlen(to);
        if (fabs(other - here) > 1e-6 * fabs(here) || (other != 0 && here == 0)) {
            wpin_plain(to + used, size - used, "%s%s %c%g %%", used == 0 ? "" : ", ",
                       sheet->inputs[i].key, (corner & mask) != 0 ? '+' : '-', share * 100);
        }
    }
}

static unsigned corners_of(const wpin_sheet *sheet) {
    unsigned bits = 0;
    for (int i = 0; sheet->inputs[i].key != NULL; i++) {
        bits += sheet->inputs[i].tolerance > 0;
    }
    return 1U << bits;
}

static void find_worst(const wpin_sheet *sheet, const double *values, wpin_answer *answer) {
    unsigned corners = corners_of(sheet), worst = 0;
    answer->worst = answer->margin;
    for (unsigned corner = 0; corners > 1 && corner < corners; corner++) {
        double there = margin_in(sheet, values, corner, answer->chosen);
        if (there < answer->worst) {
            answer->worst = there;
            worst = corner;
        }
    }
    if (answer->worst < answer->margin) {
        name_corner(sheet, values, worst, answer);
    }
}

/* Whether a part of another value is enough at worst. */
static bool would_do(const wpin_sheet *sheet, const double *values, double chosen) {
    wpin_answer there = {.chosen = chosen, .margin = NAN};
    sheet->work_out(values, &there);
    find_worst(sheet, values, &there);
    return there.worst >= 1 && there.severity < WPIN_REFUSE;
}

/* The nearest preferred value, up to an octave or so away, that is; NAN if none. */
static double enough_at_worst(const wpin_sheet *sheet, const double *values, double chosen) {
    double down = chosen, up = chosen;
    for (int i = 0; !isnan(chosen) && i < 4; i++) {
        down = wpin_calc_preferred(down * 0.99, 12, WPIN_ROUND_DOWN);
        up = wpin_calc_preferred(up * 1.01, 12, WPIN_ROUND_UP);
        if (would_do(sheet, values, down)) {
            return down;
        }
        if (would_do(sheet, values, up)) {
            return up;
        }
    }
    return NAN;
}

static void judge_worst(const wpin_sheet *sheet, const double *values, wpin_answer *answer) {
    char other[60] = "";
    double value = enough_at_worst(sheet, values, answer->chosen);
    for (unsigned i = 0; !isnan(value) && i < answer->line_count; i++) {
        if (answer->lines[i].value == answer->chosen) {
            snprintf(other, sizeof other, "; with %s it is",
                     wpin_text(answer, value, answer->lines[i].dimension));
        }
    }
    wpin_judge(answer, WPIN_CAUTION, "enough as given (%.2f %s), not at worst (%.2f)%s",
               answer->margin, sheet->margin, answer->worst, other);
}

void wpin_sheet_work_out(const wpin_sheet *sheet, const double *values, wpin_answer *answer) {
    *answer = (wpin_answer){.chosen = NAN, .margin = NAN};
    sheet->work_out(values, answer);
    if (isnan(answer->margin)) {
        answer->worst = NAN;
        return;
    }
    find_worst(sheet, values, answer);
    if (answer->margin < 1) {
        wpin_judge(answer, WPIN_REFUSE, "not enough: %.2f %s", answer->margin, sheet->margin);
    } else if (answer->worst < 1) {
        judge_worst(sheet, values, answer);
    } else {
        wpin_judge(answer, WPIN_FINE, "%.2f %s, %.2f at worst", answer->margin, sheet->margin,
                   answer->worst);
    }
}

double wpin_next_sold(const double *sizes, size_t count, double least) {
    size_t i = 0;
    while (i + 1 < count && sizes[i] < least) {
        i++;
    }
    return sizes[i];
}
