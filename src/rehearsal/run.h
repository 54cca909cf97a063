/* A run in progress. Private to the rehearsal. */
#ifndef WPIN_REHEARSAL_RUN_H
#define WPIN_REHEARSAL_RUN_H

#include "windpin/host/rehearsal.h"

/* Readings of a load summed over several stretches of time. */
typedef struct wpin_tally {
    double seconds, volts, amps, amps_min, amps_max;
    bool begun;
} wpin_tally;

/* A mean that is renewed every so often. */
typedef struct wpin_mean {
    double sum, seconds, value;
} wpin_mean;

/* The core's side of an input of the rig. */
typedef struct wpin_run_input {
    wpin_button button;
    wpin_knob knob;
    wpin_pair pair;
    wpin_curve curve;
    wpin_curve_config curve_config;
    wpin_two_point two_point;
    wpin_two_point_config two_point_config;
    wpin_process process;
    wpin_process_config process_config;
    wpin_duty duty; /* it asks for now */
    bool waits;     /* for zero, since a load began to follow it */
    bool told;      /* that it is stuck */
} wpin_run_input;

/* A stretch of at least one period of PWM. */
typedef struct wpin_window {
    double seconds, amps; /* how long; largest size of the current */
    double turns;         /* of the output */
    double effect;        /* times seconds */
    double sensed;        /* A as its sense shows, times seconds */
} wpin_window;

/* What a load is due by its parts, worked out once for each duty that comes up, in steps. */
#define WPIN_DUE_STEPS 128
typedef struct wpin_dues {
    double loose; /* duty that breaks it loose; 0: not worked out yet */
    struct {
        bool known;
        double turning, standing; /* mean currents: while it turns as it should, and stands */
        double rpm;               /* at the output, as it should turn */
    } at[WPIN_DUE_STEPS + 1];
} wpin_dues;

typedef struct wpin_run {
    const wpin_rig *rig;
    const wpin_plan *plan;
    const wpin_rehearsal_options *options;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load *bound;
    wpin_motor *motors;
    wpin_run_input *inputs; /* one an input of the rig */
    wpin_soft_pwm soft;     /* for the pins without a timer */
    const wpin_port *motor_port;
    wpin_motor **motor_list;
    wpin_track *tracks;
    wpin_sequence_config sequence_config;
    wpin_sequence sequence;
    wpin_stop_config stop_config; /* of the rig's stop input, if it has one */
    wpin_stop stop;
    struct wpin_watch *watches; /* one a requirement of the plan */
    uint8_t *stop_how;          /* of each load */
    double stopped_at;          /* when it latched; 0: not */
    bool *stopping;             /* each load turned then, and does not stand yet */
    wpin_part_reading *last;    /* newest reading of each load */
    wpin_tally *for_trace;      /* of each load since the last row */
    wpin_sample *samples;
    wpin_mean *volts;     /* of each load, over whole periods */
    double *fault_at;     /* of each load: the last tick in which it had no fault */
    double *safe_at;      /* and the first since then in which its stage was safe; HUGE_VAL: none */
    bool *driven;         /* each load had duty when last looked at */
    size_t *open_step;    /* result each track is in, plus 1; 0 for none */
    size_t *owner;        /* of each load: the result of its last step, plus 1; 0 for none */
    wpin_dues *dues;      /* of each load */
    wpin_window *windows; /* of each load: what it did in this period of its PWM */
    double *rpm;          /* of each load: mean of its last whole period */
    double *effect;       /* the same of its light */
    uint16_t *lost;       /* of each load without sensors: steps lost so far */
    unsigned *rounds;     /* how often each step of the plan has begun */
    int64_t start;        /* ps */
    wpin_vcd *vcd;
    wpin_part_event *notes; /* of the run itself; times since the board began */
    size_t note_count;
    bool alone; /* the link is lost, since then: */
    double alone_since;
    bool soft_used, fast_used, driven_at_boot;
    size_t burns_before; /* burnt before the plan began: none may be missed */
    wpin_report *report;
    bool out_of_memory;
} wpin_run;

static inline bool wpin_run_is_stepper(const wpin_run *run, size_t load) {
    return run->rig->loads[load].what == WPIN_RIG_STEPPER;
}

/* Lets the controller boot; chooses the port; opens every load, with the place in words when one is
 * refused. */
