/* A display of four characters beside the lidder: what it is doing, and when the spindle gets stuck
 * on its way, what is wrong. A line for each time that the display changes. */
#include "honey_house.h"
#include <stdio.h>
#include <windpin/code.h>

static void show(void *context, const char *code) {
    const honey_house *house = context;
    printf("%7.3f s  [%s]\n", (double)wpin_sim_time(house->hardware) * 1e-12, code);
}

int main(void) {
    honey_house house;
    wpin_display display = {.show = show, .context = &house};
    wpin_status status = honey_house_open_rig(&house, "honey-lid", "lid");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    for (int ms = 0; ms < 6000; ms++) {
        if (ms == 300) {
            wpin_motor_run(&house.motor, WPIN_PERCENT(40), 0, 800);
        } else if (ms == 2500) {
            wpin_motor_run(&house.motor, WPIN_PERCENT(-40), 0, 2000);
        } else if (ms == 2900) { /* something is caught under it */
            wpin_sim_inject(house.hardware, WPIN_PART_FAULT_STALLED, house.load, 0, true);
        } else if (ms == 4500) {
            wpin_sim_inject(house.hardware, WPIN_PART_FAULT_STALLED, house.load, 0, false);
            wpin_motor_clear_fault(&house.motor);
            wpin_motor_arm(&house.motor);
        }
        honey_house_tick(&house);
        wpin_display_update(&display, &house.motor);
    }
    status = wpin_motor_fault(&house.motor);
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
