/** @file inputs.h
 * All inputs of a rig as a table: buttons, limit switches, knobs and sensors, read together once a
 * control period. Each asks for an effort; a sequence waits for them and follows them.
 *
 *     static const wpin_input_config table[] = {
 *         {.kind = WPIN_INPUT_BUTTON, .at = 2, .duty = WPIN_PERCENT(60), .button = &start},
 *         {.kind = WPIN_INPUT_KNOB, .at = 1, .knob = &turned}};
 *     static wpin_input state[2];
 *     wpin_inputs_init(&inputs, &(const wpin_inputs_config){table, state, 2}, &port);
 *     each control period: wpin_inputs_update(&inputs), and then the motors' ticks or the plan's
 *
 * A wpin_sequence_config takes wpin_inputs_held, _duty and _rearm as its functions.
 */
#ifndef WINDPIN_INPUTS_H
#define WINDPIN_INPUTS_H

#include "api.h"
#include "input.h"
#include "port.h"
#include "process.h"
#include "two_point.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What an input is. */
typedef enum wpin_input_kind {
    WPIN_INPUT_BUTTON = 0, /**< Asks for its duty while it is held. */
    WPIN_INPUT_LIMIT,      /**< A limit switch: counts at once, not after its debounce time. */
    WPIN_INPUT_PAIR,       /**< Two buttons, one for each way; both together ask for nothing. */
    WPIN_INPUT_KNOB,       /**< Asks for what it is turned to. */
    WPIN_INPUT_CURVE,      /**< A sensor; asks for what its curve says. */
    WPIN_INPUT_TWO_POINT,  /**< A sensor; asks for its duty by two-point control. */
    WPIN_INPUT_PROCESS     /**< A sensor that is regulated by the effort it asks for. */
} wpin_input_kind;

/** Everything constant about one. The caller keeps it alive, and what it points to. */
typedef struct wpin_input_config {
    uint8_t kind;       /**< wpin_input_kind. */
    uint8_t at;         /**< Its pin, or its analogue input; of a pair the pin for forward. */
    uint8_t other;      /**< Of a pair: the pin for reverse. */
    wpin_duty duty;     /**< Of buttons, pairs and two-point control: what it asks for. */
    uint32_t window_us; /**< Of a pair: as wpin_pair_init takes it. */
    union {             /**< What its kind needs. */
        const wpin_button_config *button; /**< Buttons, limit switches; both of a pair. */
        const wpin_knob_config *knob;
        const wpin_curve_config *curve;
        const wpin_two_point_config *two_point;
        const wpin_process_config *process;
    };
} wpin_input_config;

/** One at work. Placed by the caller; the fields are its own. */
typedef struct wpin_input {
    union {
        wpin_button button;
        wpin_pair pair;
        wpin_knob knob;
        wpin_curve curve;
        wpin_two_point two_point;
        wpin_process process;
    };
    wpin_duty duty; /* it asks for now */
    bool waits;     /* for zero, since a motor began to follow it */
    bool gave_up;   /* stuck, or ran for too long */
} wpin_input;

/** Everything constant about all of them. The caller keeps it alive. */
typedef struct wpin_inputs_config {
    const wpin_input_config *table;
    wpin_input *state; /**< As many as the table has. */
    uint16_t count;
} wpin_inputs_config;

/** All of them at work. Placed by the caller; the fields are its own. */
typedef struct wpin_inputs {
    const wpin_inputs_config *config; /* NULL: not open */
    const wpin_port *port;
} wpin_inputs;

/** Sets all of them up. Refused, and then none is open: _ARGUMENT, _CONFIG (a kind there is not, or
 * without what it needs), _RANGE (what it needs is out of range), _PORT (no read, no millivolts).
 * Init. */
WPIN_API wpin_status wpin_inputs_init(wpin_inputs *inputs, const wpin_inputs_config *config,
                                      const wpin_port *port);

/** Reads all of them, once a control period, before the motors' ticks. Tick. */
WPIN_API void wpin_inputs_update(wpin_inputs *inputs);

/** @name About one of them; `inputs` is a wpin_inputs, as a sequence's context. Tick.
 * @{ */
/** Whether a button is held (and not stuck), a limit switch reached; false of all others. */
WPIN_API bool wpin_inputs_held(void *inputs, uint16_t number);
/** The effort it asks for, -WPIN_DUTY_FULL to WPIN_DUTY_FULL. */
WPIN_API wpin_duty wpin_inputs_duty(void *inputs, uint16_t number);
/** A motor begins to follow it: what a hand moves asks for nothing before it was at zero once. */
WPIN_API void wpin_inputs_rearm(void *inputs, uint16_t number);
/** Whether a button is stuck, or a two-point control ran for too long: it asks for nothing. */
WPIN_API bool wpin_inputs_gave_up(const wpin_inputs *inputs, uint16_t number);
/** @} */

#ifdef __cplusplus
}
#endif
#endif
