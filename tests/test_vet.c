/* What vetting says and what the simulated bench does must agree: every rule that predicts damage,
 * a dead load or motion by itself is shown on a bad rig that is refused, run all the same on
 * purpose, and seen to fail for that very reason; the mended rig passes both. With --table it
 * prints what it saw. */
#define _GNU_SOURCE
#include "support_vet.h"

START_TEST(what_is_vetted_happens) {
    const char *rule = bad_rigs[_i].rule, *part = bad_rigs[_i].part;
    const char *bad = write_file("bad.yaml", bad_rigs[_i].bad),
               *plan = write_file("p.plan", bad_rigs[_i].plan);
    ck_assert_msg(refuses(bad_rigs[_i].bad, bad, plan, rule, part), "%s is not refused:\n%.4000s",
                  rule, output);
    ck_assert_int_eq(tool("run", bad, plan), 2);
    ck_assert_msg(strstr(output, "nothing was run") != NULL, "%s", output);
    const char *accepted = accepting(bad_rigs[_i].bad, bad, plan);
    int status = tool("run", accepted, plan);
    bool recorded = strstr(output, "Accepted in the rig") != NULL;
    bench_only();
    ck_assert_msg(strstr(output, bad_rigs[_i].says) != NULL,
                  "%s: the bench does not say \"%s\":\n%.4000s", rule, bad_rigs[_i].says, output);
    ck_assert_msg(status == 2 || recorded, "%s", output);
    const char *good = write_file("good.yaml", bad_rigs[_i].good);
    ck_assert_msg(tool("vet", good, plan) == 0, "%s mended is refused:\n%.4000s", rule, output);
    tool("run", good, plan);
    ck_assert_msg(strstr(output, bad_rigs[_i].says) == NULL,
                  "%s mended still says \"%s\":\n%.4000s", rule, bad_rigs[_i].says, output);
}
END_TEST

/* False alarms count too: the demo's rigs and others, each of another make, pass and work, as do
 * the mended ones above. */
START_TEST(sound_rigs_pass) {
    static const char *const sound[] = {
        "demo/honey-pump",   "demo/honey-house",    "tests/sound/trolley",  "tests/sound/melter",
        "tests/sound/light", "tests/sound/shutter", "tests/sound/cupboard", "tests/sound/belt"};
    for (size_t i = 0; i < sizeof sound / sizeof *sound; i++) {
        char rig[300], plan[300];
        snprintf(rig, sizeof rig, TEST_SOURCE "/%s.yaml", sound[i]);
        snprintf(plan, sizeof plan, TEST_SOURCE "/%s.plan", sound[i]);
        ck_assert_msg(tool("vet", rig, plan) == 0, "%.4000s", output);
        ck_assert_msg(strstr(output, "0 refused, 0 with caution") != NULL &&
                          strstr(output, "[ ] 1  All supplies off") != NULL,
                      "%.4000s", output);
        ck_assert_msg(tool("run", rig, plan) == 0 && strstr(output, "Burnt: nothing.") != NULL &&
                          strstr(output, ", 0 not") == NULL && strstr(output, " not.") == NULL,
                      "%.4000s", output);
    }
}
END_TEST

/* The same pump on every kind of stage there is: nothing to refuse, and it does what is asked. */
START_TEST(a_pump_on_every_kind_of_stage_passes) {
    size_t count;
    const wpin_stage_kind *kind = &wpin_stage_kinds(&count)[_i];
    char pins[200] = "", stage[300], text[2000];
    if (kind->direct) {
        return; /* no pin drives a pump */
    }
    for (unsigned l = 0; l < kind->table->line_count; l++) {
        size_t used = strlen(pins);
        snprintf(pins + used, sizeof pins - used, "%s%s: %u", l == 0 ? "" : ", ", kind->lines[l],
                 4 + l);
    }
    bool ramps = wpin_stage_kind_takes_duty(kind);
    bool pulses = wpin_logic_of(kind->logic)->pulses;
    bool phases = wpin_stage_kind_is_three_phase(kind);
    snprintf(stage, sizeof stage, "kind: %s, pins: {%s}%s", kind->name, pins,
             wpin_stage_kind_has_pwm(kind) && !pulses ? ", pwm: 20kHz" : "");
    snprintf(text, sizeof text, RIG(FIVE, MAIN(""), "%s", DRIVER(""), "%s", "%s    rest: %s\n"),
             stage,
             kind->coils ? STEPPER("start-rate: 80steps/s, top-rate: 240steps/s, ramp: 400steps/s2")
             : phases    ? MOTOR(", pole-pairs: 2") "\n    hall: {pins: {a: 14, b: 15, c: 16}}"
                         : MOTOR(""),
             ramps ? "    ramp: {up: 300ms, down: 300ms}\n" : "", kind->coils ? "0s" : "2s");
    const char *rig = write_file("kind.yaml", text);
    const char *plan = write_file("kind.plan", kind->coils ? "pump turn 90deg\npump release\n"
                                                           : "pump on\npump hold 1s\npump off\n");
    ck_assert_msg(tool("vet", rig, plan) == 0, "%s: %.3000s", kind->name, output);
    ck_assert_msg(tool("run", rig, plan) == 0, "%s: %.3000s", kind->name, output);
}
END_TEST

