/* A drive on a field bus as a motor's actuator, with a simulated drive at the other end of a
 * simulated bus. */
#include "support_axis.h"

START_TEST(it_is_set_up_and_moves_nothing) {
    begin();
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_FAULT_SILENT);
    double most = 0;
    unsigned ms = 0;
    for (; ms < 3000 && b.axis.setup != WPIN_AXIS_SET_UP; ms++) {
        pass(1);
        most = fmax(most, fabs(rpm()));
    }
    ck_assert_int_eq(b.axis.setup, WPIN_AXIS_SET_UP);
    ck_assert_double_eq(most, 0);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    end();
}
END_TEST

START_TEST(it_runs_at_a_speed_both_ways) {
    begin();
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(rpm(), 1500, 5);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(run_at(-0.25, 3000), WPIN_OK);
    pass(1200);
    ck_assert_double_eq_tol(rpm(), -750, 5);
    pass(3000);
    ck_assert_double_eq_tol(rpm(), 0, 1);
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    end();
}
END_TEST

START_TEST(it_goes_to_a_place) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 3600000, 10000), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 10, 0.002);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

/* A speed asked for on the way to a place, either way: it comes to rest between the two, and is
 * known to be at rest after both. */
START_TEST(a_speed_overtakes_a_place) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600000, 10000), WPIN_OK);
    pass(400);
    ck_assert_double_gt(rpm(), 200);
    ck_assert_int_eq(run_at(_i == 0 ? 0.3 : -0.3, WPIN_TIMEOUT_HELD), WPIN_OK);
    unsigned stood = 0;
    for (int ms = 0; ms < 2500; ms++) {
        pass(1);
        stood += fabs(rpm()) < 1;
        ck_assert(_i == 0 || wpin_motor_duty(&b.motor) >= 0 || rpm() < 30);
    }
    ck_assert_uint_ge(stood, _i == 0 ? 1 : 50); /* turning over, its pause too */
    ck_assert_double_eq_tol(rpm(), _i == 0 ? 900 : -900, 10);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    pass(2500);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 360000, 10000), WPIN_OK);
    pass(2500);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

START_TEST(it_turns_back_only_from_standstill) {
    begin();
    b.axis_config.reversed = _i != 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    double sign = _i != 0 ? -1 : 1; /* of the drive's own shaft */
    ck_assert_int_eq(run_at(0.4, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * 1200, 10);
    ck_assert_int_eq(run_at(-0.4, WPIN_TIMEOUT_HELD), WPIN_OK);
    unsigned stood = 0;
    for (int ms = 0; ms < 2000; ms++) {
        pass(1);
        bool forward = sign * b.axis.velocity > 0, told_back = wpin_motor_duty(&b.motor) < 0;
        ck_assert(!(forward && told_back && fabs(rpm()) > 30));
        stood += fabs(rpm()) < 1;
    }
    ck_assert_uint_ge(stood, 50); /* the pause of its rig */
    ck_assert_double_eq_tol(rpm(), sign * -1200, 10);
    ck_assert_int_gt(wpin_motor_measurement(&b.motor).current != 0, 0);
    ck_assert_int_lt(wpin_motor_measurement(&b.motor).speed, 0);
    end();
}
END_TEST

START_TEST(places_are_gone_to_by_how_far_and_again) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 90000, 5000), WPIN_OK);
    pass(1000);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 90000, 5000), WPIN_OK);
    pass(1000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 0.5, 0.003);
    ck_assert_int_eq(wpin_motor_set_position(&b.motor, 0), WPIN_OK);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, -360000, 5000), WPIN_OK);
    pass(2000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, -0.5, 0.003);
    ck_assert_int_eq(run_at(0.2, 1000), WPIN_OK); /* from places to speeds */
    pass(800);
    ck_assert_double_eq_tol(rpm(), 600, 5);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 0, 8000), WPIN_OK); /* and back, while it turns */
    pass(4000);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).turns, 0.5, 0.003);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    end();
}
END_TEST

/* By the methods of CiA 402: the place is known as the drive says it, and a second time too. */
static const struct {
    double stop_low, stop_high;
    int32_t method, offset;
    bool reversed;
    double turns; /* where its shaft stands then; 99: where it stood */
} homings[] = {{0, 0, 37, 0, false, 99},        {0, 0, 35, 500, false, 99},
               {-1.2, 8, 17, 0, false, -1.108}, {-1.2, 8, 17, 4000, false, -1.108},
               {-8, 2.3, 18, 0, false, 2.197},  {-1.2, 8, 17, -300, true, -1.108}};

