/* A brushless motor's bridge along the edges of its inputs: what its legs do until the end of the
 * stretch as steps, so that the motor can walk along them without a look at the bridge at each. */
#include "board.h"
#include "phases.h"
#include <limits.h>

#define STEPS 24

/* The next edge of an input. */
typedef struct coming {
    int64_t edge;
    int input;
} coming;

/* The bridge after those steps. */
typedef struct ahead {
    wpin_step steps[STEPS];
    int count;
    int64_t at; /* there */
    wpin_cursor inputs[WPIN_DRIVER_INPUTS];
    coming next[WPIN_DRIVER_INPUTS + 1]; /* of those that move, by time; after them never */
    unsigned levels;
    wpin_legs legs;
    wpin_leg_watch watch;
} ahead;

/* Puts an input among those behind place p by its edge. */
static void sort_in(ahead *a, int p, int input) {
    const int64_t edge = a->inputs[input].edge;
    for (; a->next[p + 1].edge < edge; p++) {
        a->next[p] = a->next[p + 1];
    }
    a->next[p] = (coming){edge, input};
}

/* Its bit of the levels. */
static unsigned shown_by(const wpin_bridge *bridge, int input, wpin_level level) {
    return ((unsigned)(level == WPIN_HIGH) << input) ^ (bridge->inverts & 1U << input);
}

/* Goes over the edges at this moment. */
static void pass_edges(const wpin_bridge *bridge, ahead *a) {
    while (a->next[0].edge == a->at) {
        int i = a->next[0].input;
        wpin_cursor *c = &a->inputs[i];
        wpin_cursor_pass(c);
        a->levels = (a->levels & ~(1U << i)) | shown_by(bridge, i, c->level);
        sort_in(a, 0, i);
    }
}

/* An edge right at the begin makes none. */
static void add_step(ahead *a, int64_t dt) {
    a->steps[a->count] = (wpin_step){{a->legs.a, a->legs.b, a->legs.c}, dt};
    a->count += dt > 0;
}

static bool shorts(const wpin_bridge *bridge, ahead *a, int leg, wpin_leg_state now,
                   wpin_leg_state next) {
    return now != next && wpin_leg_shorts(bridge, &a->watch, leg, now, next, a->at);
}

/* Takes the legs over to what the levels ask for; false if that burns it. */
static bool change_legs(const wpin_bridge *bridge, ahead *a) {
    wpin_legs next = bridge->legs[a->levels], now = a->legs;
    a->legs = next;
    return !bridge->delicate ||
           !(shorts(bridge, a, 0, now.a, next.a) || shorts(bridge, a, 1, now.b, next.b) ||
             shorts(bridge, a, 2, now.c, next.c));
}

/* From here to a moment, or to where there are too many steps, or the legs would burn it. */
static void look_ahead(const wpin_bridge *bridge, int64_t at, int64_t until, ahead *a) {
    a->count = 0;
    a->at = at;
    a->levels = bridge->levels;
    a->legs = bridge->shown;
    a->watch = bridge->watch;
    a->next[bridge->moving_count] = (coming){INT64_MAX, 0};
    for (int m = bridge->moving_count - 1; m >= 0; m--) {
        a->inputs[bridge->moving[m]] = bridge->cursors[bridge->moving[m]];
        sort_in(a, m, bridge->moving[m]);
    }
    while (a->at < until && a->count < STEPS) {
        int64_t to = a->next[0].edge < until ? a->next[0].edge : until;
        add_step(a, to - a->at);
        a->at = to;
        if (to < until) {
            pass_edges(bridge, a);
            if (!change_legs(bridge, a)) {
                look_ahead(bridge, at, to, a);
                return;
            }
        }
    }
}

bool wpin_bridge_can_walk(const wpin_bridge *bridge) {
    return bridge->plain && bridge->event_count == 0 && !wpin_logic_of(bridge->part.logic)->own;
}

/* Levels after the edges at the end of those steps. */
static unsigned levels_on(const wpin_bridge *bridge, const ahead *a) {
    unsigned levels = a->levels;
    for (int m = 0; m < bridge->moving_count; m++) {
        const int i = bridge->moving[m];
        wpin_cursor c = a->inputs[i];
        if (c.edge == a->at) {
            wpin_cursor_pass(&c);
            levels = (levels & ~(1U << i)) | shown_by(bridge, i, c.level);
        }
    }
    return levels;
}

/* Whether a whole period lies ahead, and those after it are like it. */
static bool repeats(const wpin_bridge *bridge, const ahead *a, int64_t at, int64_t period) {
    bool same = bridge->cursors[bridge->moving[0]].start == at && a->at == at + period;
    for (int m = 0; m < bridge->moving_count && same; m++) {
        const wpin_cursor *c = &bridge->cursors[bridge->moving[m]];
        same = c->period == period && wpin_cursor_repeats(c);
    }
    return same && levels_on(bridge, a) == bridge->levels;
}

/* The bridge so many ps on, over like periods, of which the first was looked at. */
static void go_on(wpin_bridge *bridge, int64_t at, int64_t gone, int64_t period, ahead *a) {
    const int64_t whole = period > 0 ? (gone - 1) / period : 0; /* before the last */
    if (at + gone == a->at) {
        return;
    }
    for (int m = 0; m < bridge->moving_count; m++) {
        wpin_cursor_skip(&bridge->cursors[bridge->moving[m]], whole);
    }
    look_ahead(bridge, at + whole * period, at + gone, a);
}

/* The bridge as it is after those steps. */
static void arrive(wpin_bridge *bridge, wpin_plant *plant, const ahead *a) {
    for (int m = 0; m < bridge->moving_count; m++) {
        bridge->cursors[bridge->moving[m]] = a->inputs[bridge->moving[m]];
    }
    bridge->levels = a->levels;
    bridge->watch = a->watch;
    bridge->shown = a->legs;
    plant->leg_a = a->legs.a;
    plant->leg_b = a->legs.b;
    plant->leg_c = a->legs.c;
}

int64_t wpin_bridge_walk(wpin_bridge *bridge, wpin_plant *plant, int64_t at, int64_t until) {
    ahead a;
    int64_t period = 0, end = until;
    if (bridge->moving_count > 0) { /* not past a period: what happens until then is not known */
        const wpin_cursor *c = &bridge->cursors[bridge->moving[0]];
        const int64_t next = c->start + c->period;
        end = next < until && next > at ? next : until;
        period = c->period;
    }
    look_ahead(bridge, at, end, &a);
    int64_t gone = 0;
    int times = 1;
    if (period > 0 && repeats(bridge, &a, at, period)) {
        const int64_t most = (until - at) / period;
        times = most < INT_MAX ? (int)most : INT_MAX;
        gone = period * wpin_brushless_leap(plant, a.steps, a.count, most);
    }
    gone = gone > 0 ? gone : wpin_brushless_walk(plant, a.steps, a.count, times);
    if (gone == 0) {
        return at;
    }
    go_on(bridge, at, gone, period, &a);
    arrive(bridge, plant, &a);
    return a.at;
}
