/* Buttons and knobs, by the core and by the simulated hand. */
#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <windpin/host/sim.h>

enum { PIN = 2, OTHER = 3, KNOB = 1 };
#define US 1000000LL

static const wpin_button_config button_config = {
    .debounce_us = 20000, .stuck_us = 3000000, .active_low = true};

typedef struct hand {
    wpin_sim *sim;
    wpin_port port;
} hand;

static hand new_hand(void) {
    hand h;
    h.sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0xFFFFFF00});
    h.port = wpin_sim_port(h.sim);
    wpin_sim_wire_button(h.sim, PIN, 8e-3);
    wpin_sim_wire_button(h.sim, OTHER, 8e-3);
    wpin_sim_wire_knob(h.sim, KNOB, 0.04);
    return h;
}

static bool level(hand *h, wpin_pin pin) {
    return h->port.read(h->sim, pin);
}

static wpin_moment now(hand *h) {
    return h->port.now(h->sim);
}

/* Reads every `step_us` for some ms; counts presses and releases. */
static void watch(hand *h, wpin_button *b, int ms, int step_us, int *presses, int *releases) {
    for (int us = 0; us < ms * 1000; us += step_us) {
        wpin_sim_advance(h->sim, step_us * US);
        wpin_button_event e = wpin_button_update(b, level(h, PIN), now(h));
        *presses += e == WPIN_BUTTON_PRESSED;
        *releases += e == WPIN_BUTTON_RELEASED;
    }
}

START_TEST(one_press_is_one_event_however_it_bounces) {
    static const int steps_us[] = {100, 1000, 3700};
    hand h = new_hand();
    wpin_button b;
    int presses = 0, releases = 0, changes = 0;
    ck_assert_int_eq(wpin_button_init(&b, &button_config), WPIN_OK);
    watch(&h, &b, 50, 1000, &presses, &releases);
    for (int n = 1; n <= 40; n++) {
        wpin_sim_press(h.sim, PIN, true);
        bool last = level(&h, PIN);
        for (int us = 0; us < 10000; us += 50) { /* the contact itself does bounce */
            wpin_sim_advance(h.sim, 50 * US);
            changes += level(&h, PIN) != last;
            last = level(&h, PIN);
        }
        watch(&h, &b, 100, steps_us[_i], &presses, &releases);
        ck_assert_int_eq(presses, n);
        wpin_sim_press(h.sim, PIN, false);
        watch(&h, &b, 100, steps_us[_i], &presses, &releases);
        ck_assert_int_eq(releases, n);
    }
    ck_assert_int_gt(changes, 40 * 3);
    wpin_sim_free(h.sim);
}
END_TEST

START_TEST(what_is_held_at_power_up_does_not_count) {
    hand h = new_hand();
    wpin_button b;
    int presses = 0, releases = 0;
    wpin_sim_press(h.sim, PIN, true);
    wpin_button_init(&b, &button_config);
    watch(&h, &b, 500, 1000, &presses, &releases);
    ck_assert_int_eq(presses, 0);
    wpin_sim_press(h.sim, PIN, false);
    watch(&h, &b, 100, 1000, &presses, &releases);
    wpin_sim_press(h.sim, PIN, true);
    watch(&h, &b, 100, 1000, &presses, &releases);
    ck_assert_int_eq(presses, 1);
    ck_assert_int_eq(releases, 0);
    ck_assert(!b.stuck);
    watch(&h, &b, 3000, 1000, &presses, &releases);
    ck_assert(b.stuck);
    wpin_sim_free(h.sim);
}
END_TEST

START_TEST(both_together_stop_with_no_motion_between) {
    for (int apart_ms = -60; apart_ms <= 60; apart_ms += 5) {
        hand h = new_hand();
        wpin_pair pair;
        int seen[4] = {0};
        ck_assert_int_eq(wpin_pair_init(&pair, &button_config, 80000), WPIN_OK);
        for (int ms = 0; ms < 600; ms++) {
            wpin_sim_press(h.sim, PIN, ms >= 100 + (apart_ms > 0 ? apart_ms : 0) && ms < 400);
            wpin_sim_press(h.sim, OTHER, ms >= 100 - (apart_ms < 0 ? apart_ms : 0) && ms < 300);
            wpin_sim_advance(h.sim, 1000 * US);
            seen[wpin_pair_update(&pair, level(&h, PIN), level(&h, OTHER), now(&h))]++;
        }
        ck_assert_int_eq(seen[WPIN_PAIR_FORWARD], 0);
        ck_assert_int_eq(seen[WPIN_PAIR_REVERSE], 0);
        ck_assert_int_gt(seen[WPIN_PAIR_STOP], 150); /* also while only one is still held */
        wpin_sim_free(h.sim);
    }
}
END_TEST

