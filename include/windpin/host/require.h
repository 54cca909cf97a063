/** @file require.h
 * What a plan requires of its run: lines that begin with `require`, each about the action above it
 * or about the whole. Read with the plan, checked while it is rehearsed. Host only; the language is
 * in docs/plan.md.
 */
#ifndef WINDPIN_REQUIRE_H
#define WINDPIN_REQUIRE_H

#include "../api.h"
#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What is looked at. */
typedef enum wpin_required {
    WPIN_REQUIRED_SPEED,   /**< Of a load, rpm: in means over 50 ms, as measured where it is. */
    WPIN_REQUIRED_CURRENT, /**< Of a load, A: true extremes. */
    WPIN_REQUIRED_LIGHT,   /**< Of a lamp, share of the rated: whole periods of PWM. */
    WPIN_REQUIRED_PLACE,   /**< Of a load, turns from the place asked for, by its counts. */
    WPIN_REQUIRED_REST,    /**< Of a load: that it has come to rest. */
    WPIN_REQUIRED_VOLTS,   /**< Of a supply while it is on, V. */
    WPIN_REQUIRED_NO_FAULT,
    WPIN_REQUIRED_END /**< That the plan is over. */
} wpin_required;

/** How a value is compared. */
typedef enum wpin_relation { WPIN_WITHIN, WPIN_BELOW, WPIN_ABOVE } wpin_relation;

/** One requirement. */
typedef struct wpin_requirement {
    unsigned line; /**< In the plan. */
    char *text;    /**< As written, without `require`. */
    int step;      /**< The action of its load above it; -1: it is about the whole run. */
    size_t number; /**< Of the load or supply. */
    wpin_required what;
    wpin_relation relation;
    double limit;  /**< In the unit of what is looked at. */
    bool share;    /**< `limit` is a share of the target. */
    double target; /**< For WPIN_WITHIN; NAN: what is asked for. */
    double by;     /**< s after the action began from which on it holds; or until which. */
} wpin_requirement;

/** What a run made of one. */
typedef enum wpin_outcome {
    WPIN_OUTCOME_UNTESTED, /**< Its action never came, or was over before `by`. */
    WPIN_OUTCOME_MET,
    WPIN_OUTCOME_MISSED
} wpin_outcome;

typedef struct wpin_requirement_result {
    const wpin_requirement *requirement; /**< The plan's. */
    wpin_outcome outcome;
    bool measured; /**< By what the controller measured; else by what is true. */
    double worst;  /**< Furthest off, highest or lowest; of rest and end the time it took. */
    double at;     /**< When, s since the plan began. */
} wpin_requirement_result;

#ifdef __cplusplus
}
#endif
#endif
