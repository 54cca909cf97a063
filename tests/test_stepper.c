/* The stepper: steps, ramps, angles and what the coils show. */
#include "support_stepper.h"

START_TEST(moves_arrive_and_the_position_is_known) {
    static const int moves[] = {1, -1, 7, -200, 1000, -3333, 2, 0, 400};
    for (int half = 0; half < 2; half++) {
        bench b = fresh();
        b.config.half_steps = half;
        open_bench(&b);
        move(&b, 1);
        double seconds;
        run(&b, &seconds);
        int expected = 1;
        for (size_t i = 0; i < sizeof moves / sizeof *moves; i++) {
            expected += moves[i];
            ck_assert_int_eq(move(&b, moves[i]), WPIN_OK);
            ck_assert_int_eq(run(&b, &seconds), moves[i] * (half ? 1 : 2));
            ck_assert_int_eq(b.stepper.position, expected);
            ck_assert(b.stepper.held); /* holds at the end */
        }
    }
}
END_TEST

START_TEST(a_long_move_takes_the_time_of_its_ramp) {
    bench b = fresh();
    open_bench(&b);
    move(&b, 4000);
    double seconds;
    run(&b, &seconds);
    double ramp = (800 - 100) / 2000.0, ramp_steps = (800.0 * 800 - 100 * 100) / 4000;
    double expected = 2 * ramp + (4000 - 2 * ramp_steps) / 800;
    ck_assert_double_eq_tol(seconds, expected, expected * 0.01);
}
END_TEST

START_TEST(angles_carry_their_remainder) {
    for (int half = 0; half < 2; half++) {
        bench b = fresh();
        b.config.half_steps = half;
        b.config.start_rate = b.config.top_rate; /* quick */
        open_bench(&b);
        double seconds;
        for (int i = 0; i < 360; i++) { /* 1 degree is 0.56 of a step */
            ck_assert_int_eq(turn(&b, 1000), WPIN_OK);
            run(&b, &seconds);
        }
        ck_assert_int_eq(b.stepper.position, half ? 400 : 200);
        for (int i = 0; i < 100; i++) {
            turn(&b, -7654);
        }
        run(&b, &seconds);
        double exact = (half ? 400 : 200) * (1 - 765400 / 360000.0);
        ck_assert_double_eq_tol(b.stepper.position, exact, 1);
        turn(&b, 3600000);
        run(&b, &seconds);
        ck_assert_double_eq_tol(b.stepper.position, exact + (half ? 4000 : 2000), 1);
    }
}
END_TEST

START_TEST(places_are_told_and_gone_to_in_degrees) {
    static const int32_t places[] = {90000, -45000, 3600, 123456, 0, 359999, -720000, 1};
    bench b = fresh();
    open_bench(&b);
    double seconds;
    for (size_t i = 0; i < sizeof places / sizeof *places; i++) {
        ck_assert_int_eq(wpin_motor_turn_to(&b.motor, places[i], WPIN_TIMEOUT_HELD), WPIN_OK);
        run(&b, &seconds);
        ck_assert_int_eq(b.stepper.position, (int32_t)((int64_t)places[i] * 200 / 360000));
        int32_t turns, rest;
        wpin_stepper_angle(&b.stepper, &turns, &rest);
        ck_assert_int_le(abs(turns * 360000 + rest - places[i]), 1800);
    }
    /* the rest of a place that is no whole step counts in the next turn */
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 900, WPIN_TIMEOUT_HELD), WPIN_OK);
    ck_assert_int_eq(turn(&b, 900), WPIN_OK);
    ck_assert_int_eq(b.stepper.asked, 1);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 1800000001, WPIN_TIMEOUT_HELD),
                     WPIN_REFUSED_RANGE);
}
END_TEST

