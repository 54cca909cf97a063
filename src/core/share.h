/* Shares: what is divided by once, so that the tick need not divide. */
#ifndef WPIN_CORE_SHARE_H
#define WPIN_CORE_SHARE_H

#include <stdint.h>

/* 2^47 / divisor in 16 bits, for a divisor with its top bit set: a long division, bit by bit, as
 * 8-bit controllers have no better one. Init and requests. */
uint16_t wpin_share_of(uint32_t divisor);

#endif
