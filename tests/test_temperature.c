/* A temperature that is watched: too warm, not yet cool, a wire that is off; what would burn. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/vet.h>
#include <windpin/temperature.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

/* ---- the protection alone ---- */

static int16_t reading;

static int16_t read_it(void *context, uint8_t input) {
    (void)context;
    return input == 4 ? reading : 0;
}

static const wpin_port port = {.millivolts = read_it};
static wpin_temperature warm;

static wpin_status look(int mv, unsigned dt_us) {
    wpin_measurement m = {.dt_us = (uint16_t)dt_us};
    wpin_watched w = {.measurement = &m};
    reading = (int16_t)mv;
    return wpin_temperature_check(&warm, NULL, &w);
}

static const wpin_temperature_config falls = {.input = 4,
                                              .trip_mv = 400,
                                              .clear_mv = 700,
                                              .least_mv = 50,
                                              .most_mv = 4950,
                                              .for_ms = 10},
                                     rises = {.input = 4,
                                              .trip_mv = 3000,
                                              .clear_mv = 2500,
                                              .least_mv = 50,
                                              .most_mv = 4950,
                                              .for_ms = 10},
                                     at_once = {.input = 4,
                                                .trip_mv = 400,
                                                .clear_mv = 700,
                                                .least_mv = 50,
                                                .most_mv = 4950};

static const struct {
    const wpin_temperature_config *config;
    struct {
        int mv, ticks; /* of 1 ms */
        wpin_status last;
    } steps[8];
} rows[] = {
    /* a dip that is shorter than it must last, then one that lasts; cool only beyond clear */
    {&falls,
     {{2000, 20, WPIN_OK},
      {399, 9, WPIN_OK},
      {2000, 1, WPIN_OK},
      {400, 11, WPIN_FAULT_OVERTEMPERATURE},
      {650, 50, WPIN_FAULT_OVERTEMPERATURE},
      {700, 50, WPIN_FAULT_OVERTEMPERATURE},
      {701, 10, WPIN_FAULT_OVERTEMPERATURE},
      {701, 1, WPIN_OK}}},
    {&rises,
     {{1000, 20, WPIN_OK},
      {2999, 50, WPIN_OK},
      {3000, 11, WPIN_FAULT_OVERTEMPERATURE},
      {2501, 50, WPIN_FAULT_OVERTEMPERATURE},
      {2499, 11, WPIN_OK}}},
    /* wires: off, shorted, a converter that fails; then warm */
    {&falls,
     {{5000, 10, WPIN_OK},
      {5000, 1, WPIN_FAULT_SENSOR},
      {2000, 11, WPIN_OK},
      {0, 11, WPIN_FAULT_SENSOR},
      {WPIN_NO_READING, 5, WPIN_FAULT_SENSOR},
      {300, 11, WPIN_FAULT_OVERTEMPERATURE},
      {5000, 11, WPIN_FAULT_SENSOR},
      {2000, 11, WPIN_OK}}},
    {&at_once,
     {{2000, 1, WPIN_OK},
      {400, 1, WPIN_FAULT_OVERTEMPERATURE},
      {701, 1, WPIN_OK},
      {-1, 1, WPIN_FAULT_SENSOR}}}};

START_TEST(what_lasts_is_told) {
    ck_assert_int_eq(wpin_temperature_init(&warm, rows[_i].config, &port), WPIN_OK);
    for (size_t s = 0; s < COUNT(rows[_i].steps) && rows[_i].steps[s].ticks > 0; s++) {
        wpin_status told = WPIN_OK;
        for (int t = 0; t < rows[_i].steps[s].ticks; t++) {
            told = look(rows[_i].steps[s].mv, 1000);
            wpin_temperature_reset(&warm); /* arming changes nothing */
        }
        ck_assert_msg(told == rows[_i].steps[s].last, "row %d, step %zu: %s", _i, s,
                      wpin_status_name(told));
    }
}
END_TEST

/* A clock that stands lets nothing last; one that leaps lets it last at once. */
START_TEST(time_is_the_clocks) {
    wpin_temperature_init(&warm, &falls, &port);
    for (int i = 0; i < 1000; i++) {
        ck_assert_int_eq(look(100, 0), WPIN_OK);
    }
    ck_assert_int_eq(look(100, 65535), WPIN_FAULT_OVERTEMPERATURE);
}
END_TEST

