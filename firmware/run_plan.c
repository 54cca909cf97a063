/* Carries out the plan of an exported rig, whatever that is:
 *     windpin export RIG PLAN -o rig.h
 * Opens everything, waits until all has rested, runs the plan, leaves every stage safe. */
#include "chip.h"
#include "rig.h"

_Static_assert(WPIN_RIG_TICK_US == 1000, "the chips here tick every millisecond");

#ifndef RECORD /* 1: tells the duty of each motor in each control period */
#define RECORD 0
#endif

void chip_changed(void) {
    rig_changed();
}

static wpin_status open_all(void) {
    if (!chip_open()) {
        return WPIN_FAULT_RESET;
    }
#if RIG_READS > 0
    for (uint8_t i = 0; i < RIG_READS; i++) {
        chip_listen(rig_reads[i]);
    }
#endif
#if RIG_COUNTERS > 0
    chip_count(rig_counters[0].a, rig_counters[0].b);
#endif
    wpin_status status = rig_open(&chip_port);
    return status == WPIN_OK ? rig_arm() : status;
}

static void record(void) {
    for (uint8_t i = 0; RECORD && i < RIG_MOTORS; i++) {
        chip_record(wpin_motor_duty(&rig_motors[i]));
    }
}

/* Until all is ready: WPIN_OK, or the fault because of which it never will be. */
static wpin_status await_ready(void) {
    while (!rig_ready()) {
        chip_await_tick();
        rig_tick();
        if (rig_fault() != WPIN_OK) {
            return rig_fault();
        }
    }
    return WPIN_OK;
}

static wpin_status run(void) {
    wpin_status status = rig_start();
    while (status == WPIN_OK && rig_busy()) {
        chip_await_tick();
        rig_tick();
        record();
    }
    return status == WPIN_OK ? rig_fault() : status;
}

int main(void) {
    char code[WPIN_CODE_LENGTH + 1] = "done";
    wpin_status status = open_all();
    status = status == WPIN_OK ? await_ready() : status;
    status = status == WPIN_OK ? run() : status;
    rig_close();
    if (status != WPIN_OK) {
        wpin_fault_code(status, code);
    }
    chip_end(code);
}
