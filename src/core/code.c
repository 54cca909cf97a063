/* Four characters for a small display. */
#include "windpin/code.h"

static const WPIN_FLASH char states[][WPIN_CODE_LENGTH + 1] = {
    [WPIN_STATE_OFF] = "off ",      [WPIN_STATE_READY] = "redy",   [WPIN_STATE_RAMPING] = "ramp",
    [WPIN_STATE_RUNNING] = "run ",  [WPIN_STATE_RESTING] = "rest", [WPIN_STATE_BRAKING] = "brak",
    [WPIN_STATE_COASTING] = "coas", [WPIN_STATE_FAULT] = "FAUL"};

#define OF(fault) [(fault)-WPIN_FAULT_FIRST]
static const WPIN_FLASH char faults[][WPIN_CODE_LENGTH + 1] = {
    OF(WPIN_FAULT_OVERCURRENT) = "AMPS",    OF(WPIN_FAULT_SUPPLY_LOW) = "VLOW",
    OF(WPIN_FAULT_SUPPLY_HIGH) = "VHI ",    OF(WPIN_FAULT_PORT) = "PORT",
    OF(WPIN_FAULT_EXTERNAL) = "TRIP",       OF(WPIN_FAULT_TIMEOUT) = "TIME",
    OF(WPIN_FAULT_ON_TIME) = "LONG",        OF(WPIN_FAULT_RESET) = "BOOT",
    OF(WPIN_FAULT_LINK) = "LINK",           OF(WPIN_FAULT_LATE) = "LATE",
    OF(WPIN_FAULT_CLOCK) = "CLCK",          OF(WPIN_FAULT_SENSOR) = "SENS",
    OF(WPIN_FAULT_STOPPED) = "STOP",        OF(WPIN_FAULT_NO_MOTION) = "NOGO",
    OF(WPIN_FAULT_STALLED) = "STAL",        OF(WPIN_FAULT_NO_CURRENT) = "NO A",
    OF(WPIN_FAULT_FEEDBACK) = "FEED",       OF(WPIN_FAULT_WRONG_WAY) = "WWAY",
    OF(WPIN_FAULT_OVERSPEED) = "FAST",      OF(WPIN_FAULT_FOLLOWING) = "FOLL",
    OF(WPIN_FAULT_HUNTING) = "HUNT",        OF(WPIN_FAULT_OVERLOAD) = "HEAT",
    OF(WPIN_FAULT_HALL) = "HALL",           OF(WPIN_FAULT_PHASE) = "PHAS",
    OF(WPIN_FAULT_SILENT) = "MUTE",         OF(WPIN_FAULT_DRIVE) = "DRIV",
    OF(WPIN_FAULT_MASTER) = "TWO ",         OF(WPIN_FAULT_ANGLE) = "ANGL",
    OF(WPIN_FAULT_OVERTEMPERATURE) = "WARM"};

static void copy(const WPIN_FAR char *from, char *to) {
    for (uint8_t i = 0; i <= WPIN_CODE_LENGTH; i++) {
        to[i] = from[i];
    }
}

void wpin_fault_code(wpin_status fault, char code[WPIN_CODE_LENGTH + 1]) {
    if (fault >= WPIN_FAULT_FIRST && fault < WPIN_STATUS_COUNT) {
        copy(faults[fault - WPIN_FAULT_FIRST], code);
        return;
    }
    static const WPIN_FLASH char none[] = "    ";
    copy(none, code);
}

void wpin_motor_code(const wpin_motor *motor, char code[WPIN_CODE_LENGTH + 1]) {
    wpin_status fault = wpin_motor_fault(motor);
    if (fault != WPIN_OK) {
        wpin_fault_code(fault, code);
        return;
    }
    wpin_state state = wpin_motor_state(motor); /* a fault may have come since: "FAUL" once */
    copy(states[state <= WPIN_STATE_FAULT ? state : WPIN_STATE_FAULT], code);
}

void wpin_display_update(wpin_display *display, const wpin_motor *motor) {
    char now[WPIN_CODE_LENGTH + 1];
    bool same = true;
    wpin_motor_code(motor, now);
    for (uint8_t i = 0; i < WPIN_CODE_LENGTH; i++) {
        same = same && now[i] == display->shown[i];
        display->shown[i] = now[i];
    }
    if (!same && display->show != NULL) {
        display->show(display->context, display->shown);
    }
}
