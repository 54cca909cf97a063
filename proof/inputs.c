/* What is read from outside, one at a time: INPUTS, INPUT_TABLE, READINGS or CURVE is defined. */
#include "any.h"

#ifdef INPUTS
static void prove(void) {
    static wpin_button button;
    wpin_button_config press = {any32, any32, ANY_BOOL};
    wpin_button_init(any ? &button : NULL, any ? &press : NULL);
    while (any) {
        any = wpin_button_update(any ? &button : NULL, ANY_BOOL, any32);
    }
    static wpin_pair pair;
    wpin_pair_init(any ? &pair : NULL, any ? &press : NULL, any32);
    while (any) {
        any = wpin_pair_update(any ? &pair : NULL, ANY_BOOL, ANY_BOOL, any32);
    }
    static wpin_knob knob;
    wpin_knob_config turn = {any_signed16, any_signed16, any16, any16, any8, ANY_BOOL};
    wpin_knob_init(NULL, any ? &turn : NULL);
    any = wpin_knob_update(any ? &knob : NULL, any_signed16);
    any = (int)wpin_knob_learn_centre(any ? &knob : NULL);
    if (wpin_knob_init(&knob, &turn) == WPIN_OK) {
        while (any) {
            any = wpin_knob_update(&knob, any_signed16);
            any = (int)wpin_knob_learn_centre(&knob);
        }
    }
}
#endif

#ifdef INPUT_TABLE /* the kind of input in it */
static void prove(void) {
    static wpin_button_config button;
    static wpin_knob_config knob;
    static wpin_curve_config curve;
    static wpin_curve_point points[2];
    static wpin_two_point_config two_point;
    static wpin_process_config process;
    button = (wpin_button_config){any32, any32, ANY_BOOL};
    knob = (wpin_knob_config){any_signed16, any_signed16, any16, any16, any8, ANY_BOOL};
    points[0] = (wpin_curve_point){any_signed16, any_signed16};
    points[1] = (wpin_curve_point){any_signed16, any_signed16};
    curve = (wpin_curve_config){points, 2, any16};
    two_point = (wpin_two_point_config){any_signed16, any_signed16, any32, any32};
    process =
        (wpin_process_config){any_signed16, any16, any32, any_signed16, any_signed16, ANY_BOOL};
    wpin_input_config table = {INPUT_TABLE, any8, any8, any_signed16, any32, {NULL}};
    switch (INPUT_TABLE) {
    case WPIN_INPUT_KNOB: table.knob = &knob; break;
    case WPIN_INPUT_CURVE: table.curve = &curve; break;
    case WPIN_INPUT_TWO_POINT: table.two_point = &two_point; break;
    case WPIN_INPUT_PROCESS: table.process = &process; break;
    default: table.button = &button;
    }
    static wpin_input state;
    static wpin_inputs inputs;
    wpin_inputs_config config = {&table, &state, 1};
    wpin_inputs_init(any ? &inputs : NULL, any ? &config : NULL, NULL);
    if (wpin_inputs_init(&inputs, &config, &any_port) == WPIN_OK) {
        while (any) {
            uint16_t number = any16;
            switch (any) {
            case 0: wpin_inputs_update(&inputs); break;
            case 1: any = wpin_inputs_held(&inputs, number); break;
            case 2: any = wpin_inputs_duty(&inputs, number); break;
            case 3: wpin_inputs_rearm(&inputs, number); break;
            default: any = wpin_inputs_gave_up(&inputs, number);
            }
        }
    }
}
#endif

#ifdef READINGS
static void prove(void) {
    static wpin_two_point control;
    wpin_two_point_config points = {any_signed16, any_signed16, any32, any32};
    wpin_two_point_init(any ? &control : NULL, any ? &points : NULL, any32);
    static wpin_in_step_config together;
    static wpin_in_step pair = {.config = &together};
    ANYTHING(together);
    while (any) {
        int16_t a, b;
        wpin_in_step_begin(&pair, any_signed32, any_signed32);
        any = wpin_in_step_trim(&pair, any_signed32, any_signed32, any_signed16, &a, &b);
    }
    while (any) {
        any = wpin_two_point_update(any ? &control : NULL, any_signed16, ANY_BOOL, any32);
        wpin_two_point_release(&control);
    }
    static wpin_process process;
    wpin_process_config wanted = {any_signed16, any16, any32, any_signed16, any_signed16, ANY_BOOL};
    wpin_process_init(NULL, any ? &wanted : NULL, any32);
    if (wpin_process_init(&process, &wanted, any32) == WPIN_OK) {
        while (any) {
            any = wpin_process_update(&process, any_signed16, any32);
        }
    }
}
#endif

#ifdef CURVE
static void prove(void) {
    static wpin_curve_point points[16];
    ANYTHING(points);
    wpin_curve_config config = {any ? points : NULL, any8, any16};
    static wpin_curve curve;
    wpin_curve_init(NULL, any ? &config : NULL);
    if (wpin_curve_init(&curve, &config) == WPIN_OK) {
        while (any) {
            any = wpin_curve_update(&curve, any_signed16);
        }
    }
}
#endif

int main(void) {
    prove();
    return 0;
}
