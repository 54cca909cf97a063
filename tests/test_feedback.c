/* A regulated speed on simulated hardware, places, and what watches over both. */
#include "support_feedback.h"

/* Steady speeds: true within a thousandth, with little ripple, and a load step is answered. */
START_TEST(a_regulated_speed_holds) {
    static const struct {
        double rpm, ripple; /* of it, tip to tip */
        const char *change;
    } cases[] = {{3.5, 0.006, ""},
                 {-3.5, 0.006, "s/lines: 11/lines: 22/"},
                 {34, 0.002, ""},
                 {90, 0.003, ""},
                 {240, 0.002, ""},
                 {-240, 0.002, ""},
                 {90, 0.003, "s/lines: 11/lines: 500/"},
                 {90, 0.008, "s/lines: 11,/lines: 11, moments: no,/"},
                 {90, 0.02, "s/lines: 11,/lines: 22, uneven: 20%, window: 20ms,/"},
                 {90, 0.003, "s/lines: 11,/lines: 11, reversed: yes,/"},
                 {90, 0.004, "s/tick: 1ms/tick: 2ms/"}};
    bench b;
    open_drum(&b, cases[_i].change);
    run_ms(&b, 400);
    ck_assert_int_eq(ask(&b, cases[_i].rpm, 0), WPIN_OK);
    run_ms(&b, 9000);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    double least = 1e9, most = -1e9, sum = 0, due = cases[_i].rpm;
    for (int i = 0; i < 3000; i++) {
        wpin_part_reading r = run_ms(&b, 1);
        least = fmin(least, r.rpm);
        most = fmax(most, r.rpm);
        sum += r.rpm_mean / 3000;
    }
    double exact = round(due / 280 * WPIN_DUTY_FULL) * 280 / WPIN_DUTY_FULL;
    ck_assert_msg(fabs(sum / exact - 1) < 1e-3, "mean %g of %g", sum, exact);
    ck_assert_msg((most - least) < cases[_i].ripple * fabs(due), "ripple %g to %g", least, most);
    wpin_sim_set_load(b.sim, 0, 1.0); /* twice the torque */
    double worst = 0;
    bool crawls = fabs(due) < 10; /* it stops then, and learns at the next lines */
    for (int i = 0; i < 4000; i++) {
        double off = fabs(run_ms(&b, 1).rpm - exact);
        worst = fmax(worst, off);
        ck_assert_msg(i < (crawls ? 3000 : 1500) || off < 0.01 * fabs(due) + 0.5, "%d: %g off", i,
                      off);
    }
    ck_assert_msg(worst < (crawls ? 1.1 : 0.08) * fabs(due) + 2, "%g off at the step", worst);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    close_drum(&b);
}
END_TEST

/* A sense that shows both ways: its current has the sign of what drives it, and trips, limits and
 * names of faults go by its size. What it is off its zero is learnt while nothing flows. */
START_TEST(a_sense_may_show_both_ways) {
    static const double speeds[] = {90, -90, 90, -90};
    bench b;
    open_drum(&b, _i < 2 ? "s/sense: 200mV.A/sense: 200mV\\/A, sense-zero: 2.5V, sense-offset: "
                           "10mV/"
                         : "s/sense: 200mV.A/sense: 200mV\\/A, sense-zero: 2.5V, sense-offset: "
                           "110mV, sense-noise: 20mV/");
    run_ms(&b, 400);
    ck_assert_int_eq((wpin_zero_millivolts(&b.bound.zero_at_work) + 5) / 10, _i < 2 ? 1 : 11);
    ck_assert_int_eq(ask(&b, speeds[_i], 0), WPIN_OK);
    run_ms(&b, 6000);
    double sum = 0, truth = 0;
    for (int ms = 0; ms < 500; ms++) {
        truth += run_ms(&b, 1).amps / 500;
        sum += wpin_motor_measurement(&b.motor).current / 200.0 / 500;
    }
    ck_assert_msg(fabs(sum - truth) < 0.08 && sum * speeds[_i] > 0, "%g A, in truth %g", sum,
                  truth);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    wpin_sim_inject(b.sim, WPIN_PART_FAULT_STALLED, 0, 0, true);
    run_ms(&b, 2000);
    ck_assert_str_eq(wpin_status_name(wpin_motor_fault(&b.motor)), "WPIN_FAULT_STALLED");
    close_drum(&b);
}
END_TEST

