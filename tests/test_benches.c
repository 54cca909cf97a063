/* A plan on benches whose motors and loads are not quite what the rig says: one of them, and many
 * with what they came to. */
#include "support_tool.h"
#include <math.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/response.h>

#define DRUM      TEST_SOURCE "/demo/honey-drum.yaml"
#define DRUM_PLAN TEST_SOURCE "/demo/honey-drum.plan"

typedef struct files {
    wpin_rig *rig;
    wpin_plan *plan;
} files;

static files read_files(const char *rig, const char *plan) {
    wpin_messages m = {0};
    files f = {.rig = wpin_rig_read(rig, &m)};
    f.plan = wpin_plan_read(plan, f.rig, &m);
    ck_assert_msg(f.plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return f;
}

static void let_go(files *f) {
    wpin_plan_free(f->plan);
    wpin_rig_free(f->rig);
}

/* ---- the library ---- */

/* Each of many is the one of its seed, whichever processor had it; and none is the rig itself. */
START_TEST(many_are_those_of_their_seeds) {
    enum { MANY = 9 };
    files f = read_files(RIG, PLAN);
    char why[300];
    wpin_status refused;
    wpin_session_options options = {.supplies_on = true, .spread = 0.2, .seed = 40};
    wpin_report *many[MANY];
    ck_assert(wpin_rehearse_many(f.rig, f.plan, &options, many, MANY, NULL, NULL, why, sizeof why));
    options.spread = 0;
    wpin_report *as_said = wpin_rehearse(f.rig, f.plan, &options, &refused, why, sizeof why);
    options.spread = 0.2;
    for (unsigned i = 0; i < MANY; i++) {
        options.seed = 40 + i;
        wpin_report *one = wpin_rehearse(f.rig, f.plan, &options, &refused, why, sizeof why);
        ck_assert(one->amps_peak[0] == many[i]->amps_peak[0] &&
                  one->rpm_peak[0] == many[i]->rpm_peak[0] && one->bad == many[i]->bad);
        double off = one->rpm_peak[0] / as_said->rpm_peak[0] - 1;
        ck_assert(fabs(off) > 1e-6 && fabs(off) < 0.4);
        for (unsigned k = 0; k < i; k++) {
            ck_assert(many[k]->amps_peak[0] != many[i]->amps_peak[0]);
        }
        wpin_report_free(one);
    }
    for (unsigned i = 0; i < MANY; i++) {
        wpin_report_free(many[i]);
    }
    wpin_report_free(as_said);
    let_go(&f);
}
END_TEST

/* Constants stay within the spread, loads differ from one another, and the rig is left as it was.
 */
START_TEST(each_constant_is_off_by_no_more) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(HOUSE, &m);
    for (unsigned seed = 0; seed < 200; seed++) {
        wpin_rig *bench = wpin_bench_vary_all(rig, 0.1, seed);
        double factors[2] = {0, 0};
        for (size_t i = 0, k = 0; i < rig->load_count; i++) {
            const wpin_part_motor *is = &bench->loads[i].motor, *says = &rig->loads[i].motor;
            if (says->resistance > 0 && k < 2) {
                factors[k++] = is->resistance / says->resistance;
                ck_assert_double_le(fabs(is->constant / says->constant - 1), 0.1);
                ck_assert_double_le(fabs(is->inertia / says->inertia - 1), 0.1);
                ck_assert_double_ge(is->static_friction, is->dry_friction);
            }
        }
        ck_assert(fabs(factors[0] - 1) <= 0.1 && fabs(factors[1] - 1) <= 0.1);
        ck_assert(factors[0] != factors[1]);
        wpin_bench_free(bench);
    }
    wpin_rig_free(rig);
}
END_TEST

/* ---- the command ---- */

START_TEST(a_regulated_drum_holds_whatever_its_parts) {
    tool(0,
         SAYS("on 8 simulated benches", "each constant up to 20 % (seeds 5 to 12)",
              "8 of 8 ran as asked", "drum speed within 2% by 4s     met on 8; worst on seed ",
              "Faults: none on any", "Burnt: nothing on any"),
         "run " DRUM " " DRUM_PLAN " --spread 20%% --benches 8 --seed 5");
    tool(0, SAYS("\"as_asked\": 4", "\"not_as_asked_seeds\": []", "\"worst_seed\": "),
         "run " DRUM " " DRUM_PLAN " --spread 20%% --benches 4 --json");
    tool(0, SAYS("each constant up to 5 % (seed 7)", "11 steps: 11 as asked"),
         "run " DRUM " " DRUM_PLAN " --spread 5%% --seed 7");
}
END_TEST

/* What is missed somewhere is named with its seed, and the command it ends with shows that bench.
 */
START_TEST(the_worst_can_be_looked_at) {
    char plan[300], command[900], *at;
    snprintf(plan, sizeof plan, "%s",
             write_file("held.plan", "main on\npump ramp 60% in 1s\npump hold 2s\nrequire pump "
                                     "current below 1.3A by 1s\npump stop\n"));
    tool(1, SAYS("pump current below 1.3A by 1s", "met on 1", "; worst on seed "),
         "run " RIG " %s --spread 20%% --benches 20", plan);
    at = strstr(output, "Look at one: windpin");
    ck_assert_ptr_nonnull(at);
    snprintf(command, sizeof command, TEST_TOOL "%s", at + strlen("Look at one: windpin"));
    command[strcspn(command, "\n")] = '\0';
    ck_assert_int_eq(run_command(output, sizeof output, "%s", command), 1);
    ck_assert_msg(strstr(output, "pump current below 1.3A by 1s  missed") != NULL, "%s", output);
}
END_TEST

/* Two lines that stall in each of three rounds: a bench counts once for each. */
START_TEST(a_line_counts_once_a_bench) {
    const char *plan =
        write_file("rounds.plan", "main on\nfault pump stalled\nrepeat 3\n  pump ramp "
                                  "30% in 1s\n  pump hold 500ms\n  pump stop\nend\n");
    tool(1, SAYS("0 of 4 ran as asked", " not on 4, e.g. seed 1"),
         "run " RIG " %s --spread 10%% --benches 4", plan);
    for (const char *at = output; (at = strstr(at, " not on ")) != NULL; at++) {
        ck_assert_msg(atoi(at + 8) <= 4, "%s", output);
    }
}
END_TEST

START_TEST(what_makes_no_sense_is_refused) {
    tool(2, SAYS("--benches needs how far they are off"), "run " RIG " " PLAN " --benches 3");
    tool(2, SAYS("--spread 60%: expected 0% to 50%"), "run " RIG " " PLAN " --spread 60%%");
    tool(2, SAYS("--benches '0': expected a whole number, 1 to 10000"),
         "run " RIG " " PLAN " --spread 6%% --benches 0");
    tool(2, SAYS("no one trace or picture"),
         "run " RIG " " PLAN " --spread 6%% --benches 3 --trace %s", scratch("x.csv"));
    tool(2, SAYS("--spread is for simulated hardware"), "run " RIG " " PLAN " --real --spread 6%%");
}
END_TEST

int main(void) {
    Suite *suite = suite_create("benches");
    TCase *tests = tcase_create("benches");
    tcase_set_timeout(tests, 0);
    tcase_add_test(tests, many_are_those_of_their_seeds);
    tcase_add_test(tests, each_constant_is_off_by_no_more);
    tcase_add_test(tests, a_regulated_drum_holds_whatever_its_parts);
    tcase_add_test(tests, the_worst_can_be_looked_at);
    tcase_add_test(tests, a_line_counts_once_a_bench);
    tcase_add_test(tests, what_makes_no_sense_is_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
