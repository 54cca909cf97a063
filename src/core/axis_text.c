/* Names of the states of a drive, as CiA 402 has them. */
#include "windpin/axis.h"

static const WPIN_FLASH char names[WPIN_AXIS_STATE_COUNT][24] = {
    [WPIN_AXIS_UNKNOWN] = "unknown",
    [WPIN_AXIS_NOT_READY] = "not ready to switch on",
    [WPIN_AXIS_DISABLED] = "switch on disabled",
    [WPIN_AXIS_READY] = "ready to switch on",
    [WPIN_AXIS_ON] = "switched on",
    [WPIN_AXIS_ENABLED] = "operation enabled",
    [WPIN_AXIS_QUICK_STOP] = "quick stop active",
    [WPIN_AXIS_REACTS] = "fault reaction active",
    [WPIN_AXIS_FAULT] = "fault"};

const WPIN_FAR char *wpin_axis_state_name(wpin_axis_state state) {
    bool known = (unsigned)state < WPIN_AXIS_STATE_COUNT;
    return names[known ? state : WPIN_AXIS_UNKNOWN];
}