/* A rig and a plan vetted and, if nothing is refused, run. */
typedef struct tried {
    wpin_rig *rig;
    wpin_plan *plan;
    wpin_vetting *vetting;
    wpin_report *report; /* NULL: refused */
} tried;

static void let_go(tried *t) {
    wpin_report_free(t->report);
    wpin_vetting_free(t->vetting);
    wpin_plan_free(t->plan);
    wpin_rig_free(t->rig);
}

/* False when the files themselves do not hold. */
static bool try_out(tried *t, const char *text, const char *plan_path) {
    wpin_messages m = {0};
    char why[300];
    wpin_status refused;
    wpin_session_options options = {0};
    *t = (tried){.rig = wpin_rig_read(write_file("any.yaml", text), &m)};
    t->plan = t->rig != NULL ? wpin_plan_read(plan_path, t->rig, &m) : NULL;
    t->vetting = t->plan != NULL ? wpin_vet(t->rig, t->plan, NULL) : NULL;
    ck_assert_msg((t->vetting != NULL) == (m.count == 0), "%zu messages", m.count);
    wpin_messages_free(&m);
    if (t->vetting != NULL && t->vetting->refusals == 0) {
        t->report = wpin_rehearse(t->rig, t->plan, &options, &refused, why, sizeof why);
        ck_assert_msg(t->report != NULL, "%s\n%s", why, text);
        ck_assert_msg(t->report->burn_count == 0, "%s: %s\n%s", t->report->burns[0].part,
                      t->report->burns[0].reason, text);
    }
    return t->vetting != NULL;
}

/* The other way round: what vetting lets pass does its work and survives, a stall too. */
START_TEST(what_passes_survives) {
    const char *plan = write_file(
        "survives.plan", "pump ramp 100%\npump hold 3s\npump stop\npump ramp reverse 100%\n"
                         "pump hold 1s\nfault pump stalled\npump hold 1s\nmend pump stalled\n"
                         "pump stop\n");
    char path[300];
    snprintf(path, sizeof path, "%s", plan);
    int passed = 0;
    pick_seed((uint32_t)_i * 31 + 7);
    for (int n = 0; n < 40; n++) {
        const char *text = random_rig();
        tried t;
        ck_assert_msg(try_out(&t, text, path), "%s", text);
        if (t.report != NULL) {
            const wpin_step_result *held = &t.report->steps[1];
            ck_assert_msg(held->verdict != WPIN_VERDICT_BAD || t.report->event_count > 0, "%s\n%s",
                          held->words, text);
            bool warned = false;
            for (size_t i = 0; i < t.vetting->count; i++) {
                warned = warned || strcmp(t.vetting->findings[i].rule->name, "brown-out") == 0;
            }
            ck_assert_msg(warned || t.report->result != WPIN_FAULT_RESET, "reset\n%s", text);
            passed++;
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 1);
    ck_assert_int_le(passed, 39);
}
END_TEST

static void none_is_bad(const tried *t, const char *text) {
    for (size_t i = 0; t->vetting->cautions == 0 && i < t->report->step_count; i++) {
        ck_assert_msg(t->report->steps[i].verdict != WPIN_VERDICT_BAD, "%s: %s\n%s",
                      t->report->steps[i].text, t->report->steps[i].words, text);
    }
}

START_TEST(what_else_passes_works) {
    int passed = 0;
    pick_seed((uint32_t)_i * 17 + 3);
    for (int n = 0; n < 40; n++) {
        const char *text = random_other(n % 3);
        const char *plan = write_file(
            "else.plan", n % 3 == 2 ? "pump ramp 100%\npump hold 2s\npump ramp 30%\npump hold 3s\n"
                                      "pump stop\n"
                                    : "pump on\nwait 500ms\npump hold 6s\npump off\n");
        tried t;
        ck_assert_msg(try_out(&t, text, plan), "%s", text);
        if (t.report != NULL) {
            none_is_bad(&t, text);
            passed++;
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 3);
    ck_assert_int_le(passed, 37);
}
END_TEST

static const char *const makes[] = {"trolley", "melter", "light", "shutter", "cupboard", "belt"};
enum { MAKES = sizeof makes / sizeof *makes };

/* One to three figures of a rig's words made up to six times larger or smaller. */
static void change_figures(char *text, size_t size) {
    for (unsigned changes = 1 + pick(3); changes > 0; changes--) {
        char *at = text + pick((uint32_t)strlen(text));
        at += strcspn(at, "0123456789");
        while (*at != '\0' &&
               (strchr(" :{", at[-1]) == NULL || at[strspn(at, "0123456789.")] <= ',')) {
            at += strspn(at, "0123456789.");
            at += strcspn(at, "0123456789");
        }
        char *end, rest[4000];
        double value = strtod(at, &end) * between(1.0 / 6, 6);
        snprintf(rest, sizeof rest, "%s", end);
        if (*at != '\0' && value > 1e-4 && value < 1e5) {
            snprintf(at, size - (size_t)(at - text), "%.4f%s", value, rest);
        }
    }
}

/* Sound rigs of every make with their figures changed: what still passes does not burn and does
 * what is asked. */
START_TEST(changed_makes_agree_too) {
    char path[300], plan[300], text[4000];
    snprintf(path, sizeof path, TEST_SOURCE "/tests/sound/%s.yaml", makes[_i]);
    snprintf(plan, sizeof plan, TEST_SOURCE "/tests/sound/%s.plan", makes[_i]);
    int passed = 0, refused = 0;
    pick_seed((uint32_t)_i + 23);
    for (int n = 0; n < 24; n++) {
        FILE *file = fopen(path, "r");
        ck_assert_ptr_nonnull(file);
        text[fread(text, 1, sizeof text - 1, file)] = '\0';
        fclose(file);
        change_figures(text, sizeof text);
        tried t;
        if (try_out(&t, text, plan)) {
            passed += t.report != NULL;
            refused += t.report == NULL;
            if (t.report != NULL) {
                none_is_bad(&t, text);
            }
        }
        let_go(&t);
    }
    ck_assert_int_ge(passed, 5);
    ck_assert_int_ge(refused, 1);
}
END_TEST

START_TEST(the_list_of_rules_is_up_to_date) {
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " vet --rules | diff - " TEST_SOURCE "/docs/rules.md"),
                     0);
}
END_TEST

