/* A drive on a field bus as a motor's actuator, a simulated one at the other end of the bus. */
#ifndef WPIN_TESTS_SUPPORT_AXIS_H
#define WPIN_TESTS_SUPPORT_AXIS_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/sim.h>

enum { NODE = 5, COUNTS = 4000, FULL_RPM = 3000, RATED_MA = 3000 };

/* A bench: one drive, its motor, and the controller that commands it. */
static struct bench {
    wpin_sim *sim;
    wpin_fieldbus bus;
    wpin_port port;
    wpin_network network;
    wpin_network_config network_config;
    wpin_axis axis;
    wpin_axis_config axis_config;
    wpin_protection protections[1];
    wpin_motor motor;
    wpin_loop_state loop_state;
    wpin_motor_config config;
    wpin_setting settings[16];
    int supply, drive;
} b;

static const wpin_part_controller controller = {.logic_volts = 3.3,
                                                .pin_resistance = 25,
                                                .pin_burns_above = 0.04,
                                                .timer_hz = 16e6,
                                                .timer_steps_max = 65536};
static const wpin_part_motor usual_motor = {.name = "axis",
                                            .resistance = 0.8,
                                            .inductance = 1.2e-3,
                                            .constant = 0.07,
                                            .inertia = 1.2e-4,
                                            .dry_friction = 0.02,
                                            .static_friction = 0.03,
                                            .viscous_friction = 2e-5,
                                            .gear_ratio = 1,
                                            .gear_efficiency = 1,
                                            .load_inertia = 1e-4};
static const wpin_part_driver usual_stage = {.name = "drive",
                                             .logic = WPIN_LOGIC_FIELD_BUS,
                                             .off_phase = WPIN_OFF_SHORT,
                                             .on_resistance = 0.05,
                                             .diode_volts = 0.8,
                                             .diode_resistance = 0.05,
                                             .input_resistance = 1e5,
                                             .burns_above_amps = 30,
                                             .burns_after = 1e-3,
                                             .burns_above_volts = 60,
                                             .interlock = true};

static inline wpin_setting number(uint16_t index, uint8_t sub, uint8_t size, uint32_t value) {
    return (wpin_setting){index, sub, size, value, 0};
}

static double stops[2]; /* of the next one's shaft, turns; both 0: none */

static inline void build(void) {
    memset(&b, 0, sizeof b);
    b.sim = wpin_sim_new(&controller);
    b.supply = wpin_sim_add_supply(b.sim, &(wpin_part_supply){.name = "drives",
                                                              .volts = 36,
                                                              .resistance = 0.05,
                                                              .limit_amps = 20,
                                                              .capacitance = 4700e-6,
                                                              .on = true});
    b.drive = wpin_sim_add_bridge(b.sim, &usual_stage, b.supply);
    wpin_part_motor motor = usual_motor;
    motor.stop_low = stops[0];
    motor.stop_high = stops[1];
    ck_assert_int_ge(wpin_sim_add_motor(b.sim, &motor, b.drive), 0);
    int bus = wpin_sim_add_fieldbus(b.sim, 1e6);
    wpin_part_axis part = {
        .number = NODE, .counts = COUNTS, .rated_amps = RATED_MA / 1e3, .logic_supply = -1};
    ck_assert(wpin_sim_add_drive(b.sim, &part, bus, b.drive));
    ck_assert(wpin_sim_fieldbus(b.sim, bus, &b.bus));
    b.port = wpin_sim_port(b.sim);
    b.network_config = (wpin_network_config){.sync_us = 4000, .heartbeat_us = 20000, .number = 127};
    uint32_t full = FULL_RPM / 60 * COUNTS;
    b.settings[0] = number(0x6007, 0, 2, 3);
    b.settings[1] = number(0x605A, 0, 2, 6);
    b.settings[2] = number(0x6083, 0, 4, full * 5);
    b.settings[3] = number(0x6084, 0, 4, full * 5);
    b.settings[4] = number(0x6085, 0, 4, full * 20);
    b.axis_config = (wpin_axis_config){.network = &b.network,
                                       .number = NODE,
                                       .full_speed = full,
                                       .full_current = 3000,
                                       .profile_speed = full / 2,
                                       .hold_still = 4,
                                       .heartbeat_ms = 100,
                                       .settings = b.settings,
                                       .setting_count = 5};
    b.protections[0] = (wpin_protection)WPIN_AXIS_PROTECTION(&b.axis);
    b.config = (wpin_motor_config){
        WPIN_ON_AXIS(&b.axis, &b.axis_config),
        .guard = {.cap = (uint16_t)WPIN_DUTY_FULL,
                  .up = WPIN_SLEW_US(500000),
                  .down = WPIN_SLEW_US(500000),
                  .reversal = WPIN_REVERSAL_STANDSTILL,
                  .standstill = 160,
                  .pause_us = 50000},
        .sense = {.place = wpin_axis_set_position, .context = &b.axis, .current_mv_per_a = 1000},
        WPIN_CLOSED_LOOP(&b.loop_state),
        .protections = b.protections,
        .protection_count = 1,
        .at_count = 4,
        .counts_per_turn = COUNTS};
}

static inline void begin(void) {
    build();
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
}

static inline void end(void) {
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    b.sim = NULL;
}

static inline void pass(unsigned ms) {
    for (unsigned i = 0; i < ms; i++) {
        wpin_sim_advance(b.sim, 1000000000);
        wpin_motor_tick(&b.motor);
    }
}

static inline double rpm(void) {
    return wpin_sim_read(b.sim, 0).rpm;
}

static inline void arm(void) {
    for (int i = 0; i < 2000 && wpin_motor_arm(&b.motor) != WPIN_OK; i++) {
        pass(1);
    }
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    pass(1);
}

static inline wpin_status run_at(double share, uint32_t timeout_ms) {
    wpin_setpoint s = {WPIN_QUANTITY_SPEED, (int32_t)lround(share * WPIN_DUTY_FULL)};
    return wpin_motor_request(&b.motor, s, 0, timeout_ms);
}

/* One that takes speeds only. */
static inline void build_plain(void) {
    build();
    b.axis_config.full_speed = FULL_RPM;
    b.axis_config.profile_speed = 0;
    b.settings[2] = number(0x6048, 1, 4, FULL_RPM * 5);
    b.settings[3] = number(0x6049, 1, 4, FULL_RPM * 5);
    b.settings[4] = number(0x604A, 1, 4, FULL_RPM * 20);
    b.config.actuator = &wpin_plain_axis_actuator;
}

/* Waits for a fault; how long that took, ms. */
static inline unsigned until_fault(wpin_status fault, unsigned most) {
    unsigned ms = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ms++ < most) {
        pass(1);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), fault);
    return ms;
}

#endif
