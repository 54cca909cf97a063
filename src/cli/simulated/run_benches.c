/* windpin run --benches: a plan on many benches that are not what the rig says, and what they all
 * came to. */
#include "../cli_json.h"
#include "windpin/host/rehearsal.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct ran {
    const cli_run *run;
    const wpin_rig *rig;
    const wpin_plan *plan;
    wpin_report **reports;
    size_t count;
} ran;

static unsigned seed_of(const ran *r, size_t i) {
    return r->run->seed + (unsigned)i;
}

static size_t as_asked(const ran *r) {
    size_t count = 0;
    for (size_t i = 0; i < r->count; i++) {
        count += !r->reports[i]->bad;
    }
    return count;
}

/* ---- what was required ---- */

/* Missed before not tested before met; among those the one that came nearest to its limit, or went
 * furthest past it. */
static bool is_worse(const wpin_requirement_result *a, const wpin_requirement_result *b) {
    static const int order[] = {
        [WPIN_OUTCOME_MET] = 0, [WPIN_OUTCOME_UNTESTED] = 1, [WPIN_OUTCOME_MISSED] = 2};
    if (a->outcome != b->outcome) {
        return order[a->outcome] > order[b->outcome];
    }
    bool low = a->requirement->relation == WPIN_ABOVE;
    return low ? a->worst < b->worst : a->worst > b->worst;
}

static size_t worst_of(const ran *r, size_t requirement, size_t *met) {
    size_t worst = 0;
    *met = 0;
    for (size_t i = 0; i < r->count; i++) {
        const wpin_requirement_result *one = &r->reports[i]->requirements[requirement];
        *met += one->outcome == WPIN_OUTCOME_MET;
        worst = is_worse(one, &r->reports[worst]->requirements[requirement]) ? i : worst;
    }
    return worst;
}

static void print_required(const ran *r) {
    for (size_t k = 0; k < r->reports[0]->requirement_count; k++) {
        char words[200];
        size_t met, worst = worst_of(r, k, &met);
        const wpin_requirement_result *one = &r->reports[worst]->requirements[k];
        wpin_requirement_words(one, words, sizeof words);
        printf("%s%5u  %-30s met on %zu", k == 0 ? "\nRequired:\n" : "", one->requirement->line,
               one->requirement->text, met);
        if (words[0] != '\0') {
            printf("; worst on seed %u: %s", seed_of(r, worst), words);
        }
        printf("\n");
    }
}

/* ---- steps ---- */

/* A line of the plan that was not as asked on some benches. */
typedef struct bad_line {
    unsigned line;
    const char *text, *words; /* the words of the first one */
    size_t benches, last;     /* how many; the number of the last one */
    unsigned seed;            /* of the first */
} bad_line;

enum { BAD_LINES = 40 };

static bad_line *find_line(bad_line *lines, size_t *count, const wpin_step_result *s,
                           unsigned seed) {
    for (size_t i = 0; i < *count; i++) {
        if (lines[i].line == s->line && strcmp(lines[i].text, s->text) == 0) {
            return &lines[i];
        }
    }
    if (*count == BAD_LINES) {
        return NULL;
    }
    lines[*count] = (bad_line){s->line, s->text, s->words, 0, 0, seed};
    return &lines[(*count)++];
}

/* Each counts once a bench, however often it came round there. */
static size_t bad_lines(const ran *r, bad_line *lines) {
    size_t count = 0;
    for (size_t i = 0; i < r->count; i++) {
        for (size_t k = 0; k < r->reports[i]->step_count; k++) {
            const wpin_step_result *s = &r->reports[i]->steps[k];
            bad_line *l =
                s->verdict == WPIN_VERDICT_BAD ? find_line(lines, &count, s, seed_of(r, i)) : NULL;
            if (l != NULL && (l->benches == 0 || l->last != i)) {
                l->benches++;
                l->last = i;
            }
        }
    }
    return count;
}

static void print_steps(const ran *r) {
    bad_line lines[BAD_LINES];
    size_t count = bad_lines(r, lines);
    for (size_t i = 0; i < count; i++) {
        printf("%s%5u  %-30s not on %zu, e.g. seed %u: %s\n", i == 0 ? "\nNot as asked:\n" : "",
               lines[i].line, lines[i].text, lines[i].benches, lines[i].seed, lines[i].words);
    }
}

