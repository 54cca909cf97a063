/* A brushless motor on simulated hardware. */
#ifndef WPIN_TESTS_SUPPORT_BRUSHLESS_H
#define WPIN_TESTS_SUPPORT_BRUSHLESS_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/sim.h>
#include <windpin/host/waves.h>

#define PI 3.14159265358979323846

static const wpin_part_controller controller = {.logic_volts = 5,
                                                .pin_resistance = 25,
                                                .pin_burns_above = 0.04,
                                                .timer_hz = 16e6,
                                                .timer_steps_max = 65535};
static const wpin_part_driver three_phase_bridge = {.logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
                                                    .on_resistance = 0.02,
                                                    .diode_volts = 0.7,
                                                    .diode_resistance = 0.03,
                                                    .input_resistance = 100e3,
                                                    .burns_above_amps = 100,
                                                    .burns_after = 1,
                                                    .burns_above_volts = 100,
                                                    .interlock = true};
static const wpin_part_motor drum = {.resistance = 0.5,
                                     .inductance = 0.6e-3,
                                     .constant = 0.06,
                                     .inertia = 4e-5,
                                     .static_friction = 0.012,
                                     .dry_friction = 0.008,
                                     .viscous_friction = 2e-5,
                                     .gear_ratio = 1,
                                     .gear_efficiency = 1,
                                     .load_torque = 0.03,
                                     .pole_pairs = 4};

typedef struct board {
    wpin_sim *sim;
    wpin_port port;
    int motor, hall;
} board;

static inline board set_up_on(const wpin_part_driver *driver, const wpin_part_motor *motor,
                              double supply_ohms, const wpin_part_hall *sensors) {
    static const wpin_pin pins[3] = {14, 15, 16};
    board b = {.sim = wpin_sim_new(&controller)};
    int supply = wpin_sim_add_supply(
        b.sim, &(wpin_part_supply){.volts = 24, .resistance = supply_ohms, .on = true});
    int bridge = wpin_sim_add_bridge(b.sim, driver, supply);
    b.motor = wpin_sim_add_motor(b.sim, motor, bridge);
    ck_assert_int_eq(b.motor, 0);
    for (int i = 0; i < 6; i++) {
        wpin_sim_wire_input(b.sim, bridge, i, (wpin_pin)i);
    }
    b.hall = wpin_sim_add_hall(b.sim, sensors, b.motor, pins);
    b.port = wpin_sim_port(b.sim);
    for (wpin_pin i = 0; i < 6; i++) {
        b.port.open(b.port.context, i, WPIN_LOW);
    }
    return b;
}

static inline board set_up(const wpin_part_motor *motor, double supply_ohms,
                           const wpin_part_hall *sensors) {
    return set_up_on(&three_phase_bridge, motor, supply_ohms, sensors);
}

#endif
