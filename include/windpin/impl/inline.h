/** @file inline.h
 * Not for direct use: how the steady path of a tick is inlined.
 */
#ifndef WINDPIN_IMPL_INLINE_H
#define WINDPIN_IMPL_INLINE_H

#define WPIN_STEADY static inline __attribute__((always_inline))

#endif
