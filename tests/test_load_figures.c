/* Loads and drivers against figures worked out by hand: inrush, heat, cells, dead times. */
#define _GNU_SOURCE
#include "support_loads.h"

/* Against figures worked out by hand. */
START_TEST(a_cold_filament_draws_its_inrush) {
    bench b = {.loads = SWITCH("lamp", 5, 1kHz) "    lamp: {rated: 12V, power: 24W, cold: 10%}\n"};
    wpin_report *report = rehearse(&b, "lamp on\nlamp hold 2s\nlamp off\n", NULL);
    /* hot 6 ohm, cold 0.6, switch 0.01, supply 0.02: 12 / 0.63 = 19.05 A; warm 12 / 6.03 = 1.99 A
     */
    ck_assert_double_eq_tol(report->amps_peak[0], 12 / 0.63, 0.2);
    ck_assert_double_eq_tol(step_at(report, 2)->effect, 1, 0.02);
    done(report);
}
END_TEST

/* Kelvin above the air of a coil on 12 V after 5 s, by Euler's steps: 9 K/W, 5 s. */
static double warmed(double copper) {
    double rise = 0, dt = 1e-3;
    for (int i = 0; i < 5000; i++) {
        double ohms = 6 * (1 + copper * rise), amps = 12 / (ohms + 0.03);
        rise += (amps * amps * ohms * 9 - rise) * dt / 5;
    }
    return rise;
}

START_TEST(a_winding_heats_with_its_time_constant) {
    static const char *const loads[] = {
        SWITCH("latch", 5,
               1kHz) "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: "
                     "0.3A, heat: {resistance: 9K/W, time: 5s, limit: 250degC, drift: no}}\n",
        SWITCH("latch", 5,
               1kHz) "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 1.2A, drop-out: "
                     "0.3A, heat: {resistance: 9K/W, time: 5s, limit: 250degC}}\n"};
    bench b = {.loads = loads[_i]};
    wpin_report *report = rehearse(&b, "latch on for 5s\n", NULL);
    double rise = warmed(_i == 0 ? 0 : 0.00393);
    ck_assert_double_eq_tol(report->degrees_c[0], 25 + rise, rise * 0.01);
    done(report);
}
END_TEST

START_TEST(cells_run_down) {
    bench b = {.supplies = "  main: {voltage: 12V, resistance: 0.1ohm, capacity: 10mAh, empty: 9V, "
                           "switch: on}\n",
               .loads =
                   SWITCH("strip", 5, 1kHz) "    leds: {rated: 12V, power: 10W, forward: 1V}\n"};
    wpin_report *report =
        rehearse(&b, "strip on\nstrip hold 20s\nstrip hold 60s\nstrip off\n", NULL);
    /* about 0.8 A out of 36 As: half empty after some 22 s, empty after 47, dark at last */
    double volts = step_at(report, 2)->volts;
    ck_assert_msg(volts > 10.2 && volts < 10.8, "%g V", volts);
    ck_assert_double_eq_tol(step_at(report, 3)->effect, 0, 1e-3);
    done(report);
}
END_TEST

START_TEST(a_mirrored_twin_goes_the_machines_way) {
    bench b = {.loads = MOTOR("left", "main", 1, 2, 3) "}\n" MOTOR("right", "main", 4, 5, 6) "}\n"};
    char loads[3000];
    snprintf(loads, sizeof loads, "%s", b.loads);
    char *stage = strstr(strstr(loads, "right:"), "pwm: 20kHz");
    memmove(stage + 15, stage, strlen(stage) + 1);
    memcpy(stage, "reversed: yes, ", 15);
    b.loads = loads;
    wpin_report *report = rehearse(&b, "all ramp 50%\nall hold 500ms\nleft, right stop\n", NULL);
    ck_assert_msg(!report->bad, "%s", words_of(report));
    const wpin_step_result *a = &report->steps[2], *c = &report->steps[3];
    ck_assert_int_ne(a->load, c->load);
    ck_assert_double_gt(a->rpm, 100);
    ck_assert_double_eq_tol(a->rpm, c->rpm, 0.1);
    done(report);
}
END_TEST

