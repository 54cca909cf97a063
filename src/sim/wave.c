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

wpin_cursor wpin_cursor_at(const wpin_wave *wave, int64_t now) {
    wpin_cursor c = {.level = wave->level, .edge = WPIN_WAVE_NEVER};
    if (wave->pwm) {
        wpin_wave here = *wave;
        wpin_wave_settle(&here, now);
        c = (wpin_cursor){.start = here.start,
                          .period = here.period,
                          .window = here.current,
                          .next = here.next,
                          .low_inside = here.low_inside};
        look(&c, now);
    }
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
    if (wave->pwm && now - wave->start >= wave->period) {
        wave->start += (now - wave->start) / wave->period * wave->period;
        wave->current = wave->next;
    }
}
