/* A jar jams a belt: the controller stops it by name, and says what it measured then. It is cleared
 * as soon as its winding has cooled, tried again gently, and given up after three tries. */
#include "belts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { TRIES = 3, FREED_MS = 9000, END_MS = 16000 };

/* The tick that says so first still has what was measured. */
static void say(const belts *b, int ms) {
    const wpin_motor *motor = &b->motors[0];
    wpin_status fault = wpin_motor_fault(motor);
    wpin_measurement m = wpin_motor_measurement(motor);
    double rpm = m.speed * b->rig->loads[0].speed.maximum / WPIN_DUTY_FULL;
    double amps = abs(m.current) / (double)b->bound[0].motor.sense.current_mv_per_a;
    printf("%5.2f s  %s: %.0f rpm, %.2f A. %s %s\n", ms * 1e-3, wpin_status_name(fault), rpm, amps,
           wpin_status_text(fault), wpin_status_remedy(fault));
}

/* Refused until it has cooled; then it may move, at first for a short time. */
static bool try_again(belts *b, int ms) {
    wpin_status cleared = wpin_motor_clear_fault(&b->motors[0]);
    if (cleared != WPIN_OK || wpin_motor_arm(&b->motors[0]) != WPIN_OK) {
        return false;
    }
    printf("%5.2f s  cleared and armed; once more\n", ms * 1e-3);
    return true;
}

int main(void) {
    static belts b;
    if (belts_open(&b) != WPIN_OK) {
        return 1;
    }
    int16_t sixty = (int16_t)lround(60 / b.rig->loads[0].speed.maximum * WPIN_DUTY_FULL);
    int tries = 0;
    bool faulted = false;
    for (int ms = 0; ms < END_MS && tries <= TRIES; ms++) {
        if (ms == 3000 || ms == FREED_MS) {
            bool stuck = ms == 3000;
            printf("%5.2f s  the jar %s\n", ms * 1e-3, stuck ? "jams" : "comes free");
            wpin_sim_inject(b.hardware, WPIN_PART_FAULT_STALLED, 0, 0, stuck);
        }
        belts_tick(&b, (const int16_t[BELTS]){ms > 400 && !faulted ? sixty : 0, 0});
        bool now = wpin_motor_fault(&b.motors[0]) != WPIN_OK;
        if (now && !faulted) {
            say(&b, ms);
            tries++;
        }
        faulted = now && !(tries <= TRIES && try_again(&b, ms));
    }
    double rpm = wpin_sim_read(b.hardware, 0).rpm;
    printf("at the end it %s, after %d stops\n", rpm > 50 ? "runs" : "stands", tries);
    wpin_status status = belts_fault(&b);
    belts_close(&b);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