START_TEST(stop_changed_targets_and_release) {
    bench b = fresh();
    b.config.release = true;
    open_bench(&b);
    move(&b, 5000);
    for (int i = 0; i < 10000; i++) {
        step_on(&b);
    }
    int32_t at = b.stepper.position;
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    double seconds;
    run(&b, &seconds);
    ck_assert_int_gt(b.stepper.position, at + 100); /* ramps down, no sudden halt */
    ck_assert_int_lt(b.stepper.position, at + 250);
    ck_assert_int_eq(pointing(&b.r), -1); /* released at the end */
    b.aim = b.stepper.position;
    move(&b, 2000);
    for (int i = 0; i < 10000; i++) {
        step_on(&b);
    }
    at = (int32_t)b.aim;
    move(&b, -1900); /* back across where it is: slows, rests, returns */
    run(&b, &seconds);
    ck_assert_int_eq(b.stepper.position, at - 1900);
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, 0), WPIN_OK);
    b.aim = 0;
    move(&b, 1);
    step_on(&b);
    for (int i = 0; i < 12; i++) {
        step_on(&b);
    }
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, 0), WPIN_REFUSED_NOT_ZERO);
}
END_TEST

/* Places have an end, both ways: a stop just before it ends on it at the most. */
START_TEST(a_stop_ends_within_all_places) {
    static const int32_t before[] = {5000, 300, 60, 20, 3};
    for (size_t i = 0; i < 2 * sizeof before / sizeof *before; i++) {
        int way = i % 2 == 0 ? 1 : -1;
        int32_t most = 1 << 30, from = way * (most - before[i / 2]);
        double seconds;
        bench b = fresh();
        open_bench(&b);
        ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, from), WPIN_OK);
        b.aim = way * most;
        ck_assert_int_eq(move(&b, 0), WPIN_OK);
        while (b.stepper.position == from) {
            step_on(&b);
        }
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        run(&b, &seconds);
        int32_t went = way * (b.stepper.position - from);
        ck_assert_msg(went >= 1 && went <= before[i / 2], "row %zu: %d", i, (int)went);
        ck_assert_int_eq(b.stepper.direction, 0);
    }
}
END_TEST

START_TEST(it_holds_for_its_time_and_lets_go) {
    bench b = fresh();
    double seconds;
    b.config.release_after_us = 50000;
    open_bench(&b);
    for (int round = 0; round < 3; round++) {
        move(&b, 40);
        run(&b, &seconds);
        for (int i = 0; i < 450; i++) { /* tenths of a millisecond */
            step_on(&b);
        }
        ck_assert_int_ge(pointing(&b.r), 0);
        for (int i = 0; i < 60; i++) {
            step_on(&b);
        }
        ck_assert_int_eq(pointing(&b.r), -1);
        b.r.now += 3000000000U; /* a clock that runs back does not hold again */
        step_on(&b);
        ck_assert_int_eq(pointing(&b.r), -1);
        b.r.now -= 3000000000U;
        ck_assert_int_eq(b.stepper.position, 40 * (round + 1));
    }
}
END_TEST

static uint32_t enables(const bench *b) {
    return recorder_on(&b->r, 4) ? b->r.duty[4] : 0;
}

static void wait_tenths(bench *b, int count) {
    for (int i = 0; i < count; i++) {
        step_on(b);
    }
}

/* Its own PWM as it moves, less a while after it stands, then nothing; and full again when it goes
 * on. */
START_TEST(its_current_is_reduced_at_rest) {
    static const wpin_line lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 4},
                                      {.pin = 2}, {.pin = 3}, {.pin = 5}};
    static const wpin_stage_config enabled = {
        .table = &wpin_table_stepper_enable, .lines = lines, .pwm_hz = 20000};
    bench b = fresh();
    double seconds;
    b.config.stage = &enabled;
    b.config.duty = 12000, b.config.rest_duty = 4000;
    b.config.reduce = true;
    b.config.reduce_after_us = 30000, b.config.release_after_us = 80000;
    open_bench(&b);
    for (int round = 0; round < 3; round++) {
        move(&b, 40);
        step_on(&b), wait_tenths(&b, 20);
        ck_assert_uint_eq(enables(&b), 12000);
        run(&b, &seconds);
        wait_tenths(&b, 250);
        ck_assert_uint_eq(enables(&b), 12000);
        wait_tenths(&b, 100);
        ck_assert_uint_eq(enables(&b), 4000);
        ck_assert_int_ge(pointing(&b.r), 0);
        wait_tenths(&b, 600);
        ck_assert_uint_eq(enables(&b), 0);
        ck_assert_int_eq(pointing(&b.r), -1);
    }
    b.config.rest_duty = 16385;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_REFUSED_RANGE);
}
END_TEST

