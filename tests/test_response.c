/* A regulated speed's answer to a step and to a load: the prediction against the mathematics, the
 * bench against the prediction, and many benches. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/response.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))

static char output[8000];

static wpin_rig *demo_rig(const char *name, const char *change) {
    wpin_messages m = {0};
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/%s.yaml > %s", change,
                                 TEST_SOURCE, name, scratch("rig.yaml")),
                     0);
    wpin_rig *rig = wpin_rig_read(scratch("rig.yaml"), &m);
    ck_assert_msg(rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_messages_free(&m);
    return rig;
}

/* ---- the prediction ---- */

/* With the integral's time that of the motor, no winding, no feed-forward and a speed measured at
 * once, a step is answered by 1 - e^(-wt), and a load by T/J (e^(-t/lag) - e^(-wt)) / (w - 1/lag)
 * (inverse Laplace transforms of the closed loop, worked out by hand). */
typedef struct ideal {
    double lag, response; /* s */
} ideal;

static const ideal ideals[] = {{2, 0.2}, {0.5, 0.2}, {10, 1}, {0.3, 0.6}};

START_TEST(the_prediction_is_that_of_the_mathematics) {
    const ideal *p = &ideals[_i];
    const double inertia = 1e-3, k = 0.05, full = 300, tick = p->response / 400;
    wpin_speed_plant plant = {.amps_per_duty = 20,
                              .amps_per_speed = inertia / p->lag / k,
                              .constant = k,
                              .inertia = inertia,
                              .full = full,
                              .tick = tick};
    double gain = k * 20 / (inertia / p->lag) / full; /* full speeds for a duty */
    wpin_speed_design design = {.full = full,
                                .gain = p->lag / (gain * p->response),
                                .integral_time = p->lag,
                                .delay = tick,
                                .response = p->response};
    enum { COUNT = 6000 };
    static double speeds[COUNT];
    wpin_speed_asked asked = {.from = 0.2,
                              .to = 0.3,
                              .rate = 1e9,
                              .slew = 1e9,
                              .window = tick / 16,
                              .torque = 0.01,
                              .load_at = COUNT / 2};
    ck_assert(wpin_calc_speed_course(&plant, &design, &asked, speeds, COUNT));
    double w = 1 / p->response;
    for (int i = 0; i < COUNT; i += 50) {
        double t = (i + 0.5) * tick; /* a held effort is half a tick late */
        double expected = 0.2 + 0.1 * (1 - exp(-w * t));
        if (i >= COUNT / 2) {
            double u = (i + 1 - COUNT / 2) * tick;
            expected -= 0.01 / inertia / full * (exp(-u / p->lag) - exp(-w * u)) / (w - 1 / p->lag);
        }
        ck_assert_double_eq_tol(speeds[i], expected, 0.1 * 0.005);
    }
}
END_TEST

/* ---- the bench ---- */

typedef struct row {
    const char *rig, *load, *change;
    wpin_response_test test;
    double near; /* how near figures of bench and prediction are, share */
} row;

static const row rows[] = {
    {"honey-drum", "drum", "", {.from = 0}, 0.05},
    {"honey-drum", "drum", "", {.from = 60, .to = 240, .torque = 2}, 0.08},
    {"honey-drum", "drum", "", {.from = 220, .to = 100, .torque = 2.5}, 0.08},
    {"honey-drum",
     "drum",
     "s/up: 6s, down: 9s/up: 3s, down: 3s/",
     {.from = 100, .to = 130, .torque = 1},
     0.08},
    {"honey-drum", "drum", "s/encoder: {/encoder: {moments: no, /", {.torque = 3}, 0.25},
    {"honey-airing", "fan", "", {.from = 0}, 0.1},
    {"honey-gate", "gate", "", {.from = 0}, 0.15},
    {"honey-gate", "gate", "", {.from = 16, .to = 10, .torque = 0.1}, 0.2},
};

