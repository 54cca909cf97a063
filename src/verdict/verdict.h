/* What the files that judge steps share. */
#ifndef WPIN_VERDICT_VERDICT_H
#define WPIN_VERDICT_VERDICT_H

#include "../session/session.h"
#include "windpin/host/verdict.h"

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

struct wpin_watch;

/* What judging keeps for a session. */
typedef struct wpin_judging {
    wpin_dues *dues;            /* of each load */
    const wpin_plan *plan;      /* that is run; NULL: none, or it is over */
    double begun;               /* s: when it began */
    size_t burnt;               /* parts before it began */
    struct wpin_watch *watches; /* one a requirement of it */
} wpin_judging;

static inline wpin_judging *wpin_judging_of(const wpin_session *run) {
    return run->judging;
}

/* Whether a step asks for effort, or keeps it. */
static inline bool wpin_step_drives(const wpin_step_result *step) {
    wpin_op op = step->op;
    return op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_HOLD ||
           op == WPIN_OP_TOGGLE || op == WPIN_OP_FOLLOW;
}

/* Why a step was over before it had come to what it asks for. The time of a run begins only once it
 * has turned over. */
const char *wpin_why_less(const wpin_session *run, const wpin_step_result *step);
/* Sets a step's verdict and its words. */
void wpin_rule(wpin_step_result *step, wpin_verdict verdict, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* Fine, but for the time it took before it could turn that way. */
void wpin_judge_turn(wpin_step_result *step);
/* What burnt of a load, its driver or its pins; NULL: nothing. */
const wpin_part_burn *wpin_burnt_in_path(const wpin_session *run, const wpin_rig_load *load);
/* Adds a stretch of time to a spell, in which something was so or not; its words for when. */
void wpin_spell_put(wpin_spell *spell, bool is, double now, double seconds, double size);
const char *wpin_spell_when(const wpin_spell *spell, char *text, size_t size);
/* A sense that is too coarse for a current can't tell whether it flows: A. */
double wpin_finest_amps(const wpin_rig *rig, const wpin_rig_load *load);
/* Adds a window of its PWM to what a load's own sensors say of its step. */
void wpin_watch_seen(const wpin_session *run, wpin_step_result *r, const wpin_window *w);
/* Speed that a duty from 0 to 1 is due, rad/s of the motor's shaft; seconds in which it comes to
 * nine tenths of a new one. */
double wpin_due_speed(const wpin_rig *rig, const wpin_rig_load *load, double duty);
double wpin_due_time(const wpin_rig *rig, const wpin_rig_load *load);
/* Duty that just breaks the shaft loose; and the same of a load of a run, worked out once. */
double wpin_loose_duty(const wpin_rig *rig, const wpin_rig_load *load);
double wpin_session_loose_duty(const wpin_session *run, size_t load);
/* Judges by what went wrong for a while; false when nothing did. */
bool wpin_judge_course(const wpin_session *run, wpin_step_result *step);
/* The same of what a plan requires; and told of each period of a load's PWM, and of a load that is
 * asked for something else. */
bool wpin_requirements_open(wpin_session *run, const wpin_plan *plan);
void wpin_requirements_begin(const wpin_session *run, uint16_t step);
void wpin_requirements_look(const wpin_session *run);
void wpin_requirements_settle(wpin_session *run, wpin_status result, bool done);
void wpin_course_period(const wpin_session *run, size_t load, wpin_step_result *r,
                        const wpin_window *w);
void wpin_course_leaves(const wpin_session *run, size_t load);
/* Judges a finished step. */
void wpin_judge_step(const wpin_session *run, wpin_step_result *step);
/* The same where nothing is known but what was measured. */
void wpin_judge_measured(const wpin_session *run, wpin_step_result *step);
/* The supply with the switch that a load hangs on in the end. */
const char *wpin_source_name(const wpin_session *run, size_t load);
/* Looks for what keeps power from a load: supply off, a part burnt, wires; says "WHAT: cause".
 * False when current flows as it should. */
bool wpin_judge_path(const wpin_session *run, wpin_step_result *step, const char *what);
/* Judges a step that asks for a speed. */
void wpin_judge_speed(const wpin_session *run, wpin_step_result *step);
/* Judges a brushless motor by the speed that its duty is due; false: it is as it should. */
bool wpin_judge_phases(const wpin_session *run, wpin_step_result *step);
/* The same of a current. */
void wpin_judge_current(const wpin_session *run, wpin_step_result *step);
/* Judges a step that brings a motor to a place, or to where it counts from. */
void wpin_judge_place(const wpin_session *run, wpin_step_result *step);
void wpin_judge_home(const wpin_session *run, wpin_step_result *step);
/* Judges a step that ended where the rig says that its travel does; false: it did not. */
bool wpin_judge_travel(const wpin_session *run, wpin_step_result *step);
/* Judges a step of a lamp, a solenoid or a stepper. */
void wpin_judge_other(const wpin_session *run, wpin_step_result *step);

#endif
