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

/* What the inputs below show, by pin and by analogue input. */
static bool shown_level[4];
static int16_t shown_mv[4];
static wpin_moment shown_now;

static wpin_moment table_now(void *context) {
    (void)context;
    return shown_now;
}

static bool table_read(void *context, wpin_pin pin) {
    (void)context;
    return shown_level[pin];
}

static int16_t table_millivolts(void *context, uint8_t input) {
    (void)context;
    return shown_mv[input];
}

static const wpin_port table_port = {
    .now = table_now, .read = table_read, .millivolts = table_millivolts};
static const wpin_knob_config whole_knob = {.high_mv = 5000, .dead = 328, .hysteresis = 160};
static const wpin_curve_point curve_points[] = {{1000, 0}, {3000, 8000}};
static const wpin_curve_config table_curve = {.points = curve_points, .count = 2};
static const wpin_two_point_config table_two_point = {
    .on_mv = 3000, .off_mv = 1000, .most_ms = 500};
static const wpin_process_config table_process = {
    .wanted_mv = 2000, .band_mv = 1000, .most = WPIN_DUTY_FULL};
static const wpin_input_config input_table[] = {
    {.kind = WPIN_INPUT_BUTTON, .at = 0, .duty = 5000, .button = &button_config},
    {.kind = WPIN_INPUT_LIMIT, .at = 1, .button = &button_config},
    {.kind = WPIN_INPUT_PAIR, .at = 2, .other = 3, .duty = 6000, .button = &button_config},
    {.kind = WPIN_INPUT_KNOB, .at = 0, .knob = &whole_knob},
    {.kind = WPIN_INPUT_CURVE, .at = 1, .curve = &table_curve},
    {.kind = WPIN_INPUT_TWO_POINT, .at = 2, .duty = 7000, .two_point = &table_two_point},
    {.kind = WPIN_INPUT_PROCESS, .at = 3, .process = &table_process}};
enum { INPUTS = sizeof input_table / sizeof *input_table };

/* Nothing pressed, every reading low; then so many milliseconds pass. */
static void nothing_shown(void) {
    for (int i = 0; i < 4; i++) {
        shown_level[i] = true;
        shown_mv[i] = 0;
    }
}

static void pass_ms(wpin_inputs *inputs, int ms) {
    for (int i = 0; i < ms; i++) {
        shown_now += 1000;
        wpin_inputs_update(inputs);
    }
}

/* Every kind asks for what it is shown, a contact counts when its time is over, a limit at once. */
START_TEST(a_table_of_inputs_asks_for_what_each_shows) {
    wpin_input state[INPUTS];
    wpin_inputs inputs;
    const wpin_inputs_config config = {input_table, state, INPUTS};
    nothing_shown();
    shown_now = 0xFFFFFF00U; /* the clock wraps on the way */
    ck_assert_int_eq(wpin_inputs_init(&inputs, &config, &table_port), WPIN_OK);
    pass_ms(&inputs, 100);
    for (uint16_t i = 0; i < INPUTS; i++) {
        ck_assert_int_eq(wpin_inputs_duty(&inputs, i), 0);
        ck_assert(!wpin_inputs_held(&inputs, i));
    }
    shown_level[0] = shown_level[1] = shown_level[3] = false;
    shown_mv[0] = 5000;
    shown_mv[1] = 2000;
    shown_mv[2] = 3100;
    shown_mv[3] = 3500; /* more than a band above */
    pass_ms(&inputs, 1);
    ck_assert(wpin_inputs_held(&inputs, 1));
    ck_assert(!wpin_inputs_held(&inputs, 0));
    pass_ms(&inputs, 199);
    static const wpin_duty wanted[INPUTS] = {5000, 0,    -6000,         WPIN_DUTY_FULL,
                                             4000, 7000, WPIN_DUTY_FULL};
    for (uint16_t i = 0; i < INPUTS; i++) {
        ck_assert_msg(wpin_inputs_duty(&inputs, i) == (i == 1 ? 0 : wanted[i]), "input %u: %d", i,
                      wpin_inputs_duty(&inputs, i));
        ck_assert_int_eq(wpin_inputs_held(&inputs, i), i <= 1);
        ck_assert(!wpin_inputs_gave_up(&inputs, i));
        wpin_inputs_rearm(&inputs, i); /* what a hand moves waits for zero; a sensor does not */
        bool by_hand = i == 0 || i == 2 || i == 3;
        ck_assert_int_eq(wpin_inputs_duty(&inputs, i) == 0, by_hand || i == 1);
    }
    pass_ms(&inputs, 2900);
    ck_assert(wpin_inputs_gave_up(&inputs, 0)); /* stuck */
    ck_assert(wpin_inputs_gave_up(&inputs, 5)); /* ran for longer than it may */
    ck_assert_int_eq(wpin_inputs_duty(&inputs, 5), 0);
    nothing_shown();
    pass_ms(&inputs, 100);
    shown_level[0] = false;
    shown_mv[0] = 5000;
    pass_ms(&inputs, 100);
    ck_assert_int_eq(wpin_inputs_duty(&inputs, 0), 5000); /* it has been at zero */
    ck_assert_int_eq(wpin_inputs_duty(&inputs, 3), WPIN_DUTY_FULL);
    ck_assert(!wpin_inputs_gave_up(&inputs, 0));
    ck_assert_int_eq(wpin_inputs_duty(&inputs, INPUTS), 0); /* there is none */
    ck_assert(!wpin_inputs_held(&inputs, UINT16_MAX) && !wpin_inputs_gave_up(&inputs, INPUTS));
}
END_TEST

