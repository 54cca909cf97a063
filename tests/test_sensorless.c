/* Six-step without sensors, by the demo's fan: it starts from anywhere, on benches that are not
 * what the rig says, knows when it has lost its step, and is off whenever it has to be. */
#define _GNU_SOURCE
#include "support_sensorless.h"

/* From anywhere, both ways, and to the speed that the duty is due; its crossings are its turns. */
START_TEST(it_starts_from_anywhere) {
    for (int i = 0; i < STARTS; i++) {
        int way = i % 2 == 0 ? 1 : -1;
        set_up(kinds[_i], 0, (i + 0.3) / STARTS);
        ask(0.6 * way);
        wait_ms(4000);
        int32_t from = b.bound.sensorless_at_work.counts.counts;
        double rpm = wait_ms(300).rpm;
        double pairs = b.rig->loads[0].motor.pole_pairs, due = due_rpm(0.6);
        bool sine = strstr(kinds[_i], "sine") != NULL; /* its mean is 3/pi of its peak */
        ck_assert_msg(fabs(way * rpm - due) < (sine ? 0.07 : 0.03) * due,
                      "start %d: %g rpm, due are %g", i, rpm, way * due);
        double counted = (b.bound.sensorless_at_work.counts.counts - from) / (6 * pairs);
        ck_assert_double_eq_tol(counted, rpm / 60 * 0.3, 0.05 * due / 60 * 0.3 + 0.4);
        ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 0);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
        tear_down();
    }
}
END_TEST

/* Benches up to a fifth off in everything, comparators up to 30 mV. */
START_TEST(it_starts_on_benches_that_the_rig_does_not_know) {
    const char *asked = getenv("WPIN_BENCHES");
    int benches = asked != NULL ? atoi(asked) : 8, lost = 0;
    pick_seed(77);
    for (int i = 0; i < benches; i++) {
        set_up("s/c: 16}}/c: 16}, offset: 30mV}/", 0.2, pick(1000) / 1000.0);
        ask(0.3 + pick(71) / 100.0);
        wait_ms(5000);
        lost += b.bound.sensorless_at_work.lost;
        ck_assert_msg(wpin_motor_state(&b.motor) == WPIN_STATE_RUNNING, "bench %d: state %d", i,
                      wpin_motor_state(&b.motor));
        tear_down();
    }
    ck_assert_int_le(lost * 20, benches); /* started anew: one in twenty at the most */
}
END_TEST

/* What is asked waits until it runs; then the duty ramps, and never jumps upwards. */
START_TEST(its_effort_waits_for_the_start) {
    set_up("", 0, 0.1);
    wpin_sensorless_design d = wpin_rig_sensorless_design(b.rig, &b.rig->loads[0]);
    ask(1);
    double peak = 0;
    wpin_duty before = 0;
    wpin_duty most = (wpin_duty)(d.duty[d.count - 1] * WPIN_DUTY_FULL + 1);
    for (int i = 0; i < 4000; i++) {
        wpin_part_reading r = tick();
        bool runs = wpin_sensorless_doing(&b.bound.sensorless_at_work) == WPIN_SENSORLESS_RUN;
        wpin_duty now = wpin_motor_duty(&b.motor);
        peak = runs ? peak : fmax(peak, r.amps_max);
        ck_assert_int_le(now, runs && before > most ? before + 9 : most + 9);
        before = now > most ? now : most;
        ck_assert(runs || wpin_motor_state(&b.motor) != WPIN_STATE_RUNNING);
    }
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL);
    ck_assert_double_lt(peak, 3 * d.amps); /* the rotor swings about its place */
    ck_assert_double_gt(peak, 0.8 * d.amps);
    static const wpin_sensorless_state as_due[] = {WPIN_SENSORLESS_OFF, WPIN_SENSORLESS_ALIGN,
                                                   WPIN_SENSORLESS_RAMP, WPIN_SENSORLESS_RUN};
    ck_assert_int_eq(b.state_count, 4);
    ck_assert_mem_eq(b.states, as_due, sizeof as_due);
    tear_down();
}
END_TEST

/* ---- a regulated speed ---- */

