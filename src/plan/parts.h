/* What the files that read a plan share: the reader, adding steps, saying what is unknown. */
#ifndef WPIN_RIG_PLAN_PARTS_H
#define WPIN_RIG_PLAN_PARTS_H

#include "flow.h"
#include "words.h"
#include <math.h>

#define WPIN_HOLD_MAX      4.0e6 /* 46 days; what 32 bits of milliseconds hold */
#define WPIN_PLAN_RAMP_MAX 600.0

typedef struct wpin_plan_reader {
    const wpin_rig *rig;
    wpin_plan *plan;
    wpin_flow flow;
    wpin_words line;
    bool alone;                      /* one action by hand, no plan */
    bool full;                       /* out of memory or too many steps; said once */
    unsigned endless, rehearse_line; /* lines of the first repeat for ever, and of 'rehearse' */
    wpin_step until; /* what ends the action being read: its fields for that, and its time */
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

/* What repeats, and how long a plan without an end is rehearsed: read, and at the end checked. */
void wpin_plan_read_repeat(wpin_plan_reader *r);
void wpin_plan_read_rehearse(wpin_plan_reader *r);
void wpin_plan_check_endless(wpin_plan_reader *r);
/* False with a message behind a repeat without an end. */
bool wpin_plan_is_reached(wpin_plan_reader *r);
/* Opens a block; false with a message when it can't stand here or is nested too deep. */
bool wpin_plan_open_block(wpin_plan_reader *r, wpin_block_kind kind);
/* Adds a step as it is; shown: it is what its line says, else a block's own. */
void wpin_plan_add_step(wpin_plan_reader *r, wpin_step step, bool shown);
/* Adds an action; directly inside a parallel block it is a track of its own. */
void wpin_plan_add_action(wpin_plan_reader *r, wpin_step step, double seconds);
/* Says that a word is unknown, the nearest known one, and all of them. */
void wpin_plan_say_unknown(wpin_plan_reader *r, unsigned column, const char *what, const char *text,
                           const char *const *known, size_t count);
/* Reads "EVENT at most TIME" into the reader's `until`; false with a message. And EVENT alone, what
 * a repeat ends by. */
bool wpin_plan_take_until(wpin_plan_reader *r, double *seconds);
bool wpin_plan_take_event(wpin_plan_reader *r);
/* Reads "at most TIME" to the end of the line; false with a message. */
bool wpin_plan_take_at_most(wpin_plan_reader *r, double *seconds);
/* Reads what stands behind "wait", "fault" and "mend", and behind the name of an input. */
void wpin_plan_read_wait(wpin_plan_reader *r);
void wpin_plan_read_require(wpin_plan_reader *r);
void wpin_plan_read_fault(wpin_plan_reader *r);
void wpin_plan_read_mend(wpin_plan_reader *r);
void wpin_plan_read_hand(wpin_plan_reader *r, size_t input);
/* Reads a line for several loads; false (and nothing taken) if it is for one. */
bool wpin_plan_read_group(wpin_plan_reader *r);
/* Reads the loads behind 'together', and opens its block. */
void wpin_plan_read_together(wpin_plan_reader *r);
/* A line of its own directly in a parallel block is a track of its own: from here on it is read. */
void wpin_plan_begin_action(wpin_plan_reader *r);
/* Takes a load for the track that is being read; says so if another one has it. */
void wpin_plan_claim(wpin_plan_reader *r, size_t load);
/* Reads what stands behind the name of a load. */
void wpin_plan_read_verb(wpin_plan_reader *r, size_t load);
/* What brings a load to a place: turn, of a stepper and of a motor; zero; home. */
void wpin_plan_read_turn(wpin_plan_reader *r, size_t load);
void wpin_plan_read_turn_motor(wpin_plan_reader *r, size_t load);
void wpin_plan_read_zero(wpin_plan_reader *r, size_t load);
void wpin_plan_read_home(wpin_plan_reader *r, size_t load);
/* What a run or a ramp is asked for: a duty, or a speed that is regulated. */
typedef struct wpin_asked {
    double share; /* of full duty, or of the load's maximum speed; signed */
    uint8_t quantity;
} wpin_asked;

/* Reads [forward|reverse] PERCENT or SPEED, whichever stands there; and SPEED alone, into a signed
 * share of the load's maximum. False with a message. */
bool wpin_plan_take_asked(wpin_plan_reader *r, size_t load, wpin_asked *to);
bool wpin_plan_take_speed(wpin_plan_reader *r, size_t load, double *share);
/* Whether a load can be asked for a duty; says so if not. */
bool wpin_plan_takes_duty(wpin_plan_reader *r, size_t load, unsigned column);
/* [forward|reverse], into a sign; 0 with a message when the stage has no such way. */
double wpin_plan_take_way(wpin_plan_reader *r, size_t load);
/* Says that the stage of a load can not do something, and which loads could. */
void wpin_plan_say_unable(wpin_plan_reader *r, size_t load, unsigned column, const char *what,
                          bool (*able)(const wpin_stage_kind *kind));
/* Whether a load knows a verb of that name. */
bool wpin_plan_knows_verb(const wpin_plan_reader *r, size_t load, const char *word);

#endif
