/* Field orientation on the simulated board: what its currents, its torque and its speed are, and
 * what it does when sensors lie. */
#include "support_vector.h"

/* ---- what it does ---- */

/* Every kind: the current is across the magnet, both ways, and it turns as fast as volts, ohms and
 * the torque constant let a brushed motor of the same figures. */
static const struct kind {
    const char *change;
    double along; /* at most, as a share of the current across */
} kinds[] = {
    {BARE EVEN, 0.05},
    {BARE, 0.10},
    {BARE EVEN HALVES, 0.05},
    {BARE EVEN ";s/, c: 3}/}/", 0.05},
    {BARE EVEN ";s/c: 3}, /c: 3}, at: leads, /", 0.05},
    {BARE EVEN ";s/pole-pairs: 4/pole-pairs: 1/", 0.05},
    {BARE EVEN ";s/pole-pairs: 4/pole-pairs: 7/", 0.05},
    {BARE EVEN ";s/pwm: 20kHz/pwm: 40kHz/", 0.05},
    {BARE EVEN ";s/inductance: 0.7mH/inductance: 12mH/", 0.05},
    {BARE EVEN ";s/dead-time: 1us/dead-time: 300ns/", 0.05},
    {BARE EVEN ";s/      pwm: 20kHz/      pwm: 20kHz\\n      reversed: yes/", 0.05},
    {BARE ENCODER, 0.05},
    {BARE ENCODER ";s/lines: 500/lines: 1234, reversed: yes/", 0.05},
    {BARE ENCODER ";s/      pwm: 20kHz/      pwm: 20kHz\\n      reversed: yes/", 0.05},
};

START_TEST(the_current_is_across_the_magnet) {
    const struct kind *k = &kinds[_i];
    bool reversed = strstr(k->change, "      reversed") != NULL;
    for (int way = 1; way >= -1; way -= 2) {
        set_up(k->change, 0.03 * way);
        ask(WPIN_QUANTITY_EFFORT, 0.6 * way);
        wait_ms(3500);
        forget();
        wpin_part_reading r = wait_ms(400);
        const wpin_rig_load *l = &b.rig->loads[0];
        double sign = reversed ? -way : way, w = fabs(r.rpm_mean) * PI / 30;
        double amps =
            (l->motor.dry_friction + l->motor.load_torque + l->motor.viscous_friction * w) /
            l->motor.constant;
        double due = (0.6 * 24 - amps * wpin_rig_loop_ohms(b.rig, l)) / l->motor.constant;
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_double_gt(r.rpm_mean * sign, 0);
        ck_assert_double_eq_tol(w, due, 0.02 * due);
        ck_assert_double_eq_tol(amps_across() * sign, amps * 2 / sqrt(3), 0.03 * amps);
        ck_assert_double_le(fabs(b.along / b.periods), k->along * fabs(amps_across()));
        /* what is measured is the current between two leads that makes the same torque */
        ck_assert_double_eq_tol(wpin_motor_measurement(&b.motor).current / 100.0, amps,
                                0.1 * amps + 0.05);
        ck_assert_double_eq_tol(fabs(r.amps), amps, 0.1 * amps);
        tear_down();
    }
}
END_TEST

/* Asked for a torque it has it, whatever the speed, within a millisecond. */
START_TEST(a_torque_is_the_current_asked_for) {
    set_up(BARE EVEN
           ";s/up: 500ms, down: 500ms/up: 5ms, down: 5ms/;s/inertia: 600gcm2/inertia: 6000gcm2/",
           0.01);
    static const double amps[] = {2, 6, -4, 0.5};
    for (size_t i = 0; i < 4; i++) {
        if (i == 2) {
            ask(WPIN_QUANTITY_TORQUE, 0);
            wait_ms(8000); /* it turns the other way from rest only */
        }
        ask(WPIN_QUANTITY_TORQUE, amps[i] / 8);
        wait_ms(i % 2 == 0 ? 400 : 12);
        forget();
        wait_ms(60);
        ck_assert_double_eq_tol(amps_across(), amps[i] * 2 / sqrt(3), 0.03 * fabs(amps[i]) + 0.02);
        if (i == 2) {
            ask(WPIN_QUANTITY_TORQUE, 0);
            wait_ms(8000);
        }
    }
    tear_down();
}
END_TEST

/* Against six steps on the same motor: less of a ripple, at the same speed from less current. */
START_TEST(it_is_smoother_than_six_steps) {
    char out[4000];
    double ripple[2], share[2];
    for (int i = 0; i < 2; i++) {
        const char *change = i == 0 ? ""
                                    : "s/.*field-oriented: .*//;s/.*current: {rated.*//;s/limit: "
                                      "9A/limit: 9A, input: 0/";
        ck_assert_int_eq(run_command(out, sizeof out,
                                     "sed '" BARE EVEN ";%s' " TEST_SOURCE
                                     "/demo/honey-vector.yaml > %s && " TEST_TOOL
                                     " waves %s drum --duty 60%%",
                                     change, scratch("six.yaml"), scratch("six.yaml")),
                         0);
        ripple[i] = strtod(strstr(out, "ripple ") + 7, NULL);
        share[i] = strtod(strstr(out, "rotor: ") + 7, NULL);
    }
    ck_assert_double_lt(ripple[0], ripple[1] / 3);
    ck_assert_double_ge(share[0], share[1] - 0.5);
}
END_TEST

