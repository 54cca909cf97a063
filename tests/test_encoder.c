/* Speed and position from counts. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <windpin/host/rehearsal.h>

/* ---- a counter whose shaft is a formula ---- */

typedef struct shaft {
    wpin_port port;
    uint32_t now;
    double place, last_at; /* in edges; when its last one passed, us */
    bool fails, no_moments;
} shaft;

static wpin_moment shaft_now(void *context) {
    return ((shaft *)context)->now;
}

static wpin_status shaft_count(void *context, uint8_t counter, wpin_count *to) {
    const shaft *s = context;
    to->counts = (int32_t)(uint32_t)(int64_t)floor(s->place) + (counter - 5);
    to->at = s->no_moments ? s->now : (wpin_moment)(uint64_t)(int64_t)s->last_at;
    return s->fails ? WPIN_REFUSED_PORT : WPIN_OK;
}

static void open_shaft(shaft *s, wpin_encoder *e, const wpin_encoder_config *config) {
    *s = (shaft){.now = 0xFFFF0000, .last_at = 0xFFFF0000, .place = 2147483600.25};
    s->port = (wpin_port){.context = s, .now = shaft_now, .count = shaft_count};
    ck_assert_int_eq(wpin_encoder_init(e, config, &s->port), WPIN_OK);
}

/* Turns for a tick at so many edges a second. */
static wpin_measurement turn(shaft *s, wpin_encoder *e, double hz, uint32_t us) {
    double to = s->place + hz * us * 1e-6;
    if (floor(to) != floor(s->place)) {
        double edge = hz > 0 ? floor(to) : floor(to) + 1;
        double begin = (double)s->now + (s->last_at > 4e9 && s->now < 1e9 ? 4294967296.0 : 0);
        s->last_at = begin + (edge - s->place) / hz * 1e6;
    }
    s->place = to;
    s->now += us;
    wpin_measurement m = {.at = s->now};
    wpin_encoder_measure(e, &m);
    return m;
}

/* One rule from a crawl to more than full speed, both ways, over the wrap of clock and counts: true
 * to the microsecond of the moments and a step of the scale, and on average to a part of one. */
START_TEST(a_speed_is_right_from_a_crawl_to_full) {
    pick_seed((uint32_t)_i + 1);
    wpin_encoder_config config = {.counter = 5,
                                  .reversed = pick(2) != 0,
                                  .full_hz = 20 + pick(1U << pick(21)),
                                  .no_moments = pick(4) == 0};
    config.window_us = (uint16_t)(config.no_moments ? 20000 : pick(3) == 0 ? 0 : 500 + pick(4000));
    double share = pow(10, -(double)pick(200) / 100) * 1.5, hz = config.full_hz * share;
    if (hz < 6) {
        hz = 6;
    }
    shaft s;
    wpin_encoder e;
    open_shaft(&s, &e, &config);
    s.no_moments = config.no_moments;
    hz = pick(2) ? hz : -hz;
    double due = hz / config.full_hz * 16384 * (config.reversed ? -1 : 1);
    int32_t begin = (int32_t)floor(s.place);
    uint32_t tick = 500 + pick(1500);
    double sum = 0, count = 0;
    for (int i = 0; i < 3000; i++) {
        wpin_measurement m = turn(&s, &e, hz, tick);
        always(m.valid == (WPIN_HAS_SPEED | WPIN_HAS_POSITION));
        double over = fmax(config.window_us, 1e6 / fabs(hz)); /* us it is measured over */
        if (i * (double)tick > 4 * over + 5e3) {
            double late = config.no_moments ? tick : 1.5; /* us a moment may be off */
            sum += m.speed;
            count++;
            double off = 1.1 + fabs(due) * (late / fmax(over, tick) * 1.1 + 2e-4);
            if (!(fabs(m.speed - due) <= off)) {
                ck_abort_msg("%d: %d, due %g +- %g (hz %g, full %u)", i, m.speed, due, off, hz,
                             config.full_hz);
            }
            double lines = fmin(WPIN_LINE_US, 10 * fmax(over, tick));
            always(m.speed_us <= fmin(65535, fmax(lines, 2 * over) + 2 * tick + 2));
        }
    }
    double mean = sum / count, near = 0.15 + 3e-4 * fabs(due);
    ck_assert_msg(config.no_moments || fabs(mean - due) < near, "mean %g, due %g", mean, due);
    int32_t moved = (int32_t)((uint32_t)(int64_t)floor(s.place) - (uint32_t)begin);
    wpin_measurement m = turn(&s, &e, 0, tick);
    ck_assert_int_eq(m.position, config.reversed ? -moved : moved);
}
END_TEST

/* Edges of three kinds, each up to a twentieth off its place: the one that the place has passed
 * last, and how long ago at this speed. */
static int32_t passed_unevenly(double place, double hz, double *us_ago) {
    static const double off[3] = {0.05, -0.02, -0.03};
    int32_t edge = (int32_t)floor(place) + 1;
    while (edge + off[edge % 3] > place) {
        edge--;
    }
    *us_ago = (place - edge - off[edge % 3]) / hz * 1e6;
    return edge;
}

