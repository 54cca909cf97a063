/* Speed by counting alone. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <windpin/windpin.h>

/* ---- a counter whose shaft is a formula ---- */

typedef struct shaft {
    wpin_port port;
    double place; /* in counts */
    bool fails, up_only;
    wpin_counting counting;
    wpin_measurement m;
} shaft;

static wpin_status shaft_count(void *context, uint8_t counter, wpin_count *to) {
    const shaft *s = context;
    double place = s->up_only ? fabs(s->place) : s->place;
    to->counts = (int32_t)(uint32_t)(int64_t)floor(place) + (counter - 5);
    return s->fails ? WPIN_REFUSED_PORT : WPIN_OK;
}

static void open_shaft(shaft *s, const wpin_counting_config *config) {
    *s = (shaft){.place = config->one_channel ? 0.25 : 2147483600.25};
    s->up_only = config->one_channel;
    s->port = (wpin_port){.context = s, .count = shaft_count};
    ck_assert_int_eq(wpin_counting_init(&s->counting, config, &s->port), WPIN_OK);
}

/* A tick of the control that the clock says is `dt_us` long; the shaft turns for `us`. */
static void turn(shaft *s, double hz, double us, double dt_us) {
    s->place += hz * us * 1e-6;
    s->m.valid = 0;
    s->m.dt_us = (uint16_t)fmin(dt_us, UINT16_MAX);
    wpin_counting_measure(&s->counting, &s->m);
}

static wpin_counting_config any_config(uint32_t full_hz) {
    return (wpin_counting_config){.per_count =
                                      (uint32_t)((16384000000ULL + full_hz / 2U) / full_hz),
                                  .most = (uint16_t)(full_hz * 32768ULL / 1000000U),
                                  .counter = 5,
                                  .reversed = pick(2) != 0,
                                  .one_channel = pick(4) == 0,
                                  .smooth = (uint8_t)pick(4)};
}

/* At any even speed, over the wrap of counts, with ticks early and late: right on average to half a
 * step of the scale, never further off than the counts in flight make it, and every count is in the
 * place. */
START_TEST(an_even_speed_is_right_on_average) {
    pick_seed((uint32_t)_i + 1);
    uint32_t full_hz = 128U << pick(11);
    full_hz += pick(full_hz);
    wpin_counting_config config = any_config(full_hz);
    shaft s;
    open_shaft(&s, &config);
    double hz = full_hz * (pick(2) ? 1.0 : -1.0) * (pick(1200) + 1) * 1e-3;
    double tick = 200 + pick(3800);
    double due = hz / full_hz * 16384, mean = 0, off = 0;
    int32_t begin = (int32_t)(uint32_t)(int64_t)floor(config.one_channel ? 0.25 : s.place);
    bool back = config.one_channel ? hz < 0 : config.reversed;
    double settled = 40 * 8192 * (1 << config.smooth), passed = 0, counted = 0, over = 0;
    for (int i = 0; passed < 8 * settled || counted < 400; i++) {
        double us = tick - 40 + pick(81);
        s.m.inputs = hz < 0 ? WPIN_DRIVEN_REVERSE : 0;
        turn(&s, hz, us, us);
        passed += us;
        ck_assert_int_eq(s.m.valid, WPIN_HAS_SPEED | WPIN_HAS_POSITION);
        if (passed > settled) {
            counted += fabs(hz) * us * 1e-6;
            mean += s.m.speed * us;
            over += us;
            off = fmax(off, fabs(s.m.speed - due * (config.one_channel || !back ? 1 : -1)));
        }
    }
    mean /= over;
    due = config.one_channel || !back ? due : -due;
    /* what is in flight when the mean begins and ends; a lag of its own between two counts */
    double lost = 4.0 * config.per_count / over;
    bool stops = fabs(hz) * 199 * tick * 1e-6 < 1; /* slower than it tells from standing */
    ck_assert_msg(stops || fabs(mean - due) <= 1 + fabs(due) * 1e-4 + lost,
                  "%d: %g, due %g (hz %g, full %u, tick %g, smooth %d)", _i, mean, due, hz, full_hz,
                  tick, config.smooth);
    double step = config.per_count / ldexp(1, 14 + 2 * config.smooth);
    double ring = tick > 1000 ? tick / 1000 : 1;
    ck_assert_msg(off <= 3 + 4.5 * ring * step + fabs(due) * 1e-3, "%d: off %g, steps of %g", _i,
                  off, step);
    int32_t moved =
        (int32_t)((uint32_t)(int64_t)floor(config.one_channel ? fabs(s.place) : s.place) -
                  (uint32_t)begin);
    ck_assert_int_eq(s.m.position, back ? -moved : moved);
}
END_TEST

