/* A record beside the same plan simulated, or beside an earlier record of it: where their duties go
 * apart, and what was measured. */
#include "compare_record.h"
#include "../cli_json.h"
#include <math.h>
#include <stdio.h>
#include <string.h>

#define STRETCH 0.02 /* s over which is averaged */
#define APART   1.0  /* % of duty that are a difference */
#define LATE    2 /* ticks, and one more for each action, by which one may be ahead of the other */

/* One load: where its duties are furthest apart, and where they first are. */
typedef struct apart {
    bool there;             /* both have it */
    double most, at, first; /* %, s, s; first below 0: never */
    double duties[2];       /* there, % */
} apart;

static double shorter(const cli_recorded *r) {
    return fmin(wpin_trace_end(r->sides[0]), wpin_trace_end(r->sides[1]));
}

/* Actions that have begun in a simulated run; of one that was recorded all of them may have. */
static int begun(const cli_recorded *r, double at) {
    const wpin_report *report = r->report;
    int count = report == NULL ? (int)r->actions : 0;
    for (size_t i = 0; report != NULL && i < report->step_count; i++) {
        count += report->steps[i].at <= at;
    }
    return count;
}

/* Each action may begin a tick later than it was simulated to: of what was recorded then, the
 * simulated duty that comes nearest. */
static double nearest(const cli_recorded *r, int column, double t, double recorded) {
    const double tick = r->rig->controller.tick;
    const int most = LATE + begun(r, t);
    double found = NAN;
    for (int late = -most; late <= most; late++) {
        const double from = fmax(t + late * tick, 0);
        const double value = wpin_trace_average(r->sides[0], column, from, from + STRETCH);
        if (!isfinite(found) || fabs(value - recorded) < fabs(found - recorded)) {
            found = value;
        }
    }
    return found;
}

static apart look_apart(const cli_recorded *r, const char *load) {
    apart found = {.first = -1};
    int a = wpin_trace_column(r->sides[0], load, "duty_percent");
    int b = wpin_trace_column(r->sides[1], load, "duty_percent");
    found.there = a >= 0 && b >= 0;
    for (double t = 0; found.there && t + STRETCH <= shorter(r); t += STRETCH) {
        double second = wpin_trace_average(r->sides[1], b, t, t + STRETCH);
        double first = nearest(r, a, t, second);
        double off = fabs(first - second);
        found.there = isfinite(off); /* rows without a number are no record of it */
        if (off > found.most) {
            found.most = off;
            found.at = t;
        }
        if (off > APART && found.first < 0) {
            found.first = t;
            found.duties[0] = first;
            found.duties[1] = second;
        }
    }
    return found;
}

/* What both have of it: as measured; else, of simulated hardware on both sides, as it truly was. */
typedef struct figure {
    const char *words[2], *columns[2], *unit;
    bool highest;
} figure;

#define HIGHEST                                                                                    \
    { "the highest of it", "the highest of it" }
static const figure figures[] = {
    {{"duty, on average", "duty, on average"}, {"duty_percent", "duty_percent"}, "%", false},
    {{"measured current", "true current"}, {"measured_amps", "amps"}, "A", false},
    {HIGHEST, {"measured_amps", "amps"}, "A", true},
    {{"measured speed", "true speed"}, {"measured_rpm", "rpm"}, "rpm", false},
    {HIGHEST, {"measured_rpm", "rpm"}, "rpm", true}};
enum { FIGURES = sizeof figures / sizeof *figures };

static bool has_numbers(const wpin_trace *t, const char *load, const char *what) {
    int column = wpin_trace_column(t, load, what);
    return column >= 0 && isfinite(wpin_trace_average(t, column, 0, wpin_trace_end(t)));
}

/* Whether it is told as it truly was: neither side measured it, and both were simulated. */
static bool is_true(const cli_recorded *r, const char *load, const figure *f) {
    bool measured = false, known = true;
    for (int i = 0; i < 2; i++) {
        measured = measured || has_numbers(r->sides[i], load, f->columns[0]);
        known = known && has_numbers(r->sides[i], load, f->columns[1]);
    }
    return !measured && known;
}

/* Over the time both have: the average of a column, or the highest of its size over a stretch. */
static double value_of(const cli_recorded *r, const wpin_trace *t, const char *load,
                       const figure *f) {
    int column = wpin_trace_column(t, load, f->columns[is_true(r, load, f)]);
    double highest = NAN;
    if (!f->highest) {
        return wpin_trace_average(t, column, 0, shorter(r));
    }
    for (double at = 0; at + STRETCH <= shorter(r); at += STRETCH) {
        highest = fmax(highest, fabs(wpin_trace_average(t, column, at, at + STRETCH)));
    }
    return highest;
}

static void put_value(double value, const char *unit) {
    if (isfinite(value)) {
        cli_say(" %12.4g %-4s", value, unit);
    } else {
        printf(" %12s %-4s", "-", "");
    }
}

/* Where it is more than a hundredth. */
static void put_difference(double a, double b) {
    bool differs = isfinite(a) && isfinite(b) && a != 0 && fabs(b - a) > 0.01 * fabs(a);
    if (differs) {
        cli_say(" %+8.3g %%", 100 * (b - a) / fabs(a));
    }
    printf("\n");
}

