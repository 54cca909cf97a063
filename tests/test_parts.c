#define _GNU_SOURCE /* M_PI */
/* The simulated parts besides the motor, against closed-form answers: steppers, lamps, solenoids,
 * heat, regulators, cells, end stops. */
#include "support.h"
#include <math.h>
#include <string.h>
#include <windpin/host/sim.h>

#define MS 1000000000LL
enum { A1 = 1, A2, B1, B2, GATE };

static const wpin_part_controller controller = {5, 25, 0.04, 16e6, 65535, 0};

static wpin_part_driver ideal(wpin_logic logic) {
    return (wpin_part_driver){.logic = logic,
                              .input_resistance = 1e5,
                              .burns_above_amps = 1000,
                              .burns_above_volts = 200,
                              .interlock = true};
}

typedef struct bench {
    wpin_sim *sim;
    wpin_port port;
    int supply;
} bench;

static bench on(double volts, double ohms) {
    bench b = {.sim = wpin_sim_new(&controller)};
    b.port = wpin_sim_port(b.sim);
    b.supply = wpin_sim_add_supply(
        b.sim, &(wpin_part_supply){.volts = volts, .resistance = ohms, .on = true});
    return b;
}

/* A driver on pin GATE for whatever is connected to it. */
static int switched(bench *b, wpin_part_driver part) {
    int bridge = wpin_sim_add_bridge(b->sim, &part, b->supply);
    wpin_sim_wire_input(b->sim, bridge, 0, GATE);
    b->port.open(b->sim, GATE, WPIN_LOW);
    return bridge;
}

/* ---- stepper ---- */

static const wpin_part_stepper rotor = {.steps_per_rev = 200,
                                        .resistance = 10,
                                        .inductance = 1e-3,
                                        .rated_amps = 1,
                                        .holding_torque = 0.2,
                                        .inertia = 5e-5,
                                        .viscous_friction = 2e-4};

static bench stepper_bench(void) {
    bench b = on(10, 0);
    wpin_part_driver chip = ideal(WPIN_LOGIC_DUAL_BRIDGE);
    int bridge = wpin_sim_add_bridge(b.sim, &chip, b.supply);
    ck_assert_int_eq(wpin_sim_add_stepper(b.sim, &rotor, bridge), 0);
    for (int i = 0; i < 4; i++) {
        wpin_sim_wire_input(b.sim, bridge, i, (wpin_pin)(A1 + i));
        b.port.open(b.sim, (wpin_pin)(A1 + i), WPIN_LOW);
    }
    return b;
}

