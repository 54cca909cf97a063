/* A whole program for an ATmega328P, on the port of firmware/: the honey conveyor at an even speed,
 * by an encoder that its interrupt counts, its current limited, behind a driver with direction,
 * brake and PWM, and two buttons. Built for its size only. */
#include "../firmware/chip.h"
#include <windpin/windpin.h>

enum { DIRECTION = 4, PWM = 9, BRAKE = 7, RUN = 2, STOP = 3, A = 5, B = 6 };

static wpin_quadrature edges;

void chip_changed(void) {
    wpin_quadrature_edge(&edges, chip_port.read(NULL, A), chip_port.read(NULL, B),
                         chip_port.now(NULL));
}

void chip_fast(void) {}

static const WPIN_FLASH wpin_line lines[] = {{.pin = DIRECTION}, {.pin = BRAKE}, {.pin = PWM}};
static const WPIN_FLASH wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
static wpin_counting encoder;
const WPIN_FLASH wpin_counting_config encoder_config = {WPIN_COUNTS_AT_FULL(2000),
                                                        .quadrature = &edges, .smooth = 1};
static wpin_speed loop;
static const WPIN_FLASH wpin_speed_config gains = {
    .feed = 14000, .friction = 900, .gain = 800, .integral = 1100};
static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&loop, &gains)};
static wpin_loop_state loop_state;
const WPIN_FLASH wpin_motor_config motor_config = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = WPIN_DUTY_FULL,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .regulated = WPIN_SLEW_US(20000),
              .reversal = WPIN_REVERSAL_STANDSTILL,
              .standstill = 160,
              .pause_us = 100000,
              .current_limit = WPIN_CURRENT_MV(4000, 400),
              .limit_gain = 2},
    .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SPEED,
              .current_mv_per_a = 400,
              .more = wpin_counting_measure,
              .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = regulators,
    .regulator_count = 1};
static wpin_motor motor;

static void serve_buttons(void) {
    if (!chip_port.read(NULL, RUN)) {
        wpin_setpoint speed = {.quantity = WPIN_QUANTITY_SPEED, .value = WPIN_PERCENT(60)};
        wpin_motor_request(&motor, speed, 0, 3000);
    }
    if (!chip_port.read(NULL, STOP)) {
        wpin_motor_stop(&motor, 0);
    }
}

int main(void) {
    (void)chip_open(0);
    chip_listen(RUN);
    chip_listen(STOP);
    chip_listen(A);
    chip_listen(B);
    wpin_counting_init(&encoder, &encoder_config, &chip_port);
    wpin_motor_init(&motor, &motor_config, &chip_port);
    wpin_motor_arm(&motor);
    for (;;) {
        chip_await_tick();
        wpin_motor_tick(&motor);
        serve_buttons();
    }
}
