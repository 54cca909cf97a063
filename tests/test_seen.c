/* What a run comes to by the controller's own measurements: the right words from them alone, and
 * none where nothing is wrong. */
#include "support.h"
#include "windpin/host/rehearsal.h"
#include <string.h>

#define DEMO(name) TEST_SOURCE "/demo/" name

static wpin_rig *rig_of(const char *path) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_msg(rig != NULL, "%s: %s", path, m.count > 0 ? m.items[0].text : "?");
    wpin_messages_free(&m);
    return rig;
}

static wpin_spell spell(double since, double lasted, double worst) {
    return (wpin_spell){.since = since, .lasted = lasted, .total = lasted, .worst = worst};
}

START_TEST(words_follow_from_what_is_measured) {
    enum { NONE = WPIN_SIGN_NO_CURRENT, STALL = WPIN_SIGN_STALL_CURRENT };
    enum { STILL = WPIN_SIGN_STILL, BACK = WPIN_SIGN_BACKWARDS };
    struct {
        bool current, speed;
        double none, stall, still, back; /* s */
        wpin_seen_verdict verdict;
        const char *words;
    } rows[] = {
        {false, false, 0, 0, 0, 0, WPIN_SEEN_UNMEASURED, "no current sense and no encoder"},
        {true, false, 0, 0, 0, 0, WPIN_SEEN_FINE, "which way it turns is not measured"},
        {true, true, 0, 0, 0, 0, WPIN_SEEN_FINE, "its encoder and its current show, as asked"},
        {true, false, 2, 0, 0, 0, WPIN_SEEN_TROUBLE, "no current sensed from 1.00 s for 2.00 s"},
        {true, false, 0, 2, 0, 0, WPIN_SEEN_TROUBLE, "whether it turns is not measured"},
        {true, false, 0, 0.05, 0, 0, WPIN_SEEN_FINE, "as asked"}, /* it speeds up */
        {true, true, 0, 2, 2, 0, WPIN_SEEN_TROUBLE, "3.5 A of a standing motor: blocked"},
        {true, true, 2, 0, 2, 0, WPIN_SEEN_TROUBLE, "without current: supply 'main' off"},
        {true, true, 0, 0, 2, 0, WPIN_SEEN_TROUBLE, "its encoder's supply, wires or pins"},
        {false, true, 0, 0, 2, 0, WPIN_SEEN_TROUBLE, "its current is not measured: blocked"},
        {true, true, 0, 0, 0, 2, WPIN_SEEN_TROUBLE, "the wrong way from 1.00 s for 2.00 s"},
        {true, true, 0, 2, 2, 2, WPIN_SEEN_TROUBLE, "turning the wrong way"},
    };
    wpin_rig *rig = rig_of(DEMO("honey-pump.yaml"));
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_seen seen = {.current = rows[i].current, .speed = rows[i].speed, .driven = 4};
        seen.signs[NONE] = spell(1, rows[i].none, 0.001);
        seen.signs[STALL] = spell(1, rows[i].stall, 3.5);
        seen.signs[STILL] = spell(1, rows[i].still, 0);
        seen.signs[BACK] = spell(1, rows[i].back, 85);
        char words[400];
        ck_assert_msg(wpin_seen_judge(rig, 0, &seen, words, sizeof words) == rows[i].verdict,
                      "row %zu: %s", i, words);
        ck_assert_msg(strstr(words, rows[i].words) != NULL, "row %zu: %s", i, words);
    }
    /* a wrong scale, and the figure that it ought to be */
    static const struct {
        const char *rig;
        wpin_sign sign;
        const char *words;
    } scales[] = {
        {DEMO("honey-spinner.yaml"), WPIN_SIGN_TWICE, "'pole-pairs: 4' in the rig ought to be 8"},
        {DEMO("honey-spinner.yaml"), WPIN_SIGN_HALF, "'pole-pairs: 4' in the rig ought to be 2"},
        {DEMO("honey-drum.yaml"), WPIN_SIGN_TWICE, "'lines: 11' in the rig ought to be 22"},
    };
    for (size_t i = 0; i < sizeof scales / sizeof *scales; i++) {
        wpin_rig *other = rig_of(scales[i].rig);
        wpin_seen seen = {.current = true, .speed = true, .driven = 8};
        char said[400];
        seen.signs[scales[i].sign] = spell(1, 6, 90);
        ck_assert_int_eq(wpin_seen_judge(other, 0, &seen, said, sizeof said), WPIN_SEEN_TROUBLE);
        ck_assert_msg(strstr(said, scales[i].words) != NULL, "%s", said);
        wpin_rig_free(other);
    }
    wpin_seen gaps = {.current = true, .driven = 4};
    gaps.signs[NONE] = (wpin_spell){.since = 1, .lasted = 0.3, .total = 2};
    char words[400];
    wpin_seen_judge(rig, 0, &gaps, words, sizeof words);
    ck_assert_msg(strstr(words, "for 50 % of its time, again and again") != NULL, "%s", words);
    wpin_rig_free(rig);
}
END_TEST

