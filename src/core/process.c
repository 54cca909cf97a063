/* Regulates a slow quantity by an effort. */
#include "windpin/process.h"
#include <stddef.h>

#define FULL         ((int32_t)WPIN_DUTY_FULL)
#define LONGEST_US   ((uint32_t)1 << 19) /* a longer step of the clock counts as this */
#define INTEGRAL_MAX 3600000UL

wpin_status wpin_process_init(wpin_process *process, const wpin_process_config *config,
                              wpin_moment now) {
    if (process == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    const wpin_process_config *c = config;
    bool integral = c->integral_ms != 0;
    bool good = c->band_mv >= 50 && c->band_mv <= 30000 && c->most >= 1 && c->most <= FULL &&
                c->least >= 0 && c->least <= c->most && c->wanted_mv != WPIN_NO_READING &&
                (!integral || (c->integral_ms >= 1000 && c->integral_ms <= INTEGRAL_MAX));
    *process = (wpin_process){.config = good ? config : NULL, .last = now};
    if (good) {
        process->gain = FULL * 4096 / c->band_mv;
        /* of the proportional share in each 1024 us: 65536 x 1.024 / integral_ms, x 16384 */
        process->rate = integral ? (int32_t)(1099511628UL / c->integral_ms) : 0;
    }
    return good ? WPIN_OK : WPIN_REFUSED_RANGE;
}

/* Whole units of 1024 us since the last reading, up to 512; of a clock that ran back none. */
static int32_t passed(wpin_process *p, wpin_moment now) {
    uint32_t us = now - p->last;
    p->last = now;
    if (us > WPIN_SPAN_MAX) {
        return 0;
    }
    us = us > LONGEST_US - 1024U ? LONGEST_US - 1024U : us;
    us += p->part_us;
    p->part_us = (uint16_t)(us & 1023U);
    return (int32_t)(us >> 10);
}

/* The proportional share: within twice the full effort either way. */
static int32_t proportional(const wpin_process *p, int16_t millivolts) {
    const wpin_process_config *c = p->config;
    int32_t off =
        c->raises ? (int32_t)c->wanted_mv - millivolts : (int32_t)millivolts - c->wanted_mv;
    int32_t most = 2 * (int32_t)c->band_mv;
    off = off > most ? most : (off < -most ? -most : off);
    /* in two parts, either of which fits for any band */
    return (off * (p->gain / 128) + off * (p->gain % 128) / 128) / 32;
}

/* An integral goes on where it takes the effort back into its range. */
static void integrate(wpin_process *p, int32_t share, int32_t effort, int32_t time) {
    bool beyond = (effort >= p->config->most && share > 0) || (effort <= 0 && share < 0);
    int32_t within = share > FULL ? FULL : (share < -FULL ? -FULL : share);
    if (!beyond) { /* 14 bits by 21 in two parts; with 9 more of time below 2^30 */
        int32_t high = within * (p->rate / 128), low = within * (p->rate % 128) / 128;
        p->sum += (high + low) / 128 * time;
    }
    int32_t most = FULL * 65536 - 1;
    p->sum = p->sum > most ? most : (p->sum < -most ? -most : p->sum);
}

wpin_duty wpin_process_update(wpin_process *process, int16_t millivolts, wpin_moment now) {
    wpin_process *p = process;
    if (p == NULL || p->config == NULL) {
        return 0;
    }
    int32_t time = passed(p, now);
    if (millivolts == WPIN_NO_READING) {
        p->on = false;
        return 0;
    }
    const wpin_process_config *c = p->config;
    int32_t share = proportional(p, millivolts);
    int32_t effort = share + p->sum / 65536;
    integrate(p, share, effort, time);
    p->on = effort >= (p->on ? c->least / 2 : c->least) && effort > 0;
    if (!p->on) {
        return 0;
    }
    return (wpin_duty)(effort > c->most ? c->most : (effort < c->least ? c->least : effort));
}