/* One comes to rest and coasts while the other goes on, and the other way round. */
START_TEST(one_standby_serves_both) {
    bench b = {.loads = HALF_CHIP("left", 3, 4, 5) HALF_CHIP("right", 6, 7, 8)};
    wpin_report *report =
        rehearse(&b,
                 "left, right ramp 60%\nright coast\nright rest 300ms\nleft hold 1s\n"
                 "right ramp 60%\nleft brake for 1s\nright hold 500ms\nall stop\n",
                 NULL);
    ck_assert_msg(!report->bad, "%s", words_of(report));
    ck_assert_double_gt(step_at(report, 4)->rpm, 3000);
    ck_assert_double_gt(step_at(report, 3)->rpm, 500); /* right coasts on, it is not braked */
    ck_assert_double_lt(fabs(step_at(report, 6)->rpm), 1);
    ck_assert_double_gt(step_at(report, 7)->rpm, 3000);
    done(report);
}
END_TEST

START_TEST(groups_may_be_staggered) {
    bench b = {.loads = MOTOR("left", "main", 1, 2, 3) "}\n" MOTOR("right", "main", 4, 5, 6) "}\n"};
    wpin_report *report = rehearse(&b, "left, right run 60% for 1s stagger 400ms\n", NULL);
    ck_assert_uint_eq(report->step_count, 2);
    ck_assert_str_eq(report->steps[0].text, "left run 60% for 1s");
    ck_assert_double_eq_tol(report->steps[1].at - report->steps[0].at, 0.4, 2e-3);
    done(report);
}
END_TEST

/* Two drivers alike but for how they end: one burns, one looks after itself. */
START_TEST(drivers_heat_and_protect_themselves) {
    static const struct {
        const char *driver, *says;
        bool burns;
    } rows[] = {
        {"current-limit: 30A, heat: {resistance: 20K/W, time: 300ms}", "pump driver heat: 15",
         true},
        {"current-limit: 30A, protects-itself: yes, heat: {resistance: 20K/W, time: 300ms}",
         "pump driver shuts itself down at 15", false},
        {"current-limit: 5A, current-time: 1ms", "pump driver over-current", true},
        {"current-limit: 5A, current-time: 1ms, protects-itself: yes",
         "pump driver switches itself off and on again", false},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        char loads[3000];
        snprintf(loads, sizeof loads,
                 "  pump:\n    supply: main\n    stage: {kind: direction-pwm-brake, pwm: 20kHz, "
                 "pins: {direction: 1, brake: 2, pwm: 3}}\n    driver: {on-resistance: 0.1ohm, "
                 "voltage-limit: 40V, %s}\n    ramp: {up: 50ms, down: 50ms}\n    rest: 0s\n"
                 "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: "
                 "200gcm2, static-friction: 5mNm, dry-friction: 5mNm}\n",
                 rows[i].driver);
        bench b = {.loads = loads};
        wpin_report *report =
            rehearse(&b, "pump ramp 100%\npump hold 2s\npump stop\n", "pump stalled");
        ck_assert_msg(strstr(words_of(report), rows[i].says) != NULL, "\"%s\" is not in\n%s",
                      rows[i].says, words_of(report));
        ck_assert_int_eq(report->burn_count > 0, rows[i].burns);
        done(report);
    }
}
END_TEST

/* A bare bridge that leaves no time between the sides burns; its own dead time saves it. */
/* At half duty the current of 0.927 A (0.884 A in the bridge) runs through the switches half of the
 * time and through a diode in the other: 0.397 W, 0.608 W by hand. A limit a twentieth below what
 * that heats to burns, one a twentieth above does not. */
