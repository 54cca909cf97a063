/* A motor behind a driver on simulated hardware. */
#ifndef WPIN_TESTS_SUPPORT_SIM_H
#define WPIN_TESTS_SUPPORT_SIM_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/sim.h>

#define MS 1000000000LL
#define US 1000000LL
enum { DIRECTION = 4, BRAKE = 7, PWM = 9 };

static const wpin_part_controller controller = {5, 25, 0.04, 16e6, 65535, 0};
static const double R = 2, L = 2e-3, K = 0.02, J = 2e-5, V = 12;

typedef struct bench {
    wpin_part_supply supply;
    wpin_part_driver bridge;
    wpin_part_motor motor;
    wpin_sim *sim;
    wpin_port port;
} bench;

/* A motor without friction on ideal switches: what the formulas of the books are for. */
static inline bench ideal(void) {
    return (bench){.supply = {.name = "main", .volts = V, .on = true},
                   .bridge = {.name = "driver",
                              .diode_volts = 0,
                              .input_resistance = 1e5,
                              .burns_above_amps = 100,
                              .burns_above_volts = 60,
                              .interlock = true},
                   .motor = {.name = "motor",
                             .resistance = R,
                             .inductance = L,
                             .constant = K,
                             .inertia = J,
                             .gear_ratio = 1,
                             .gear_efficiency = 1}};
}

static inline void build(bench *b) {
    b->sim = wpin_sim_new(&controller);
    int supply = wpin_sim_add_supply(b->sim, &b->supply);
    int bridge = wpin_sim_add_bridge(b->sim, &b->bridge, supply);
    ck_assert_int_eq(wpin_sim_add_motor(b->sim, &b->motor, bridge), 0);
    wpin_sim_wire_input(b->sim, bridge, WPIN_DRIVER_INPUT_DIRECTION, DIRECTION);
    wpin_sim_wire_input(b->sim, bridge, WPIN_DRIVER_INPUT_BRAKE, BRAKE);
    wpin_sim_wire_input(b->sim, bridge, WPIN_DRIVER_INPUT_PWM, PWM);
    b->port = wpin_sim_port(b->sim);
    wpin_pwm_achieved achieved;
    b->port.open(b->sim, DIRECTION, WPIN_HIGH);
    b->port.open(b->sim, BRAKE, WPIN_LOW);
    b->port.open(b->sim, PWM, WPIN_LOW);
    ck_assert_int_eq(b->port.pwm_start(b->sim, PWM, &(wpin_pwm_request){.hz = 20000}, &achieved),
                     WPIN_OK);
    ck_assert_uint_eq(achieved.steps, 800);
    ck_assert_uint_eq(achieved.millihertz, 20000000);
}

/* Lets time pass and reads only its last millisecond. */
static inline wpin_part_reading after(bench *b, int64_t ps) {
    wpin_sim_advance(b->sim, ps - MS);
    wpin_sim_read(b->sim, 0);
    wpin_sim_advance(b->sim, MS);
    return wpin_sim_read(b->sim, 0);
}

static inline void set_duty(bench *b, double share) {
    b->port.pwm_duty(b->sim, PWM, (uint16_t)lround(share * WPIN_DUTY_FULL));
}

static inline double rpm(double rad_s) {
    return rad_s * 30 / M_PI;
}

#endif
