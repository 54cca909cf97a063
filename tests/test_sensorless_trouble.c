/* Without sensors in a nasty world: lost steps, dead switches, bad clocks, what is refused. */
#define _GNU_SOURCE
#include "support_sensorless.h"

/* ---- losing its step ---- */

/* Held and let go it starts anew; held for good it says so after three tries, and nothing is on. */
START_TEST(a_lost_step_starts_anew) {
    set_up("", 0, 0.6);
    ask(0.5);
    double before = wait_ms(4000).rpm;
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    wait_ms(300);
    ck_assert_uint_ge(b.bound.sensorless_at_work.lost, 1);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_REST);
    ck_assert(!anything_driven());
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    ck_assert_double_eq_tol(wait_ms(6000).rpm, before, 0.02 * before);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    int ms = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ms < 20000) {
        tick();
        ms++;
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_NO_MOTION);
    ck_assert_int_le(ms, 11000);
    ck_assert(!anything_driven());
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 8000, 0, 1000), WPIN_REFUSED_FAULTED);
    wpin_motor_clear_fault(&b.motor);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    tick();
    wpin_motor_run(&b.motor, 8000, 0, 1500); /* the first move after a fault ends by itself */
    wait_ms(1600);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    tear_down();
}
END_TEST

static const struct {
    wpin_part_fault fault;
    bool at_rest; /* put in before it starts */
} broken[] = {{WPIN_PART_FAULT_SUPPLY_DEAD, false},    {WPIN_PART_FAULT_SUPPLY_DEAD, true},
              {WPIN_PART_FAULT_MOTOR_WIRE_OFF, false}, {WPIN_PART_FAULT_MOTOR_WIRE_OFF, true},
              {WPIN_PART_FAULT_SENSOR_OFF, false},     {WPIN_PART_FAULT_SENSOR_OFF, true},
              {WPIN_PART_FAULT_STALLED, true}};

