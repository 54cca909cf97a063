/* Two runs of a plan side by side, in words and as JSON. */
#include "compare_words.h"
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

typedef struct figure {
    const char *words, *key, *unit;
    double a, b;
} figure;

enum { FIGURES = 4 };

static void load_figures(const compare_side *sides, size_t load, figure *to) {
    const wpin_report *a = sides[0].report, *b = sides[1].report;
    const figure all[FIGURES] = {
        {"highest current", "peak_a", "A", a->amps_peak[load], b->amps_peak[load]},
        {"highest speed", "peak_rpm", "rpm", a->rpm_peak[load], b->rpm_peak[load]},
        {"energy", "joules", "J", a->joules[load], b->joules[load]},
        {"warmest", "degrees_c", "degC", a->degrees_c[load], b->degrees_c[load]}};
    memcpy(to, all, sizeof all);
}

static bool differ(double a, double b, double hair) {
    return fabs(a - b) > hair + 0.01 * fmax(fabs(a), fabs(b));
}

static void print_figure(const char *whose, const figure *f) {
    char change_text[24] = "";
    if (differ(f->a, f->b, 0) && f->a != 0 && strcmp(f->unit, "degC") != 0) {
        wpin_plain(change_text, sizeof change_text, "%+.3g %%", 100 * (f->b - f->a) / fabs(f->a));
    }
    cli_say("  %-12s %-22s %10.4g %-4s %10.4g %-4s %9s\n", whose, f->words, f->a, f->unit, f->b,
            f->unit, change_text);
}

static void print_figures(const compare_side *sides) {
    printf("  %-12s %-22s %15s %15s\n", "", "", "as it is", "changed");
    for (size_t i = 0; i < sides[0].rig->load_count; i++) {
        figure all[FIGURES];
        load_figures(sides, i, all);
        const char *whose = sides[0].rig->loads[i].name;
        for (size_t k = 0; k < FIGURES; k++) {
            double nothing = strcmp(all[k].unit, "degC") == 0 ? 25.005 : 0; /* the air's own */
            if (all[k].a > nothing || all[k].b > nothing) {
                print_figure(whose, &all[k]);
                whose = "";
            }
        }
    }
    const wpin_report *a = sides[0].report, *b = sides[1].report;
    figure took = {"took", "seconds", "s", a->seconds, b->seconds};
    figure together = {"highest current at once", "amps", "A", a->total_amps_peak,
                       b->total_amps_peak};
    print_figure("all", &took);
    print_figure("", &together);
    printf("  %-12s %-22s %10zu/%-4zu %10zu/%-4zu\n", "", "vetting: refused/caution",
           sides[0].vetting->refusals, sides[0].vetting->cautions, sides[1].vetting->refusals,
           sides[1].vetting->cautions);
}

static bool steps_differ(const wpin_step_result *a, const wpin_step_result *b) {
    return a->verdict != b->verdict || differ(a->took, b->took, 2e-3) ||
           differ(a->amps_peak, b->amps_peak, 0.01) || differ(a->rpm, b->rpm, 1);
}

static const char *word_of(const wpin_step_result *s) {
    return s == NULL                       ? "not run"
           : s->verdict == WPIN_VERDICT_OK ? "ok"
           : s->words[0] != '\0'           ? s->words
                                           : "not as asked";
}

static void print_step(const wpin_rig *rig, const wpin_step_result *a, const wpin_step_result *b) {
    const wpin_step_result *any = a != NULL ? a : b;
    printf("%5u  %-28.28s", any->line, any->text);
    for (int i = 0; i < 2; i++) {
        const wpin_step_result *s = i == 0 ? a : b;
        if (s == NULL) {
            printf(" | %8s %7s %7s", "", "", "");
        } else if (s->load < 0) {
            cli_say(" | %8.3f %7s %7s", s->took, "", "");
        } else {
            char rpm[20] = "";
            if (wpin_rig_type(&rig->loads[s->load])->spins) {
                wpin_plain(rpm, sizeof rpm, "%.4g", fabs(s->rpm) < 0.05 ? 0 : s->rpm);
            }
            cli_say(" | %8.3f %7s %7.2f", s->took, rpm, s->amps_peak);
        }
    }
    const char *first = word_of(a), *second = word_of(b);
    printf(strcmp(first, second) == 0 ? " | %s%s\n" : " | %s -> %s\n", first,
           strcmp(first, second) == 0 ? "" : second);
}

/* The same step in the same round; NULL where it did not come to that. */
static const wpin_step_result *same_step(const compare_side *s, const wpin_step_result *as) {
    for (size_t i = 0; i < s->report->step_count; i++) {
        const wpin_step_result *step = &s->report->steps[i];
        if (step->step == as->step && step->round == as->round) {
            return step;
        }
    }
    return NULL;
}

