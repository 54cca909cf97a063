/* Codes for a small display, words for each status, PWM in software. */
#include "support_stage.h"

static int changes;
static char displayed[8];
static void show(void *context, const char *code) {
    ck_assert_ptr_eq(context, displayed);
    ck_assert_uint_eq(strlen(code), WPIN_CODE_LENGTH);
    strcpy(displayed, code);
    changes++;
}

/* Four characters for each state and fault, none like another even in capitals; a display is told
 * of each change once. */
START_TEST(every_state_has_its_code) {
    char all[8 + WPIN_STATUS_COUNT][WPIN_CODE_LENGTH + 1];
    int count = 0;
    wpin_motor motor = {0};
    for (int s = 0; s < WPIN_STATE_FAULT; s++) {
        motor.shown = (uint8_t)s;
        wpin_motor_code(&motor, all[count++]);
    }
    for (int s = WPIN_FAULT_FIRST; s < WPIN_STATUS_COUNT; s++) {
        motor.fault = (uint8_t)s;
        wpin_motor_code(&motor, all[count++]);
        wpin_fault_code((wpin_status)s, all[count]);
        ck_assert_str_eq(all[count], all[count - 1]);
    }
    for (int a = 0; a < count; a++) {
        ck_assert_uint_eq(strlen(all[a]), WPIN_CODE_LENGTH);
        for (int b = 0; b < a; b++) {
            ck_assert_msg(strcasecmp(all[a], all[b]) != 0, "%s, %s", all[a], all[b]);
        }
    }
    wpin_fault_code(WPIN_OK, all[0]);
    ck_assert_str_eq(all[0], "    ");
    wpin_fault_code(WPIN_STATUS_COUNT, all[0]);
    ck_assert_str_eq(all[0], "    ");
    wpin_display display = {.show = show, .context = displayed}, none = {0};
    motor.fault = WPIN_OK;
    motor.shown = WPIN_STATE_RUNNING;
    for (int i = 0; i < 6; i++) {
        motor.fault = i < 3 ? WPIN_OK : WPIN_FAULT_STALLED;
        wpin_display_update(&display, &motor);
        wpin_display_update(&none, &motor);
        ck_assert_str_eq(displayed, i < 3 ? "run " : "STAL");
    }
    wpin_display_update(&display, NULL);
    ck_assert_str_eq(displayed, "off ");
    ck_assert_int_eq(changes, 3);
}
END_TEST

START_TEST(every_status_has_its_words) {
    for (int s = 0; s < WPIN_STATUS_COUNT; s++) {
        ck_assert_int_eq(strncmp(wpin_status_name((wpin_status)s), "WPIN_", 5), 0);
        ck_assert_uint_gt(strlen(wpin_status_text((wpin_status)s)), 4);
        ck_assert(s == WPIN_OK || strlen(wpin_status_remedy((wpin_status)s)) > 4);
        for (int t = 0; t < s; t++) {
            ck_assert_str_ne(wpin_status_name((wpin_status)s), wpin_status_name((wpin_status)t));
        }
    }
    ck_assert_str_eq(wpin_status_name((wpin_status)-1), "WPIN_UNKNOWN");
    ck_assert_str_eq(wpin_status_name(WPIN_STATUS_COUNT), "WPIN_UNKNOWN");
}
END_TEST

/* PWM in software: over a whole second of ticks every pin is high for its share, and everything
 * else goes straight through. */
