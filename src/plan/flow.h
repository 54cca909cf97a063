/* What each load is doing at a place in the plan, followed while the plan is read: duties, time,
 * open blocks, and which track drives which load. */
#ifndef WPIN_RIG_PLAN_FLOW_H
#define WPIN_RIG_PLAN_FLOW_H

#include "windpin/host/plan.h"

#define WPIN_BLOCK_DEPTH 12

typedef enum wpin_block_kind {
    WPIN_BLOCK_PLAN,
    WPIN_BLOCK_REPEAT,
    WPIN_BLOCK_PARALLEL,
    WPIN_BLOCK_TRACK
} wpin_block_kind;

typedef struct wpin_block {
    wpin_block_kind kind;
    unsigned line;          /* where it begins */
    bool together;          /* parallel: its loads come to rest first */
    int count;              /* repeat: rounds */
    bool forever;           /* repeat: not so many times */
    bool endless;           /* and nothing else ends it */
    unsigned after_endless; /* line of such a repeat in it, behind which nothing is reached; or 0 */
    size_t fork;            /* track: its FORK step */
    double seconds;         /* of what stands in it so far; parallel: of its longest track */
    unsigned track;         /* parallel: number of the present track, from 1 */
    unsigned *driven_by;    /* parallel: for each load the track that drives it, 0 for none */
    unsigned *driven_at;    /* and the line where that was seen first */
} wpin_block;

typedef struct wpin_flow {
    const wpin_rig *rig;
    double *duty;     /* of each load, signed fraction */
    double *driven;   /* the last that was not 0 */
    double *free_at;  /* s of the plan from which it may turn either way */
    double *turns;    /* of each stepper, and each motor brought to places */
    bool *homed;      /* whether that is counted from where it was homed */
    double *first;    /* s that its first move after a fault may last; 0: none comes */
    unsigned *set_at; /* line that set it */
    bool *unsure;     /* a line about it could not be read: no guesses from here on */
    wpin_block blocks[WPIN_BLOCK_DEPTH];
    bool out_of_memory;
    int depth; /* index of the innermost block; 0 is the plan itself */
} wpin_flow;

bool wpin_flow_init(wpin_flow *flow, const wpin_rig *rig);
void wpin_flow_free(wpin_flow *flow);

/* The innermost block. */
wpin_block *wpin_flow_top(wpin_flow *flow);
/* Opens a block; false when nested too deep or out of memory. */
bool wpin_flow_open(wpin_flow *flow, wpin_block_kind kind, unsigned line);
/* Closes the innermost block and adds its time to the one around it. */
void wpin_flow_close(wpin_flow *flow);
/* Whether a load is known to be at rest here, or to be driven until a line says otherwise: not
 * where another track may change that meanwhile. */
bool wpin_flow_is_at_rest(const wpin_flow *flow, size_t load);
bool wpin_flow_is_driven(const wpin_flow *flow, size_t load);
/* When what is read now begins, s of the plan. */
double wpin_flow_now(const wpin_flow *flow);
/* Time passes in the innermost block. */
void wpin_flow_pass(wpin_flow *flow, double seconds);
/* Notes that a load is driven here. The line of another track of the same parallel block that
 * drives it too, or 0. */
unsigned wpin_flow_drive(wpin_flow *flow, size_t load, unsigned line);
/* Seconds a stepper takes for so many turns; moves its place. */
double wpin_flow_turn(wpin_flow *flow, size_t load, double turns);
/* Seconds until a load may be driven that way: after the other one it rests first. */
double wpin_flow_before(const wpin_flow *flow, size_t load, double duty);
/* In so many seconds it is at rest, or begins to be. */
void wpin_flow_rests(wpin_flow *flow, size_t load, double seconds);
/* Seconds a load takes that runs so long at a duty, or on its way there, and comes to rest. */
double wpin_flow_run(wpin_flow *flow, size_t load, double duty, double seconds, unsigned line);
/* Seconds a load takes to a duty in at least `seconds` (0: at its slew limit); sets the duty. */
double wpin_flow_ramp(wpin_flow *flow, size_t load, double duty, double seconds, unsigned line);

#endif
