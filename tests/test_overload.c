/* Overload: how long which current may last, by the square of it; heat that nothing loses; a
 * winding that would burn. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/overload.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static wpin_overload_config config;
static wpin_overload overload;

static void begin(unsigned rated_mv, unsigned long time_ms, uint8_t at_first) {
    config = (wpin_overload_config){.share = WPIN_OVERLOAD_SHARE(rated_mv),
                                    .decay = WPIN_OVERLOAD_DECAY(time_ms),
                                    .at_first = at_first};
    overload = (wpin_overload){0};
}

static wpin_status tick(int current_mv, unsigned dt_us, bool valid) {
    wpin_measurement m = {.current = (int16_t)current_mv,
                          .dt_us = (uint16_t)dt_us,
                          .valid = valid ? WPIN_HAS_CURRENT : 0};
    wpin_watched w = {.measurement = &m, .quantity = WPIN_QUANTITY_EFFORT};
    return wpin_overload_check(&overload, &config, &w);
}

/* Seconds until it trips; NAN: not within `most`. */
static double trips_after(int current_mv, unsigned dt_us, double most) {
    for (double now = 0; now < most; now += dt_us * 1e-6) {
        if (tick(current_mv, dt_us, true) == WPIN_FAULT_OVERLOAD) {
            return now;
        }
    }
    return NAN;
}

typedef struct row {
    unsigned rated_mv;
    unsigned long time_ms;
    int current_mv;
    unsigned dt_us;
} row;

static const row rows[] = {
    {600, 30000, 1200, 1000},     {600, 30000, -1200, 1000},  {600, 30000, 700, 1000},
    {600, 30000, 4000, 1000},     {150, 1100, 300, 1000},     {4000, 600000, 6000, 10000},
    {2000, 3600000, 5000, 50000}, {1000, 5000, 3000, 100},    {333, 20000, 777, 777},
    {1000, 20000, 1030, 1000},    {32767, 10000, 32767, 1000}};

START_TEST(time_follows_the_square_of_the_current) {
    const row *r = &rows[_i];
    double ratio = (double)abs(r->current_mv) / r->rated_mv, square = ratio * ratio;
    double tau = (double)r->time_ms * 1e-3;
    begin(r->rated_mv, r->time_ms, 0);
    double after = trips_after(r->current_mv, r->dt_us, 12 * tau);
    if (square <= 1.1025) {
        ck_assert_msg(isnan(after), "row %d trips after %g s", _i, after);
        return;
    }
    double expected = tau * log(square / (square - 1.1025));
    ck_assert_msg(fabs(after - expected) <= 0.02 * expected + 0.14, "row %d: %g s, expected %g s",
                  _i, after, expected);
    /* it cools by the same law, and nobody may go on before three quarters of it */
    double cooled = 0, hot = overload.heat / (double)WPIN_OVERLOAD_TRIP; /* a block late */
    ck_assert_double_le(hot, 1 + square * 0.0656 / tau + 0.01);
    while (tick(0, r->dt_us, true) != WPIN_OK) {
        cooled += r->dt_us * 1e-6;
        ck_assert_double_lt(cooled, 2 * tau);
    }
    double least = tau * log(hot * 4 / 3);
    ck_assert_msg(fabs(cooled - least) <= 0.03 * least + 0.14, "row %d cools for %g s, not %g s",
                  _i, cooled, least);
    ck_assert_double_ge(wpin_overload_percent(&overload), 74 - 7 / tau);
    ck_assert_uint_le(wpin_overload_percent(&overload), 75);
}
END_TEST

START_TEST(nothing_unknown_cools) {
    begin(600, 2000, 80);
    ck_assert_int_eq(tick(0, 0, true), WPIN_OK);
    ck_assert_uint_eq(wpin_overload_percent(&overload), 80);
    for (int i = 0; i < 100000; i++) {
        ck_assert_int_eq(tick(0, 1000, false), WPIN_OK); /* no reading */
        ck_assert_int_eq(tick(0, 0, true), WPIN_OK);     /* no time */
    }
    ck_assert_uint_eq(wpin_overload_percent(&overload), 80);
    wpin_overload_reset(&overload); /* it is armed again */
    ck_assert_uint_eq(wpin_overload_percent(&overload), 80);
    ck_assert_double_lt(trips_after(1200, 1000, 10), 2 * log(4 / (4 - 1.1025)) * 0.35);
}
END_TEST

/* Whatever the clock and the sensor do, it is within a block of time of the law worked out in
 * floating point. */
START_TEST(any_ticks_follow_the_law) {
    uint32_t state = 12345U + (uint32_t)_i;
    double heat = 0, tau = 7;
    begin(900, 7000, 0);
    for (int i = 0; i < 200000; i++) {
        state = state * 1664525U + 1013904223U;
        unsigned dt = (state >> 8) % 400 == 0 ? (state >> 16) : (state >> 20) % 3000;
        int mv = (i / 5000) % 3 == 0 ? (int)((state >> 10) % 2400) - 1200
                                     : (int)((state >> 10) % 1500) - 750;
        tick(mv, dt & 0xffffU, true);
        double t = (dt & 0xffffU) * 1e-6;
        heat += (mv * mv / (900.0 * 900) - heat) * (1 - exp(-t / tau));
        ck_assert_double_eq_tol(overload.heat / (double)WPIN_OVERLOAD_RATED, heat, 0.02);
    }
    ck_assert_double_gt(heat, 0.1); /* it went through something */
}
END_TEST

