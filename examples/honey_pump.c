/* The honey pump: what the core is told about it, and the simulated bench it stands on. */
#include "honey_pump.h"
#include <stdio.h>
#include <windpin/host/sim.h>

static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
static const WPIN_FLASH wpin_stage_config stage = {/* direction, brake, pwm */
                                                   .table = &wpin_table_direction_pwm_brake,
                                                   .lines = lines,
                                                   .pwm_hz = 20000,
                                                   .dead_time_us = 2};
static wpin_stage chip;
static const WPIN_FLASH wpin_motor_config config = {
    WPIN_ON_STAGE(&chip, &stage),
    .guard = {.cap = WPIN_DUTY_FULL,
              .up = WPIN_SLEW_US(2000000),   /* rest to full effort in two seconds */
              .down = WPIN_SLEW_US(1500000), /* and back */
              .pause_us = 400000}};          /* before it may turn the other way */
static const wpin_part_supply supply = {
    .name = "main", .volts = 12, .resistance = 0.12, .on = true};
static const wpin_part_driver driver = {.on_resistance = 0.18,
                                        .diode_volts = 0.8,
                                        .diode_resistance = 0.05,
                                        .input_resistance = 1e5,
                                        .burns_above_amps = 8,
                                        .burns_after = 10e-3,
                                        .burns_above_volts = 30,
                                        .interlock = true};
static const wpin_part_motor motor = {.name = "pump",
                                      .resistance = 1.4,
                                      .inductance = 1.6e-3,
                                      .constant = 22e-3,
                                      .inertia = 16e-6,
                                      .static_friction = 14e-3,
                                      .dry_friction = 9e-3,
                                      .viscous_friction = 3e-6,
                                      .gear_ratio = 18,
                                      .gear_efficiency = 0.75,
                                      .load_torque = 0.12,
                                      .load_viscous = 2e-3,
                                      .load_inertia = 90e-6};

static wpin_sim *simulated_board(void) {
    wpin_sim *sim = wpin_sim_new(&(wpin_part_controller){5, 25, 0.04, 16e6, 65535, 0});
    int bridge = wpin_sim_add_bridge(sim, &driver, wpin_sim_add_supply(sim, &supply));
    wpin_sim_add_motor(sim, &motor, bridge);
    wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_DIRECTION, 4);
    wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_BRAKE, 7);
    wpin_sim_wire_input(sim, bridge, WPIN_DRIVER_INPUT_PWM, 9);
    return sim;
}

wpin_status honey_bench_open(honey_bench *bench) {
    *bench = (honey_bench){0}; /* a motor is zero before its first init */
    bench->hardware = simulated_board();
    bench->port = wpin_sim_port(bench->hardware); /* the one line that chooses the hardware */
    wpin_status status = wpin_motor_init(&bench->pump, &config, &bench->port);
    return status == WPIN_OK ? wpin_motor_arm(&bench->pump) : status;
}

void honey_bench_tick(honey_bench *bench) {
    wpin_motor_tick(&bench->pump);
    bench->port.pause(bench->port.context, 1000);
}

void honey_bench_show(honey_bench *bench, const char *what) {
    wpin_part_reading now = wpin_sim_read(bench->hardware, 0);
    printf("%7.3f s  %-14s duty %+6.1f %%  %+5.0f rpm\n",
           (double)wpin_sim_time(bench->hardware) * 1e-12, what,
           wpin_motor_duty(&bench->pump) * 100.0 / WPIN_DUTY_FULL, now.rpm);
}

void honey_bench_close(honey_bench *bench) {
    wpin_motor_close(&bench->pump);
    wpin_sim_free(bench->hardware);
}