/* Further off than a zero ever is, it is no sense: nothing is driven by it. */
START_TEST(a_sense_without_a_zero_is_a_fault) {
    bench b;
    open_drum(&b, "s/sense: 200mV.A/sense: 200mV\\/A, sense-zero: 2.5V, sense-offset: 300mV/");
    run_ms(&b, 400);
    ask(&b, 90, 0);
    run_ms(&b, 400);
    ck_assert_str_eq(wpin_status_name(wpin_motor_fault(&b.motor)), "WPIN_FAULT_SENSOR");
    ck_assert_int_eq(wpin_zero_millivolts(&b.bound.zero_at_work), 0);
    close_drum(&b);
}
END_TEST

static void more_of_it(void *context, wpin_measurement *m) {
    *(int16_t *)context = m->current;
}

/* Learnt only once it rests for long enough, by a stage that brakes only where that is its rest; a
 * few readings from elsewhere change nothing, and many of them are told until they are over. */
START_TEST(a_zero_is_learnt_at_rest) {
    static const struct {
        uint8_t drive;
        bool at_brake;
        int ticks, learnt, at_last;
    } rows[] = {
        {WPIN_DRIVE_COAST, false, 19, 0, 40}, {WPIN_DRIVE_COAST, false, 21, 40, 40},
        {WPIN_DRIVE_BRAKE, false, 90, 0, 0},  {WPIN_DRIVE_BRAKE, true, 21, 40, 40},
        {WPIN_DRIVE_FORWARD, true, 90, 0, 0}, {WPIN_DRIVE_REVERSE, true, 90, 0, 0},
    };
    wpin_stage stage = {.drive = rows[_i].drive};
    int16_t passed_on = 0;
    wpin_zero_config config = {.stage = &stage,
                               .settle_ms = 20,
                               .at_brake = rows[_i].at_brake,
                               .most_mv = 125,
                               .more = more_of_it,
                               .context = &passed_on};
    wpin_zero zero = {.config = &config};
    wpin_measurement m;
    for (int i = 0; i < rows[_i].ticks; i++) {
        m = (wpin_measurement){.current = 40, .valid = WPIN_HAS_CURRENT, .dt_us = 1000};
        wpin_zero_measure(&zero, &m);
        ck_assert_int_eq(passed_on, m.current);
    }
    ck_assert_int_eq(wpin_zero_millivolts(&zero), rows[_i].learnt);
    ck_assert_int_eq(m.current, 40 - rows[_i].learnt);
    pick_seed((uint32_t)_i + 1);
    for (int i = 0; i < 2000; i++) { /* now and then one from elsewhere; a sense that fails */
        int16_t lies = (int16_t)(pick(9) == 0 ? (int)pick(65536) - 32768 : 40);
        m = (wpin_measurement){.current = lies,
                               .valid = pick(20) == 0 ? 0 : WPIN_HAS_CURRENT,
                               .dt_us = (uint16_t)pick(2000)};
        uint8_t valid = m.valid;
        wpin_zero_measure(&zero, &m);
        ck_assert_uint_eq(m.valid, valid);
    }
    ck_assert_int_le(abs(wpin_zero_millivolts(&zero) - rows[_i].at_last), 12);
    int told = 0, last = 0;
    for (int i = 0; i < 100; i++) {
        m = (wpin_measurement){.current = i < 60 ? 2500 : 40, .valid = WPIN_HAS_CURRENT};
        wpin_zero_measure(&zero, &m);
        told += m.valid == 0;
        last = m.valid == 0 ? i : last;
    }
    ck_assert_int_eq(told, rows[_i].at_last != 0 ? 45 : 0);
    ck_assert_int_eq(last, rows[_i].at_last != 0 ? 59 : 0);
    wpin_zero_measure(NULL, &m);
    ck_assert_int_eq(wpin_zero_millivolts(NULL), 0);
    wpin_zero_set_position(&zero, 5);
}
END_TEST

/* Its set-point follows the ramp asked for; from one way to the other it rests at a standstill; a
 * stop comes down the ramp, and ends with nothing asked and nothing driven. */