static void ask_rpm(double rpm) {
    wpin_setpoint s = {WPIN_QUANTITY_SPEED, (int32_t)lround(rpm / 2600 * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
}

/* What it comes to after so many ms of its ramp and its start, by its crossings and in truth. */
static void comes_to(double rpm, int ms) {
    double least = 0, most = 0, told = 0;
    wait_ms(ms);
    for (int i = 0; i < 300; i++) {
        double now = tick().rpm * (rpm < 0 ? -1 : 1);
        least = i == 0 ? now : fmin(least, now);
        most = fmax(most, now);
        told += (double)wpin_motor_measurement(&b.motor).speed / WPIN_DUTY_FULL * 2600 / 300;
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_msg(least > 0.99 * fabs(rpm) && most < 1.01 * fabs(rpm), "%g to %g of %g rpm", least,
                  most, rpm);
    ck_assert_double_eq_tol(told, rpm,
                            0.003 * fabs(rpm)); /* on average: each is of whole periods */
}

/* On benches that the rig does not know, both ways, as slow as its crossings lead; held by a hand
 * it starts anew and comes back; and from a duty to a speed without a jump. */
START_TEST(its_speed_is_regulated_by_its_crossings) {
    pick_seed((uint32_t)_i + 77);
    set_up("s/    ramp:/    speed: {rated: 2000rpm, maximum: 2600rpm}\\n    ramp:/",
           _i == 0 ? 0 : 0.2, pick(1000) / 1000.0);
    int8_t way = _i % 2 == 0 ? 1 : -1;
    ask_rpm(way * (600.0 + pick(1300)));
    wait_ms(300);
    double rpm = way * (600.0 + pick(1300));
    ask_rpm(rpm); /* another one before it has started */
    comes_to(rpm, 6000);
    rpm = way * 420;
    ask_rpm(rpm);
    comes_to(rpm, 4000);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wait_ms(200);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    comes_to(rpm, 7000);
    ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 1);
    ask(way * 0.5);
    double before = fabs(wait_ms(3000).rpm);
    ask_rpm(way * before);
    double most = 0;
    for (int ms = 0; ms < 500; ms++) {
        most = fmax(most, fabs(tick().rpm));
    }
    ck_assert_double_lt(most, 1.04 * before);
    wpin_motor_stop(&b.motor, 0);
    wait_ms(8000);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_int_eq(wpin_motor_measurement(&b.motor).speed, 0);
    ask_rpm(-rpm);
    comes_to(-rpm, 6000);
    tear_down();
}
END_TEST

/* ---- the tool ---- */

/* The demo does what its plan asks; the vet rules know what can not start. */
START_TEST(the_tool_knows_it) {
    ck_assert_int_eq(run_command(output, sizeof output,
                                 TEST_TOOL " run %s/demo/honey-fan.yaml %s/demo/"
                                           "honey-fan.plan",
                                 TEST_SOURCE, TEST_SOURCE),
                     0);
    ck_assert(strstr(output, "fan hold 4s      +100.0 %") != NULL);
    ck_assert_int_ne(run_command(output, sizeof output,
                                 TEST_TOOL " find %s/demo/honey-fan.yaml fan", TEST_SOURCE),
                     0);
    ck_assert_msg(strstr(output, "it starts by the clock") != NULL, "%s", output);
    static const struct {
        const char *change, *rule;
    } bad[] = {{"s/c: 16}}/c: 16}, start-current: 200mA}/", "blind-start"},
               {"s/quadratic: 0.5uNms2.rad2/torque: 0.4Nm/", "blind-start"},
               {"s/c: 16}}/c: 16}, start-current: 13A}/", "start-current"},
               {"s/c: 16}}/c: 16}, offset: 400mV}/", "faint-crossing"},
               {"s/pwm: 20kHz/pwm: 5kHz/", "sector-pwm"}};
    for (size_t i = 0; i < sizeof bad / sizeof *bad; i++) {
        run_command(output, sizeof output, "sed '%s' %s/demo/honey-fan.yaml > %s", bad[i].change,
                    TEST_SOURCE, scratch("bad.yaml"));
        run_command(output, sizeof output, TEST_TOOL " vet %s", scratch("bad.yaml"));
        ck_assert_msg(strstr(output, bad[i].rule) != NULL, "%s:\n%s", bad[i].rule, output);
    }
}
END_TEST

/* Its comparators are read in the middle of the on part, whichever side is chopped, how often, and
 * by wires that turn the levels over: it turns as fast, to a thousandth. */
START_TEST(either_side_is_chopped_alike) {
    static const char *const hz[] = {"12kHz", "31kHz"};
    static const char *const ways[] = {
        "s/x/x/", "s/bridge-high/bridge-low/",
        "s/\\(kind: .*\\)/\\1\\n      inverted: [a-high, b-high, c-high]/",
        "s/\\(kind: three-phase-bridge\\).*/\\1-low\\n      inverted: [a-low, b-low, c-low]/"};
    double rpm[4];
    for (int i = 0; i < 4; i++) {
        run_command(output, sizeof output,
                    "sed '%s; s/pwm: 20kHz/pwm: %s/' %s/demo/honey-fan.yaml > %s", ways[i], hz[_i],
                    TEST_SOURCE, scratch("chopped.yaml"));
        run_command(output, sizeof output, TEST_TOOL " waves %s fan --duty 50%% --json",
                    scratch("chopped.yaml"));
        const char *found = strstr(output, "\"rpm\": ");
        ck_assert_msg(found != NULL, "%s", output);
        rpm[i] = atof(found + 7);
        ck_assert_double_gt(rpm[i], 1300);
        ck_assert_double_eq_tol(rpm[i], rpm[0], 1e-3 * rpm[0]);
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sensorless");
    TCase *tests = tcase_create("sensorless");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, it_starts_from_anywhere, 0, KINDS);
    tcase_add_test(tests, it_starts_on_benches_that_the_rig_does_not_know);
    tcase_add_test(tests, its_effort_waits_for_the_start);
    tcase_add_loop_test(tests, its_speed_is_regulated_by_its_crossings, 0, 8);
    tcase_add_test(tests, the_tool_knows_it);
    tcase_add_loop_test(tests, either_side_is_chopped_alike, 0, 2);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
