/* PWM as a function of time, and cursors that walk its edges. */
#include "wave.h"

static bool same(wpin_window a, wpin_window b) {
    return a.rise == b.rise && a.fall == b.fall;
}

static bool steady(wpin_window w, int64_t period) {
    return w.rise >= w.fall || (w.rise == 0 && w.fall == period);
}

/* Sets level and next edge for a moment within the cursor's period. */
static void look(wpin_cursor *c, int64_t now) {
    int64_t phase = now - c->start;
    wpin_window w = c->window;
    bool inside = phase >= w.rise && phase < w.fall;
    c->level = inside != c->low_inside ? WPIN_HIGH : WPIN_LOW;
    if (steady(w, c->period)) {
        c->edge = same(w, c->next) ? WPIN_WAVE_NEVER : c->start + c->period;
    } else if (phase < w.rise) {
        c->edge = c->start + w.rise;
    } else if (inside && w.fall < c->period) {
        c->edge = c->start + w.fall;
    } else {
        c->edge = c->start + c->period;
    }
}

/* From one of its periods to the one that a moment lies in. */
static int64_t periods_on(const wpin_wave *wave, int64_t now) {
    int64_t since = now - wave->start;
    return since < wave->period ? 0 : since / wave->period * wave->period;
}

wpin_cursor wpin_cursor_at(const wpin_wave *wave, int64_t now) {
    if (!wave->pwm) {
        return (wpin_cursor){.level = wave->level, .edge = WPIN_WAVE_NEVER};
    }
    int64_t on = periods_on(wave, now);
    wpin_cursor c = {.start = wave->start + on,
                     .period = wave->period,
                     .window = on == 0 ? wave->current : wave->next,
                     .next = wave->next,
                     .low_inside = wave->low_inside};
    look(&c, now);
    return c;
}

void wpin_cursor_pass(wpin_cursor *c) {
    int64_t now = c->edge;
    if (now - c->start >= c->period) {
        c->start += c->period;
        c->window = c->next;
    }
    look(c, now);
}

void wpin_cursor_jump(wpin_cursor *c) {
    c->start += c->period;
    c->window = c->next;
    look(c, c->start);
}

void wpin_wave_settle(wpin_wave *wave, int64_t now) {
    int64_t on = wave->pwm ? periods_on(wave, now) : 0;
    if (on != 0) {
        wave->start += on;
        wave->current = wave->next;
    }
}