START_TEST(a_speed_ramps_turns_over_and_stops) {
    bench b;
    open_drum(&b, "");
    run_ms(&b, 400);
    ck_assert_int_eq(ask(&b, 200, 5000000), WPIN_OK); /* longer than its ramp needs */
    for (int ms = 0; ms < 5000; ms += 500) {
        double rpm = run_ms(&b, 500).rpm, due = 40 * (ms + 500) / 1000.0;
        ck_assert_msg(fabs(rpm - due) < 4, "at %d ms %g rpm, due %g", ms, rpm, due);
    }
    ck_assert_int_eq(ask(&b, -100, 0), WPIN_OK);
    bool stood = false;
    for (int ms = 0; ms < 14000; ms++) {
        wpin_part_reading r = run_ms(&b, 1);
        int duty = wpin_motor_duty(&b.motor);
        stood = stood || (fabs(r.rpm) < 2 && duty == 0);
        ck_assert_msg(duty >= 0 || stood, "driven back at %g rpm", r.rpm);
    }
    ck_assert_double_eq_tol(run_ms(&b, 1).rpm, -100, 1);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 4000000), WPIN_OK);
    ck_assert_double_eq_tol(run_ms(&b, 2000).rpm, -50, 4);
    run_ms(&b, 2600);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert(!wpin_motor_busy(&b.motor));
    ck_assert_int_eq(b.motor.setpoint.value, 0);
    /* refused and saturated requests leave it alone */
    wpin_setpoint fast = {WPIN_QUANTITY_SPEED, 16385}, torque = {WPIN_QUANTITY_TORQUE, 5};
    ck_assert_int_eq(wpin_motor_request(&b.motor, fast, 0, 1000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_request(&b.motor, torque, 0, 1000), WPIN_REFUSED_QUANTITY);
    wpin_setpoint sixty = {WPIN_QUANTITY_SPEED, 3511};
    ck_assert_int_eq(wpin_motor_request(&b.motor, sixty, 0, 1500), WPIN_OK);
    run_ms(&b, 8000);
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    ck_assert_double_eq_tol(run_ms(&b, 1).rpm, 0, 0.1);
    close_drum(&b);
}
END_TEST

/* Asked to turn the other way, and stopped while it still rests before that: it is not driven any
 * more, and the stop is over with its ramp. */
START_TEST(a_stop_waits_for_nothing) {
    bench b;
    open_drum(&b, _i == 0 ? "" : "s/down: 9s/down: 2s/");
    run_ms(&b, 400);
    ask(&b, 200, 0);
    run_ms(&b, 6000);
    ask(&b, -200, 0);
    run_ms(&b, _i == 0 ? 5000 : 2500);
    ck_assert_uint_ne(wpin_motor_held(&b.motor) & (WPIN_HELD_REVERSAL | WPIN_HELD_SETTLING), 0);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    for (int ms = 0; ms < 9000; ms++) {
        run_ms(&b, 1);
        ck_assert_int_ge(wpin_motor_duty(&b.motor), 0);
    }
    ck_assert(!wpin_motor_busy(&b.motor));
    close_drum(&b);
}
END_TEST

/* Asked for in every tick, just before it: it goes on as if asked once, comes to rest when it is
 * told so again and again, and to its place. */
START_TEST(asked_again_and_again_it_goes_on) {
    bench b;
    open_drum(&b, _i == 0 ? "" : "s/down: 9s}/down: 9s, shape: smooth}/");
    run_ms(&b, 400);
    for (int ms = 0; ms < 5000; ms++) {
        ask(&b, 140, 0); /* half of the maximum: three seconds */
        double rpm = run_ms(&b, 1).rpm, due = fmin(140.0 * ms / 3000, 140);
        ck_assert_msg(_i == 1 || fabs(rpm - due) < 5, "at %d ms %g rpm, due %g", ms, rpm, due);
    }
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_double_eq_tol(run_ms(&b, 1).rpm, 140, 0.5);
    int ms = 0;
    for (; ms < 9000 && (ms == 0 || wpin_motor_busy(&b.motor)); ms++) {
        ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
        run_ms(&b, 1);
    }
    ck_assert_msg(ms > 2000 && ms < 6000, "it came to rest after %d ms", ms);
    run_ms(&b, 1500);
    ask(&b, -140, 0); /* on its way it is not there, whichever way it goes */
    for (ms = 0; ms < 2800; ms++) {
        run_ms(&b, 1);
        ck_assert_msg(wpin_motor_state(&b.motor) != WPIN_STATE_RUNNING, "there after %d ms", ms);
    }
    run_ms(&b, 2500);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RUNNING);
    ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK);
    run_ms(&b, 7000);
    run_ms(&b, 1500);
    for (ms = 0; ms < 20000 && (ms == 0 || wpin_motor_busy(&b.motor)); ms++) {
        ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 7200000, 1000), WPIN_OK);
        run_ms(&b, 1);
    }
    ck_assert_msg(ms < 20000, "it never let go");
    ck_assert_double_eq_tol(turns_of(&b), 20, 2.0 / wpin_rig_counts_at_output(&b.rig->loads[0]));
    close_drum(&b);
}
END_TEST

