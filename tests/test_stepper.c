/* The stepper: steps, ramps, angles and what the coils show. */
#include "support.h"
#include <math.h>
#include <stdlib.h>

static const wpin_line coil_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 3}};
static const wpin_stage_config coils = {
    .table = &wpin_table_stepper, .lines = coil_lines, .dead_time_us = 1};

typedef struct bench {
    recorder r;
    wpin_stepper_config config;
    wpin_stepper stepper;
} bench;

static bench fresh(void) {
    return (bench){.config = {.stage = &coils,
                              .steps_a_turn = 200,
                              .start_rate = 100,
                              .top_rate = 800,
                              .rate_gain = 2000}};
}

static void open_bench(bench *b) {
    recorder_init(&b->r);
    b->r.now = 0xFFFFFFFF - 300000;
    b->r.pair_count = 2;
    b->r.high_pairs[0][1] = 1, b->r.high_pairs[1][0] = 2, b->r.high_pairs[1][1] = 3;
    ck_assert_int_eq(wpin_stepper_init(&b->stepper, &b->config, &b->r.port), WPIN_OK);
    ck_assert(!recorder_on(&b->r, 0) && !recorder_on(&b->r, 2));
}

/* Where the coils point, in eighths, -1 when off. */
static int pointing(const recorder *r) {
    static const int of[16] = {-1, 0, 4, -1, 2, 1, 3, -1, 6, 7, 5, -1, -1, -1, -1, -1};
    int bits = 0;
    for (int pin = 0; pin < 4; pin++) {
        bits |= recorder_on(r, (wpin_pin)pin) << pin;
    }
    return of[bits];
}

/* Ticks until it rests; how far the coils went, in half steps; checks each step and the slew. */
static int run(bench *b, double *seconds) {
    int at = pointing(&b->r), moved = 0, last_way = 0;
    double last_step = -1, last_rate = 0, time = 0;
    for (int i = 0; i < 2000000 && wpin_stepper_busy(&b->stepper); i++) {
        b->r.now += 100;
        time += 100e-6;
        wpin_stepper_tick(&b->stepper);
        int now = pointing(&b->r);
        if (now >= 0 && at >= 0 && now != at) {
            int step = (now - at + 12) % 8 - 4;
            ck_assert_int_eq(abs(step), b->config.half_steps ? 1 : 2);
            moved += step;
            double rate = last_step < 0 ? 0 : 1 / (time - last_step);
            ck_assert_double_le(rate, b->config.top_rate * 1.1);
            bool turned = step * last_way < 0; /* through rest: its first interval tells nothing */
            last_rate = turned ? 0 : last_rate;
            last_way = step;
            if (last_rate > 0) { /* no jump of the rate beyond what the ramp allows, and rounding */
                double most = b->config.rate_gain * (time - last_step) * 1.6 + rate * rate * 2e-4;
                ck_assert_msg(fabs(rate - last_rate) <= most + 15, "at %g s: %g to %g steps/s",
                              time, last_rate, rate);
            }
            last_rate = turned ? 0 : rate;
            last_step = time;
        }
        at = now >= 0 ? now : at;
    }
    ck_assert(!wpin_stepper_busy(&b->stepper));
    ck_assert_uint_eq(b->r.shoot_through, 0);
    *seconds = time;
    return moved;
}

START_TEST(moves_arrive_and_the_position_is_known) {
    static const int moves[] = {1, -1, 7, -200, 1000, -3333, 2, 0, 400};
    for (int half = 0; half < 2; half++) {
        bench b = fresh();
        b.config.half_steps = half;
        open_bench(&b);
        wpin_stepper_move(&b.stepper, 1);
        double seconds;
        run(&b, &seconds);
        int expected = 1;
        for (size_t i = 0; i < sizeof moves / sizeof *moves; i++) {
            expected += moves[i];
            ck_assert_int_eq(wpin_stepper_move(&b.stepper, moves[i]), WPIN_OK);
            ck_assert_int_eq(run(&b, &seconds), moves[i] * (half ? 1 : 2));
            ck_assert_int_eq(b.stepper.position, expected);
            ck_assert(b.stepper.held); /* holds at the end */
        }
    }
}
END_TEST

START_TEST(a_long_move_takes_the_time_of_its_ramp) {
    bench b = fresh();
    open_bench(&b);
    wpin_stepper_move(&b.stepper, 4000);
    double seconds;
    run(&b, &seconds);
    double ramp = (800 - 100) / 2000.0, ramp_steps = (800.0 * 800 - 100 * 100) / 4000;
    double expected = 2 * ramp + (4000 - 2 * ramp_steps) / 800;
    ck_assert_double_eq_tol(seconds, expected, expected * 0.01);
}
END_TEST

