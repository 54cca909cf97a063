/* A session at work: what the files that carry it on share with those that judge it. */
#ifndef WPIN_SESSION_SESSION_H
#define WPIN_SESSION_SESSION_H

#include "windpin/host/session.h"

/* Readings of a load summed over several stretches of time. */
typedef struct wpin_tally {
    double seconds, volts, amps, amps_min, amps_max;
    bool begun;
} wpin_tally;

/* A mean that is renewed every so often. */
typedef struct wpin_mean {
    double sum, seconds, value;
} wpin_mean;

/* What a load did in the tick before, in the core's units; kept for the moment it faults. */
typedef struct wpin_before {
    wpin_setpoint setpoint;
    wpin_duty duty;
    int16_t speed;
    uint8_t state, held;
    bool speed_known, turned[2];
} wpin_before;

#define WPIN_ACTION_STEPS 8

/* What a load was asked for from outside: a plan of its own, of the only motor it knows. */
typedef struct wpin_session_action {
    struct wpin_session *run;
    const wpin_plan *plan; /* NULL: nothing yet */
    size_t load;
    wpin_step steps[WPIN_ACTION_STEPS];
    wpin_motor *motor;
    wpin_track track;
    wpin_sequence_config config;
    wpin_sequence sequence;
} wpin_session_action;

/* A whole plan by hand. */
typedef struct wpin_session_whole {
    const wpin_plan *plan; /* NULL: none was run yet */
    wpin_track *tracks;
    wpin_sequence_config config;
    wpin_sequence sequence;
    double begun;  /* s */
    unsigned line; /* of the step that began last */
} wpin_session_whole;

/* A stretch of at least one period of PWM. */
typedef struct wpin_window {
    double seconds, amps; /* how long; largest size of the current */
    double turns;         /* of the output */
    double effect;        /* times seconds */
    double sensed;        /* A as its sense shows, times seconds */
} wpin_window;

/* Simulated, what does not come to rest, or of which nothing comes, is told instead after so long,
 * s. */
#define WPIN_PATIENCE 60.0

/* Who looks on; all are told of the session, and may keep something of their own in `judging`. */
struct wpin_onlooker {
    bool (*open)(wpin_session *run); /* false: out of memory */
    /* by hand: a whole plan is about to begin (false: out of memory), and is over: why, and whether
     * it came to its end */
    bool (*plan_begins)(wpin_session *run, const wpin_plan *plan);
    void (*plan_ends)(wpin_session *run, wpin_status result, bool done);
    /* a step of the plan begins; its load is asked for something else than before, or for nothing
     * any more */
    void (*begins)(const wpin_session *run, uint16_t step);
    void (*leaves)(const wpin_session *run, size_t load);
    void (*looks)(const wpin_session *run); /* at the newest readings */
    /* a whole period of a load's PWM is over in the step that asked for it last, or in none */
    void (*period)(const wpin_session *run, size_t load, wpin_step_result *step,
                   const wpin_window *window);
    void (*ends)(const wpin_session *run, wpin_step_result *step);
    void (*closes)(wpin_session *run); /* all else is collected */
};

