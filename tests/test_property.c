/* Random plans on the honey house: whatever the plan and whatever the fault, the run ends with
 * every load at zero duty, every figure is a number, and sound hardware survives any plan. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

typedef struct writer {
    char text[6000];
    const wpin_rig *rig;
} writer;

static void put(writer *w, const char *format, ...) __attribute__((format(printf, 2, 3)));

static void put(writer *w, const char *format, ...) {
    size_t used = strlen(w->text);
    va_list words;
    va_start(words, format);
    vsnprintf(w->text + used, sizeof w->text - used, format, words);
    va_end(words);
}

static const char *way(const wpin_rig_load *load) {
    bool both = wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
    return both && pick(2) ? "reverse " : "forward ";
}

static int duty(const wpin_rig_load *load) {
    int least = (int)ceil(load->limits.start_duty * 100), most = (int)(load->limits.duty_max * 100);
    return least + 1 + (int)pick((uint32_t)(most - least));
}

/* One action that the load's stage can do. */
static void put_action(writer *w, size_t load) {
    const wpin_rig_load *l = &w->rig->loads[load];
    bool takes = wpin_stage_kind_takes_duty(l->kind);
    uint32_t ms = 1 + pick(600);
    if (wpin_rig_type(l)->steps) {
        static const char *const ways[] = {"turn ", "turn reverse ", "turn to ", "turn to -"};
        put(w, "%s %s%udeg\n", l->name, ways[pick(4)], 1 + pick(200));
        return;
    }
    if (takes && pick(6) == 0) {
        put(w, "dial turn %u%%\n%s follow dial for %ums\n", pick(101), l->name, ms);
        return;
    }
    switch (pick(7)) {
    case 0: put(w, "%s stop%s\n", l->name, takes && pick(2) ? " in 300ms" : ""); break;
    case 1: put(w, "%s rest %ums\n", l->name, ms); break;
    case 2:
        put(w, "%s %s %ums\n", l->name,
            wpin_stage_kind_has(l->kind, WPIN_DRIVE_BRAKE) ? "brake" : "rest", ms);
        break;
    case 3: put(w, "%s on %sfor %ums\n", l->name, way(l), ms); break;
    case 4: put(w, "%s toggle\n", l->name); break;
    default:
        if (takes) {
            put(w, "%s ramp %s%d%%", l->name, way(l), duty(l));
            put(w, pick(2) ? " in %ums\n" : "\n", ms);
        } else {
            put(w, "%s pulse %ums\n", l->name, ms);
        }
        put(w, "wait %ums\n", ms);
    }
}

static void put_plan(writer *w) {
    put(w, "main on\n");
    for (uint32_t n = 2 + pick(6); n > 0; n--) {
        if (pick(3) != 0) {
            put_action(w, pick((uint32_t)w->rig->load_count));
            continue;
        }
        put(w, "parallel\n"); /* a track for each of some loads */
        for (size_t i = 0; i < w->rig->load_count; i++) {
            put(w, "track\nwait %ums\n", 1 + pick(200));
            put_action(w, i);
            put(w, pick(2) ? "repeat 2\nwait 20ms\nend\nend\n" : "end\n");
        }
        put(w, "end\n");
    }
    for (size_t i = 0; i < w->rig->load_count; i++) {
        put(w, "%s stop\n", w->rig->loads[i].name);
    }
}

static bool sane(double value) {
    return isfinite(value) && fabs(value) < 1e6;
}

static wpin_report *run(writer *w, const wpin_session_options *options, wpin_plan **plan) {
    wpin_messages m = {0};
    *plan = wpin_plan_read(write_file("random.plan", w->text), w->rig, &m);
    ck_assert_msg(*plan != NULL, "%u: %s in\n%s", m.count ? m.items[0].line : 0,
                  m.count ? m.items[0].text : "", w->text);
    wpin_status refused;
    char why[400];
    wpin_report *report = wpin_rehearse(w->rig, *plan, options, &refused, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *s = &report->steps[i];
        ck_assert(sane(s->duty) && sane(s->volts) && sane(s->rpm) && sane(s->amps_peak));
        ck_assert(sane(s->at) && s->took >= 0 && s->words[0] != '\0');
    }
    for (size_t i = 0; i < w->rig->load_count; i++) {
        ck_assert(sane(report->amps_peak[i]) && sane(report->rpm_peak[i]));
    }
    return report;
}

