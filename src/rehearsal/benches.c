/* Benches that are not what the rig says, one or many of them. */
#include "changed_rig.h"
#include "pool.h"
#include "windpin/host/response.h"
#include <math.h>
#include <stdlib.h>

/* ---- one ---- */

/* Evenly spread from 1 - spread to 1 + spread; Park and Miller's generator. */
static double factor(uint32_t *seed, double spread) {
    *seed = (uint32_t)((uint64_t)*seed * 48271U % 2147483647U);
    return 1 + spread * (2.0 * *seed / 2147483647.0 - 1);
}

static void vary(wpin_part_motor *m, double spread, unsigned seed, bool load_too) {
    uint32_t state = seed * 7919U + 12345U;
    double *own[] = {&m->resistance,   &m->inductance,       &m->constant,       &m->inertia,
                     &m->dry_friction, &m->viscous_friction, &m->static_friction};
    double *load[] = {&m->load_torque, &m->load_viscous, &m->load_quadratic, &m->load_inertia};
    for (int i = 0; i < 8; i++) {
        factor(&state, 0); /* seeds that are near are soon far apart */
    }
    for (size_t i = 0; i < sizeof own / sizeof *own; i++) {
        *own[i] *= factor(&state, spread);
    }
    m->static_friction = fmax(m->static_friction, 1.02 * m->dry_friction);
    for (size_t i = 0; load_too && i < sizeof load / sizeof *load; i++) {
        *load[i] *= factor(&state, spread);
    }
}

static wpin_rig *copy_of(const wpin_rig *rig) {
    wpin_rig *bench = malloc(sizeof *bench);
    if (bench == NULL || !wpin_rig_copy_loads(bench, rig)) {
        free(bench);
        return NULL;
    }
    return bench;
}

wpin_rig *wpin_bench_vary(const wpin_rig *rig, int load, double spread, unsigned seed,
                          bool load_too) {
    wpin_rig *bench = copy_of(rig);
    if (bench != NULL) {
        vary(&bench->loads[load].motor, spread, seed, load_too);
    }
    return bench;
}

/* Each load by seeds that are far from those of the others: the next seed is another bench. */
wpin_rig *wpin_bench_vary_all(const wpin_rig *rig, double spread, unsigned seed) {
    wpin_rig *bench = copy_of(rig);
    for (size_t i = 0; bench != NULL && i < rig->load_count; i++) {
        vary(&bench->loads[i].motor, spread, seed + 1000003U * (unsigned)i, true);
    }
    return bench;
}

void wpin_bench_free(wpin_rig *bench) {
    if (bench != NULL) {
        wpin_rig_free_loads(bench);
        free(bench);
    }
}

/* ---- many ---- */

typedef struct sweep {
    const wpin_rig *rig;
    int load;
    const wpin_response_test *test;
    double spread;
    unsigned seed;
    wpin_response_bench *benches;
} sweep;

/* False: out of memory. */
static bool try_bench(void *context, size_t i) {
    sweep *s = context;
    wpin_response_bench *b = &s->benches[i];
    *b = (wpin_response_bench){.seed = s->seed + (unsigned)i};
    wpin_rig *bench = wpin_bench_vary(s->rig, s->load, s->spread, b->seed, true);
    if (bench == NULL) {
        return false;
    }
    wpin_response r;
    char why[300];
    b->ran = wpin_respond(s->rig, bench, s->load, s->test, &r, why, sizeof why);
    if (b->ran) {
        b->figures = r.happened;
        b->holds = wpin_response_holds(&r.predicted, &r.happened, s->rig->controller.tick);
    }
    wpin_response_free(&r);
    wpin_bench_free(bench);
    return true;
}

bool wpin_respond_spread(const wpin_rig *rig, int load, const wpin_response_test *test,
                         double spread, unsigned seed, wpin_response_bench *benches, size_t count,
                         void (*progress)(void *context, double done, double of), void *context) {
    sweep s = {
        .rig = rig, .load = load, .test = test, .spread = spread, .seed = seed, .benches = benches};
    return wpin_pool_run(count, try_bench, &s, progress, context);
}
