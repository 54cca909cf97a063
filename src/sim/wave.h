/* What a controller pin shows over time: a level, or PWM that repeats without being stepped. */
#ifndef WPIN_SIM_WAVE_H
#define WPIN_SIM_WAVE_H

#include "windpin/port.h"

#define WPIN_WAVE_NEVER INT64_MAX

/* High from rise to fall within each period; times in ps. rise >= fall is always low. */
typedef struct wpin_window {
    int64_t rise, fall;
} wpin_window;

typedef struct wpin_wave {
    wpin_level level; /* shown when not PWM */
    bool pwm;
    bool low_inside; /* low in its windows, and high for the rest */
    int64_t start;   /* of the period `current` belongs to */
    int64_t period;
    wpin_window current;
    wpin_window next; /* from the next period boundary on */
} wpin_wave;

/* Reads a wave forward in time without changing it. */
typedef struct wpin_cursor {
    int64_t start, edge; /* of the period; of the next possible change */
    int64_t period;
    wpin_window window, next;
    bool low_inside;
    wpin_level level;
} wpin_cursor;

wpin_cursor wpin_cursor_at(const wpin_wave *wave, int64_t now);
/* Goes over the edge the cursor is at. */
void wpin_cursor_pass(wpin_cursor *cursor);
/* From the begin of its period to the begin of the next. */
void wpin_cursor_jump(wpin_cursor *cursor);
/* Whether the period after this one is like it. */
static inline bool wpin_cursor_repeats(const wpin_cursor *c) {
    return c->window.rise == c->next.rise && c->window.fall == c->next.fall;
}
/* Over so many like periods. */
static inline void wpin_cursor_skip(wpin_cursor *c, int64_t periods) {
    const int64_t on = periods * c->period;
    c->start += on;
    c->edge += c->edge == WPIN_WAVE_NEVER ? 0 : on;
}
/* Brings a wave's current period up to now. */
void wpin_wave_settle(wpin_wave *wave, int64_t now);

#endif
