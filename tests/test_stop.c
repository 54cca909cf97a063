/* The stop input: from any state, whatever else is asked, latched until it is re-armed. */
#include "support.h"
#include <stdlib.h>
#include <string.h>

enum { STOP_PIN = 12, MOTORS = 2, TICK_US = 1000 };

typedef struct bench {
    recorder r[MOTORS]; /* one each, as they share pins */
    wpin_motor_config config[MOTORS];
    wpin_stage stage[MOTORS];
    wpin_motor motor[MOTORS];
    wpin_motor *list[MOTORS];
    uint8_t how[MOTORS];
    wpin_stop_config stop_config;
    wpin_stop stop;
} bench;

static void open_bench(bench *b, wpin_stop_how how, bool opens) {
    *b = (bench){.how = {(uint8_t)how, (uint8_t)how}};
    for (int i = 0; i < MOTORS; i++) {
        recorder_init(&b->r[i]);
        b->r[i].input[STOP_PIN] = !opens; /* released */
        b->config[i] = pump_config(&b->stage[i]);
        ck_assert_int_eq(wpin_motor_init(&b->motor[i], &b->config[i], &b->r[i].port), WPIN_OK);
        b->list[i] = &b->motor[i];
    }
    b->stop_config = (wpin_stop_config){
        .motors = b->list, .how = b->how, .count = MOTORS, .pin = STOP_PIN, .opens = opens};
    ck_assert_int_eq(wpin_stop_init(&b->stop, &b->stop_config, &b->r[0].port), WPIN_OK);
}

static void run_ms(bench *b, int ms) {
    for (int t = 0; t < ms; t++) {
        for (int i = 0; i < MOTORS; i++) {
            b->r[i].now += TICK_US;
        }
        wpin_stop_tick(&b->stop);
        for (int i = 0; i < MOTORS; i++) {
            wpin_motor_tick(&b->motor[i]);
        }
    }
}

static void ready(bench *b, wpin_stop_how how, bool opens) {
    open_bench(b, how, opens);
    for (int i = 0; i < MOTORS; i++) {
        ck_assert_int_eq(wpin_motor_arm(&b->motor[i]), WPIN_OK);
    }
    run_ms(b, 250);
}

static void press(bench *b, bool pressed) {
    b->r[0].input[STOP_PIN] = pressed == b->stop_config.opens;
}

static unsigned duty(const bench *b, int motor) {
    return (unsigned)abs(wpin_motor_duty(&b->motor[motor]));
}

/* Anything a program may ask for at any time. */
static void ask_anything(bench *b) {
    wpin_motor *m = &b->motor[pick(MOTORS)];
    switch (pick(8)) {
    case 0:
        wpin_motor_run(m, (wpin_duty)(pick(2 * WPIN_DUTY_FULL) - WPIN_DUTY_FULL), pick(1000000),
                       5000);
        break;
    case 1: wpin_motor_stop(m, pick(10000000)); break;
    case 2: wpin_motor_brake(m); break;
    case 3: wpin_motor_coast(m); break;
    case 4: wpin_motor_refresh(m, 5000); break;
    case 5: wpin_motor_disarm(m); break;
    default: wpin_motor_arm(m); break;
    }
}

/* Whatever the motors do and whatever is asked meanwhile: from the second reading on no duty rises,
 * all is at zero within the ramp, and stays there until it is re-armed. */
START_TEST(nothing_moves_on_after_it) {
    pick_seed((uint32_t)_i * 977 + 5);
    for (int round = 0; round < 60; round++) {
        bench b;
        wpin_stop_how how = (wpin_stop_how)pick(3);
        ready(&b, how, pick(2) == 0);
        for (int ms = (int)pick(3000); ms > 0; ms--) {
            if (pick(40) == 0) {
                ask_anything(&b);
            }
            run_ms(&b, 1);
        }
        press(&b, true);
        run_ms(&b, 2);
        unsigned before[MOTORS] = {duty(&b, 0), duty(&b, 1)};
        for (int ms = 0; ms < 2000; ms++) {
            if (pick(3) == 0) {
                ask_anything(&b);
            }
            if (ms == 900) {
                press(&b, false); /* latched */
            }
            run_ms(&b, 1);
            for (int i = 0; i < MOTORS; i++) {
                ck_assert_msg(duty(&b, i) <= before[i], "how %d: %u after %u at %d ms", how,
                              duty(&b, i), before[i], ms);
                ck_assert_msg(ms < 520 || duty(&b, i) == 0, "how %d: still %u after %d ms", how,
                              duty(&b, i), ms);
                before[i] = duty(&b, i);
            }
        }
        ck_assert_int_eq(b.r[0].shoot_through + b.r[1].shoot_through, 0);
    }
}
END_TEST