/* At all the effort there is against a held shaft, its current stays where it is to. */
START_TEST(a_held_shaft_gets_no_more_than_its_limit) {
    set_up(BARE, 0.02 + _i * 0.013);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    ask(WPIN_QUANTITY_EFFORT, 1);
    double most = 0;
    for (int ms = 0; ms < 1500; ms++) {
        wpin_part_reading r = wait_ms(1);
        most = fmax(most, fabs(r.amps));
    }
    ck_assert_double_lt(most, 9 * 1.12);
    ck_assert_double_gt(most, 9 * 0.9);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_STALLED);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

/* From rest to a crawl, slowly, whatever its dead time, and its diodes beside its volts: what it
 * draws meanwhile is no fault. */
START_TEST(a_slow_start_is_no_fault) {
    static const struct {
        const char *time, *diode;
    } rows[] = {
        {"200ns", "0.7V"}, {"1us", "0.7V"}, {"2us", "0.7V"}, {"3us", "0.7V"}, {"3us", "5V"}};
    char change[500];
    snprintf(change, sizeof change,
             BARE EVEN
             ";s/dead-time: 1us/dead-time: %s/;s/voltage-limit:/diode: %s, voltage-limit:/",
             rows[_i].time, rows[_i].diode);
    set_up(change, 0.02);
    const wpin_setpoint crawl = {.quantity = WPIN_QUANTITY_EFFORT, .value = WPIN_PERCENT(11)};
    ck_assert_int_eq(wpin_motor_request(&b.motor, crawl, 3000000, WPIN_TIMEOUT_HELD), WPIN_OK);
    for (int ms = 0; ms < 5000; ms++) {
        wait_ms(1);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    }
    forget();
    ck_assert_double_gt(wait_ms(300).rpm_mean, 30);
    tear_down();
}
END_TEST

/* Taken while it still turns, it is neither braked nor pushed: what it makes itself is shown. */
START_TEST(a_turning_shaft_is_taken_as_it_turns) {
    set_up(BARE EVEN ";s/inertia: 600gcm2/inertia: 6000gcm2/", 0);
    ask(WPIN_QUANTITY_EFFORT, 0.7);
    wait_ms(5000);
    ck_assert_int_eq(wpin_motor_coast(&b.motor), WPIN_OK);
    double before = wait_ms(60).rpm;
    ask(WPIN_QUANTITY_EFFORT, 0.7);
    forget();
    wait_ms(3);
    ck_assert_double_lt(fabs(amps_across()), 2);
    ck_assert_double_gt(wait_ms(17).rpm, 0.9 * before);
    tear_down();
}
END_TEST

/* All the effort there is, is all of the voltage. */
START_TEST(all_of_the_voltage_serves) {
    set_up(BARE EVEN ";s/maximum: 3300rpm/maximum: 4000rpm/", 0);
    ask(WPIN_QUANTITY_EFFORT, 1);
    wait_ms(4000);
    ck_assert_int_ge(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL * 99 / 100);
    ck_assert_double_gt(wait_ms(100).rpm_mean, 0.93 * 24 * 150);
    tear_down();
}
END_TEST

/* A heavy shaft that is slowed drives a supply up that takes nothing back: as far as it may. */
START_TEST(braking_gives_way_to_the_supply) {
    static const char heavy[] =
        "s/switch: off}/switch: off, capacitor: 4700uF}/;s/up: 6s, down: 9s/up: 15s, down: "
        "300ms/;s/inertia: 0.25kgm2/inertia: 2kgm2/;%s";
    static const char window[] = "s/noise: 20mV/noise: 20mV, supply: {input: 6, divider: 12.5%, "
                                 "give-way: 25V, give-up: 28V}/";
    double most[2] = {0, 0};
    for (int i = 0; i < 2; i++) {
        char change[600];
        snprintf(change, sizeof change, heavy, i == 1 ? window : "");
        set_up(change, 0);
        ask(WPIN_QUANTITY_SPEED, 0.7);
        wait_ms(11000);
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        for (int ms = 0; ms < 100 && most[i] < 36; ms++) {
            most[i] = fmax(most[i], wait_ms(1).supply_volts);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        tear_down();
    }
    ck_assert_double_gt(most[0], 32);
    ck_assert_double_lt(most[1], 28.5);
    ck_assert_double_gt(most[1], 25);
}
END_TEST

/* ---- what it is told wrong ---- */

static const struct lie {
    wpin_part_fault fault;
    int detail;
    wpin_status names[5];
} lies[] = {
    {WPIN_PART_FAULT_HALL_OFF, 0, {WPIN_FAULT_HALL}},
    {WPIN_PART_FAULT_HALL_SENSOR_OFF, 0, {WPIN_FAULT_HALL}},
    {WPIN_PART_FAULT_HALL_SWAPPED,
     0,
     {WPIN_FAULT_HALL, WPIN_FAULT_OVERCURRENT, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_ANGLE,
      WPIN_FAULT_OVERSPEED}}, /* by where in its turn */
    {WPIN_PART_FAULT_MOTOR_WIRE_OFF, 0, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 1, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 2, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_WIRE_OFF, 5, {WPIN_FAULT_PHASE}},
    {WPIN_PART_FAULT_STALLED, 0, {WPIN_FAULT_STALLED, WPIN_FAULT_OVERCURRENT}},
};

/* While it runs at a speed that is regulated: noticed by its name, and the stage is at rest. */
START_TEST(a_fault_is_noticed_by_its_name) {
    const struct lie *l = &lies[_i];
    set_up(BARE, 0.01);
    ask(WPIN_QUANTITY_SPEED, 0.5);
    wait_ms(1500);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    ck_assert(wpin_sim_inject(b.sim, l->fault, 0, l->detail, true));
    for (int ms = 0; ms < 1500 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        wait_ms(1);
    }
    wpin_status fault = wpin_motor_fault(&b.motor);
    bool named = false;
    for (size_t i = 0; i < sizeof l->names / sizeof *l->names; i++) {
        named = named || (fault != WPIN_OK && fault == l->names[i]);
    }
    ck_assert_msg(named, "%d", (int)fault);
    wait_ms(2);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_OFF);
    tear_down();
}
END_TEST