static void compare(const row *r, const char *what, double predicted, double is, double hair) {
    ck_assert_msg(fabs(is - predicted) <= r->near * predicted + hair,
                  "%s %g to %g: %s predicted %g, is %g", r->load, r->test.from, r->test.to, what,
                  predicted, is);
}

START_TEST(the_bench_answers_as_predicted) {
    const row *r = &rows[_i];
    wpin_rig *rig = demo_rig(r->rig, r->change);
    wpin_response response;
    char why[400] = "";
    int load = wpin_rig_find_load(rig, r->load);
    ck_assert_msg(wpin_respond(rig, rig, load, &r->test, &response, why, sizeof why), "%s", why);
    const wpin_response_figures *p = &response.predicted, *m = &response.happened;
    double tick = rig->controller.tick;
    compare(r, "rise", p->rise, m->rise, 2 * tick);
    compare(r, "overshoot", p->overshoot, m->overshoot, 0.02);
    compare(r, "settling", p->settling, m->settling, 10 * tick);
    compare(r, "dip", p->dip, m->dip, 0.01);
    compare(r, "recovery", p->recovery, m->recovery, 20 * tick);
    ck_assert_double_lt(m->off, 0.002);
    ck_assert(wpin_response_holds(p, m, tick));
    /* the record: asked within the ramp, time in ticks, and true beside measured */
    for (size_t i = 0; i < response.count; i++) {
        const wpin_response_row *w = &response.rows[i];
        ck_assert_double_eq_tol(w->at, (double)(i + 1) * tick, 1e-9);
        ck_assert_double_le(w->asked, fmax(response.test.from, response.test.to) * 1.0005);
        double grain = strstr(r->change, "moments") != NULL ? 0.1 : 0.03; /* of a coarse encoder */
        ck_assert_double_eq_tol(w->measured, w->rpm, grain * rig->loads[load].speed.rated);
    }
    wpin_response_free(&response);
    wpin_rig_free(rig);
}
END_TEST

/* ---- many benches ---- */

static double told;

static void hear(void *context, double done, double of) {
    ck_assert(context == &told && done <= of);
    told = fmax(told, done);
}

START_TEST(many_benches_answer_as_predicted) {
    const char *many = getenv("WPIN_RESPONSES");
    size_t count = many != NULL ? (size_t)strtoul(many, NULL, 10) : 100;
    static const struct {
        const char *rig, *load;
    } loads[] = {{"honey-drum", "drum"}, {"honey-gate", "gate"}};
    wpin_rig *rig = demo_rig(loads[_i].rig, "");
    int load = wpin_rig_find_load(rig, loads[_i].load);
    wpin_response_bench *benches = calloc(count, sizeof *benches);
    wpin_response_test test = {0};
    told = 0;
    ck_assert(wpin_respond_spread(rig, load, &test, 0.2, 7, benches, count, hear, &told));
    ck_assert(told > 0);
    for (size_t i = 0; i < count; i++) {
        const wpin_response_bench *b = &benches[i];
        ck_assert_uint_eq(b->seed, 7 + i);
        ck_assert_msg(b->ran && b->holds,
                      "%s seed %u: overshoot %g, settling %g, dip %g, recovery %g", loads[_i].load,
                      b->seed, b->figures.overshoot, b->figures.settling, b->figures.dip,
                      b->figures.recovery);
    }
    /* a bench of the sweep is that bench alone, whoever ran it */
    for (size_t i = 0; i < count; i += count / 3) {
        wpin_rig *bench = wpin_bench_vary(rig, load, 0.2, benches[i].seed, true);
        wpin_response r;
        char why[300];
        ck_assert(wpin_respond(rig, bench, load, &test, &r, why, sizeof why));
        ck_assert_int_eq(memcmp(&r.happened, &benches[i].figures, sizeof r.happened), 0);
        wpin_response_free(&r);
        wpin_bench_free(bench);
    }
    free(benches);
    wpin_rig_free(rig);
}
END_TEST