START_TEST(angles_carry_their_remainder) {
    for (int half = 0; half < 2; half++) {
        bench b = fresh();
        b.config.half_steps = half;
        b.config.start_rate = b.config.top_rate; /* quick */
        open_bench(&b);
        double seconds;
        for (int i = 0; i < 360; i++) { /* 1 degree is 0.56 of a step */
            ck_assert_int_eq(wpin_stepper_turn(&b.stepper, 1000), WPIN_OK);
            run(&b, &seconds);
        }
        ck_assert_int_eq(b.stepper.position, half ? 400 : 200);
        for (int i = 0; i < 100; i++) {
            wpin_stepper_turn(&b.stepper, -7654);
        }
        run(&b, &seconds);
        double exact = (half ? 400 : 200) * (1 - 765400 / 360000.0);
        ck_assert_double_eq_tol(b.stepper.position, exact, 1);
        wpin_stepper_turn(&b.stepper, 3600000);
        run(&b, &seconds);
        ck_assert_double_eq_tol(b.stepper.position, exact + (half ? 4000 : 2000), 1);
    }
}
END_TEST

START_TEST(places_are_told_and_gone_to_in_degrees) {
    static const int32_t places[] = {90000, -45000, 3600, 123456, 0, 359999, -720000, 1};
    bench b = fresh();
    open_bench(&b);
    double seconds;
    for (size_t i = 0; i < sizeof places / sizeof *places; i++) {
        ck_assert_int_eq(wpin_stepper_turn_to(&b.stepper, places[i]), WPIN_OK);
        run(&b, &seconds);
        ck_assert_int_eq(b.stepper.position, (int32_t)((int64_t)places[i] * 200 / 360000));
        ck_assert_int_le(abs(wpin_stepper_angle(&b.stepper) - places[i]), 1800);
    }
    /* the rest of a place that is no whole step counts in the next turn */
    ck_assert_int_eq(wpin_stepper_turn_to(&b.stepper, 900), WPIN_OK);
    ck_assert_int_eq(wpin_stepper_turn(&b.stepper, 900), WPIN_OK);
    ck_assert_int_eq(b.stepper.target, 1);
    ck_assert_int_eq(wpin_stepper_turn_to(&b.stepper, 1800000001), WPIN_REFUSED_RANGE);
}
END_TEST

START_TEST(stop_changed_targets_and_release) {
    bench b = fresh();
    b.config.release = true;
    open_bench(&b);
    wpin_stepper_move(&b.stepper, 5000);
    for (int i = 0; i < 10000; i++) {
        b.r.now += 100;
        wpin_stepper_tick(&b.stepper);
    }
    int32_t at = b.stepper.position;
    wpin_stepper_stop(&b.stepper);
    double seconds;
    run(&b, &seconds);
    ck_assert_int_gt(b.stepper.position, at + 100); /* ramps down, no sudden halt */
    ck_assert_int_lt(b.stepper.position, at + 250);
    ck_assert_int_eq(pointing(&b.r), -1); /* released at the end */
    wpin_stepper_move(&b.stepper, 2000);
    for (int i = 0; i < 10000; i++) {
        b.r.now += 100;
        wpin_stepper_tick(&b.stepper);
    }
    at = b.stepper.target;
    wpin_stepper_move(&b.stepper, -1900); /* back across where it is: slows, rests, returns */
    run(&b, &seconds);
    ck_assert_int_eq(b.stepper.position, at - 1900);
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, 0), WPIN_OK);
    wpin_stepper_move(&b.stepper, 1);
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, 0), WPIN_REFUSED_NOT_ZERO);
}
END_TEST

START_TEST(wrong_settings_are_refused) {
    for (int i = 0; i < 7; i++) {
        bench b = fresh();
        wpin_status expected = WPIN_REFUSED_RANGE;
        wpin_stage_config stage = coils;
        recorder_init(&b.r);
        switch (i) {
        case 0: b.config.steps_a_turn = 3; break;
        case 1: b.config.start_rate = 0; break;
        case 2: b.config.top_rate = 50; break;
        case 3: b.config.top_rate = 20001; break;
        case 4: b.config.rate_gain = 0; break;
        case 5:
            stage.table = &wpin_table_four_switches, stage.pwm_hz = 20000;
            expected = WPIN_REFUSED_STATE;
            break;
        default: stage.lines = NULL, expected = WPIN_REFUSED_ARGUMENT; break;
        }
        b.config.stage = &stage;
        ck_assert_int_eq(wpin_stepper_init(&b.stepper, &b.config, &b.r.port), expected);
    }
    bench b = fresh();
    open_bench(&b);
    ck_assert_int_eq(wpin_stepper_turn(&b.stepper, 3600001), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_stepper_move(&b.stepper, INT32_MIN), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_stepper_move(&b.stepper, 1 << 30), WPIN_OK);
    ck_assert_int_eq(wpin_stepper_move(&b.stepper, 1), WPIN_REFUSED_RANGE);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("stepper");
    TCase *tests = tcase_create("stepper");
    tcase_set_timeout(tests, 60);
    tcase_add_test(tests, moves_arrive_and_the_position_is_known);
    tcase_add_test(tests, a_long_move_takes_the_time_of_its_ramp);
    tcase_add_test(tests, angles_carry_their_remainder);
    tcase_add_test(tests, places_are_told_and_gone_to_in_degrees);
    tcase_add_test(tests, stop_changed_targets_and_release);
    tcase_add_test(tests, wrong_settings_are_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
