/* Functions off the steady path of a tick: kept out of it, so that what runs every time stays short
 * and needs few registers on an 8-bit controller. */
#ifndef WPIN_CORE_RARE_H
#define WPIN_CORE_RARE_H

#define WPIN_RARE __attribute__((noinline, cold))

#endif
