/* A plan run on the simulated board of a rig: as the rig says, or as parts come. */
#include "pool.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/response.h"
#include <stdio.h>

/* On a board that is built of another rig, perhaps. */
static wpin_report *run_on(const wpin_rig *built, const wpin_rig *rig, const wpin_plan *plan,
                           const wpin_session_options *options, wpin_status *refused, char *why,
                           size_t why_size) {
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(built)};
    wpin_session_options judged = *options;
    wpin_report *report = NULL;
    if (board.sim != NULL) {
        wpin_sim_average(board.sim, options->averaged);
        wpin_bench bench = wpin_bench_on_board(&board);
        judged.onlooker = &wpin_verdicts;
        wpin_session *session =
            wpin_session_open(rig, plan, &bench, &judged, refused, why, why_size);
        while (session != NULL && wpin_session_step(session)) {
        }
        report = wpin_session_close(session, why, why_size);
        *refused = session != NULL && report == NULL ? WPIN_REFUSED_FULL : *refused;
    }
    wpin_sim_free(board.sim);
    return report;
}

wpin_report *wpin_rehearse(const wpin_rig *rig, const wpin_plan *plan,
                           const wpin_session_options *options, wpin_status *refused, char *why,
                           size_t why_size) {
    *refused = WPIN_REFUSED_FULL;
    snprintf(why, why_size, "out of memory");
    if (options->spread <= 0) {
        return run_on(rig, rig, plan, options, refused, why, why_size);
    }
    wpin_rig *bench = wpin_bench_vary_all(rig, options->spread, options->seed);
    wpin_report *report =
        bench == NULL ? NULL : run_on(bench, rig, plan, options, refused, why, why_size);
    wpin_bench_free(bench);
    return report;
}

/* ---- many ---- */

typedef struct many {
    const wpin_rig *rig;
    const wpin_plan *plan;
    const wpin_session_options *options;
    wpin_report **reports;
} many;

static bool run_one(void *context, size_t i) {
    const many *m = context;
    char why[400];
    wpin_status refused;
    wpin_session_options options = *m->options;
    options.seed += (unsigned)i;
    m->reports[i] = wpin_rehearse(m->rig, m->plan, &options, &refused, why, sizeof why);
    return m->reports[i] != NULL;
}

bool wpin_rehearse_many(const wpin_rig *rig, const wpin_plan *plan,
                        const wpin_session_options *options, wpin_report **reports, size_t count,
                        void (*progress)(void *context, double done, double of), void *context,
                        char *why, size_t why_size) {
    many m = {rig, plan, options, reports};
    for (size_t i = 0; i < count; i++) {
        reports[i] = NULL;
    }
    if (wpin_pool_run(count, run_one, &m, progress, context)) {
        return true;
    }
    snprintf(why, why_size, "out of memory");
    for (size_t i = 0; i < count; i++) {
        if (reports[i] == NULL) { /* again, for the reason: the core may have refused it */
            wpin_status refused;
            wpin_session_options first = *options;
            first.seed += (unsigned)i;
            wpin_report_free(wpin_rehearse(rig, plan, &first, &refused, why, why_size));
            break;
        }
    }
    for (size_t i = 0; i < count; i++) {
        wpin_report_free(reports[i]);
        reports[i] = NULL;
    }
    return false;
}