START_TEST(it_finds_its_home_by_its_own_method) {
    stops[0] = homings[_i].stop_low;
    stops[1] = homings[_i].stop_high;
    begin();
    b.settings[5] = number(0x6098, 0, 1, (uint32_t)homings[_i].method);
    b.settings[6] = number(0x607C, 0, 4, (uint32_t)homings[_i].offset);
    b.settings[7] = number(0x6099, 1, 4, 8000);
    b.settings[8] = number(0x6099, 2, 4, 800);
    b.axis_config.setting_count = 9;
    b.axis_config.reversed = homings[_i].reversed;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    for (int round = 0; round < 2; round++) {
        int32_t way = (homings[_i].method == 18) != homings[_i].reversed ? -1 : 1; /* off it */
        ck_assert_int_eq(wpin_motor_turn(&b.motor, way * 360000, 5000), WPIN_OK);
        pass(1500);
        double stood = wpin_sim_read(b.sim, 0).turns;
        ck_assert_int_eq(wpin_motor_home(&b.motor, 20000), WPIN_OK);
        unsigned ms = 0;
        pass(1);
        ck_assert(!wpin_motor_is_homed(&b.motor));
        for (; ms < 15000 && wpin_motor_busy(&b.motor); ms++) {
            pass(1);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_lt(ms, 15000);
        ck_assert(wpin_motor_is_homed(&b.motor));
        double turns = wpin_sim_read(b.sim, 0).turns;
        ck_assert_double_eq_tol(turns, homings[_i].turns == 99 ? stood : homings[_i].turns, 0.02);
        int32_t offset = homings[_i].reversed ? -homings[_i].offset : homings[_i].offset;
        pass(20);
        ck_assert_int_eq(abs(wpin_motor_measurement(&b.motor).position - offset) <= 12, 1);
    }
    int32_t half = homings[_i].method == 18 ? -180000 : 540000, at = half / 360 * COUNTS / 1000;
    half = homings[_i].reversed ? -half : half;
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, half, 5000), WPIN_OK);
    pass(2500);
    at = homings[_i].reversed ? -at : at;
    ck_assert_int_le(abs(wpin_motor_measurement(&b.motor).position - at), 4);
    end();
    stops[0] = stops[1] = 0;
}
END_TEST

START_TEST(a_home_that_is_not_found_is_not_one) {
    stops[0] = -50;
    stops[1] = 50;
    begin();
    b.settings[5] = number(0x6098, 0, 1, _i == 0 ? 17 : 3); /* far away; a method that it lacks */
    b.axis_config.setting_count = 6;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_home(&b.motor, 2000), WPIN_REFUSED_NOT_ARMED);
    arm();
    ck_assert_int_eq(wpin_motor_home(&b.motor, 0), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_home(&b.motor, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(800);
    if (_i == 0) {
        ck_assert_double_gt(fabs(rpm()), 1);
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        pass(500);
        ck_assert_double_lt(fabs(rpm()), 1);
        ck_assert(!wpin_motor_busy(&b.motor));
        ck_assert_int_eq(run_at(0.2, 1000), WPIN_OK); /* and on it goes */
        pass(700);
        ck_assert_double_eq_tol(rpm(), 600, 5);
    } else {
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_DRIVE);
    }
    ck_assert(!wpin_motor_is_homed(&b.motor));
    end();
    stops[0] = stops[1] = 0;
}
END_TEST

START_TEST(a_torque_is_one_of_its_rated_current) {
    begin();
    arm();
    wpin_sim_set_load(b.sim, 0, 0.02);
    wpin_setpoint s = {WPIN_QUANTITY_TORQUE, (int32_t)lround(0.3 * WPIN_DUTY_FULL)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, 1000), WPIN_OK);
    pass(400);
    ck_assert_double_eq_tol(wpin_sim_read(b.sim, 0).amps_now, 0.9, 0.1); /* 30 % of 3 A */
    pass(3000);
    ck_assert(!wpin_motor_busy(&b.motor));
    end();
}
END_TEST

START_TEST(what_it_is_not_given_is_refused_by_name) {
    begin();
    arm();
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(40), 0, 1000), WPIN_REFUSED_QUANTITY);
    ck_assert_int_eq(run_at(1.2, 1000), WPIN_REFUSED_RANGE);
    b.axis_config.full_speed = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(run_at(0.1, 1000), WPIN_REFUSED_CLOSED);
    b.axis_config.full_speed = 1000;
    b.axis_config.number = 127; /* the controller's own */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_CONFLICT);
    b.axis_config.number = 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    end();
}
END_TEST

