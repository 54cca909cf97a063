/** @file sequence.h
 * A plan: a constant table of steps that runs motors in turn and on parallel tracks, served by a
 * tick and never waiting. Firmware and the command-line tool run the same table.
 *
 *     static const wpin_step plan[] = {
 *         {.op = WPIN_OP_RUN, .motor = 0, .value = WPIN_PERCENT(60), .ramp_us = 1500000},
 *         {.op = WPIN_OP_WAIT, .time_ms = 3000},
 *         {.op = WPIN_OP_STOP, .motor = 0},
 *         {.op = WPIN_OP_END}};
 *
 * Parallel tracks: FORK starts the steps behind it as a track of its own (which ends at LEAVE)
 * and goes on at step `value`; JOIN waits until every track forked from this one has ended.
 */
#ifndef WINDPIN_SEQUENCE_H
#define WINDPIN_SEQUENCE_H

#include "motor.h"
#include "stepper.h"

#ifdef __cplusplus
extern "C" {
#endif

/** How deep repeats may nest within one track. */
#define WPIN_REPEAT_DEPTH 4

/** What a step does. */
typedef enum wpin_op {
    WPIN_OP_END = 0, /**< The plan is over: every motor ramps to rest. */
    WPIN_OP_RUN,     /**< Motor to duty `value` in ramp_us; done when the duty is there. */
    WPIN_OP_RUN_FOR, /**< Motor to duty `value`, stop time_ms after it could begin (the rest before
                          turning over comes on top); done at rest. */
    WPIN_OP_HOLD,    /**< Motor stays as it is for time_ms. */
    WPIN_OP_STOP,    /**< Ramp to rest in ramp_us; done at zero duty; then time_ms more. */
    WPIN_OP_COAST,   /**< Coast; done after time_ms. */
    WPIN_OP_BRAKE,   /**< Brake; done after time_ms. */
    WPIN_OP_WAIT,    /**< time_ms passes on this track. */
    WPIN_OP_TOGGLE,  /**< At rest: motor to duty `value`; else ramp to rest. Done when there. */
    WPIN_OP_UNTIL,   /**< Wait for the event `value` (wpin_event), time_ms at the most. */
    WPIN_OP_SWITCH,  /**< Switch number `motor` to `value` (0 off, 1 on). */
    WPIN_OP_REPEAT,  /**< The steps up to the matching AGAIN, `value` times (1 to 32767). */
    WPIN_OP_AGAIN,   /**< End of a repeat. */
    WPIN_OP_FORK,    /**< Start a track at the next step; go on at step `value`. */
    WPIN_OP_LEAVE,   /**< End of a forked track. */
    WPIN_OP_JOIN,    /**< Wait for the tracks forked here. */
    WPIN_OP_TURN,    /**< Stepper by `millidegrees`; done when there. */
    WPIN_OP_TURN_TO, /**< Stepper to `millidegrees`; done when there. */
    WPIN_OP_FOLLOW,  /**< Motor follows the duty of input `value` for time_ms; done at rest. */
    WPIN_OP_SET,     /**< Puts input number `motor` to `value` mV: what a rehearsal's hand does. */
    WPIN_OP_TEACH,   /**< Motor shows full for time_ms (wpin_motor_teach), then neutral. */
    WPIN_OP_COUNT
} wpin_op;

/** What a plan can wait for. */
typedef enum wpin_event {
    WPIN_EVENT_RESTING = 0,   /**< Motor at zero duty and rested. */
    WPIN_EVENT_STEADY,        /**< Motor at the duty asked for. */
    WPIN_EVENT_CURRENT_ABOVE, /**< Motor current above `milliamps`, as its guard reads it. */
    WPIN_EVENT_CURRENT_BELOW, /**< Motor current below `milliamps`. */
    WPIN_EVENT_INPUT_ON,      /**< Input number `motor` is on. */
    WPIN_EVENT_INPUT_OFF,     /**< Input number `motor` is off. */
    WPIN_EVENT_COUNT
} wpin_event;

/** Whether an op is for a motor (its step's `motor` is one). Any context. */
bool wpin_op_moves_motor(wpin_op op);

/** One step; unused fields are zero. */
typedef struct wpin_step {
    uint8_t op;    /**< wpin_op. */
    uint8_t motor; /**< Index of the motor (or stepper), switch or input. */
    int16_t value; /**< Duty, count, switch position or step index, as the op says. */
    union {
        uint32_t ramp_us;     /**< Ramp time in us, 0 for the slew limit; up to WPIN_RAMP_MAX_US. */
        uint32_t milliamps;   /**< Of the events about current. */
        int32_t millidegrees; /**< Of steppers, up to ten turns by, 5000 to. */
    };
    uint32_t time_ms; /**< Time in ms. */
} wpin_step;

/** How a plan drives steppers: firmware that has none links none of it. */
typedef struct wpin_stepper_way {
    wpin_status (*begin)(wpin_stepper *stepper, const wpin_step *step);
    bool (*busy)(const wpin_stepper *stepper);
    void (*stop)(wpin_stepper *stepper);
} wpin_stepper_way;

/** The value of wpin_sequence_config.stepper_way for wpin_stepper. */
extern const wpin_stepper_way wpin_stepper_in_plans;

/** One track at work. */
typedef struct wpin_track {
    uint32_t left_ms;                   /**< What is left of the step's time. */
    uint16_t left_us;                   /**< Microseconds not yet taken off left_ms. */
    uint16_t step;                      /**< Step it is at. */
    uint16_t loops[WPIN_REPEAT_DEPTH];  /**< Rounds left of each open repeat. */
    uint16_t starts[WPIN_REPEAT_DEPTH]; /**< First step of each open repeat. */
    uint8_t depth;                      /**< Open repeats. */
    uint8_t parent;                     /**< Track it was forked from. */
    uint8_t children;                   /**< Tracks forked from it that still run. */
    uint8_t part;                       /**< Progress within the step. */
    bool active;
} wpin_track;

/** Everything constant about a plan's run. The caller keeps it alive. */
typedef struct wpin_sequence_config {
    const wpin_step *steps; /**< Ends with WPIN_OP_END at the top level. */
    uint16_t step_count;    /**< 1 to 32767. */
    wpin_motor *const *motors;
    uint8_t motor_count;
    wpin_stepper *const *steppers; /**< NULL, or motor_count entries: where one is not NULL its
                                        number is a stepper's, and the entry of motors is NULL.
                                        Tick steppers yourself, faster than the plan. */
    const wpin_stepper_way *stepper_way; /**< &wpin_stepper_in_plans where there are steppers. */
    uint8_t input_count;                 /**< How many inputs read_input and read_duty know. */
    uint8_t switch_count;                /**< How many switches set_switch knows. */
    uint8_t track_count;                 /**< Entries of tracks, 1 or more. */
    wpin_track *tracks;
    const wpin_port *port; /**< For the clock. */
    void *context;         /**< For the two functions below. */
    /** Sets a switch (a supply, a lamp). NULL if no step needs it. */
    wpin_status (*set_switch)(void *context, uint8_t number, bool on);
    /** Reads an input (a button, a limit switch), debounced. NULL if no step needs it. */
    bool (*read_input)(void *context, uint8_t number);
    /** The duty an input asks for (a knob, a sensor's curve). NULL if no step follows one. */
    wpin_duty (*read_duty)(void *context, uint8_t number);
    /** Puts an input to a voltage, on simulated hardware. NULL if no step does. */
    wpin_status (*set_input)(void *context, uint8_t number, int16_t millivolts);
    /** Told when a step begins and when it is done. NULL if nobody listens. */
    void (*observe)(void *context, uint8_t track, uint16_t step, bool begins);
} wpin_sequence_config;

/** A plan at work. Placed by the caller; the fields are its own. */
typedef struct wpin_sequence {
    const wpin_sequence_config *config;
    wpin_moment last;
    wpin_status result;  /**< WPIN_OK, or why the plan was ended early. */
    uint16_t fault_step; /**< The step at which it ended early. */
    bool running;
} wpin_sequence;

/** Checks a plan without running it: ops known, indices in range, duties and times in range,
 * repeats and forks closed and nested within the room there is. Returns WPIN_OK,
 * WPIN_REFUSED_ARGUMENT, _RANGE, _CONFIG or _FULL; *bad_step (may be NULL) is the step. */
wpin_status wpin_sequence_check(const wpin_sequence_config *config, uint16_t *bad_step);

/** Checks the plan and stands at its first step. Nothing moves until the tick. Tick context. */
wpin_status wpin_sequence_start(wpin_sequence *sequence, const wpin_sequence_config *config);

/** Serves every track once, then ticks every motor. Steps that are done make room for the next
 * in the same tick, at most 16 a track, so a tick's time is bounded. A fault of a motor or a
 * refused step ends the plan: all motors ramp to rest and `result` says why. Motors are kept alive
 * 250 ms at a time, so they stop if this is no longer called but their own ticks are. Tick context.
 */
void wpin_sequence_tick(wpin_sequence *sequence);

/** Ends the plan early: every motor ramps to rest. Keep ticking until not busy. Tick context. */
void wpin_sequence_stop(wpin_sequence *sequence);

/** True while the plan runs or a motor has not come to zero duty. Any context. */
bool wpin_sequence_busy(const wpin_sequence *sequence);

#ifdef __cplusplus
}
#endif
#endif