static wpin_rig *house(void) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(TEST_SOURCE "/demo/honey-house.yaml", &m);
    ck_assert_msg(rig != NULL, "%s", m.count ? m.items[0].text : "");
    return rig;
}

/* How many of each seed: WPIN_PLANS, or a few. */
static int plans(void) {
    const char *asked = getenv("WPIN_PLANS");
    return asked != NULL ? atoi(asked) : 3;
}

START_TEST(sound_hardware_survives_any_plan) {
    wpin_rig *rig = house();
    pick_seed((uint32_t)_i * 77 + 1);
    for (int n = 0; n < plans(); n++) {
        writer w = {.rig = rig};
        wpin_plan *plan;
        wpin_session_options options = {0};
        put_plan(&w);
        wpin_report *report = run(&w, &options, &plan);
        ck_assert_msg(report->burn_count == 0, "%s: %s in\n%s", report->burns[0].part,
                      report->burns[0].reason, w.text);
        ck_assert_msg(report->fault_count == 0, "a fault in\n%s", w.text);
        ck_assert_int_eq(report->result, WPIN_OK);
        const wpin_step_result *last = &report->steps[report->step_count - 1];
        ck_assert(last->done);
        ck_assert_double_eq(last->duty, 0);
        for (size_t i = 0; i < report->step_count; i++) { /* no step lost, no turning over early */
            ck_assert_msg(strstr(report->steps[i].words, "lost") == NULL, "%s\n%s",
                          report->steps[i].words, w.text);
        }
        wpin_report_free(report);
        wpin_plan_free(plan);
    }
    wpin_rig_free(rig);
}
END_TEST

START_TEST(any_fault_ends_in_words_and_at_zero) {
    static const char *const kinds[] = {"stalled",       "wires-swapped", "motor-wire-off",
                                        "motor-swapped", "no-ground",     "diode-reversed"};
    wpin_rig *rig = house();
    pick_seed((uint32_t)_i * 99 + 5);
    for (int n = 0; n < plans(); n++) {
        writer w = {.rig = rig};
        wpin_plan *plan;
        char fault[80], why[200];
        wpin_injection injection;
        do { /* a lamp does not stall */
            const char *load = rig->loads[pick((uint32_t)rig->load_count)].name;
            snprintf(fault, sizeof fault, "%s %s", load, kinds[pick(6)]);
            if (pick(5) == 0) {
                snprintf(fault, sizeof fault, "main %s", pick(2) ? "weak" : "dead");
            }
        } while (!wpin_injection_read(rig, fault, &injection, why, sizeof why));
        wpin_session_options options = {.faults = &injection, .fault_count = 1};
        put_plan(&w);
        wpin_report *report = run(&w, &options, &plan);
        for (size_t i = 0; i < report->burn_count; i++) {
            ck_assert_uint_gt(strlen(report->burns[i].reason), 20);
        }
        ck_assert(report->fault_count == 0 || report->bad);
        ck_assert(strstr(fault, "diode-reversed") == NULL || report->bad);
        wpin_report_free(report);
        wpin_plan_free(plan);
    }
    wpin_rig_free(rig);
}
END_TEST

/* The same rig and plan give the same figures to the last bit. */
START_TEST(runs_repeat_to_the_last_bit) {
    wpin_rig *rig = house();
    double sums[2] = {0};
    for (int n = 0; n < 2; n++) {
        pick_seed(4711);
        writer w = {.rig = rig};
        wpin_plan *plan;
        wpin_session_options options = {0};
        put_plan(&w);
        wpin_report *report = run(&w, &options, &plan);
        for (size_t i = 0; i < report->step_count; i++) {
            sums[n] += report->steps[i].rpm * (double)(i + 1) + report->steps[i].amps_peak;
        }
        wpin_report_free(report);
        wpin_plan_free(plan);
    }
    ck_assert(sums[0] == sums[1]);
    wpin_rig_free(rig);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("property");
    TCase *tests = tcase_create("property");
    tcase_add_loop_test(tests, sound_hardware_survives_any_plan, 0, 4);
    tcase_add_loop_test(tests, any_fault_ends_in_words_and_at_zero, 0, 4);
    tcase_add_test(tests, runs_repeat_to_the_last_bit);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
