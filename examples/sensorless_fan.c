/* The cabinet fan, brushless and without sensors: it aligns, ramps by the clock and goes on by its
 * zero crossings. Then a hand holds it for a moment: the step is lost, and it starts anew. */
#include "honey_house.h"
#include <stdio.h>

static const char *const doing[] = {"off", "aligns", "ramps by the clock",
                                    "goes by its zero crossings", "coasts before it starts anew"};

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-fan", "fan");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    const wpin_sensorless *phases = &house.bound.sensorless_at_work;
    status = wpin_motor_run(&house.motor, WPIN_PERCENT(60), 0, 9000);
    wpin_sensorless_state before = WPIN_SENSORLESS_OFF;
    for (int ms = 0; ms < 11000 && status == WPIN_OK; ms++) {
        wpin_sim_inject(house.hardware, WPIN_PART_FAULT_STALLED, 0, 0, ms >= 4000 && ms < 4500);
        honey_house_tick(&house);
        wpin_sensorless_state now = wpin_sensorless_doing(phases);
        if (now != before || ms % 1000 == 999) {
            before = now;
            printf("%-28s", doing[now]);
            honey_house_show(&house, "");
        }
        status = wpin_motor_fault(&house.motor);
    }
    printf("%ld crossings, %u lost step\n", (long)phases->counts.counts, phases->lost);
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
