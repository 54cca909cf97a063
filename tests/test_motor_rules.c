/* What keeps a motor and its stage from harm: start duty and kick, least times, time-outs, limits,
 * faults. */
#include "support_motor.h"

START_TEST(requests_below_the_start_duty_follow_the_policy) {
    static const struct {
        wpin_below_start below;
        int duty;
        wpin_status status;
        int shown;
    } rows[] = {
        {WPIN_BELOW_ALLOW, 500, WPIN_OK, 500},
        {WPIN_BELOW_REFUSE, 500, WPIN_REFUSED_BELOW_START, 0},
        {WPIN_BELOW_REFUSE, -3000, WPIN_OK, -3000},
        {WPIN_BELOW_LIFT, 500, WPIN_OK, 3000},
        {WPIN_BELOW_LIFT, -500, WPIN_OK, -3000},
        {WPIN_BELOW_LIFT, 5000, WPIN_OK, 5000},
        {WPIN_BELOW_KICK, 2500, WPIN_OK, 2500},
        {WPIN_BELOW_KICK, 1500, WPIN_REFUSED_BELOW_START, 0},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b = fresh();
        b.config.start = (wpin_start_config){.start_duty = 3000,
                                             .drop_out_duty = 2000,
                                             .below = (uint8_t)rows[i].below,
                                             .kick_duty = 9000,
                                             .kick_us = 50000};
        ready_bench(&b, 0);
        ck_assert_int_eq(wpin_motor_run(&b.motor, (wpin_duty)rows[i].duty, 0, 10000),
                         rows[i].status);
        run_ms(&b, 2000);
        ck_assert_int_eq(wpin_motor_duty(&b.motor), rows[i].shown);
        ck_assert_uint_eq(wpin_motor_lifted(&b.motor),
                          rows[i].below == WPIN_BELOW_LIFT && abs(rows[i].duty) < 3000);
    }
}
END_TEST

START_TEST(a_kick_comes_at_every_start_and_ends) {
    bench b = fresh();
    b.config.start = (wpin_start_config){.kick_duty = 9000, .kick_us = 80000};
    b.config.guard.cap = 8000;
    ready_bench(&b, 0xFFFFFFFF - 230000);
    wpin_motor_run(&b.motor, 1638, 0, WPIN_TIMEOUT_HELD); /* ramps there in 100 ms */
    run_ms(&b, 2);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 8000); /* the kick, within the cap */
    run_ms(&b, 82);
    ck_assert_int_lt(wpin_motor_duty(&b.motor), 1500); /* and on along the ramp */
    run_ms(&b, 100);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 1638);
    wpin_motor_run(&b.motor, -1638, 0, WPIN_TIMEOUT_HELD); /* after a reversal too */
    run_ms(&b, 50 + 200 + 20);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), -8000);
    wpin_motor_end_kick(&b.motor); /* the first pulses have come */
    run_ms(&b, 1);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), -1000);
    wpin_motor_brake(&b.motor);
    run_ms(&b, 10);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    wpin_motor_run(&b.motor, -163, 0, WPIN_TIMEOUT_HELD); /* ramps there in 10 ms */
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), -8000);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_RAMPING); /* not yet as asked */
    wpin_motor_stop(&b.motor, 0); /* a stop ends the kick at once */
    run_ms(&b, 1);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), -300);
    static const wpin_start_config wrong[] = {{.start_duty = 16385},
                                              {.start_duty = 100, .drop_out_duty = 200},
                                              {.kick_duty = 100, .kick_us = 3000000},
                                              {.below = WPIN_BELOW_KICK}};
    for (int i = 0; i < 4; i++) {
        bench w = fresh();
        w.config.start = wrong[i];
        w.config.part = &w.bridge;
        recorder_init(&w.r);
        ck_assert_int_eq(wpin_motor_init(&w.motor, &w.config, &w.r.port), WPIN_REFUSED_RANGE);
    }
}
END_TEST

