/* The drum by field orientation: its currents are turned into the rotor's frame in each PWM period.
 * Asked for a torque, then for a speed; every half second the current across the magnet,
 * which makes the torque, and the one along it, which should be none. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>

static wpin_setpoint share(wpin_quantity quantity, double of_full) {
    return (wpin_setpoint){.quantity = (uint8_t)quantity,
                           .value = (int32_t)lround(of_full * WPIN_DUTY_FULL)};
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-vector", "drum");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    const wpin_rig_load *drum = &house.rig->loads[house.load];
    const double mv_per_a = drum->bridge.sense_volts_per_amp * 1e3;
    for (int ms = 0; ms < 300; ms++) {
        honey_house_tick(&house); /* it rests first: it may have been turning */
    }
    wpin_setpoint torque = share(WPIN_QUANTITY_TORQUE, 2 / drum->current.rated);
    wpin_setpoint speed = share(WPIN_QUANTITY_SPEED, 120 / drum->speed.maximum);
    status = wpin_motor_request(&house.motor, torque, 0, 2500);
    for (int ms = 0; ms < 6000 && status == WPIN_OK; ms++) {
        if (ms == 2500) {
            status = wpin_motor_request(&house.motor, speed, 0, 3000);
        }
        honey_house_tick(&house);
        if (ms % 500 == 0) {
            int16_t along, across;
            wpin_vector_currents(&house.bound.vector_at_work, &along, &across);
            printf("along %5.2f A  across %5.2f A", along / mv_per_a, across / mv_per_a);
            honey_house_show(&house, wpin_motor_busy(&house.motor) ? "  at work" : "  at rest");
        }
        status = status == WPIN_OK ? wpin_motor_fault(&house.motor) : status;
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
