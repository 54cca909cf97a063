/* A bridge on steady PWM: its coming periods as one pattern, so that the motor can leap over them.
 */
#include "board.h"

static void show(unsigned *levels, const wpin_bridge *bridge, int input, wpin_level level) {
    unsigned bit = 1U << input;
    *levels =
        (*levels & ~bit) | (((unsigned)(level == WPIN_HIGH) << input) ^ (bridge->inverts & bit));
}

/* Whether all moving inputs have one period, and those whose duty changes with it begin here; sets
 * whether none changes. */
static bool in_step(const wpin_bridge *bridge, int64_t at, bool *steady) {
    int64_t period = bridge->cursors[bridge->moving[0]].period;
    *steady = true;
    for (int m = 0; m < bridge->moving_count; m++) {
        const wpin_cursor *c = &bridge->cursors[bridge->moving[m]];
        *steady = *steady && wpin_cursor_repeats(c);
        if (c->period != period || (!wpin_cursor_repeats(c) && c->start != at)) {
            return false;
        }
    }
    return true;
}

/* The coming period as a pattern; false if it makes none. */
static bool find_pattern(const wpin_bridge *bridge, const wpin_plant *plant, int64_t at,
                         int64_t end, wpin_pattern *pattern) {
    wpin_cursor cursors[WPIN_DRIVER_INPUTS];
    for (int m = 0; m < bridge->moving_count; m++) {
        cursors[m] = bridge->cursors[bridge->moving[m]];
    }
    unsigned levels = bridge->levels;
    int way = wpin_plant_way(plant, bridge->legs[levels].a, bridge->legs[levels].b);
    pattern->count = 0;
    for (int64_t from = at; from < end;) {
        int64_t to = end;
        for (int m = 0; m < bridge->moving_count; m++) {
            to = cursors[m].edge < to ? cursors[m].edge : to;
        }
        const wpin_legs *legs = &bridge->legs[levels];
        int number = wpin_plant_number(plant, legs->a, legs->b, way);
        if (!wpin_pattern_add(pattern, number, to - from, plant->piece_max)) {
            return false;
        }
        for (int m = 0; m < bridge->moving_count && to < end; m++) {
            if (cursors[m].edge == to) {
                wpin_cursor_pass(&cursors[m]);
                show(&levels, bridge, bridge->moving[m], cursors[m].level);
            }
        }
        from = to;
    }
    return true;
}

/* Takes a moving input along over so many periods. */
static void take_along(wpin_bridge *bridge, wpin_cursor *c, int input, int periods) {
    if (wpin_cursor_repeats(c)) {
        wpin_cursor_skip(c, periods);
    } else {
        wpin_cursor_jump(c);
        show(&bridge->levels, bridge, input, c->level);
    }
}

bool wpin_bridge_can_leap(const wpin_bridge *bridge, const wpin_plant *plant) {
    return bridge->plain && !bridge->delicate && plant->kind == WPIN_PLANT_MOTOR &&
           plant->feed.most_amps <= 0 && !wpin_logic_of(bridge->part.logic)->own;
}

/* The pattern is still that of the period before: the current flows the same way, and the shaft
 * stands or turns as it did. */
static bool goes_on(const wpin_bridge *bridge, const wpin_plant *plant) {
    const wpin_legs *legs = &bridge->legs[bridge->levels];
    int way = wpin_plant_way(plant, legs->a, legs->b);
    return wpin_plant_number(plant, legs->a, legs->b, way) == bridge->pattern.number[0];
}

int64_t wpin_bridge_leap(wpin_bridge *bridge, wpin_plant *plant, int64_t at, int64_t until) {
    int64_t period = bridge->cursors[bridge->moving[0]].period;
    bool steady = bridge->repeats && goes_on(bridge, plant);
    if (at + period > until) {
        return at;
    }
    if (!steady && (!in_step(bridge, at, &steady) ||
                    !find_pattern(bridge, plant, at, at + period, &bridge->pattern))) {
        bridge->repeats = false;
        return at;
    }
    bridge->repeats = steady;
    int64_t most = steady ? (until - at) / period : 1;
    int periods = plant->amps == 0 ? wpin_plant_gaps(plant, &bridge->pattern, most)
                                   : wpin_plant_leap(plant, &bridge->pattern, most);
    if (periods == 0) {
        return at;
    }
    for (int m = 0; m < bridge->moving_count; m++) {
        int input = bridge->moving[m];
        take_along(bridge, &bridge->cursors[input], input, periods);
    }
    bridge->shown = bridge->legs[bridge->levels];
    plant->leg_a = bridge->shown.a;
    plant->leg_b = bridge->shown.b;
    return at + periods * period;
}