START_TEST(an_on_off_stage_keeps_its_least_times) {
    static const wpin_line coil[] = {{.pin = 5}};
    static const wpin_stage_config relay = {.table = &wpin_table_relay, .lines = coil};
    bench b = fresh();
    b.config.part_config = &relay;
    b.config.guard.minimum_us = 300000;
    ready_bench(&b, 0xFFFFFFFF - 900000); /* across the wrap */
    ck_assert_int_eq(wpin_motor_run(&b.motor, 8000, 0, 1000), WPIN_REFUSED_ON_OFF);
    uint32_t changed = b.r.now - 1000000;
    bool was_on = false;
    unsigned operations = 0;
    pick_seed(3);
    for (int ms = 0; ms < 20000; ms++) { /* a hand that flips it about */
        if (pick(40) == 0) {
            if (pick(2)) {
                wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
            } else {
                wpin_motor_stop(&b.motor, 0);
            }
        }
        run_ms(&b, 1);
        bool on = recorder_on(&b.r, 5);
        if (on != was_on) {
            ck_assert_uint_ge(b.r.now - changed, 299000);
            changed = b.r.now;
            operations += on;
        }
        was_on = on;
    }
    ck_assert_uint_gt(operations, 10);
    ck_assert_uint_eq(wpin_motor_operations(&b.motor), operations);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 700);
    wpin_motor_stop(&b.motor, 0);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 700);
    ck_assert(recorder_on(&b.r, 5));
    wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL); /* a fault waits for nothing */
    ck_assert(!recorder_on(&b.r, 5));
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE); /* not latched yet */
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_motor_run(&b.motor, WPIN_DUTY_FULL, 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 290);
    ck_assert(!recorder_on(&b.r, 5)); /* but what follows it does */
    run_ms(&b, 20);
    ck_assert(recorder_on(&b.r, 5));
    operations = wpin_motor_operations(&b.motor);
    wpin_motor_close(&b.motor);
    ck_assert_uint_eq(wpin_motor_operations(&b.motor), operations); /* for a report at the end */
}
END_TEST

/* A time-out counts from the request, not from the tick before it or after it. */
START_TEST(time_outs_count_from_the_request) {
    for (int idle_ms = 0; idle_ms < 40; idle_ms += 13) {
        bench b = fresh();
        ready_bench(&b, 0xFFFFFFFF - 700000);
        b.r.now += (uint32_t)idle_ms * 1000;
        wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 1000);
        run_ms(&b, 999);
        ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_NOT);
        run_ms(&b, 2);
        ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    }
}
END_TEST

/* It would be over before it may move: better told than silently nothing. */
START_TEST(a_run_shorter_than_the_pause_before_it_is_refused) {
    bench b = fresh();
    open_bench(&b, 0);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 100), WPIN_REFUSED_PAUSE);
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 100), WPIN_OK);
    run_ms(&b, 50);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(-50), 0, 100), WPIN_REFUSED_PAUSE);
    run_ms(&b, 20);
    ck_assert_int_gt(wpin_motor_duty(&b.motor), 0);
}
END_TEST

/* A refused init leaves nothing that could move; the init of a turning motor, refused or not, first
 * turns it off, in the safe order, and forgets no fault. */
START_TEST(opening_again_is_safe_too) {
    for (int good = 0; good < 2; good++) {
        bench b = fresh();
        ready_bench(&b, 0);
        wpin_motor_run(&b.motor, WPIN_PERCENT(-60), 0, WPIN_TIMEOUT_HELD);
        run_ms(&b, 900);
        ck_assert(recorder_on(&b.r, PWM));
        b.r.count = 0;
        wpin_motor_config wrong = b.config;
        wrong.guard.cap = 0;
        const wpin_motor_config *next = good ? &b.config : &wrong;
        ck_assert_int_eq(wpin_motor_init(&b.motor, next, &b.r.port),
                         good ? WPIN_OK : WPIN_REFUSED_RANGE);
        ck_assert_int_eq(b.r.records[0].pin, PWM); /* before direction or brake move */
        ck_assert(!recorder_on(&b.r, PWM));
        run_ms(&b, 10);
        ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 1000),
                         good ? WPIN_REFUSED_NOT_ARMED : WPIN_REFUSED_CLOSED);
        if (!good) {
            ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_CLOSED);
            ck_assert_int_eq(wpin_motor_stop(&b.motor, 0), WPIN_OK); /* it does stand */
            continue;
        }
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        ck_assert_int_eq(wpin_motor_init(&b.motor, next, &b.r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_EXTERNAL);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    }
}
END_TEST

/* A hoist is held by its brake while armed and free otherwise, and the other way round. */
START_TEST(rest_and_safe_state_may_differ) {
    for (int hoist = 0; hoist < 2; hoist++) {
        bench b = fresh();
        b.config.rest_drive = hoist ? WPIN_DRIVE_BRAKE : WPIN_DRIVE_COAST;
        b.config.safe_drive = hoist ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE;
        open_bench(&b, 0);
        ck_assert(recorder_on(&b.r, BRAKE) == !hoist);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
        run_ms(&b, 201);
        ck_assert(recorder_on(&b.r, BRAKE) == hoist);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
        wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, 300);
        run_ms(&b, 1000);
        ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_READY);
        ck_assert(recorder_on(&b.r, BRAKE) == hoist);
        wpin_motor_disarm(&b.motor);
        run_ms(&b, 1);
        ck_assert(recorder_on(&b.r, BRAKE) == !hoist);
        ck_assert_int_ne(wpin_motor_coast(&b.motor), WPIN_OK); /* it would be no truth if braked */
    }
}
END_TEST

