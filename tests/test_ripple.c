/* PWM on a brushed motor: what is sampled on simulated hardware against closed forms. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <string.h>
#include <windpin/host/calc.h>
#include <windpin/host/ripple.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static char output[4000];

static wpin_rig *read_rig(const char *rig, const char *change) {
    wpin_messages m = {0};
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/%s.yaml > %s", change,
                                 TEST_SOURCE, rig, scratch("ripple.yaml")),
                     0);
    wpin_rig *read = wpin_rig_read(scratch("ripple.yaml"), &m);
    ck_assert_msg(read != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return read;
}

static const struct {
    const char *rig, *change;
    int load;
    double duty;
    bool stops; /* the current does */
} rows[] = {
    {"honey-pump", "", 0, 0.6, false},
    {"honey-pump", "", 0, -0.6, false},
    {"honey-pump", "", 0, 0.97, false},
    {"honey-pump", "", 0, 0.997, false},
    {"honey-pump", "s/off-phase: slow/off-phase: fast/", 0, 0.8, false},
    {"honey-pump", "s/pwm: 20kHz/pwm: 500Hz/;s/torque: 0.12Nm/torque: 0.01Nm/", 0, 0.3, true},
    {"honey-pump", "s/pwm: 20kHz/pwm: 500Hz/;s/torque: 0.12Nm/torque: 0.01Nm/", 0, -0.3, true},
    {"honey-house", "", 1, 0.7, false},
};

/* Rows and figures say one thing; the current is that of the two phases' volts in the winding. */
START_TEST(what_is_sampled_is_what_volts_make) {
    char why[300] = "";
    wpin_ripple r;
    wpin_rig *rig = read_rig(rows[_i].rig, rows[_i].change);
    const wpin_part_motor *motor = &rig->loads[rows[_i].load].motor;
    ck_assert_msg(wpin_ripple_take(rig, rows[_i].load, rows[_i].duty, &r, why, sizeof why), "%s",
                  why);
    double way = rows[_i].duty < 0 ? -1 : 1;
    ck_assert_double_eq_tol(r.duty, rows[_i].duty, 1e-3);
    ck_assert_double_gt(way * r.rpm, 0);
    /* the mean of the volts is back-emf and resistance */
    ck_assert_double_eq_tol(r.volts, r.emf + motor->resistance * r.amps,
                            0.01 * fabs(r.volts) + 0.01);
    ck_assert_int_eq(r.stopped > 0.01, rows[_i].stops);
    ck_assert_double_ge(r.rms * r.rms, r.amps * r.amps * (1 - 1e-9));
    ck_assert_double_gt(r.watts, r.driven);
    ck_assert_double_gt(r.driven, 0);
    /* closed form: exponentials of L/R between the edges, cut at zero */
    wpin_pwm_loop loop = {.on_volts = way * (r.on_volts - r.emf) + 0 * motor->resistance,
                          .off_volts = way * (r.off_volts - r.emf),
                          .ohms = motor->resistance,
                          .henries = motor->inductance,
                          .hz = r.hz};
    wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, fabs(r.duty));
    double ripple = r.most - r.least, near = 0.03 * (wave.most - wave.least) + 0.005;
    ck_assert_msg(fabs(ripple - (wave.most - wave.least)) < near, "ripple %g A, not %g A", ripple,
                  wave.most - wave.least);
    ck_assert_double_eq_tol(way * r.amps, wave.mean, 0.04 * wave.mean + 0.02);
    /* it begins with an on phase, and the periods are alike */
    size_t period = r.count / 3;
    for (size_t i = 0; i < period; i++) {
        ck_assert_double_eq_tol(r.rows[i].amps, r.rows[i + period].amps, 0.02 * ripple + 1e-3);
    }
    ck_assert_double_gt(way * r.rows[1].volts, way * r.rows[period - 2].volts);
    ck_assert(wpin_ripple_picture(&r, scratch("ripple.png"), "ripple", why, sizeof why));
    ck_assert(!wpin_ripple_picture(&r, "/nowhere/ripple.png", "ripple", why, sizeof why));
    wpin_ripple_free(&r);
    wpin_rig_free(rig);
}
END_TEST

static const struct {
    const char *rig;
    int load;
    double duty;
    const char *words;
} refused[] = {{"honey-pump", 0, 1, "on all the time"},
               {"honey-pump", 0, 0.0001, "too short to show; expected 0.2 to 99.8 %"},
               {"honey-spinner", 0, 0.5, "not a brushed motor"},
               {"honey-turntable", 0, 0.5, "not a brushed motor"},
               {"honey-line", 0, 0.5, "regulated by its drive"},
               {"honey-house", 3, -0.5, "can not do that"}};

START_TEST(what_has_no_such_wave_is_told) {
    char why[300] = "";
    wpin_ripple r;
    wpin_rig *rig = read_rig(refused[_i].rig, "");
    ck_assert(!wpin_ripple_take(rig, refused[_i].load, refused[_i].duty, &r, why, sizeof why));
    ck_assert_msg(strstr(why, refused[_i].words) != NULL, "%s", why);
    wpin_ripple_free(&r);
    wpin_rig_free(rig);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("ripple");
    TCase *tests = tcase_create("ripple");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, what_is_sampled_is_what_volts_make, 0, COUNT(rows));
    tcase_add_loop_test(tests, what_has_no_such_wave_is_told, 0, COUNT(refused));
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
