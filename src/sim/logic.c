/* The logic of drivers. Nothing here knows the core's truth tables. */
#include "logic.h"

static const wpin_legs all_off = {.a = WPIN_LEG_OFF, .b = WPIN_LEG_OFF};
static const wpin_legs all_low = {.a = WPIN_LEG_LOW, .b = WPIN_LEG_LOW};

static wpin_legs drive(bool forward) {
    return forward ? (wpin_legs){.a = WPIN_LEG_HIGH, .b = WPIN_LEG_LOW}
                   : (wpin_legs){.a = WPIN_LEG_LOW, .b = WPIN_LEG_HIGH};
}

/* PWM is low while the motor is driven that way. */
static wpin_legs off_phase(const wpin_part_driver *part, bool forward) {
    switch (part->off_phase) {
    case WPIN_OFF_FAST: return all_off;
    case WPIN_OFF_SHORT: return all_low;
    default:
        return forward ? (wpin_legs){.a = WPIN_LEG_OFF, .b = WPIN_LEG_LOW}
                       : (wpin_legs){.a = WPIN_LEG_LOW, .b = WPIN_LEG_OFF};
    }
}

static wpin_legs direction_pwm(const wpin_part_driver *part, bool direction, bool pwm) {
    return pwm ? drive(direction) : off_phase(part, direction);
}

static wpin_legs two_inputs(bool in1, bool in2) {
    if (in1 == in2) {
        return in1 ? all_low : all_off;
    }
    return drive(in1);
}

static wpin_legs two_inputs_enable(const wpin_part_driver *part, const bool *high) {
    if (high[2]) {
        return two_inputs(high[0], high[1]);
    }
    return high[0] == high[1] ? all_off : off_phase(part, high[0]);
}

static wpin_leg_state follow(bool high) {
    return high ? WPIN_LEG_HIGH : WPIN_LEG_LOW;
}

static wpin_leg_state switches(bool high_side, bool low_side) {
    if (high_side && low_side) {
        return WPIN_LEG_BOTH;
    }
    return high_side ? WPIN_LEG_HIGH : (low_side ? WPIN_LEG_LOW : WPIN_LEG_OFF);
}

static wpin_legs direction_pwm_standby(const bool *high) {
    if (!high[2]) {
        return all_off;
    }
    return high[1] ? drive(high[0]) : all_low;
}

static wpin_legs channels(wpin_legs one, wpin_legs other) {
    return (wpin_legs){.a = one.a, .b = one.b, .c = other.a, .d = other.b};
}

static wpin_leg_state enabled(bool high, bool enable) {
    return enable ? follow(high) : WPIN_LEG_OFF;
}

/* The sector that a code shows; 6: none. */
static int sector_of(uint8_t code, bool sixty) {
    static const uint8_t usual[8] = {6, 1, 3, 2, 5, 0, 4, 6}, close[8] = {5, 0, 6, 1, 4, 6, 3, 2};
    return sixty ? close[code & 7] : usual[code & 7];
}

wpin_legs wpin_logic_commutate(wpin_legs two, uint8_t code, bool sixty) {
    static const uint8_t top[6] = {0, 0, 1, 1, 2, 2}, bottom[6] = {1, 2, 2, 0, 0, 1};
    wpin_leg_state legs[3] = {WPIN_LEG_OFF, WPIN_LEG_OFF, WPIN_LEG_OFF};
    int sector = sector_of(code, sixty);
    if (two.a == WPIN_LEG_LOW && two.b == WPIN_LEG_LOW) {
        legs[0] = legs[1] = legs[2] = WPIN_LEG_LOW;
    } else if (sector < 6) {
        legs[top[sector]] = two.a;
        legs[bottom[sector]] = two.b;
    }
    return (wpin_legs){.a = legs[0], .b = legs[1], .c = legs[2]};
}

wpin_legs wpin_logic_decide(const wpin_part_driver *part, const bool *high) {
    switch (part->logic) {
    case WPIN_LOGIC_DIRECTION_PWM_BRAKE:
        return high[WPIN_DRIVER_INPUT_BRAKE] ? all_low : direction_pwm(part, high[0], high[1]);
    case WPIN_LOGIC_DIRECTION_PWM: return direction_pwm(part, high[0], high[1]);
    case WPIN_LOGIC_TWO_INPUTS: return two_inputs(high[0], high[1]);
    case WPIN_LOGIC_TWO_INPUTS_ENABLE: return two_inputs_enable(part, high);
    case WPIN_LOGIC_TWO_INPUTS_ENABLE_STANDBY:
        return high[3] ? two_inputs_enable(part, high) : all_off;
    case WPIN_LOGIC_DIRECTION_PWM_STANDBY: return direction_pwm_standby(high);
    case WPIN_LOGIC_HALF_BRIDGES:
        return high[2] ? (wpin_legs){.a = follow(high[0]), .b = follow(high[1])} : all_off;
    case WPIN_LOGIC_FULL_BRIDGE:
        return (wpin_legs){.a = switches(high[0], high[1]), .b = switches(high[2], high[3])};
    case WPIN_LOGIC_THREE_PHASE_BRIDGE:
        return (wpin_legs){.a = switches(high[0], high[1]),
                           .b = switches(high[2], high[3]),
                           .c = switches(high[4], high[5])};
    case WPIN_LOGIC_THREE_HALF_BRIDGES:
        return (wpin_legs){.a = enabled(high[0], high[1]),
                           .b = enabled(high[2], high[3]),
                           .c = enabled(high[4], high[5])};
    case WPIN_LOGIC_LOW_SIDE:
        return (wpin_legs){.a = WPIN_LEG_HIGH, .b = high[0] ? WPIN_LEG_LOW : WPIN_LEG_OFF};
    case WPIN_LOGIC_HIGH_SIDE:
        return (wpin_legs){.a = high[0] ? WPIN_LEG_OFF : WPIN_LEG_HIGH, .b = WPIN_LEG_LOW};
    case WPIN_LOGIC_RELAY:
        return (wpin_legs){.a = high[0] ? WPIN_LEG_HIGH : WPIN_LEG_OFF, .b = WPIN_LEG_LOW};
    case WPIN_LOGIC_DUAL_BRIDGE:
        return channels(two_inputs(high[0], high[1]), two_inputs(high[2], high[3]));
    case WPIN_LOGIC_DUAL_BRIDGE_ENABLE:
        return channels(two_inputs_enable(part, high), two_inputs_enable(part, high + 3));
    case WPIN_LOGIC_TWO_RELAYS: return (wpin_legs){.a = follow(high[0]), .b = follow(high[1])};
    case WPIN_LOGIC_SERVO_PULSE:
    case WPIN_LOGIC_FIELD_BUS:
    case WPIN_LOGIC_COUNT: break;
    }
    return all_off;
}