/* Runs a plan; what the steps of its first load come to, the worst of them. */
static wpin_seen_verdict seen_of(const char *rig_path, const char *plan_path, char *words,
                                 size_t size) {
    wpin_messages m = {0};
    wpin_rig *rig = rig_of(rig_path);
    wpin_plan *plan = wpin_plan_read(plan_path, rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : plan_path);
    wpin_session_options options = {0};
    wpin_status refused;
    char why[300];
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(r != NULL, "%s", why);
    wpin_seen_verdict worst = WPIN_SEEN_FINE;
    snprintf(words, size, "fine");
    for (size_t i = 0; i < r->step_count; i++) {
        char now[400];
        if (r->steps[i].load < 0 || r->steps[i].seen.driven <= 0) {
            continue;
        }
        wpin_seen only = r->steps[i].seen; /* all else of the record is gone */
        wpin_seen_verdict v = wpin_seen_judge(rig, r->steps[i].load, &only, now, sizeof now);
        if (v == WPIN_SEEN_TROUBLE && worst != WPIN_SEEN_TROUBLE) {
            worst = v;
            snprintf(words, size, "%s", now);
        }
    }
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return worst;
}

START_TEST(a_run_with_a_fault_is_told_by_its_sensors) {
    static const char pump[] = "main on\npump ramp 60%% in 1.5s\n%s\npump hold 3s\npump stop\n";
    static const struct {
        const char *rig, *plan, *fault, *words; /* words NULL: its sensors show nothing */
    } rows[] = {
        {DEMO("honey-pump.yaml"), pump, "wait 1s", NULL},
        {DEMO("honey-pump.yaml"), pump, "fault pump stalled", "blocked, at an end stop"},
        {DEMO("honey-pump.yaml"), pump, "fault pump motor-wire-off", "no current sensed from 1.5"},
        {DEMO("honey-pump.yaml"), pump, "fault main dead", "no current sensed from 1.5"},
        {DEMO("honey-pump.yaml"), pump, "fault pump wire-off pwm", "no current sensed from 1.5"},
        {DEMO("honey-pump.yaml"), pump, "fault pump motor-swapped", NULL}, /* it has no encoder */
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char text[400], words[400];
        snprintf(text, sizeof text, rows[i].plan, rows[i].fault);
        wpin_seen_verdict v =
            seen_of(rows[i].rig, write_file("seen.plan", text), words, sizeof words);
        ck_assert_msg((v == WPIN_SEEN_TROUBLE) == (rows[i].words != NULL), "%s: %s", rows[i].fault,
                      words);
        ck_assert_msg(rows[i].words == NULL || strstr(words, rows[i].words) != NULL, "%s: %s",
                      rows[i].fault, words);
    }
}
END_TEST

/* It truly runs as asked. A bench of real parts would say otherwise, and so does the verdict. */
START_TEST(a_sensor_that_lies_is_not_fine) {
    static const char *const faults[] = {"wait 1ms", "fault drum encoder-swapped",
                                         "fault drum encoder-off"};
    for (size_t i = 0; i < sizeof faults / sizeof *faults; i++) {
        char text[200], why[300];
        wpin_messages m = {0};
        wpin_status refused;
        snprintf(text, sizeof text, "main on\ndrum ramp 50%%\n%s\ndrum hold 2s\ndrum stop\n",
                 faults[i]);
        wpin_rig *rig = rig_of(DEMO("honey-motor.yaml"));
        wpin_plan *plan = wpin_plan_read_text("lies", text, rig, &m);
        ck_assert_ptr_nonnull(plan);
        wpin_report *r =
            wpin_rehearse(rig, plan, &(wpin_session_options){0}, &refused, why, sizeof why);
        ck_assert_ptr_nonnull(r);
        ck_assert_int_eq(r->bad, i != 0);
        ck_assert_int_eq(r->steps[3].verdict, i == 0 ? WPIN_VERDICT_OK : WPIN_VERDICT_BAD);
        ck_assert_int_eq(
            strcmp(r->steps[3].words, "as asked, though its controller measures otherwise") == 0,
            i != 0);
        wpin_report_free(r);
        wpin_plan_free(plan);
        wpin_rig_free(rig);
    }
}
END_TEST

START_TEST(nothing_is_told_where_nothing_is_wrong) {
    static const char *const rows[][2] = {
        {DEMO("honey-pump.yaml"), DEMO("honey-pump.plan")},
        {DEMO("honey-drum.yaml"), DEMO("honey-drum.plan")},
        {DEMO("honey-house.yaml"), DEMO("honey-dial.plan")},
        {DEMO("honey-spinner.yaml"), DEMO("honey-drum.plan")},
        {DEMO("honey-fan.yaml"), DEMO("honey-fan.plan")},
        {DEMO("honey-airing.yaml"), DEMO("honey-airing.plan")},
        {DEMO("honey-gate.yaml"), DEMO("honey-gate.plan")},
        {DEMO("honey-lid.yaml"), DEMO("honey-lid.plan")},
        {DEMO("honey-cabinet.yaml"), DEMO("honey-cabinet.plan")},
        {DEMO("honey-house.yaml"), DEMO("honey-house.plan")},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char words[400];
        ck_assert_msg(seen_of(rows[i][0], rows[i][1], words, sizeof words) == WPIN_SEEN_FINE,
                      "%s: %s", rows[i][1], words);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("seen");
    TCase *tests = tcase_create("seen");
    tcase_add_test(tests, words_follow_from_what_is_measured);
    tcase_add_test(tests, a_run_with_a_fault_is_told_by_its_sensors);
    tcase_add_test(tests, a_sensor_that_lies_is_not_fine);
    tcase_add_test(tests, nothing_is_told_where_nothing_is_wrong);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