START_TEST(limit_switches_end_motion_one_way_only) {
    enum { OPEN = 20, SHUT = 21 };
    bench b = fresh();
    b.config.sense.limit_forward = (wpin_limit){.used = true, .pin = OPEN};
    b.config.sense.limit_reverse = (wpin_limit){.used = true, .pin = SHUT, .high = true};
    recorder_init(&b.r);
    b.config.part = &b.bridge;
    b.r.input[OPEN] = true; /* reads low at its limit; the other one high */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 201);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_OK);
    run_ms(&b, 1000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(60));
    b.r.input[OPEN] = false; /* the first contact counts ... */
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    ck_assert(wpin_motor_ended(&b.motor) == WPIN_ENDED_LIMIT && !wpin_motor_busy(&b.motor));
    b.r.input[OPEN] = true; /* ... whatever it does then */
    run_ms(&b, 500);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    b.r.input[OPEN] = false;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_REFUSED_LIMIT);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(-60), 0, 20000), WPIN_OK);
    run_ms(&b, 1000);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(-60));
    /* the way back asked for while it still runs to the limit is kept */
    b.r.input[OPEN] = true;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(60), 0, 20000), WPIN_OK);
    b.r.input[SHUT] = true;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), 0);
    run_ms(&b, 1300);
    ck_assert_int_eq(wpin_motor_duty(&b.motor), WPIN_PERCENT(60));
    b.r.port.read = NULL; /* no eyes, no limit: refused */
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_REFUSED_PORT);
}
END_TEST

/* Two seconds in all; time off gives it back as fast as it was used, a short break next to nothing.
 */
START_TEST(on_for_too_long_in_all_is_a_fault) {
    for (int round = 0; round < 3; round++) {
        static const struct {
            int on_ms, off_ms, rounds;
            wpin_status after;
        } rows[] = {{1900, 2600, 4, WPIN_OK},
                    {700, 3, 3, WPIN_FAULT_ON_TIME},
                    {2100, 0, 1, WPIN_FAULT_ON_TIME}};
        bench b = fresh();
        b.config.guard.on_time_max_us = 2000000;
        b.config.guard.down = WPIN_SLEW_US(1);
        ready_bench(&b, 0);
        ck_assert_int_eq(wpin_motor_last_direction(&b.motor), 0);
        for (int n = 0; n < rows[round].rounds; n++) {
            wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
            run_ms(&b, rows[round].on_ms);
            wpin_motor_stop(&b.motor, 0);
            run_ms(&b, rows[round].off_ms + 1);
        }
        ck_assert_int_eq(wpin_motor_fault(&b.motor), rows[round].after);
        ck_assert_int_eq(wpin_motor_last_direction(&b.motor), 1);
        ck_assert(!recorder_on(&b.r, PWM));
    }
}
END_TEST

/* How long the first move after a fault lasts, asked for `asked_ms` and kept up until `kept_ms`. */
static const struct {
    uint32_t asked_ms;
    unsigned kept_ms, lasts_ms;
} firsts[] = {
    {250, 0, 250}, {250, 600, 850}, {250, 9000, 2000}, {9000, 0, 2000}, {250, 1900, 2000}};

START_TEST(the_first_move_after_a_fault_is_kept_up_and_short) {
    bench b = {.config = with_inputs()};
    open_bench(&b, 0);
    b.r.millivolts[0] = 100;
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, firsts[_i].asked_ms), WPIN_OK);
    unsigned ms = 0;
    for (; ms < 5000 && wpin_motor_ended(&b.motor) == WPIN_ENDED_NOT; ms++) {
        if (ms < firsts[_i].kept_ms) {
            wpin_motor_refresh(&b.motor, firsts[_i].asked_ms);
        }
        run_ms(&b, 1);
    }
    ck_assert_int_eq(wpin_motor_ended(&b.motor), WPIN_ENDED_TIMEOUT);
    ck_assert_msg(abs((int)ms - (int)firsts[_i].lasts_ms) <= 6, "%u ms", ms);
}
END_TEST

/* After what heats, and only then, a fault stays for its cool-down: a clock that leaps, a trip that
 * comes again, refused calls and a motor opened anew do not shorten it. */
static const struct {
    wpin_status cause;
    bool cools;
} cooling[] = {{WPIN_FAULT_OVERCURRENT, true}, {WPIN_FAULT_STALLED, true},
               {WPIN_FAULT_NO_MOTION, true},   {WPIN_FAULT_EXTERNAL, false},
               {WPIN_FAULT_SUPPLY_LOW, false}, {WPIN_FAULT_OVERLOAD, false}};

