/* One press of a button runs the ventilator, behind a relay, for two seconds. The contact bounces;
 * a press is a press all the same. */
#include "honey_house.h"
#include <stdio.h>

enum { START_PIN = 2 };

int main(void) {
    static const wpin_button_config config = {.debounce_us = 20000, .active_low = true};
    honey_house house;
    wpin_button button;
    int presses = 0;
    wpin_status status = honey_house_open(&house, "ventilator");
    if (status == WPIN_OK) {
        status = wpin_button_init(&button, &config);
    }
    for (int ms = 0; ms < 9000 && status == WPIN_OK; ms++) {
        bool hand = (ms >= 500 && ms < 650) || (ms >= 5000 && ms < 5100);
        wpin_sim_press(house.hardware, START_PIN, hand);
        bool level = house.port.read(house.port.context, START_PIN);
        wpin_moment now = house.port.now(house.port.context);
        if (wpin_button_update(&button, level, now) == WPIN_BUTTON_PRESSED) {
            status = wpin_motor_run(&house.motor, WPIN_DUTY_FULL, 0, 2000);
            presses++;
            honey_house_show(&house, "pressed");
        }
        honey_house_tick(&house);
        if (ms % 1000 == 999) {
            honey_house_show(&house, "");
        }
    }
    honey_house_show(&house, "runs down");
    honey_house_close(&house);
    printf("%d presses. %s\n", presses, wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
