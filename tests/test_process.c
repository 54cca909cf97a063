/* What a reading makes a load do: two-point control, and regulation of a slow quantity. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/process.h>
#include <windpin/two_point.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* ---- two-point control ---- */

static wpin_two_point control;

#define RUNS      WPIN_TWO_POINT_RUNNING
#define MAY       WPIN_TWO_POINT_ALLOWED
#define REACHED   WPIN_TWO_POINT_REACHED
#define EXHAUSTED WPIN_TWO_POINT_EXHAUSTED

typedef struct reading {
    uint32_t ms; /* since the one before */
    int mv;
    bool inhibited;
    uint8_t flags;
} reading;

typedef struct course {
    wpin_two_point_config config;
    reading readings[12];
} course;

static const course courses[] = {
    /* cooling: on at 2400, off at 2100 */
    {{2400, 2100, 0, 0},
     {{1, 2300, false, MAY},
      {1, 2400, false, MAY | RUNS},
      {1, 2101, false, MAY | RUNS},
      {1, 2100, false, MAY | REACHED},
      {1, 2399, false, MAY | REACHED},
      {1, 2500, false, MAY | RUNS},
      {1, WPIN_NO_READING, false, 0},
      {1, 2300, false, MAY},
      {1, 2450, true, 0},
      {1, 2450, false, MAY | RUNS}}},
    /* filling: on at 500, off at 3000; at least 2 s between runs, and before the first */
    {{500, 3000, 2000, 0},
     {{1, 400, false, 0},
      {900, 400, false, 0},
      {1000, 400, false, 0},
      {105, 400, false, MAY | RUNS},
      {50, 3000, false, REACHED},
      {900, 400, false, 0},
      {1000, 400, false, 0},
      {120, 400, false, MAY | RUNS}}},
    /* emptying, for a minute at the most */
    {{2000, 1000, 0, 60000},
     {{1, 2500, false, MAY | RUNS},
      {59000, 2500, false, MAY | RUNS},
      {1100, 2500, false, EXHAUSTED},
      {90000, 2500, false, EXHAUSTED},
      {1, 900, false, EXHAUSTED | REACHED}}},
};

START_TEST(two_points_and_what_is_between) {
    const course *c = &courses[_i];
    wpin_moment now = 0xFFFFF000U; /* the clock wraps on the way */
    ck_assert_int_eq(wpin_two_point_init(&control, &c->config, now), WPIN_OK);
    for (size_t i = 0; i < COUNT(c->readings) && c->readings[i].ms != 0; i++) {
        const reading *r = &c->readings[i];
        now += r->ms * 1000U;
        uint8_t is = wpin_two_point_update(&control, (int16_t)r->mv, r->inhibited, now);
        ck_assert_msg(is == r->flags, "course %d, reading %zu: %u, expected %u", _i, i, is,
                      r->flags);
    }
    wpin_two_point_release(&control);
    ck_assert_uint_eq(control.flags & EXHAUSTED, 0);
}
END_TEST

/* Whatever clock and sensor do: it never runs without a reading or inhibited, never again before
 * its pause, never longer than its longest run. */
