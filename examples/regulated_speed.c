/* The conveyor at an even speed: its encoder measures, its regulator drives, and a heavier load is
 * answered. Every tenth of a second one line: what the program knows, and what is true. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>

static int16_t share_of(const honey_house *house, double rpm) {
    double maximum = house->rig->loads[house->load].speed.maximum;
    return (int16_t)lround(rpm / maximum * WPIN_DUTY_FULL); /* windpin export writes this macro */
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open(&house, "conveyor");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    for (int ms = 0; ms < 700; ms++) {
        honey_house_tick(&house); /* it rests first: it may have been turning */
    }
    wpin_setpoint sixty = {.quantity = WPIN_QUANTITY_SPEED, .value = share_of(&house, 60)};
    status = wpin_motor_request(&house.motor, sixty, 0, 6000);
    for (int ms = 0; ms < 8500 && status == WPIN_OK; ms++) {
        if (ms == 3000) {
            wpin_sim_set_load(house.hardware, house.load, 0.8); /* the belt fills with jars */
        }
        honey_house_tick(&house);
        wpin_measurement m = wpin_motor_measurement(&house.motor);
        if (ms % 500 == 0) {
            printf("measured %5.1f %% of its maximum  ", m.speed * 100.0 / WPIN_DUTY_FULL);
            honey_house_show(&house, ms < 3000 ? "light" : ms < 6000 ? "heavy" : "time-out");
        }
        status = wpin_motor_fault(&house.motor);
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