static void print_load(const cli_recorded *r, const char *load) {
    const char *whose = load;
    for (size_t k = 0; k < FIGURES; k++) {
        double a = value_of(r, r->sides[0], load, &figures[k]);
        double b = value_of(r, r->sides[1], load, &figures[k]);
        if (isfinite(a) || isfinite(b)) {
            printf("  %-12s %-18s", whose, figures[k].words[is_true(r, load, &figures[k])]);
            put_value(a, figures[k].unit);
            put_value(b, figures[k].unit);
            put_difference(a, b);
            whose = "";
        }
    }
}

static void print_apart(const cli_recorded *r, const char *load, const apart *found) {
    if (!found->there) {
        printf("%s: is not in the record.\n", load);
    } else if (found->first < 0 && found->most < 0.005) {
        printf("%s: the duties are the same.\n", load);
    } else if (found->first < 0) {
        cli_say("%s: the duties agree; furthest apart they are by %.2g %%, at %.3f s.\n", load,
                found->most, found->at);
    } else {
        cli_say(
            "%s: the duties go apart at %.3f s: %.1f %% %s, %.1f %% %s; furthest by %.3g %%, at "
            "%.3f s.\n",
            load, found->first, found->duties[0], r->names[0], found->duties[1], r->names[1],
            found->most, found->at);
    }
}

/* A simulated run is looked at until all of it stands, which a record need not be: so much of it as
 * the record has. */
static double first_end(const cli_recorded *r) {
    const double end = wpin_trace_end(r->sides[1]), most = wpin_trace_end(r->sides[0]);
    return r->report == NULL ? most : fmin(fmax(end, r->report->seconds), most);
}

static void print_all(const cli_recorded *r) {
    char mark[16];
    snprintf(mark, sizeof mark, "%08x", r->rig->fingerprint);
    printf("%s (rig %s): %s ", r->rig->name, mark, r->plan);
    if (r->report != NULL) {
        printf("on simulated hardware, and as recorded in %s:\n", r->paths[1]);
    } else {
        printf("as recorded first in %s, then in %s:\n", r->paths[0], r->paths[1]);
    }
    for (int i = r->report != NULL; i < 2; i++) {
        if (strncmp(mark, wpin_trace_mark(r->sides[i]), 8) != 0) {
            printf("  The record %s was made with the rig as it was then (%.8s).\n", r->paths[i],
                   wpin_trace_mark(r->sides[i]));
        }
    }
    printf("\n  %-12s %-18s %17s %17s\n", "", "", r->names[0], r->names[1]);
    for (size_t i = 0; i < r->rig->load_count; i++) {
        print_load(r, r->rig->loads[i].name);
    }
    printf("  %-12s %-18s", "all", "lasts");
    put_value(first_end(r), "s");
    put_value(wpin_trace_end(r->sides[1]), "s");
    put_difference(first_end(r), wpin_trace_end(r->sides[1]));
    printf("\n");
}

static json_t *load_json(const cli_recorded *r, const char *load, const apart *found) {
    json_t *one = json_pack("{s:s, s:f, s:f, s:o}", "name", load, "duty_apart_percent", found->most,
                            "at_s", found->at, "apart_from_s",
                            found->first < 0 ? json_null() : json_real(found->first));
    static const char *const keys[FIGURES] = {"duty_percent", "amps", "peak_a", "rpm", "peak_rpm"};
    for (size_t k = 0; k < FIGURES; k++) {
        json_t *both = json_pack(
            "{s:o, s:o}", r->names[0], cli_json_number(value_of(r, r->sides[0], load, &figures[k])),
            r->names[1], cli_json_number(value_of(r, r->sides[1], load, &figures[k])));
        json_object_set_new(one, keys[k], both);
    }
    return one;
}

/* Whether both are as long, but for what waits take. */
static bool last_alike(const cli_recorded *r) {
    double a = first_end(r), b = wpin_trace_end(r->sides[1]);
    return fabs(a - b) <= 0.05 + 0.05 * fmax(a, b);
}

bool cli_compare_record(const cli_recorded *r, bool json) {
    bool agree = last_alike(r);
    json_t *loads = json_array();
    if (!json) {
        print_all(r);
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        const char *load = r->rig->loads[i].name;
        apart found = look_apart(r, load);
        agree = agree && found.there && found.first < 0;
        if (json) {
            json_array_append_new(loads, load_json(r, load, &found));
        } else {
            print_apart(r, load, &found);
        }
    }
    if (json) {
        cli_dump_json(cli_of_rig(
            r->rig,
            json_pack("{s:o, s:o, s:b, s:f, s:f}", "loads", loads, "recorded_with",
                      cli_json_text(wpin_trace_mark(r->sides[1])), "agree", (int)agree,
                      r->report != NULL ? "simulated_s" : "first_s", first_end(r),
                      r->report != NULL ? "recorded_s" : "second_s", wpin_trace_end(r->sides[1]))));
    } else {
        json_decref(loads);
        if (!last_alike(r)) {
            printf("One lasts longer than the other: it was ended early, or waits took another "
                   "time.\n");
        }
    }
    return agree;
}