/* ---- plain drives, and nodes without heartbeats ---- */

static void begin_plain(void) {
    build_plain();
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
}

START_TEST(a_plain_drive_takes_speeds_and_nothing_else) {
    static const uint8_t others[] = {WPIN_QUANTITY_POSITION, WPIN_QUANTITY_TORQUE};
    begin_plain();
    b.axis_config.reversed = _i != 0;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    double sign = _i != 0 ? -1 : 1;
    for (int i = 0; i < 2; i++) {
        wpin_setpoint s = {others[i], 1000};
        ck_assert_int_eq(wpin_motor_request(&b.motor, s, 0, 1000), WPIN_REFUSED_QUANTITY);
    }
    ck_assert_int_ne(wpin_motor_turn(&b.motor, 360000, 1000), WPIN_OK);
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * 1500, 5);
    ck_assert_int_eq(b.axis.mode, 2);
    ck_assert_int_eq(run_at(-0.25, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), sign * -750, 5);
    ck_assert_int_lt(wpin_motor_measurement(&b.motor).speed, 0);
    ck_assert_int_eq(wpin_motor_measurement(&b.motor).valid & WPIN_HAS_POSITION, 0);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    pass(600);
    ck_assert_double_eq_tol(rpm(), 0, 10);
    end();
}
END_TEST

START_TEST(a_plain_drives_faults_are_cleared_too) {
    begin_plain();
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1200);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    until_fault(WPIN_FAULT_DRIVE, 1500);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, false);
    unsigned ms = 0;
    while (wpin_motor_clear_fault(&b.motor) != WPIN_OK && ms++ < 3000) {
        pass(1);
    }
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1500);
    ck_assert_double_eq_tol(rpm(), 1500, 5);
    b.axis_config.full_speed = 32768;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_RANGE);
    end();
}
END_TEST

START_TEST(a_guarded_node_bears_lost_answers_and_stops_without_questions) {
    build();
    b.axis_config.heartbeat_ms = 0;
    b.axis_config.guard_ms = 20;
    b.network_config.heartbeat_us = 0;
    b.network_config.number = 0;
    ck_assert_int_eq(wpin_network_open(&b.network, &b.network_config, &b.bus), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_OK);
    arm();
    ck_assert_int_eq(run_at(0.5, WPIN_TIMEOUT_HELD), WPIN_OK);
    pass(1200);
    for (unsigned long n = 1; n <= 60; n++) { /* any frame: also a question, and an answer */
        wpin_sim_lose_frame(b.sim, 0, n);
        pass(100);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(b.axis.node.state, WPIN_NODE_OPERATIONAL);
    }
    ck_assert_double_eq_tol(rpm(), 1500, 10);
    for (int ms = 0; ms < 1000; ms++) { /* nobody asks any more, nor ticks: by itself */
        wpin_sim_advance(b.sim, 1000000000);
    }
    ck_assert_double_eq_tol(rpm(), 0, 10);
    b.axis_config.heartbeat_ms = 100; /* one or the other */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.port), WPIN_REFUSED_CONFIG);
    end();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("axis");
    TCase *tests = tcase_create("drive");
    tcase_set_timeout(tests, 300);
    tcase_add_test(tests, it_is_set_up_and_moves_nothing);
    tcase_add_test(tests, it_runs_at_a_speed_both_ways);
    tcase_add_loop_test(tests, it_turns_back_only_from_standstill, 0, 2);
    tcase_add_test(tests, it_goes_to_a_place);
    tcase_add_loop_test(tests, a_speed_overtakes_a_place, 0, 2);
    tcase_add_test(tests, places_are_gone_to_by_how_far_and_again);
    tcase_add_loop_test(tests, it_finds_its_home_by_its_own_method, 0,
                        sizeof homings / sizeof *homings);
    tcase_add_loop_test(tests, a_home_that_is_not_found_is_not_one, 0, 2);
    tcase_add_test(tests, a_torque_is_one_of_its_rated_current);
    tcase_add_test(tests, what_it_is_not_given_is_refused_by_name);
    tcase_add_loop_test(tests, a_plain_drive_takes_speeds_and_nothing_else, 0, 2);
    tcase_add_test(tests, a_plain_drives_faults_are_cleared_too);
    tcase_add_test(tests, a_guarded_node_bears_lost_answers_and_stops_without_questions);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
