/* Rigs whose wiring was gone through once on this computer. */
#ifndef WPIN_CLI_CONFIRMED_H
#define WPIN_CLI_CONFIRMED_H

#include "windpin/host/rig.h"

/* Whether a rig with this fingerprint was; noted for the next time. A file that can't be read or
 * written is as good as none: the list is shown again. */
bool cli_was_confirmed(const wpin_rig *rig);
void cli_confirm(const wpin_rig *rig);

#endif