/* A table of its own: a line more tells the driver to give less at rest. */
START_TEST(a_table_may_have_rows_of_rest) {
    enum { S = WPIN_DRIVE_SECTOR, H = WPIN_CELL_HIGH, O = WPIN_CELL_LOW };
    static const wpin_row rows[] = {WPIN_ROW(WPIN_DRIVE_COAST, O, O, O, O, O),
                                    WPIN_ROW(S, H, O, O, O, O),
                                    WPIN_ROW(S + 1, H, O, H, O, O),
                                    WPIN_ROW(S + 2, O, O, H, O, O),
                                    WPIN_ROW(S + 3, O, H, H, O, O),
                                    WPIN_ROW(S + 4, O, H, O, O, O),
                                    WPIN_ROW(S + 5, O, H, O, H, O),
                                    WPIN_ROW(S + 6, O, O, O, H, O),
                                    WPIN_ROW(S + 7, H, O, O, H, O),
                                    WPIN_ROW(S + 8, H, O, O, O, H),
                                    WPIN_ROW(S + 9, H, O, H, O, H),
                                    WPIN_ROW(S + 10, O, O, H, O, H),
                                    WPIN_ROW(S + 11, O, H, H, O, H),
                                    WPIN_ROW(S + 12, O, H, O, O, H),
                                    WPIN_ROW(S + 13, O, H, O, H, H),
                                    WPIN_ROW(S + 14, O, O, O, H, H),
                                    WPIN_ROW(S + 15, H, O, O, H, H)};
    static const wpin_line lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 3}, {.pin = 4}};
    wpin_stage_table table = {.line_count = 5, .row_count = 17, .rows = rows};
    wpin_stage_config config = {.table = &table, .lines = lines};
    bench b = fresh();
    double seconds;
    b.config.stage = &config;
    b.config.half_steps = true;
    b.config.reduce = true;
    open_bench(&b);
    for (int steps = 1; steps < 12; steps++) {
        move(&b, steps);
        run(&b, &seconds);
        int at = pointing(&b.r);
        wait_tenths(&b, 2);
        ck_assert(recorder_on(&b.r, 4));
        ck_assert_int_eq(pointing(&b.r), at); /* the same windings, on as they were */
        move(&b, 1);
        wait_tenths(&b, 20);
        ck_assert(!recorder_on(&b.r, 4));
        run(&b, &seconds);
    }
    table.row_count = 16; /* one of them missing */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_REFUSED_STATE);
}
END_TEST

/* What ends every motor's motion ends a stepper's too; coast and faults let go of the coils. */
START_TEST(a_stepper_is_a_motor_like_any_other) {
    for (int way = 0; way < 5; way++) {
        bench b = fresh();
        open_bench(&b);
        wpin_setpoint far = {.quantity = WPIN_QUANTITY_POSITION, .value = 100000};
        ck_assert_int_eq(wpin_motor_request(&b.motor, far, 0, way == 0 ? 300 : WPIN_TIMEOUT_HELD),
                         WPIN_OK);
        for (int i = 0; i < 2000; i++) {
            step_on(&b);
        }
        ck_assert(wpin_motor_busy(&b.motor) && pointing(&b.r) >= 0);
        switch (way) {
        case 1: wpin_motor_stop(&b.motor, 0); break;
        case 2: wpin_motor_coast(&b.motor); break;
        case 3: wpin_motor_disarm(&b.motor); break;
        case 4: wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL); break;
        default: break;
        }
        ck_assert(way < 3 || pointing(&b.r) == -1); /* from any context, at once */
        for (int i = 0; i < 10000; i++) {
            step_on(&b);
        }
        ck_assert(!wpin_motor_busy(&b.motor));
        ck_assert_int_eq(pointing(&b.r) >= 0, way < 2);
        ck_assert_int_lt(b.stepper.position, 900);
        ck_assert_int_eq(wpin_motor_ended(&b.motor),
                         way == 0 ? WPIN_ENDED_TIMEOUT : WPIN_ENDED_NOT);
    }
}
END_TEST

/* Without its fast tick it neither goes on nor lets go: coils off, as it moves and as it holds. At
 * rest, its coils off, it need not come. */
