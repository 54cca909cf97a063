/** @file regulate.h
 * Not for direct use: what regulators share.
 */
#ifndef WINDPIN_IMPL_REGULATE_H
#define WINDPIN_IMPL_REGULATE_H

#include "../guard.h"
#include "../regulator.h"
#include "inline.h"
#include "sums.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Gains have 15 bits: products with 16 bits, and their sum with an integral, fit 32. */
WPIN_STEADY int16_t wpin_gain(uint16_t gain) {
    return (int16_t)(gain > INT16_MAX ? INT16_MAX : gain);
}

/* What limits an effort for longer; and a slew so far behind that it does so too. Where the effort
 * only lags a little behind a noisy actual, both ways alike, the integral goes on. */
WPIN_STEADY bool wpin_is_limited(wpin_duty asked, const wpin_given *given) {
    const uint8_t limits = WPIN_HELD_CAP | WPIN_HELD_FIRST | WPIN_HELD_LIMIT | WPIN_HELD_CURRENT |
                           WPIN_HELD_MINIMUM | WPIN_HELD_REVERSAL;
    int32_t off = (int32_t)asked - given->effort, far = WPIN_DUTY_FULL / 8;
    bool lags = (given->held & WPIN_HELD_SLEW) != 0 && (off > far || off < -far);
    return lags || (given->held & limits) != 0;
}

#ifdef __cplusplus
}
#endif
#endif