/* A switch that never turns on leaves two rows without current: its sense tells. */
START_TEST(a_dead_switch_is_noticed) {
    set_up("", 0, 0.2);
    ask(0.5);
    wait_ms(4000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_WIRE_OFF, 0, _i, true);
    wait_ms(500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PHASE);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

START_TEST(what_is_broken_ends_in_a_fault) {
    set_up("", 0, 0.2);
    if (broken[_i].at_rest) {
        wpin_sim_inject(b.sim, broken[_i].fault, 0, 0, true);
    }
    ask(0.5);
    wait_ms(3000);
    wpin_sim_inject(b.sim, broken[_i].fault, 0, 0, true);
    wait_ms(12000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_NO_MOTION);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

/* ---- a nasty world ---- */

/* Let go at speed and asked again at once, it runs down first; long after, it starts at once. */
START_TEST(it_runs_down_before_it_starts_again) {
    set_up("", 0, 0.3);
    wpin_sensorless_design d = wpin_rig_sensorless_design(b.rig, &b.rig->loads[0]);
    const wpin_sensorless *s = &b.bound.sensorless_at_work;
    ask(1);
    wait_ms(4500);
    wpin_motor_coast(&b.motor);
    wait_ms(3);
    ask(0.5);
    double peak = 0;
    for (int ms = 0; ms < 2300; ms++) {
        peak = fmax(peak, tick().amps_max);
        ck_assert(wpin_sensorless_doing(s) ==
                  (ms < 1490 ? WPIN_SENSORLESS_REST : wpin_sensorless_doing(s)));
    }
    ck_assert_double_lt(peak, 3 * d.amps);
    wait_ms(1500);
    ck_assert_int_eq(wpin_sensorless_doing(s), WPIN_SENSORLESS_RUN);
    wpin_motor_coast(&b.motor);
    wait_ms(2000);
    for (int i = 0; i < 300; i++) { /* 50 minutes in steps of ten seconds, disarmed */
        wpin_motor_disarm(&b.motor);
        b.ahead += 10000000;
        tick();
    }
    wpin_motor_clear_fault(&b.motor);
    wpin_motor_arm(&b.motor);
    wait_ms(3);
    ask(0.5);
    wait_ms(600);
    ck_assert_int_eq(wpin_sensorless_doing(s), WPIN_SENSORLESS_ALIGN);
    tear_down();
}
END_TEST

/* A current limit below what the start takes: it starts all the same, and is limited from then on.
 */
START_TEST(a_current_limit_does_not_keep_it_from_starting) {
    set_up("s/input: 0}/input: 0, limit: 700mA}/", 0, 0.3);
    ask(1);
    wait_ms(6000);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_RUN);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_uint_ne(wpin_motor_held(&b.motor) & WPIN_HELD_CURRENT, 0);
    ck_assert_uint_eq(b.bound.sensorless_at_work.lost, 0);
    ck_assert_int_lt(wpin_motor_duty(&b.motor), WPIN_PERCENT(90));
    tear_down();
}
END_TEST

/* Interrupts that never come, a clock that jumps: at worst it starts anew. */
START_TEST(it_lives_with_a_bad_clock_and_missed_interrupts) {
    set_up("", 0, 0.45);
    pick_seed((uint32_t)_i + 1);
    b.missed = _i == 0 ? 30 : 0;
    ask(0.6);
    for (int i = 0; i < 6000; i++) {
        tick();
        if (_i != 0 && i % 50 == 0 && i < 2500) {
            b.ahead += _i == 1 ? -(int64_t)pick(2000) : (int64_t)pick(2) * 900;
        }
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_RUN);
    tear_down();
}
END_TEST

/* The interrupt stays away, from the first start on or as it aligns, ramps or runs: no row stands
 * for good, and it starts again once the interrupt comes. */
START_TEST(without_its_interrupt_it_ends) {
    static const int after[] = {0, 200, 700, 1500, 5000};
    set_up("", 0, 0.3);
    b.missed = after[_i] == 0 ? 100 : 0;
    ask(0.6);
    wait_ms(after[_i]);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.missed = 100;
    int driven = 0; /* ms */
    for (int ms = 0; ms < 1000 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        tick();
        driven += anything_driven();
    }
    ck_assert(driven >= 1 && driven < 4);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_LATE);
    ck_assert(!anything_driven());
    ck_assert(wait_ms(50).amps == 0);
    b.missed = 0;
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wait_ms(3000);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 8000, 0, 1500), WPIN_OK);
    wait_ms(1600);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    tear_down();
}
END_TEST

/* Trip, stop, coast, disarm at any moment of a start or a run: everything off, at once where that
 * is asked, and it starts again. */
START_TEST(it_ends_at_any_moment) {
    set_up("", 0, 0.8);
    pick_seed(5);
    for (int round = 0; round < 8; round++) {
        ask(round % 4 == 3 ? -0.4 : 0.4);
        wait_ms(1 + (int)pick(2000));
        switch (round % 4) {
        case 0:
            wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
            ck_assert(!anything_driven());
            break;
        case 1: wpin_motor_coast(&b.motor); break;
        case 2: wpin_motor_disarm(&b.motor); break;
        default: wpin_motor_stop(&b.motor, 0); break;
        }
        wait_ms(round % 4 == 3 ? 2500 : 2);
        ck_assert_msg(!anything_driven(), "round %d", round);
        ck_assert_int_eq(wpin_sensorless_doing(&b.bound.sensorless_at_work), WPIN_SENSORLESS_OFF);
        wait_ms(1500);
        wpin_motor_clear_fault(&b.motor);
        wpin_motor_arm(&b.motor);
        wait_ms(2);
    }
    tear_down();
}
END_TEST

/* A port that refuses: a fault, in the interrupt as in the tick. */
START_TEST(a_port_that_refuses_is_a_fault) {
    set_up("", 0, 0);
    ask(0.5);
    wait_ms(_i == 0 ? 400 : 3000);
    b.refused = 1;
    wait_ms(700);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
    b.refused = 0;
    wait_ms(5);
    ck_assert(!anything_driven());
    tear_down();
}
END_TEST

/* ---- what can not be ---- */