struct wpin_session {
    const wpin_rig *rig;
    const wpin_plan *plan;
    wpin_session_options options;
    wpin_bench bench;
    const wpin_onlooker *onlooker; /* always one */
    void *judging;                 /* what it keeps */
    wpin_port port;
    wpin_bound_load *bound;
    wpin_motor *motors;
    wpin_bound_network networks[WPIN_RIG_FIELDBUSES];
    wpin_inputs inputs; /* those of the rig, in its order, */
    wpin_inputs_config inputs_config;
    wpin_input *input_state; /* with one of these each: at work, */
    wpin_input_config *input_table;
    wpin_bound_input *input_at; /* what it points to, */
    bool *input_told;           /* and whether it was said that it gave up */
    wpin_soft_pwm soft;         /* for the pins without a timer */
    const wpin_port *motor_port;
    wpin_motor **motor_list;
    wpin_track *tracks;
    wpin_sequence_config sequence_config;
    wpin_sequence sequence;
    wpin_stop_config stop_config; /* of the rig's stop input, if it has one */
    wpin_stop stop;
    uint8_t *stop_how;       /* of each load */
    double stopped_at;       /* since when what turned is waited for; 0: nothing is */
    bool *stopping;          /* each load turned then, and does not stand yet */
    bool ended;              /* the plan is over; what still turns is waited for */
    wpin_part_reading *last; /* newest reading of each load */
    wpin_tally *for_trace;   /* of each load since the last row */
    wpin_sample *samples;
    wpin_mean *volts;           /* of each load, over whole periods */
    double *fault_at;           /* of each load: the last tick in which it had no fault */
    wpin_before *before;        /* of each load */
    wpin_fault_result *latched; /* of each load, as it stands now; cause WPIN_OK: none */
    uint16_t *drive_error;      /* of a drive: what it said when its fault was latched, */
    uint8_t *drive_state;
    wpin_silence *silence;
    uint16_t *unsent;     /* frames that its bus had not taken when it was last heard */
    double *safe_at;      /* and the first since then in which its stage was safe; HUGE_VAL: none */
    bool *driven;         /* each load had duty when last looked at */
    size_t *open_step;    /* result each track is in, plus 1; 0 for none */
    size_t *owner;        /* of each load: the result of its last step, plus 1; 0 for none */
    wpin_window *windows; /* of each load: what it did in this period of its PWM */
    double *rpm;          /* of each load: mean of its last whole period */
    double *effect;       /* the same of its light */
    uint16_t *lost;       /* of each load without sensors: steps lost so far */
    unsigned ended_steps;
    double news;                  /* s: when a step began or ended last */
    unsigned *rounds;             /* how often each step of the plan has begun */
    int64_t start, read_at;       /* ps: the plan began; the loads were last looked at */
    bool by_hand, ending, over;   /* there is no plan; all is being stopped; and is */
    wpin_session_whole whole;     /* by hand: a plan */
    wpin_session_action *actions; /* by hand: of each load */
    double kept_until;            /* s: so long they may go on */
    bool overtaken;               /* what a load did is cut short by the next request for it */
    const char *cut_by;           /* what cuts a step short just now; NULL: not said */
    int64_t next_tick, next_row, next_fast, next_late; /* ps */
    unsigned long ticks;
    bool was_running; /* the plan, at the last tick */
    wpin_vcd *vcd;
    wpin_part_event *notes; /* of the run itself; times since the board began */
    size_t note_count;
    bool alone; /* the link is lost, since then: */
    double alone_since;
    bool soft_used, fast_used, driven_at_boot;
    wpin_report *report;
    bool out_of_memory;
};

static inline bool wpin_session_is_stepper(const wpin_session *run, size_t load) {
    return wpin_rig_type(&run->rig->loads[load])->steps;
}

/* Lets the controller boot; chooses the port; opens every load, with the place in words when one is
 * refused. */
void wpin_session_boot(wpin_session *run);
void wpin_session_choose_port(wpin_session *run);
wpin_status wpin_session_open_loads(wpin_session *run, char *why, size_t size);
/* Opens the field buses of the rig, before its loads; gives a bound load its own; sets the drives
 * on them up and arms them, once all loads are open. What stands in the way in words. */