/* From effort to speed and back without a jump. */
START_TEST(speed_takes_over_from_effort_without_a_jump) {
    bench b;
    open_drum(&b, "");
    run_ms(&b, 400);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    double rpm = run_ms(&b, 9000).rpm;
    int duty = wpin_motor_duty(&b.motor);
    ck_assert_int_eq(ask(&b, rpm, 0), WPIN_OK);
    for (int i = 0; i < 1000; i++) {
        wpin_part_reading r = run_ms(&b, 1);
        ck_assert_msg(fabs(r.rpm - rpm) < 1, "%d: %g, was %g", i, r.rpm, rpm);
        ck_assert_msg(abs(wpin_motor_duty(&b.motor) - duty) < 700, "%d: %d, was %d", i,
                      wpin_motor_duty(&b.motor), duty);
    }
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    ck_assert_double_eq_tol(run_ms(&b, 3000).rpm, rpm, 2);
    close_drum(&b);
}
END_TEST

/* Faults at rest, on the ramp, at speed and slowing down: told by their names within the times the
 * rig gives, the stage at rest then. */
START_TEST(faults_of_motion_have_names) {
    static const struct {
        wpin_part_fault fault;
        wpin_status moving, starting; /* as told when it comes at speed, and before the start */
    } cases[] = {{WPIN_PART_FAULT_STALLED, WPIN_FAULT_STALLED, WPIN_FAULT_STALLED},
                 {WPIN_PART_FAULT_SENSOR_OFF, WPIN_FAULT_FEEDBACK, WPIN_FAULT_FEEDBACK},
                 {WPIN_PART_FAULT_CHANNEL_OFF, WPIN_FAULT_FEEDBACK, WPIN_FAULT_FEEDBACK},
                 {WPIN_PART_FAULT_CHANNELS_SWAPPED, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_WRONG_WAY},
                 {WPIN_PART_FAULT_MOTOR_WIRE_OFF, WPIN_FAULT_NO_CURRENT, WPIN_FAULT_NO_CURRENT},
                 {WPIN_PART_FAULT_MOTOR_SWAPPED, WPIN_FAULT_WRONG_WAY, WPIN_FAULT_WRONG_WAY}};
    for (int when = 0; when < 3; when++) { /* before, on the ramp, at speed */
        bench b;
        open_drum(&b, "");
        run_ms(&b, 400);
        if (when == 0) {
            wpin_sim_inject(b.sim, cases[_i].fault, 0, 0, true);
        }
        ask(&b, when == 1 ? 200 : 90, 0);
        run_ms(&b, when == 1 ? 2500 : when == 2 ? 4000 : 0);
        wpin_sim_inject(b.sim, cases[_i].fault, 0, 0, true);
        int ms = 0;
        for (; ms < 4000 && wpin_motor_fault(&b.motor) == WPIN_OK; ms++) {
            run_ms(&b, 1);
        }
        wpin_status due = when == 0 ? cases[_i].starting : cases[_i].moving;
        ck_assert_msg(wpin_motor_fault(&b.motor) == due, "when %d: %s after %d ms, due %s", when,
                      wpin_status_name(wpin_motor_fault(&b.motor)), ms, wpin_status_name(due));
        ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
        ck_assert_int_le(ms, 2700);
        size_t burns = 0;
        wpin_sim_burns(b.sim, &burns);
        ck_assert_uint_eq(burns, 0);
        /* latched; mended and cleared it runs again, its first move held back */
        ck_assert_int_eq(ask(&b, 90, 0), WPIN_REFUSED_FAULTED);
        wpin_sim_inject(b.sim, cases[_i].fault, 0, 0, false);
        run_ms(&b, 6000);
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        ck_assert_int_eq(ask(&b, 60, 0), WPIN_OK);
        ck_assert_msg(run_ms(&b, 1900).rpm > 40, "it does not run again");
        close_drum(&b);
    }
}
END_TEST

/* To places and by angles, both ways, the rest of a count carried on, from the middle of a move to
 * another place, with a load: within a count; fractions of a turn; and back to where it began. */
