/* What the programs of an exported rig share: everything opened, and how they end. */
#ifndef PROGRAM_H
#define PROGRAM_H

#include "chip.h"
#include "rig.h"

_Static_assert(WPIN_RIG_TICK_US % 1000 == 0, "the chips here tick every millisecond");
_Static_assert(RIG_COUNTERS <= CHIP_COUNTERS, "the chips here count so many encoders");

_Static_assert(RIG_PERIODS == 0,
               "the chips here have no interrupt in each PWM period, which a motor "
               "without sensors or by field orientation lives on");

/* Called by the chip. */
void chip_changed(void) {
    rig_changed();
}

void chip_fast(void) {
    rig_fast_tick();
}

/* Pins that are read, the rig on its port, its motors armed: what was refused, or WPIN_OK. */
static inline wpin_status program_open(void) {
    if (!chip_open(RIG_FAST ? WPIN_RIG_FAST_TICK_US : 0)) {
        return WPIN_FAULT_RESET;
    }
#if RIG_READS > 0
    for (uint8_t i = 0; i < RIG_READS; i++) {
        chip_listen(rig_reads[i]);
    }
#endif
#if RIG_COUNTERS > 0
    for (uint8_t i = 0; i < RIG_COUNTERS; i++) {
        chip_count(i, rig_counters[i].a, rig_counters[i].b);
    }
#endif
    wpin_status status = rig_open(&chip_port);
    return status == WPIN_OK ? rig_arm() : status;
}

/* The next control period. */
static inline void program_tick(void) {
    for (uint8_t i = 0; i < WPIN_RIG_TICK_US / 1000; i++) {
        chip_await_tick();
    }
    rig_tick();
}

/* Every stage safe, and how it ended in four characters: "done", the code of a fault, or of a
 * refusal its number in wpin_status, "no 5". */
__attribute__((noreturn)) static inline void program_end(wpin_status status) {
    char code[WPIN_CODE_LENGTH + 1] = "done";
    rig_close();
    if (status != WPIN_OK) {
        wpin_fault_code(status, code);
    }
    if (code[0] == ' ') {
        code[0] = 'n';
        code[1] = 'o';
        code[2] = (char)(status < 10 ? ' ' : '0' + status / 10);
        code[3] = (char)('0' + status % 10);
    }
    chip_end(code);
}

#endif