START_TEST(no_clock_shortens_a_pause) {
    pick_seed(77U + (uint32_t)_i);
    wpin_two_point_config c = {2400, 2100, 3000, 5000};
    wpin_moment now = pick(1U << 24) * 200U;
    double off_since = -1e9, on_since = 0, time = 0; /* true time, s */
    bool ran = false;
    ck_assert_int_eq(wpin_two_point_init(&control, &c, now), WPIN_OK);
    off_since = 0;
    unsigned runs = 0, jumps = 0;
    for (int i = 0; i < 300000; i++) {
        uint32_t us = 500 + pick(2000);
        time += us * 1e-6;
        now += us;
        if (pick(3000) == 0) { /* a jump, or a step back */
            bool forward = pick(2) == 0;
            now += forward ? 0x30000000U : 0U - pick(5000000U);
            jumps += forward ? 1 : 0;
        }
        bool inhibited = pick(4000) < 2, known = pick(3000) != 0;
        int mv = 2250 + (int)(260 * sin(time / 2)) + (int)pick(20);
        uint8_t is = wpin_two_point_update(&control, (int16_t)(known ? mv : WPIN_NO_READING),
                                           inhibited, now);
        bool runs_now = (is & RUNS) != 0;
        ck_assert(!runs_now || (known && !inhibited && (is & EXHAUSTED) == 0 && mv > 2100));
        if (runs_now && !ran) {
            ck_assert_msg(time - off_since >= 2.99 - 1.06 * jumps, "after %g s", time - off_since);
            on_since = time;
            runs++;
        } else if (!runs_now && ran) {
            off_since = time;
            jumps = 0;
        }
        ck_assert(!runs_now || time - on_since <= 5.1);
        if ((is & EXHAUSTED) != 0) {
            wpin_two_point_release(&control);
        }
        ran = runs_now;
    }
    ck_assert_uint_gt(runs, 20);
}
END_TEST

/* ---- regulation ---- */

static wpin_process process;

/* The law in floating point, of a reading that changes by chance. */
START_TEST(the_law_is_that_of_the_header) {
    static const wpin_process_config configs[] = {
        {1800, 600, 20000, 0, 16384, false}, {1800, 600, 1000, 0, 16384, true},
        {900, 50, 3600000, 0, 16384, false}, {2500, 30000, 5000, 0, 12000, true},
        {-400, 1000, 0, 0, 16384, true},     {1800, 7000, 60000, 0, 9000, false}};
    const wpin_process_config *c = &configs[_i];
    pick_seed(5U + (uint32_t)_i);
    wpin_moment now = 0xFFFFFF00U;
    double sum = 0, level = c->wanted_mv;
    ck_assert_int_eq(wpin_process_init(&process, c, now), WPIN_OK);
    for (int i = 0; i < 60000; i++) {
        uint32_t us = 1024 * (1 + pick(20));
        now += us;
        level += ((int)pick(2001) - 1000) / 1000.0 * c->band_mv / 40;
        level = fmin(fmax(level, c->wanted_mv - 0.8 * c->band_mv), c->wanted_mv + 0.8 * c->band_mv);
        int16_t mv = (int16_t)lround(fmin(fmax(level, -32000), 32000));
        double share = (c->raises ? c->wanted_mv - mv : mv - c->wanted_mv) / (double)c->band_mv;
        double effort = 16384 * (share + sum);
        bool beyond = (effort >= c->most && share > 0) || (effort <= 0 && share < 0);
        double expected = fmin(fmax(effort, 0), c->most);
        wpin_duty is = wpin_process_update(&process, mv, now);
        ck_assert_msg(fabs(is - expected) <= 16384 * 0.01, "row %d, %d: %d, expected %g", _i, i, is,
                      expected);
        sum += c->integral_ms != 0 && !beyond ? share * us * 1e-3 / c->integral_ms : 0;
        sum = fmin(fmax(sum, -1), 1);
        sum = process.sum / 65536.0 / 16384 + (sum - process.sum / 65536.0 / 16384) * 0.999;
    }
}
END_TEST

/* A tank that is filled by a pump and runs out: it comes to its level, stays there, and after a
 * pump that could not do it has not wound up. */
