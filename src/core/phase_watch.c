/* Which rows of a three-phase stage carry current, and which do not though they should. */
#include "windpin/phase_watch.h"
#include "windpin/impl/steady_guard.h"
#include "windpin/impl/steady_six_step.h"

#define ROWS    6U
#define ENOUGH  8U  /* samples of a row until it is judged */
#define LONG    18U /* changes of row: three electrical turns */
#define NOTHING UINT8_MAX

/* The two rows in which each switch is on: a-high, a-low, b-high, ... */
static const WPIN_FLASH uint8_t rows_of[ROWS][2] = {{0, 1}, {3, 4}, {2, 3}, {5, 0}, {4, 5}, {1, 2}};

static void add(wpin_phase_watch *p, uint8_t row, int16_t current) {
    uint16_t mv = wpin_steady_size(current), mean = p->mean[row];
    mv = mv > 8191U ? 8191U : mv;
    if (p->samples[row] == 0) {
        mean = (uint16_t)(mv << 3);
    } else {
        mean = (uint16_t)(mean - (mean >> 3) + mv); /* an eighth of the way */
    }
    p->mean[row] = mean;
    p->samples[row] = (uint8_t)(p->samples[row] + (p->samples[row] < ENOUGH));
}

/* Whether two of the rows have much less current than the other four, or, both ways round, four of
 * them than the other two. */
static bool is_missing(const wpin_phase_watch *p, uint8_t item, uint32_t sum) {
    bool lead = item >= ROWS; /* both of its switches */
    uint8_t one = (uint8_t)(lead ? 2U * (item - ROWS) : item);
    uint32_t mine = (uint32_t)p->mean[rows_of[one][0]] + p->mean[rows_of[one][1]];
    if (lead) {
        mine += (uint32_t)p->mean[rows_of[one + 1U][0]] + p->mean[rows_of[one + 1U][1]];
    }
    uint32_t others = sum - mine, least = (uint32_t)p->config->least_mv << 3;
    /* means of 2 and 4 rows compared: less than 3/8 */
    return lead ? others >= 2U * least && 8U * mine < 6U * others
                : others >= 4U * least && 16U * mine < 3U * others;
}

/* What carries no current, once every row has been seen: a lead first, as it takes both its
 * switches with it. */
static uint8_t find_missing(const wpin_phase_watch *p) {
    uint32_t sum = 0;
    for (uint8_t row = 0; row < ROWS; row++) {
        if (p->samples[row] < ENOUGH) {
            return NOTHING;
        }
        sum += p->mean[row];
    }
    for (uint8_t item = ROWS + 3U; item-- > 0;) {
        if (is_missing(p, item, sum)) {
            return item;
        }
    }
    return NOTHING;
}

/* A start, or a load that comes and goes, tells the rows apart too, but not turn after turn. */
static wpin_status judge(wpin_phase_watch *p) {
    uint8_t missing = find_missing(p);
    bool same = missing != NOTHING && missing == p->missing;
    p->lasts = (uint8_t)(same ? p->lasts + (p->lasts < LONG) : 0);
    p->missing = missing;
    return p->lasts == LONG ? WPIN_FAULT_PHASE : WPIN_OK;
}

wpin_status wpin_phase_watch_check(void *watch, const wpin_watched *w) {
    wpin_phase_watch *p = watch;
    uint8_t row = (uint8_t)(p->config->six_step->stage.drive - WPIN_DRIVE_SECTOR);
    if ((w->measurement->valid & WPIN_HAS_CURRENT) == 0) {
        return WPIN_OK;
    }
    if (row >= ROWS) { /* the next start is another */
        wpin_phase_watch_reset(p);
        return WPIN_OK;
    }
    wpin_status status = row != p->row ? judge(p) : WPIN_OK;
    p->row = row;
    add(p, row, w->measurement->current);
    return status;
}

void wpin_phase_watch_reset(void *watch) {
    wpin_phase_watch *p = watch;
    for (uint8_t row = 0; row < ROWS; row++) {
        p->samples[row] = 0;
    }
    p->lasts = 0;
}