/* ---- a winding ---- */

#define HOT      "s|^      load: {torque|      heat: {resistance: 8K/W, time: 20s, limit: 120degC}\\n&|;"
#define NO_TRIP  "s/level: 6A/level: 9A/;s/current-limit: 8A/current-limit: 12A/;"
#define OVERLOAD "s|^    rest: 400ms.*|&\\n    overload: {current: 2.1A, time: 12s}|"

/* Runs the honey pump, changed, into a stall at a duty: how much burnt, and the fault, if any. */
static size_t stall(const char *change, int percent, wpin_status *fault) {
    char plan[300];
    snprintf(plan, sizeof plan,
             "pump ramp 30%%\npump hold 60s\npump ramp %d%%\npump hold 1s\nfault pump stalled\n"
             "pump hold 150s\npump stop\n",
             percent);
    return run_changed_pump(change, plan, fault);
}

static const int percents[] = {100, 60, 50, 35};

START_TEST(no_stall_burns_the_winding) {
    wpin_status fault;
    ck_assert_uint_eq(stall(HOT NO_TRIP OVERLOAD, percents[_i], &fault), 0);
    if (percents[_i] >= 60) {
        ck_assert_int_eq(fault, WPIN_FAULT_OVERLOAD);
        ck_assert_uint_gt(stall(HOT NO_TRIP, percents[_i], &fault), 0); /* it is what saves it */
    }
}
END_TEST

/* ---- a motor ---- */

START_TEST(a_hot_motor_is_not_cleared) {
    wpin_messages m = {0};
    wpin_rig *rig = read_changed_pump(NO_TRIP OVERLOAD, &m);
    ck_assert_ptr_nonnull(rig);
    wpin_sim *sim = wpin_board_build(rig);
    wpin_sim_switch(sim, 0, true);
    wpin_port port = wpin_sim_port(sim);
    static wpin_bound_load bound;
    static wpin_motor motor;
    wpin_bind_load(&bound, rig, &rig->loads[0]);
    ck_assert_int_eq(wpin_bound_open(&bound, &motor, &port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    wpin_sim_inject(sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    double stood = 0, waited = 0;
    wpin_motor_tick(&motor);
    ck_assert_int_eq(wpin_motor_run(&motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
    while (wpin_motor_fault(&motor) == WPIN_OK && stood < 60) {
        wpin_motor_tick(&motor);
        wpin_sim_advance(sim, 1000000000LL);
        stood += 1e-3;
    }
    ck_assert_int_eq(wpin_motor_fault(&motor), WPIN_FAULT_OVERLOAD);
    wpin_motor_tick(&motor);
    while (wpin_motor_clear_fault(&motor) != WPIN_OK && waited < 60) {
        ck_assert_int_eq(wpin_motor_clear_fault(&motor), WPIN_REFUSED_CAUSE);
        ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_REFUSED_FAULTED);
        wpin_motor_tick(&motor);
        wpin_sim_advance(sim, 1000000000LL);
        waited += 1e-3;
    }
    double least = 12 * log(4.0 / 3);
    ck_assert_msg(fabs(waited - least) < 0.2, "cleared after %g s, not %g s", waited, least);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    wpin_motor_tick(&motor);
    ck_assert_int_eq(wpin_motor_state(&motor), WPIN_STATE_READY);
    wpin_motor_close(&motor);
    wpin_sim_free(sim);
    wpin_rig_free(rig);
}
END_TEST

/* ---- the rig ---- */

static const struct {
    const char *change, *words;
} mistakes[] = {
    {"s|^    rest: 400ms.*|&\\n    overload: {current: 7A, time: 12s}|", "would never come"},
    {"s|^    rest: 400ms.*|&\\n    overload: {current: 0.2A, time: 12s}|", "at least 150 mV"},
    {"s|^    rest: 400ms.*|&\\n    overload: {current: 2A, time: 0.5s}|", "expected 1.1 s to"},
    {"s|^    rest: 400ms.*|&\\n    overload: {current: 2A}|", "time"},
    {"/current-trip/d;s|^    rest: 400ms.*|&\\n    overload: {current: 2A, time: 12s}|",
     "goes by the sensed current"}};

START_TEST(mistakes_are_told) {
    wpin_messages m = {0};
    ck_assert_ptr_null(read_changed_pump(mistakes[_i].change, &m));
    ck_assert_msg(m.count > 0 && strstr(m.items[0].text, mistakes[_i].words) != NULL, "%s",
                  m.count > 0 ? m.items[0].text : "no message");
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("overload");
    TCase *tests = tcase_create("overload");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, time_follows_the_square_of_the_current, 0, COUNT(rows));
    tcase_add_test(tests, nothing_unknown_cools);
    tcase_add_loop_test(tests, any_ticks_follow_the_law, 0, 3);
    tcase_add_loop_test(tests, no_stall_burns_the_winding, 0, COUNT(percents));
    tcase_add_test(tests, a_hot_motor_is_not_cleared);
    tcase_add_loop_test(tests, mistakes_are_told, 0, COUNT(mistakes));
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
