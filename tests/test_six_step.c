/* Six-step commutation, seen from the pins: a rotor that moves whenever an interrupt can come. */
#include "support_six_step.h"

/* Requests, trips and edges at any moment between two calls of the port. */
START_TEST(it_ends_on_the_rotors_sector) {
    unsigned table = (unsigned)_i % 3;
    bool grouped = _i / 3 % 2 == 0;
    pick_seed((uint32_t)_i + 1);
    ck_assert_int_eq(set_up(table, grouped, _i / 6 % 2 == 0 ? usual : sixty), WPIN_OK);
    b.stage.reversed = _i / 6 % 2 == 1;
    b.config.advance = _i / 12 == 0 ? 0 : 80;
    b.served = true;
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    unsigned driven = 0;
    for (int i = 0; i < 8000; i++) {
        b.way = pick(50) == 0 ? -b.way : b.way;
        b.moves = 3 + pick(30);
        if (pick(10) == 0) {
            ask_at_random();
        }
        tick();
        b.moves = 0;
        shows_its_sector();
        driven += wpin_motor_duty(&b.motor) != 0;
        always(b.six.counts.counts == (int32_t)b.place);
        always(b.six.counts.illegal == 0 && b.r.shoot_through == 0);
    }
    ck_assert_uint_gt(driven, 2400);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
}
END_TEST

/* Nothing but the tick looks at the sensors: it follows a slow rotor, and a fast one is a fault. */
START_TEST(the_tick_follows_without_an_interrupt) {
    ck_assert_int_eq(set_up((unsigned)_i, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, -8000, 0, WPIN_TIMEOUT_HELD);
    for (int i = 0; i < 400; i++) {
        edge(i % 3 == 0 ? -1 : 0);
        tick();
        shows_its_sector();
    }
    ck_assert_int_lt(wpin_motor_duty(&b.motor), -7999);
    ck_assert_int_eq(b.six.counts.counts, (int32_t)b.place);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    for (int i = 0; i < 12; i++) {
        edge(i % 2 == 0 ? -1 : 0);
        tick();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_LATE);
}
END_TEST

static void shows_nothing(void) {
    for (uint8_t l = 0; l < 6; l++) {
        ck_assert(!recorder_on(&b.r, l));
    }
}

/* One wrong code is forgotten; a code that is none, or sectors left out again and again, are not.
 * Where there is no sector there is no row. */
START_TEST(a_glitch_is_no_fault_and_a_loose_wire_is_one) {
    ck_assert_int_eq(set_up(1, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    b.served = true;
    tick();
    wpin_motor_run(&b.motor, 8000, 0, WPIN_TIMEOUT_HELD);
    for (int i = 0; i < 1000; i++) {
        edge(1);
        if (i % 50 == 0) {
            b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
            wpin_six_step_edge(&b.six);
            shows_its_sector(); /* it stays where it was */
            show_sensors();
            wpin_six_step_edge(&b.six);
        }
        tick();
        shows_its_sector();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert_uint_eq(b.six.counts.illegal, 20);
    ck_assert_int_eq(b.six.counts.counts, (int32_t)b.place);
    b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
    wpin_six_step_edge(&b.six);
    tick();
    shows_nothing(); /* not a row that the rotor may have left */
    show_sensors();
    wpin_six_step_edge(&b.six);
    tick();
    shows_its_sector();
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    for (int i = 0; i < 100; i++) {
        tick(); /* forgotten */
    }
    b.r.input[HALL_A] = b.r.input[HALL_B] = b.r.input[HALL_C] = true;
    int ticks = 0;
    while (wpin_motor_fault(&b.motor) == WPIN_OK && ticks < 100) {
        tick();
        ticks++;
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
    ck_assert_int_le(ticks, 5);
    shows_nothing();
    tick();
    wpin_motor_clear_fault(&b.motor); /* it may be cleared, and comes again */
    wpin_motor_arm(&b.motor);
    for (int i = 0; i < 6; i++) {
        tick();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
}
END_TEST

/* A sensor that always says high, at edges from one in 40 ticks to four in each. */
START_TEST(a_dead_sensor_shows_at_any_speed) {
    static const int quarters[] = {1, 4, 10, 40, 100, 160}; /* of an edge in ten ticks */
    ck_assert_int_eq(set_up(1, true, usual), WPIN_OK);
    wpin_motor_arm(&b.motor);
    tick();
    wpin_motor_run(&b.motor, 8000, 0, WPIN_TIMEOUT_HELD);
    int due = 0, passed = 0;
    for (int i = 0; i < 2000 && wpin_motor_fault(&b.motor) == WPIN_OK; i++) {
        for (due += quarters[_i]; due >= 40; due -= 40) {
            b.place++;
            passed++;
            show_sensors();
            b.r.input[HALL_B] = true;
            wpin_six_step_edge(&b.six);
        }
        tick();
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_HALL);
    ck_assert_int_le(passed, 24); /* four electrical turns */
}
END_TEST

START_TEST(what_can_not_be_is_refused) {
    static const wpin_row turned[] = {WPIN_ROW(WPIN_DRIVE_COAST, 0, 0, 0, 0, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 1, 1, 0, 0, 1, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 0, 1, 0, 0, 0, 0, 1),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 2, 0, 0, 1, 0, 0, 1),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 3, 0, 1, 1, 0, 0, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 4, 0, 1, 0, 0, 1, 0),
                                      WPIN_ROW(WPIN_DRIVE_SECTOR + 5, 0, 0, 0, 1, 1, 0)};
    static const wpin_stage_table wrong_order = {.line_count = 6, .row_count = 7, .rows = turned};
    ck_assert_int_eq(set_up(0, true, usual), WPIN_OK);
    wpin_motor_close(&b.motor);
    wpin_six_step_config good = b.config;
    wpin_stage_config stage = b.stage;
    for (int wrong = 0; wrong < 9; wrong++) {
        wpin_status expected = WPIN_REFUSED_CONFIG;
        b.config = good;
        b.stage = stage;
        b.r.port.read = read_pin;
        switch (wrong) {
        case 0: b.config.sector_of[1] = WPIN_NO_SECTOR; break;
        case 1: b.config.sector_of[1] = b.config.sector_of[2]; break;
        case 2: b.config.sector_of[0] = 6; break;
        case 3: b.config.hall[1] = b.config.hall[0]; break;
        case 4: b.config.hall[1] = lines[3].pin; break;
        case 5: b.stage.table = &wrong_order; break;
        case 6: b.stage.table = &wpin_table_full_bridge; break;
        case 7: b.config.advance = 121; break;
        default: b.r.port.read = NULL; expected = WPIN_REFUSED_PORT;
        }
        ck_assert_msg(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port) == expected,
                      "mistake %d", wrong);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_six_step_edge(&b.six), WPIN_REFUSED_CLOSED);
        ck_assert_int_eq(wpin_six_step_look(&b.six), WPIN_REFUSED_CLOSED);
        ck_assert_uint_eq(wpin_six_step_sector(&b.six), WPIN_NO_SECTOR);
    }
    ck_assert_int_eq(wpin_six_step_edge(NULL), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_six_step_look(NULL), WPIN_REFUSED_ARGUMENT);
    b.config = good;
    b.stage = stage;
    b.r.port.read = read_pin;
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.motor_config, &b.r.port), WPIN_OK);
}
END_TEST