START_TEST(what_cannot_be_is_refused) {
    static const wpin_port none = {0};
    const struct {
        wpin_temperature_config config;
        wpin_status status;
    } refused[] = {
        {{.trip_mv = 400, .clear_mv = 400, .most_mv = 5000}, WPIN_REFUSED_RANGE},
        {{.trip_mv = 400, .clear_mv = 700, .least_mv = 400, .most_mv = 5000}, WPIN_REFUSED_RANGE},
        {{.trip_mv = 400, .clear_mv = 700, .most_mv = 700}, WPIN_REFUSED_RANGE},
        {{.trip_mv = 400, .clear_mv = 700, .least_mv = -1, .most_mv = 5000}, WPIN_REFUSED_RANGE},
        {{.trip_mv = 400, .clear_mv = 700, .most_mv = 5000, .for_ms = 60001}, WPIN_REFUSED_RANGE}};
    for (size_t i = 0; i < COUNT(refused); i++) {
        ck_assert_int_eq(wpin_temperature_init(&warm, &refused[i].config, &port),
                         refused[i].status);
        ck_assert_int_eq(look(0, 65535), WPIN_OK); /* closed: it tells nothing */
    }
    ck_assert_int_eq(wpin_temperature_init(&warm, &falls, &none), WPIN_REFUSED_PORT);
    ck_assert_int_eq(wpin_temperature_init(&warm, NULL, &port), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_temperature_init(&warm, &falls, NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_temperature_init(NULL, &falls, &port), WPIN_REFUSED_ARGUMENT);
}
END_TEST

/* ---- on simulated hardware ---- */

#define HOT     "s|sense: 400mV/A|&\\n      heat: {resistance: 25K/W, time: 8s, limit: 150degC}|;"
#define NO_TRIP "s/level: 6A/level: 9A/;s/current-limit: 8A/current-limit: 12A/;"
#define WATCHED "s|^    rest: 400ms.*|&\\n    thermistor: {in: driver, input: 4, trip: 90degC}|;"
#define WARM    "s|inertia: 160gcm2|&\\n      heat: {resistance: 12K/W, time: 9s, limit: 130degC}|;"
#define IN_COIL "s|^    rest: 400ms.*|&\\n    thermistor: {in: winding, input: 4, trip: 110degC}|;"

#define STALL "pump ramp 60%\npump hold 5s\nfault pump stalled\npump hold 60s\npump stop\n"
#define OFF   "pump ramp 60%\npump hold 2s\nfault pump thermistor-off\npump hold 5s\npump stop\n"

static const struct {
    const char *part, *sensor, *plan;
    wpin_status fault;
    bool burns; /* without it */
} runs[] = {{HOT, WATCHED, STALL, WPIN_FAULT_OVERTEMPERATURE, true},
            {WARM, IN_COIL, STALL, WPIN_FAULT_OVERTEMPERATURE, true},
            {HOT, WATCHED, OFF, WPIN_FAULT_SENSOR, false}};

START_TEST(what_would_burn_trips_before) {
    wpin_status fault;
    char change[600];
    snprintf(change, sizeof change, NO_TRIP "%s%s", runs[_i].part, runs[_i].sensor);
    ck_assert_uint_eq(run_changed_pump(change, runs[_i].plan, &fault), 0);
    ck_assert_msg(fault == runs[_i].fault, "%s", wpin_status_name(fault));
    if (runs[_i].burns) {
        snprintf(change, sizeof change, NO_TRIP "%s", runs[_i].part);
        ck_assert_uint_gt(run_changed_pump(change, runs[_i].plan, &fault), 0);
    }
}
END_TEST

/* ---- vetting and the bench agree ---- */

static uint32_t seed;

static double between(double low, double high) {
    seed = seed * 1664525U + 1013904223U;
    return low * pow(high / low, (seed >> 8) / 16777216.0);
}

/* Whether vetting says of nothing that it might burn. */
static bool vetted_clean(const char *path, const char *plan_path) {
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_plan *plan = wpin_plan_read(plan_path, rig, &m);
    wpin_vetting *v = wpin_vet(rig, plan, NULL);
    bool clean = true;
    for (size_t i = 0; i < v->count; i++) {
        const wpin_finding *found = &v->findings[i];
        clean = clean && (found->severity == WPIN_NOTE || found->rule->effect != WPIN_EFFECT_BURNS);
    }
    wpin_vetting_free(v);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
    return clean;
}

/* What vetting has nothing against survives a stall of a minute; much of what it warns of does not,
 * though a thermistor watches. */
START_TEST(what_is_vetted_survives_a_stall) {
    unsigned clean = 0, warned = 0, burnt = 0;
    const char *full = getenv("WPIN_RIGS");
    seed = 20260;
    for (int left = full != NULL ? atoi(full) : 60; left > 0; left--) {
        bool winding = between(1, 2) < 1.4;
        char change[600];
        wpin_status fault;
        double trip = between(50, 145), kelvin = between(4, 40), time = between(0.3, 20);
        snprintf(change, sizeof change,
                 NO_TRIP "%s%.3gK/W, time: %.3gs, limit: 150degC}|;s|^    rest: 400ms.*|&\\n    "
                         "thermistor: {in: %s, input: 4, trip: %.4gdegC, for: %.3gs}|;",
                 winding ? "s|inertia: 160gcm2|&\\n      heat: {resistance: "
                         : "s|sense: 400mV/A|&\\n      heat: {resistance: ",
                 kelvin, time, winding ? "winding" : "driver", trip, between(0.02, 2));
        size_t burns = run_changed_pump(change, STALL, &fault);
        bool fine = vetted_clean(scratch("pump.yaml"), scratch("pump.plan"));
        ck_assert_msg(!fine || burns == 0, "vetted, and burnt: %s", change);
        clean += fine ? 1 : 0;
        warned += fine ? 0 : 1;
        burnt += burns != 0 ? 1 : 0;
    }
    ck_assert_msg(clean >= 10 && warned >= 10 && burnt >= 5, "%u clean, %u warned of, %u burnt",
                  clean, warned, burnt);
}
END_TEST

/* Tripped at 90 degC it can not be cleared before it is at 70: time ln(65 / 45) of its constant. */
START_TEST(a_hot_driver_is_not_cleared) {
    wpin_messages m = {0};
    wpin_rig *rig = read_changed_pump(NO_TRIP HOT WATCHED, &m);
    ck_assert_ptr_nonnull(rig);
    wpin_sim *sim = wpin_board_build(rig);
    wpin_sim_switch(sim, 0, true);
    wpin_port board = wpin_sim_port(sim);
    static wpin_bound_load bound;
    static wpin_motor motor;
    wpin_bind_load(&bound, rig, &rig->loads[0]);
    ck_assert_int_eq(wpin_bound_open(&bound, &motor, &board), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    wpin_sim_inject(sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wpin_motor_tick(&motor);
    ck_assert_int_eq(wpin_motor_run(&motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
    double ran = 0, waited = 0;
    for (; wpin_motor_fault(&motor) == WPIN_OK && ran < 60; ran += 1e-3) {
        wpin_motor_tick(&motor);
        wpin_sim_advance(sim, 1000000000LL);
    }
    ck_assert_int_eq(wpin_motor_fault(&motor), WPIN_FAULT_OVERTEMPERATURE);
    wpin_motor_tick(&motor);
    for (; wpin_motor_clear_fault(&motor) != WPIN_OK && waited < 60; waited += 1e-3) {
        ck_assert_int_eq(wpin_motor_clear_fault(&motor), WPIN_REFUSED_CAUSE);
        ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_REFUSED_FAULTED);
        wpin_motor_tick(&motor);
        wpin_sim_advance(sim, 1000000000LL);
    }
    double least = 8 * log(65.0 / 45);
    /* it climbed on while the trip waited, and waits as long again to be clear */
    ck_assert_msg(waited > least && waited < least + 1.5, "cleared after %g s, not %g s", waited,
                  least);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    wpin_motor_close(&motor);
    wpin_sim_free(sim);
    wpin_rig_free(rig);
}
END_TEST

/* ---- the rig ---- */

static const struct {
    const char *change, *words;
} mistakes[] = {
    {WATCHED, "has no 'heat'"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {input: 4}|", "lacks 'trip'"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {input: 4, trip: 90degC, clear: 95degC}|",
     "expected less than trip"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {input: 4, trip: 200degC, pull-up: 100kohm}|",
     "smaller pull-up"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {input: 4, trip: 90degC, resistance: "
         "100kohm, pull-up: 1kohm}|",
     "as if its wire were off"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {input: 40, trip: 90degC}|", "0 to 31"},
    {HOT "s|^    rest: 400ms.*|&\\n    thermistor: {in: gear, input: 4, trip: 90degC}|",
     "winding"}};

START_TEST(mistakes_are_told) {
    wpin_messages m = {0};
    ck_assert_ptr_null(read_changed_pump(mistakes[_i].change, &m));
    ck_assert_msg(m.count > 0 && strstr(m.items[0].text, mistakes[_i].words) != NULL, "%s",
                  m.count > 0 ? m.items[0].text : "no message");
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("temperature");
    TCase *tests = tcase_create("temperature");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, what_lasts_is_told, 0, COUNT(rows));
    tcase_add_test(tests, time_is_the_clocks);
    tcase_add_test(tests, what_cannot_be_is_refused);
    tcase_add_loop_test(tests, what_would_burn_trips_before, 0, COUNT(runs));
    tcase_add_test(tests, what_is_vetted_survives_a_stall);
    tcase_add_test(tests, a_hot_driver_is_not_cleared);
    tcase_add_loop_test(tests, mistakes_are_told, 0, COUNT(mistakes));
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
