/** @file sums.h
 * Not for direct use: sums that saturate, and shifts and products that cost an 8-bit controller
 * little.
 */
#ifndef WINDPIN_IMPL_SUMS_H
#define WINDPIN_IMPL_SUMS_H

#include "inline.h"
#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

WPIN_STEADY uint16_t wpin_steady_size(int16_t value) {
    return (uint16_t)(value < 0 ? 0U - (uint16_t)value : (uint16_t)value);
}

/* a - b, as far as 16 bits go. */
WPIN_STEADY int16_t wpin_steady_minus(int16_t a, int16_t b) {
    uint16_t d = (uint16_t)((uint16_t)a - (uint16_t)b);
    bool over = (int16_t)(((uint16_t)a ^ (uint16_t)b) & ((uint16_t)a ^ d)) < 0;
    return over ? (a < 0 ? INT16_MIN : INT16_MAX) : (int16_t)d;
}

/* a + b, as far as 32 bits go; the signs tell. */
WPIN_STEADY int32_t wpin_steady_sum(int32_t a, int32_t b) {
    uint32_t s = (uint32_t)a + (uint32_t)b;
    uint8_t of_a = (uint8_t)((uint32_t)a >> 24), of_b = (uint8_t)((uint32_t)b >> 24);
    uint8_t of_s = (uint8_t)(s >> 24);
    bool over = ((of_a ^ of_s) & (of_b ^ of_s) & 0x80) != 0;
    return over ? (a < 0 ? INT32_MIN : INT32_MAX) : (int32_t)s;
}

WPIN_STEADY int32_t wpin_within(int32_t value, int32_t most) {
    return value > most ? most : (value < -most ? -most : value);
}

/* Divided by 65536, rounded down: the upper half, as an 8-bit controller shifts bit by bit. */
WPIN_STEADY int16_t wpin_upper(int32_t value) {
    return (int16_t)(uint16_t)((uint32_t)value >> 16);
}

/* Divided by 2^n, rounded down: compilers shift the sign in, as they say themselves. */
WPIN_STEADY int32_t wpin_halved(int32_t value, uint8_t n) {
    return value >> n;
}

/* Both factors of 16 bits, so that an 8-bit controller multiplies no more than these: one is hidden
 * from the compiler, which would widen it to 32 bits before. */
#if defined(__AVR__)
#define WPIN_HIDE(value) __asm__("" : "+r"(value))
#else
#define WPIN_HIDE(value) ((void)(value))
#endif

WPIN_STEADY uint32_t wpin_steady_product(uint16_t a, uint16_t b) {
    WPIN_HIDE(b);
    return (uint32_t)a * b;
}

WPIN_STEADY int32_t wpin_steady_times(int16_t a, uint16_t b) {
    WPIN_HIDE(b);
    return a * (int32_t)b;
}

#ifdef __cplusplus
}
#endif
#endif
