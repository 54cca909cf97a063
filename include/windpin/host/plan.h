/** @file plan.h
 * The plan file: our small language of one line, one action on one load. Reading checks it
 * against the rig and turns it into the table of steps that wpin_sequence runs. Host only.
 * See docs/plan.md for the language.
 */
#ifndef WINDPIN_PLAN_H
#define WINDPIN_PLAN_H

#include "../api.h"
#include "require.h"
#include "rig.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Where a step came from. */
typedef struct wpin_plan_source {
    unsigned line, column; /**< In the file. */
    char *text;            /**< The action as written, blanks tidied; "" for what blocks add. */
    double at; /**< s: when it begins by the ramps and times before it, in the first round; events
                    that are waited for come at once. */
} wpin_plan_source;

/** A plan, ready to run. */
typedef struct wpin_plan {
    wpin_step *steps;
    wpin_plan_source *sources; /**< One for each step. */
    size_t step_count;
    wpin_injection *faults; /**< Faults its lines put in; switches from supplies + inputs on. */
    size_t fault_count;
    wpin_requirement *requirements; /**< In the order of the file. */
    size_t requirement_count;
    uint8_t track_count; /**< Tracks it needs at once. */
    double seconds;      /**< How long it takes by the ramps and times in it. */
    double rehearsed;    /**< One without an end: s after which a rehearsal ends; else 0. */
    bool gentle;         /**< wpin_plan_first_motion: its load starts without kick and lift. */
} wpin_plan;

/** Reads and checks a plan for a rig. NULL with at least one message when anything is wrong. */
WPIN_API wpin_plan *wpin_plan_read(const char *path, const wpin_rig *rig, wpin_messages *messages);
/** The same of a text, not empty; `name` stands for the file in messages. */
WPIN_API wpin_plan *wpin_plan_read_text(const char *name, const char *text, const wpin_rig *rig,
                                        wpin_messages *messages);
/** One action alone, as it may be asked for by hand: on one load, which goes on with it until it is
 * asked for something else, or on a supply, an input, a fault. No blocks, no waits, no groups. NULL
 * with at least one message. */
WPIN_API wpin_plan *wpin_plan_read_action(const char *text, const wpin_rig *rig,
                                          wpin_messages *messages);
/** The plan of a first motion: load number `load` alone, each way its stage can, with at most 30 %
 * of the duty for 1 s (a start without sensors 4 s), on or off for 0.3 s, an eighth of a turn of a
 * stepper. wpin_session_act takes it, too. NULL with a message for what has no shaft. */
WPIN_API wpin_plan *wpin_plan_first_motion(const wpin_rig *rig, size_t load,
                                           wpin_messages *messages);
/** How long it is driven each way, s; 0 for a stepper. */
WPIN_API double wpin_plan_first_seconds(const wpin_rig_load *load);
/** Takes from a load (of a copy of its rig) what would make a first motion less gentle: kick, start
 * duty, most of the duty. */
WPIN_API void wpin_plan_make_gentle(wpin_rig_load *load);
/** Frees a plan; NULL is fine. */
WPIN_API void wpin_plan_free(wpin_plan *plan);

#ifdef __cplusplus
}
#endif
#endif
