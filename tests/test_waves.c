/* The tool's look at an electrical turn of a brushless motor. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/waves.h>

#define PI 3.14159265358979323846

/* The power that does not turn the rotor is lost in copper and switches, the torque is what
 * friction and load take, three currents make none, and a turn has six codes. */
START_TEST(its_waves_add_up) {
    static const struct {
        const char *rig;
        double duty;
    } rows[] = {{"honey-spinner", 0.6}, {"honey-spinner", -0.35}, {"honey-fan", 0.7}};
    char path[300], why[300];
    wpin_messages m = {0};
    snprintf(path, sizeof path, "%s/demo/%s.yaml", TEST_SOURCE, rows[_i].rig);
    wpin_rig *rig = wpin_rig_read(path, &m);
    wpin_waves w;
    ck_assert_msg(wpin_waves_take(rig, 0, rows[_i].duty, &w, why, sizeof why), "%s", why);
    const wpin_rig_load *l = &rig->loads[0];
    wpin_at_shaft shaft = wpin_part_at_shaft(&l->motor);
    double speed = fabs(w.rpm) * PI / 30 * l->motor.gear_ratio;
    double drags = shaft.drags + shaft.viscous * speed + shaft.quadratic * speed * speed;
    ck_assert_double_eq_tol(fabs(w.torque), drags, 0.03 * drags);
    double squares = 0, codes = 0, most = 0;
    for (size_t i = 0; i < w.count; i++) {
        const wpin_waves_row *r = &w.rows[i];
        for (int x = 0; x < 3; x++) {
            squares += r->phases.amps[x] * r->phases.amps[x] / (double)w.count;
        }
        most = fmax(most, fabs(r->phases.amps[0] + r->phases.amps[1] + r->phases.amps[2]));
        codes += i > 0 && r->code != w.rows[i - 1].code;
    }
    double copper = squares * l->motor.resistance / 2, lost = w.watts - w.driven;
    ck_assert_double_lt(most, 1e-9);
    ck_assert_double_gt(lost, copper);
    ck_assert_double_lt(lost, 2 * copper + 0.3 * l->bridge.diode_volts * w.rms + 0.05);
    ck_assert_double_eq_tol(codes, l->hall.there ? 12 : 0, 1);
    ck_assert(wpin_waves_picture(&w, scratch("waves.png"), "waves", why, sizeof why));
    ck_assert(w.rpm * rows[_i].duty > 0 && w.least <= w.torque && w.torque <= w.most);
    wpin_waves_free(&w);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

/* The advance that its waves ask for brings the current to where it makes the torque, both ways: it
 * turns faster at its duty, and loses no more. */
START_TEST(an_advance_mends_a_late_current) {
    double rpm[2], share[2];
    for (int mended = 0; mended < 2; mended++) {
        char why[300];
        wpin_waves w;
        wpin_messages m = {0};
        run_command(why, sizeof why,
                    "sed 's/uneven: 2deg/advance: %ddeg/;s/0.7mH/2.1mH/' %s/demo/%s > %s",
                    9 * mended, TEST_SOURCE, "honey-spinner.yaml", scratch("late.yaml"));
        wpin_rig *rig = wpin_rig_read(scratch("late.yaml"), &m);
        ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
        ck_assert_msg(wpin_waves_take(rig, 0, _i == 0 ? 0.95 : -0.95, &w, why, sizeof why), "%s",
                      why);
        double late = atan2(w.along, fabs(w.across)) * 180 / PI;
        ck_assert_msg(mended == 1 ? fabs(late) < 1 : late > 7 && late < 11, "%.2f deg", late);
        rpm[mended] = fabs(w.rpm);
        share[mended] = w.driven / w.watts;
        wpin_waves_free(&w);
        wpin_rig_free(rig);
        wpin_messages_free(&m);
    }
    ck_assert_msg(rpm[1] > 1.01 * rpm[0], "%.2f rpm, %.2f rpm", rpm[0], rpm[1]);
    ck_assert_msg(share[1] > share[0] - 0.002, "%.4f, %.4f", share[0], share[1]);
}
END_TEST

/* An order that turns it, faster than the right one, is no "ok". */
START_TEST(a_wrong_order_that_turns_is_told) {
    static const char *const codes[] = {"[5, 1, 3, 2, 6, 4]", "[4, 5, 1, 3, 2, 6]"};
    static char said[8000];
    run_command(said, sizeof said,
                "sed 's/uneven: 2deg/codes: %s/;/^    speed:/d;/current-trip/d;s/up: 6s, down: "
                "9s/up: 2s, down: 2s/' %s/demo/honey-spinner.yaml > %s && printf 'main on\\ndrum "
                "ramp 40%%%%\\ndrum hold 3s\\ndrum stop\\n' > %s",
                codes[_i], TEST_SOURCE, scratch("order.yaml"), scratch("order.plan"));
    int status = run_command(said, sizeof said, TEST_TOOL " run %s %s", scratch("order.yaml"),
                             scratch("order.plan"));
    ck_assert_msg(status == _i, "%s", said);
    ck_assert_msg((strstr(said, "are due at this duty: its wires may be in another order") !=
                   NULL) == (_i == 1),
                  "%s", said);
}
END_TEST

START_TEST(what_has_no_waves_says_so) {
    char path[300], why[300];
    wpin_messages m = {0};
    wpin_waves w;
    snprintf(path, sizeof path, "%s/demo/honey-pump.yaml", TEST_SOURCE);
    wpin_rig *rig = wpin_rig_read(path, &m);
    ck_assert(!wpin_waves_take(rig, 0, 0.5, &w, why, sizeof why));
    ck_assert(strstr(why, "not a brushless motor") != NULL);
    wpin_rig_free(rig);
    snprintf(path, sizeof path, "%s/demo/honey-spinner.yaml", TEST_SOURCE);
    rig = wpin_rig_read(path, &m);
    ck_assert(!wpin_waves_take(rig, 0, 0.01, &w, why, sizeof why));
    ck_assert_msg(strstr(why, "does not come to turn evenly") != NULL, "%s", why);
    wpin_rig_free(rig);
    wpin_messages_free(&m);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("waves");
    TCase *tests = tcase_create("waves");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, its_waves_add_up, 0, 3);
    tcase_add_loop_test(tests, an_advance_mends_a_late_current, 0, 2);
    tcase_add_test(tests, what_has_no_waves_says_so);
    tcase_add_loop_test(tests, a_wrong_order_that_turns_is_told, 0, 2);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
