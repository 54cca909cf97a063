/* The fault campaign: every fault that a rig can have, at eight moments of a plan with rests,
 * ramps, speeds held, brakes and turns; or at as many as WPIN_MOMENTS says (the long tests: 200).
 * With --table it prints them. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/trials.h>

typedef struct subject {
    const char *name, *rig, *plan;
    double watch;         /* s in which a fault is to be noticed, while it matters */
    const char *harmless; /* faults that may change nothing, each with a comma behind it */
} subject;

/* A supply that gives way only a little leaves a regulated speed as it is; a limit switch is missed
 * only on the way home. A brake line that floats reads as it is driven while the motor runs; a
 * direction line the same one way round, as one of a pair that nothing drives forward by any more.
 * A held spindle is where a torque brings it. Without an encoder nobody sees a swapped pair of
 * leads. Each way needs two of four switches, and the others only to brake. What a disc slips by is
 * lost on whoever counts by it, unless field orientation does; sensors off their places turn a
 * motor with more current. */
static const subject subjects[] = {
    {"drum", "honey-drum",
     "main on\ndrum ramp 60rpm\ndrum hold 500ms\ndrum stop\ndrum rest 300ms\n"
     "drum ramp reverse 100rpm\ndrum hold 1s\ndrum brake for 2s\ndrum ramp 40rpm\ndrum hold 1s\n"
     "drum stop\n",
     1.2,
     "main weak,drum wire-off brake,drum wire-off direction,drum switch-open a-high,drum "
     "switch-open a-low,drum switch-open b-high,drum switch-open b-low,drum encoder-slips,"},
    {"gate", "honey-gate",
     "main on\ngate home reverse 12rpm at most 8s\ngate turn to 30deg\nwait 200ms\n"
     "gate run 15rpm for 1s\ngate turn to 5deg\n",
     1.2,
     "main weak,logic weak,gate-open stuck,gate-shut stuck,gate wire-off in1,gate "
     "switch-open a-high,gate switch-open a-low,gate switch-open b-high,gate switch-open b-low,"
     "gate encoder-slips,"},
    {"lid", "honey-lid",
     "main on\nlid run 0.35Nm for 1.5s\nlid ramp 0.6Nm in 400ms\nlid hold 1s\nlid stop\n"
     "lid run reverse 40% for 700ms\n",
     1.0,
     "main weak,logic weak,lid wire-off brake,lid wire-off direction,lid stalled,lid "
     "motor-swapped,lid encoder-off,"
     "lid encoder-channel-off,lid encoder-swapped,lid switch-open a-high,lid switch-open a-low,"
     "lid switch-open b-high,lid switch-open b-low,lid encoder-slips,"},
    {"spinner", "honey-spinner",
     "main on\ndrum ramp 60rpm\ndrum hold 500ms\ndrum brake for 1s\ndrum rest 300ms\n"
     "drum ramp reverse 100rpm\ndrum hold 1s\ndrum brake for 1s\n",
     2.0, "main weak,drum hall-shifted,"},
    {"vector", "honey-vector",
     "main on\ndrum ramp 60rpm\ndrum hold 500ms\ndrum brake for 1s\ndrum rest 300ms\n"
     "drum ramp reverse 100rpm\ndrum hold 1s\ndrum brake for 1s\n",
     2.0, "main weak,"},
};
enum { SUBJECTS = sizeof subjects / sizeof *subjects };

/* Brushless ones take several times as long to simulate. */
static unsigned moments(const subject *s) {
    const char *asked = getenv("WPIN_MOMENTS");
    bool brushed = s->watch < 2;
    if (asked == NULL) {
        return brushed ? 8 : 2;
    }
    return brushed ? (unsigned)atoi(asked) : (unsigned)atoi(asked) / 6 + 1;
}

