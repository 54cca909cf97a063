/** @file sequence.h
 * A plan: a constant table of steps that runs motors in turn and on parallel tracks, served by a
 * tick and never waiting. Firmware and the command-line tool run the same table.
 *
 *     static const WPIN_FLASH wpin_step plan[] = {
 *         {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(60),
 *          .ramp_us = 1500000},
 *         {.op = WPIN_OP_WAIT, .time_ms = 3000},
 *         {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0)},
 *         {.op = WPIN_OP_END}};
 *
 * Parallel tracks: FORK starts the steps behind it as a track of its own (which ends at LEAVE)
 * and goes on at step `value`; JOIN waits until every track forked from this one has ended.
 */
#ifndef WINDPIN_SEQUENCE_H
#define WINDPIN_SEQUENCE_H

#include "api.h"
#include "motor.h"

#ifdef __cplusplus
extern "C" {
#endif

/** How deep repeats may nest within one track. */
#define WPIN_REPEAT_DEPTH 4

/** What a step does. */
typedef enum wpin_op {
    WPIN_OP_END = 0,   /**< The plan is over: every motor ramps to rest. */
    WPIN_OP_RUN,       /**< Motor to `value` in ramp_us; done when it is there. */
    WPIN_OP_RUN_FOR,   /**< Motor to `value`, stop time_ms after it could begin (the rest
                          before   turning the other way comes on top); done at rest. */
    WPIN_OP_HOLD,      /**< Motor stays as it is for time_ms. */
    WPIN_OP_STOP,      /**< Ramp to rest in ramp_us; done at zero; then time_ms more. */
    WPIN_OP_COAST,     /**< Coast; done after time_ms. */
    WPIN_OP_BRAKE,     /**< Brake; done after time_ms. */
    WPIN_OP_WAIT,      /**< time_ms passes on this track. */
    WPIN_OP_TOGGLE,    /**< At rest: motor to effort `value`; else ramp to rest. Done when there. */
    WPIN_OP_UNTIL,     /**< Wait for the event `value` (wpin_event), time_ms at the most. */
    WPIN_OP_SWITCH,    /**< Switch to `value` (0 off, 1 on). */
    WPIN_OP_REPEAT,    /**< The steps up to the matching AGAIN, `value` times (1 to 32767), or
                            for ever (0). */
    WPIN_OP_AGAIN,     /**< End of a repeat. */
    WPIN_OP_FORK,      /**< Start a track at the next step; go on at step `value`. */
    WPIN_OP_LEAVE,     /**< End of a forked track. */
    WPIN_OP_JOIN,      /**< Wait for the tracks forked here. */
    WPIN_OP_TURN,      /**< Motor that knows angles by `millidegrees`; done when there. */
    WPIN_OP_TURN_TO,   /**< The same to `millidegrees`. */
    WPIN_OP_FOLLOW,    /**< Motor follows the effort of input `value` for time_ms, as that or as a
                          share of `full`; done at rest. */
    WPIN_OP_SET,       /**< Puts an input to `value` mV: what a rehearsal's hand does. */
    WPIN_OP_CALIBRATE, /**< Motor shows full for time_ms (wpin_motor_calibrate), then neutral. */
    WPIN_OP_ZERO,      /**< Motor at rest: where it stands is position 0. */
    WPIN_OP_HOME,      /**< Motor at speed `value` to the event `until`: an input, of which it backs
                          off and comes again at a quarter of the speed; or a current above, once it
                          stands. Done at rest, where position 0 is then. time_ms each way.
                          Without an event: wpin_motor_home, time_ms in all; `value` says nothing
                          then. */
    WPIN_OP_CLEAR, /**< Motor's fault is cleared as soon as its cause is gone, and the motor armed
                      again, within time_ms, else the plan ends. The first move after it is
                      limited. Done at once where there is none. */
    WPIN_OP_COUNT
} wpin_op;

/** What a step is about. */
typedef enum wpin_target_kind {
    WPIN_TARGET_NONE = 0,
    WPIN_TARGET_MOTOR,
    WPIN_TARGET_SWITCH,
    WPIN_TARGET_INPUT
} wpin_target_kind;

/** A part a plan addresses: its kind, and its number among those. */
typedef struct wpin_target {
    uint8_t kind; /**< wpin_target_kind. */
    uint16_t number;
} wpin_target;

/** @name The target of a step: .target = WPIN_MOTOR(0)
 * @{ */
#define WPIN_MOTOR(index)                                                                          \
    { WPIN_TARGET_MOTOR, (uint16_t)(index) }
#define WPIN_SWITCH(index)                                                                         \
    { WPIN_TARGET_SWITCH, (uint16_t)(index) }
#define WPIN_INPUT(index)                                                                          \
    { WPIN_TARGET_INPUT, (uint16_t)(index) }
/** @} */

/** What a plan can wait for. */
typedef enum wpin_event {
    WPIN_EVENT_RESTING = 0,   /**< Motor at zero duty and rested. */
    WPIN_EVENT_AT_SETPOINT,   /**< Motor at the duty asked for. */
    WPIN_EVENT_CURRENT_ABOVE, /**< Motor current above `milliamps`, as its guard reads it. */
    WPIN_EVENT_CURRENT_BELOW, /**< Motor current below `milliamps`. */
    WPIN_EVENT_INPUT_ON,      /**< Input number `motor` is on. */
    WPIN_EVENT_INPUT_OFF,     /**< Input number `motor` is off. */
    WPIN_EVENT_FAULTED,       /**< Motor has a latched fault; while a step waits for that, and while
                                 CLEAR is at work, it does not end the plan. Not of REPEAT or HOME. */
    WPIN_EVENT_COUNT
} wpin_event;

/** What an event is about: WPIN_TARGET_MOTOR or WPIN_TARGET_INPUT. Any context. */
WPIN_API uint8_t wpin_event_about(wpin_event event);

/** Whether an op is for a motor (its target is one). Any context. */
WPIN_API bool wpin_op_moves_motor(wpin_op op);

/** One step; unused fields are zero. */
typedef struct wpin_step {
    uint8_t op;         /**< wpin_op. */
    uint8_t quantity;   /**< wpin_quantity of the value of a run: 0 effort, or a speed. */
    wpin_target target; /**< Motor, switch or input that the op is about. */
    int16_t
        value; /**< Effort or speed, count, switch position, event or step index, as the op says. */
    union {
        uint32_t ramp_us;     /**< Ramp time in us, 0 for the slew limit; up to WPIN_RAMP_MAX_US. */
        uint32_t milliamps;   /**< Of the events about current; up to 65535000. */
        int32_t millidegrees; /**< Of turns, up to ten by, 5000 to. */
        int32_t full;         /**< Of FOLLOW: what it asks for, of the step's quantity, where its
                                 input asks for full effort; negative: the other way round. 0: the
                                 effort itself. */
    };
    uint32_t time_ms;  /**< Time in ms. */
    uint8_t until;     /**< 1 + a wpin_event, 0: none. It ends RUN_FOR, HOLD, FOLLOW, COAST or BRAKE
                          before its time, which ends the plan if the event has not come; REPEAT
                          after a round; and is what HOME looks for. */
    uint16_t until_of; /**< The motor or input that event is about. */
    uint16_t until_ma; /**< The current of an event about currents, mA. */
} wpin_step;

/** One track at work. */
typedef struct wpin_track {
    wpin_countdown left;                /**< What is left of the step's time. */
    uint16_t step;                      /**< Step it is at. */
    uint16_t loops[WPIN_REPEAT_DEPTH];  /**< Rounds left of each open repeat; 0: endless. */
    uint16_t starts[WPIN_REPEAT_DEPTH]; /**< First step of each open repeat. */
    uint8_t depth;                      /**< Open repeats. */
    uint8_t parent;                     /**< Track it was forked from. */
    uint8_t children;                   /**< Tracks forked from it that still run. */
    uint8_t part;                       /**< Progress within the step. */
    uint8_t ticks;                      /**< For how many the event of HOME has lasted. */
    bool active;
} wpin_track;

/** Everything constant about a plan's run. The caller keeps it alive. */
typedef struct wpin_sequence_config {
    const WPIN_FAR wpin_step *steps; /**< Ends with WPIN_OP_END at the top level. */
    uint16_t step_count;             /**< 1 to 32767. */
    wpin_motor *const *motors; /**< Open before the plan starts. NULL: only to check a plan. */
    uint16_t motor_count;
    uint16_t input_count;  /**< How many inputs read_input and read_duty know. */
    uint16_t switch_count; /**< How many switches set_switch knows. */
    uint8_t track_count;   /**< Entries of tracks, 1 or more. */
    wpin_track *tracks;
    const wpin_port *port; /**< For the clock. */
    void *context;         /**< For the functions below. */
    /** Sets a switch (a supply, a lamp). NULL if no step needs it. */
    wpin_status (*set_switch)(void *context, uint16_t number, bool on);
    /** Reads an input (a button, a limit switch), debounced. NULL if no step needs it. */
    bool (*read_input)(void *context, uint16_t number);
    /** The effort an input asks for (a knob, a sensor's curve). NULL if no step follows one. */
    wpin_duty (*read_duty)(void *context, uint16_t number);
    /** A motor begins to follow that input: what a hand moves (a knob, a button) should be at zero
     * once before read_duty answers anything but zero again. NULL: it need not. */
    void (*rearm_input)(void *context, uint16_t number);
    /** Puts an input to a voltage, on simulated hardware. NULL if no step does. */
    wpin_status (*set_input)(void *context, uint16_t number, int16_t millivolts);
    /** Told when a step begins and when it is done. NULL if nobody listens. */
    void (*observe)(void *context, uint8_t track, uint16_t step, bool begins);
    /** Asked first in every tick, also after the plan has ended: true ends it (WPIN_FAULT_STOPPED)
     * and leaves the motors to whoever says so, a wpin_stop. NULL: nobody. */
    bool (*stopped)(void *context);
} wpin_sequence_config;

/** A plan at work. Placed by the caller; the fields are its own. */
typedef struct wpin_sequence {
    const wpin_sequence_config *config;
    wpin_moment last;
    wpin_status result;       /**< WPIN_OK, or why the plan was ended early. */
    uint16_t fault_step;      /**< The step at which it ended early. */
    volatile uint8_t running; /**< 1 until it has ended. */
} wpin_sequence;

/** Checks a plan without running it: ops and their targets known, indices in range, efforts and
 * times in range, repeats and forks closed and nested within the room there is, no motor commanded
 * by two tracks at once, and with open motors that they can do what is asked. Returns WPIN_OK,
 * WPIN_REFUSED_ARGUMENT, _RANGE, _CONFIG, _FULL, _CONFLICT or _QUANTITY; *bad_step (may be NULL) is
 * the step. Init. */
WPIN_API wpin_status wpin_sequence_check(const wpin_sequence_config *config, uint16_t *bad_step);

/** Checks the plan and stands at its first step. Nothing moves until the tick. Refused too: _CLOSED
 * (a motor that is not open). Tick. */
WPIN_API wpin_status wpin_sequence_start(wpin_sequence *sequence,
                                         const wpin_sequence_config *config);

/** Ticks every motor (wpin_motors_tick), then serves every track. Steps that are done make room for
 * the next in the same tick, at most 16 a track, so a tick's time is bounded. A fault of a motor
 * that no step waits for (WPIN_EVENT_FAULTED) or clears, a motor that timed out because this came
 * too late (WPIN_FAULT_LATE), or a refused step ends the plan: all motors ramp to rest and `result`
 * says why. Motors are kept alive 250 ms at a time, so they stop if this is no longer called but
 * their own ticks are. Tick. */
WPIN_API void wpin_sequence_tick(wpin_sequence *sequence);

/** The same without the motors, for several plans side by side, each of motors of its own: the
 * caller ticks all of these first (wpin_motors_tick), and keeps them alive (wpin_motor_refresh) for
 * as long as somebody commands. Tick. */
WPIN_API void wpin_sequence_serve(wpin_sequence *sequence);

/** Ends the plan early: every motor ramps to rest. Keep ticking until not busy. Tick. */
WPIN_API void wpin_sequence_stop(wpin_sequence *sequence);

/** True while the plan runs or a motor has not come to rest. Any context. */
WPIN_API bool wpin_sequence_busy(const wpin_sequence *sequence);

#ifdef __cplusplus
}
#endif
#endif
