/* A core compiled without some verbs of plans and some kinds of inputs, as a firmware may: what is
 * left out is refused, what is there is not. WPIN_VERBS has END, RUN_FOR and WAIT, WPIN_INPUT_KINDS
 * buttons and knobs. */
#include "support.h"
#include <windpin/windpin.h>

#define ONE WPIN_MOTOR(0)

static const struct {
    wpin_step step;
    bool there;
} steps[] = {
    {{.op = WPIN_OP_WAIT, .time_ms = 5}, true},
    {{.op = WPIN_OP_RUN_FOR, .target = ONE, .value = 5000, .time_ms = 5}, true},
    {{.op = WPIN_OP_RUN, .target = ONE, .value = 5000}, false},
    {{.op = WPIN_OP_STOP, .target = ONE}, false},
    {{.op = WPIN_OP_HOLD, .target = ONE, .time_ms = 5}, false},
    {{.op = WPIN_OP_TURN, .target = ONE, .millidegrees = 90000}, false},
    {{.op = WPIN_OP_CLEAR, .target = ONE, .time_ms = 5}, false},
};

static wpin_moment now(void *context) {
    (void)context;
    return 0;
}

static bool low(void *context, wpin_pin pin) {
    (void)context, (void)pin;
    return false;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context, (void)input;
    return 2500;
}

static const wpin_port port = {.now = now, .read = low, .millivolts = millivolts};

START_TEST(a_verb_left_out_is_refused) {
    const wpin_step plan[] = {steps[_i].step, {.op = WPIN_OP_END}};
    wpin_track tracks[1];
    const wpin_sequence_config config = {.steps = plan,
                                         .step_count = 2,
                                         .motor_count = 1,
                                         .tracks = tracks,
                                         .track_count = 1,
                                         .port = &port};
    uint16_t at = 77;
    wpin_status status = wpin_sequence_check(&config, &at);
    ck_assert_int_eq(status, steps[_i].there ? WPIN_OK : WPIN_REFUSED_RANGE);
    ck_assert(steps[_i].there || at == 0);
}
END_TEST

static const wpin_button_config button = {.debounce_us = 5000};
static const wpin_knob_config knob = {.high_mv = 5000};
static const wpin_curve_point points[] = {{0, 0}, {5000, 16384}};
static const wpin_curve_config curve = {.points = points, .count = 2};

static const struct {
    wpin_input_config config;
    bool there;
} inputs[] = {{{.kind = WPIN_INPUT_BUTTON, .duty = 4000, .button = &button}, true},
              {{.kind = WPIN_INPUT_KNOB, .knob = &knob}, true},
              {{.kind = WPIN_INPUT_LIMIT, .button = &button}, false},
              {{.kind = WPIN_INPUT_PAIR, .other = 1, .button = &button}, false},
              {{.kind = WPIN_INPUT_CURVE, .curve = &curve}, false}};

START_TEST(a_kind_of_input_left_out_is_refused) {
    wpin_input state[1];
    wpin_inputs all;
    const wpin_inputs_config config = {&inputs[_i].config, state, 1};
    wpin_status status = wpin_inputs_init(&all, &config, &port);
    ck_assert_int_eq(status, inputs[_i].there ? WPIN_OK : WPIN_REFUSED_CONFIG);
    wpin_inputs_update(&all); /* of a refused one nothing is read */
    ck_assert(inputs[_i].config.kind == WPIN_INPUT_KNOB || wpin_inputs_duty(&all, 0) == 0);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("left_out");
    TCase *tests = tcase_create("left_out");
    tcase_add_loop_test(tests, a_verb_left_out_is_refused, 0, sizeof steps / sizeof *steps);
    tcase_add_loop_test(tests, a_kind_of_input_left_out_is_refused, 0,
                        sizeof inputs / sizeof *inputs);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
