/* The slew limiter against the clock. */
#include "support.h"
#include <stdlib.h>

static const uint32_t tick_rates_us[] = {100, 333, 1000, 7000, 50000};
static const wpin_moment starts[] = {0, 0xFFFFFF00, 0xFFF00000, 0x7FFFFFF0};

enum {
    RATES = sizeof tick_rates_us / sizeof *tick_rates_us,
    STARTS = sizeof starts / sizeof *starts
};

/* Runs until done; the time it took to the tick that first shows the target. */
static uint32_t time_to_target(wpin_ramp *ramp, wpin_moment now, uint32_t tick) {
    wpin_moment begin = now;
    while (!wpin_ramp_done(ramp)) {
        now += tick;
        wpin_ramp_step(ramp, now);
        ck_assert_uint_lt(now - begin, 700000000);
    }
    return now - begin;
}

START_TEST(ramps_are_exact_in_time_at_any_tick_and_across_the_wrap) {
    uint32_t tick = tick_rates_us[_i % RATES];
    wpin_moment start = starts[_i / RATES];
    const struct {
        uint16_t from, to;
        uint32_t asked_us, expected_us;
    } rows[] = {
        {0, 9830, 1500000, 1500000}, /* by time, slower than the limit */
        {0, 16384, 0, 1000000},      /* by rate: the whole scale */
        {0, 8192, 0, 500000},        /* by rate: half of it */
        {16384, 4096, 0, 1500000},   /* down by its own rate */
        {8192, 0, 3000000, 3000000}, /* down by time */
        {0, 16384, 10000, 1000000},  /* too steep: the limit holds */
        {1000, 1001, 0, 61},         /* one step */
        {0, 16384, WPIN_RAMP_MAX_US, WPIN_RAMP_MAX_US},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        if (rows[i].expected_us / tick > 100000) {
            continue;
        }
        wpin_ramp ramp;
        ck_assert(wpin_ramp_init(&ramp, 1000000, 2000000));
        ramp.value = ramp.target = rows[i].from;
        wpin_ramp_to(&ramp, rows[i].to, rows[i].asked_us, start);
        uint32_t took = time_to_target(&ramp, start, tick);
        uint32_t due = (rows[i].expected_us + tick - 1) / tick * tick;
        ck_assert_msg(took == due || (took + tick == due && rows[i].asked_us == 0),
                      "row %zu at %u us: took %u, due %u", i, tick, took, due);
    }
}
END_TEST

START_TEST(the_line_is_true_to_two_steps_in_between) {
    wpin_ramp ramp;
    wpin_ramp_init(&ramp, 2000000, 1500000);
    wpin_ramp_to(&ramp, 9830, 1500000, 77);
    for (uint32_t t = 0; t < 1500000; t += 991) {
        double exact = 9830.0 * t / 1500000;
        ck_assert_double_eq_tol(wpin_ramp_step(&ramp, 77 + t), exact, 2);
    }
}
END_TEST

START_TEST(a_target_that_moves_every_tick_loses_nothing) {
    wpin_ramp
        ramp; /* a slider flung about: still the full slew, though each tick is under a step */
    wpin_ramp_init(&ramp, 10000000, 10000000);
    wpin_moment now = 5;
    for (int i = 0; i < 50000; i++, now += 100) {
        wpin_ramp_to(&ramp, (uint16_t)(16000 + i % 300), 0, now);
        wpin_ramp_step(&ramp, now);
    }
    ck_assert_double_eq_tol(ramp.value, 16384.0 * 5 / 10, 3);
}
END_TEST

START_TEST(no_command_sequence_beats_the_slew) {
    wpin_ramp ramp;
    wpin_ramp_init(&ramp, 1000000, 400000);
    wpin_moment now = 0xFFFF0000;
    pick_seed((uint32_t)_i + 7);
    for (int i = 0; i < 20000; i++) {
        if (pick(4) == 0) {
            wpin_ramp_to(&ramp, (uint16_t)pick(20000), pick(2) ? 0 : pick(3000000), now);
        }
        uint32_t dt = pick(20000);
        uint16_t before = ramp.value;
        now += dt;
        int change = wpin_ramp_step(&ramp, now) - before;
        ck_assert_int_le(change, (int)(16384.0 * dt / 1000000) + 2);
        ck_assert_int_ge(change, -(int)(16384.0 * dt / 400000) - 2);
        ck_assert_int_le(ramp.value, WPIN_DUTY_FULL);
    }
    wpin_ramp_reset(&ramp);
    ck_assert_int_eq(wpin_ramp_step(&ramp, now + 99999), 0);
}
END_TEST