START_TEST(outputs_in_parallel_carry_more) {
    const char *plan = write_file("p.plan", GO);
    for (int n = 1; n <= 2; n++) {
        char text[2000];
        snprintf(text, sizeof text, "%s",
                 RIG(FIVE, MAIN(""), CHIP,
                     "on-resistance: 100mohm, current-limit: 5A, voltage-limit: 30V, parallel: 1",
                     MOTOR(""), HABITS));
        strstr(text, "parallel: ")[10] = (char)('0' + n);
        ck_assert_int_eq(tool("vet", write_file("parallel.yaml", text), plan), n == 1 ? 1 : 0);
    }
}
END_TEST

/* Speed at which the estimated current at half duty makes the torque that friction takes, rpm. */
static double estimated_rpm(const wpin_rig *rig) {
    const wpin_rig_load *l = &rig->loads[0];
    double low = 0, high = 2000;
    for (int i = 0; i < 50; i++) {
        double w = (low + high) / 2;
        bool faster =
            l->motor.constant * wpin_rig_mean_amps(rig, l, 0.5, w) > l->motor.dry_friction;
        *(faster ? &low : &high) = w;
    }
    return low * 30 / 3.14159265358979;
}

/* Four stages, field-effect and bipolar, each at two frequencies. */
static wpin_rig *staged(int number, const char *const *hz, wpin_messages *m) {
    static const char *const stages[] = {
        "kind: direction-pwm-shorting, pins: {direction: 4, pwm: 6}, pwm: ",
        "kind: direction-pwm-standby, pins: {standby: 4, direction: 5, pwm: 6}, pwm: ",
        "kind: half-bridges, pins: {enable: 4, a: 5, b: 6}, pwm: ",
        "kind: low-side-switch, pins: {gate: 4}, pwm: "};
    static const char *const drivers[] = {"", ", saturation: 0.7V"};
    char stage[100], text[2000];
    snprintf(stage, sizeof stage, "%s%s", stages[number / 4], hz[number % 2]);
    snprintf(text, sizeof text,
             RIG(FIVE, MAIN(""), "%s", DRIVER("%s"),
                 "motor: {resistance: 4ohm, inductance: 3mH, constant: 30mNm/A, inertia: 40gcm2, "
                 "static-friction: 4mNm, dry-friction: 3mNm}",
                 HABITS),
             stage, drivers[number / 2 % 2]);
    wpin_rig *rig = wpin_rig_read(write_file("e.yaml", text), m);
    ck_assert_msg(rig != NULL, "%s", m->count > 0 ? m->items[0].text : "");
    return rig;
}

