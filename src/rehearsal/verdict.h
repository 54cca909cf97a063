/* What the files that judge steps share. */
#ifndef WPIN_REHEARSAL_VERDICT_H
#define WPIN_REHEARSAL_VERDICT_H

#include "run.h"

/* Whether a step asks for effort, or keeps it. */
static inline bool wpin_step_drives(const wpin_step_result *step) {
    wpin_op op = step->op;
    return op == WPIN_OP_RUN || op == WPIN_OP_RUN_FOR || op == WPIN_OP_HOLD ||
           op == WPIN_OP_TOGGLE || op == WPIN_OP_FOLLOW;
}

/* Sets a step's verdict and its words. */
void wpin_rule(wpin_step_result *step, wpin_verdict verdict, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* What burnt of a load, its driver or its pins; NULL: nothing. */
const wpin_part_burn *wpin_burnt_in_path(const wpin_run *run, const wpin_rig_load *load);
/* Adds a stretch of time to a spell, in which something was so or not; its words for when. */
void wpin_spell_put(wpin_spell *spell, bool is, double now, double seconds, double size);
const char *wpin_spell_when(const wpin_spell *spell, char *text, size_t size);
/* Adds a window of its PWM to what a load's own sensors say of its step. */
void wpin_watch_seen(const wpin_run *run, wpin_step_result *r, const wpin_window *w);
/* Speed that a duty from 0 to 1 is due, rad/s of the motor's shaft; seconds in which it comes to
 * nine tenths of a new one. */
double wpin_due_speed(const wpin_rig *rig, const wpin_rig_load *load, double duty);
double wpin_due_time(const wpin_rig *rig, const wpin_rig_load *load);
/* Duty that just breaks the shaft loose; and the same of a load of a run, worked out once. */
double wpin_loose_duty(const wpin_rig *rig, const wpin_rig_load *load);
double wpin_run_loose_duty(const wpin_run *run, size_t load);
/* Judges by what went wrong for a while; false when nothing did. */
bool wpin_judge_course(const wpin_run *run, wpin_step_result *step);
/* Looks for what keeps power from a load: supply off, a part burnt, wires; says "WHAT: cause".
 * False when current flows as it should. */
bool wpin_judge_path(const wpin_run *run, wpin_step_result *step, const char *what);
/* Whether a step asks for a speed; and judges one that does. */
bool wpin_asks_speed(const wpin_step_result *step);
void wpin_judge_speed(const wpin_run *run, wpin_step_result *step);
/* Judges a brushless motor by the speed that its duty is due; false: it is as it should. */
bool wpin_judge_phases(const wpin_run *run, wpin_step_result *step);
/* The same of a current. */
bool wpin_asks_current(const wpin_step_result *step);
void wpin_judge_current(const wpin_run *run, wpin_step_result *step);
/* Judges a step that brings a motor to a place, or to where it counts from. */
void wpin_judge_place(const wpin_run *run, wpin_step_result *step);
void wpin_judge_home(const wpin_run *run, wpin_step_result *step);
/* Judges a step that ended where the rig says that its travel does; false: it did not. */
bool wpin_judge_travel(const wpin_run *run, wpin_step_result *step);
/* Judges a step of a lamp, a solenoid or a stepper. */
void wpin_judge_other(const wpin_run *run, wpin_step_result *step);

#endif
