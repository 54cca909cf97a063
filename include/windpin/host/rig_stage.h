/** @file rig_stage.h
 * The kinds of power stage that a rig file can name: the core's truth table, the names of its
 * lines, and the driver behind it. Host only.
 */
#ifndef WINDPIN_RIG_STAGE_H
#define WINDPIN_RIG_STAGE_H

#include "../api.h"
#include "../windpin.h"
#include "parts.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Longest name of a load or supply, bytes without the end. */
#define WPIN_NAME_MAX 31

/** A kind of power stage the rig file can name. */
typedef struct wpin_stage_kind {
    const char *name;                    /**< As the file writes it. */
    const char *words;                   /**< What it is, in a few words. */
    const wpin_stage_table *table;       /**< What the core believes. */
    const char *table_name;              /**< Its variable in stage.h or stepper.h. */
    const char *lines[WPIN_STAGE_LINES]; /**< Names of the table's lines, in order. */
    wpin_logic logic;                    /**< The driver that the simulator puts behind it. */
    int inputs[WPIN_STAGE_LINES];        /**< Driver input of each line. */
    bool inverted[WPIN_STAGE_LINES];     /**< Lines that are inverted by nature. */
    wpin_off_phase off_phase;            /**< What the driver does while PWM is low. */
    bool contacts;                       /**< Relay contacts: slow, bouncing, never PWM. */
    bool solid;                          /**< A solid-state relay: an output that has to fit the
                                              supply's kind of current. */
    bool coils;                          /**< For steppers: rows are coil states. */
    bool bare;                           /**< Bare switches without an interlock of their own. */
    bool direct;                         /**< A pin of the controller drives the load itself. */
    const char *zero;                    /**< What zero duty and a stop really do, in words. */
} wpin_stage_kind;

/** Whether a kind takes a duty, or knows on and off only. */
WPIN_API bool wpin_stage_kind_takes_duty(const wpin_stage_kind *kind);
/** Whether any of its lines carries PWM or pulses: all that take a duty, and some for steppers. */
WPIN_API bool wpin_stage_kind_has_pwm(const wpin_stage_kind *kind);
/** What the core says of a kind's table with a dead time (s) at a PWM frequency (Hz; for a kind
 * that takes a duty), and with one line shared, -1: none. */
WPIN_API wpin_status wpin_stage_kind_check(const wpin_stage_kind *kind, double dead_time,
                                           double pwm_hz, int shared);
/** Whether a line of a kind may be shared by several loads (see wpin_line). */
WPIN_API bool wpin_stage_kind_shares(const wpin_stage_kind *kind, unsigned line);
/** Whether a line of a kind carries PWM or pulses in any row. */
WPIN_API bool wpin_stage_kind_times_line(const wpin_stage_kind *kind, unsigned line);
/** Whether it is three legs for a brushless motor. */
static inline bool wpin_stage_kind_is_three_phase(const wpin_stage_kind *kind) {
    return wpin_logic_of(kind->logic)->phases;
}
/** Whether a kind can do what a state is: a three-phase one drives forward and in reverse by its
 * sectors. */
WPIN_API bool wpin_stage_kind_has(const wpin_stage_kind *kind, wpin_drive state);

/** A truth table of the user's own, with all that it points to. */
typedef struct wpin_own_stage {
    wpin_stage_kind kind;
    wpin_stage_table table;
    wpin_row rows[2 + 16]; /* at the most those of a stepper: coast, its states, and at rest */
    wpin_leg legs[4];
    char line_names[WPIN_STAGE_LINES][WPIN_NAME_MAX + 1];
} wpin_own_stage;

/** The kinds of stage the rig file knows. */
WPIN_API const wpin_stage_kind *wpin_stage_kinds(size_t *count);
/** None of them: a drive on a field bus, to which no line of the controller leads. */
WPIN_API extern const wpin_stage_kind wpin_stage_kind_told;
/** Whether one switch stands in the motor's path, not two. */
WPIN_API bool wpin_rig_single_switch(const wpin_stage_kind *kind);

#ifdef __cplusplus
}
#endif
#endif