START_TEST(what_was_held_cools_down_first) {
    bench b = fresh();
    b.config.guard.cool_s = 3;
    ready_bench(&b, 0xFFFFF000);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 500);
    wpin_motor_trip(&b.motor, cooling[_i].cause);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), cooling[_i].cause);
    if (!cooling[_i].cools) {
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
        return;
    }
    b.r.now += 60000000; /* a leap counts as the longest tick */
    wpin_motor_tick(&b.motor);
    b.r.now -= 1000000; /* and one back as none */
    wpin_motor_tick(&b.motor);
    for (int ms = 0; ms < 2940; ms++) {
        ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
        ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
        wpin_motor_refresh(&b.motor, 1);
        wpin_motor_stop(&b.motor, 0);
        wpin_motor_trip(&b.motor, WPIN_FAULT_EXTERNAL);
        run_ms(&b, 1);
        ck_assert(!recorder_on(&b.r, PWM));
    }
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_run(&b.motor, WPIN_PERCENT(80), 0, 5000), WPIN_OK);
    run_ms(&b, 1900);
    ck_assert_int_le(wpin_motor_duty(&b.motor), WPIN_DUTY_FULL / 2 + 1); /* the first move */
}
END_TEST

START_TEST(opened_anew_it_cools_from_the_begin) {
    bench b = fresh();
    b.config.guard.cool_s = 1;
    ready_bench(&b, 0);
    wpin_motor_trip(&b.motor, WPIN_FAULT_STALLED);
    run_ms(&b, 900);
    ck_assert_int_eq(wpin_motor_init(&b.motor, &b.config, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_STALLED);
    run_ms(&b, 990);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
    run_ms(&b, 20);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
}
END_TEST

START_TEST(faults_latch_until_cause_and_request_are_gone) {
    bench b = {.config = with_inputs()};
    open_bench(&b, 0);
    b.r.millivolts[0] = 100;
    b.r.millivolts[1] = 0;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_FAULT_SUPPLY_LOW);
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    wpin_motor_run(&b.motor, WPIN_PERCENT(50), 0, WPIN_TIMEOUT_HELD);
    run_ms(&b, 1000);
    b.r.millivolts[0] = 100 + 5200 * 400 / 1000; /* 5.2 A, but not for long */
    run_ms(&b, 19);
    b.r.millivolts[0] = 100;
    run_ms(&b, 5);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_OK);
    b.r.millivolts[0] = 100 + 5200 * 400 / 1000;
    run_ms(&b, 22);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_OVERCURRENT);
    ck_assert(!recorder_on(&b.r, PWM));
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_FAULT);
    ck_assert_int_eq(wpin_motor_run(&b.motor, 5000, 0, 1000), WPIN_REFUSED_FAULTED);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_CAUSE);
    b.r.millivolts[0] = 100;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_REFUSED_NO_FAULT);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_state(&b.motor), WPIN_STATE_OFF); /* and is not armed again */
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_OK);
    b.r.millivolts[1] = 4000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SUPPLY_HIGH);
    wpin_motor_trip(&b.motor, WPIN_FAULT_OVERCURRENT); /* the first cause stays */
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_SUPPLY_HIGH);
    b.r.millivolts[1] = 3000;
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_clear_fault(&b.motor), WPIN_OK);
    wpin_motor_trip(&b.motor, WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motor), WPIN_REFUSED_FAULTED);
    run_ms(&b, 1);
    ck_assert_int_eq(wpin_motor_fault(&b.motor), WPIN_FAULT_EXTERNAL);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("motor_rules");
    TCase *tests = tcase_create("motor_rules");
    tcase_add_test(tests, time_outs_count_from_the_request);
    tcase_add_test(tests, a_run_shorter_than_the_pause_before_it_is_refused);
    tcase_add_test(tests, opening_again_is_safe_too);
    tcase_add_test(tests, rest_and_safe_state_may_differ);
    tcase_add_test(tests, requests_below_the_start_duty_follow_the_policy);
    tcase_add_test(tests, a_kick_comes_at_every_start_and_ends);
    tcase_add_test(tests, an_on_off_stage_keeps_its_least_times);
    tcase_add_test(tests, limit_switches_end_motion_one_way_only);
    tcase_add_test(tests, on_for_too_long_in_all_is_a_fault);
    tcase_add_test(tests, faults_latch_until_cause_and_request_are_gone);
    tcase_add_loop_test(tests, the_first_move_after_a_fault_is_kept_up_and_short, 0,
                        sizeof firsts / sizeof *firsts);
    tcase_add_loop_test(tests, what_was_held_cools_down_first, 0, sizeof cooling / sizeof *cooling);
    tcase_add_test(tests, opened_anew_it_cools_from_the_begin);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