START_TEST(it_latches_until_it_is_rearmed) {
    for (int how = 0; how < 3; how++) {
        bench b;
        ready(&b, (wpin_stop_how)how, true);
        ck_assert_int_eq(wpin_stop_rearm(&b.stop), WPIN_REFUSED_NO_FAULT);
        ck_assert_int_eq(wpin_motor_run(&b.motor[0], WPIN_DUTY_FULL, 0, 60000), WPIN_OK);
        run_ms(&b, 700);
        press(&b, true);
        run_ms(&b, 1); /* one reading may be a spark */
        press(&b, false);
        run_ms(&b, 20);
        ck_assert(!wpin_stop_latched(&b.stop));
        press(&b, true);
        run_ms(&b, 2);
        ck_assert(wpin_stop_latched(&b.stop));
        unsigned then = duty(&b, 0);
        ck_assert_msg(how == WPIN_STOP_RAMP ? then < 12000 && then > 11000 : then == 0, "%u", then);
        ck_assert_int_eq(wpin_stop_rearm(&b.stop), WPIN_REFUSED_CAUSE);
        press(&b, false);
        run_ms(&b, 1);
        ck_assert_int_eq(wpin_stop_rearm(&b.stop),
                         how == WPIN_STOP_RAMP ? WPIN_REFUSED_NOT_ZERO : WPIN_OK);
        run_ms(&b, 1000);
        if (how == WPIN_STOP_RAMP) {
            ck_assert_int_eq(wpin_motor_run(&b.motor[0], 5000, 0, 1000), WPIN_REFUSED_NOT_ARMED);
            ck_assert_int_eq(wpin_stop_rearm(&b.stop), WPIN_OK);
        }
        ck_assert_int_eq(wpin_motor_run(&b.motor[0], 5000, 0, 1000), WPIN_REFUSED_NOT_ARMED);
        ck_assert_int_eq(wpin_motor_arm(&b.motor[0]), WPIN_OK);
        run_ms(&b, 5);
        ck_assert_int_eq(wpin_motor_run(&b.motor[0], 5000, 0, 1000), WPIN_OK);
        run_ms(&b, 400);
        ck_assert_uint_eq(duty(&b, 0), 5000);
        wpin_stop_now(&b.stop); /* by program */
        run_ms(&b, 400);
        ck_assert_uint_eq(duty(&b, 0), 0);
    }
}
END_TEST

START_TEST(pressed_from_the_start_and_refused) {
    bench b;
    open_bench(&b, WPIN_STOP_BRAKE, true);
    press(&b, true); /* or its wire is broken */
    run_ms(&b, 2);
    ck_assert(wpin_stop_latched(&b.stop));
    wpin_motor_arm(&b.motor[0]);
    wpin_motor_run(&b.motor[0], 5000, 0, 1000);
    run_ms(&b, 500);
    ck_assert_uint_eq(duty(&b, 0), 0);
    wpin_stop none = {0};
    wpin_port blind = b.r[0].port;
    blind.read = NULL;
    ck_assert_int_eq(wpin_stop_init(NULL, &b.stop_config, &blind), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_stop_init(&none, NULL, &blind), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_stop_init(&none, &b.stop_config, &blind), WPIN_REFUSED_PORT);
    wpin_stop_tick(&none);
    wpin_stop_tick(NULL);
    wpin_stop_now(&none);
    ck_assert(!wpin_stop_latched(&none) && !wpin_stop_latched(NULL));
    ck_assert_int_eq(wpin_stop_rearm(&none), WPIN_REFUSED_CLOSED);
    ck_assert_int_eq(wpin_stop_rearm(NULL), WPIN_REFUSED_ARGUMENT);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("stop");
    TCase *tests = tcase_create("stop");
    tcase_add_loop_test(tests, nothing_moves_on_after_it, 0, 4);
    tcase_add_test(tests, it_latches_until_it_is_rearmed);
    tcase_add_test(tests, pressed_from_the_start_and_refused);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