/* It follows a jump of the speed as late as it says, and without ringing at a tick of 1 ms. */
START_TEST(it_is_as_late_as_it_says) {
    wpin_counting_config config = {WPIN_COUNTS_AT_FULL(100000), .counter = 5,
                                   .smooth = (uint8_t)_i};
    shaft s;
    open_shaft(&s, &config);
    double late = 0, most = 0;
    for (int i = 0; i < 2000; i++) {
        turn(&s, 50000, 1000, 1000);
        late += (8192 - s.m.speed) / 8192.0 * 1000;
        most = fmax(most, s.m.speed);
    }
    ck_assert_double_eq_tol(late, 8192 << _i, 0.02 * (8192 << _i) + 1000);
    ck_assert_int_eq(s.m.speed_us, _i < 3 ? 8192 << _i : UINT16_MAX);
    ck_assert_double_le(most, 8192 * 1.16); /* a tracking loop goes past, by what it lagged */
    ck_assert_int_le(abs(s.m.speed - 8192), 2);
}
END_TEST

/* A clock that stands, ticks that come late and longer than 16 bits hold, a counter that fails: the
 * speed goes wrong by no more than was lost, and comes back. */
START_TEST(what_is_lost_comes_back) {
    pick_seed((uint32_t)_i + 77);
    wpin_counting_config config = {WPIN_COUNTS_AT_FULL(8000), .counter = 5,
                                   .smooth = (uint8_t)pick(4)};
    shaft s;
    open_shaft(&s, &config);
    for (int round = 0; round < 60; round++) {
        double hz = 8000 * ((double)pick(2000) - 1000) * 1e-3;
        for (int i = 0; i < 30; i++) {
            double us = pick(3) == 0 ? pick(200000) : 1000; /* late; or the clock stood */
            s.fails = pick(10) == 0;
            turn(&s, hz, us, pick(10) == 0 ? 0 : us);
            ck_assert_int_eq(s.m.valid, s.fails ? 0 : WPIN_HAS_SPEED | WPIN_HAS_POSITION);
        }
        s.fails = false;
        for (int i = 0; i < 300 << config.smooth; i++) {
            turn(&s, hz, 1000, 1000);
        }
        double step = config.per_count / ldexp(1, 14 + 2 * config.smooth);
        ck_assert_double_eq_tol(s.m.speed, hz / 8000 * 16384, 4 + 4.5 * step);
        int32_t at = s.m.position;
        wpin_counting_set_position(&s.counting, at + 5);
        turn(&s, 0, 1000, 1000);
        ck_assert_int_eq(s.m.position, at + 5);
    }
}
END_TEST

/* Any of two channels. */
static wpin_counting_config open_any(shaft *s) {
    static wpin_counting_config config;
    config = any_config(128U + pick(262017));
    config.one_channel = false;
    open_shaft(s, &config);
    return config;
}

/* Nothing a counter says leaves its bounds; and a shaft that stands reads as that. */
START_TEST(it_stands_whatever_the_counter_said) {
    pick_seed((uint32_t)_i + 5);
    shaft s;
    open_any(&s);
    for (int i = 0; i < 3000; i++) {
        s.place += (double)pick(UINT32_MAX) - 2147483648.0;
        s.place = fmod(s.place, 4e9);
        turn(&s, 0, 0, pick(2) ? pick(65536) : pick(3000));
    }
    for (int i = 0; i < WPIN_COUNTING_STILL; i++) {
        turn(&s, 0, 1000, 1000);
    }
    turn(&s, 0, 1000, 1000);
    ck_assert_int_eq(s.m.speed, 0);
}
END_TEST

/* An edge that is crossed to and fro, as by a shaft that shakes or while a channel is lost, is no
 * speed: it stands, and its place is where the counts are. */
START_TEST(what_shakes_around_an_edge_stands) {
    pick_seed((uint32_t)_i + 9);
    shaft s;
    const wpin_counting_config config = open_any(&s);
    double from = s.place;
    for (int i = 0; i < 400; i++) { /* it comes there */
        turn(&s, 0.02 * 16384000000.0 / config.per_count, 1000, 1000);
    }
    double there = floor(s.place) + 0.5;
    for (int i = 0; i < 40 * (8 << config.smooth) + WPIN_COUNTING_STILL; i++) {
        s.place = there + (int)pick(2);
        turn(&s, 0, 1000, 1000);
    }
    for (int i = 0; i < 500; i++) {
        s.place = there + (int)pick(2);
        turn(&s, 0, 1000, 1000);
        ck_assert_int_eq(s.m.speed, 0);
        int32_t moved = (int32_t)(floor(s.place) - floor(from));
        ck_assert_int_eq(s.m.position, config.reversed ? -moved : moved);
    }
}
END_TEST

