/* A driver that commutates its brushless motor by itself. */
#include "support_brushless.h"

/* ---- a driver that commutates by itself ---- */

#define ITS_MOTOR                                                                                  \
    "    motor: {pole-pairs: 4, resistance: 0.5ohm, inductance: 0.7mH, speed-constant: 150rpm/V, " \
    "inertia: 600gcm2, static-friction: 18mNm, dry-friction: 18mNm, viscous-friction: "            \
    "20uNms/rad, load: {torque: "                                                                  \
    "40mNm}}\n    rest: 300ms\n    ramp: {up: 1s, down: 1s}\n"

static wpin_rig *rig_on(const char *on, const char *driver, const char *hall) {
    char text[1200];
    wpin_messages m = {0};
    snprintf(text, sizeof text,
             "rig: r\nsupplies:\n  main: {voltage: 24V, resistance: 60mohm}\nloads:\n  drum:\n"
             "    supply: main\n    stage: {kind: %s}\n    driver: {on-resistance: 30mohm, "
             "current-limit: 60A, current-time: 10ms, voltage-limit: 40V%s}\n    hall: {%s}\n"
             "%s",
             on, driver, hall, ITS_MOTOR);
    wpin_rig *rig = wpin_rig_read(write_file("driver.yaml", text), &m);
    ck_assert_msg(rig != NULL, "%s: %s", on, m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return rig;
}

static wpin_waves waves_on(const char *on, const char *driver, const char *hall, double duty) {
    char why[300] = "";
    wpin_waves w;
    wpin_rig *rig = rig_on(on, driver, hall);
    ck_assert_msg(wpin_waves_take(rig, 0, duty, &w, why, sizeof why), "%s: %s", on, why);
    wpin_rig_free(rig);
    return w;
}

/* It does what a controller does with three legs: with slow decay like PWM on the high sides alone,
 * where its off phase is a short nearly as where the low sides are their complement. Told in any of
 * its ways, with sensors placed either way, both ways round. */
START_TEST(a_driver_commutates_by_itself) {
    static const struct {
        const char *kind, *driver, *hall;
        bool shorts;
    } rows[] = {{"direction-pwm-brake, pwm: 20kHz, pins: {direction: 4, brake: 7, pwm: 9}", "",
                 "to: driver", false},
                {"direction-pwm, pwm: 20kHz, pins: {direction: 4, pwm: 9}", "",
                 "to: driver, apart: 60deg", false},
                {"direction-pwm-brake, pwm: 20kHz, pins: {direction: 4, brake: 7, pwm: 9}",
                 ", off-phase: short", "to: driver", true},
                {"direction-pwm-shorting, pwm: 20kHz, pins: {direction: 4, pwm: 9}", "",
                 "to: driver, output: 18", true},
                {"two-inputs-slow, pwm: 20kHz, pins: {in1: 4, in2: 9}", "", "to: driver", true},
                {"two-inputs-enable, pwm: 20kHz, pins: {in1: 4, in2: 5, enable: 9}", "",
                 "to: driver", false}};
    const char *pins = "pwm: 20kHz, dead-time: 1us, pins: {a-high: 4, a-low: 5, b-high: 6, b-low: "
                       "7, c-high: 8, c-low: 9}";
    char legs[200];
    double duty = _i % 2 == 0 ? 0.6 : -0.4;
    const char *table = rows[_i / 2].shorts ? "three-phase-bridge" : "three-phase-bridge-high";
    snprintf(legs, sizeof legs, "%s, %s", table, pins);
    wpin_waves own = waves_on(rows[_i / 2].kind, rows[_i / 2].driver, rows[_i / 2].hall, duty);
    wpin_waves ours = waves_on(legs, ", interlock: yes", "pins: {a: 14, b: 15, c: 16}", duty);
    double near = rows[_i / 2].shorts ? 0.02 : 0.01; /* a new line begins a new period */
    ck_assert_double_eq_tol(own.rpm, ours.rpm, near * fabs(ours.rpm));
    ck_assert_double_eq_tol(own.rms, ours.rms, 3 * near * ours.rms);
    ck_assert(own.rpm * duty > 0);
    wpin_waves_free(&own);
    wpin_waves_free(&ours);
}
END_TEST

/* What its controller can tell of trouble between driver and motor. */
START_TEST(trouble_behind_a_driver_is_told) {
    static const struct {
        const char *fault;
        wpin_status told;
    } rows[] = {
        {"hall-off", WPIN_FAULT_NO_CURRENT},       {"hall-sensor-off", WPIN_FAULT_NO_CURRENT},
        {"hall-swapped", WPIN_FAULT_STALLED},      {"motor-swapped", WPIN_FAULT_STALLED},
        {"motor-wire-off", WPIN_FAULT_NO_CURRENT}, {"encoder-off", WPIN_FAULT_FEEDBACK}};
    char steps[200], why[300];
    wpin_messages m = {0};
    wpin_rig *rig = wpin_rig_read(TEST_SOURCE "/demo/honey-driver.yaml", &m);
    snprintf(steps, sizeof steps, "main on\nfault drum %s\ndrum ramp 90rpm\ndrum stop\n",
             rows[_i].fault);
    wpin_plan *plan = wpin_plan_read_text("trouble", steps, rig, &m);
    ck_assert_msg(plan != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_session_options options = {0};
    wpin_status refused;
    wpin_report *r = wpin_rehearse(rig, plan, &options, &refused, why, sizeof why);
    ck_assert_msg(r != NULL, "%s", why);
    ck_assert_uint_eq(r->fault_count, 1);
    ck_assert_int_eq(r->faults[0].cause, rows[_i].told);
    ck_assert_uint_eq(r->burn_count, 0);
    wpin_report_free(r);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("own_commutation");
    TCase *tests = tcase_create("own_commutation");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_driver_commutates_by_itself, 0, 12);
    tcase_add_loop_test(tests, trouble_behind_a_driver_is_told, 0, 6);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
