/* Carries out the plan of an exported rig, whatever that is:
 *     windpin export RIG PLAN -o rig.h
 * Opens everything, waits until all has rested, runs the plan, leaves every stage safe. */
#include "program.h"

#ifndef RECORD /* 1: tells the duty of each motor in each control period */
#define RECORD 0
#endif

static void record(void) {
    for (uint8_t i = 0; RECORD && i < RIG_MOTORS; i++) {
        chip_record(wpin_motor_duty(&rig_motors[i]));
    }
}

/* Until all is ready: WPIN_OK, or the fault because of which it never will be. */
static wpin_status await_ready(void) {
    while (!rig_ready()) {
        program_tick();
        if (rig_fault() != WPIN_OK) {
            return rig_fault();
        }
    }
    return WPIN_OK;
}

static wpin_status run(void) {
    wpin_status status = rig_start();
    while (status == WPIN_OK && rig_busy()) {
        program_tick();
        record();
    }
    return status == WPIN_OK ? rig_fault() : status;
}

int main(void) {
    wpin_status status = program_open();
    status = status == WPIN_OK ? await_ready() : status;
    program_end(status == WPIN_OK ? run() : status);
}
