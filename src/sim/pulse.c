/* A controller of its own that takes servo-style pulses: it drives by their width once it has seen
 * neutral, stops when they stay away for 0.1 s, and takes its range from what it sees when it is
 * powered up to full.
 */
#include "board.h"
#include <math.h>

#define PS_PER_S      1e12
#define STEADY_PULSES 40 /* of one width: meant */

static double neutral_of(const wpin_part_driver *part) {
    return part->pulse_zero > 0 ? part->pulse_zero : 1.5e-3;
}

static double swing_of(const wpin_part_driver *part) {
    return part->pulse_swing > 0 ? part->pulse_swing : 0.5e-3;
}

/* Powered up to pulses near full it does not drive but is calibrated: first full, then neutral. */
static bool calibrates(wpin_sim *sim, wpin_bridge *bridge, double width, int64_t at) {
    wpin_part_driver *part = &bridge->part;
    bool same = fabs(width - bridge->same_width) < 10e-6;
    bridge->same_pulses = same ? bridge->same_pulses + 1 : 0;
    bridge->same_width = same ? bridge->same_width : width;
    bridge->fresh = bridge->fresh && width > neutral_of(part) + 0.6 * swing_of(part);
    bool steady = bridge->same_pulses >= STEADY_PULSES;
    if (bridge->fresh && steady) {
        bridge->fresh = false;
        bridge->full_width = width;
        wpin_board_note(sim, at, bridge->name, "being calibrated: %.4g us is full", width * 1e6);
    } else if (bridge->full_width > 0 && steady && width < bridge->full_width - 0.1e-3) {
        part->pulse_zero = width;
        part->pulse_swing = bridge->full_width - width;
        bridge->full_width = 0;
        wpin_board_note(sim, at, bridge->name, "calibrated: %.4g us is neutral, %.4g us more full",
                        part->pulse_zero * 1e6, part->pulse_swing * 1e6);
    }
    return bridge->full_width > 0 || bridge->fresh;
}

/* It drives only after it has seen neutral for 20 pulses, with a dead band of 2 % each way. */
static double effort_of(wpin_sim *sim, wpin_bridge *bridge, double width, int64_t at) {
    double neutral_at = neutral_of(&bridge->part);
    double effort = (width - neutral_at) / swing_of(&bridge->part);
    bool neutral = fabs(effort) < 0.02;
    bridge->neutral_pulses = neutral ? bridge->neutral_pulses + 1 : bridge->neutral_pulses;
    bool drives = !neutral && bridge->neutral_pulses >= 20;
    bridge->other_pulses = neutral || drives ? 0 : bridge->other_pulses + 1;
    if (bridge->other_pulses == 50) {
        wpin_board_note(sim, at, bridge->name,
                        "does nothing: it waits for neutral, pulses of %.4g us, and gets %.4g us",
                        neutral_at * 1e6, width * 1e6);
    }
    return drives ? fmin(fmax(effort, -1), 1) : 0;
}

static void take_pulse(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, int64_t rise,
                       int64_t fall) {
    double width = (double)(fall - rise) * 1e-12;
    double effort = calibrates(sim, bridge, width, fall) ? 0 : effort_of(sim, bridge, width, fall);
    bridge->last_pulse = fall;
    plant->leg_a = effort > 0 ? WPIN_LEG_HIGH : WPIN_LEG_LOW;
    plant->leg_b = effort < 0 ? WPIN_LEG_HIGH : WPIN_LEG_LOW;
    if (plant->feed.share != fabs(effort)) { /* the supply's resistance counts with its square */
        plant->feed.share = fabs(effort);
        wpin_plant_prepare(plant);
    }
}

void wpin_pulses_watch(wpin_sim *sim, wpin_bridge *bridge, wpin_plant *plant, bool was_high,
                       int64_t at) {
    bool high = (bridge->levels & 1U) != 0;
    bool rises = bridge->alive && !was_high && high;
    bool falls = bridge->alive && was_high && !high;
    bool silent = at - bridge->last_pulse > (int64_t)(0.1 * PS_PER_S);
    if (rises) {
        bridge->pulse_rise = at;
    } else if (falls && bridge->pulse_rise > 0) {
        take_pulse(sim, bridge, plant, bridge->pulse_rise, at);
    } else if (!bridge->alive || silent) {
        plant->leg_a = plant->leg_b = WPIN_LEG_OFF;
        bridge->neutral_pulses = bridge->same_pulses = 0;
        bridge->full_width = 0;
        bridge->fresh = !bridge->alive;
    }
    if (!bridge->alive) { /* powered up, it waits for a whole pulse, and its silence begins */
        bridge->pulse_rise = 0;
        bridge->last_pulse = at;
    }
}
