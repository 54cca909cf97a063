/* What the files that read a plan share: the reader, adding steps, saying what is unknown. */
#ifndef WPIN_RIG_PLAN_PARTS_H
#define WPIN_RIG_PLAN_PARTS_H

#include "plan_flow.h"
#include "plan_words.h"
#include <math.h>

#define WPIN_HOLD_MAX      4.0e6 /* 46 days; what 32 bits of milliseconds hold */
#define WPIN_PLAN_RAMP_MAX 600.0

typedef struct wpin_plan_reader {
    const wpin_rig *rig;
    wpin_plan *plan;
    wpin_flow flow;
    wpin_words line;
    bool full; /* out of memory or too many steps; said once */
} wpin_plan_reader;

static inline uint32_t wpin_to_ms(double seconds) {
    return (uint32_t)llround(seconds * 1e3);
}

static inline uint32_t wpin_to_us(double seconds) {
    return (uint32_t)llround(seconds * 1e6);
}

static inline int16_t wpin_to_duty(double fraction) {
    return (int16_t)lround(fraction * WPIN_DUTY_FULL);
}

/* Opens a block; false with a message when it can't stand here or is nested too deep. */
bool wpin_plan_open_block(wpin_plan_reader *r, wpin_block_kind kind);
/* Adds a step as it is; shown: it is what its line says, else a block's own. */
void wpin_plan_add_step(wpin_plan_reader *r, wpin_step step, bool shown);
/* Adds an action; directly inside a parallel block it is a track of its own. */
void wpin_plan_add_action(wpin_plan_reader *r, wpin_step step, double seconds);
/* Says that a word is unknown, the nearest known one, and all of them. */
void wpin_plan_say_unknown(wpin_plan_reader *r, unsigned column, const char *what, const char *text,
                           const char *const *known, size_t count);
/* Reads what stands behind "wait", "fault" and "mend", and behind the name of an input. */
void wpin_plan_read_wait(wpin_plan_reader *r);
void wpin_plan_read_fault(wpin_plan_reader *r);
void wpin_plan_read_mend(wpin_plan_reader *r);
void wpin_plan_read_hand(wpin_plan_reader *r, size_t input);
/* Reads a line for several loads; false (and nothing taken) if it is for one. */
bool wpin_plan_read_group(wpin_plan_reader *r);
/* Reads what stands behind the name of a load. */
void wpin_plan_read_verb(wpin_plan_reader *r, size_t load);
/* Whether a load knows a verb of that name. */
bool wpin_plan_knows_verb(const wpin_plan_reader *r, size_t load, const char *word);

#endif
