/* A whole program for an ATmega328P, on the port of firmware/: a motor with current sensing behind
 * a driver with direction, brake and PWM, and two buttons. Built for its size only. */
#include "../firmware/chip.h"
#include <windpin/windpin.h>

enum { DIRECTION = 4, PWM = 9, BRAKE = 7, RUN = 2, STOP = 3 };

void chip_changed(void) {}

void chip_fast(void) {}

static const WPIN_FLASH wpin_line lines[] = {{.pin = DIRECTION}, {.pin = BRAKE}, {.pin = PWM}};
static const WPIN_FLASH wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
const WPIN_FLASH wpin_motor_config motor_config = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = WPIN_DUTY_FULL,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .pause_us = 400000,
              .current_trip = WPIN_CURRENT_MV(6000, 400),
              .trip_us = 50000},
    .sense = {.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400}};
static wpin_motor motor;

static void serve_buttons(void) {
    if (!chip_port.read(NULL, RUN)) {
        wpin_motor_run(&motor, WPIN_PERCENT(60), 0, 3000);
    }
    if (!chip_port.read(NULL, STOP)) {
        wpin_motor_stop(&motor, 0);
    }
}

int main(void) {
    (void)chip_open(0);
    chip_listen(RUN);
    chip_listen(STOP);
    wpin_motor_init(&motor, &motor_config, &chip_port);
    wpin_motor_arm(&motor);
    for (;;) {
        chip_await_tick();
        wpin_motor_tick(&motor);
        serve_buttons();
    }
}