START_TEST(software_pwm_keeps_its_share) {
    static const wpin_pin pins[] = {5, 6};
    recorder r;
    wpin_soft_pwm soft;
    wpin_pwm_achieved achieved = {0};
    recorder_init(&r);
    ck_assert_int_eq(wpin_soft_pwm_init(&soft, &r.port, 100, pins, 2), WPIN_OK);
    for (int i = 0; i < 2; i++) {
        ck_assert_int_eq(soft.port.open(soft.port.context, pins[i], WPIN_LOW), WPIN_OK);
        ck_assert_int_eq(soft.port.pwm_start(soft.port.context, pins[i],
                                             &(wpin_pwm_request){.hz = 100, .inverted = i == 1},
                                             &achieved),
                         WPIN_OK);
        ck_assert(achieved.steps == 100 && achieved.jitter_us == 100 &&
                  achieved.millihertz == 100000);
    }
    for (unsigned duty = 0; duty <= WPIN_DUTY_FULL; duty += 512) {
        soft.port.pwm_duty(soft.port.context, 5, (uint16_t)duty);
        soft.port.pwm_duty(soft.port.context, 6, (uint16_t)(WPIN_DUTY_FULL - duty));
        int high[2] = {0, 0};
        for (int t = 0; t < 300; t++) {
            wpin_soft_pwm_tick(&soft);
            for (int i = 0; i < 2; i++) {
                high[i] += t >= 200 && r.level[pins[i]] == 1;
            }
        }
        ck_assert_int_eq(high[0], (int)((duty * 100 + 8192) / 16384));
        ck_assert_int_eq(high[1], 100 - (int)(((WPIN_DUTY_FULL - duty) * 100 + 8192) / 16384));
    }
    soft.port.write(soft.port.context, 5, WPIN_LOW); /* a level ends it */
    for (int t = 0; t < 300; t++) {
        wpin_soft_pwm_tick(&soft);
        ck_assert_int_eq(r.level[5], 0);
    }
    ck_assert_int_eq(
        soft.port.pwm_start(soft.port.context, 5, &(wpin_pwm_request){.hz = 501}, &achieved),
        WPIN_REFUSED_FREQUENCY);
    ck_assert_int_eq(soft.port.open(soft.port.context, 9, WPIN_LOW), WPIN_OK);
    ck_assert_int_eq(
        soft.port.pwm_start(soft.port.context, 9, &(wpin_pwm_request){.hz = 20000}, &achieved),
        WPIN_OK);
    ck_assert_int_eq(wpin_soft_pwm_init(&soft, &r.port, 9, pins, 2), WPIN_REFUSED_RANGE);
}
END_TEST

/* Its interrupt stays away: a pin may stand high then. The motor on it goes off, and again where it
 * is started without one; it works once the interrupt comes. */
START_TEST(without_its_interrupt_software_pwm_ends) {
    static const wpin_pin pins[] = {5};
    static const wpin_line lines[] = {{.pin = 5}};
    static const wpin_stage_config stage_config = {
        .table = &wpin_table_switch, .lines = lines, .pwm_hz = 100};
    recorder r;
    wpin_soft_pwm soft;
    wpin_stage stage = {0};
    wpin_motor motor = {0};
    const wpin_motor_config config = {WPIN_ON_STAGE(&stage, &stage_config),
                                      .guard = {.cap = (uint16_t)WPIN_DUTY_FULL,
                                                .up = WPIN_SLEW_US(1000),
                                                .down = WPIN_SLEW_US(1000)}};
    recorder_init(&r);
    ck_assert_int_eq(wpin_soft_pwm_init(&soft, &r.port, 100, pins, 1), WPIN_OK);
    ck_assert_int_eq(wpin_motor_init(&motor, &config, &soft.port), WPIN_OK);
    int high = 0;
    for (int way = 0; way < 3; way++) { /* for some time, never, at last for good */
        ck_assert(way == 0 || wpin_motor_clear_fault(&motor) == WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&motor), WPIN_OK);
        ck_assert_int_eq(wpin_motor_run(&motor, 8192, 0, WPIN_TIMEOUT_HELD), WPIN_OK);
        int off = -1;
        for (int i = 0; i < 5000; i++) {
            r.now += 100;
            if (way == 2 || (way == 0 && i < 1000)) {
                wpin_soft_pwm_tick(&soft);
            }
            if (i % 10 == 0) {
                wpin_motor_tick(&motor);
            }
            high += way == 2 && r.level[5] == 1;
            off = off < 0 && wpin_motor_fault(&motor) != WPIN_OK ? i : off;
        }
        ck_assert_int_eq(wpin_motor_fault(&motor), way == 2 ? WPIN_OK : WPIN_FAULT_CLOCK);
        ck_assert(way == 2 || (off > (way == 0 ? 1190 : 190) && off < (way == 0 ? 2250 : 1250)));
        ck_assert(way == 2 || r.level[5] == 0);
    }
    ck_assert(high > 2300 && high < 2550);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("codes");
    TCase *tests = tcase_create("codes");
    tcase_add_test(tests, software_pwm_keeps_its_share);
    tcase_add_test(tests, without_its_interrupt_software_pwm_ends);
    tcase_add_test(tests, every_status_has_its_words);
    tcase_add_test(tests, every_state_has_its_code);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
