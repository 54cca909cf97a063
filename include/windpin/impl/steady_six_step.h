/** @file steady_six_step.h
 * Not for direct use: what an edge of the Hall sensors does, as inline functions, so that
 * windpin/fast.h can fold one motor's constants into it. src/core/six_step.c is made of the same
 * source.
 */
#ifndef WINDPIN_IMPL_STEADY_SIX_STEP_H
#define WINDPIN_IMPL_STEADY_SIX_STEP_H

#include "../api.h"
#include "../six_step.h"
#include "inline.h"
#include "lock.h"
#include "steady_stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Sectors of an electrical turn. */
#define WPIN_SECTORS 6U
/** Slower, nothing is gained by an advance. */
#define WPIN_SECTOR_MAX_US 16383U

/* Each code that is no sector, each sector left out, and each tick without a sector adds this to
 * the disorder; every other tick takes one away. A glitch is forgotten, a loose wire is not. */
#define WPIN_DISORDER     16U
#define WPIN_DISORDER_MAX 64U

/* ---- what seldom runs: src/core/six_step.c ---- */
WPIN_API void wpin_rare_sector(wpin_six_step *six_step, uint8_t sector, wpin_moment now);
WPIN_API wpin_status wpin_rare_commutate(wpin_six_step *six_step);

/* The next sector forward, and the one before. */
WPIN_STEADY uint8_t wpin_next_sector(uint8_t sector) {
    return (uint8_t)(sector == WPIN_SECTORS - 1U ? 0U : sector + 1U);
}

WPIN_STEADY uint8_t wpin_previous_sector(uint8_t sector) {
    return (uint8_t)(sector == 0 ? WPIN_SECTORS - 1U : sector - 1U);
}

/* Counts what the sensors show now. Under the lock. */
WPIN_STEADY void wpin_steady_code(wpin_six_step *s, const WPIN_FAR wpin_six_step_config *config,
                                  uint8_t code, wpin_moment now) {
    s->reads = (uint8_t)(s->reads + 1U);
    code &= 7U;
    if (code == s->code) {
        return;
    }
    s->code = code;
    uint8_t sector = config->sector_of[code], before = s->sector;
    uint32_t counts = (uint32_t)s->counts.counts;
    if (before < WPIN_SECTORS && sector == wpin_next_sector(before)) {
        counts++;
    } else if (before < WPIN_SECTORS && sector == wpin_previous_sector(before)) {
        counts--;
    } else {
        wpin_rare_sector(s, sector, now);
        return;
    }
    if (config->advance != 0) { /* what follows from it is left to who looks */
        uint32_t us = now - s->counts.at;
        s->edge_us = us > WPIN_SECTOR_MAX_US ? 0 : (uint16_t)us;
        s->edge_way = counts == (uint32_t)s->counts.counts + 1U ? 1 : -1;
        s->edges++;
        s->leads = 0;
        s->due_us = 0;
    }
    s->sector = sector;
    s->counts.counts = (int32_t)counts;
    s->counts.at = now;
}

/* In reverse the row of the opposite sector drives. */
WPIN_STEADY uint8_t wpin_sector_row(uint8_t sector, int8_t direction) {
    return (uint8_t)(direction > 0 ? sector : (sector >= 3U ? sector - 3U : sector + 3U));
}

/* The sector whose row it shall show. */
WPIN_STEADY uint8_t wpin_steady_wanted(const wpin_six_step *s) {
    int8_t direction = s->direction;
    uint8_t sector = s->sector;
    if (direction == 0 || sector >= WPIN_SECTORS) {
        return WPIN_NO_SECTOR;
    }
    if (s->leads == direction) {
        sector = direction > 0 ? wpin_next_sector(sector) : wpin_previous_sector(sector);
    }
    return wpin_sector_row(sector, direction);
}

/* What a change to a neighbour's row writes: levels of a mask of lines, and whether PWM moves to
 * another line. */
typedef struct wpin_row_step {
    uint8_t from, sector, high, mask;
    bool times;
} wpin_row_step;