START_TEST(a_driver_heats_by_what_its_parts_carry) {
    static const struct {
        const char *stage, *ohms;
        double watts;
    } rows[] = {
        {"low-side-switch, pins: {gate: 5}, pwm: 1kHz", "10mohm", 0.397},
        {"direction-pwm-brake, pins: {direction: 1, brake: 2, pwm: 3}, pwm: 1kHz", "0.2ohm", 0.608},
    };
    for (int i = 0; i < 4; i++) {
        double rise = rows[i / 2].watts * 100;
        char loads[1000];
        snprintf(loads, sizeof loads,
                 "  latch:\n    supply: main\n    stage: {kind: %s}\n    driver: {on-resistance: "
                 "%s, current-limit: 50A, voltage-limit: 40V, heat: {resistance: 100K/W, time: "
                 "100ms, limit: %.1fdegC}}\n    ramp: {up: 10ms, down: 10ms}\n    rest: 0s\n"
                 "    solenoid: {resistance: 6ohm, inductance: 40mH, pull-in: 0.5A, drop-out: "
                 "0.3A}\n    on-duty: 50%%\n",
                 rows[i / 2].stage, rows[i / 2].ohms, 25 + rise * (i % 2 == 0 ? 0.95 : 1.05));
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b, "latch on for 2s\n", NULL);
        ck_assert_msg((report->burn_count > 0) == (i % 2 == 0), "%s, %d: %s", rows[i / 2].stage, i,
                      words_of(report));
        done(report);
    }
}
END_TEST

/* A base of 1 mA and a gain of 300 let 0.3 A flow: a stalled motor takes just that, and one that
 * runs on less runs as fast as on a strong base. */
START_TEST(a_short_base_limits_the_current) {
    double rpm[2], amps[2];
    for (int i = 0; i < 2; i++) {
        char loads[1200];
        snprintf(
            loads, sizeof loads,
            "  fan:\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: 5}, pwm: "
            "20kHz}\n    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: "
            "40V, transistor: {kind: npn, base: 0.7V, base-resistor: 4275ohm, gain: %d}}\n    "
            "ramp: {up: 500ms, down: 500ms}\n    rest: 3s\n    motor: {resistance: 4ohm, "
            "inductance: 4mH, constant: 20mNm/A, inertia: 60gcm2, static-friction: 3mNm, "
            "dry-friction: 3mNm}\n",
            i == 0 ? 300 : 30000);
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b,
                                       "fan ramp 100%\nfan hold 4s\nfault fan stalled\n"
                                       "fan hold 1s\nfan stop\n",
                                       NULL);
        rpm[i] = step_at(report, 2)->rpm;
        amps[i] = step_at(report, 4)->amps_peak;
        done(report);
    }
    ck_assert_double_eq_tol(amps[0], 0.3, 1e-3);
    ck_assert_double_eq_tol(amps[1], 12 / 4.12, 0.05);
    ck_assert_msg(fabs(rpm[0] / rpm[1] - 1) < 2e-3 && rpm[0] > 4000, "%g %g", rpm[0], rpm[1]);
}
END_TEST

/* What its label says, and what the motor then takes: nothing else is known of its friction. */
START_TEST(a_motor_takes_its_no_load_current) {
    static const char *const friction[] = {"no-load-current: 250mA", "dry-friction: 5mNm"};
    double rpm[2];
    for (int i = 0; i < 2; i++) {
        char loads[1000];
        snprintf(loads, sizeof loads,
                 "  fan:\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: 5}, "
                 "pwm: 20kHz}\n    driver: {on-resistance: 0.1ohm, current-limit: 30A, "
                 "voltage-limit: 40V}\n    ramp: {up: 500ms, down: 500ms}\n    motor: "
                 "{resistance: 4ohm, inductance: 4mH, constant: 20mNm/A, inertia: 60gcm2, %s}\n",
                 friction[i]);
        bench b = {.loads = loads};
        wpin_report *report =
            rehearse(&b, "fan ramp 100%\nfan hold 4s\nfan hold 1s\nfan stop\n", NULL);
        ck_assert_double_eq_tol(step_at(report, 3)->amps_peak, 0.25, 5e-4);
        rpm[i] = step_at(report, 3)->rpm;
        done(report);
    }
    ck_assert_double_eq(rpm[0], rpm[1]);
}
END_TEST

