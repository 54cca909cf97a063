/* From one row of a stage to another: shared by what the tick does and what an edge does. */
#ifndef WPIN_CORE_STAGE_CHANGE_H
#define WPIN_CORE_STAGE_CHANGE_H

#include "stage_core.h"

/* What a change of row writes, and in which phase; looked up before the lock. */
typedef struct wpin_row_change {
    uint8_t off;                 /* first: to their levels of rest */
    uint8_t modes;               /* then, after the dead time: the mode lines that change */
    uint8_t levels;              /* last, after another one: what the others show, not timed */
    uint8_t high, timed, floats; /* of the row */
    uint8_t active;              /* what does something in it */
    uint8_t rest_high;           /* of the table */
    uint8_t plain;               /* flags of its PWM line, and its pin */
    wpin_pin pin;
    bool turns;       /* a leg goes from one side to the other */
    uint8_t cut;      /* whether the stage was cut when it was planned */
    uint16_t dead_us; /* the dead time */
} wpin_row_change;

/* What a change looks at of a row, without what none in its table has. */
WPIN_STEADY wpin_row wpin_row_within(const WPIN_FAR wpin_row *row, const wpin_row *may) {
    wpin_row within = {.high = row->high & may->high,
                       .timed = row->timed & may->timed,
                       .pulse = row->pulse & may->pulse,
                       .keep = row->keep & may->keep,
                       .floats = row->floats & may->floats};
    return within;
}

/* Which of these lines do something in a row: timed, or not at their level of rest. */
WPIN_STEADY uint8_t wpin_row_active(const wpin_row *row, uint8_t rest_high, uint8_t of) {
    uint8_t differs = (row->high & of) ^ (rest_high & of);
    return (uint8_t)((row->timed & of) | (differs & ~(row->floats | row->keep)));
}

void wpin_stage_plan(wpin_row_change *c, const wpin_stage *stage, uint8_t row);

/* Plans while interrupts may come, and plans anew if one turned the stage off meanwhile; a
 * commutation only leaves word of its sector, until wpin_stage_changed. Called under the lock and
 * returns under it. Inline, as what it does under the lock is next to nothing. Of a known table the
 * plan is that short itself, and such a table has no sectors. */
WPIN_STEADY void wpin_stage_plan_unlocked(wpin_row_change *c, wpin_stage *stage, uint8_t row,
                                          uint8_t *locked) {
    const bool briefly = wpin_table_is_known(wpin_stage_config_of(stage)->table);
    uint8_t levels;
    if (!briefly) {
        stage->flags |= WPIN_STAGE_CHANGING;
    }
    do {
        c->cut = stage->cut;
        levels = stage->levels;
        if (!briefly) {
            wpin_unlock(wpin_stage_port_of(stage), *locked);
        }
        wpin_stage_plan(c, stage, row);
        if (!briefly) {
            *locked = wpin_lock(wpin_stage_port_of(stage));
        }
    } while (!briefly && (c->cut != stage->cut || levels != stage->levels));
}

/* It is over. Needs no lock, for the same reason. */
static inline void wpin_stage_changed(wpin_stage *stage) {
    stage->flags &= (uint8_t)~WPIN_STAGE_CHANGING;
}

/* A write that failed may have left a line on: nothing more turns on until coast or brake is asked
 * for and every line is written anew. */
static inline wpin_status wpin_cut_if_failed(wpin_stage *stage, wpin_status status) {
    if (status != WPIN_OK) {
        stage->cut = 1; /* a byte: no lock */
    }
    return status;
}

WPIN_STEADY void wpin_stage_wait(const wpin_stage *stage, uint16_t us) {
    if (us != 0) {
        wpin_stage_port_of(stage)->pause(wpin_stage_port_of(stage)->context, us);
    }
}

/* Not under the lock, which they take for each write; a failure cuts the stage. Off: what the new
 * row has not on. On: what it has on, with its duty, unless the stage was cut meanwhile. */
wpin_status wpin_stage_turn_off(wpin_stage *stage, const wpin_row_change *c);
wpin_status wpin_stage_turn_on(wpin_stage *stage, const wpin_row_change *c);
/* What is shown from here on: before its lines are turned on. Needs no lock: while a change is at
 * work nobody else writes these. */
void wpin_stage_show(wpin_stage *stage, const wpin_row_change *c, uint8_t row, uint8_t drive);

#endif
