/** @file units.h
 * The few quantities the core speaks, each with one meaning.
 */
#ifndef WINDPIN_UNITS_H
#define WINDPIN_UNITS_H

#include "api.h"
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Duty or effort as a signed fraction: WPIN_DUTY_FULL is 100 % forward, its negative 100 %
 * reverse. The full scale is a power of two, so a half, a quarter and an eighth are exact. */
typedef int16_t wpin_duty;

/** 100 %. */
#define WPIN_DUTY_FULL ((wpin_duty)16384)

/** A constant duty from whole percent, -100 to 100, rounded to the nearest step of 1/16384. */
#define WPIN_PERCENT(percent)                                                                      \
    ((wpin_duty)(((int32_t)(percent)*16384 + ((percent) < 0 ? -50 : 50)) / 100))

/** A duty from a value of another scale, exactly: full is what 100 % is there (255 of eight bits,
 * 1023 of a converter's counts, 127 of a stick, 100 of percent), 1 to 65535; value from -full to
 * full, outside it is taken as the nearest end, never wrapped. Rounded to the nearest step. Any
 * context. */
WPIN_API wpin_duty wpin_duty_from(int32_t value, uint16_t full);

/** The other way round: a duty as a value of a scale, rounded to nearest. For scales up to 16384
 * wpin_duty_to(wpin_duty_from(value, full), full) is value again. Any context. */
WPIN_API int32_t wpin_duty_to(wpin_duty duty, uint16_t full);

/** A moment on the port's clock in microseconds. It wraps after 71.6 minutes: only differences
 * (later - earlier, unsigned) mean anything, and only below WPIN_SPAN_MAX. */
typedef uint32_t wpin_moment;

/** The longest difference between two moments that is told apart from a wrap: 35.7 minutes. */
#define WPIN_SPAN_MAX ((uint32_t)0x7FFFFFFF)

#ifdef __cplusplus
}
#endif
#endif