START_TEST(a_drivers_own_dead_time) {
    static const char text[] =
        "  pump:\n    supply: main\n    stage: {kind: own-table, pwm: 20kHz, pins: {enable: 3, a: "
        "1, "
        "b: 2}, table: {lines: [enable, a, b], driver: half-bridges, rows: {coast: [low, low, "
        "low], forward: [high, duty, low], reverse: [high, low, duty]}}}\n"
        "    driver: {on-resistance: 0.1ohm, current-limit: 30A, voltage-limit: 40V, interlock: "
        "no%s}\n    ramp: {up: 50ms, down: 50ms}\n    rest: 0s\n"
        "    motor: {resistance: 1ohm, inductance: 1mH, constant: 20mNm/A, inertia: 200gcm2, "
        "static-friction: 5mNm, dry-friction: 5mNm}\n";
    for (int own = 0; own < 2; own++) {
        char loads[2000];
        snprintf(loads, sizeof loads, text, own == 0 ? "" : ", dead-time: 2us");
        bench b = {.loads = loads};
        wpin_report *report = rehearse(&b, "pump ramp 50%\npump hold 500ms\npump stop\n", NULL);
        ck_assert_msg((report->burn_count > 0) == (own == 0), "%d: %s", own, words_of(report));
        done(report);
    }
}
END_TEST

START_TEST(software_pwm_says_what_it_can) {
    bench b = {
        .controller = "fast-tick: 50us",
        .loads =
            "  fan:\n    supply: main\n    stage: {kind: low-side-switch, pins: {gate: "
            "5}, pwm: 400Hz, pwm-by: software}\n    driver: {on-resistance: 50mohm, "
            "current-limit: 9A, voltage-limit: 30V}\n    rest: 0s\n    ramp: {up: 100ms, down: "
            "100ms}\n    motor: {resistance: 8ohm, inductance: 6mH, constant: 25mNm/A, "
            "inertia: 90gcm2}\n"};
    wpin_report *report = rehearse(&b, "fan ramp 40%\nfan hold 2s\nfan stop\n", NULL);
    ck_assert_uint_eq(report->pwm[0].steps, 50);
    ck_assert_uint_eq(report->pwm[0].jitter_us, 50);
    ck_assert_uint_eq(report->pwm[0].millihertz, 400000);
    ck_assert_double_gt(step_at(report, 2)->rpm, 1000);
    done(report);
    char text[900];
    snprintf(text, sizeof text, "rig: b\nsupplies:\n" TWELVE "loads:\n%s", b.loads);
    memcpy(strstr(text, "400Hz"), "20kHz", 5);
    wpin_messages m = {0};
    ck_assert_ptr_null(wpin_rig_read(write_file("fast.yaml", text), &m));
    ck_assert_msg(strstr(m.items[0].text, "it makes up to 1000 Hz (20 duty steps) only") != NULL,
                  "%s", m.items[0].text);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("load_figures");
    TCase *tests = tcase_create("all");
    tcase_add_test(tests, a_cold_filament_draws_its_inrush);
    tcase_add_loop_test(tests, a_winding_heats_with_its_time_constant, 0, 2);
    tcase_add_test(tests, cells_run_down);
    tcase_add_test(tests, a_mirrored_twin_goes_the_machines_way);
    tcase_add_test(tests, one_standby_serves_both);
    tcase_add_test(tests, groups_may_be_staggered);
    tcase_add_test(tests, drivers_heat_and_protect_themselves);
    tcase_add_test(tests, a_driver_heats_by_what_its_parts_carry);
    tcase_add_test(tests, a_short_base_limits_the_current);
    tcase_add_test(tests, a_motor_takes_its_no_load_current);
    tcase_add_test(tests, a_drivers_own_dead_time);
    tcase_add_test(tests, software_pwm_says_what_it_can);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
