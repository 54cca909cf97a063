/* Two-point control with pause, longest run and flags that say why. */
#include "windpin/two_point.h"
#include <stddef.h>

#define LONGEST 2147483648UL

/* In units of 1024 us, upwards. */
static uint32_t units(uint32_t ms) {
    return (ms >> 7) * 125U + ((ms & 127U) * 125U + 127U) / 128U;
}

wpin_status wpin_two_point_init(wpin_two_point *control, const wpin_two_point_config *config,
                                wpin_moment now) {
    if (control == NULL || config == NULL) {
        return WPIN_REFUSED_ARGUMENT;
    }
    bool good = config->on_mv != config->off_mv && config->on_mv != WPIN_NO_READING &&
                config->off_mv != WPIN_NO_READING && config->pause_ms <= LONGEST &&
                config->most_ms <= LONGEST;
    *control = (wpin_two_point){.config = good ? config : NULL, .last = now};
    if (good) {
        control->pause = control->pause_left = units(config->pause_ms);
        control->most = units(config->most_ms);
    }
    return good ? WPIN_OK : WPIN_REFUSED_RANGE;
}

/* Whole units since the last reading; of a clock that ran back none. */
static uint32_t passed(wpin_two_point *c, wpin_moment now) {
    uint32_t us = now - c->last;
    c->last = now;
    if (us > WPIN_SPAN_MAX) {
        return 0;
    }
    uint32_t part = (us & 1023U) + c->part_us;
    c->part_us = (uint16_t)(part & 1023U);
    return (us >> 10) + (part >> 10);
}

static void set(wpin_two_point *c, uint8_t flag, bool on) {
    c->flags = (uint8_t)((c->flags & ~flag) | (on ? flag : 0));
}

/* How far it is with its pause and its run. A long step of the clock may have been no time at all:
 * a pause counts little of it, a run all. */
static void count(wpin_two_point *c, uint32_t time) {
    uint32_t little = time > 1024U ? 1024U : time;
    if ((c->flags & WPIN_TWO_POINT_RUNNING) == 0) {
        c->ran = 0;
        c->pause_left -= little < c->pause_left ? little : c->pause_left;
        return;
    }
    c->pause_left = c->pause;
    c->ran += c->ran < LONGEST ? time : 0;
    if (c->most != 0 && c->ran >= c->most) {
        set(c, WPIN_TWO_POINT_EXHAUSTED, true);
    }
}

uint8_t wpin_two_point_update(wpin_two_point *control, int16_t millivolts, bool inhibited,
                              wpin_moment now) {
    wpin_two_point *c = control;
    if (c == NULL || c->config == NULL) {
        return 0;
    }
    bool lowers = c->config->off_mv < c->config->on_mv, known = millivolts != WPIN_NO_READING;
    bool is_on = lowers ? millivolts >= c->config->on_mv : millivolts <= c->config->on_mv;
    bool is_off = lowers ? millivolts <= c->config->off_mv : millivolts >= c->config->off_mv;
    count(c, passed(c, now));
    if (known && (is_on || is_off)) {
        set(c, WPIN_TWO_POINT_REACHED, is_off);
    }
    bool runs = (c->flags & WPIN_TWO_POINT_RUNNING) != 0; /* its own pause is for the next run */
    bool allowed = known && !inhibited && (runs || c->pause_left == 0) &&
                   (c->flags & WPIN_TWO_POINT_EXHAUSTED) == 0;
    bool runs_on = allowed && !is_off && (runs || is_on);
    set(c, WPIN_TWO_POINT_RUNNING, runs_on);
    set(c, WPIN_TWO_POINT_ALLOWED, allowed && (runs_on || c->pause_left == 0));
    return c->flags;
}

void wpin_two_point_release(wpin_two_point *control) {
    if (control != NULL) {
        set(control, WPIN_TWO_POINT_EXHAUSTED, false);
        control->ran = 0;
    }
}
