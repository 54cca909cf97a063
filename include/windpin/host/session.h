/** @file session.h
 * A plan, or requests from outside, carried out on any port: simulated hardware, or real pins. It
 * opens the rig's loads, ticks them, keeps the record of what was asked and what came of it, and
 * leaves every stage safe. Needs no simulator. Host only.
 */
#ifndef WINDPIN_SESSION_H
#define WINDPIN_SESSION_H

#include "../api.h"
#include "bind.h"
#include "plan.h"
#include "trace.h"

#ifdef __cplusplus
extern "C" {
#endif

/** How a step went. */
typedef enum wpin_verdict {
    WPIN_VERDICT_OK,   /**< As asked. */
    WPIN_VERDICT_NOTE, /**< Done, with something worth knowing. */
    WPIN_VERDICT_BAD   /**< Not what was asked. */
} wpin_verdict;

/** What can go wrong while a load is driven. */
typedef enum wpin_trouble {
    WPIN_TROUBLE_BACKWARDS, /**< It turned against its duty. */
    WPIN_TROUBLE_STANDING,  /**< It stood, with enough duty to turn. */
    WPIN_TROUBLE_DEAD,      /**< It took no current. */
    WPIN_TROUBLE_UNASKED,   /**< It was driven with nothing asked of it. */
    WPIN_TROUBLE_UNPOWERED, /**< It was driven with its supply switched off. */
    WPIN_TROUBLE_COUNT
} wpin_trouble;

/** The longest time without a break in which something went wrong. */
typedef struct wpin_spell {
    double since;  /**< s since the plan began. */
    double lasted; /**< s; 0: never. */
    double going;  /**< s it has lasted up to now; 0: it is over. */
    double worst;  /**< rpm the wrong way; A while it stood; V that its supply lacked. */
    double peak;   /**< The same of the time that is going. */
    double total;  /**< s of all such times together. */
} wpin_spell;

/** What a controller's own measurements tell of a load while it is driven. */
typedef enum wpin_sign {
    WPIN_SIGN_NO_CURRENT,    /**< Its sense shows next to nothing where current is due. */
    WPIN_SIGN_STALL_CURRENT, /**< Its sense shows what a standing motor draws. */
    WPIN_SIGN_STILL,         /**< Its encoder stands, with enough duty to turn. */
    WPIN_SIGN_BACKWARDS,     /**< Its encoder turns against its duty. */
    WPIN_SIGN_TWICE,         /**< It shows about twice the speed that goes with duty and current. */
    WPIN_SIGN_HALF,          /**< Or half of it. */
    WPIN_SIGN_COUNT
} wpin_sign;

/** A step as its controller measured it: nothing of this is taken from the simulated bench. */
typedef struct wpin_seen {
    bool current, speed;               /**< Whether the rig measures them at all. */
    double driven;                     /**< s in which it should have turned, shone or pulled. */
    wpin_status fault;                 /**< The latched fault that ended it, or WPIN_OK. */
    wpin_spell signs[WPIN_SIGN_COUNT]; /**< worst: A, or rpm. */
} wpin_seen;

/** One step as it went. Duties as signed fractions. */
typedef struct wpin_step_result {
    unsigned line;         /**< Line of the plan. */
    const char *text;      /**< The line; belongs to the plan. */
    uint16_t step;         /**< Index in the plan. */
    const wpin_step *asks; /**< The step itself; belongs to the plan. */
    wpin_op op;
    int load;                         /**< Index, -1 when the step moves none. */
    bool until;                       /**< An event ends it. */
    bool cautious;                    /**< It was the first move after a fault. */
    unsigned ended;                   /**< Which of all it was to end, from 1; 0: it goes on. */
    bool faulted;                     /**< Its load faulted, and it was to last until then. */
    int awaited;                      /**< Load that it waited for to rest, -1: none. */
    unsigned round;                   /**< How often this line has run, from 1. */
    double asked_duty, asked_seconds; /**< asked_seconds 0: no time was asked. */
    double asked_rpm;                 /**< Speed asked for, signed; 0: none. */
    double measured_rpm;              /**< By its encoder, at its end; NAN without one. */
    double asked_amps;                /**< Current asked for, signed; 0: none. */
    double measured_amps;             /**< By its sense, size, at its end; NAN without one. */
    bool reached;                     /**< The speed or current asked for was measured. */
    double most_off, off_at; /**< Furthest from it since, rpm or A, in means over 50 ms; when. */
    double mean_off, window_off, window_s; /**< The last of those, and the one being taken. */
    double at, took;                       /**< s since the plan began. */
    double duty, volts, rpm;       /**< At its end; volts and rpm as the motor truly had them. */
    double amps_peak;              /**< Largest size of the current during the step. */
    double rpm_peak;               /**< Largest size of the speed during the step. */
    double duty_peak;              /**< Largest size of the duty during the step. */
    double effect_peak;            /**< The most of it during the step. */
    double effect;                 /**< At its end: a lamp's light, a solenoid's plunger, 0 to 1. */
    double degrees_from;           /**< Of a motor or stepper: true place at its begin. */
    double degrees_asked, degrees; /**< Of a stepper: place asked for and true place, at its end. */
    bool ramps;                    /**< asked_seconds is the time of a ramp. */
    bool limited;                  /**< It ended at a limit switch. */
    bool folded;                   /**< At its end the current limit held it back. */
    bool kicked;                   /**< It began with a kick. */
    double
        turned_at; /**< rpm the wrong way round at which it was driven; 0: it had come to rest. */
    double turned_after; /**< s until it was free to turn the other way round; 0: at once. */
    bool first;          /**< It had not been driven before. */
    bool its_way;        /**< It has been driven the way asked: turning over is behind it. */
    double on_for;       /**< s of it in which it had duty. */
    double driven;       /**< s in which current was due, until the next step of its load began. */
    wpin_spell spells[WPIN_TROUBLE_COUNT]; /**< Until the next step of its load began. */
    wpin_seen seen;                        /**< The same by its sensors alone. */
    wpin_verdict verdict;
    char words[160]; /**< The verdict in words. */
    bool done;       /**< It came to its end. */
} wpin_step_result;

/** How a drive on a field bus fell silent. */
typedef enum wpin_silence {
    WPIN_SILENCE_NONE = 0, /**< It did not. */
    WPIN_SILENCE_MUTE,     /**< Nothing came from it any more. */
    WPIN_SILENCE_ANEW,     /**< It said that it begins anew: its power, or another of its number. */
    WPIN_SILENCE_FULL,     /**< Nothing came, and the bus did not take frames either. */
} wpin_silence;

/** What was known of a load when its fault was noticed, by its controller alone: nothing of this is
 * taken from the simulated bench. Speeds and places at the output. */
typedef struct wpin_fault_scene {
    wpin_state state;    /**< What it did until then... */
    wpin_op op;          /**< ...by what it was asked for last; WPIN_OP_END: nothing yet... */
    uint8_t quantity;    /**< ...a wpin_quantity... */
    double setpoint;     /**< ...so much of it, signed, in the unit of wpin_glance... */
    double duty;         /**< ...at this duty, a signed fraction... */
    uint8_t held;        /**< ...held back by this: WPIN_HELD_ bits. */
    double rpm;          /**< Measured, signed; this and what follows NAN: it is not. */
    double amps;         /**< Size. */
    double degrees;      /**< Place. */
    double supply_volts; /**< Of its supply. */
    bool turned_forward; /**< Since the session began it was measured to turn the way it was */
    bool turned_reverse; /**< driven. */
    bool others;         /**< Others on its supply had no motion, no current or too few volts at
                              the same time. */
} wpin_fault_scene;

/** A latched fault of a load. */
typedef struct wpin_fault_result {
    int load;
    wpin_status cause;
    double at;
    double cleared_at; /**< When it was cleared; HUGE_VAL: it is still latched. */
    double
        safe_after; /**< s until its stage showed its safe state; HUGE_VAL: not before the end. */
    uint16_t drive_error; /**< Of a drive on a field bus: its own error code; 0: none. */
    uint8_t drive_state;  /**< And its state, a wpin_axis_state; 0: it is none. */
    wpin_silence silence; /**< Of WPIN_FAULT_SILENT. */
    wpin_fault_scene scene;
} wpin_fault_result;

/** What a whole run came to. */
typedef struct wpin_report {
    wpin_step_result *steps;
    size_t step_count;
    wpin_requirement_result *requirements; /**< One for each of the plan's; by hand of the last. */
    size_t requirement_count;
    wpin_fault_result
        *faults; /**< Those that were cleared (the first 200), then those still latched. */
    size_t fault_count;
    wpin_part_burn *burns; /**< Times since the plan began. */
    size_t burn_count;
    wpin_part_event *events; /**< What else happened; times since the plan began. */
    size_t event_count;
    wpin_pwm_achieved *pwm; /**< For each load. */
    double *amps_peak;      /**< For each load. */
    double *rpm_peak;       /**< For each load, largest size. */
    int8_t *last_way;       /**< For each load: way it was driven last, 0 if it never was. */
    double *degrees_c;      /**< For each load: highest temperature of winding or driver, degC. */
    uint32_t *operations;   /**< For each load: how often an on/off stage went on. */
    double *joules;         /**< For each load: what it took from its supply, its own losses and its
                                 driver's, J. */
    double *torque_peak;    /**< For each load with a regulated current: most torque at the output,
                                 Nm, computed: measured current x constant x gear. */
    double *watts_peak;     /**< The same at its measured speed, W; 0 without an encoder. */
    wpin_state late_state;  /**< What the loads were doing when the late fault came: the busiest. */
    double total_amps_peak; /**< Of all loads in the same control period. */
    double seconds;         /**< How long it ran: to the end of the plan. */
    double rest_seconds;    /**< Until all stood after that; 0: it did already. */
    int still_turning;      /**< A load that turned a minute after the end, -1: none. */
    wpin_status result;     /**< Why the plan ended early, or WPIN_OK. */
    bool interrupted;       /**< Ended by *options.interrupted. */
    bool rehearsed;         /**< Ended as its 'rehearse' says: by itself it has no end. */
    bool gave_up;           /**< Simulated: no step began or ended for a minute more than the whole
                                 plan takes. */
    int trace_error;        /**< errno of a trace or VCD that could not be written, or 0. */
    bool bad; /**< A bad step, a fault not cleared, something burnt, a requirement not met, or a
                   load that still turns. */
} wpin_report;
/** Frees a report; NULL is fine. */
WPIN_API void wpin_report_free(wpin_report *report);

/** What a session runs on: a port, the time, and what is around it. Functions may be NULL where a
 * bench has none of it; `time` and `wait` are needed. */
typedef struct wpin_bench {
    void *context;  /**< For all of them. */
    wpin_port port; /**< With its own context. */
    /** ps (1e-12 s) since some start; never runs back. */
    int64_t (*time)(void *context);
    bool own_clock; /**< It goes on by itself, not by `wait` alone. */
    /** Lets time pass until then, ps; later is a late control period, and missed ones are not made
     * up for. */
    void (*wait)(void *context, int64_t until);
    /** The same to a moment at which nothing but pins is touched; what else there is waits for the
     * next `wait`. NULL: `wait` does. */
    void (*pass)(void *context, int64_t until);
    /** What a plan asks of hands: a supply switched, a button (number of the input) pressed or
     * released, a knob turned or a sensor brought to so many volts, a fault put in or mended.
     * False: it can't be done here. */
    bool (*switch_supply)(void *context, size_t supply, bool on);
    bool (*press)(void *context, size_t input, bool pressed);
    bool (*set_input)(void *context, size_t input, double volts);
    bool (*inject)(void *context, const wpin_injection *fault, bool on);
    /** Has the interrupts of a load's sensors call wpin_bound_edge or wpin_bound_sample. */
    void (*listen)(void *context, wpin_bound_load *bound, size_t load);
    /** What carries the frames of a field bus of the rig; false, or NULL: there is none here. */
    bool (*fieldbus)(void *context, size_t number, wpin_fieldbus *bus);
    /** What a load truly did since it was last asked about, as its machine sees it. NULL: nothing
     * is known but what the controller measures. */
    wpin_part_reading (*read)(void *context, size_t load);
    bool (*supply_is_on)(void *context, size_t supply);
    double (*supply_volts)(void *context, size_t supply);
    /** How often the controller lost its supply; whether nothing reaches it any more. */
    int (*resets)(void *context);
    bool (*link_lost)(void *context);
    /** Whether its interrupts do not come: nothing ticks fast then. */
    bool (*interrupts_off)(void *context);
    /** What burnt and what else happened, by the bench's time. */
    const wpin_part_burn *(*burns)(void *context, size_t *count);
    const wpin_part_event *(*events)(void *context, size_t *count);
    bool (*out_of_memory)(void *context); /**< Not all of that could be kept. */
    /** Whether the hardware can't be relied on any more: then every motor trips with
     * WPIN_FAULT_PORT, and again whenever that is cleared. */
    bool (*broken)(void *context);
    /** Tells every pin change from now on, as wpin_vcd_pin takes them; NULL stops. */
    void (*watch_pins)(void *context, wpin_pin_watcher *watcher, void *to);
} wpin_bench;

/** Who looks on while a session runs, and judges it: &wpin_verdicts of verdict.h. */
typedef struct wpin_onlooker wpin_onlooker;

/** How to run. All zero is a plain run. */
typedef struct wpin_session_options {
    bool disarmed;                /**< Without a plan: no load is armed before that is asked for. */
    bool supplies_on;             /**< Every supply on before the plan begins. */
    bool averaged;                /**< Of wpin_rehearse: as wpin_sim_average has it. */
    double spread;                /**< Of wpin_rehearse: motors and what they drive are others than
                                       the rig says, each constant up to so far, 0 to 0.5... */
    unsigned seed;                /**< ...which of those there may be. */
    const wpin_injection *faults; /**< Put in from the start, besides those of the rig. */
    size_t fault_count;
    const wpin_injection *late; /**< A fault that comes at late_at s of the plan, or NULL. */
    double late_at;
    double *driven_until; /**< For each load: filled in with when it was last driven, s; or NULL. */
    double sample_seconds;           /**< Trace interval; 0: 1 ms. */
    wpin_csv *csv;                   /**< Trace to write, or NULL. */
    const char *vcd_path;            /**< VCD file to write, or NULL. */
    const wpin_onlooker *onlooker;   /**< Who judges it; NULL: nobody. */
    const volatile int *interrupted; /**< Not zero: stop the motors and end. */
    void (*progress)(void *context, double seconds, double total);
    void *context; /**< For progress. */
} wpin_session_options;

/** A session at work. */
typedef struct wpin_session wpin_session;

/** Opens a session: the controller boots, every load is opened in its safe state and armed, and
 * comes to rest; then the plan may begin. `plan` NULL: nothing moves but what is asked for by
 * wpin_session_motor. `options` NULL: a plain one. Rig and plan must outlive it, and what bench and
 * options point to. NULL with the status and the reason in words when the core refused something.
 */
WPIN_API wpin_session *wpin_session_open(const wpin_rig *rig, const wpin_plan *plan,
                                         const wpin_bench *bench,
                                         const wpin_session_options *options, wpin_status *refused,
                                         char *why, size_t why_size);
/** One stretch of it: what is due now (a control period, steps and software PWM, a row of the
 * record), then time passes until something is due again. False once the plan has ended and all
 * that it stopped stands; without a plan once it is interrupted. */
WPIN_API bool wpin_session_step(wpin_session *session);
/** Stretches until so many seconds since the plan began; on a bench with a clock of its own at
 * least one: what is due by then, however late that is. False once it is over. */
WPIN_API bool wpin_session_until(wpin_session *session, double seconds);
/** Seconds since the plan began. */
WPIN_API double wpin_session_time(const wpin_session *session);
/** A load's motor, for requests from outside: what motor.h lets any context call. NULL: no such
 * load. */
WPIN_API wpin_motor *wpin_session_motor(wpin_session *session, size_t load);

/** @name By hand
 * Of a session without a plan: what people ask for, one action after the other, between two calls
 * of wpin_session_step.
 * @{ */
/** An action (wpin_plan_read_action, or a first motion: wpin_plan_first_motion), begun at once, in
 * place of what its load was doing. It goes on until its end, or until that load is asked for
 * something else, but no longer than wpin_session_keep lets it. The action must outlive the report,
 * which has it as a step, judged as those of a plan. Refused with the reason in words: _CONFLICT
 * (the session has a plan), _STATE (it is stopped), _NOT_ARMED, _FAULTED, _NOT_ZERO (a first motion
 * of what moves); then nothing changes. What the core refuses when it begins ends what the load was
 * doing, on its ramp. */
WPIN_API wpin_status wpin_session_act(wpin_session *session, const wpin_plan *action, char *why,
                                      size_t why_size);
/** A whole plan, from its first step, with every load at rest and armed. Its steps come into the
 * report, and what came of its requirements, in place of those of a plan before. It may go on as
 * actions may, and must outlive the report. Refused with the reason in words: _CONFLICT (the
 * session has a plan, or one runs), _STATE (it is stopped), _NOT_ARMED, _FAULTED, _NOT_ZERO (a load
 * moves), _FULL (out of memory), and what the core refuses of a plan; then nothing changes. */
WPIN_API wpin_status wpin_session_run(wpin_session *session, const wpin_plan *plan, char *why,
                                      size_t why_size);
/** Ends it early: every load ramps to rest. */
WPIN_API void wpin_session_end_run(wpin_session *session);

/** How far such a plan is. */
typedef struct wpin_progress {
    bool running;
    unsigned line;      /**< Of the step that began last; 0: none has. */
    double at;          /**< s since it began. */
    wpin_status result; /**< Why it ended early; WPIN_OK: it has not, or came to its end. */
} wpin_progress;
/** That, of the plan begun last by wpin_session_run. */
WPIN_API wpin_progress wpin_session_progress(const wpin_session *session);
/** Actions may go on for so many seconds from now. Not said again by then, every load that moves
 * ramps to rest: whoever commands is gone. At first: not at all. */
WPIN_API void wpin_session_keep(wpin_session *session, double seconds);
/** Stops every load as its rig says ('on-stop'), whatever else is asked, and latches: nothing moves
 * before wpin_session_rearm, and before each load is armed anew. Any context, signals included. */
WPIN_API void wpin_session_stop(wpin_session *session);
/** Ends that. Refused: _NO_FAULT (not stopped), _CAUSE (the rig's stop input is still pressed),
 * _NOT_ZERO (something still moves). */
WPIN_API wpin_status wpin_session_rearm(wpin_session *session);
WPIN_API bool wpin_session_is_stopped(const wpin_session *session);

/** A load at a glance. Speeds and places at the output. */
typedef struct wpin_glance {
    wpin_state state;
    bool armed;
    wpin_status fault;    /**< Latched, or WPIN_OK. */
    wpin_ended ended;     /**< Why its last motion ended. */
    uint8_t held;         /**< WPIN_HELD_ bits: what holds it back. */
    uint8_t quantity;     /**< wpin_quantity of the set-point... */
    double setpoint;      /**< ...signed: a fraction of full duty, rpm, A, degrees. */
    double duty;          /**< Signed fraction. */
    double measured_rpm;  /**< By its encoder; NAN without one. */
    double measured_amps; /**< Size, by its sense; NAN without one. */
    double degrees;       /**< Place by its counts; NAN where none are counted. */
    bool knows;           /**< Whether the bench knows what truly happens: */
    double rpm, amps, volts, temperature; /**< True: average current, volts at the load, degC. */
    double supply_volts;                  /**< Of its supply. */
    const wpin_step_result *doing;        /**< What it was asked for last, or NULL. */
    bool busy;                            /**< It moves, or is about to. */
} wpin_glance;

/** Looks at a load; all zero where there is none of that number. */
WPIN_API wpin_glance wpin_session_look(const wpin_session *session, size_t load);
/** Its latched fault; cause WPIN_OK: it has none. */
WPIN_API wpin_fault_result wpin_session_fault(const wpin_session *session, size_t load);
/** What keeps its drive on a field bus from being set up, or from being armed just now, in words;
 * false: nothing. */
WPIN_API bool wpin_session_drive_trouble(const wpin_session *session, size_t load, char *words,
                                         size_t size);
/** What has come of it so far: steps, what the session noted, what burnt and what else happened on
 * the bench (their times are the bench's). Good until the next call of the session. */
WPIN_API const wpin_step_result *wpin_session_steps(const wpin_session *session, size_t *count);
/** What came of the requirements of the plan that was run last, once it is over; none while it
 * runs.
 */
WPIN_API const wpin_requirement_result *wpin_session_required(const wpin_session *session,
                                                              size_t *count);
WPIN_API const wpin_part_event *wpin_session_notes(const wpin_session *session, size_t *count);
WPIN_API const wpin_part_burn *wpin_session_burns(const wpin_session *session, size_t *count);
WPIN_API const wpin_part_event *wpin_session_events(const wpin_session *session, size_t *count);
/** How many steps have ended so far. */
WPIN_API unsigned wpin_session_ended(const wpin_session *session);
/** For a long session: forgets steps that have ended, the oldest first, until at most `keep` of
 * them are left; not what a load did last. The numbers of those behind them change, and the report
 * is without them. */
WPIN_API void wpin_session_forget(wpin_session *session, size_t keep);
/** Volts a supply has now, 0 while it is off. */
WPIN_API double wpin_session_supply(const wpin_session *session, size_t supply);
/** @} */

/** Ends it: what still goes on is cut short, every stage is left in its safe state. The report;
 * NULL with the reason in words when out of memory. NULL is fine: NULL comes back. */
WPIN_API wpin_report *wpin_session_close(wpin_session *session, char *why, size_t why_size);

#ifdef __cplusplus
}
#endif
#endif