bool wpin_session_open_networks(wpin_session *run, char *why, size_t size);
/* Whether the bus of a load's drive has not taken frames since that was last heard. */
bool wpin_session_bus_blocked(const wpin_session *run, size_t load);
void wpin_session_join_network(wpin_session *run, size_t load);
wpin_status wpin_session_set_up_drives(wpin_session *run, char *why, size_t size);
/* What the bench says; what a controller may take for granted where it says nothing. */
int64_t wpin_session_clock(const wpin_session *run);
int64_t wpin_session_tick_ps(const wpin_session *run);
bool wpin_session_supply_on(const wpin_session *run, size_t supply);
bool wpin_session_link_lost(const wpin_session *run);
bool wpin_session_interrupts_off(const wpin_session *run);
int wpin_session_resets(const wpin_session *run);
/* What each load did since it was last looked at: truly, or as measured. */
wpin_part_reading wpin_session_read(wpin_session *run, size_t load, double seconds);
/* Whether the bench knows what truly happens. */
static inline bool wpin_session_knows(const wpin_session *run) {
    return run->bench.read != NULL;
}
/* Puts what burnt, happened and faulted into the report. */
void wpin_session_collect(wpin_session *run);
/* Each control period: notes what latched, what is safe since, and what was cleared. */
void wpin_session_note_faults(wpin_session *run);
/* Adds a fault to the report. */
void wpin_session_add_fault(wpin_session *run, const wpin_fault_result *fault);
/* One tick of the plan, if there is still one, of inputs and motors. */
void wpin_session_command(wpin_session *run);
/* Sets the core's side of the inputs up, reads them all once, and answers about one. */
wpin_status wpin_session_open_inputs(wpin_session *run, char *why, size_t size);
void wpin_session_update_inputs(wpin_session *run);
/* Sets the rig's stop input up, if it has one; serves it each tick, and says whether it is latched.
 */
void wpin_session_open_stop(wpin_session *run);
bool wpin_session_stopped(void *context);
/* Whether something still turns after it, or after the plan is over; notes what came to rest. */
bool wpin_session_stopping(wpin_session *run, bool over);
bool wpin_session_input_held(void *context, uint16_t number);
wpin_duty wpin_session_input_duty(void *context, uint16_t number);
void wpin_session_rearm_input(void *context, uint16_t number);
wpin_status wpin_session_set_input(void *context, uint16_t number, int16_t millivolts);
/* Adds something that happened to the report's list. */
void wpin_session_note(wpin_session *run, const char *part, const char *what, ...)
    __attribute__((format(printf, 3, 4)));
/* Keeps what each load does in case it faults in the next tick; what is then known of it. */
void wpin_session_keep_scene(wpin_session *run, size_t load);
wpin_fault_scene wpin_session_scene(const wpin_session *run, size_t load);
/* Whether others on its supply fail at the same time, as they do with that. */
bool wpin_session_others_fail(const wpin_session *run, size_t load);
/* A set-point in its unit; a speed of the core at the output, rpm. */
double wpin_session_in_unit(const wpin_session *run, size_t load, wpin_setpoint setpoint);
double wpin_session_rpm_of(const wpin_session *run, size_t load, int16_t speed);
/* Whether a load's own sensors measure its speed now: one without sensors only as it runs. */
bool wpin_session_knows_speed(const wpin_session *run, size_t load);
/* Speeds at the output: as its encoder measures it, and where the ramp of what is asked is; NAN
 * where there is none. */
double wpin_session_measured_rpm(const wpin_session *run, size_t load);
double wpin_session_asked_rpm(const wpin_session *run, size_t load);
/* The angle of so many counts of a load's encoder at the output, degrees. */
double wpin_session_counted(const wpin_session *run, size_t load, int32_t counts);
/* The size of its current by its sense; NAN without one. */
double wpin_session_measured_amps(const wpin_session *run, size_t load);
/* The volts of a supply by its divider; NAN where nothing measures them. */
double wpin_session_measured_volts(const wpin_session *run, size_t supply);
/* The current with the sign of what drives it; and where the ramp of the current asked for is. */
double wpin_session_signed_amps(const wpin_session *run, size_t load);
double wpin_session_asked_amps(const wpin_session *run, size_t load);
/* Keeps how far a step's load is off the speed or the current asked for, in means over 50 ms: what
 * a coarse sensor says at an instant is not how it ran. */
void wpin_session_tally_speed(const wpin_session *run, wpin_step_result *step);
void wpin_session_tally_current(const wpin_session *run, wpin_step_result *step);
void wpin_session_tally_off(const wpin_session *run, wpin_step_result *step, double off);
/* Keeps the most torque and shaft power of a load with a regulated current. */
void wpin_session_tally_torque(wpin_session *run, size_t load);
/* Where the core counts a stepper to be, degrees. */
double wpin_session_degrees(const wpin_session *run, size_t load);
/* Whether a load without sensors is in the first try of its start: meanwhile it stands, and swings
 * about the places it is pulled to. */