/* Ticks that see such edges in pairs leave one kind out for long, at the speeds where two edges
 * take about three ticks, and others: none of it shows. */
START_TEST(uneven_edges_beat_with_no_tick) {
    wpin_encoder_config config = {.counter = 5, .full_hz = 2000, .window_us = 1000, .kinds = 3};
    shaft s;
    wpin_encoder e;
    open_shaft(&s, &e, &config);
    s.place = 30;
    for (int i = 0; i < 60000; i++) {
        double hz = 500 + i * 0.02, ago;
        double place = s.place + hz * 1e-3 * (1 + 1e-7);
        int32_t edge = passed_unevenly(place, hz, &ago);
        s.now += 1000;
        s.last_at = (double)(uint32_t)(s.now - (uint32_t)ago);
        s.place = edge; /* what the counter says */
        wpin_measurement m = {.at = s.now};
        wpin_encoder_measure(&e, &m);
        s.place = place;
        double due = hz / config.full_hz * 16384;
        if (i >= 50 && !(fabs(m.speed - due) <= 0.015 * due)) {
            ck_abort_msg("%d: %d, due %g (hz %g)", i, m.speed, due, hz);
        }
    }
}
END_TEST

/* An edge crossed to and fro is one place; a shaft that slows down is not taken as fast; one that
 * stands reads zero, and next to it up to its second edge. */
START_TEST(standing_shaking_and_slowing_down_are_told_apart) {
    wpin_encoder_config config = {.counter = 5, .full_hz = 2000, .window_us = 1000};
    shaft s;
    wpin_encoder e;
    open_shaft(&s, &e, &config);
    s.place = floor(s.place) + 0.001;
    for (int i = 0; i < 500; i++) {
        wpin_measurement m = turn(&s, &e, i % 2 ? 2.5 : -2.5, 1000);
        ck_assert_int_le(abs(m.speed), 1); /* that it turned is known, no more */
        ck_assert_int_le(abs(m.position), 1);
    }
    for (int i = 0; i < 200; i++) {
        turn(&s, &e, 1500, 1000);
    }
    int last = 32767, us = 0;
    for (; us < 400000; us += 1000) {
        wpin_measurement m = turn(&s, &e, 0, 1000);
        double most = 1.5e6 / (us + 1) / 2000 * 16384;
        ck_assert_int_le(m.speed, last);
        ck_assert_double_le(m.speed, fmin(12290, most) + 1);
        last = m.speed;
    }
    ck_assert_int_eq(last, 0);
    wpin_measurement m = turn(&s, &e, 0, 1000);
    ck_assert_uint_eq(m.speed_us, UINT16_MAX);
    wpin_encoder_set_position(&e, -7);
    m = turn(&s, &e, 0, 1000);
    ck_assert_int_eq(m.position, -7);
}
END_TEST

/* At rest it is as old as can be: as it begins, whatever the clock shows, and for as long as it
 * stands, though the clock goes round twice. A regulator's gains go by it. */
START_TEST(what_stands_is_old_at_any_time) {
    wpin_encoder_config config = {.counter = 5, .full_hz = 2000, .window_us = 1000};
    shaft s;
    wpin_encoder e;
    for (uint32_t now = 0; now < 16; now++) {
        open_shaft(&s, &e, &config);
        s.now = now << 28;
        ck_assert_uint_eq(turn(&s, &e, 0, 1000).speed_us, UINT16_MAX);
    }
    for (int i = 0; i < 500; i++) {
        turn(&s, &e, i < 100 ? 1500 : 0, 1000);
    }
    for (int i = 0; i < 1000; i++) {
        ck_assert_uint_eq(turn(&s, &e, 0, 9000000).speed_us, UINT16_MAX);
    }
}
END_TEST

/* A clock that jumps, stands and runs back, and a counter that fails or leaps: no speed out of this
 * world stays, and what fails is not valid. */
START_TEST(a_nasty_clock_and_counter_pass_by) {
    pick_seed((uint32_t)_i + 77);
    wpin_encoder_config config = {.counter = 5, .full_hz = 2000, .window_us = 1000};
    shaft s;
    wpin_encoder e;
    open_shaft(&s, &e, &config);
    for (int i = 0; i < 20000; i++) {
        switch (pick(200)) {
        case 0: s.now += pick(1U << 30); break;
        case 1: s.now -= pick(100000); break;
        case 2: s.last_at -= pick(1000000); break;
        case 3: s.place += (double)pick(2000000) - 1e6; break;
        case 4: s.fails = true; break;
        default: s.fails = false;
        }
        wpin_measurement m = turn(&s, &e, 700, pick(20) == 0 ? 0 : 1000);
        ck_assert_uint_eq(m.valid, s.fails ? 0 : WPIN_HAS_SPEED | WPIN_HAS_POSITION);
    }
    s.fails = false;
    open_shaft(&s, &e, &config);
    for (int i = 0; i < 100; i++) {
        turn(&s, &e, 700, 1000);
    }
    s.now -= 500000; /* back by half a second, and on from there */
    s.last_at = s.now;
    for (int i = 0; i < 900; i++) {
        turn(&s, &e, 700, 1000);
    }
    ck_assert_int_le(abs(turn(&s, &e, 700, 1000).speed - 5734), 12);
}
END_TEST