static void print_pair(const wpin_rig *rig, const wpin_step_result *a, const wpin_step_result *b,
                       size_t shown) {
    if (shown == 0) {
        printf("\nSteps that differ:\n%5s  %-28s | %8s %7s %7s | %8s %7s %7s |\n", "line",
               "as it is | changed", "took s", "end rpm", "most A", "took s", "end rpm", "most A");
    }
    print_step(rig, a, b);
}

static void print_steps(const compare_side *sides) {
    size_t count = sides[0].report->step_count, shown = 0;
    for (size_t i = 0; i < count; i++) {
        const wpin_step_result *a = &sides[0].report->steps[i], *b = same_step(&sides[1], a);
        if (b == NULL || steps_differ(a, b)) {
            print_pair(sides[0].rig, a, b, shown++);
        }
    }
    for (size_t i = 0; i < sides[1].report->step_count; i++) {
        const wpin_step_result *b = &sides[1].report->steps[i];
        if (same_step(&sides[0], b) == NULL) {
            print_pair(sides[0].rig, NULL, b, shown++);
            count++;
        }
    }
    if (shown == 0) {
        printf("\nNo step differs by more than 1 %%.\n");
    } else {
        printf("%zu of %zu steps; the others differ by less than 1 %%.\n", shown, count);
    }
}

static void print_required(const compare_side *sides) {
    for (size_t i = 0; i < sides[0].report->requirement_count; i++) {
        const wpin_requirement_result *a = &sides[0].report->requirements[i],
                                      *b = &sides[1].report->requirements[i];
        char first[200], second[200];
        cli_say_required(first, sizeof first, a);
        cli_say_required(second, sizeof second, b);
        printf("%s%5u  %s\n         as it is: %s\n         changed:  %s%s%s\n",
               i == 0 ? "\nRequired:\n" : "", a->requirement->line, a->requirement->text, first,
               b->outcome != a->outcome ? cli_paint(WPIN_VERDICT_BAD) : "", second,
               b->outcome != a->outcome ? cli_plain() : "");
    }
}

void compare_print(const compare_arguments *a, const compare_side *sides,
                   const compare_change *changes) {
    printf("%s (rig %08x): %s on simulated hardware, as it is, and changed:\n", sides[0].rig->name,
           sides[0].rig->fingerprint, a->files[1]);
    for (size_t i = 0; i < a->change_count; i++) {
        printf("  %s: %s -> %s\n", changes[i].what, changes[i].was, changes[i].is);
    }
    printf("\n");
    print_figures(sides);
    print_steps(sides);
    print_required(sides);
}

static json_t *steps_json(const compare_side *s) {
    json_t *all = json_array();
    for (size_t i = 0; i < s->report->step_count; i++) {
        const wpin_step_result *step = &s->report->steps[i];
        json_array_append_new(all, json_pack("{s:i, s:s, s:f, s:f, s:f, s:s}", "line",
                                             (int)step->line, "action", step->text, "took_s",
                                             step->took, "rpm", step->rpm, "peak_a",
                                             step->amps_peak, "verdict", step->words));
    }
    return all;
}

static json_t *side_json(const compare_side *sides, int which) {
    json_t *loads = json_array();
    const compare_side *s = &sides[which];
    for (size_t i = 0; i < s->rig->load_count; i++) {
        figure all[FIGURES];
        json_t *figures = json_pack("{s:s}", "name", s->rig->loads[i].name);
        load_figures(sides, i, all);
        for (size_t k = 0; k < FIGURES; k++) {
            json_object_set_new(figures, all[k].key, json_real(which == 0 ? all[k].a : all[k].b));
        }
        json_array_append_new(loads, figures);
    }
    return json_pack("{s:o, s:o, s:o, s:f, s:i, s:i, s:b}", "loads", loads, "steps", steps_json(s),
                     "required", cli_required_json(s->report), "took_s", s->report->seconds,
                     "refusals", (int)s->vetting->refusals, "cautions", (int)s->vetting->cautions,
                     "as_asked", (int)!s->report->bad);
}

void compare_dump(const compare_arguments *a, const compare_side *sides,
                  const compare_change *changes) {
    json_t *all = json_array();
    for (size_t i = 0; i < a->change_count; i++) {
        json_array_append_new(all, json_pack("{s:s, s:s, s:s}", "what", changes[i].what, "was",
                                             changes[i].was, "is", changes[i].is));
    }
    cli_dump_json(
        cli_of_rig(sides[0].rig, json_pack("{s:o, s:o, s:o}", "changes", all, "as_it_is",
                                           side_json(sides, 0), "changed", side_json(sides, 1))));
}