/* A converter that fails for a moment is bridged, one that stays so ends it. */
START_TEST(without_readings_it_ends) {
    set_up(BARE, 0);
    ask(WPIN_QUANTITY_SPEED, 0.4);
    wait_ms(1200);
    b.blind = true;
    wait_ms(1);
    b.blind = false;
    wait_ms(200);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.blind = true;
    wait_ms(20);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SENSOR);
    tear_down();
}
END_TEST

/* Its interrupt stays away, from the first start on or as it finds its encoder, turns or is held:
 * nothing stands still under power, and it starts again once the interrupt comes. */
START_TEST(without_its_interrupt_it_ends) {
    static const struct {
        const char *change;
        int after; /* ms */
    } rows[] = {{BARE, 0}, {BARE, 300}, {BARE, 1500}, {BARE ENCODER, 0}, {BARE ENCODER, 150}};
    set_up(rows[_i].change, 0);
    b.away = rows[_i].after == 0;
    ask(WPIN_QUANTITY_SPEED, 0.4);
    wait_ms(rows[_i].after);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.away = true;
    int driven = 0; /* ms */
    for (int ms = 0; ms < 1000 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        wait_ms(1);
        driven += wpin_stage_drive(&b.bound.vector_at_work.rotor.stage) == WPIN_DRIVE_VECTOR;
    }
    ck_assert(driven >= 1 && driven < 4);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_LATE);
    wpin_part_phases p;
    wait_ms(500);
    always(wpin_sim_read_phases(b.sim, 0, &p));
    ck_assert(p.amps[0] == 0 && p.amps[1] == 0 && p.amps[2] == 0);
    b.away = false;
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wait_ms(3000);
    ask(WPIN_QUANTITY_SPEED, 0.4);
    wait_ms(1000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    tear_down();
}
END_TEST

/* An encoder that slips by a quarter of an electrical turn is noticed, and found anew after that.
 */
START_TEST(an_encoder_that_slips_is_found_anew) {
    set_up(BARE ENCODER, 0.02);
    ask(WPIN_QUANTITY_SPEED, 0.3);
    wait_ms(3000);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.bound.vector_at_work.place = (b.bound.vector_at_work.place + 125) % 2000;
    for (int ms = 0; ms < 4000 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
        wait_ms(1);
    }
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_ANGLE);
    wait_ms(4000);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wait_ms(400);
    ask(WPIN_QUANTITY_SPEED, 0.3);
    wait_ms(100);
    ck_assert_int_eq(wpin_vector_doing(&b.bound.vector_at_work), WPIN_VECTOR_ALIGN);
    tear_down();
}
END_TEST

int main(void) {
    Suite *suite = suite_create("vector");
    TCase *tests = tcase_create("vector");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, the_current_is_across_the_magnet, 0, sizeof kinds / sizeof *kinds);
    tcase_add_loop_test(tests, without_its_interrupt_it_ends, 0, 5);
    tcase_add_test(tests, a_torque_is_the_current_asked_for);
    tcase_add_test(tests, it_is_smoother_than_six_steps);
    tcase_add_loop_test(tests, a_held_shaft_gets_no_more_than_its_limit, 0, 6);
    tcase_add_loop_test(tests, a_slow_start_is_no_fault, 0, 5);
    tcase_add_test(tests, all_of_the_voltage_serves);
    tcase_add_test(tests, braking_gives_way_to_the_supply);
    tcase_add_test(tests, a_turning_shaft_is_taken_as_it_turns);
    tcase_add_loop_test(tests, a_fault_is_noticed_by_its_name, 0, sizeof lies / sizeof *lies);
    tcase_add_test(tests, without_readings_it_ends);
    tcase_add_test(tests, an_encoder_that_slips_is_found_anew);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
