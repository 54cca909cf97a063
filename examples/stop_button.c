/* The stop switch on the wall: the conveyor runs, the switch opens, the conveyor brakes and stays
 * where it is until the switch is closed again and the program re-arms. */
#include "honey_house.h"
#include <stdio.h>

enum { STOP_PIN = 3 };

int main(void) {
    honey_house house;
    wpin_stop stop;
    wpin_status status = honey_house_open(&house, "conveyor");
    wpin_motor *const motors[] = {&house.motor};
    static const uint8_t how[] = {WPIN_STOP_BRAKE};
    const wpin_stop_config config = {
        .motors = motors, .how = how, .count = 1, .pin = STOP_PIN, .opens = true};
    if (status == WPIN_OK) {
        status = wpin_stop_init(&stop, &config, &house.port);
    }
    for (int ms = 0; ms < 6000 && status == WPIN_OK; ms++) {
        wpin_sim_press(house.hardware, STOP_PIN, ms >= 2000 && ms < 3000);
        if (ms % 1000 == 0) { /* a program that asks again and again */
            wpin_status answer = wpin_motor_run(&house.motor, WPIN_DUTY_FULL / 2, 0, 5000);
            honey_house_show(&house, wpin_status_name(answer));
        }
        if (ms == 3500) { /* on purpose, by a person who has looked */
            status = wpin_stop_rearm(&stop);
            status = status == WPIN_OK ? wpin_motor_arm(&house.motor) : status;
            honey_house_show(&house, "re-armed");
        }
        wpin_stop_tick(&stop);
        honey_house_tick(&house);
        if (ms == 2100) {
            honey_house_show(&house, "stopped");
        }
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
