/* What the logics of drivers have in common, one entry each. */
#include "windpin/host/parts.h"

static const wpin_logic_traits traits[WPIN_LOGIC_COUNT] = {
    [WPIN_LOGIC_DIRECTION_PWM_BRAKE] = {.commutates = true, .chooses = true},
    [WPIN_LOGIC_DIRECTION_PWM] = {.commutates = true, .chooses = true},
    [WPIN_LOGIC_DIRECTION_PWM_STANDBY] = {.commutates = true},
    [WPIN_LOGIC_TWO_INPUTS] = {.commutates = true},
    [WPIN_LOGIC_TWO_INPUTS_ENABLE] = {.commutates = true, .chooses = true},
    [WPIN_LOGIC_TWO_INPUTS_ENABLE_STANDBY] = {.commutates = true, .chooses = true},
    [WPIN_LOGIC_DUAL_BRIDGE] = {.channels = true},
    [WPIN_LOGIC_DUAL_BRIDGE_ENABLE] = {.channels = true, .chooses = true},
    [WPIN_LOGIC_THREE_PHASE_BRIDGE] = {.phases = true},
    [WPIN_LOGIC_THREE_HALF_BRIDGES] = {.phases = true},
    [WPIN_LOGIC_LOW_SIDE] = {.one_switch = true, .wire_a = true},
    [WPIN_LOGIC_HIGH_SIDE] = {.one_switch = true, .wire_b = true},
    [WPIN_LOGIC_RELAY] = {.one_switch = true, .wire_b = true},
    [WPIN_LOGIC_SERVO_PULSE] = {.pulses = true, .own = true},
    [WPIN_LOGIC_FIELD_BUS] = {.frames = true, .own = true}};

const wpin_logic_traits *wpin_logic_of(wpin_logic logic) {
    return &traits[logic];
}
