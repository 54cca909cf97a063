/** @file vet.h
 * Vetting a rig and a plan before power: every rule run, every finding with its place, cause,
 * consequence and cure. Host only. The list of rules is in docs/rules.md, made from the same table.
 */
#ifndef WINDPIN_VET_H
#define WINDPIN_VET_H

#include "../api.h"
#include "plan.h"
#include "sheet.h"

#ifdef __cplusplus
extern "C" {
#endif

/** What would happen on the bench if a refusal were ignored. */
typedef enum wpin_effect {
    WPIN_EFFECT_ADVICE, /**< Nothing sudden: wear, noise, little margin. */
    WPIN_EFFECT_DEAD,   /**< The load does not do what is asked. */
    WPIN_EFFECT_BURNS,  /**< A part burns. */
    WPIN_EFFECT_MOVES   /**< It moves by itself, or does not stop. */
} wpin_effect;

/** "advice", "does not work", "burns" or "moves by itself". */
WPIN_API const char *wpin_effect_word(wpin_effect effect);

/** A rule, as documented. */
typedef struct wpin_vet_rule {
    const char *name;  /**< As accepted in the rig. */
    const char *needs; /**< Keys of the rig it looks at. */
    const char *words; /**< What it looks for. */
    wpin_effect effect;
} wpin_vet_rule;

/** The nth rule, NULL behind the last. */
WPIN_API const wpin_vet_rule *wpin_vet_rule_at(size_t index);

/** One way out. */
typedef struct wpin_vet_cure {
    char change[112]; /**< A value of the rig that does it, as wpin_rig_change takes it:
                           "pump.driver.current-limit=6.25A"; "": something else. */
    double value;     /**< That value... */
    char unit[12];    /**< ...and its unit. */
    char words[240];
} wpin_vet_cure;

/** Most that a finding has. */
#define WPIN_VET_CURES 5

/** Something found. */
typedef struct wpin_finding {
    const wpin_vet_rule *rule;
    wpin_severity severity; /**< WPIN_NOTE and up. */
    bool accepted;          /**< On purpose, by the rig's `accept`. */
    bool in_plan;           /**< The place is one of the plan, not of the rig. */
    unsigned line, column;
    char part[WPIN_NAME_MAX + 1];
    char cause[240], consequence[200];
    wpin_vet_cure cures[WPIN_VET_CURES]; /**< Each alone is enough. */
    size_t cure_count;
} wpin_finding;

/** What it is vetted for. All zero: as the rig says, at 25 degC. */
typedef struct wpin_vet_options {
    double air_above; /**< Air warmer than 25 degC by this, K. */
    bool powered;     /**< Every supply is on before the plan begins. */
    double tolerance; /**< Every value off the wrong way by this share. */
    int supply;       /**< Number of a supply, plus 1, whose voltage is another one; 0: none. */
    double volts;     /**< That voltage. */
} wpin_vet_options;

/** All that was found, gravest first. */
typedef struct wpin_vetting {
    wpin_finding *findings;
    size_t count;
    size_t refusals; /**< Not accepted. */
    size_t cautions;
    size_t rules; /**< How many rules were run. */
} wpin_vetting;

/** Runs every rule. `plan` may be NULL. NULL when out of memory. */
WPIN_API wpin_vetting *wpin_vet(const wpin_rig *rig, const wpin_plan *plan,
                                const wpin_vet_options *options);
/** The cures of a finding in one sentence: "this; or that". */
WPIN_API const char *wpin_finding_cure(const wpin_finding *finding, char *to, size_t size);
/** Frees it; NULL is fine. */
WPIN_API void wpin_vetting_free(wpin_vetting *vetting);

/** About how long a load takes to come to rest from full speed after the stop input, s; 0: at once.
 */
WPIN_API double wpin_stop_seconds(const wpin_rig *rig, size_t load);

/** A list of lines of text. */
typedef struct wpin_lines {
    char **lines;
    size_t count;
    bool cut; /**< For the making: a line is missing. */
} wpin_lines;

/** The power-up checklist of a rig, in order. These three return NULL when out of memory. */
WPIN_API wpin_lines *wpin_checklist(const wpin_rig *rig);
/** Every wire of a rig: chip, board print, controller pin, level at the start. */
WPIN_API wpin_lines *wpin_wiring(const wpin_rig *rig);
/** The parts of a rig. */
WPIN_API wpin_lines *wpin_parts_list(const wpin_rig *rig);
/** Frees a list; NULL is fine. */
WPIN_API void wpin_lines_free(wpin_lines *lines);

#ifdef __cplusplus
}
#endif
#endif