START_TEST(what_is_not_the_rigs_motor_shows) {
    wpin_rig *rig = demo_rig("honey-drum", "");
    wpin_rig *bench = wpin_bench_vary(rig, 0, 0, 1, true);
    const struct {
        double *constant, times;
    } spoilt[] = {{&bench->loads[0].motor.load_inertia, 8},
                  {&bench->loads[0].motor.constant, 0.5},
                  {&bench->loads[0].motor.resistance, 5}};
    for (size_t i = 0; i < sizeof spoilt / sizeof *spoilt; i++) {
        double was = *spoilt[i].constant;
        *spoilt[i].constant *= spoilt[i].times;
        wpin_response r;
        wpin_response_test test = {.torque = 2};
        char why[300];
        bool ran = wpin_respond(rig, bench, 0, &test, &r, why, sizeof why);
        ck_assert_msg(!ran || !wpin_response_holds(&r.predicted, &r.happened, 1e-3), "row %zu", i);
        wpin_response_free(&r);
        *spoilt[i].constant = was;
    }
    wpin_bench_free(bench);
    wpin_rig_free(rig);
}
END_TEST

/* ---- the command ---- */

typedef struct call {
    const char *arguments;
    int status;
    const char *words;
} call;

static const call calls[] = {
    {"demo/honey-drum.yaml drum", 0, "That is as predicted"},
    {"demo/honey-drum.yaml drum --json", 0, "\"as_predicted\": 1"},
    {"demo/honey-drum.yaml drum --spread 20% --benches 20", 0, "20 of 20 benches"},
    {"demo/honey-drum.yaml drum --spread 20% --benches 20 --json", 0, "\"worst\""},
    {"demo/honey-drum.yaml drum --spread 20% --seed 3", 0, "up to 20 % (seed 3)"},
    {"demo/honey-pump.yaml pump", 2, "the speed of 'pump' is not regulated"},
    {"demo/honey-drum.yaml pump", 2, "pump"},
    {"demo/honey-drum.yaml drum --to 900rpm", 2, "expected above 0 and up to 240 rpm"},
    {"demo/honey-drum.yaml drum --from 100rpm --to 101rpm", 2, "is not a step"},
    {"demo/honey-drum.yaml drum --from 0rpm", 2, "expected more than 0"},
    {"demo/honey-drum.yaml drum --torque 3V", 2, "--torque"},
    {"demo/honey-drum.yaml drum --torque 200Nm", 1, "WPIN_FAULT_STALLED"},
    {"demo/honey-drum.yaml drum --benches 5", 2, "expected --spread"},
    {"demo/honey-drum.yaml drum --benches 0", 2, "1 to 10000"},
    {"demo/honey-drum.yaml drum --spread 90%", 2, "expected 0% to 50%"},
    {"demo/honey-drum.yaml drum --plot answer.txt", 1, ".png or .svg"},
};

START_TEST(the_command_tells_it) {
    const call *c = &calls[_i];
    int status = run_command(output, sizeof output, "cd %s && %s response %s 2>&1", TEST_SOURCE,
                             TEST_TOOL, c->arguments);
    ck_assert_msg(status == c->status && strstr(output, c->words) != NULL, "%s: %d\n%s",
                  c->arguments, status, output);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("response");
    TCase *tests = tcase_create("response");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, the_prediction_is_that_of_the_mathematics, 0, COUNT(ideals));
    tcase_add_loop_test(tests, the_bench_answers_as_predicted, 0, COUNT(rows));
    tcase_add_loop_test(tests, many_benches_answer_as_predicted, 0, 2);
    tcase_add_test(tests, what_is_not_the_rigs_motor_shows);
    tcase_add_loop_test(tests, the_command_tells_it, 0, COUNT(calls));
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
