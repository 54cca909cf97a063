/* The first motor of an exported rig does what its last input asks for: a button, a pair of them, a
 * knob, a sensor.
 *     windpin export RIG -o rig.h
 * Nobody asks for long: a program that hangs lets the motor come to rest. */
#include "chip.h"
#include "rig.h"

_Static_assert(WPIN_RIG_TICK_US == 1000, "the chips here tick every millisecond");

enum { ALIVE_MS = 100, INPUT = RIG_INPUTS - 1 };

void chip_changed(void) {
    rig_changed();
}

static wpin_status open_all(void) {
    if (!chip_open()) {
        return WPIN_FAULT_RESET;
    }
    for (uint8_t i = 0; i < RIG_READS; i++) {
        chip_listen(rig_reads[i]);
    }
#if RIG_COUNTERS > 0
    chip_count(rig_counters[0].a, rig_counters[0].b);
#endif
    wpin_status status = rig_open(&chip_port);
    return status == WPIN_OK ? rig_arm() : status;
}

/* Asked for anew only where it is another: a ramp that is under way goes on, and a motor that came
 * to rest by itself begins again only after the input was at zero. */
static void follow(wpin_duty *asked) {
    wpin_motor *motor = &rig_motors[0];
    wpin_duty duty = wpin_inputs_duty(&rig_inputs, INPUT);
    if (duty == 0) {
        (void)wpin_motor_stop(motor, 0);
    } else if (duty != *asked) {
        duty = wpin_motor_run(motor, duty, 0, ALIVE_MS) == WPIN_OK ? duty : 0; /* else once more */
    } else {
        (void)wpin_motor_refresh(motor, ALIVE_MS);
    }
    *asked = duty;
}

int main(void) {
    char code[WPIN_CODE_LENGTH + 1];
    wpin_duty asked = 0;
    wpin_status status = open_all();
    wpin_inputs_rearm(&rig_inputs, INPUT); /* held or turned up already, it asks for nothing yet */
    while (status == WPIN_OK) {
        chip_await_tick();
        rig_tick();
        follow(&asked);
        status = rig_fault();
    }
    rig_close();
    wpin_fault_code(status, code);
    chip_end(code);
}
