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
