/* A plan run on the simulated board of a rig. */
#include "windpin/host/rehearsal.h"
#include <stdio.h>

wpin_report *wpin_rehearse(const wpin_rig *rig, const wpin_plan *plan,
                           const wpin_session_options *options, wpin_status *refused, char *why,
                           size_t why_size) {
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_session_options judged = *options;
    wpin_report *report = NULL;
    *refused = WPIN_REFUSED_FULL;
    snprintf(why, why_size, "out of memory");
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
