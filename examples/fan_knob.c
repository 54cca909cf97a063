/* The cabinet fan, on one transistor, follows a knob. Turned up at power-up it asks for nothing
 * until it has been at zero once; the ramp smooths whatever the hand does. */
#include "honey_house.h"
#include <stdio.h>

enum { KNOB_INPUT = 5 };

int main(void) {
    static const wpin_knob_config config = {
        .low_mv = 50, .high_mv = 4950, .dead = 600, .hysteresis = 200, .filter = 4};
    static const double hand[] = {0.8, 0.0, 0.5, 1.0, 0.3, 0.0}; /* where it turns the knob */
    honey_house house;
    wpin_knob knob;
    wpin_status status = honey_house_open(&house, "fan");
    if (status == WPIN_OK) {
        status = wpin_knob_init(&knob, &config);
        wpin_sim_wire_knob(house.hardware, KNOB_INPUT, 0.04); /* with some noise on it */
    }
    for (int place = 0; status == WPIN_OK && place < 6; place++) {
        char what[32];
        snprintf(what, sizeof what, "knob at %.0f %%", hand[place] * 100);
        wpin_sim_turn(house.hardware, KNOB_INPUT, hand[place]);
        for (int ms = 0; ms < 2500 && status == WPIN_OK; ms++) {
            wpin_duty duty =
                wpin_knob_update(&knob, house.port.millivolts(house.port.context, KNOB_INPUT));
            status = wpin_motor_run(&house.motor, duty, 0, 200); /* stops if nobody asks again */
            honey_house_tick(&house);
        }
        honey_house_show(&house, what);
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
