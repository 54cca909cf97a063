/* Two belts under one row of jars: the same speed is not enough, their places must stay together.
 * The right one is heavier, and at four seconds a jar is stuck on it. With every line stands how
 * far they are apart; the same again without keeping them in step, to see what it does. */
#include "belts.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

static wpin_status run(bool in_step) {
    static const wpin_in_step_config config = {.gain = 20000, .most = 1600, .too_far = 400};
    wpin_in_step pair = {.config = &config};
    static belts b;
    int32_t worst = 0;
    wpin_status status = belts_open(&b);
    if (status != WPIN_OK) {
        return status;
    }
    int16_t sixty = (int16_t)lround(60 / b.rig->loads[0].speed.maximum * WPIN_DUTY_FULL);
    bool good = true;
    for (int ms = 0; ms < 9000 && good; ms++) {
        if (ms == 400) {
            wpin_in_step_begin(&pair, belts_place(&b, 0), belts_place(&b, 1));
        }
        if (ms == 4000 || ms == 5500) { /* a jar is stuck, and comes free */
            wpin_sim_set_load(b.hardware, 1, ms == 4000 ? 1.1 : 0.6);
        }
        int16_t speed = ms > 400 && ms < 7500 ? sixty : 0, speeds[BELTS] = {speed, speed};
        int32_t left = belts_place(&b, 0), right = belts_place(&b, 1);
        int32_t apart = left - right - pair.apart;
        good = !in_step || wpin_in_step_trim(&pair, left, right, speed, &speeds[0], &speeds[1]);
        belts_tick(&b, speeds);
        worst = ms > 400 && labs(apart) > worst ? (int32_t)labs(apart) : worst;
        if (ms % 1000 == 999) {
            printf("%2d s  %6ld and %6ld counts, %4ld apart%s\n", (ms + 1) / 1000, (long)left,
                   (long)right, (long)apart, ms == 4999 ? "  (a jar is stuck)" : "");
        }
    }
    status = belts_fault(&b);
    belts_close(&b);
    printf("%s: never more than %ld counts apart\n", in_step ? "in step" : "each by itself",
           (long)worst);
    return good ? status : WPIN_FAULT_EXTERNAL;
}

int main(void) {
    wpin_status status = run(true), alone = run(false);
    status = status == WPIN_OK ? alone : status;
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