static wpin_trials *try_all(const subject *s, unsigned at) {
    char path[400], why[400];
    wpin_messages m = {0};
    snprintf(path, sizeof path, TEST_SOURCE "/demo/%s.yaml", s->rig);
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_ptr_nonnull(rig);
    wpin_plan *plan = wpin_plan_read(write_file("trial.plan", s->plan), rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_trials *trials = wpin_try_faults(rig, plan, at, NULL, NULL, why, sizeof why);
    ck_assert_msg(trials != NULL, "%s", why);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return trials;
}

/* Nothing burns; what is noticed has the right name in nine of ten, and says to look for what it
 * was; the stage is safe at once; and what is not noticed came too late to matter, or changes
 * nothing. */
START_TEST(faults_are_noticed) {
    const subject *s = &subjects[_i];
    wpin_trials *all = try_all(s, moments(s));
    unsigned noticed = 0, named = 0, listed = 0, at_rest = 0, ramping = 0, running = 0;
    for (size_t i = 0; i < all->count; i++) {
        const wpin_trial *t = &all->all[i];
        char with_comma[100];
        snprintf(with_comma, sizeof with_comma, "%s,", t->words);
        bool harmless = strstr(s->harmless, with_comma) != NULL;
        double late = s->watch / all->seconds * t->tried + 1; /* so many came too late */
        ck_assert_uint_eq(t->tripped + t->seen + t->idle + t->unseen, t->tried);
        ck_assert_uint_eq(t->tried, moments(s));
        ck_assert_msg(t->burnt == 0, "%s burns", t->words);
        ck_assert_msg(t->safe_after < 1e-3, "%s: safe after %g s", t->words, t->safe_after);
        ck_assert_msg(harmless || t->tripped + late >= t->tried, "%s: %u of %u noticed", t->words,
                      t->tripped, t->tried);
        noticed += t->tripped;
        named += t->named;
        listed += t->listed;
        at_rest += t->tried_in[WPIN_STATE_READY] + t->tried_in[WPIN_STATE_RESTING] +
                   t->tried_in[WPIN_STATE_COASTING] + t->tried_in[WPIN_STATE_BRAKING];
        ramping += t->tried_in[WPIN_STATE_RAMPING];
        running += t->tried_in[WPIN_STATE_RUNNING];
    }
    ck_assert_msg(10 * named >= 9 * noticed, "%s: %u of %u by the right name", s->name, named,
                  noticed);
    ck_assert_msg(100 * listed >= 97 * noticed, "%s: the cause of %u of %u is listed", s->name,
                  listed, noticed);
    bool many = moments(s) >= 8; /* fewer leave out a state */
    ck_assert(!many || (ramping > 0 && running > 0 && (_i != 0 || at_rest > 0)));
    wpin_trials_free(all);
}
END_TEST

/* The same whoever takes which run. */
START_TEST(it_is_repeatable) {
    wpin_trials *a = try_all(&subjects[2], 3), *b = try_all(&subjects[2], 3);
    ck_assert_uint_eq(a->count, b->count);
    for (size_t i = 0; i < a->count; i++) {
        ck_assert_uint_eq(a->all[i].tripped, b->all[i].tripped);
        ck_assert_double_eq(a->all[i].latest, b->all[i].latest);
        ck_assert_mem_eq(a->all[i].names, b->all[i].names, sizeof a->all[i].names);
    }
    wpin_trials_free(a);
    wpin_trials_free(b);
}
END_TEST

START_TEST(print_table) {
    printf("| fault | moments | noticed | right name | cause listed | too late, not driven or "
           "harmless "
           "| after s |\n|---|---|---|---|---|---|---|\n");
    for (size_t k = 0; k < SUBJECTS; k++) {
        wpin_trials *all = try_all(&subjects[k], moments(&subjects[k]));
        for (size_t i = 0; i < all->count; i++) {
            const wpin_trial *t = &all->all[i];
            printf("| %s | %u | %u | %u | %u | %u |", t->words, t->tried, t->tripped, t->named,
                   t->listed, t->seen + t->idle + t->unseen);
            if (t->tripped > 0) {
                printf(" %.2f to %.2f |\n", t->soonest, t->latest);
            } else {
                printf(" |\n");
            }
        }
        wpin_trials_free(all);
    }
}
END_TEST

int main(int argc, char **argv) {
    Suite *suite = suite_create("trials");
    TCase *tests = tcase_create("trials");
    tcase_set_timeout(tests, 0);
    suite_add_tcase(suite, tests);
    if (argc > 1 && strcmp(argv[1], "--table") == 0) {
        tcase_add_test(tests, print_table);
        return run_silent(suite);
    }
    tcase_add_loop_test(tests, faults_are_noticed, 0, SUBJECTS);
    tcase_add_test(tests, it_is_repeatable);
    return run_suite(suite);
}