START_TEST(without_its_fast_tick_it_ends) {
    bench b = fresh();
    open_bench(&b);
    for (int ms = 0; ms < 300; ms++) {
        b.r.now += 1000;
        wpin_motor_tick(&b.motor);
    }
    for (int held = 0; held < 2; held++) {
        ck_assert_int_eq(move(&b, 60), WPIN_OK);
        for (int i = 0; i < (held ? 20000 : 200); i++) {
            step_on(&b);
        }
        ck_assert_int_eq(wpin_motor_busy(&b.motor), !held);
        ck_assert_int_ge(pointing(&b.r), 0);
        int ms = 0;
        for (; ms < 100 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
            b.r.now += 1000;
            wpin_motor_tick(&b.motor);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_LATE);
        ck_assert(ms > 19 && ms < 24);
        ck_assert_int_eq(pointing(&b.r), -1);
        step_on(&b);
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        b.aim = b.stepper.position;
    }
}
END_TEST

/* The whole range of positions; a far angle is told in turns and the rest of one. */
START_TEST(far_positions_do_not_overflow) {
    bench b = fresh();
    open_bench(&b);
    step_on(&b);
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, 1 << 30), WPIN_OK);
    int32_t turns, rest;
    wpin_stepper_angle(&b.stepper, &turns, &rest);
    ck_assert_int_eq(turns, (1 << 30) / 200);
    ck_assert_int_eq(rest, (1 << 30) % 200 * 1800);
    b.aim = -(1 << 30);
    ck_assert_int_eq(move(&b, 0), WPIN_OK);
    for (int i = 0; i < 5000; i++) {
        step_on(&b);
    }
    ck_assert_int_lt(b.stepper.position, (1 << 30) - 50);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600000, 1000), WPIN_OK);
    ck_assert_int_eq(wpin_stepper_set_position(&b.stepper, (1 << 30) + 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_stepper_set_position(NULL, 0), WPIN_REFUSED_ARGUMENT);
    wpin_stepper_tick(NULL);
}
END_TEST

START_TEST(wrong_settings_are_refused) {
    for (int i = 0; i < 7; i++) {
        bench b = fresh();
        wpin_status expected = WPIN_REFUSED_RANGE;
        wpin_stage_config stage = coils;
        recorder_init(&b.r);
        switch (i) {
        case 0: b.config.steps_per_rev = 3; break;
        case 1: b.config.start_rate = 0; break;
        case 2: b.config.top_rate = 50; break;
        case 3: b.config.top_rate = 20001; break;
        case 4: b.config.acceleration = 0; break;
        case 5:
            stage.table = &wpin_table_full_bridge, stage.pwm_hz = 20000;
            expected = WPIN_REFUSED_STATE;
            break;
        default: stage.lines = NULL, expected = WPIN_REFUSED_ARGUMENT; break;
        }
        b.config.stage = &stage;
        wpin_motor_config config = {WPIN_ON_STEPPER(&b.stepper, &b.config),
                                    .guard = WPIN_STEPPER_GUARD};
        ck_assert_int_eq(wpin_motor_init(&b.motor, &config, &b.r.port), expected);
        ck_assert_int_eq(wpin_motor_turn(&b.motor, 1000, 1000), WPIN_REFUSED_CLOSED);
    }
    bench b = fresh();
    open_bench(&b);
    ck_assert_int_eq(turn(&b, 3600001), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(move(&b, 1 << 30), WPIN_OK);
    ck_assert_int_eq(move(&b, 1), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 5000, 0, 1000), WPIN_REFUSED_QUANTITY);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("stepper");
    TCase *tests = tcase_create("stepper");
    tcase_add_test(tests, moves_arrive_and_the_position_is_known);
    tcase_add_test(tests, a_long_move_takes_the_time_of_its_ramp);
    tcase_add_test(tests, angles_carry_their_remainder);
    tcase_add_test(tests, places_are_told_and_gone_to_in_degrees);
    tcase_add_test(tests, it_holds_for_its_time_and_lets_go);
    tcase_add_test(tests, its_current_is_reduced_at_rest);
    tcase_add_test(tests, a_table_may_have_rows_of_rest);
    tcase_add_test(tests, stop_changed_targets_and_release);
    tcase_add_test(tests, a_stop_ends_within_all_places);
    tcase_add_test(tests, a_stepper_is_a_motor_like_any_other);
    tcase_add_test(tests, without_its_fast_tick_it_ends);
    tcase_add_test(tests, far_positions_do_not_overflow);
    tcase_add_test(tests, wrong_settings_are_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