/* A bipolar switch loses volts with the current, its diode against it. */
START_TEST(an_estimated_speed_is_that_of_the_bench) {
    static const char *const hz[] = {"300Hz", "20kHz"};
    wpin_messages m = {0};
    wpin_rig *rig = staged(_i, hz, &m);
    wpin_plan *plan =
        wpin_plan_read(write_file("e.plan", "pump ramp 50%\npump hold 4s\npump stop\n"), rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    double rpm = r->steps[1].rpm, expected = estimated_rpm(rig);
    ck_assert_msg(fabs(rpm - expected) < 0.03 * expected, "%d: %g rpm, estimated %g", _i, rpm,
                  expected);
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

/* By the tips of its current, and by their mean. */
START_TEST(an_estimated_start_is_that_of_the_bench) {
    static const char *const hz[] = {"5kHz", "20kHz"};
    wpin_messages m = {0};
    wpin_rig *rig = staged(_i, hz, &m);
    const wpin_rig_load *l = &rig->loads[0];
    wpin_at_shaft shaft = wpin_part_at_shaft(&l->motor);
    double k = l->motor.constant, switches = wpin_rig_single_switch(l->kind) ? 1 : 2;
    double expected =
        wpin_rig_duty_for(l, shaft.holds / k, shaft.drags / k, rig->supplies[0].volts,
                          rig->supplies[0].resistance, switches * l->bridge.on_resistance);
    wpin_found found;
    char why[300];
    ck_assert_msg(wpin_find_start(rig, 0, &found, why, sizeof why), "%s", why);
    ck_assert_msg(fabs(found.start_duty - expected) < 0.004 + 0.03 * expected,
                  "%d: starts at %.3g %%, estimated %.3g %%", _i, found.start_duty * 100,
                  expected * 100);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

/* Every rule with a consequence that can be seen has its row. */
START_TEST(every_such_rule_has_a_row) {
    const wpin_vet_rule *rule;
    for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
        bool shown = rule->effect == WPIN_EFFECT_ADVICE;
        for (size_t r = 0; r < BAD_RIGS; r++) {
            shown = shown || strcmp(bad_rigs[r].rule, rule->name) == 0;
        }
        ck_assert_msg(shown, "%s has no row", rule->name);
    }
}
END_TEST

START_TEST(print_table) {
    printf("# Vetting and the bench\n\nEach rule that predicts more than wear, on a bad rig: what "
           "vetting calls "
           "it, and what the simulated bench\nthen says when it is run all the same. The mended "
           "rig passes both. "
           "Made by `tests/test_vet --table`.\n\n| rule | predicted | seen on the bench "
           "|\n|---|---|---|\n");
    const wpin_vet_rule *rule;
    for (size_t r = 0; r < BAD_RIGS; r++) {
        const char *plan = write_file("p.plan", bad_rigs[r].plan);
        const char *bad = write_file("bad.yaml", bad_rigs[r].bad);
        tool("run", accepting(bad_rigs[r].bad, bad, plan), plan);
        bench_only();
        char *seen = strstr(output, bad_rigs[r].says),
             *end = seen != NULL ? strchr(seen, '\n') : NULL;
        for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
            if (strcmp(rule->name, bad_rigs[r].rule) == 0) {
                printf("| `%s` | %s | %.*s |\n", rule->name, wpin_effect_word(rule->effect),
                       end != NULL ? (int)(end - seen) : 0, seen != NULL ? seen : "");
            }
        }
    }
}
END_TEST

int main(int argc, char **argv) {
    if (argc > 1 && strcmp(argv[1], "--table") == 0) {
        Suite *table = suite_create("table");
        TCase *one = tcase_create("table");
        tcase_add_test(one, print_table);
        suite_add_tcase(table, one);
        return run_silent(table);
    }
    Suite *suite = suite_create("vet");
    TCase *tests = tcase_create("all");
    tcase_add_loop_test(tests, what_is_vetted_happens, 0, BAD_RIGS);
    tcase_add_test(tests, every_such_rule_has_a_row);
    tcase_add_loop_test(tests, an_estimated_speed_is_that_of_the_bench, 0, 16);
    tcase_add_loop_test(tests, an_estimated_start_is_that_of_the_bench, 0, 16);
    tcase_add_test(tests, sound_rigs_pass);
    size_t kinds;
    wpin_stage_kinds(&kinds);
    tcase_add_loop_test(tests, a_pump_on_every_kind_of_stage_passes, 0, (int)kinds);
    tcase_add_loop_test(tests, what_passes_survives, 0, 6);
    tcase_add_loop_test(tests, what_else_passes_works, 0, 6);
    tcase_add_loop_test(tests, changed_makes_agree_too, 0, MAKES);
    tcase_add_test(tests, the_list_of_rules_is_up_to_date);
    tcase_add_test(tests, outputs_in_parallel_carry_more);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