START_TEST(a_tank_comes_to_its_level) {
    wpin_process_config c = {2000, 500, 8000, 2500, 16384, true};
    wpin_moment now = 0;
    double level = 500, worst = 0;
    ck_assert_int_eq(wpin_process_init(&process, &c, now), WPIN_OK);
    for (int ms = 0; ms < 200000; ms += 10) {
        now += 10000;
        double out = ms < 100000 ? 60 : (ms < 140000 ? 400 : 90); /* mV a second */
        wpin_duty duty = wpin_process_update(&process, (int16_t)lround(level), now);
        ck_assert(duty == 0 || (duty >= 2500 && duty <= 16384));
        level = fmax(level + 0.01 * (200 * duty / 16384.0 - out), 0);
        if (ms > 80000 && ms < 100000) {
            worst = fmax(worst, fabs(level - 2000));
        }
    }
    ck_assert_msg(worst < 5, "off by %g mV", worst);
    ck_assert_msg(fabs(level - 2000) < 60, "at %g mV after an outflow that no pump could fill",
                  level);
    ck_assert_int_eq(wpin_process_update(&process, WPIN_NO_READING, now + 1000), 0);
}
END_TEST

START_TEST(what_makes_no_sense_is_refused) {
    const wpin_two_point_config none = {2000, 2000, 0, 0}, silent = {WPIN_NO_READING, 3, 0, 0},
                                forever = {1, 2, 3000000000U, 0};
    const wpin_process_config narrow = {1800, 49, 0, 0, 16384, false},
                              fast = {1800, 600, 999, 0, 16384, false},
                              crossed = {1800, 600, 0, 9000, 8000, false},
                              nothing = {1800, 600, 0, 0, 0, false};
    ck_assert_int_eq(wpin_two_point_init(&control, NULL, 0), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_two_point_init(&control, &none, 0), WPIN_REFUSED_RANGE);
    ck_assert_uint_eq(wpin_two_point_update(&control, 3000, false, 0), 0);
    ck_assert_int_eq(wpin_two_point_init(&control, &silent, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_two_point_init(&control, &forever, 0), WPIN_REFUSED_RANGE);
    const wpin_process_config *bad[] = {&narrow, &fast, &crossed, &nothing};
    for (size_t i = 0; i < COUNT(bad); i++) {
        ck_assert_int_eq(wpin_process_init(&process, bad[i], 0), WPIN_REFUSED_RANGE);
        ck_assert_int_eq(wpin_process_update(&process, 0, 1000), 0);
    }
}
END_TEST

/* ---- in a rig and a plan ---- */

static char output[8000];

static const struct {
    const char *change, *words;
    int status;
} rigs[] = {
    {"", "fan follow warmth for 20s", 0},
    {"s/most: 30s/most: 4s/", "gives up until it is released", 0},
    {"s/on: 480mV/on: 450mV/", "it would chatter", 2},
    {"s/noise: 8mV/noise: 80mV/", "80 mV of noise", 2},
    {"s/least: 30%/least: 95%/", "is above the most it asks for", 2},
    {"s/band: 2V/band: 2mV/", "expected 50 mV to", 2},
    {"s/analog: 0/pin: 5/", "belongs to an 'analog' input", 2},
    {"s/analog: 1/analog: 1\\n    two-point: {on: 2V, off: 1V}/", "not two of them", 2},
};

START_TEST(rigs_and_plans_know_it) {
    int status = run_command(output, sizeof output,
                             "sed '%s' %s/demo/honey-cabinet.yaml > %s && %s run %s "
                             "%s/demo/honey-cabinet.plan 2>&1",
                             rigs[_i].change, TEST_SOURCE, scratch("cabinet.yaml"), TEST_TOOL,
                             scratch("cabinet.yaml"), TEST_SOURCE);
    ck_assert_msg(status == rigs[_i].status && strstr(output, rigs[_i].words) != NULL, "%s: %d\n%s",
                  rigs[_i].change, status, output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("process");
    TCase *tests = tcase_create("process");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, two_points_and_what_is_between, 0, COUNT(courses));
    tcase_add_loop_test(tests, no_clock_shortens_a_pause, 0, 3);
    tcase_add_loop_test(tests, the_law_is_that_of_the_header, 0, 6);
    tcase_add_test(tests, a_tank_comes_to_its_level);
    tcase_add_test(tests, what_makes_no_sense_is_refused);
    tcase_add_loop_test(tests, rigs_and_plans_know_it, 0, COUNT(rigs));
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
