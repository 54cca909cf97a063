/* Straight lines on the clock. By rate the line runs on to the rail (zero or full) and the value
 * stops at the target on its way, so that moving the target along does not restart the line and
 * nothing is lost to rounding however often it moves. */
#include "windpin/ramp.h"

#define FULL ((uint16_t)WPIN_DUTY_FULL)

/* Time for `distance` at a slew of `full_us` for the full scale: distance x full_us / 16384,
 * in two halves that fit 32 bits. Never 0, so a line always takes some time. */
static uint32_t slew_time(uint16_t distance, uint32_t full_us) {
    uint32_t time = distance * (full_us >> 14) + ((distance * (full_us & 0x3FFF)) >> 14);
    return time != 0 ? time : 1;
}

static uint16_t distance(uint16_t from, uint16_t to) {
    return (uint16_t)(from < to ? to - from : from - to);
}

static void lay_line(wpin_ramp *ramp, uint16_t end, uint32_t total_us, wpin_moment now) {
    ramp->start = now;
    ramp->from = ramp->value;
    ramp->end = end;
    ramp->total_us = total_us;
    ramp->shift = 0;
    while ((total_us >> ramp->shift) > 0xFFFF) {
        ramp->shift++;
    }
}

bool wpin_ramp_init(wpin_ramp *ramp, uint32_t up_us, uint32_t down_us) {
    if (up_us == 0 || up_us > WPIN_RAMP_MAX_US || down_us == 0 || down_us > WPIN_RAMP_MAX_US) {
        return false;
    }
    *ramp = (wpin_ramp){.up_us = up_us, .down_us = down_us};
    return true;
}

void wpin_ramp_reset(wpin_ramp *ramp) {
    ramp->value = 0;
    ramp->target = 0;
    ramp->by_rate = false;
}

static void note_slew(wpin_ramp *ramp, uint32_t time_us, uint32_t least) {
    if (time_us != 0 && time_us < least && ramp->slew_held < 255) {
        ramp->slew_held++;
    }
}

/* The share of a line that is done, in 1/32768, bent to an S: x x (3 - 2 x). */
static uint32_t bend(uint32_t x) {
    return ((x * x) >> 15) * (3 * 32768U - 2 * x) >> 15;
}

void wpin_ramp_to(wpin_ramp *ramp, uint16_t target, uint32_t time_us, wpin_moment now) {
    if (target > FULL) {
        target = FULL;
    }
    wpin_ramp_step(ramp, now);
    bool up = target > ramp->value;
    bool moving = !wpin_ramp_done(ramp);
    bool was_up = ramp->target > ramp->value;
    uint32_t full_us = up ? ramp->up_us : ramp->down_us;
    ramp->target = target;
    if (target == ramp->value) {
        return;
    }
    ramp->bent = ramp->smooth && !moving;
    if (ramp->bent) {
        uint32_t straight = slew_time(distance(ramp->value, target), full_us);
        uint32_t least = straight + straight / 2; /* an S is half as steep again in its middle */
        note_slew(ramp, time_us, least);
        lay_line(ramp, target, time_us < least ? least : time_us, now);
        ramp->by_rate = false;
        return;
    }
    if (time_us == 0) {
        if (!moving || !ramp->by_rate || was_up != up) {
            uint16_t rail = up ? FULL : 0;
            lay_line(ramp, rail, slew_time(distance(ramp->value, rail), full_us), now);
        }
        ramp->by_rate = true;
        return;
    }
    uint32_t least = slew_time(distance(ramp->value, target), full_us);
    note_slew(ramp, time_us, least);
    lay_line(ramp, target, time_us < least ? least : time_us, now);
    ramp->by_rate = false;
}

uint16_t wpin_ramp_step(wpin_ramp *ramp, wpin_moment now) {
    if (wpin_ramp_done(ramp)) {
        return ramp->value;
    }
    uint32_t elapsed = now - ramp->start;
    uint16_t moved = distance(ramp->from, ramp->end);
    if (elapsed < ramp->total_us) {
        uint32_t total = ramp->total_us >> ramp->shift;
        uint16_t whole = moved;
        uint32_t part = elapsed >> ramp->shift;
        moved = (uint16_t)(ramp->bent ? ((uint32_t)moved * bend((part << 15) / total)) >> 15
                                      : (uint32_t)moved * part / total);
        moved = moved < whole ? moved : (uint16_t)(whole - 1); /* not before its time */
    }
    uint16_t to_target = distance(ramp->from, ramp->target);
    if (moved > to_target) {
        moved = to_target;
    }
    ramp->value = (uint16_t)(ramp->end > ramp->from ? ramp->from + moved : ramp->from - moved);
    return ramp->value;
}

bool wpin_ramp_done(const wpin_ramp *ramp) {
    return ramp->value == ramp->target;
}