/* A table with something wrong in it is not open, and calls on it do nothing. */
START_TEST(a_wrong_table_of_inputs_is_refused_and_closed) {
    static const wpin_button_config never = {.debounce_us = 0};
    static const wpin_port blind = {.now = table_now, .millivolts = table_millivolts};
    static const wpin_port deaf = {.now = table_now, .read = table_read};
    const struct {
        wpin_input_config input;
        const wpin_port *port;
        wpin_status refused;
    } wrong[] = {{{.kind = 99, .button = &button_config}, &table_port, WPIN_REFUSED_CONFIG},
                 {{.kind = WPIN_INPUT_KNOB}, &table_port, WPIN_REFUSED_CONFIG},
                 {{.kind = WPIN_INPUT_BUTTON, .button = &never}, &table_port, WPIN_REFUSED_RANGE},
                 {{.kind = WPIN_INPUT_BUTTON, .duty = 17000, .button = &button_config},
                  &table_port,
                  WPIN_REFUSED_RANGE},
                 {{.kind = WPIN_INPUT_PAIR, .window_us = 2000000, .button = &button_config},
                  &table_port,
                  WPIN_REFUSED_RANGE},
                 {{.kind = WPIN_INPUT_BUTTON, .button = &button_config}, &blind, WPIN_REFUSED_PORT},
                 {{.kind = WPIN_INPUT_KNOB, .knob = &whole_knob}, &deaf, WPIN_REFUSED_PORT}};
    wpin_input state[2];
    wpin_inputs inputs;
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        const wpin_input_config table[] = {wrong[i].input, wrong[i].input};
        const wpin_inputs_config config = {table, state, 2};
        ck_assert_int_eq(wpin_inputs_init(&inputs, &config, wrong[i].port), wrong[i].refused);
        wpin_inputs_update(&inputs);
        wpin_inputs_rearm(&inputs, 0);
        ck_assert_int_eq(wpin_inputs_duty(&inputs, 0), 0);
        ck_assert(!wpin_inputs_held(&inputs, 0) && !wpin_inputs_gave_up(&inputs, 0));
    }
    ck_assert_int_eq(wpin_inputs_init(&inputs, NULL, &table_port), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_inputs_init(NULL, NULL, NULL), WPIN_REFUSED_ARGUMENT);
    wpin_inputs_update(NULL);
    ck_assert_int_eq(wpin_inputs_duty(NULL, 0), 0);
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
    tcase_add_test(tests, a_table_of_inputs_asks_for_what_each_shows);
    tcase_add_test(tests, a_wrong_table_of_inputs_is_refused_and_closed);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
