/** @file trials.h
 * Every fault that may come while a rig works, each at many moments of a plan: whether the
 * controller noticed it, how soon, by which name, and whether something burnt. Host only.
 */
#ifndef WINDPIN_TRIALS_H
#define WINDPIN_TRIALS_H

#include "../api.h"
#include "rehearsal.h"

#ifdef __cplusplus
extern "C" {
#endif

/** One fault over all its moments. */
typedef struct wpin_trial {
    wpin_injection fault;
    char words[3 * WPIN_NAME_MAX]; /**< As a plan says it, e.g. "drum stalled". */
    unsigned tried;                /**< Moments. */
    unsigned idle;                 /**< Of these: nothing it could harm was driven from there on. */
    unsigned tripped; /**< Noticed by the controller: a latched fault, and the stage at rest. */
    unsigned named;   /**< Of these: by a name that points at what was wrong... */
    unsigned listed;  /**< ...with that among the causes it says to look for. */
    unsigned seen;    /**< Not by the controller: the record shows it, a person has to look. */
    unsigned burnt;   /**< Something burnt. */
    double soonest, latest; /**< From the fault to the trip, s. */
    double safe_after;      /**< Longest from the trip to the stage's safe state, s... */
    unsigned never_safe;    /**< ...and how often the run ended before: no way to switch it off, or
                                 no time. */
    unsigned tried_in[WPIN_STATE_FAULT + 1];   /**< By what the load was doing at that moment... */
    unsigned tripped_in[WPIN_STATE_FAULT + 1]; /**< ...how many, and how many noticed. */
    unsigned names[WPIN_STATUS_COUNT];         /**< How often each fault was told, by its number. */
    double unseen_at; /**< A moment at which nothing at all showed it, though its load was driven;
                         below 0: there was none. */
    unsigned unseen;
} wpin_trial;

/** All of them. */
typedef struct wpin_trials {
    wpin_trial *all;
    size_t count;
    double seconds; /**< Of the plan without a fault. */
} wpin_trials;

/** Runs the plan once as it is and then with each fault at each of `moments` (1 and up), evenly
 * from its begin to its end. NULL with the reason: a plan that goes wrong by itself tells nothing.
 * `progress` may be NULL; done and of count runs. On all processors. */
WPIN_API wpin_trials *wpin_try_faults(const wpin_rig *rig, const wpin_plan *plan, unsigned moments,
                                      void (*progress)(void *context, double done, double of),
                                      void *context, char *why, size_t why_size);
/** Frees them; NULL is fine. */
WPIN_API void wpin_trials_free(wpin_trials *trials);

#ifdef __cplusplus
}
#endif
#endif