START_TEST(a_smooth_ramp_is_an_s_within_the_slew) {
    static const uint32_t totals[] = {1500000, 4000000, 90000000};
    for (int i = 0; i < 3; i++) {
        wpin_ramp ramp;
        wpin_ramp_init(&ramp, 1000000, 1000000);
        ramp.smooth = true;
        wpin_ramp_to(&ramp, WPIN_DUTY_FULL, i == 0 ? 0 : totals[i], 99);
        double before = 0, steepest = 0;
        uint32_t step = totals[i] / 500;
        for (uint32_t t = 0; t < totals[i]; t += step) {
            double x = (double)t / totals[i], exact = 16384 * x * x * (3 - 2 * x);
            double now = wpin_ramp_step(&ramp, 99 + t);
            ck_assert_double_eq_tol(now, exact, 4);
            steepest = now - before > steepest ? now - before : steepest;
            before = now;
        }
        ck_assert_double_le(steepest, 16384.0 * step / 1000000 + 3); /* never above the slew */
        ck_assert(!wpin_ramp_done(&ramp));
        ck_assert_uint_eq(wpin_ramp_step(&ramp, 99 + totals[i]), WPIN_DUTY_FULL);
    }
}
END_TEST

START_TEST(limits_out_of_range_are_refused) {
    wpin_ramp ramp = {.value = 5};
    ck_assert(!wpin_ramp_init(&ramp, 0, 1000));
    ck_assert(!wpin_ramp_init(&ramp, 1000, 0));
    ck_assert(!wpin_ramp_init(&ramp, WPIN_RAMP_MAX_US + 1, 1000));
    ck_assert_uint_eq(ramp.value, 5);
    ck_assert(wpin_ramp_init(&ramp, 1, WPIN_RAMP_MAX_US));
    wpin_ramp_to(&ramp, 60000, 0, 0); /* saturates */
    ck_assert_uint_eq(wpin_ramp_step(&ramp, 10), WPIN_DUTY_FULL);
}
END_TEST

START_TEST(percent_is_exact_where_it_can_be) {
    ck_assert_int_eq(WPIN_PERCENT(100), WPIN_DUTY_FULL);
    ck_assert_int_eq(WPIN_PERCENT(-100), -WPIN_DUTY_FULL);
    ck_assert_int_eq(WPIN_PERCENT(50), 8192);
    ck_assert_int_eq(WPIN_PERCENT(-25), -4096);
    ck_assert_int_eq(WPIN_PERCENT(0), 0);
    ck_assert_int_eq(WPIN_PERCENT(60), 9830);
}
END_TEST

/* Every value of the usual scales, there and back; ends and halves exact; nothing wraps. */
START_TEST(other_scales_convert_exactly) {
    static const uint16_t scales[] = {1, 2, 100, 127, 255, 1000, 1023, 4095, 16384, 65535};
    for (size_t s = 0; s < sizeof scales / sizeof *scales; s++) {
        int32_t full = scales[s];
        ck_assert_int_eq(wpin_duty_from(full, scales[s]), WPIN_DUTY_FULL);
        ck_assert_int_eq(wpin_duty_from(-full, scales[s]), -WPIN_DUTY_FULL);
        ck_assert_int_eq(wpin_duty_from(full + 1, scales[s]), WPIN_DUTY_FULL);
        ck_assert_int_eq(wpin_duty_from(INT32_MIN, scales[s]), -WPIN_DUTY_FULL);
        ck_assert_int_eq(wpin_duty_from(INT32_MAX, scales[s]), WPIN_DUTY_FULL);
        for (int32_t v = -full; v <= full; v++) {
            wpin_duty duty = wpin_duty_from(v, scales[s]);
            ck_assert(full % 2 != 0 || v != full / 2 || duty == WPIN_DUTY_FULL / 2);
            int32_t back = wpin_duty_to(duty, scales[s]);
            ck_assert_int_le(abs(back - v), full <= 16384 ? 0 : 2);
        }
    }
}
END_TEST

int main(void) {
    Suite *suite = suite_create("ramp");
    TCase *tests = tcase_create("ramp");
    tcase_set_timeout(tests, 60);
    tcase_add_loop_test(tests, ramps_are_exact_in_time_at_any_tick_and_across_the_wrap, 0,
                        RATES * STARTS);
    tcase_add_test(tests, the_line_is_true_to_two_steps_in_between);
    tcase_add_test(tests, a_target_that_moves_every_tick_loses_nothing);
    tcase_add_loop_test(tests, no_command_sequence_beats_the_slew, 0, 5);
    tcase_add_test(tests, a_smooth_ramp_is_an_s_within_the_slew);
    tcase_add_test(tests, limits_out_of_range_are_refused);
    tcase_add_test(tests, percent_is_exact_where_it_can_be);
    tcase_add_test(tests, other_scales_convert_exactly);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
