/** @file verdict.h
 * What is said of a step: asked against achieved, and why they differ. Host only.
 */
#ifndef WINDPIN_VERDICT_H
#define WINDPIN_VERDICT_H

#include "../api.h"
#include "session.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Judges a session and its steps, for wpin_session_options: by what they truly did where the
 * bench knows that, else by what the controller measured. */
WPIN_API extern const wpin_onlooker wpin_verdicts;

/** What follows from it. */
typedef enum wpin_seen_verdict {
    WPIN_SEEN_FINE,      /**< As far as it is measured. */
    WPIN_SEEN_TROUBLE,   /**< Something is measured to be wrong. */
    WPIN_SEEN_UNMEASURED /**< Nothing that would tell is measured. */
} wpin_seen_verdict;

/** Says in words what the measurements of a step come to for load number `load` of a rig: what is
 * measured, since when, and the causes in order of likelihood; where nothing is measured, that, and
 * what to look at. It knows nothing but the rig and `seen`. */
WPIN_API wpin_seen_verdict wpin_seen_judge(const wpin_rig *rig, int load, const wpin_seen *seen,
                                           char *words, size_t size);

/** What can be behind a fault. */
typedef enum wpin_cause {
    WPIN_CAUSE_SUPPLY,      /**< Its supply is off, empty or cut out. */
    WPIN_CAUSE_SAG,         /**< Its supply gives way. */
    WPIN_CAUSE_VOLTS,       /**< Its supply has more volts than the rig says. */
    WPIN_CAUSE_REGENERATED, /**< Braking feeds its supply. */
    WPIN_CAUSE_LEAD,        /**< A lead of the motor is off. */
    WPIN_CAUSE_LEADS,       /**< Its leads are swapped, or not in their order. */
    WPIN_CAUSE_LINE,        /**< A wire between controller and driver is off. */
    WPIN_CAUSE_DRIVER,      /**< The driver is off. */
    WPIN_CAUSE_SHORT,       /**< A short in leads or driver. */
    WPIN_CAUSE_HELD,        /**< The shaft is held. */
    WPIN_CAUSE_END,         /**< It is at an end of where it may go. */
    WPIN_CAUSE_LIMIT,       /**< A limit switch did not come. */
    WPIN_CAUSE_LOAD,        /**< Its load is too heavy. */
    WPIN_CAUSE_DUTY,        /**< The duty is too little to turn it. */
    WPIN_CAUSE_RAMP,        /**< The ramp is too steep. */
    WPIN_CAUSE_ASKED,       /**< More is asked than it can. */
    WPIN_CAUSE_SENSOR,      /**< The sensor of its motion, or a wire of it, is off. */
    WPIN_CAUSE_SENSORS,     /**< That sensor's wires are swapped. */
    WPIN_CAUSE_SLIPS,       /**< That sensor slips on its shaft. */
    WPIN_CAUSE_SCALE,       /**< That sensor has more counts than the rig says. */
    WPIN_CAUSE_DRIVEN,      /**< Something else drives the shaft. */
    WPIN_CAUSE_FREE,        /**< Nothing takes up the torque. */
    WPIN_CAUSE_GAINS,       /**< The regulator's gains. */
    WPIN_CAUSE_PLAY,        /**< Play in the gear, or what sticks. */
    WPIN_CAUSE_COOLING,     /**< Too little cooling. */
    WPIN_CAUSE_COUNT
} wpin_cause;

/** Most causes that are named of a fault. */
#define WPIN_CAUSES_MOST 5

/** What can be behind a fault, the likeliest first, by what its controller knew; how many. None:
 * what the status itself says (wpin_status_remedy) is all there is. */
WPIN_API size_t wpin_fault_causes(const wpin_rig *rig, const wpin_fault_result *fault,
                                  wpin_cause causes[WPIN_CAUSES_MOST]);
/** One of them with the names of the rig's parts: what to look at. */
WPIN_API void wpin_cause_words(const wpin_rig *rig, const wpin_fault_result *fault,
                               wpin_cause cause, char *words, size_t size);
/** What its load did when it came, and what was measured: a sentence. */
WPIN_API void wpin_fault_scene_words(const wpin_rig *rig, const wpin_fault_result *fault,
                                     char *words, size_t size);
/** What to do about it: its causes in their order, else the remedy of the status; a sentence or
 * two. */
WPIN_API void wpin_fault_advice(const wpin_rig *rig, const wpin_fault_result *fault, char *words,
                                size_t size);

/** What a drive on a field bus has to do with a fault: its error, how it fell silent; false:
 * nothing.
 */
WPIN_API bool wpin_drive_fault_words(const wpin_fault_result *fault, char *words, size_t size);

/** How a requirement came out ("met"), and by what, in words; these may be empty. */
WPIN_API const char *wpin_outcome_word(wpin_outcome outcome);
WPIN_API void wpin_requirement_words(const wpin_requirement_result *result, char *words,
                                     size_t size);

#ifdef __cplusplus
}
#endif
#endif
