/** @file rehearsal.h
 * A plan run on simulated hardware built from the rig: what was asked, what was achieved, what
 * burnt. The plan runs through the same core, sequence and stage code as on real pins. Host only.
 */
#ifndef WINDPIN_REHEARSAL_H
#define WINDPIN_REHEARSAL_H

#include "../api.h"
#include "identify.h"
#include "plan.h"
#include "sim.h"
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
    WPIN_SIGN_COUNT
} wpin_sign;

/** A step as its controller measured it: nothing of this is taken from the simulated bench. */
typedef struct wpin_seen {
    bool current, speed;               /**< Whether the rig measures them at all. */
    double driven;                     /**< s in which it should have turned, shone or pulled. */
    wpin_status fault;                 /**< The latched fault that ended it, or WPIN_OK. */
    wpin_spell signs[WPIN_SIGN_COUNT]; /**< worst: A, or rpm. */
} wpin_seen;

/** What follows from it. */
typedef enum wpin_seen_verdict {
    WPIN_SEEN_FINE,      /**< As far as it is measured. */
    WPIN_SEEN_TROUBLE,   /**< Something is measured to be wrong. */
    WPIN_SEEN_UNMEASURED /**< Nothing that would tell is measured. */
} wpin_seen_verdict;

/** One step as it went. Duties as signed fractions. */
typedef struct wpin_step_result {
    unsigned line;    /**< Line of the plan. */
    const char *text; /**< The line; belongs to the plan. */
    uint16_t step;    /**< Index in the plan. */
    wpin_op op;
    int load;                         /**< Index, -1 when the step moves none. */
    bool until;                       /**< An event ends it. */
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
    bool its_way;        /**< It has been driven the way asked: turning over is behind it. */
    double on_for;       /**< s of it in which it had duty. */
    double driven;       /**< s in which current was due, until the next step of its load began. */
    wpin_spell spells[WPIN_TROUBLE_COUNT]; /**< Until the next step of its load began. */
    wpin_seen seen;                        /**< The same by its sensors alone. */
    wpin_verdict verdict;
    char words[160]; /**< The verdict in words. */
    bool done;       /**< It came to its end. */
} wpin_step_result;

/** A latched fault of a load. */
typedef struct wpin_fault_result {
    int load;
    wpin_status cause;
    double at;
    double
        safe_after; /**< s until its stage showed its safe state; HUGE_VAL: not before the end. */
} wpin_fault_result;

/** What a whole run came to. */
typedef struct wpin_report {
    wpin_step_result *steps;
    size_t step_count;
    wpin_requirement_result *requirements; /**< One for each of the plan's. */
    size_t requirement_count;
    wpin_fault_result *faults;
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
    double seconds;         /**< How long it ran. */
    wpin_status result;     /**< Why the plan ended early, or WPIN_OK. */
    bool interrupted;       /**< Ended by *options.interrupted. */
    bool rehearsed;         /**< Ended as its 'rehearse' says: by itself it has no end. */
    int trace_error;        /**< errno of a trace or VCD that could not be written, or 0. */
    bool bad;               /**< A bad step, a fault, something burnt, or a requirement not met. */
} wpin_report;

/** How to run. All zero is a plain run. */
typedef struct wpin_rehearsal_options {
    bool supplies_on;             /**< Every supply on before the plan begins. */
    const wpin_injection *faults; /**< Put in from the start, besides those of the rig. */
    size_t fault_count;
    const wpin_injection *late; /**< A fault that comes at late_at s of the plan, or NULL. */
    double late_at;
    double *driven_until; /**< For each load: filled in with when it was last driven, s; or NULL. */
    double sample_seconds;           /**< Trace interval; 0: 1 ms. */
    wpin_csv *csv;                   /**< Trace to write, or NULL. */
    const char *vcd_path;            /**< VCD file to write, or NULL. */
    const volatile int *interrupted; /**< Not zero: stop the motors and end. */
    void (*progress)(void *context, double seconds, double total);
    void *context; /**< For progress. */
} wpin_rehearsal_options;

/** Runs a plan. NULL with a status and a place in words when the rig can not be set up (the core
 * refused it); else a report, also when the plan went wrong. */
WPIN_API wpin_report *wpin_rehearse(const wpin_rig *rig, const wpin_plan *plan,
                                    const wpin_rehearsal_options *options, wpin_status *refused,
                                    char *why, size_t why_size);
/** Says in words what the measurements of a step come to for load number `load` of a rig: what is
 * measured, since when, and the causes in order of likelihood; where nothing is measured, that, and
 * what to look at. It knows nothing but the rig and `seen`. */
WPIN_API wpin_seen_verdict wpin_seen_judge(const wpin_rig *rig, int load, const wpin_seen *seen,
                                           char *words, size_t size);