START_TEST(what_an_encoder_can_not_use_is_refused) {
    shaft s;
    wpin_encoder e;
    wpin_encoder_config good = {.counter = 5, .full_hz = 100}, bad;
    open_shaft(&s, &e, &good);
    ck_assert_int_eq(wpin_encoder_init(NULL, &good, &s.port), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_encoder_init(&e, NULL, &s.port), WPIN_REFUSED_ARGUMENT);
    bad = good, bad.full_hz = 0;
    ck_assert_int_eq(wpin_encoder_init(&e, &bad, &s.port), WPIN_REFUSED_RANGE);
    bad.full_hz = (1U << 22) + 1;
    ck_assert_int_eq(wpin_encoder_init(&e, &bad, &s.port), WPIN_REFUSED_RANGE);
    s.fails = true;
    ck_assert_int_eq(wpin_encoder_init(&e, &good, &s.port), WPIN_REFUSED_PORT);
    s.port.count = NULL;
    ck_assert_int_eq(wpin_encoder_init(&e, &good, &s.port), WPIN_REFUSED_PORT);
    wpin_measurement m = {0}; /* refused means inert */
    wpin_encoder_measure(&e, &m);
    ck_assert_uint_eq(m.valid, 0);
}
END_TEST

/* Two channels walk to and fro at random: every quarter is counted, and a leap of two is told. */
START_TEST(edges_are_counted_in_software) {
    static const bool a[] = {0, 1, 1, 0}, b[] = {0, 0, 1, 1};
    wpin_quadrature q = {0};
    wpin_port port = {0};
    int32_t place = 0;
    uint16_t leaps = 0;
    pick_seed((uint32_t)_i + 5);
    for (uint32_t t = 0; t < 20000; t++) {
        uint32_t move = pick(50);
        int32_t step = t == 0 ? 0 : move == 0 ? 2 : (move < 20 ? -1 : 1);
        uint32_t now = ((uint32_t)place + (uint32_t)leaps * 2 + (uint32_t)step) & 3U;
        leaps = (uint16_t)(leaps + (step == 2));
        place += step == 2 ? 0 : step;
        wpin_quadrature_edge(&q, a[now], b[now], t);
        wpin_count c;
        wpin_quadrature_read(&q, &port, &c);
        ck_assert_int_eq(c.counts, place);
        ck_assert_uint_eq(q.illegal, leaps);
        ck_assert(step == 2 || step == 0 || c.at == t);
    }
}
END_TEST

/* One channel: the direction is the one driven in; through the motor's measurement. */
START_TEST(one_channel_counts_the_way_it_is_driven) {
    recorder r;
    wpin_stage stage = {0};
    wpin_encoder e;
    wpin_quadrature q = {0};
    wpin_motor motor = {0};
    recorder_init(&r);
    wpin_encoder_config config = {.quadrature = &q, .one_channel = true, .full_hz = 1000};
    wpin_motor_config with = pump_config(&stage);
    with.sense.more = wpin_encoder_measure;
    with.sense.context = &e;
    with.sense.reads = WPIN_HAS_SPEED;
    ck_assert_int_eq(wpin_encoder_init(&e, &config, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&motor, &with, &r.port), WPIN_OK);
    wpin_motor_arm(&motor);
    for (int ms = 0; ms < 4000; ms++) {
        if (ms == 250 || ms == 2000) {
            ck_assert_int_eq(wpin_motor_run(&motor, WPIN_PERCENT(ms == 250 ? 50 : -50), 0, 9000),
                             WPIN_OK);
        }
        r.now += 1000;
        if (wpin_motor_duty(&motor) != 0 && ms % 4 == 0) {
            wpin_quadrature_pulse(&q, r.now);
        }
        wpin_motor_tick(&motor);
        wpin_measurement m = wpin_motor_measurement(&motor);
        if (ms == 1500 || ms == 3900) {
            ck_assert_int_le(abs(m.speed - (ms == 1500 ? 4096 : -4096)), 8);
        }
    }
    ck_assert_int_eq(wpin_motor_fault(&motor), WPIN_OK);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("encoder");
    TCase *tests = tcase_create("encoder");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_speed_is_right_from_a_crawl_to_full, 0, 200);
    tcase_add_test(tests, uneven_edges_beat_with_no_tick);
    tcase_add_test(tests, standing_shaking_and_slowing_down_are_told_apart);
    tcase_add_test(tests, what_stands_is_old_at_any_time);
    tcase_add_loop_test(tests, a_nasty_clock_and_counter_pass_by, 0, 5);
    tcase_add_test(tests, what_an_encoder_can_not_use_is_refused);
    tcase_add_loop_test(tests, edges_are_counted_in_software, 0, 4);
    tcase_add_test(tests, one_channel_counts_the_way_it_is_driven);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