START_TEST(one_alone_drives_after_the_window) {
    hand h = new_hand();
    wpin_pair pair;
    int first = -1;
    wpin_pair_init(&pair, &button_config, 80000);
    for (int ms = 0; ms < 500; ms++) {
        wpin_sim_press(h.sim, OTHER, ms >= 100 && ms < 400);
        wpin_sim_advance(h.sim, 1000 * US);
        wpin_pair_command c = wpin_pair_update(&pair, level(&h, PIN), level(&h, OTHER), now(&h));
        ck_assert_int_ne(c, WPIN_PAIR_FORWARD);
        first = c == WPIN_PAIR_REVERSE && first < 0 ? ms : first;
        ck_assert(ms < 440 || c == WPIN_PAIR_NONE);
    }
    ck_assert_int_ge(first, 100 + 20 + 80 - 2);
    ck_assert_int_le(first, 100 + 8 + 20 + 80 + 3);
    wpin_sim_free(h.sim);
}
END_TEST

static wpin_duty turn_to(hand *h, wpin_knob *knob, double share) {
    wpin_duty duty = 0;
    wpin_sim_turn(h->sim, KNOB, share);
    for (int i = 0; i < 200; i++) {
        duty = wpin_knob_update(knob, h->port.millivolts(h->sim, KNOB));
    }
    return duty;
}

START_TEST(a_knob_covers_all_of_the_duty) {
    static const wpin_knob_config config = {
        .low_mv = 50, .high_mv = 4950, .dead = 800, .hysteresis = 200, .filter = 4};
    hand h = new_hand();
    wpin_knob knob;
    ck_assert_int_eq(wpin_knob_init(&knob, &config), WPIN_OK);
    ck_assert_int_eq(turn_to(&h, &knob, 0.7), 0); /* turned up at power-up: nothing */
    ck_assert_int_eq(turn_to(&h, &knob, 0), 0);
    ck_assert_int_eq(turn_to(&h, &knob, 1), WPIN_DUTY_FULL);
    for (int percent = 10; percent <= 95; percent += 5) {
        double share = (percent / 100.0 * 5000 - 50) / 4900;
        double expected = (share * 16384 - 800) / (16384 - 800) * 16384;
        ck_assert_double_eq_tol(turn_to(&h, &knob, percent / 100.0), expected, 80);
    }
    ck_assert_int_eq(turn_to(&h, &knob, 0), 0);
    wpin_sim_free(h.sim);
}
END_TEST

START_TEST(a_centred_knob_is_off_in_the_middle_without_chatter) {
    static const wpin_knob_config config = {
        .low_mv = 0, .high_mv = 5000, .dead = 600, .hysteresis = 300, .filter = 3, .centre = true};
    hand h = new_hand();
    wpin_knob knob;
    wpin_knob_init(&knob, &config);
    ck_assert_int_eq(wpin_knob_learn_centre(&knob), WPIN_REFUSED_NOT_ZERO);
    turn_to(&h, &knob, 0.53); /* its mechanical middle is a little off */
    ck_assert_int_eq(wpin_knob_learn_centre(&knob), WPIN_OK);
    ck_assert_int_eq(turn_to(&h, &knob, 0.53), 0);
    ck_assert_int_ge(turn_to(&h, &knob, 1), WPIN_DUTY_FULL - 200); /* less the noise */
    ck_assert_int_le(turn_to(&h, &knob, 0), -WPIN_DUTY_FULL + 200);
    ck_assert_int_eq(turn_to(&h, &knob, 0.55), 0);
    turn_to(&h, &knob, 0.9);
    ck_assert_int_eq(wpin_knob_learn_centre(&knob), WPIN_REFUSED_RANGE);
    int changes = 0, was = -1; /* at the edge of the dead zone the noise must not switch it */
    wpin_sim_turn(h.sim, KNOB, 0.53 + 0.47 * 750 / 16384);
    for (int i = 0; i < 5000; i++) {
        int on = wpin_knob_update(&knob, h.port.millivolts(h.sim, KNOB)) != 0;
        changes += was >= 0 && on != was;
        was = on;
    }
    ck_assert_int_le(changes, 1);
    wpin_sim_free(h.sim);
}
END_TEST

