/* Vetting against the bench over rigs of every load on every stage at every decade of PWM
 * frequency: what passes neither burns nor fails its verdict, and what is refused because it burns
 * does burn. 117 rigs (39 sanitized), or as many as WPIN_RIGS says; with --table the confusion of
 * both. */
#define _GNU_SOURCE
#include "campaign_rigs.h"
#include <stdlib.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

enum { CELLS = 200 };
typedef enum vetted { CLEAN, CAUTIONED, REFUSED_BURNS, REFUSED_DEAD, REFUSED_OTHER, VETTED } vetted;
typedef enum benched { WORKED, FAILED, BURNT, BENCHED } benched;

typedef struct campaign {
    campaign_cell cells[CELLS];
    size_t cell_count;
    unsigned counts[VETTED][BENCHED];
    unsigned by_cell[CELLS][2][BENCHED]; /* passed, refused */
    unsigned tried, told;
    bool talks; /* tells each disagreement */
} campaign;

static campaign c;

/* The gravest effect that is predicted, with the rule. */
static vetted sort_vetting(const wpin_vetting *v, const char **rule) {
    vetted worst = v->cautions > 0 ? CAUTIONED : CLEAN;
    *rule = "";
    for (size_t i = 0; i < v->count; i++) {
        const wpin_finding *f = &v->findings[i];
        if (f->severity != WPIN_REFUSE) {
            *rule = f->severity == WPIN_CAUTION && **rule == '\0' ? f->rule->name : *rule;
            continue;
        }
        vetted this = f->rule->effect == WPIN_EFFECT_BURNS  ? REFUSED_BURNS
                      : f->rule->effect == WPIN_EFFECT_DEAD ? REFUSED_DEAD
                                                            : REFUSED_OTHER;
        if (worst < REFUSED_BURNS || this < worst) {
            worst = this;
            *rule = f->rule->name;
        }
    }
    return worst;
}

/* What the bench made of it; the steps after the stall are there to burn, not to please. */
static benched sort_report(const wpin_report *r, const char **why) {
    *why = "";
    if (r->burn_count > 0) {
        *why = r->burns[0].reason;
        return BURNT;
    }
    for (size_t i = 0; i < r->step_count; i++) {
        const wpin_step_result *s = &r->steps[i];
        if (s->text != NULL && strncmp(s->text, "fault", 5) == 0) {
            return WORKED;
        }
        if (s->verdict == WPIN_VERDICT_BAD) {
            *why = s->words;
            return FAILED;
        }
    }
    return r->result != WPIN_OK ? (*why = wpin_status_name(r->result), FAILED) : WORKED;
}

/* What works must not look wrong to its own sensors. The steps after the stall are no such. */
static void expect_no_alarm(const wpin_rig *rig, const wpin_report *r, const char *text,
                            const char *plan) {
    for (size_t i = 0; i < r->step_count; i++) {
        const wpin_step_result *s = &r->steps[i];
        char words[400];
        if (s->text != NULL && strncmp(s->text, "fault", 5) == 0) {
            return;
        }
        bool alarm =
            s->load >= 0 && s->seen.driven > 0 &&
            wpin_seen_judge(rig, s->load, &s->seen, words, sizeof words) == WPIN_SEEN_TROUBLE;
        ck_assert_msg(!alarm, "line %u, '%s': %s\n%s\n%s", s->line, s->text, words, text, plan);
    }
}

static void tell(unsigned seed, vetted v, benched b, const char *rule, const char *why,
                 const char *text, const char *plan) {
    bool burns_not = v == REFUSED_BURNS && b != BURNT;
    if ((v == CLEAN && b != WORKED) || (v == CAUTIONED && b == BURNT) || burns_not) {
        c.told++;
        if (c.talks) {
            fprintf(stderr, "--- %u %s: %s; bench: %s\n", seed,
                    v <= CAUTIONED ? "passes" : "refused", rule, b == WORKED ? "works" : why);
            if (getenv("WPIN_RIG") != NULL) {
                fprintf(stderr, "%s\n%s", text, plan);
            }
        }
    }
}