/* ---- faults, burns, currents ---- */

/* The first fault that a bench was left with; NULL: none. */
static const wpin_fault_result *left_with(const wpin_report *report) {
    for (size_t i = 0; i < report->fault_count; i++) {
        if (report->faults[i].cleared_at == HUGE_VAL) {
            return &report->faults[i];
        }
    }
    return NULL;
}

static size_t count_faults(const ran *r, size_t *first) {
    size_t faulted = 0;
    for (size_t i = 0; i < r->count; i++) {
        bool is = left_with(r->reports[i]) != NULL;
        *first = is && faulted == 0 ? i : *first;
        faulted += is;
    }
    return faulted;
}

static size_t count_burnt(const ran *r, size_t *first) {
    size_t burnt = 0;
    for (size_t i = 0; i < r->count; i++) {
        bool is = r->reports[i]->burn_count > 0;
        *first = is && burnt == 0 ? i : *first;
        burnt += is;
    }
    return burnt;
}

static void print_trouble(const ran *r) {
    size_t first = 0, faulted = count_faults(r, &first);
    if (faulted == 0) {
        printf("Faults: none on any.\n");
    } else {
        const wpin_fault_result *f = left_with(r->reports[first]);
        cli_say("Faults: on %zu, e.g. seed %u at %.3f s: %s, %s\n", faulted, seed_of(r, first),
                f->at, r->rig->loads[f->load].name, wpin_status_name(f->cause));
    }
    size_t burnt = count_burnt(r, &first);
    if (burnt == 0) {
        printf("Burnt: nothing on any.\n");
    } else {
        const wpin_part_burn *b = &r->reports[first]->burns[0];
        cli_say("Burnt: on %zu, e.g. seed %u at %.3f s: %s, %s\n", burnt, seed_of(r, first), b->at,
                b->part, b->reason);
    }
}

/* The benches on which one of a report's figures for a load is lowest and highest. */
static void range(const ran *r, size_t load, bool speed, size_t ends[2]) {
    ends[0] = ends[1] = 0;
    for (size_t i = 0; i < r->count; i++) {
        const wpin_report *ends_of[2] = {r->reports[ends[0]], r->reports[ends[1]]};
        double now = speed ? r->reports[i]->rpm_peak[load] : r->reports[i]->amps_peak[load];
        double low = speed ? ends_of[0]->rpm_peak[load] : ends_of[0]->amps_peak[load];
        double high = speed ? ends_of[1]->rpm_peak[load] : ends_of[1]->amps_peak[load];
        ends[0] = now < low ? i : ends[0];
        ends[1] = now > high ? i : ends[1];
    }
}

static void print_loads(const ran *r) {
    printf("\n");
    for (size_t i = 0; i < r->rig->load_count; i++) {
        size_t amps[2], rpm[2];
        range(r, i, false, amps);
        range(r, i, true, rpm);
        cli_say("%s: highest current %.2f to %.2f A (seed %u)", r->rig->loads[i].name,
                r->reports[amps[0]]->amps_peak[i], r->reports[amps[1]]->amps_peak[i],
                seed_of(r, amps[1]));
        if (r->reports[rpm[1]]->rpm_peak[i] > 0) {
            cli_say(", highest speed %.0f to %.0f rpm (seed %u)", r->reports[rpm[0]]->rpm_peak[i],
                    r->reports[rpm[1]]->rpm_peak[i], seed_of(r, rpm[1]));
        }
        printf("\n");
    }
}

/* ---- all of it ---- */

static void print_all(const ran *r) {
    size_t asked = as_asked(r);
    printf("%s (rig %08x): %s on %zu simulated benches\n", r->rig->name, r->rig->fingerprint,
           r->run->files[1], r->count);
    cli_say(
        "  Motors and loads are others than the rig says, each constant up to %.3g %% (seeds %u "
        "to %u).\n\n%s%zu of %zu ran as asked.%s\n",
        r->run->spread * 100, r->run->seed, seed_of(r, r->count - 1),
        cli_paint(asked == r->count ? WPIN_VERDICT_OK : WPIN_VERDICT_BAD), asked, r->count,
        cli_plain());
    print_required(r);
    print_steps(r);
    print_loads(r);
    print_trouble(r);
    for (size_t i = 0; i < r->count; i++) {
        if (r->reports[i]->bad) {
            cli_say("Look at one: windpin run %s %s --spread %.4g%% --seed %u\n", r->run->files[0],
                    r->run->files[1], r->run->spread * 100, seed_of(r, i));
            break;
        }
    }
}