bool wpin_session_aligns(const wpin_session *run, size_t load);
/* A step begins or ends on a track. */
void wpin_session_observe(void *context, uint8_t track, uint16_t step, bool begins);
/* The same of an action by hand: each load is a track of its own. */
void wpin_session_begin_step(wpin_session *run, const wpin_plan *plan, size_t track, uint16_t step);
void wpin_session_end_step(wpin_session *run, size_t track, bool done);
/* How many steps may go on at once; by hand one of each load comes first. */
static inline size_t wpin_session_tracks(const wpin_session *run) {
    return !run->by_hand             ? run->plan->track_count
           : run->whole.plan == NULL ? run->rig->load_count
                                     : run->rig->load_count + run->whole.plan->track_count;
}
/* Why a load takes nothing now, or WPIN_OK. */
wpin_status wpin_session_refusal(const wpin_session *run, size_t load, char *why, size_t size);
/* What ended a plan of a load or of all early, as the reason why its steps are cut short. */
void wpin_session_cut_by_result(wpin_session *run, wpin_status result, size_t track);
/* Actions of loads: one begun in place of what its load did, whether one goes on, all served each
 * control period, all dropped. */
wpin_status wpin_session_act_on_load(wpin_session *run, size_t load, const wpin_plan *plan,
                                     char *why, size_t size);
bool wpin_session_load_acts(const wpin_session *run, size_t load);
void wpin_session_serve_loads(wpin_session *run);
void wpin_session_drop_loads(wpin_session *run);
/* A whole plan: whether it runs, served each control period, ended with the steps that go on. */
bool wpin_session_whole_runs(const wpin_session *run);
void wpin_session_serve_whole(wpin_session *run);
void wpin_session_drop_whole(wpin_session *run);
/* A motor's actions by hand, each control period: kept alive before its tick, served after it; all
 * dropped, with the reason. */
void wpin_session_refresh_actions(wpin_session *run);
void wpin_session_serve_actions(wpin_session *run);
void wpin_session_drop_actions(wpin_session *run, const char *by);
/* What a plan or a hand does to a switch: supplies, buttons, faults, in this order. */
bool wpin_session_switch(wpin_session *run, const wpin_plan *plan, size_t number, bool on);
/* Adds the newest readings to the steps going on. */
void wpin_session_tally_steps(wpin_session *run);
/* Seconds over which what PWM makes of a load is looked at: whole control periods in which there
 * are whole periods of PWM, or within a hundredth. */
double wpin_session_window(const wpin_session *run, size_t load);
/* Takes the newest readings into each load's period of PWM, and says when one is over. */
void wpin_session_watch_periods(wpin_session *run);
/* Whether a step asks for a speed, for a current. */
bool wpin_asks_speed(const wpin_step_result *step);
bool wpin_asks_current(const wpin_step_result *step);
/* One that no figure stands for: as much as its input says. */
bool wpin_follows_current(const wpin_step_result *step);
/* Looks at every load; writes a row of the record. */
void wpin_session_read_loads(wpin_session *run);
void wpin_session_write_row(wpin_session *run);
/* Puts a fault in, or mends it. */
bool wpin_session_inject(const wpin_session *run, const wpin_injection *fault, bool on);
/* Leaves every stage in its safe state; the record of pins whole: its errno. */
void wpin_session_close_motors(wpin_session *run);
int wpin_session_close_vcd(wpin_session *run);
/* Nobody judges. */
extern const wpin_onlooker wpin_session_nobody;
/* Room for it; gives it back, all but the report. */
bool wpin_session_allocate(wpin_session *run);
void wpin_session_release(wpin_session *run);
/* Ends the steps that were going on when the plan ended early. */
void wpin_session_cut_steps(wpin_session *run);

#endif