void wpin_run_boot(wpin_run *run);
void wpin_run_choose_port(wpin_run *run);
wpin_status wpin_run_open_loads(wpin_run *run, char *why, size_t size);
/* Puts what burnt, happened and faulted into the report. */
void wpin_run_collect(wpin_run *run);
/* One tick of the plan, if there is still one, of inputs and motors. */
void wpin_run_command(wpin_run *run);
/* Sets the core's side of the inputs up, reads them all once, and answers about one. */
void wpin_run_open_inputs(wpin_run *run);
void wpin_run_update_inputs(wpin_run *run);
/* Sets the rig's stop input up, if it has one; serves it each tick, and says whether it is latched.
 */
void wpin_run_open_stop(wpin_run *run);
bool wpin_run_stopped(void *context);
/* Whether something still turns after it; notes what came to rest. */
bool wpin_run_stopping(wpin_run *run);
bool wpin_run_input_held(void *context, uint16_t number);
wpin_duty wpin_run_input_duty(void *context, uint16_t number);
void wpin_run_rearm_input(void *context, uint16_t number);
wpin_status wpin_run_set_input(void *context, uint16_t number, int16_t millivolts);
/* Adds something that happened to the report's list. */
void wpin_run_note(wpin_run *run, const char *part, const char *what, ...)
    __attribute__((format(printf, 3, 4)));
/* A load's reading as the machine sees it: a mirror-mounted motor turns the other way. */
wpin_part_reading wpin_run_read(wpin_sim *sim, const wpin_rig *rig, int load);
/* Speeds at the output: as its encoder measures it, and where the ramp of what is asked is; NAN
 * where there is none. */
double wpin_run_measured_rpm(const wpin_run *run, size_t load);
double wpin_run_asked_rpm(const wpin_run *run, size_t load);
/* The angle of so many counts of a load's encoder at the output, degrees. */
double wpin_run_counted(const wpin_run *run, size_t load, int32_t counts);
/* The size of its current by its sense; NAN without one. */
double wpin_run_measured_amps(const wpin_run *run, size_t load);
/* The same with the sign of what drives it; and where the ramp of the current asked for is. */
double wpin_run_signed_amps(const wpin_run *run, size_t load);
double wpin_run_asked_amps(const wpin_run *run, size_t load);
/* Keeps how far a step's load is off the speed or the current asked for, in means over 50 ms: what
 * a coarse sensor says at an instant is not how it ran. */
void wpin_run_tally_speed(const wpin_run *run, wpin_step_result *step);
void wpin_run_tally_current(const wpin_run *run, wpin_step_result *step);
void wpin_run_tally_off(const wpin_run *run, wpin_step_result *step, double off);
/* Keeps the most torque and shaft power of a load with a regulated current. */
void wpin_run_tally_torque(wpin_run *run, size_t load);
/* Where the core counts a stepper to be, degrees. */
double wpin_run_degrees(const wpin_run *run, size_t load);
/* Whether a load without sensors is in the first try of its start: meanwhile it stands, and swings
 * about the places it is pulled to. */
bool wpin_run_aligns(const wpin_run *run, size_t load);
/* Seconds since the plan began. */
double wpin_run_time(const wpin_run *run);
/* A step begins or ends on a track. */
void wpin_run_step(void *context, uint8_t track, uint16_t step, bool begins);
/* Adds the newest readings to the steps going on. */
void wpin_run_tally_steps(wpin_run *run);
/* Seconds over which what PWM makes of a load is looked at: whole control periods in which there
 * are whole periods of PWM, or within a hundredth. */
double wpin_run_window(const wpin_run *run, size_t load);
/* Watches what each load does for its last step; judges that when the next one begins, or at the
 * end. */
void wpin_run_watch_loads(wpin_run *run);
void wpin_run_settle_course(const wpin_run *run, size_t load);
/* Prepares what the plan requires, false: out of memory; tells of a step that begins; looks at the
 * newest readings; says at the end what came of each, once all else is collected. */
bool wpin_run_open_requirements(wpin_run *run);
void wpin_run_require(const wpin_run *run, uint16_t step);
void wpin_run_watch_requirements(const wpin_run *run);
void wpin_run_settle_requirements(const wpin_run *run);
/* Ends the steps that were going on when the plan ended early. */
void wpin_run_cut_steps(wpin_run *run);
/* Judges a finished step. */
void wpin_run_judge(const wpin_run *run, wpin_step_result *step);

#endif
