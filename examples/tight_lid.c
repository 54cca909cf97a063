/* A lid screwed on by torque: the regulated current makes it, the lid stops the spindle, and what
 * is then held is how tight it is. Every tenth of a second one line: amperes are measured, newton
 * metres are computed of them. */
#include "honey_house.h"
#include <math.h>
#include <stdio.h>

static wpin_setpoint torque_of(const honey_house *house, double newton_metres) {
    const wpin_rig_load *lid = &house->rig->loads[house->load];
    double share = newton_metres / wpin_rig_torque(lid, lid->current.rated);
    return (wpin_setpoint){.quantity = WPIN_QUANTITY_TORQUE,
                           .value = (int32_t)lround(share * WPIN_DUTY_FULL)};
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open_rig(&house, "honey-lid", "lid");
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    for (int ms = 0; ms < 300; ms++) {
        honey_house_tick(&house); /* it rests first: it may have been turning */
    }
    status = wpin_motor_request(&house.motor, torque_of(&house, 0.35), 0, 1500);
    for (int ms = 0; ms < 3000 && status == WPIN_OK; ms++) {
        if (ms == 1200) {
            status = wpin_motor_request(&house.motor, torque_of(&house, 0.6), 400000, 1500);
        }
        honey_house_tick(&house);
        double amps = wpin_motor_milliamps(&house.motor) * 1e-3;
        double computed = wpin_rig_torque(&house.rig->loads[house.load], amps);
        if (ms % 100 == 0) {
            printf("%5.3f A  %5.3f Nm", amps, computed);
            honey_house_show(&house, wpin_motor_busy(&house.motor) ? "  at work" : "  let go");
        }
        status = status == WPIN_OK ? wpin_motor_fault(&house.motor) : status;
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
