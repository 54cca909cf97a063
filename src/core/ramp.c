/* Slew limit and ramp. */
#include "windpin/ramp.h"
#include "share.h"
#include "windpin/impl/steady.h"

uint32_t wpin_slew_step(uint32_t value, uint32_t target, wpin_slew limit, uint16_t dt_us) {
    return wpin_steady_step(value, target, limit, dt_us);
}

/* distance x 2^24 / limit, bit by bit: 38 bits have no place in 32. */
uint32_t wpin_slew_time(wpin_slew limit, uint16_t distance) {
    if (limit == 0) {
        return WPIN_RAMP_MAX_US;
    }
    uint32_t rest = distance % limit, time = distance / limit;
    for (uint8_t bit = 0; bit < 24; bit++) {
        bool carry = (rest >> 31) != 0;
        rest <<= 1;
        time <<= 1;
        if (carry || rest >= limit) {
            rest -= limit;
            time |= 1U;
        }
    }
    return time < WPIN_RAMP_MAX_US ? time : WPIN_RAMP_MAX_US;
}

uint16_t wpin_share_of(uint32_t divisor) {
    uint32_t rest = (uint32_t)1 << 31;
    uint16_t share = 0;
    for (uint8_t bit = 0; bit < 16; bit++) {
        bool carry = (rest >> 31) != 0;
        rest <<= 1;
        share = (uint16_t)(share << 1);
        if (carry || rest >= divisor) {
            rest -= divisor;
            share |= 1U;
        }
    }
    return divisor == (uint32_t)1 << 31 ? 0xFFFF : share;
}

wpin_ramp_time wpin_ramp_time_of(uint32_t us) {
    wpin_ramp_time time = {.us = us > WPIN_RAMP_MAX_US ? WPIN_RAMP_MAX_US : us};
    if (time.us == 0) {
        return time;
    }
    uint32_t scaled = time.us;
    time.shift = 16; /* so that the upper half of the scaled time is time >> shift */
    while ((scaled >> 31) == 0) {
        scaled <<= 1;
        time.shift--;
    }
    time.share = wpin_share_of(scaled);
    return time;
}

/* Of wpin_ramp.shift, which is less than half of it: it was just started. */
#define FRESH 64

void wpin_ramp_start(wpin_ramp *ramp, wpin_duty from, const wpin_ramp_time *time) {
    ramp->left_us = time->us;
    ramp->share = time->share;
    ramp->shift = (int8_t)(time->shift + FRESH);
    ramp->from = from;
}

/* The share of its time a ramp still has, in 1/65536; 65535 also for all of it. */
static uint16_t share_left(const wpin_ramp *ramp) {
    uint32_t left = ramp->left_us;
    int8_t shift = ramp->shift;
    if (shift >= 8) {
        left >>= 8;
        shift = (int8_t)(shift - 8);
    }
    for (; shift > 0; shift--) {
        left >>= 1;
    }
    for (; shift < 0; shift++) {
        left <<= 1;
    }
    uint32_t share = wpin_steady_product((uint16_t)left, ramp->share);
    return (share >> 31) != 0 ? UINT16_MAX : (uint16_t)(share << 1 >> 16);
}

/* x of 65536 bent to an S: x x (3 - 2 x). */
static uint16_t bend(uint16_t x) {
    uint16_t square = (uint16_t)(wpin_steady_product(x, x) >> 16);
    uint16_t cube = (uint16_t)(wpin_steady_product(square, x) >> 16);
    uint32_t bent = 3 * (uint32_t)square - 2 * (uint32_t)cube;
    return bent > UINT16_MAX ? UINT16_MAX : (uint16_t)bent;
}

wpin_duty wpin_ramp_step(wpin_ramp *ramp, wpin_duty target, bool smooth, uint32_t dt_us) {
    if (ramp->left_us <= dt_us) {
        wpin_ramp_end(ramp);
        return target;
    }
    ramp->left_us -= dt_us;
    if (ramp->shift >= FRESH / 2) {
        ramp->shift = (int8_t)(ramp->shift - FRESH);
        return ramp->from;
    }
    uint16_t left = share_left(ramp);
    if (left == UINT16_MAX) {
        return ramp->from;
    }
    if (smooth) {
        left = bend(left);
    }
    bool up = ramp->from < target;
    uint16_t size = up ? (uint16_t)((uint16_t)target - (uint16_t)ramp->from)
                       : (uint16_t)((uint16_t)ramp->from - (uint16_t)target);
    uint16_t part = (uint16_t)(wpin_steady_product(size, left) >> 16);
    return (wpin_duty)(up ? (uint16_t)target - part : (uint16_t)target + part);
}