/* A failing call of the port leaves all off, whichever it is, an edge's too. */
START_TEST(a_failing_port_leaves_it_off) {
    for (int after = 1; after < 60; after++) {
        ck_assert_int_eq(set_up((unsigned)_i, after % 2 == 0, usual), WPIN_OK);
        wpin_motor_arm(&b.motor);
        tick();
        wpin_motor_run(&b.motor, 16384, 0, WPIN_TIMEOUT_HELD);
        b.r.fail_left = after;
        for (int i = 0; i < 40 && b.r.fail_left != 0; i++) {
            b.place++;
            show_sensors();
            wpin_six_step_edge(&b.six);
            if (b.r.fail_left != 0) {
                tick();
            }
        }
        ck_assert_int_eq(b.r.fail_left, 0);
        b.r.fail_left = -1;
        tick();
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_PORT);
        for (uint8_t l = 0; l < 6; l++) {
            ck_assert(!recorder_on(&b.r, l));
        }
    }
}
END_TEST

/* Sensors off their places, at a steady speed: each kind of edge comes as regularly as a good one.
 */
START_TEST(uneven_sensors_measure_the_speed) {
    static const wpin_encoder_config by_hall = {
        .quadrature = &b.six.counts, .kinds = 3, .full_hz = 4000};
    static const int off_us[3] = {0, 90, -70}; /* each edge of its sensor */
    ck_assert_int_eq(set_up(0, true, usual), WPIN_OK);
    wpin_encoder encoder;
    ck_assert_int_eq(wpin_encoder_init(&encoder, &by_hall, &b.r.port), WPIN_OK);
    uint32_t next = 5000, period = (uint32_t)(500 + 400 * _i);
    int worst = 0, edges = 0, way = _i % 2 == 0 ? 1 : -1;
    wpin_measurement m = {0};
    for (uint32_t now = 0; edges < 300; now += 1000) {
        while ((int32_t)(next + (uint32_t)off_us[edges % 3] - now) <= 0) {
            b.place += way;
            show_sensors();
            b.r.now = next + (uint32_t)off_us[edges % 3];
            wpin_six_step_edge(&b.six);
            next += period;
            edges++;
        }
        m.at = now;
        wpin_encoder_measure(&encoder, &m);
        if (edges > 12) {
            int speed = (int)(16384.0 * 1e6 / period / 4000);
            int wrong = abs(way * m.speed - speed) * 1000 / speed;
            worst = wrong > worst ? wrong : worst;
        }
    }
    ck_assert_msg(worst <= 3, "%d in a thousand", worst);
    ck_assert_int_eq(m.position, (int32_t)b.place);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("six_step");
    TCase *tests = tcase_create("six_step");
    tcase_add_loop_test(tests, it_ends_on_the_rotors_sector, 0, 24);
    tcase_add_loop_test(tests, the_tick_follows_without_an_interrupt, 0, 3);
    tcase_add_test(tests, a_glitch_is_no_fault_and_a_loose_wire_is_one);
    tcase_add_loop_test(tests, a_dead_sensor_shows_at_any_speed, 0, 6);
    tcase_add_test(tests, what_can_not_be_is_refused);
    tcase_add_loop_test(tests, a_failing_port_leaves_it_off, 0, 3);
    tcase_add_loop_test(tests, uneven_sensors_measure_the_speed, 0, 6);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
