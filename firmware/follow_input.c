/* The first motor of an exported rig does what its last input asks for: a button, a pair of them, a
 * knob, a sensor.
 *     windpin export RIG -o rig.h
 * Nobody asks for long: a program that hangs lets the motor come to rest. */
#include "program.h"

enum { ALIVE_MS = 100, INPUT = RIG_INPUTS - 1 };

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
    wpin_duty asked = 0;
    wpin_status status = program_open();
    wpin_inputs_rearm(&rig_inputs, INPUT); /* held or turned up already, it asks for nothing yet */
    while (status == WPIN_OK) {
        program_tick();
        follow(&asked);
        status = rig_fault();
    }
    program_end(status);
}
