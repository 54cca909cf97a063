/* Which rows of a three-phase stage carry current, and which do not though they should. */
#include "windpin/phase_watch.h"
#include "windpin/impl/steady_guard.h"
#include "windpin/impl/steady_six_step.h"

#define ENOUGH  8U  /* samples of a row until it is judged */
#define LONG    18U /* changes of row: three electrical turns */
#define NOTHING UINT8_MAX

/* The two rows in which each switch is on: a-high, a-low, b-high, ... */
static const WPIN_FLASH uint8_t rows_of[WPIN_SECTORS][2] = {{0, 1}, {3, 4}, {2, 3},
                                                            {5, 0}, {4, 5}, {1, 2}};

/* An eighth of the way to a value of up to 8191. */
static uint16_t towards(uint16_t mean, uint16_t value, bool first) {
    return (uint16_t)(first ? value << 3 : mean - (mean >> 3) + value);
}

static void add(wpin_phase_watch *p, uint8_t row, const wpin_watched *w) {
    uint16_t mv = wpin_steady_size(w->measurement->current), duty = wpin_steady_size(w->effort);
    bool first = p->samples[row] == 0;
    p->mean[row] = towards(p->mean[row], mv > 8191U ? 8191U : mv, first);
    p->effort[row] = towards(p->effort[row], (uint16_t)(duty >> 2), first);
    p->samples[row] = (uint8_t)(p->samples[row] + (p->samples[row] < ENOUGH));
}

/* Sums over the rows in which one of two switches is on; of one switch alone both are it. */
static uint32_t sum_of(const uint16_t *means, uint8_t one, uint8_t other) {
    uint32_t sum = (uint32_t)means[rows_of[one][0]] + means[rows_of[one][1]];
    return one == other ? sum : sum + means[rows_of[other][0]] + means[rows_of[other][1]];
}

/* Whether two of the rows have much less current than the other four, or, both ways round, four of
 * them than the other two, though they are driven as hard: a regulator that answers to an uneven
 * sensor drives some of them less. */
static bool is_missing(const wpin_phase_watch *p, uint16_t least_mv, uint8_t item, uint32_t amps,
                       uint32_t efforts) {
    bool lead = item >= WPIN_SECTORS; /* both of its switches */
    uint8_t one = (uint8_t)(lead ? 2U * (item - WPIN_SECTORS) : item),
            other = (uint8_t)(lead ? one + 1U : one);
    uint32_t mine = sum_of(p->mean, one, other), effort = sum_of(p->effort, one, other);
    uint32_t others = amps - mine, least = (uint32_t)least_mv << 3;
    uint32_t effort_others = efforts - effort;
    /* means of 2 and 4 rows compared: less than 3/8 of the current, at 7/8 of the effort or more */
    if (lead) {
        return others >= 2U * least && 8U * mine < 6U * others &&
               8U * effort >= 14U * effort_others;
    }
    return others >= 4U * least && 16U * mine < 3U * others && 16U * effort >= 7U * effort_others;
}

/* What carries no current, once every row has been seen: a lead first, as it takes both its
 * switches with it. */
static uint8_t find_missing(const wpin_phase_watch *p, uint16_t least_mv) {
    uint32_t amps = 0, efforts = 0;
    for (uint8_t row = 0; row < WPIN_SECTORS; row++) {
        if (p->samples[row] < ENOUGH) {
            return NOTHING;
        }
        amps += p->mean[row];
        efforts += p->effort[row];
    }
    for (uint8_t item = WPIN_SECTORS + 3U; item-- > 0;) {
        if (is_missing(p, least_mv, item, amps, efforts)) {
            return item;
        }
    }
    return NOTHING;
}

/* A start, or a load that comes and goes, tells the rows apart too, but not turn after turn. */
static wpin_status judge(wpin_phase_watch *p, uint16_t least_mv) {
    uint8_t missing = find_missing(p, least_mv);
    bool same = missing != NOTHING && missing == p->missing;
    p->lasts = (uint8_t)(same ? p->lasts + (p->lasts < LONG) : 0);
    p->missing = missing;
    return p->lasts == LONG ? WPIN_FAULT_PHASE : WPIN_OK;
}

wpin_status wpin_phase_watch_check(void *watch, const WPIN_FAR void *config,
                                   const wpin_watched *w) {
    wpin_phase_watch *p = watch;
    const WPIN_FAR wpin_phase_watch_config *c = config;
    uint8_t row = (uint8_t)(c->stage->drive - WPIN_DRIVE_SECTOR);
    if ((w->measurement->valid & WPIN_HAS_CURRENT) == 0) {
        return WPIN_OK;
    }
    bool forward = w->effort >= 0;
    if (row >= WPIN_SECTORS || forward != p->forward) { /* the next start, or brake, is another */
        wpin_phase_watch_reset(p);
        p->forward = forward;
    }
    if (row >= WPIN_SECTORS) {
        return WPIN_OK;
    }
    wpin_status status = row != p->row ? judge(p, c->least_mv) : WPIN_OK;
    p->row = row;
    add(p, row, w);
    return status;
}

void wpin_phase_watch_reset(void *watch) {
    wpin_phase_watch *p = watch;
    for (uint8_t row = 0; row < WPIN_SECTORS; row++) {
        p->samples[row] = 0;
    }
    p->lasts = 0;
}