/** Frees a report; NULL is fine. */
WPIN_API void wpin_report_free(wpin_report *report);

/** What a first motion one way came to. */
typedef struct wpin_first_way {
    bool tried;      /**< Its stage can go that way. */
    double duty;     /**< Asked for, a fraction; 1 for what is on or off. */
    double seconds;  /**< For how long; of a stepper 0. */
    double turns;    /**< Of the output, clockwise as seen from the end of its shaft. */
    double rpm_peak; /**< Largest size. */
    double amps_peak;
    int other; /**< Another load that turned instead or besides, -1: none. */
    wpin_verdict verdict;
    char words[160];
} wpin_first_way;

/** Moves a load for the first time on the simulated bench, alone, each way its stage can: at most
 * 30 % of the duty and 1 s (a start without sensors 4 s), 0.3 s where it is on or off, an eighth of
 * a turn of a stepper; kicks and start duties left out. False with the reason for what has no shaft
 * or can't be set up. */
WPIN_API bool wpin_first_motion(const wpin_rig *rig, int load, const wpin_injection *faults,
                                size_t fault_count, wpin_first_way ways[2], char *why,
                                size_t why_size);

/** What the leads of a stepper are found to be. */
typedef enum wpin_coils {
    WPIN_COILS_UNMEASURED, /**< The rig has no current sense for it. */
    WPIN_COILS_RIGHT,      /**< A winding on each channel. */
    WPIN_COILS_CROSSED,    /**< Each winding lies across both channels. */
    WPIN_COILS_A_OFF,      /**< Nothing is on channel a. */
    WPIN_COILS_B_OFF,
    WPIN_COILS_NO_CURRENT,
    WPIN_COILS_UNCLEAR
} wpin_coils;

/** A stepper held in each of its eight states. */
typedef struct wpin_coil_test {
    bool measured;
    double amps[8]; /**< By its sense, A. */
    wpin_coils coils;
    const char *words, *cure; /**< Static. */
} wpin_coil_test;

/** Holds a stepper (load number `load`) in each of its eight states on the simulated bench and sees
 * by its current sense which of its leads make a winding. False with a reason. */
WPIN_API bool wpin_first_coils(const wpin_rig *rig, int load, const wpin_injection *faults,
                               size_t fault_count, wpin_coil_test *test, char *why,
                               size_t why_size);

/** What a sweep finds. Duties as fractions. */
typedef struct wpin_found {
    double start_duty; /**< Gets the load moving from rest. */
    double drop_out;   /**< Below this it stops again. */
} wpin_found;

/** Sweeps a load's duty slowly up and down on the simulated board, each way it can turn, and
 * finds where it starts and where it stops. False with the reason in words. */
WPIN_API bool wpin_find_start(const wpin_rig *rig, int load, wpin_found *found, char *why,
                              size_t why_size);

/** One place of a sweep: means over a tenth of a second after the load has settled. */
typedef struct wpin_sweep_point {
    double asked; /**< Duty, signed fraction. */
    double duty;  /**< Duty on the pins. */
    double volts, amps, rpm;
    bool dead; /**< Asked to move, and stands. */
} wpin_sweep_point;

/** Sweeps a load from all reverse (from zero if it can't reverse) to all forward in `count` even
 * places, 2 and up, each reached on the rig's ramp and through the rest at zero. Without kick and
 * start duty, so that the dead zone shows. How many places were measured; fewer than count with the
 * reason in words. */
WPIN_API size_t wpin_sweep(const wpin_rig *rig, int load, wpin_sweep_point *points, size_t count,
                           char *why, size_t why_size);

/** Runs a motor for its constants to be identified by: each way it breaks loose slowly, twice, is
 * brought to two speeds, and runs down by itself. `bench`: the rig that the simulated board is
 * built of, NULL: the same. The record is added to. False with the reason; wpin_experiment_fits
 * says it before anything moves: a motor that may not turn for long, no encoder, no current sense,
 * something attached that was not confirmed. */
WPIN_API bool wpin_experiment(const wpin_rig *rig, const wpin_rig *bench, int load,
                              wpin_record *record, char *why, size_t why_size);
WPIN_API bool wpin_experiment_fits(const wpin_rig *rig, int load, bool attached_is_fine, char *why,
                                   size_t why_size);

/** The simulated controller of a rig. */
WPIN_API wpin_part_controller wpin_rig_controller_part(const wpin_rig *rig);

/** Builds the simulated board of a rig. NULL when out of memory. The numbers of supplies, bridges
 * and motors are those of the rig's supplies and loads. */
WPIN_API wpin_sim *wpin_board_build(const wpin_rig *rig);

