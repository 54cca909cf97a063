/* Homing and travel: where a shaft counts from, and where it may go, whatever is in the way. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/plan.h>
#include <windpin/host/rehearsal.h>

/* Switch and stop in one: by sed, what the demo's gate is turned into. */
#define NO_SWITCH                                                                                  \
    "s/limits: {forward: gate-open, reverse: gate-shut}/limits: {forward: gate-open}/;"            \
    "/gate-shut:/d"

static char output[4000];

typedef struct rehearsed {
    wpin_rig *rig;
    wpin_plan *plan;
    wpin_report *report;
} rehearsed;

/* Reads the demo's gate, changed, with a plan; the report is NULL when a mistake was found. */
static rehearsed rehearse(const char *change, const char *plan, wpin_messages *m) {
    rehearsed r = {0};
    ck_assert_int_eq(run_command(output, sizeof output, "sed '%s' %s/demo/honey-gate.yaml > %s",
                                 change, TEST_SOURCE, scratch("gate.yaml")),
                     0);
    r.rig = wpin_rig_read(scratch("gate.yaml"), m);
    ck_assert_msg(r.rig != NULL || m->count > 0, "no message");
    r.plan = r.rig == NULL ? NULL : wpin_plan_read(write_file("gate.plan", plan), r.rig, m);
    if (r.plan != NULL) {
        wpin_session_options options = {.supplies_on = true};
        wpin_status refused;
        char why[300];
        r.report = wpin_rehearse(r.rig, r.plan, &options, &refused, why, sizeof why);
        ck_assert_msg(r.report != NULL, "%s", why);
    }
    return r;
}

static void let_go(rehearsed *r, wpin_messages *m) {
    wpin_report_free(r->report);
    wpin_plan_free(r->plan);
    wpin_rig_free(r->rig);
    wpin_messages_free(m);
}

typedef struct homing {
    const char *change, *plan;
    double low, high; /* true place, deg, where 0 then is */
} homing;

static const homing homings[] = {
    {"s/start: 37deg/start: 60deg/", "gate home reverse 8rpm at most 8s", -1.6, -1},
    {"s/start: 37deg/start: -3deg/", "gate home reverse 8rpm at most 8s", -1.6, -1},
    {"s/start: 37deg/start: -1.05deg/", "gate home reverse 20rpm at most 8s", -1.7, -1},
    {"s/torque: 0.3Nm/torque: 0.1Nm/", "gate home reverse 12rpm at most 8s", -1.7, -1},
    {"", "gate home reverse 8rpm until gate-shut reached at most 8s", -1.6, -1},
    {"s/at-limit: opens}    # a/at-limit: closes}  # a/", "gate home reverse 8rpm at most 8s", -1.6,
     -1},
    {"s/least: 1deg, most: 90deg/least: -90deg, most: -1deg/", "gate home 8rpm at most 9s", 92,
     92.6},
    {NO_SWITCH, "gate home reverse 4rpm until gate above 0.8A at most 20s", -4.05, -3.9},
    {NO_SWITCH ";s/start: 37deg/start: -4deg/",
     "gate home reverse 4rpm until gate above 0.8A at most 20s", -4.05, -3.9},
};

/* ---- S-shaped: a shaft that does what it is told, some ticks late ---- */

typedef struct shaft {
    wpin_position_config config;
    wpin_position at_work;
    double scale; /* speed for a count a second */
    double place; /* counts */
    double told[16];
    unsigned late, ticks;
} shaft;

enum { FULL_HZ = 4000 };

static int16_t pass_tick(shaft *s, int32_t goal) {
    wpin_measurement m = {.valid = WPIN_HAS_POSITION | WPIN_HAS_SPEED, .dt_us = 1000};
    wpin_given given = {0};
    m.position = (int32_t)floor(s->place);
    int16_t speed = (int16_t)wpin_position_step(&s->at_work, &s->config, goal, &m, &given);
    s->told[s->ticks % 16] = speed / s->scale;
    s->place += s->told[(s->ticks + 16 - s->late) % 16] * 1e-3;
    s->ticks++;
    return speed;
}

static double random_unit(void) {
    return pick(10000) / 10000.0;
}

