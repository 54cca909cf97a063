/* Memory that runs out, at every single place: what is read, vetted or rehearsed is whole, or there
 * is none of it; nothing crashes, and no part of a bench is lost on the way. */
#include "support.h"
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>

/* ---- an allocator that fails once, or from then on (the linker puts it in front) ---- */

static long calls, fails_at; /* 0: never */
static bool fails_on, armed; /* armed: in the library's own calls, not in Check's */

static bool fails(void) {
    calls += armed;
    return armed && fails_at != 0 && (fails_on ? calls >= fails_at : calls == fails_at);
}

void *__real_malloc(size_t size);
void *__real_calloc(size_t count, size_t size);
void *__real_realloc(void *old, size_t size);
char *__real_strdup(const char *text);
int __real_vasprintf(char **to, const char *format, va_list words);
void *__wrap_malloc(size_t size);
void *__wrap_calloc(size_t count, size_t size);
void *__wrap_realloc(void *old, size_t size);
char *__wrap_strdup(const char *text);
int __wrap_vasprintf(char **to, const char *format, va_list words);

void *__wrap_malloc(size_t size) {
    return fails() ? NULL : __real_malloc(size);
}

void *__wrap_calloc(size_t count, size_t size) {
    return fails() ? NULL : __real_calloc(count, size);
}

void *__wrap_realloc(void *old, size_t size) {
    return fails() ? NULL : __real_realloc(old, size);
}

char *__wrap_strdup(const char *text) {
    return fails() ? NULL : __real_strdup(text);
}

int __wrap_vasprintf(char **to, const char *format, va_list words) {
    return fails() ? -1 : __real_vasprintf(to, format, words);
}

/* ---- what is done with it ---- */

/* Counts of all that came out; equal when nothing was lost. */
typedef struct digest {
    size_t supplies, loads, inputs, boards, accepts, faults, places;
    size_t steps, plan_faults, findings, lines, events, burns, results;
    bool whole;
} digest;

static digest count_up(const wpin_rig *rig, const wpin_plan *plan, const wpin_vetting *vetting,
                       const wpin_lines *const *lists, const wpin_report *report) {
    digest d = {.supplies = rig->supply_count,
                .loads = rig->load_count,
                .inputs = rig->input_count,
                .boards = rig->board_count,
                .accepts = rig->accept_count,
                .faults = rig->fault_count,
                .places = rig->place_count,
                .steps = plan->step_count,
                .plan_faults = plan->fault_count,
                .findings = vetting->count,
                .events = report->event_count,
                .burns = report->burn_count,
                .results = report->step_count,
                .whole = true};
    for (int i = 0; i < 3; i++) {
        d.lines += lists[i]->count;
    }
    return d;
}

/* The whole way, as far as memory lasts. */
static digest go(const char *rig_path, const char *plan_path) {
    wpin_messages messages = {0};
    wpin_report *report = NULL;
    wpin_vetting *vetting = NULL;
    wpin_lines *lists[3] = {NULL};
    digest d = {0};
    char why[300] = "out of memory";
    armed = true;
    wpin_rig *rig = wpin_rig_read(rig_path, &messages);
    wpin_plan *plan = rig != NULL ? wpin_plan_read(plan_path, rig, &messages) : NULL;
    bool read = rig != NULL && plan != NULL;
    bool said = messages.count > 0 || messages.out_of_memory;
    if (read) {
        wpin_session_options options = {.supplies_on = true};
        wpin_status refused = WPIN_OK;
        report = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
        vetting = wpin_vet(rig, plan, NULL);
        lists[0] = wpin_checklist(rig);
        lists[1] = wpin_wiring(rig);
        lists[2] = wpin_parts_list(rig);
        if (report != NULL && vetting != NULL && lists[0] && lists[1] && lists[2]) {
            d = count_up(rig, plan, vetting, (const wpin_lines *const *)lists, report);
        }
    }
    armed = false;
    ck_assert_msg(read != said, "nothing read, and not a word");
    ck_assert_msg(!read || report != NULL || strcmp(why, "out of memory") == 0, "%s", why);
    for (int i = 0; i < 3; i++) {
        wpin_lines_free(lists[i]);
    }
    wpin_vetting_free(vetting);
    wpin_report_free(report);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&messages);
    return d;
}

static const char rig_text[] =
    "rig: bench\n"
    "controller: {tick: 10ms, boot: 1ms, supply: logic}\n"
    "supplies:\n"
    "  main: {voltage: 12V, resistance: 50mohm}\n"
    "  logic: {from: main, voltage: 5V}\n"
    "boards:\n  green: {total: 3A}\n"
    "inputs:\n  start: {pin: 2}\n  dial: {analog: 3}\n  shut: {pin: 8, limit-of: pump, to: 1deg}\n"
    "loads:\n"
    "  pump:\n    supply: main\n    board: green\n"
    "    stage:\n      kind: own-table\n      pins: {left: 5, right: 6}\n      pwm: 20kHz\n"
    "      table:\n        lines: [left, right]\n        driver: two-inputs\n        rows:\n"
    "          coast: [low, low]\n          forward: [duty, low]\n          reverse: [low, duty]\n"
    "    driver: {on-resistance: 0.1ohm, current-limit: 1A, voltage-limit: 30V}\n"
    "    motor: {resistance: 2ohm, inductance: 1mH, constant: 20mNm/A, inertia: 50gcm2}\n"
    "    ramp: {up: 10ms, down: 10ms}\n    rest: 0s\n"
    "  table:\n    supply: main\n    stage: {kind: dual-bridge, pins: {a1: 20, a2: 21, b1: 22, "
    "b2: "
    "23}}\n"
    "    driver: {on-resistance: 0.1ohm, current-limit: 4A, voltage-limit: 30V}\n"
    "    stepper: {steps: 200, resistance: 10ohm, inductance: 10mH, rated: 1A, holding-torque: "
    "0.3Nm,\n"
    "      inertia: 100gcm2, stepping: {start-rate: 80steps/s, top-rate: 200steps/s, ramp: "
    "400steps/s2}}\n"
    "accept: [pump stall-current]\n"
    "faults: [start stuck]\n";

static const char plan_text[] = "main on\n"
                                "start press\n"
                                "parallel\n"
                                "  pump run 90% for 60ms\n"
                                "  track\n    fault pump stalled\n    table turn 2deg\n  end\n"
                                "end\n"
                                "repeat 2\n  pump, table stop\nend\n";

START_TEST(nothing_is_lost_when_memory_runs_out) {
    const char *rig = write_file("memory.yaml", rig_text);
    const char *plan = write_file("memory.plan", plan_text);
    calls = 0;
    digest whole = go(rig, plan);
    long all = calls;
    ck_assert_msg(whole.whole && whole.loads == 2 && whole.accepts == 1 && whole.burns == 1,
                  "%zu loads, %zu burns", whole.loads, whole.burns);
    fails_on = _i == 1;
    int short_of = 0;
    for (long n = 1; n <= all; n++) {
        calls = 0;
        fails_at = n;
        digest d = go(rig, plan);
        fails_at = 0;
        short_of += !d.whole;
        ck_assert_msg(!d.whole || memcmp(&d, &whole, sizeof d) == 0, "allocation %ld of %ld", n,
                      all);
    }
    ck_assert_int_eq(short_of, all);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("memory");
    TCase *tests = tcase_create("all");
    tcase_add_loop_test(tests, nothing_is_lost_when_memory_runs_out, 0, 2);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
