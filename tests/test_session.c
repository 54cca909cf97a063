/* Sessions on a bench of our own, without the simulated hardware: a table of pins, a clock, and a
 * motor in a few lines. Then the same on the simulated board, carried on piece by piece. */
#include "support.h"
#include <math.h>
#include <string.h>
#include <windpin/host/rehearsal.h>

#define DRUM TEST_SOURCE "/demo/honey-drum.yaml"

#define SECOND 1000000000000 /* ps */

enum { DIRECTION = 4, BRAKE = 7, STOP = 8, PWM = 9 }; /* as the drum's rig says */

/* What may be wrong with it. */
typedef enum flaw { NONE, STALLED, LEAD_OFF, SWAPPED, NO_PWM, NO_HANDS, CALLS_FAIL, LATE } flaw;

typedef struct shop {
    wpin_rig *rig;
    wpin_plan *plan;
    flaw flaw;
    int64_t ps, lived; /* its clock; up to where the motor has turned */
    unsigned waits;
    uint8_t level[256];
    uint16_t duty[256];
    bool open[256], pressed, main_on;
    int32_t counts;
    wpin_moment counted_at;
    double speed, turned, amps; /* of the drum's motor, turns a second and turns */
} shop;

static wpin_moment now(void *context) {
    shop *s = context;
    s->ps += 2000000; /* each reading takes its time */
    return (wpin_moment)(s->ps / 1000000);
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    shop *s = context;
    s->level[pin] = (uint8_t)level;
    s->duty[pin] = level == WPIN_HIGH ? 16384 : 0;
    return s->flaw == CALLS_FAIL && s->ps > SECOND ? WPIN_FAULT_PORT : WPIN_OK;
}

static wpin_status open_pin(void *context, wpin_pin pin, wpin_level level) {
    ((shop *)context)->open[pin] = true;
    return write_pin(context, pin, level);
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    *achieved = (wpin_pwm_achieved){.millihertz = request->hz * 1000, .steps = 800};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    shop *s = context;
    s->duty[pin] = duty;
    return s->flaw == CALLS_FAIL && s->ps > SECOND ? WPIN_FAULT_PORT : WPIN_OK;
}

static bool read_pin(void *context, wpin_pin pin) {
    const shop *s = context;
    return pin == STOP ? s->pressed : s->level[pin] != 0; /* the stop's contact opens */
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)input;
    return (int16_t)lround(fabs(((shop *)context)->amps) * 200);
}

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    shop *s = context;
    (void)counter;
    *to = (wpin_count){.counts = s->counts, .at = s->counted_at};
    return WPIN_OK;
}

static void let_pass(void *context, uint32_t us) {
    ((shop *)context)->ps += (int64_t)us * 1000000;
}

static int64_t time_of(void *context) {
    return ((shop *)context)->ps;
}

/* The motor: a speed that follows its volts within 0.2 s, a current that is what makes it. */
static void wait(void *context, int64_t until) {
    shop *s = context;
    for (; s->lived < until; s->lived += 100000000) {
        double way = s->level[DIRECTION] != 0 ? 1 : -1, duty = s->duty[PWM] / 16384.0;
        bool braked = s->level[BRAKE] != 0;
        double full = s->main_on && s->flaw != LEAD_OFF ? 69 : 0; /* turns a second at 24 V */
        double target = braked ? 0 : way * duty * full * (s->flaw == SWAPPED ? -1 : 1);
        double ahead = target - s->speed;
        s->amps = full > 0 && !braked && duty > 0 ? 1.5 + 0.3 * fabs(ahead) : 0;
        s->speed += s->flaw == STALLED ? -s->speed : ahead * 0.0001 / 0.2;
        s->turned += s->speed * 0.0001;
        int32_t counts = (int32_t)floor(s->turned * 44);
        s->counted_at = counts != s->counts ? (wpin_moment)(s->lived / 1000000) : s->counted_at;
        s->counts = counts;
    }
    s->ps = until > s->ps ? until : s->ps;
    if (s->flaw == LATE && s->ps > SECOND && s->waits++ == 0) {
        s->ps += SECOND / 10;
    }
}