static const struct {
    wpin_counting_config config;
    wpin_status status;
} openings[] = {
    {{WPIN_COUNTS_AT_FULL(128), .smooth = 3}, WPIN_OK},
    {{WPIN_COUNTS_AT_FULL(262144)}, WPIN_OK},
    {{WPIN_COUNTS_AT_FULL(120)}, WPIN_REFUSED_RANGE}, /* worth too much */
    {{.per_count = 2048000}, WPIN_REFUSED_RANGE},
    {{WPIN_COUNTS_AT_FULL(262500)}, WPIN_REFUSED_RANGE}, /* worth too little */
    {{WPIN_COUNTS_AT_FULL(8000), .smooth = 4}, WPIN_REFUSED_RANGE},
    {{.per_count = 2048000, .most = 271}, WPIN_REFUSED_RANGE},
    {{.per_count = 0}, WPIN_REFUSED_RANGE},
};

/* Refused is closed: nothing is measured, and nothing crashes. */
START_TEST(a_refused_one_measures_nothing) {
    shaft s = {.place = 0.5};
    wpin_counting unopened = {0};
    s.port = (wpin_port){.context = &s, .count = shaft_count};
    for (unsigned i = 0; i < sizeof openings / sizeof *openings; i++) {
        wpin_status status = wpin_counting_init(&s.counting, &openings[i].config, &s.port);
        ck_assert_msg(status == openings[i].status, "%u: %d", i, status);
        turn(&s, 100, 1000, 1000);
        ck_assert_int_eq(s.m.valid != 0, status == WPIN_OK);
    }
    const wpin_counting_config *good = &openings[1].config;
    wpin_port without = {0};
    ck_assert_int_eq(wpin_counting_init(NULL, good, &s.port), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_counting_init(&s.counting, NULL, &s.port), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_counting_init(&s.counting, good, NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_counting_init(&s.counting, good, &without), WPIN_REFUSED_PORT);
    s.fails = true;
    ck_assert_int_eq(wpin_counting_init(&s.counting, good, &s.port), WPIN_REFUSED_PORT);
    s.fails = false;
    turn(&s, 100, 1000, 1000);
    ck_assert_int_eq(s.m.valid, 0);
    wpin_counting_measure(&unopened, &s.m);
    wpin_counting_measure(NULL, &s.m);
    wpin_counting_set_position(NULL, 3);
    ck_assert_int_eq(s.m.valid, 0);
}
END_TEST

/* By edges that an interrupt counts, and of one channel both ways. */
START_TEST(edges_in_software_count_too) {
    static wpin_quadrature edges;
    static const wpin_counting_config config = {WPIN_COUNTS_AT_FULL(1000), .quadrature = &edges,
                                                .one_channel = true};
    wpin_port port = {0};
    wpin_counting counting;
    ck_assert_int_eq(wpin_counting_init(&counting, &config, &port), WPIN_OK);
    for (int ms = 0; ms < 4000; ms++) {
        bool back = ms >= 2000;
        wpin_measurement m = {.dt_us = 1000, .inputs = back ? WPIN_DRIVEN_REVERSE : 0};
        if (ms % 2 == 0) {
            wpin_quadrature_pulse(&edges, (wpin_moment)ms * 1000);
        }
        wpin_counting_measure(&counting, &m);
        if (ms % 2000 > 500) {
            ck_assert_double_eq_tol(m.speed, back ? -8192 : 8192, 1000);
        }
    }
    ck_assert_int_eq(counting.position, 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("counting");
    TCase *tests = tcase_create("counting");
    tcase_set_timeout(tests, 60);
    tcase_add_loop_test(tests, an_even_speed_is_right_on_average, 0, 120);
    tcase_add_loop_test(tests, it_is_as_late_as_it_says, 0, 4);
    tcase_add_loop_test(tests, what_is_lost_comes_back, 0, 20);
    tcase_add_loop_test(tests, it_stands_whatever_the_counter_said, 0, 24);
    tcase_add_loop_test(tests, what_shakes_around_an_edge_stands, 0, 20);
    tcase_add_test(tests, a_refused_one_measures_nothing);
    tcase_add_test(tests, edges_in_software_count_too);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
