/* The drum with a brushless motor: its Hall sensors choose the row of the stage at each of their
 * edges, and tell how fast it turns. Asked for a speed each way; every half second one line. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>

static wpin_setpoint speed_of(const honey_house *house, double rpm) {
    double maximum = house->rig->loads[house->load].speed.maximum;
    return (wpin_setpoint){.quantity = WPIN_QUANTITY_SPEED,
                           .value = (int32_t)lround(rpm / maximum * WPIN_DUTY_FULL)};
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-spinner", "drum");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    const wpin_six_step *phases = &house.bound.six_step_at_work;
    for (int ms = 0; ms < 300; ms++) {
        honey_house_tick(&house); /* it rests first: it may have been turning */
    }
    status = wpin_motor_request(&house.motor, speed_of(&house, 60), 0, 3500);
    for (int ms = 0; ms < 11000 && status == WPIN_OK; ms++) {
        if (ms == 3500) {
            status = wpin_motor_request(&house.motor, speed_of(&house, -90), 0, 5000);
        }
        honey_house_tick(&house);
        if (ms % 500 == 0) {
            printf("sector %u  sensors %u%u%u  %6ld edges", wpin_six_step_sector(phases),
                   phases->code >> 2 & 1U, phases->code >> 1 & 1U, phases->code & 1U,
                   (long)phases->counts.counts);
            honey_house_show(&house, wpin_motor_busy(&house.motor) ? "  at work" : "  at rest");
        }
        status = status == WPIN_OK ? wpin_motor_fault(&house.motor) : status;
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