static bool switch_supply(void *context, size_t supply, bool on) {
    ((shop *)context)->main_on = on && supply == 0;
    return supply == 0;
}

static bool press(void *context, size_t input, bool pressed) {
    ((shop *)context)->pressed = pressed && input == 0;
    return input == 0;
}

static shop set_up(const char *plan, flaw with) {
    wpin_messages m = {0};
    shop s = {.flaw = with, .rig = wpin_rig_read(DRUM, &m)};
    ck_assert_msg(s.rig != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
    if (plan != NULL) {
        s.plan = wpin_plan_read_text("test", plan, s.rig, &m);
        ck_assert_msg(s.plan != NULL, "%s", m.count > 0 ? m.items[0].text : "?");
    }
    wpin_messages_free(&m);
    return s;
}

static wpin_bench bench_of(shop *s) {
    bool hands = s->flaw != NO_HANDS;
    return (wpin_bench){.context = s,
                        .port = {.context = s,
                                 .now = now,
                                 .open = open_pin,
                                 .write = write_pin,
                                 .pwm_start = s->flaw == NO_PWM ? NULL : pwm_start,
                                 .pwm_duty = pwm_duty,
                                 .read = read_pin,
                                 .millivolts = millivolts,
                                 .count = count,
                                 .pause = let_pass},
                        .time = time_of,
                        .wait = wait,
                        .switch_supply = hands ? switch_supply : NULL,
                        .press = hands ? press : NULL};
}

static void take_down(shop *s) {
    wpin_plan_free(s->plan);
    wpin_rig_free(s->rig);
}

static bool is_safe(const shop *s) {
    return s->duty[PWM] == 0 && s->level[PWM] == 0;
}

/* Runs the plan to its end. */
static wpin_report *run(shop *s, char *why, size_t size) {
    wpin_bench bench = bench_of(s);
    wpin_session_options options = {.onlooker = &wpin_verdicts};
    wpin_status refused;
    wpin_session *session =
        wpin_session_open(s->rig, s->plan, &bench, &options, &refused, why, size);
    while (session != NULL && wpin_session_step(session)) {
    }
    wpin_report *report = wpin_session_close(session, why, size);
    ck_assert(is_safe(s));
    return report;
}

static const char plan_text[] = "main on\ndrum ramp forward 40% in 2s\ndrum hold 2s\n"
                                "drum stop in 1s\nwait until drum resting at most 5s\n";

START_TEST(a_plan_is_judged_by_what_was_measured) {
    static const struct {
        flaw flaw;
        bool bad;
        size_t step; /* the first that says it */
        const char *words;
    } rows[] = {
        {NONE, false, 1, "as far as its encoder and its current show, as asked"},
        {STALLED, true, 1, "ended by a fault: "},
        {LEAD_OFF, true, 1, "ended by a fault: "},
        {SWAPPED, true, 1, "ended by a fault: "},
        {CALLS_FAIL, true, 1, "ended by a fault: "},
        {LATE, true, 1, "ended by a fault: WPIN_FAULT_LATE"},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        shop s = set_up(plan_text, rows[i].flaw);
        char why[400] = "";
        wpin_report *report = run(&s, why, sizeof why);
        ck_assert_msg(report != NULL, "row %zu: %s", i, why);
        ck_assert_msg(report->bad == rows[i].bad, "row %zu: %s", i, report->steps[1].words);
        const char *words = report->steps[rows[i].step].words;
        ck_assert_msg(strncmp(words, rows[i].words, strlen(rows[i].words)) == 0, "row %zu: %s", i,
                      words);
        if (rows[i].flaw == NONE) { /* 40 % of 69 turns a second, behind a gear of 12 */
            ck_assert_double_eq_tol(report->steps[2].measured_rpm, 0.4 * 69 * 60 / 12, 2);
            ck_assert_double_eq_tol(report->steps[2].measured_amps, 1.5, 0.1);
        }
        ck_assert_uint_eq(report->burn_count, 0);
        wpin_report_free(report);
        take_down(&s);
    }
}
END_TEST

/* No sensor, no claim. */
START_TEST(what_is_not_measured_is_not_claimed) {
    shop s = set_up(plan_text, STALLED);
    s.rig->loads[0].encoder.there = s.rig->loads[0].speed.there = false;
    s.rig->loads[0].limits.trip_input = -1;
    s.rig->loads[0].wire_count = 0;
    char why[400] = "";
    wpin_report *report = run(&s, why, sizeof why);
    ck_assert_msg(report != NULL, "%s", why);
    ck_assert(!report->bad);
    ck_assert_int_eq(report->steps[1].verdict, WPIN_VERDICT_NOTE);
    ck_assert_msg(strstr(report->steps[1].words, "not measured") != NULL, "%s",
                  report->steps[1].words);
    wpin_report_free(report);
    take_down(&s);
}
END_TEST

START_TEST(requests_from_outside_go_the_same_way) {
    shop s = set_up(NULL, NONE);
    wpin_bench bench = bench_of(&s);
    volatile int interrupted = 0;
    wpin_session_options options = {.supplies_on = true, .interrupted = &interrupted};
    wpin_status refused;
    char why[400];
    wpin_session *session =
        wpin_session_open(s.rig, NULL, &bench, &options, &refused, why, sizeof why);
    ck_assert_msg(session != NULL, "%s", why);
    ck_assert_ptr_null(wpin_session_motor(session, 1));
    wpin_motor *drum = wpin_session_motor(session, 0);
    ck_assert(wpin_session_until(session, 0.5));
    ck_assert(is_safe(&s)); /* nobody asked for anything */
    ck_assert_int_eq(wpin_motor_run(drum, WPIN_PERCENT(101), 0, 1000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(drum, WPIN_PERCENT(30), 1000000, 60000), WPIN_OK);
    ck_assert(wpin_session_until(session, 6));
    ck_assert_double_eq_tol(wpin_session_time(session), 6, 2e-3);
    ck_assert_msg(wpin_motor_state(drum) == WPIN_STATE_RUNNING, "%s",
                  wpin_status_name(wpin_motor_fault(drum)));
    ck_assert_uint_eq(s.duty[PWM], (unsigned)WPIN_PERCENT(30));
    ck_assert_double_eq_tol(s.speed, 0.3 * 69, 0.5);
    s.pressed = true;                           /* the rig's stop */
    for (double at = 6.1; at < 20; at += 0.1) { /* whatever else asks it to move */
        ck_assert(wpin_session_until(session, at));
        ck_assert_int_le(wpin_motor_duty(drum), (int)WPIN_PERCENT(30));
        (void)wpin_motor_run(drum, WPIN_PERCENT(30), 0, 60000);
    }
    ck_assert_int_eq(wpin_motor_run(drum, WPIN_PERCENT(30), 0, 60000), WPIN_REFUSED_NOT_ARMED);
    ck_assert(is_safe(&s));
    interrupted = 1;
    while (wpin_session_step(session)) {
    }
    ck_assert_int_eq(wpin_motor_duty(drum), 0);
    wpin_report *report = wpin_session_close(session, why, sizeof why);
    ck_assert(report->interrupted && !report->bad && report->event_count >= 1);
    ck_assert_str_eq(report->events[0].part, "stop");
    ck_assert_ptr_null(wpin_session_close(NULL, why, sizeof why));
    ck_assert(is_safe(&s));
    wpin_report_free(report);
    take_down(&s);
}
END_TEST

START_TEST(what_a_bench_can_not_do_is_refused) {
    char why[400] = "";
    shop s = set_up(plan_text, NO_HANDS);
    wpin_report *report = run(&s, why, sizeof why); /* the plan's "main on" */
    ck_assert(report != NULL && report->bad && report->result == WPIN_REFUSED_ARGUMENT);
    wpin_report_free(report);
    wpin_bench bench = bench_of(&s);
    wpin_session_options options = {.supplies_on = true};
    wpin_status refused;
    ck_assert_ptr_null(
        wpin_session_open(s.rig, s.plan, &bench, &options, &refused, why, sizeof why));
    ck_assert_str_eq(why, "supply 'main' can't be switched here");
    wpin_injection stalled = {.fault = WPIN_PART_FAULT_STALLED};
    options = (wpin_session_options){.faults = &stalled, .fault_count = 1};
    ck_assert_ptr_null(
        wpin_session_open(s.rig, s.plan, &bench, &options, &refused, why, sizeof why));
    ck_assert_msg(strstr(why, "faults can't be put in here") == why, "%s", why);
    take_down(&s);
    s = set_up(plan_text, NO_PWM);
    ck_assert_ptr_null(run(&s, why, sizeof why));
    ck_assert_msg(strstr(why, "load 'drum' (line ") == why, "%s", why);
    take_down(&s);
}
END_TEST

/* A run is over when all stands; what does not is named. */
START_TEST(it_ends_when_all_stands) {
    static const struct {
        double friction; /* of the drum */
        bool stands;
    } rows[] = {{22e-3, true}, {0, false}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        shop s = set_up("main on\ndrum ramp 40% in 6s\ndrum coast\n", NONE);
        wpin_part_motor *m = &s.rig->loads[0].motor;
        m->dry_friction = rows[i].friction;
        m->viscous_friction = m->load_viscous = 0;
        m->load_torque = rows[i].stands ? m->load_torque : 0;
        wpin_status refused;
        char why[400];
        wpin_report *report =
            wpin_rehearse(s.rig, s.plan, &(wpin_session_options){0}, &refused, why, sizeof why);
        ck_assert_msg(report != NULL, "%s", why);
        ck_assert_double_eq_tol(report->seconds, 6, 0.01); /* of the plan */
        ck_assert_int_eq(report->still_turning, rows[i].stands ? -1 : 0);
        ck_assert(report->bad == !rows[i].stands && (report->rest_seconds > 1) == rows[i].stands);
        const char *what = report->events[report->event_count - 1].what;
        ck_assert_msg(strncmp(what, rows[i].stands ? "stood " : "still turned ", 6) == 0, "%s",
                      what);
        wpin_report_free(report);
        take_down(&s);
    }
}
END_TEST

/* The simulated board, carried on in pieces of any length: the same plan, the same steps. */
START_TEST(pieces_come_to_the_same) {
    shop s = set_up(plan_text, NONE);
    char why[400];
    wpin_status refused;
    wpin_session_options options = {.onlooker = &wpin_verdicts};
    wpin_report *whole = wpin_rehearse(s.rig, s.plan, &options, &refused, why, sizeof why);
    wpin_board_bench board = {.rig = s.rig, .sim = wpin_board_build(s.rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    wpin_session *session =
        wpin_session_open(s.rig, s.plan, &bench, &options, &refused, why, sizeof why);
    pick_seed(7);
    for (double at = 0; wpin_session_until(session, at);) {
        at += pick(20000) * 1e-6;
    }
    wpin_report *pieces = wpin_session_close(session, why, sizeof why);
    ck_assert_uint_eq(pieces->step_count, whole->step_count);
    for (size_t i = 0; i < whole->step_count; i++) {
        const wpin_step_result *a = &whole->steps[i], *b = &pieces->steps[i];
        ck_assert_str_eq(a->words, b->words);
        ck_assert_double_eq_tol(a->at, b->at, 1e-9);
        ck_assert_double_eq_tol(a->rpm, b->rpm, 1e-6 * (1 + fabs(a->rpm)));
    }
    ck_assert_double_eq_tol(pieces->seconds, whole->seconds, 1e-9);
    wpin_report_free(whole);
    wpin_report_free(pieces);
    wpin_sim_free(board.sim);
    take_down(&s);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("session");
    TCase *tests = tcase_create("session");
    tcase_set_timeout(tests, 60);
    tcase_add_test(tests, a_plan_is_judged_by_what_was_measured);
    tcase_add_test(tests, what_is_not_measured_is_not_claimed);
    tcase_add_test(tests, requests_from_outside_go_the_same_way);
    tcase_add_test(tests, what_a_bench_can_not_do_is_refused);
    tcase_add_test(tests, it_ends_when_all_stands);
    tcase_add_test(tests, pieces_come_to_the_same);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