static const wpin_sensorless_step steps[] = {{400, 3000}, {300, 3100}};
static const wpin_line lines[6] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const wpin_stage_config stage = {.table = &wpin_table_three_phase_bridge_high,
                                        .lines = lines,
                                        .pwm_hz = 20000,
                                        .dead_time_us = 1};
static const wpin_stage_config bridge = {
    .table = &wpin_table_two_inputs, .lines = lines, .pwm_hz = 20000, .dead_time_us = 1};

START_TEST(what_can_not_be_is_refused) {
    static const wpin_sensorless_step none[] = {{400, 0}}, no_time[] = {{0, 100}},
                                      too_long[] = {{5000, 100}}, too_much[] = {{400, 16385}};
    wpin_sensorless_config good = {.stage = &stage,
                                   .above = {14, 15, 16},
                                   .ramp = steps,
                                   .ramp_count = 2,
                                   .align_ms = 300,
                                   .rest_ms = 1000,
                                   .least_us = 100};
    wpin_sensorless_config bad[14];
    for (size_t i = 0; i < 14; i++) {
        bad[i] = good;
    }
    bad[0].stage = &bridge;
    bad[1].above[1] = 14;
    bad[2].above[2] = 3;
    bad[3].ramp = NULL;
    bad[4].ramp_count = 0;
    bad[5].ramp = none, bad[5].ramp_count = 1;
    bad[6].ramp = no_time, bad[6].ramp_count = 1;
    bad[7].ramp = too_long, bad[7].ramp_count = 1;
    bad[8].ramp = too_much, bad[8].ramp_count = 1;
    bad[9].align_ms = 0;
    bad[10].rest_ms = 60001;
    bad[11].least_us = 0;
    bad[12].advance = 121;
    bad[13].least_duty = 16385;
    static wpin_sensorless phases;
    wpin_motor motor = {0};
    recorder r;
    recorder_init(&r);
    for (size_t i = 0; i < 14; i++) {
        wpin_motor_config config = {WPIN_ON_SENSORLESS(&phases, &bad[i]),
                                    .guard = {.cap = WPIN_DUTY_FULL,
                                              .up = WPIN_SLEW_US(1000000),
                                              .down = WPIN_SLEW_US(1000000)}};
        wpin_status status = wpin_motor_init(&motor, &config, &r.port);
        ck_assert_msg(status == WPIN_REFUSED_CONFIG, "%zu: %d", i, status);
        ck_assert_int_eq(wpin_sensorless_sample(&phases), WPIN_REFUSED_CLOSED);
    }
    wpin_motor_config config = {WPIN_ON_SENSORLESS(&phases, &good),
                                .guard = {.cap = WPIN_DUTY_FULL,
                                          .up = WPIN_SLEW_US(1000000),
                                          .down = WPIN_SLEW_US(1000000)}};
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &r.port), WPIN_OK);
    ck_assert_int_eq(wpin_sensorless_doing(&phases), WPIN_SENSORLESS_OFF);
    r.port.read = NULL;
    wpin_motor_close(&motor);
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &r.port), WPIN_REFUSED_PORT);
    ck_assert_int_eq(wpin_sensorless_sample(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_sensorless_doing(NULL), WPIN_SENSORLESS_OFF);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sensorless_trouble");
    TCase *tests = tcase_create("sensorless_trouble");
    tcase_set_timeout(tests, 0);
    tcase_add_test(tests, a_lost_step_starts_anew);
    tcase_add_loop_test(tests, what_is_broken_ends_in_a_fault, 0, sizeof broken / sizeof *broken);
    tcase_add_loop_test(tests, a_dead_switch_is_noticed, 0, 6);
    tcase_add_test(tests, it_runs_down_before_it_starts_again);
    tcase_add_test(tests, a_current_limit_does_not_keep_it_from_starting);
    tcase_add_loop_test(tests, it_lives_with_a_bad_clock_and_missed_interrupts, 0, 3);
    tcase_add_loop_test(tests, without_its_interrupt_it_ends, 0, 5);
    tcase_add_test(tests, it_ends_at_any_moment);
    tcase_add_loop_test(tests, a_port_that_refuses_is_a_fault, 0, 2);
    tcase_add_test(tests, what_can_not_be_is_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
