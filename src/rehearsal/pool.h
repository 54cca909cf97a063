/* Many independent runs on all processors. */
#ifndef WPIN_REHEARSAL_POOL_H
#define WPIN_REHEARSAL_POOL_H

#include <stdbool.h>
#include <stddef.h>

/* Does one of the runs, with nothing shared but what it only reads; false ends them all. */
typedef bool (*wpin_pool_one)(void *context, size_t i);

/* Does each of `count` once, in any order. `progress` may be NULL; it is called from this thread
 * only. False: one of them was false. */
bool wpin_pool_run(size_t count, wpin_pool_one one, void *context,
                   void (*progress)(void *context, double done, double of), void *for_progress);

#endif
