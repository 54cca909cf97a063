/* The verbs of a plan: one table entry each. */
#ifndef WPIN_CORE_OPS_H
#define WPIN_CORE_OPS_H

#include "windpin/sequence.h"

/* What a verb needs and checks: wpin_op_traits.needs. */
#define WPIN_NEEDS_TIME   ((uint8_t)1)   /* time_ms of 1 and up */
#define WPIN_NEEDS_EFFORT ((uint8_t)2)   /* value: an effort that is not zero */
#define WPIN_NEEDS_ANGLE  ((uint8_t)4)   /* millidegrees instead of a ramp */
#define WPIN_NEEDS_COUNT  ((uint8_t)8)   /* value of 1 and up, or 0 for ever */
#define WPIN_NEEDS_INPUT  ((uint8_t)16)  /* value: the number of an input that gives efforts */
#define WPIN_NEEDS_EVENT  ((uint8_t)32)  /* value: an event, which says what the target is */
#define WPIN_DRIVES       ((uint8_t)64)  /* asks for effort: the motor must take it */
#define WPIN_OWN_EVENT    ((uint8_t)128) /* looks at the event `until` itself */

/* wpin_track.part, beside the 0 of a step not begun. */
enum {
    WPIN_PART_GOING = 1,
    WPIN_PART_ENDING,
    WPIN_PART_TIMED_OUT,
    WPIN_PART_FOUND,   /* of HOME: comes to rest where its event came */
    WPIN_PART_BACKING, /* leaves it */
    WPIN_PART_LEFT,    /* comes to rest */
    WPIN_PART_AGAIN    /* goes there slowly */
};

/* The verbs that a program has, a bit each: what it does not name is not there, and a plan with it
 * is refused. windpin export says which a plan needs. */
#ifndef WPIN_VERBS
#define WPIN_VERBS 0xFFFFFFFFUL
#endif
#define WPIN_HAS_VERB(op) ((WPIN_VERBS >> (op)&1U) != 0)

typedef wpin_status (*wpin_op_begin)(const wpin_sequence *sequence, wpin_track *track,
                                     const wpin_step *step);
typedef bool (*wpin_op_done)(wpin_sequence *sequence, wpin_track *track, const wpin_step *step,
                             uint32_t dt_us);

typedef struct wpin_op_traits {
    uint8_t target; /* wpin_target_kind */
    uint8_t needs;
    /* Gives the command when the step begins; NULL: nothing to give. */
    wpin_op_begin begin;
    /* Whether the step is over, dt_us after the last look; NULL: at once. */
    wpin_op_done done;
} wpin_op_traits;

extern const WPIN_FLASH wpin_op_traits wpin_ops[WPIN_OP_COUNT];

/* Whether the event that ends a step before its time is there; false where it has none. */
bool wpin_step_has_come(const wpin_sequence *sequence, const wpin_step *step);

/* Whether a step waits for a fault of a motor, or clears it: such a fault does not end the plan. */
bool wpin_step_expects_fault(const wpin_step *step, uint16_t motor);

static inline bool wpin_event_is_of_input(int16_t event) {
    return event == WPIN_EVENT_INPUT_ON || event == WPIN_EVENT_INPUT_OFF;
}

#endif
