/* Texts for the named results: one table, one entry a status. */
#include "windpin/status.h"

typedef struct entry {
    const char *name, *text, *remedy;
} entry;

#define ENTRY(code, text, remedy) [code] = {#code, text, remedy}

static const entry entries[WPIN_STATUS_COUNT] = {
    ENTRY(WPIN_OK, "Done.", ""),
    ENTRY(WPIN_REFUSED_ARGUMENT, "A pointer is missing or an index does not exist.",
          "Pass the object that was opened, and indices below the counts given."),
    ENTRY(WPIN_REFUSED_RANGE, "A value is outside its range.",
          "See the range in the header beside the function."),
    ENTRY(WPIN_REFUSED_CONFIG, "The configuration contradicts itself.",
          "Check rows, lines and pins: each state once, each pin once, a free or brake row."),
    ENTRY(WPIN_REFUSED_PORT, "The port lacks a function this needs.",
          "Give the port the missing function, or choose a configuration without it."),
    ENTRY(WPIN_REFUSED_FREQUENCY, "The pin or timer can not make this PWM frequency.",
          "Use a pin with a timer, or a frequency the timer can divide to."),
    ENTRY(WPIN_REFUSED_STATE, "This power stage can not do that.",
          "Use a state the stage's table has a row for."),
    ENTRY(WPIN_REFUSED_SHOOT, "The table would turn on both sides of a leg.",
          "Correct the row, or give the stage a dead time."),
    ENTRY(WPIN_REFUSED_NOT_ARMED, "The motor is not armed.",
          "Arm it first; arming needs zero asked for and no fault."),
    ENTRY(WPIN_REFUSED_NOT_ZERO, "Something is still asked for.", "Ask for zero first."),
    ENTRY(WPIN_REFUSED_FAULTED, "A fault is latched.", "Remove its cause and clear it."),
    ENTRY(WPIN_REFUSED_CAUSE, "The cause of the fault is still there.",
          "Remove the cause, then clear again."),
    ENTRY(WPIN_REFUSED_NO_FAULT, "There is no fault to clear.", "Go on."),
    ENTRY(WPIN_REFUSED_ON_OFF, "This stage knows on and off only, no duty between.",
          "Ask for full duty or none, or use a stage with PWM."),
    ENTRY(WPIN_REFUSED_BELOW_START, "The duty is below what gets the motor moving.",
          "Ask for the start duty or more, or let the start lift or kick it."),
    ENTRY(WPIN_REFUSED_LIMIT, "It stands at the limit switch of that way.",
          "Drive it the other way; look at the switch and its wire if it is not there."),
    ENTRY(WPIN_REFUSED_FULL, "More parallel tracks or nested blocks than there is room for.",
          "Give the sequence more tracks, or nest less."),
    ENTRY(WPIN_FAULT_OVERCURRENT, "The current was above the trip level for too long.",
          "Look for a stalled shaft, a short, or a ramp too steep for the load."),
    ENTRY(WPIN_FAULT_SUPPLY_LOW, "The motor supply is below its window.",
          "Switch the supply on; check cells, fuse and wiring."),
    ENTRY(WPIN_FAULT_SUPPLY_HIGH, "The motor supply is above its window.",
          "Check the supply's voltage; brake more gently if it rises while braking."),
    ENTRY(WPIN_FAULT_PORT, "The port failed while the motor was in use.",
          "Check the pins and the port, then open the motor again."),
    ENTRY(WPIN_FAULT_EXTERNAL, "The motor was tripped from outside.",
          "Find what tripped it, then clear the fault."),
    ENTRY(WPIN_FAULT_TIMEOUT, "What the plan waited for did not come in time.",
          "Look for what keeps it away, or allow more time."),
    ENTRY(WPIN_FAULT_ON_TIME, "It was on for longer than it may be.",
          "Switch it off in time, hold it with less, or use a part made for longer."),
    ENTRY(WPIN_FAULT_RESET, "The controller was reset while it worked.",
          "Look at its supply: sag at a start, a shared rail, a regulator without headroom."),
    ENTRY(WPIN_FAULT_LINK, "The commander fell silent.",
          "Look for the cable, the radio or the program the commands came from."),
};

static const entry unknown = {"WPIN_UNKNOWN", "An unknown status.", "Report it."};

static const entry *look_up(wpin_status status) {
    unsigned index = (unsigned)status;
    return index < WPIN_STATUS_COUNT ? &entries[index] : &unknown;
}

const char *wpin_status_name(wpin_status status) {
    return look_up(status)->name;
}

const char *wpin_status_text(wpin_status status) {
    return look_up(status)->text;
}

const char *wpin_status_remedy(wpin_status status) {
    return look_up(status)->remedy;
}