static json_t *required_json(const ran *r) {
    json_t *all = json_array();
    for (size_t k = 0; k < r->reports[0]->requirement_count; k++) {
        size_t met, worst = worst_of(r, k, &met);
        const wpin_requirement_result *one = &r->reports[worst]->requirements[k];
        json_array_append_new(
            all, json_pack("{s:i, s:s, s:i, s:o, s:i}", "line", (int)one->requirement->line, "text",
                           one->requirement->text, "met", (int)met, "worst",
                           cli_json_number(one->worst), "worst_seed", (int)seed_of(r, worst)));
    }
    return all;
}

static void dump_all(const ran *r) {
    json_t *steps = json_array(), *bad = json_array(), *loads = json_array();
    bad_line lines[BAD_LINES];
    size_t count = bad_lines(r, lines), first = 0;
    for (size_t i = 0; i < count; i++) {
        json_array_append_new(steps,
                              json_pack("{s:i, s:s, s:i, s:i, s:s}", "line", (int)lines[i].line,
                                        "text", lines[i].text, "benches", (int)lines[i].benches,
                                        "seed", (int)lines[i].seed, "words", lines[i].words));
    }
    for (size_t i = 0; i < r->count; i++) {
        if (r->reports[i]->bad) {
            json_array_append_new(bad, json_integer(seed_of(r, i)));
        }
    }
    for (size_t i = 0; i < r->rig->load_count; i++) {
        size_t amps[2], rpm[2];
        range(r, i, false, amps);
        range(r, i, true, rpm);
        json_array_append_new(
            loads, json_pack("{s:s, s:[f, f], s:[f, f]}", "name", r->rig->loads[i].name, "peak_a",
                             r->reports[amps[0]]->amps_peak[i], r->reports[amps[1]]->amps_peak[i],
                             "peak_rpm", r->reports[rpm[0]]->rpm_peak[i],
                             r->reports[rpm[1]]->rpm_peak[i]));
    }
    cli_dump_json(cli_of_rig(
        r->rig, json_pack("{s:o, s:f, s:i, s:i, s:i, s:o, s:o, s:o, s:o, s:i, s:i}", "plan",
                          cli_json_text(r->run->files[1]), "spread_percent", r->run->spread * 100,
                          "seed", (int)r->run->seed, "benches", (int)r->count, "as_asked",
                          (int)as_asked(r), "not_as_asked_seeds", bad, "required", required_json(r),
                          "steps_not_as_asked", steps, "loads", loads, "faulted",
                          (int)count_faults(r, &first), "burnt", (int)count_burnt(r, &first))));
}

int cli_run_benches(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan,
                    const wpin_session_options *options) {
    char why[400];
    int status = EXIT_WRONG_INPUT;
    ran r = {run, rig, plan, calloc(run->benches, sizeof(wpin_report *)), run->benches};
    wpin_session_options one = *options;
    one.progress = NULL; /* there is one for all of them */
    snprintf(why, sizeof why, "out of memory");
    bool good = r.reports != NULL && wpin_rehearse_many(rig, plan, &one, r.reports, r.count,
                                                        cli_progress, "benches", why, sizeof why);
    cli_progress_end();
    if (!good) {
        cli_complain("%s", why);
    } else if (one.interrupted != NULL && *one.interrupted) {
        cli_complain("interrupted: nothing is known of all benches");
        status = EXIT_MET_FAULT;
    } else {
        run->json ? dump_all(&r) : print_all(&r);
        status = as_asked(&r) == r.count ? EXIT_FINE : EXIT_MET_FAULT;
    }
    for (size_t i = 0; good && i < r.count; i++) {
        wpin_report_free(r.reports[i]);
    }
    free(r.reports);
    return status;
}
