/* Real pins of this computer. */
#ifndef WPIN_CLI_REAL_H
#define WPIN_CLI_REAL_H

#include "cli.h"
#include "windpin/host/bearer.h"
#include "windpin/host/bind_linux.h"

/* A bench of them. */
typedef struct cli_real {
    const wpin_rig *rig;
    bool powered; /* every supply is on */
    bool by_hand; /* somebody is there, and says when one is */
    bool on[64];
    wpin_bearer *bearers[WPIN_RIG_FIELDBUSES];
    wpin_bound_linux bound;
    wpin_linux *port;
    wpin_bench pins;  /* as the port makes it... */
    wpin_bench bench; /* ...with somebody at its supplies */
} cli_real;

/* Takes the pins of a rig, and says what is worth knowing. False with a complaint; then there is
 * nothing to close. */
bool cli_real_open(cli_real *real, const wpin_rig *rig, bool powered);
void cli_real_close(cli_real *real);
/* Goes through the power-up checklist on the terminal, or takes an option's word for it. False
 * with a complaint: somebody has to. */
bool cli_real_confirm(const wpin_rig *rig, bool confirmed);

/* A plan on it; as cli_run_simulated. */
wpin_report *cli_run_real(const cli_run *run, const wpin_rig *rig, const wpin_plan *plan,
                          const wpin_session_options *options, char *why, size_t size);

#endif
