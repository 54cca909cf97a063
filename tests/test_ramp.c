/* The slew limit and the ramp against the time that passes. */
#include "support.h"
#include <stdlib.h>

static const uint16_t ticks_us[] = {100, 333, 1000, 7000, 50000};
enum { TICKS = sizeof ticks_us / sizeof *ticks_us };

/* Ticks that a ramp takes. */
static uint32_t time_of(uint32_t us, wpin_duty from, wpin_duty to, uint16_t tick, bool smooth) {
    wpin_ramp_time time = wpin_ramp_time_of(us);
    wpin_ramp ramp;
    wpin_ramp_start(&ramp, from, &time);
    uint32_t took = tick;
    wpin_duty first = wpin_ramp_step(&ramp, to, smooth, tick); /* counts, but does not move yet */
    ck_assert_int_eq(first, tick < us ? from : to);
    while (ramp.left_us != 0) {
        wpin_duty at = wpin_ramp_step(&ramp, to, smooth, tick);
        took += tick;
        double x = took < us ? (double)took / us : 1;
        x = smooth ? x * x * (3 - 2 * x) : x;
        ck_assert_double_eq_tol(at, from + (to - from) * x, smooth ? 5 : 2.5);
    }
    ck_assert_int_eq(wpin_ramp_step(&ramp, to, smooth, 0), to);
    return took;
}

START_TEST(ramps_are_exact_in_time_at_any_tick) {
    static const uint32_t times[] = {1, 64, 1000, 32768, 65536, 500000, 1048576, 1500000, 60000000};
    uint16_t tick = ticks_us[_i];
    for (size_t i = 0; i < sizeof times / sizeof *times; i++) {
        for (int way = 0; way < 4 && times[i] / tick < 200000; way++) {
            static const wpin_duty ends[][2] = {
                {0, 9830}, {16384, 1}, {-3, -16384}, {-16384, 16384}};
            uint32_t due = (times[i] + tick - 1) / tick * tick;
            ck_assert_uint_eq(time_of(times[i], ends[way][0], ends[way][1], tick, way == 1), due);
        }
    }
    ck_assert_uint_eq(wpin_ramp_time_of(0).us, 0);
    ck_assert_uint_eq(wpin_ramp_time_of(UINT32_MAX).us, WPIN_RAMP_MAX_US);
}
END_TEST

START_TEST(the_slew_limit_takes_its_time) {
    static const uint32_t times[] = {100, 16000, 300000, 1000000, 2000000, 60000000, 600000000};
    uint16_t tick = ticks_us[_i];
    for (size_t i = 0; i < sizeof times / sizeof *times; i++) {
        if (times[i] / tick > 700000) {
            continue;
        }
        uint32_t value = 0, full = (uint32_t)WPIN_DUTY_FULL << 16, took = 0;
        for (; value != full; took += tick) {
            value = wpin_slew_step(value, full, WPIN_SLEW_US(times[i]), tick);
        }
        double off = times[i] > 2000000 ? 0.002 : 1e-5;
        ck_assert_double_ge(took, times[i] * (1 - off) - 1);
        ck_assert_double_le(took, times[i] * (1 + off) + tick);
        ck_assert_double_eq_tol(wpin_slew_time(WPIN_SLEW_US(times[i]), 16384), times[i],
                                times[i] * 0.002 + 1);
        for (took = 0; value != full / 2; took += tick) { /* and back, half the way */
            value = wpin_slew_step(value, full / 2, WPIN_SLEW_US(times[i]), tick);
        }
        ck_assert_double_le(took, times[i] / 2 * (1 + off) + tick);
    }
    ck_assert_uint_eq(WPIN_SLEW_US(0), UINT32_MAX); /* at once */
    ck_assert_uint_eq(wpin_slew_time(0, 5), WPIN_RAMP_MAX_US);
}
END_TEST

/* Targets flung about: never faster than the limit, nothing lost to rounding. */
START_TEST(no_sequence_of_targets_beats_the_slew) {
    pick_seed((uint32_t)_i + 7);
    uint32_t value = 0, target = 0;
    for (int i = 0; i < 50000; i++) {
        target = pick(4) == 0 ? pick(16385) << 16 : target;
        uint16_t dt = (uint16_t)pick(20000);
        double before = value / 65536.0;
        bool up = target > value;
        value = wpin_slew_step(value, target, WPIN_SLEW_US(up ? 1000000 : 400000), dt);
        double most = 16384.0 * dt / (up ? 1000000 : 400000) + 0.13;
        ck_assert_double_le(up ? value / 65536.0 - before : before - value / 65536.0, most);
        ck_assert(up ? value <= target : value >= target);
    }
    value = 0;
    for (int i = 0; i < 50000; i++) { /* each tick is under a step */
        value =
            wpin_slew_step(value, (16000U + (unsigned)i % 300) << 16, WPIN_SLEW_US(10000000), 100);
    }
    ck_assert_double_eq_tol(value / 65536.0, 16384.0 * 5 / 10, 3);
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
    tcase_add_loop_test(tests, ramps_are_exact_in_time_at_any_tick, 0, TICKS);
    tcase_add_loop_test(tests, the_slew_limit_takes_its_time, 0, TICKS);
    tcase_add_loop_test(tests, no_sequence_of_targets_beats_the_slew, 0, 5);
    tcase_add_test(tests, percent_is_exact_where_it_can_be);
    tcase_add_test(tests, other_scales_convert_exactly);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
