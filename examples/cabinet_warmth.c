/* The warming cabinet's fan by two-point control: on at 48 degC, off at 45 degC, at least five
 * seconds between two runs. The cabinet here is a small model of its own: it warms by itself, and
 * the fan cools it. Every two seconds one line: how warm it is, and the three things that a person
 * wants to know of such a control. */
#include "honey_house.h"
#include <stdio.h>

static const wpin_two_point_config warmth = {
    .on_mv = 480, .off_mv = 450, .pause_ms = 5000, .most_ms = 60000}; /* 10 mV for a degree */

static const char *yes(uint8_t is, uint8_t flag) {
    return (is & flag) != 0 ? "yes" : "no";
}

int main(void) {
    honey_house house;
    wpin_status status = honey_house_open(&house, "fan");
    wpin_two_point control;
    if (status != WPIN_OK) {
        printf("%s\n", wpin_status_text(status));
        return 1;
    }
    double degrees = 46;
    wpin_two_point_init(&control, &warmth, house.port.now(house.port.context));
    for (int ms = 0; ms < 40000 && status == WPIN_OK; ms++) {
        bool door_open = ms > 20000 && ms < 24000;
        wpin_moment now = house.port.now(house.port.context);
        uint8_t is = wpin_two_point_update(&control, (int16_t)(degrees * 10), door_open, now);
        if ((is & WPIN_TWO_POINT_RUNNING) != 0) {
            wpin_motor_run(&house.motor, WPIN_DUTY_FULL / 2, 0, 500);
        } else {
            wpin_motor_stop(&house.motor, 0);
        }
        honey_house_tick(&house);
        double duty = (double)wpin_motor_duty(&house.motor) / WPIN_DUTY_FULL;
        degrees += (0.4 - 2.0 * duty) * 1e-3;
        if (ms % 2000 == 0) {
            printf("%4d s %5.1f degC  may run: %-3s  runs: %-3s  cool enough: %-3s%s\n", ms / 1000,
                   degrees, yes(is, WPIN_TWO_POINT_ALLOWED), yes(is, WPIN_TWO_POINT_RUNNING),
                   yes(is, WPIN_TWO_POINT_REACHED), door_open ? "  (the door is open)" : "");
        }
        status = wpin_motor_fault(&house.motor);
    }
    honey_house_close(&house);
    printf("%s\n", wpin_status_text(status));
    return status == WPIN_OK ? 0 : 1;
}
