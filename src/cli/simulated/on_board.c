/* A plan on simulated hardware. */
#include "../cli.h"
#include "windpin/host/rehearsal.h"

wpin_report *cli_run_simulated(const wpin_rig *rig, const wpin_plan *plan,
                               const wpin_session_options *options, char *why, size_t size) {
    wpin_status refused;
    return wpin_rehearse(rig, plan, options, &refused, why, size);
}