static void try_one(unsigned n) {
    pick_seed(n * 2654435761U + 99);
    campaign_cell cell = c.cells[n % c.cell_count];
    campaign_rig made = campaign_make(cell);
    const char *text = campaign_text(&made), *rule, *why;
    char refusal[300];
    wpin_status refused;
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(write_file("campaign.yaml", text), &m);
    c.tried++;
    if (rig == NULL) { /* the reader sees some of what is spoilt */
        ck_assert_msg(m.count > 0 && strstr(m.items[0].text, "rated") != NULL, "%s\n%s",
                      m.items[0].text, text);
        c.counts[REFUSED_OTHER][FAILED]++;
        wpin_messages_free(&m);
        return;
    }
    const char *steps = campaign_plan(&made, rig), *path = write_file("campaign.plan", steps);
    wpin_plan *plan = wpin_plan_read(path, rig, &m);
    ck_assert_msg(plan != NULL, "%s\n%s", m.count > 0 ? m.items[0].text : "", text);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    wpin_session_options options = {0};
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, refusal, sizeof refusal);
    vetted said = sort_vetting(v, &rule);
    benched done = FAILED;
    why = refusal;
    if (r != NULL) {
        done = sort_report(r, &why);
    }
    if (said == CLEAN && done == WORKED) {
        expect_no_alarm(rig, r, text, steps);
    }
    c.counts[said][done]++;
    c.by_cell[n % c.cell_count][said > CAUTIONED][done]++;
    tell(n, said, done, rule, why, text, steps);
    wpin_report_free(r);
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}

static unsigned sum(vetted v) {
    return c.counts[v][WORKED] + c.counts[v][FAILED] + c.counts[v][BURNT];
}

static void run_campaign(void) {
    const char *asked = getenv("WPIN_RIGS"), *only = getenv("WPIN_RIG");
    unsigned count = asked != NULL ? (unsigned)strtoul(asked, NULL, 10) : TEST_SANITIZED ? 39 : 117;
    c.cell_count = campaign_cells(c.cells, CELLS);
    if (only != NULL) {
        try_one((unsigned)strtoul(only, NULL, 10));
        return;
    }
    for (unsigned n = 0; n < count; n++) {
        try_one(n);
    }
}

START_TEST(print_table) {
    run_campaign();
    static const char *const rows[] = {"passes", "passes with a caution", "refused: burns",
                                       "refused: does not work", "refused: advice, or moves"};
    printf("\n## A campaign\n\n%u rigs, each of %zu pairs of load, stage and decade of PWM "
           "frequency in turn, sound by\ntheir making and then spoilt in none to two places; the "
           "refused ones run all the same. Made by\n`tests/test_campaign --table`.\n\n| vetting | "
           "works | fails | burns |\n|---|---|---|---|\n",
           c.tried, c.cell_count);
    for (int v = 0; v < VETTED; v++) {
        printf("| %s | %u | %u | %u |\n", rows[v], c.counts[v][WORKED], c.counts[v][FAILED],
               c.counts[v][BURNT]);
    }
    printf(
        "\n| load | stage | PWM, Hz | passes: works, fails, burns | refused: works, fails, burns "
        "|\n|---|---|---|---|---|\n");
    for (size_t i = 0; i < c.cell_count; i++) {
        static const char *const hz[] = {"none", "10 to 100", "100 to 1000", "1000 to 10 000",
                                         "10 000 to 100 000"};
        unsigned(*n)[BENCHED] = c.by_cell[i];
        printf("| %s | `%s` | %s | %u, %u, %u | %u, %u, %u |\n", c.cells[i].load,
               c.cells[i].kind->name, hz[c.cells[i].decade], n[0][WORKED], n[0][FAILED],
               n[0][BURNT], n[1][WORKED], n[1][FAILED], n[1][BURNT]);
    }
}
END_TEST

/* What vetting passes works: docs/vet-bench.md. Those that once did not are tried each time. */
START_TEST(vetting_and_the_bench_agree) {
    static const unsigned once[] = {345,  809,  1265, 1497, 1550, 1620, 2096, 2335,
                                    2338, 2685, 3254, 3620, 3856, 3890, 4908, 6833};
    run_campaign();
    for (size_t i = 0; i < sizeof once / sizeof *once; i++) {
        try_one(once[i]);
    }
    unsigned passed = sum(CLEAN) + sum(CAUTIONED);
    unsigned few = c.tried < 1000 ? 20 : 35; /* percent; few rigs scatter */
    ck_assert_uint_ge(passed * 100, few * c.tried);
    ck_assert_uint_ge((c.tried - passed) * 100, few * c.tried);
    ck_assert_uint_eq(c.counts[CLEAN][BURNT], 0);
    ck_assert_uint_le(c.counts[CLEAN][FAILED], c.tried / 2000);
    ck_assert_uint_le(c.counts[CAUTIONED][BURNT], c.tried / 1000);
    unsigned share = c.tried < 1000 ? 80 : 90;
    ck_assert_uint_ge(c.counts[REFUSED_BURNS][BURNT] * 100, share * sum(REFUSED_BURNS));
}
END_TEST

int main(int argc, char **argv) {
    bool table = argc > 1 && strcmp(argv[1], "--table") == 0;
    c.talks = argc > 2;
    Suite *suite = suite_create("campaign");
    TCase *tests = tcase_create("campaign");
    if (table) {
        tcase_add_test(tests, print_table);
    } else {
        tcase_add_test(tests, vetting_and_the_bench_agree);
    }
    suite_add_tcase(suite, tests);
    return table ? run_silent(suite) : run_suite(suite);
}