START_TEST(a_shaft_is_brought_to_its_place) {
    bench b;
    open_drum(&b, _i == 0   ? ""
                  : _i == 1 ? "s/lines: 11/lines: 256/"
                            : "s/torque: 0.5Nm/torque: 2Nm/");
    run_ms(&b, 400);
    const double count = 1.0 / wpin_rig_counts_at_output(&b.rig->loads[0]);
    static const double to[] = {1, 0.25, -0.5, 10, 9.9, 0};
    for (size_t i = 0; i < sizeof to / sizeof *to; i++) {
        wpin_status status =
            wpin_motor_turn_to(&b.motor, (int32_t)lround(to[i] * 360e3), WPIN_TIMEOUT_HELD);
        ck_assert_int_eq(status, WPIN_OK);
        int ms = until_there(&b);
        ck_assert_msg(fabs(turns_of(&b) - to[i]) <= 2 * count, "at %g, asked %g, after %d ms",
                      turns_of(&b), to[i], ms);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    }
    for (int i = 0; i < 7; i++) { /* sevenths of a turn do not fit counts: seven are one turn */
        ck_assert_int_eq(wpin_motor_turn(&b.motor, i % 2 ? 51429 : 51428, 60000), WPIN_OK);
        until_there(&b);
    }
    ck_assert_double_eq_tol(turns_of(&b), 1, 5 * count);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 3600000, 60000), WPIN_OK);
    run_ms(&b, 1500);
    ck_assert_int_eq(wpin_motor_set_position(&b.motor, 0), WPIN_REFUSED_NOT_ZERO);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 900000, 60000), WPIN_OK); /* sooner */
    until_there(&b);
    ck_assert_double_eq_tol(turns_of(&b), 2.5, 2 * count);
    ck_assert_int_eq(wpin_motor_set_position(&b.motor, 0), WPIN_OK);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 90000, 60000), WPIN_OK);
    until_there(&b);
    ck_assert_double_eq_tol(turns_of(&b), 2.75, 2.6 * count);
    ck_assert_int_eq(wpin_motor_turn(&b.motor, 3600001, 60000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 1800000001, 60000), WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_motor_turn_to(&b.motor, 3600000, 700), WPIN_OK); /* its time-out */
    run_ms(&b, 6000);
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    close_drum(&b);
}
END_TEST

/* However slowly it comes on, it is not stalled; what only shakes is. */
START_TEST(what_creeps_is_no_stall) {
    static const wpin_motion_config config = {.still = 100, .least_effort = 100, .still_ms = 500};
    wpin_motion motion = {0};
    wpin_measurement m = {.valid = WPIN_HAS_SPEED | WPIN_HAS_POSITION, .dt_us = 1000, .speed = 40};
    wpin_watched w = {.measurement = &m, .quantity = WPIN_QUANTITY_POSITION, .effort = 2000};
    for (int ms = 0; ms < 5000; ms++) {
        m.position = INT32_MAX / 2 - ms / 200;
        ck_assert_int_eq(wpin_motion_check(&motion, &config, &w), WPIN_OK);
    }
    int shaken = 0;
    do {
        m.position = 1000 + shaken / 3 % 2;
    } while (wpin_motion_check(&motion, &config, &w) == WPIN_OK && ++shaken < 2000);
    ck_assert_int_ge(shaken, 499);
    ck_assert_int_le(shaken, 501);
    m.valid = WPIN_HAS_SPEED; /* by its speed alone it stands */
    wpin_motion_reset(&motion);
    for (int ms = 0; ms < 499; ms++) {
        ck_assert_int_eq(wpin_motion_check(&motion, &config, &w), WPIN_OK);
    }
    ck_assert_int_eq(wpin_motion_check(&motion, &config, &w), WPIN_FAULT_NO_MOTION);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("feedback");
    TCase *tests = tcase_create("feedback");
    tcase_set_timeout(tests, 0);
    tcase_add_loop_test(tests, a_sense_may_show_both_ways, 0, 4);
    tcase_add_test(tests, a_sense_without_a_zero_is_a_fault);
    tcase_add_loop_test(tests, a_zero_is_learnt_at_rest, 0, 6);
    tcase_add_loop_test(tests, a_regulated_speed_holds, 0, 11);
    tcase_add_test(tests, a_speed_ramps_turns_over_and_stops);
    tcase_add_loop_test(tests, a_stop_waits_for_nothing, 0, 2);
    tcase_add_loop_test(tests, asked_again_and_again_it_goes_on, 0, 2);
    tcase_add_test(tests, speed_takes_over_from_effort_without_a_jump);
    tcase_add_loop_test(tests, a_shaft_is_brought_to_its_place, 0, 3);
    tcase_add_loop_test(tests, faults_of_motion_have_names, 0, 6);
    tcase_add_test(tests, what_creeps_is_no_stall);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