/** The core's configuration of a load, from the rig. Freed by the caller with free(). */
typedef struct wpin_bound_load {
    wpin_line lines[WPIN_STAGE_LINES];
    wpin_shared_line shared[WPIN_STAGE_LINES]; /**< Of lines it shares and is the first on. */
    wpin_stage_config stage;
    wpin_motor_config motor;
    wpin_stepper_config stepper;   /**< Of a stepper, beside the motor's. */
    wpin_pwm_achieved achieved;    /**< What its PWM really does, once it is open. */
    wpin_encoder_config encoder;   /**< Of its encoder, */
    wpin_speed_config speed;       /**< of the regulator of its speed, */
    wpin_motion_config motion;     /**< and of what watches over that. */
    wpin_travel travel;            /**< How far its shaft may go. */
    wpin_position_config position; /**< Of the regulator of its place, in front of that. */
    wpin_regulator regulators[3];  /**< What the motor's lists hold. */
    wpin_protection protections[3];
    wpin_overload_config overload; /**< Of what heats its winding slowly. */
    wpin_encoder encoder_at_work;
    wpin_position position_at_work;
    wpin_speed speed_at_work;
    wpin_torque_config torque;
    wpin_torque torque_at_work;
    wpin_motion motion_at_work;
    wpin_overload overload_at_work;
    wpin_stage stage_at_work;     /**< What the motor's configuration points to... */
    wpin_stepper stepper_at_work; /**< ...or this, */
    wpin_six_step_config six_step;
    wpin_six_step six_step_at_work; /**< or this, */
    wpin_sensorless_config sensorless;
    wpin_sensorless sensorless_at_work; /**< or this. */
    wpin_sensorless_step sensorless_ramp[WPIN_SENSORLESS_STEPS];
    wpin_phase_watch_config phase_watch;
    wpin_phase_watch phase_watch_at_work;
} wpin_bound_load;

/** What the core is told of an input of a rig; its kind says which of them counts. */
typedef struct wpin_bound_input {
    wpin_button_config button; /**< Buttons, limit switches; of a pair both. */
    wpin_knob_config knob;
    wpin_curve_config curve; /**< Its points are the rig's. */
    wpin_two_point_config two_point;
    wpin_process_config process;
} wpin_bound_input;

/** Works that out. */
WPIN_API void wpin_bind_input(wpin_bound_input *bound, const wpin_rig *rig,
                              const wpin_rig_input *input);

/** Fills the core's configuration; it points into itself, so it must not be copied. A line shared
 * with an earlier load is this one's alone until wpin_bind_shared. */
WPIN_API void wpin_bind_load(wpin_bound_load *bound, const wpin_rig *rig,
                             const wpin_rig_load *load);
/** Opens the encoder of a bound load, if it has one, and its motor. What either refused. */
WPIN_API wpin_status wpin_bound_open(wpin_bound_load *bound, wpin_motor *motor,
                                     const wpin_port *port);
/** Serves the interrupts of load number `load`'s Hall sensors or comparators, if it has some, on
 * the board that wpin_board_build made of the rig. Once it is open. */
WPIN_API void wpin_bound_listen(wpin_bound_load *bound, wpin_sim *sim, const wpin_rig *rig,
                                size_t load);
/** What pulls a brushless motor to its places to find the order of its wires, and what came of it.
 */
typedef struct wpin_found_order {
    double amps, duty; /**< A; a fraction. */
    double hold, swap; /**< At each place; by each of its two rows, s. */
    double turns;      /**< Of the output: how far it may turn at the most... */
    double moved;      /**< ...and did, one way or the other. */
    wpin_order_state state;
    uint8_t codes[6]; /**< By sector, where it was found. */
    uint8_t same;     /**< Bit n: sensor n never changed, or lead n is off. */
    double amps_peak;
} wpin_found_order;

/** Works out how load number `load` would be pulled: amps, duty, hold and turns. False with the
 * reason for one that is no brushless motor on three legs, or whose stage can't hold it. */
WPIN_API bool wpin_plan_order(const wpin_rig *rig, int load, wpin_found_order *found, char *why,
                              size_t why_size);
/** Does it on a bench whose wires are in the order `mixed` of wpin_rig_wires_mixed, with faults if
 * any. */
WPIN_API bool wpin_find_order(const wpin_rig *rig, int load, uint8_t mixed,
                              const wpin_injection *faults, size_t fault_count,
                              wpin_found_order *found, char *why, size_t why_size);
/** Joins the lines that the bound loads of a rig, all of them in its order, share. */
WPIN_API void wpin_bind_shared(wpin_bound_load *bound, const wpin_rig *rig);

#ifdef __cplusplus
}
#endif
#endif
