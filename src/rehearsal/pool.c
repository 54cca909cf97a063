/* Many independent runs on all processors: each thread takes the next one. */
#include "pool.h"
#include <pthread.h>
#include <stdatomic.h>
#include <unistd.h>

enum { HELPERS = 63 };

typedef struct pool {
    size_t count;
    wpin_pool_one one;
    void *context;
    atomic_size_t next, done;
    atomic_bool failed;
} pool;

/* Whether there was one left to do. */
static bool take(pool *p) {
    size_t i = atomic_fetch_add(&p->next, 1);
    if (p->failed || i >= p->count) {
        return false;
    }
    if (!p->one(p->context, i)) {
        p->failed = true;
    }
    atomic_fetch_add(&p->done, 1);
    return true;
}

static void *work(void *context) {
    while (take(context)) {
    }
    return NULL;
}

bool wpin_pool_run(size_t count, wpin_pool_one one, void *context,
                   void (*progress)(void *context, double done, double of), void *for_progress) {
    pool p = {.count = count, .one = one, .context = context};
    pthread_t threads[HELPERS];
    long processors = sysconf(_SC_NPROCESSORS_ONLN);
    int helpers = 0;
    while (helpers < HELPERS && helpers + 1 < processors &&
           pthread_create(&threads[helpers], NULL, work, &p) == 0) {
        helpers++;
    }
    while (take(&p)) { /* this thread works too, and tells how far they all are */
        if (progress != NULL) {
            progress(for_progress, (double)p.done, (double)count);
        }
    }
    for (int i = 0; i < helpers; i++) {
        pthread_join(threads[i], NULL);
    }
    return !p.failed;
}