WPIN_STEADY wpin_row_step wpin_steady_row_step(const wpin_six_step *s,
                                               const WPIN_FAR wpin_stage_config *config,
                                               uint8_t sector) {
    uint8_t from = s->stage.row;
    const WPIN_FAR wpin_row *rows = config->table->rows;
    const WPIN_FAR wpin_row *was = &rows[from], *will = &rows[(uint8_t)(s->first_row + sector)];
    uint8_t high = will->high, timed = will->timed, timed_before = was->timed;
    uint8_t mask = (uint8_t)(((was->high ^ high) | timed_before) & ~timed);
    wpin_row_step step = {from, sector, high, mask, timed != timed_before};
    return step;
}

/* To the row of a neighbour, in two calls of the port: no leg turns, so nothing has to wait. Duties
 * of whole legs are left to follow. Under the lock. */
WPIN_STEADY wpin_status wpin_steady_next_row(wpin_six_step *s,
                                             const WPIN_FAR wpin_stage_config *config,
                                             const wpin_port *port, wpin_row_step step,
                                             uint16_t now) {
    wpin_stage *stage = &s->stage;
    uint8_t mask = step.mask, high = step.high;
    stage->levels = (uint8_t)((stage->levels & ~mask) | (high & mask));
    stage->row = (uint8_t)(s->first_row + step.sector);
    stage->drive = (uint8_t)(WPIN_DRIVE_SECTOR + step.sector);
    stage->sector = step.sector;
    stage->commutated_at = now;
    wpin_status status =
        port->group_write(port->context, stage->group, mask, (high ^ stage->inverted) & mask);
    if (step.times && (stage->flags & WPIN_STAGE_PLAIN) != 0) {
        uint8_t line = s->lines[step.sector], rest = (1U << WPIN_STAGE_LINE_SHIFT) - 1U;
        stage->flags = (uint8_t)((stage->flags & rest) | (unsigned)line << WPIN_STAGE_LINE_SHIFT);
        wpin_status next = port->pwm_duty(port->context, config->lines[line].pin, stage->duty);
        status = status == WPIN_OK ? next : status;
    }
    return status;
}

WPIN_STEADY wpin_status wpin_steady_failed(wpin_six_step *s, wpin_status status) {
    if (status != WPIN_OK) {
        s->stage.cut = 1;
        s->failed = (uint8_t)status;
    }
    return status;
}

/* An edge, once its code is taken; the lock, which was taken before, is let go. Ahead: the step to
 * the row it wants, where that was made out before the lock; it holds as long as nothing came
 * between. */
WPIN_STEADY wpin_status wpin_steady_commutate(wpin_six_step *s,
                                              const WPIN_FAR wpin_six_step_config *config,
                                              const wpin_port *port, const wpin_row_step *ahead,
                                              uint16_t now, uint8_t locked) {
    const wpin_stage *stage = &s->stage;
    uint8_t sector = wpin_steady_wanted(s), shown = (uint8_t)(stage->drive - WPIN_DRIVE_SECTOR);
    bool next = shown < WPIN_SECTORS &&
                (sector == wpin_next_sector(shown) || sector == wpin_previous_sector(shown));
    bool changing = (stage->flags & WPIN_STAGE_CHANGING) != 0;
    bool holds = ahead == NULL || (ahead->from == stage->row && ahead->sector == sector);
    bool rested = (uint16_t)(now - stage->commutated_at) > config->stage->dead_time_us;
    if (next && holds && s->quick && stage->cut == 0 && !changing && rested) {
        wpin_row_step step =
            ahead != NULL ? *ahead : wpin_steady_row_step(s, config->stage, sector);
        wpin_status status = wpin_steady_next_row(s, config->stage, port, step, now);
        wpin_steady_failed(s, status);
        wpin_unlock(port, locked);
        bool legs = step.times && (stage->flags & WPIN_STAGE_PLAIN) == 0 && status == WPIN_OK;
        return legs ? wpin_steady_failed(s, wpin_rare_row_duty(stage)) : status;
    }
    wpin_unlock(port, locked);
    bool there = sector == WPIN_NO_SECTOR || (sector == shown && !changing);
    return there ? WPIN_OK : wpin_rare_commutate(s);
}

#ifdef __cplusplus
}
#endif
#endif