/* Any motor: `move` in counts. */
static shaft any_shaft(wpin_rig_move *move) {
    double scale = (double)WPIN_DUTY_FULL / FULL_HZ, near = 5 + 15 * random_unit();
    int bend = 5 + (int)(random_unit() * 6);
    move->top = FULL_HZ * (0.2 + 0.8 * random_unit());
    move->bend = ldexp(1e-3, bend);
    double most = 60000 / (256 * scale * 1e-3); /* what its constants hold: 0 to full in 64 ms */
    move->up = fmin(move->top / move->bend / (0.3 + 3 * random_unit()), most);
    move->down = fmin(move->up * (0.3 + 2 * random_unit()), most);
    double up = move->up * scale * 1e-3, down = move->down * scale * 1e-3;
    return (shaft){
        .config = {.most = (uint16_t)(move->top * scale),
                   .brake = (uint16_t)(16 * sqrt(2 * move->down) * scale),
                   .gain = (uint16_t)(256 * scale * near),
                   .blend = (uint16_t)(move->down / (2 * near * near)),
                   .up = (uint16_t)(up + 1),
                   .bend = (uint8_t)bend,
                   .rise = (uint16_t)round(256 * up),
                   .fall = (uint16_t)round(256 * down),
                   .near = (uint16_t)(500 / near),
                   .lead = (uint16_t)(0x1p22 * 1e-3 / scale),
                   .square = (uint32_t)fmin(ldexp(1, bend + 14) / round(256 * down), 1 << 17)},
        .scale = scale};
}

/* As fast as its constants let it; neither its speed nor its acceleration jumps, but for the last
 * few counts; and it does not go past the place. */
START_TEST(s_shaped_moves_have_no_corners) {
    pick_seed((uint32_t)_i + 1);
    wpin_rig_move move;
    shaft s = any_shaft(&move);
    s.late = (unsigned)(random_unit() * 8);
    int32_t goal = (int32_t)((1 - 2 * (_i % 2)) * (20 + 20000 * random_unit() * random_unit()));
    unsigned window = 1U << (s.config.bend - 3), near = 0;
    double most = fmax(s.config.rise, s.config.fall) / 256, before = 0, first = 0, highest = 0;
    double expected = wpin_rig_move_time(&move, goal) + 1;
    for (; fabs(goal - s.place) > 1 && s.ticks < 60000; near = 0) {
        int16_t speed = 0;
        for (unsigned i = 0; i < window; i++) {
            speed = pass_tick(&s, goal);
            near += fabs(goal - s.place) / 2 <= 2 * s.config.blend + speed / s.scale * 0.01 + 4;
        }
        double change = (speed - first) / window, rounding = 2.0 / window;
        ck_assert_double_le(fabs(change), most + rounding + (near != 0 ? WPIN_DUTY_FULL : 0));
        ck_assert_msg(near != 0 || fabs(change - before) <= 1.3 * most / 8 + 2 * rounding,
                      "%d: late %u, bend %u: from %g to %g of %g at %g of %d", _i, s.late,
                      s.config.bend, before, change, most, s.place, (int)goal);
        first = speed, before = change;
        highest = fmax(highest, fabs((double)speed));
    }
    ck_assert_double_le(highest, s.config.most);
    ck_assert_msg(s.ticks * 1e-3 <= 1.25 * expected, "%d: %g s instead of %g", _i, s.ticks * 1e-3,
                  expected);
    for (int i = 0; i < 3000; i++) {
        pass_tick(&s, goal);
        ck_assert_double_le(fabs(s.place - goal), 2 + s.late);
    }
}
END_TEST

/* Each time over its place it comes back half as fast, an eighth at the least; with another place,
 * or asked anew once it had come there, all of it is forgotten. */
START_TEST(it_comes_back_more_gently) {
    wpin_position_config config = {
        .most = 16384, .brake = 400, .gain = 8000, .blend = 3, .up = 16384};
    wpin_position p = {0};
    wpin_given given = {0};
    wpin_measurement m = {.valid = WPIN_HAS_SPEED | WPIN_HAS_POSITION};
    int16_t first = 0;
    for (int pass = 0; pass < 6; pass++) {
        m.position = pass % 2 == 0 ? 96 : 104;
        int16_t speed = (int16_t)wpin_position_step(&p, &config, 100, &m, &given);
        first = pass == 0 ? speed : first;
        ck_assert_int_eq(speed, (pass % 2 == 0 ? 1 : -1) * (first >> (pass < 3 ? pass : 3)));
        m.position = 100;
        ck_assert_int_eq(wpin_position_step(&p, &config, 100, &m, &given), 0);
    }
    ck_assert_int_gt(first, 80);
    m.position = 96;
    ck_assert_int_eq(wpin_position_step(&p, &config, 100, &m, &given), first >> 3);
    wpin_position_reset(&p, &config, &m, &given);
    ck_assert_int_eq(wpin_position_step(&p, &config, 100, &m, &given), first);
    m.position = 104;
    ck_assert_int_eq(wpin_position_step(&p, &config, 100, &m, &given), -(first >> 1));
    ck_assert_int_eq(wpin_position_step(&p, &config, 108, &m, &given), first);
    config.gain = 100; /* by fine counts, gently, and yet not so that it would stand for ever */
    for (int pass = 0; pass < 6; pass++) {
        m.position = pass % 2 == 0 ? 104 : 112;
        ck_assert_int_eq(wpin_position_step(&p, &config, 108, &m, &given), pass % 2 == 0 ? 1 : -1);
    }
}
END_TEST

