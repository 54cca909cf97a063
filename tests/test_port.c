/* The conformance suite on the simulated port and on the recorder; and that it finds what is wrong.
 */
#include "support.h"
#include <string.h>
#include <windpin/host/sim.h>
#include <windpin/porttest.h>

typedef struct found {
    char broken[2000];
    unsigned kept, left_out;
} found;

static void report(void *context, const char *rule, wpin_porttest_result result) {
    found *f = context;
    f->kept += result == WPIN_PORTTEST_KEPT;
    f->left_out += result == WPIN_PORTTEST_LEFT_OUT;
    if (result == WPIN_PORTTEST_BROKEN) {
        strcat(strcat(f->broken, rule), "; ");
    }
}

static found run_on(const wpin_port *port, bool pwm, bool leg) {
    found f = {0};
    wpin_porttest test = {.port = port,
                          .pins = {2, 3},
                          .has_pwm = pwm,
                          .pwm_pin = 9,
                          .pwm_hz = 1000,
                          .has_leg = leg,
                          .leg = {10, 11},
                          .dead_time_ns = 2000,
                          .report = report,
                          .context = &f};
    unsigned broken = wpin_porttest_run(&test);
    ck_assert_int_eq(broken == 0, f.broken[0] == '\0');
    return f;
}

START_TEST(the_simulated_port_keeps_the_rules) {
    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0xFFFFF000});
    wpin_port port = wpin_sim_port(sim);
    found f = run_on(&port, true, true);
    ck_assert_str_eq(f.broken, "");
    ck_assert_uint_ge(f.kept, 12);
    ck_assert_uint_eq(f.left_out, 1); /* it has no interrupts to lock out */
    wpin_sim_free(sim);
}
END_TEST

static bool recorder_shows(void *context, wpin_pin pin) {
    return ((recorder *)context)->level[pin] == 1;
}

static void recorder_pause(void *context, uint32_t us) {
    ((recorder *)context)->now += us;
}

START_TEST(the_recorder_keeps_the_rules) {
    recorder r;
    recorder_init(&r);
    recorder_grouped(&r);
    r.port.pause = recorder_pause;
    r.port.read = recorder_shows;
    found f = run_on(&r.port, false, false);
    ck_assert_str_eq(f.broken, "");
    ck_assert_uint_ge(f.kept, 7);
}
END_TEST

/* ---- ports with one thing wrong each ---- */

static wpin_port good;
static wpin_moment clock_back;

static wpin_moment runs_back(void *context) {
    clock_back += 7;
    return good.now(context) - (clock_back % 500 < 7 ? 900 : 0);
}

static void never_waits(void *context, uint32_t us) {
    good.pause(context, us / 3);
}

static wpin_status opens_low(void *context, wpin_pin pin, wpin_level level) {
    (void)level;
    return good.open(context, pin, WPIN_LOW);
}

static wpin_status writes_late(void *context, wpin_pin pin, wpin_level level) {
    static wpin_level last[256];
    wpin_level now = last[pin];
    last[pin] = level;
    return good.write(context, pin, now);
}

static wpin_status writes_all(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    (void)mask;
    return good.group_write(context, group, 0xFF, high);
}

static wpin_status half_the_duty(void *context, wpin_pin pin, uint16_t duty) {
    return good.pwm_duty(context, pin, duty / 2);
}

static wpin_status never_quite_full(void *context, wpin_pin pin, uint16_t duty) {
    return good.pwm_duty(context, pin, duty == 16384 ? 16200 : duty);
}

static wpin_status twice_as_fast(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                 wpin_pwm_achieved *achieved) {
    wpin_pwm_request faster = *request;
    faster.hz *= 2;
    wpin_status status = good.pwm_start(context, pin, &faster, achieved);
    achieved->millihertz = request->hz * 1000;
    return status;
}

static wpin_status never_turned(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                wpin_pwm_achieved *achieved) {
    wpin_pwm_request plain = *request;
    plain.inverted = false;
    return good.pwm_start(context, pin, &plain, achieved);
}

static wpin_status both_sides(void *context, wpin_pin high, wpin_pin low, uint16_t duty) {
    good.pwm_duty(context, low, 0);
    return good.pwm_duty(context, high, duty);
}

static wpin_status no_dead_time(void *context, wpin_pin high, wpin_pin low,
                                const wpin_pwm_request *request, wpin_pwm_achieved *achieved) {
    wpin_status status = good.leg_start(context, high, low, request, achieved);
    achieved->dead_time_ns = 0;
    return status;
}

START_TEST(what_is_wrong_is_found) {
    wpin_port wrong[11];
    static const char *const words[] = {"never runs back",   "microseconds of a pause",
                                        "before the pin is", "shows a level at once",
                                        "no others",         "share of the period",
                                        "no edges",          "frequency",
                                        "never on together", "no shorter",
                                        "inverted PWM"};
    wpin_sim *sims[11];
    for (int i = 0; i < 11; i++) {
        sims[i] = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});
        good = wrong[i] = wpin_sim_port(sims[i]);
    }
    wrong[0].now = runs_back;
    wrong[1].pause = never_waits;
    wrong[2].open = opens_low;
    wrong[3].write = writes_late;
    wrong[4].group_write = writes_all;
    wrong[5].pwm_duty = half_the_duty;
    wrong[6].pwm_duty = never_quite_full;
    wrong[7].pwm_start = twice_as_fast;
    wrong[8].leg_duty = both_sides;
    wrong[9].leg_start = no_dead_time;
    wrong[10].pwm_start = never_turned;
    for (int i = 0; i < 11; i++) {
        found f = run_on(&wrong[i], true, true);
        ck_assert_msg(strstr(f.broken, words[i]) != NULL, "%s is not in: %s", words[i], f.broken);
        wpin_sim_free(sims[i]);
    }
    ck_assert_uint_gt(wpin_porttest_run(NULL), 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("port");
    TCase *tests = tcase_create("port");
    tcase_add_test(tests, the_simulated_port_keeps_the_rules);
    tcase_add_test(tests, the_recorder_keeps_the_rules);
    tcase_add_test(tests, what_is_wrong_is_found);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
