/* A field-oriented motor of the demo on simulated hardware. */
#ifndef WPIN_TESTS_SUPPORT_VECTOR_H
#define WPIN_TESTS_SUPPORT_VECTOR_H

#include "support.h"
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <windpin/host/rehearsal.h>
#include <windpin/host/sim.h>

#define PI 3.14159265358979323846

/* The bench: a rig of the demo with its text changed, and a motor on it. */
static struct bench {
    wpin_rig *rig;
    wpin_sim *sim;
    wpin_port port;
    wpin_bound_load bound;
    wpin_motor motor;
    double along, across, worst_along; /* of a while: means and worst, A at a lead's tip */
    double least_torque, most_torque, torque;
    unsigned periods;
    bool blind; /* the converter of leg b fails */
    bool away;  /* so does the interrupt: it does not come */
} b;

static int16_t (*under)(void *context, uint8_t input);

static inline int16_t read_input(void *context, uint8_t input) {
    return b.blind && input == 2 ? WPIN_NO_READING : under(context, input);
}

/* Looks at the phases as they truly are at each period, along and across the true magnet. */
static inline void in_period(void *context) {
    wpin_part_phases p;
    always(wpin_sim_read_phases(b.sim, 0, &p));
    double q = (p.degrees - 90) * PI / 180; /* the emf's own direction */
    double x = p.amps[0], y = (p.amps[1] - p.amps[2]) / sqrt(3);
    double along = x * sin(q) - y * cos(q), across = x * cos(q) + y * sin(q);
    b.along += along;
    b.across += across;
    b.worst_along = fmax(b.worst_along, fabs(along));
    b.torque += p.torque;
    b.least_torque = b.periods == 0 ? p.torque : fmin(b.least_torque, p.torque);
    b.most_torque = b.periods == 0 ? p.torque : fmax(b.most_torque, p.torque);
    b.periods++;
    always(b.away || wpin_vector_period(context) <= WPIN_FAULT_MASTER);
}

static inline void forget(void) {
    b.along = b.across = b.worst_along = b.torque = 0;
    b.periods = 0;
}

static inline void set_up(const char *change, double start_turns) {
    char out[200];
    wpin_messages m = {0};
    memset(&b, 0, sizeof b);
    ck_assert_int_eq(run_command(out, sizeof out,
                                 "sed '%s' " TEST_SOURCE "/demo/honey-vector.yaml > %s", change,
                                 scratch("vector.yaml")),
                     0);
    b.rig = wpin_rig_read(scratch("vector.yaml"), &m);
    ck_assert_msg(b.rig != NULL, "%s", m.count > 0 ? m.items[0].text : "");
    wpin_rig_load *load = &b.rig->loads[0];
    load->motor.start_turns = start_turns;
    b.sim = wpin_board_build(b.rig);
    b.port = wpin_sim_port(b.sim);
    under = b.port.millivolts;
    b.port.millivolts = read_input;
    wpin_sim_switch(b.sim, 0, true);
    wpin_bind_load(&b.bound, b.rig, load);
    ck_assert_int_eq(wpin_bound_open(&b.bound, &b.motor, &b.port), WPIN_OK);
    if (load->hall.there) {
        ck_assert(wpin_sim_on_hall(b.sim, 0, wpin_bound_edge, &b.bound));
    }
    ck_assert(wpin_sim_on_pwm_begin(b.sim, 0, in_period, &b.bound.vector_at_work));
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_messages_free(&m);
}

static inline void tear_down(void) {
    size_t burns;
    const wpin_part_burn *burnt = wpin_sim_burns(b.sim, &burns);
    ck_assert_msg(burns == 0, "%s", burns > 0 ? burnt[0].reason : "");
    wpin_motor_close(&b.motor);
    wpin_sim_free(b.sim);
    wpin_rig_free(b.rig);
}

static inline wpin_part_reading wait_ms(int ms) {
    wpin_part_reading r = {0};
    for (int i = 0; i < ms; i++) {
        wpin_motor_tick(&b.motor);
        wpin_sim_advance(b.sim, 1000000000LL);
        r = wpin_sim_read(b.sim, 0);
    }
    return r;
}

static inline void ask(wpin_quantity quantity, double share) {
    wpin_setpoint s = {.quantity = (uint8_t)quantity,
                       .value = (int32_t)lround(share * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
}

static inline double amps_across(void) {
    return b.across / b.periods;
}

/* A quick shaft: nothing but the rotor, no gear. */
#define BARE                                                                                       \
    "s/gear: 12.*}/load: {torque: 0.05Nm}}/;s/rated: 240rpm, maximum: 280rpm/rated: 2900rpm, "     \
    "maximum: 3300rpm/;s/up: 6s, down: 9s/up: 500ms, down: 500ms/"
#define EVEN    ";s/, uneven: 2deg//"
#define ENCODER ";s/hall: .*/encoder: {lines: 500, pins: {a: 14, b: 15}}/"
#define HALVES                                                                                     \
    ";s/kind: three-phase-bridge/kind: three-half-bridges/;s/dead-time: "                          \
    "1us//;s/a-high/a/;s/a-low/a-enable/;s/b-high/b/;s/b-low/b-enable/;s/c-high/c/;s/c-low/"       \
    "c-enable/"

#endif