/* Let go from an eighth of a pole off, the rotor swings with w w = p k I / J (one winding). */
START_TEST(a_rotor_swings_at_its_own_frequency) {
    bench b = stepper_bench();
    b.port.write(b.sim, A1, WPIN_HIGH);
    b.port.write(b.sim, B1, WPIN_HIGH); /* rests at half a step: 0.45 of its pole pitch */
    wpin_sim_advance(b.sim, 3000 * MS);
    double half_step = wpin_sim_read(b.sim, 0).turns;
    ck_assert_double_eq_tol(half_step, 0.5 / 200, 1e-6);
    b.port.write(b.sim, B1, WPIN_LOW);
    double constant = rotor.holding_torque / sqrt(2), poles = 50;
    double expected = 2 * M_PI / sqrt(poles * constant / rotor.inertia);
    double last = half_step, first_cross = 0, second_cross = 0;
    for (int us = 0; us < 60000 && second_cross == 0; us += 10) {
        wpin_sim_advance(b.sim, 10000000);
        double turns = wpin_sim_read(b.sim, 0).turns;
        if (last > 0 && turns <= 0) {
            *(first_cross == 0 ? &first_cross : &second_cross) = us;
        }
        last = turns;
    }
    /* large swings take longer: by 1 + a a / 16 for an amplitude of a = pi / 4, and damped a little
     */
    ck_assert_double_eq_tol((second_cross - first_cross) * 1e-6, expected, expected * 0.05);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(a_rotor_follows_the_field_and_holds) {
    bench b = stepper_bench();
    static const bool states[8][4] = {{1, 0, 0, 0}, {1, 0, 1, 0}, {0, 0, 1, 0}, {0, 1, 1, 0},
                                      {0, 1, 0, 0}, {0, 1, 0, 1}, {0, 0, 0, 1}, {1, 0, 0, 1}};
    for (int way = 1, at = 0; way >= -1; way -= 2) {
        for (int n = 0; n < 40; n++) { /* half steps: the place is counted exactly */
            at += way;
            for (int i = 0; i < 4; i++) {
                b.port.write(b.sim, (wpin_pin)(A1 + i),
                             states[(at + 80) % 8][i] ? WPIN_HIGH : WPIN_LOW);
            }
            wpin_sim_advance(b.sim, 1200 * MS);
            wpin_part_reading r = wpin_sim_read(b.sim, 0);
            ck_assert_double_eq_tol(r.turns * 400, at, 0.1);
            ck_assert_double_eq_tol(r.amps_now, 1, 0.01); /* 10 V in 10 ohm */
        }
    }
    wpin_sim_free(b.sim);
}
END_TEST

/* ---- lamps and solenoids ---- */

START_TEST(a_lamp_settles_at_its_rated_point) {
    bench b = on(12, 0);
    int bridge = switched(&b, ideal(WPIN_LOGIC_LOW_SIDE));
    wpin_part_lamp lamp = {.volts = 12, .watts = 21, .cold_share = 0.07, .warm_up = 0.1};
    ck_assert_int_eq(wpin_sim_add_lamp(b.sim, &lamp, bridge), 0);
    b.port.write(b.sim, GATE, WPIN_HIGH);
    wpin_sim_advance(b.sim, MS / 100);
    double cold = 12 / (12 * 12 / 21.0 * 0.07);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, cold, cold * 0.02);
    wpin_sim_advance(b.sim, 3000 * MS);
    wpin_sim_read(b.sim, 0);
    wpin_sim_advance(b.sim, MS);
    wpin_part_reading r = wpin_sim_read(b.sim, 0);
    ck_assert_double_eq_tol(r.amps, 21.0 / 12, 1e-3);
    ck_assert_double_eq_tol(r.effect, 1, 1e-3);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(a_plunger_has_two_thresholds) {
    bench b = on(12, 0);
    int bridge = switched(&b, ideal(WPIN_LOGIC_LOW_SIDE));
    wpin_part_solenoid coil = {.resistance = 6,
                               .inductance = 60e-3, /* 10 ms */
                               .pull_in = 1,
                               .pull_in_time = 5e-3,
                               .drop_out = 0.25};
    ck_assert_int_eq(wpin_sim_add_solenoid(b.sim, &coil, bridge), 0);
    b.port.write(b.sim, GATE, WPIN_HIGH);
    double in = 0, out = 0, reaches = 10e-3 * log(2) + 5e-3; /* half of 2 A, then 5 ms more */
    for (int us = 0; us < 60000 && in == 0; us += 100) {
        wpin_sim_advance(b.sim, 100000000);
        in = wpin_sim_read(b.sim, 0).effect > 0.5 ? us * 1e-6 : 0;
    }
    ck_assert_double_eq_tol(in, reaches, 0.3e-3);
    wpin_sim_advance(b.sim, 200 * MS);
    b.port.write(b.sim, GATE, WPIN_LOW); /* runs down through an ideal diode with L / R */
    for (int us = 0; us < 100000 && out == 0; us += 100) {
        wpin_sim_advance(b.sim, 100000000);
        out = wpin_sim_read(b.sim, 0).effect < 0.5 ? us * 1e-6 : 0;
    }
    ck_assert_double_eq_tol(out, 10e-3 * log(2 / 0.25) + 1e-3, 0.3e-3);
    wpin_sim_free(b.sim);
}
END_TEST

/* ---- heat ---- */

START_TEST(heat_follows_its_time_constant) {
    bench b = on(10, 0);
    wpin_part_driver part = ideal(WPIN_LOGIC_LOW_SIDE);
    part.on_resistance = 0.5;
    part.heat = (wpin_part_heat){.resistance = 20, .time = 2, .limit = 500};
    int bridge = switched(&b, part);
    wpin_part_motor held = {.resistance = 4.5,
                            .inductance = 1e-4,
                            .constant = 0.01,
                            .inertia = 1e-4,
                            .static_friction = 10,
                            .gear_ratio = 1,
                            .gear_efficiency = 1,
                            .heat = {.resistance = 2, .time = 8, .limit = 500}};
    wpin_sim_add_motor(b.sim, &held, bridge);
    b.port.write(b.sim, GATE, WPIN_HIGH);
    for (int s = 1; s <= 12; s++) {
        wpin_sim_advance(b.sim, 1000 * MS);
        wpin_part_reading r =
            wpin_sim_read(b.sim, 0); /* 2 A: 2 W in the switch, 18 W in the winding */
        ck_assert_double_eq_tol(r.driver_degrees, 25 + 40 * (1 - exp(-s / 2.0)), 0.2);
        ck_assert_double_eq_tol(r.degrees, 25 + 36 * (1 - exp(-s / 8.0)), 0.2);
    }
    wpin_sim_free(b.sim);
}
END_TEST

/* ---- supplies ---- */

static int resistor(bench *b, int supply, double ohms) {
    wpin_part_driver part = ideal(WPIN_LOGIC_LOW_SIDE);
    int bridge = wpin_sim_add_bridge(b->sim, &part, supply);
    wpin_sim_wire_input(b->sim, bridge, 0, GATE);
    b->port.open(b->sim, GATE, WPIN_LOW);
    /* diodes with next to no forward voltage are a resistor of V V / W */
    wpin_part_lamp load = {.volts = 10, .watts = 100 / ohms, .cold_share = 1, .warm_up = 1};
    return wpin_sim_add_lamp(b->sim, &load, bridge);
}

START_TEST(regulators_pass_on_current_or_power) {
    static const struct {
        bool switching;
        double volts, taken; /* from 12 V with 0.5 ohm, 10 ohm at the output */
    } rows[] = {{false, 5, 0.5}, {true, 5, 0}, {true, 24, 0}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b = on(12, 0.5);
        int made =
            wpin_sim_add_regulator(b.sim, &(wpin_part_regulator){.from = 0,
                                                                 .volts = rows[i].volts,
                                                                 .headroom = 1,
                                                                 .least_input = 3,
                                                                 .switching = rows[i].switching,
                                                                 .efficiency = 0.8});
        resistor(&b, made, 100);
        b.port.write(b.sim, GATE, WPIN_HIGH);
        wpin_sim_advance(b.sim, 50 * MS);
        double out = rows[i].volts, amps = out / 100, taken = amps;
        if (rows[i].switching) { /* 0.8 (12 - 0.5 I) I = P */
            double power = out * amps / 0.8;
            taken = (12 - sqrt(144 - 4 * 0.5 * power)) / (2 * 0.5);
        }
        ck_assert_double_eq_tol(wpin_sim_supply_volts(b.sim, made), out, 1e-6);
        ck_assert_double_eq_tol(wpin_sim_supply_volts(b.sim, 0), 12 - 0.5 * taken, 2e-3);
        wpin_sim_free(b.sim);
    }
}
END_TEST

START_TEST(a_weak_port_gives_its_limit_and_no_more) {
    bench b = {.sim = wpin_sim_new(&controller)};
    b.port = wpin_sim_port(b.sim);
    b.supply = wpin_sim_add_supply(
        b.sim, &(wpin_part_supply){.volts = 5, .limit_amps = 0.5, .droops = true, .on = true});
    resistor(&b, b.supply, 4); /* would take 1.25 A */
    b.port.write(b.sim, GATE, WPIN_HIGH);
    wpin_sim_advance(b.sim, 100 * MS);
    wpin_sim_read(b.sim, 0);
    wpin_sim_advance(b.sim, 10 * MS);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps, 0.5, 5e-3);
    ck_assert_double_eq_tol(wpin_sim_supply_volts(b.sim, 0), 2, 2e-2);
    wpin_sim_free(b.sim);
}
END_TEST