START_TEST(a_curve_follows_its_places_with_play) {
    static const wpin_curve_point points[] = {
        {-500, 0}, {1000, WPIN_PERCENT(40)}, {3000, WPIN_PERCENT(-100)}, {32000, WPIN_DUTY_FULL}};
    wpin_curve_config config = {.points = points, .count = 4};
    wpin_curve curve;
    ck_assert_int_eq(wpin_curve_init(&curve, &config), WPIN_OK);
    for (int mv = -1000; mv <= 32700; mv += 7) { /* against the line worked out in floating point */
        int k = mv < 1000 ? 0 : (mv < 3000 ? 1 : 2);
        double share =
            (double)(mv - points[k].millivolts) / (points[k + 1].millivolts - points[k].millivolts);
        share = share < 0 ? 0 : (share > 1 ? 1 : share);
        double duty = points[k].duty + share * (points[k + 1].duty - points[k].duty);
        ck_assert_int_le(abs(wpin_curve_update(&curve, (int16_t)mv) - (int)lround(duty)), 3);
    }
    config.hysteresis_mv = 50;
    ck_assert_int_eq(wpin_curve_init(&curve, &config), WPIN_OK);
    wpin_duty still = wpin_curve_update(&curve, 2000);
    for (int i = 0; i < 200; i++) { /* noise within the play moves nothing */
        ck_assert_int_eq(wpin_curve_update(&curve, (int16_t)(1950 + (int)pick(101))), still);
    }
    ck_assert_int_lt(wpin_curve_update(&curve, 2100), still);
    config.count = 1;
    ck_assert_int_eq(wpin_curve_init(&curve, &config), WPIN_REFUSED_RANGE);
    static const wpin_curve_point falling[] = {{100, 0}, {100, 5}};
    config = (wpin_curve_config){.points = falling, .count = 2};
    ck_assert_int_eq(wpin_curve_init(&curve, &config), WPIN_REFUSED_RANGE);
}
END_TEST

START_TEST(wrong_settings_are_refused) {
    wpin_button b;
    wpin_pair pair;
    wpin_knob k;
    ck_assert_int_eq(wpin_button_init(&b, &(wpin_button_config){0}), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_button_init(&b, &(wpin_button_config){.debounce_us = 2000000}),
                     WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_button_init(NULL, &button_config), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_pair_init(&pair, &button_config, 2000000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_knob_init(&k, &(wpin_knob_config){.low_mv = 0, .high_mv = 50}),
                     WPIN_REFUSED_RANGE);
    ck_assert_int_eq(
        wpin_knob_init(&k, &(wpin_knob_config){.high_mv = 5000, .dead = 16000, .hysteresis = 500}),
        WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_knob_init(&k, &(wpin_knob_config){.high_mv = 5000, .filter = 7}),
                     WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_knob_init(&k, &(wpin_knob_config){.high_mv = 5000}), WPIN_OK);
    for (int mv = -32768; mv <= 32767; mv += 77) { /* never wraps */
        wpin_duty duty = wpin_knob_update(&k, (int16_t)mv);
        ck_assert_int_ge(duty, 0);
        ck_assert_int_le(duty, WPIN_DUTY_FULL);
    }
    ck_assert_int_eq(wpin_knob_update(&k, 9999), WPIN_DUTY_FULL);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("input");
    TCase *tests = tcase_create("input");
    tcase_add_loop_test(tests, one_press_is_one_event_however_it_bounces, 0, 3);
    tcase_add_test(tests, what_is_held_at_power_up_does_not_count);
    tcase_add_test(tests, both_together_stop_with_no_motion_between);
    tcase_add_test(tests, one_alone_drives_after_the_window);
    tcase_add_test(tests, a_knob_covers_all_of_the_duty);
    tcase_add_test(tests, a_centred_knob_is_off_in_the_middle_without_chatter);
    tcase_add_test(tests, a_curve_follows_its_places_with_play);
    tcase_add_test(tests, wrong_settings_are_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
