/** @file host.h
 * All that is for a desk in one include: rigs, plans, vetting, the simulated bench, sizing. A
 * firmware includes windpin/windpin.h and nothing of this.
 */
#ifndef WINDPIN_HOST_H
#define WINDPIN_HOST_H

#include "bearer.h"
#include "bind.h"
#include "calc.h"
#include "eds.h"
#include "frames_file.h"
#include "identify.h"
#include "messages.h"
#include "objects.h"
#include "parts.h"
#include "plan.h"
#include "quantity.h"
#include "rehearsal.h"
#include "require.h"
#include "response.h"
#include "rig.h"
#include "ripple.h"
#include "session.h"
#include "sheet.h"
#include "sim.h"
#include "starter.h"
#include "trace.h"
#include "trials.h"
#include "twins.h"
#include "verdict.h"
#include "vet.h"
#include "waves.h"

#endif