START_TEST(cells_fall_evenly_to_empty) {
    bench b = {.sim = wpin_sim_new(&controller)};
    b.port = wpin_sim_port(b.sim);
    b.supply = wpin_sim_add_supply(
        b.sim, &(wpin_part_supply){.volts = 12, .capacity = 36, .empty_volts = 9, .on = true});
    resistor(&b, b.supply, 12);
    b.port.write(b.sim, GATE, WPIN_HIGH);
    /* dV/dt = -(3 / 36) V / 12: V = 12 e^(-t / 144), 9 V after 41.4 s */
    for (int s = 10; s <= 40; s += 10) {
        wpin_sim_advance(b.sim, 10000 * MS);
        ck_assert_double_eq_tol(wpin_sim_supply_volts(b.sim, 0), 12 * exp(-s / 144.0), 5e-3);
    }
    wpin_sim_advance(b.sim, 10000 * MS);
    ck_assert_double_lt(wpin_sim_supply_volts(b.sim, 0), 1);
    wpin_sim_free(b.sim);
}
END_TEST

/* ---- places ---- */

START_TEST(end_stops_hold_and_limit_switches_close) {
    bench b = on(12, 0);
    wpin_part_driver chip = ideal(WPIN_LOGIC_DIRECTION_PWM_BRAKE);
    int bridge = wpin_sim_add_bridge(b.sim, &chip, b.supply);
    wpin_part_motor motor = {.resistance = 2,
                             .inductance = 1e-3,
                             .constant = 0.02,
                             .inertia = 2e-5,
                             .gear_ratio = 10,
                             .gear_efficiency = 1,
                             .stop_low = -0.5,
                             .stop_high = 1.5};
    ck_assert_int_eq(wpin_sim_add_motor(b.sim, &motor, bridge), 0);
    wpin_sim_wire_input(b.sim, bridge, WPIN_DRIVER_INPUT_DIRECTION, 4);
    wpin_sim_wire_input(b.sim, bridge, WPIN_DRIVER_INPUT_PWM, 9);
    ck_assert(wpin_sim_wire_limit(b.sim, 20, 0, 1.4, 9, false));
    ck_assert(wpin_sim_wire_limit(b.sim, 21, 0, -9, -0.4, true));
    ck_assert(!wpin_sim_wire_limit(b.sim, 22, 1, 0, 1, false));
    b.port.open(b.sim, 4, WPIN_HIGH);
    b.port.open(b.sim, 9, WPIN_HIGH);
    for (int way = 1; way >= -1; way -= 2) {
        b.port.write(b.sim, 4, way > 0 ? WPIN_HIGH : WPIN_LOW);
        wpin_sim_advance(b.sim, 2000 * MS);
        wpin_part_reading r = wpin_sim_read(b.sim, 0);
        ck_assert_double_eq_tol(r.turns, way > 0 ? 1.5 : -0.5, 1e-9);
        ck_assert_double_eq(r.rpm, 0);
        ck_assert_double_eq_tol(r.amps_now, way * 6, 1e-6); /* stalled: 12 V in 2 ohm */
        ck_assert(b.port.read(b.sim, 20) == (way < 0));     /* closes to ground at its place */
        ck_assert(b.port.read(b.sim, 21) == (way < 0));     /* opens at its place */
    }
    size_t count;
    ck_assert_ptr_nonnull(strstr(wpin_sim_events(b.sim, &count)[0].what, "into an end stop"));
    wpin_sim_free(b.sim);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("parts");
    TCase *tests = tcase_create("all");
    tcase_add_test(tests, a_rotor_swings_at_its_own_frequency);
    tcase_add_test(tests, a_rotor_follows_the_field_and_holds);
    tcase_add_test(tests, a_lamp_settles_at_its_rated_point);
    tcase_add_test(tests, a_plunger_has_two_thresholds);
    tcase_add_test(tests, heat_follows_its_time_constant);
    tcase_add_test(tests, regulators_pass_on_current_or_power);
    tcase_add_test(tests, a_weak_port_gives_its_limit_and_no_more);
    tcase_add_test(tests, cells_fall_evenly_to_empty);
    tcase_add_test(tests, end_stops_hold_and_limit_switches_close);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