/* Another place on the way, behind it too: it slows, turns and comes there. */
START_TEST(an_s_is_planned_anew_on_the_way) {
    pick_seed((uint32_t)_i + 77);
    wpin_rig_move move;
    shaft s = any_shaft(&move);
    double most = fmax(s.config.rise, s.config.fall) / 256;
    for (int way = 0; way < 6; way++) {
        int32_t goal = (int32_t)(30000 * (random_unit() - 0.5));
        int ticks = way == 5 ? 60000 : (int)(3000 * random_unit());
        for (int16_t was = s.at_work.speed; ticks > 0; ticks--) {
            double off = fabs(goal - s.place);
            int16_t speed = pass_tick(&s, goal);
            bool near = off / 2 <= 2 * s.config.blend + fabs((double)was) / s.scale * 0.01 + 4;
            bool clamped =
                off < 2 * move.top * move.top / move.down; /* it can't be braked at once */
            ck_assert_double_le(abs(speed - was), near || clamped ? WPIN_DUTY_FULL : most + 2);
            was = speed;
        }
        ck_assert(way < 5 || fabs(s.place - goal) <= 2);
    }
}
END_TEST

/* Wherever it stands at first, on the switch too, whatever kind it is: the same place is 0. */
START_TEST(home_is_one_place) {
    const homing *h = &homings[_i];
    char plan[400];
    bool forward = strstr(h->plan, "reverse") == NULL;
    snprintf(plan, sizeof plan, "%s\nwait 300ms\ngate turn to %s5deg\n", h->plan,
             forward ? "-" : "");
    wpin_messages m = {0};
    rehearsed r = rehearse(h->change, plan, &m);
    ck_assert_msg(r.report != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    for (size_t i = 0; i < r.report->step_count; i++) {
        const wpin_step_result *s = &r.report->steps[i];
        ck_assert_msg(s->verdict == WPIN_VERDICT_OK, "%s: %s", s->text, s->words);
    }
    ck_assert_uint_eq(r.report->step_count, 3);
    double from = r.report->steps[2].degrees_from, count = 360 / 7200.0;
    ck_assert_msg(from >= h->low && from <= h->high, "0 deg is %g deg", from);
    ck_assert_double_eq_tol(r.report->steps[2].degrees, forward ? -5 : 5, 1.01 * count);
    let_go(&r, &m);
}
END_TEST

#define HOMED "gate home reverse 8rpm at most 8s\n"

typedef struct trouble {
    const char *change, *plan, *words; /* what its last line says */
} trouble;

static const trouble troubles[] = {
    {"", "gate home reverse 8rpm at most 500ms", "did not come in time"},
    {"s/torque: 0.3Nm/torque: 0.01Nm/; s/dry-friction: [^,]*/dry-friction: 0.05mNm/",
     "gate home reverse 12rpm at most 8s\nwait 300ms\ngate turn to 5deg", "HUNTING"},
    {"", "fault gate motor-wire-off\ngate home reverse 8rpm at most 8s", "NO_CURRENT"},
    {"s/start: 37deg/start: 90deg/", "fault gate encoder-off\ngate home reverse 8rpm at most 8s",
     "FEEDBACK"},
    {"", "fault gate encoder-swapped\ngate home reverse 8rpm at most 8s", "WRONG_WAY"},
    {"", "fault gate-shut stuck\ngate home reverse 8rpm at most 8s", "STALLED"},
    {"", HOMED "gate run 12rpm for 20s", "stopped where its travel ends, 90 deg"},
    {"", HOMED "gate run 12rpm for 20s\ngate run 5rpm for 1s",
     "did not move: its travel ends here"},
    {"", "gate run 6rpm for 1s", "ok"},
    {"s/down: 300ms/&, shape: smooth/", HOMED "gate turn to 85.5deg\ngate turn to 30deg",
     "ok, at 30.05 deg (601 counts), 1 count off"},
    {"", HOMED "gate run 10rpm until gate-open reached at most 3s",
     "a limit ended its motion"}, /* its travel ends before the switch */
    {"", HOMED "gate run 12rpm for 20s\ngate run reverse 12rpm for 500ms",
     "ramp to zero and rest, to turn the other way"},
};

START_TEST(what_goes_wrong_is_named) {
    const trouble *t = &troubles[_i];
    wpin_messages m = {0};
    rehearsed r = rehearse(t->change, t->plan, &m);
    ck_assert_msg(r.report != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    const wpin_step_result *last = &r.report->steps[r.report->step_count - 1];
    ck_assert_msg(strstr(last->words, t->words) != NULL, "%s: %s", last->text, last->words);
    ck_assert_uint_eq(r.report->burn_count, 0);
    let_go(&r, &m);
}
END_TEST

static const trouble mistakes[] = {
    {"", "gate turn to 30deg", "is not known here (home: first in the rig)"},
    {"", "gate home reverse 8rpm at most 8s\ngate turn to 95deg", "expected 1 to 90 deg"},
    {"", "gate home reverse 8rpm at most 8s\ngate turn 20deg\ngate turn reverse 30deg",
     "-10 deg is beyond its travel"},
    {"", "gate home reverse 8rpm", "no wait without an end"},
    {"", HOMED "gate ramp 6rpm\ngate zero", "'gate' turns here (line"},
    {"", "gate home reverse 30% at most 8s", "expected a speed"},
    {"", "gate home reverse 8rpm until gate resting at most 8s", "not a sign of home"},
    {NO_SWITCH, "gate home reverse 8rpm at most 8s", "has no limit switch that way"},
    {"s/least: 1deg/least: 100deg/", "gate stop", "least (100 deg) is not below most (90 deg)"},
    {"s/least: 1deg, most: 90deg/least: -5000rev, most: 5000rev/;s/lines: 12/lines: 1200/",
     "gate stop", "its counts reach"},
};

START_TEST(mistakes_are_told) {
    const trouble *t = &mistakes[_i];
    wpin_messages m = {0};
    rehearsed r = rehearse(t->change, t->plan, &m);
    ck_assert(r.report == NULL);
    ck_assert_uint_ge(m.count, 1);
    ck_assert_msg(strstr(m.items[0].text, t->words) != NULL, "%s", m.items[0].text);
    let_go(&r, &m);
}
END_TEST

/* The core alone: nothing before home, nothing beyond, and lost with the readings. */
START_TEST(a_motor_knows_its_travel) {
    wpin_messages m = {0};
    rehearsed r = rehearse("", "gate stop", &m);
    wpin_bound_load bound;
    wpin_motor motor = {0};
    wpin_sim *sim = wpin_board_build(r.rig);
    wpin_port port = wpin_sim_port(sim);
    wpin_bind_load(&bound, r.rig, &r.rig->loads[0]);
    wpin_sim_switch(sim, 0, true);
    ck_assert_int_eq(wpin_bound_open(&bound, &motor, &port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
    wpin_motor_tick(&motor);
    ck_assert_int_eq(wpin_motor_turn_to(&motor, 30000, 5000), WPIN_REFUSED_NOT_HOMED);
    ck_assert_int_eq(wpin_motor_turn(&motor, 1000, 5000), WPIN_REFUSED_NOT_HOMED);
    ck_assert(!wpin_motor_is_homed(&motor));
    ck_assert_int_eq(wpin_motor_set_position(&motor, 600), WPIN_OK);
    ck_assert(wpin_motor_is_homed(&motor));
    ck_assert_int_eq(wpin_motor_turn_to(&motor, 90051, 5000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_turn_to(&motor, 900, 5000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_turn(&motor, 60051, 5000), WPIN_REFUSED_RANGE);
    ck_assert(!wpin_motor_busy(&motor));
    ck_assert_int_eq(wpin_motor_turn_to(&motor, 35000, 5000), WPIN_OK);
    for (int i = 0; i < 3000; i++) {
        wpin_motor_tick(&motor);
        wpin_sim_advance(sim, 1000000000);
    }
    ck_assert_int_eq(wpin_motor_measurement(&motor).position, 699);
    bound.travel.most = bound.travel.least; /* refused before anything is touched */
    wpin_motor other = {0};
    ck_assert_int_eq(wpin_motor_init(&other, &bound.motor, &port), WPIN_REFUSED_CONFIG);
    bound.travel.most = (1 << 30) + 1;
    ck_assert_int_eq(wpin_motor_init(&other, &bound.motor, &port), WPIN_REFUSED_CONFIG);
    wpin_motor_trip(&motor, WPIN_FAULT_FEEDBACK);
    wpin_motor_tick(&motor);
    ck_assert(!wpin_motor_is_homed(&motor));
    wpin_sim_free(sim);
    let_go(&r, &m);
}
END_TEST

#define COUNT(array) (int)(sizeof(array) / sizeof *(array))

int main(void) {
    Suite *suite = suite_create("places");
    TCase *tests = tcase_create("places");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, home_is_one_place, 0, COUNT(homings));
    tcase_add_loop_test(tests, what_goes_wrong_is_named, 0, COUNT(troubles));
    tcase_add_loop_test(tests, mistakes_are_told, 0, COUNT(mistakes));
    tcase_add_test(tests, a_motor_knows_its_travel);
    tcase_add_loop_test(tests, s_shaped_moves_have_no_corners, 0, 60);
    tcase_add_test(tests, it_comes_back_more_gently);
    tcase_add_loop_test(tests, an_s_is_planned_anew_on_the_way, 0, 30);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
