/* Truth tables and the safe order between rows, seen from the pins. */
#include "support_stage.h"

START_TEST(opening_writes_levels_first_and_moves_nothing) {
    recorder r;
    recorder_init(&r);
    wpin_line lines[] = {{.pin = 4}, {.pin = 7, .inverted = true}, {.pin = 9}};
    wpin_stage_config config = pump_stage;
    config.lines = lines;
    wpin_pwm_achieved achieved = {0};
    config.achieved = &achieved;
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &config, &r.port), WPIN_OK);
    ck_assert_int_eq(r.level[4], 0);
    ck_assert_int_eq(r.level[7], 1); /* brake is off, and inverted */
    ck_assert_int_eq(r.level[9], 0);
    ck_assert_int_eq(wpin_stage_drive(&stage), WPIN_DRIVE_COAST);
    for (size_t i = 0; i < 3; i++) {
        ck_assert_int_eq(r.records[i].call, CALL_OPEN);
    }
    ck_assert_uint_eq(achieved.millihertz, 20000000);
}
END_TEST

START_TEST(transition_keeps_the_order) {
    recorder r;
    recorder_init(&r);
    wpin_stage stage = {0};
    wpin_stage_open(&stage, &pump_stage, &r.port);
    wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, 8192);
    r.count = 0;
    ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_BRAKE, 0), WPIN_OK);
    /* brake: PWM low, dead time, brake */
    ck_assert_uint_lt(first_of(&r, CALL_WRITE, 9), first_of(&r, CALL_WRITE, 7));
    ck_assert_uint_ge(r.records[first_of(&r, CALL_WRITE, 7)].time,
                      r.records[first_of(&r, CALL_WRITE, 9)].time + 2);
    r.count = 0;
    wpin_stage_apply(&stage, WPIN_DRIVE_REVERSE, 100);
    /* release: direction, then brake off, then the new duty and never the old one */
    ck_assert_uint_lt(last_of(&r, CALL_WRITE, 4), last_of(&r, CALL_WRITE, 7));
    ck_assert_uint_lt(last_of(&r, CALL_WRITE, 7), last_of(&r, CALL_PWM_DUTY, 9));
    for (size_t i = 0; i < r.count; i++) {
        ck_assert(r.records[i].call != CALL_PWM_DUTY || r.records[i].value == 100);
    }
    r.count = 0;
    wpin_stage_apply(&stage, WPIN_DRIVE_REVERSE, 200);
    ck_assert_uint_eq(r.count, 1); /* same row: only the duty */
}
END_TEST

START_TEST(no_leg_is_ever_on_twice) {
    recorder r;
    recorder_init(&r);
    r.pair_count = 2;
    memcpy(r.high_pairs, (int[2][2]){{0, 1}, {2, 3}}, sizeof(int[2][2]));
    wpin_stage_config config = {
        .table = &full_bridge, .lines = four_lines, .pwm_hz = 20000, .dead_time_us = 3};
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &config, &r.port), WPIN_OK);
    pick_seed((uint32_t)_i + 1);
    for (int n = 0; n < 20000; n++) {
        uint16_t duty = (uint16_t)pick(WPIN_DUTY_FULL + 1);
        wpin_drive before = wpin_stage_drive(&stage), state = (wpin_drive)pick(4);
        uint32_t began = r.now;
        ck_assert_int_eq(wpin_stage_apply(&stage, state, duty), WPIN_OK);
        ck_assert_uint_le(r.now - began, 2 * 3);
        ck_assert(state == before || state == WPIN_DRIVE_COAST || r.now - began >= 3);
        ck_assert_uint_eq(r.shoot_through, 0);
        ck_assert_int_eq(wpin_stage_drive(&stage), state);
    }
}
END_TEST

/* A pause in which an interrupt looks at the lines, and may turn the stage off. */
typedef struct looker {
    recorder r;
    wpin_stage stage;
    unsigned braked_us; /* waited with both low sides on, and no high side */
    bool cuts;          /* it turns it off there */
} looker;

static looker look;

static void pause_and_look(void *context, uint32_t us) {
    (void)context;
    bool lows = recorder_on(&look.r, 1) && recorder_on(&look.r, 3);
    bool highs = recorder_on(&look.r, 0) || recorder_on(&look.r, 2);
    look.braked_us += lows && !highs && us > 3 ? us : 0;
    look.r.now += us;
    if (look.cuts && lows && us > 3) {
        wpin_stage_off(&look.stage);
    }
}

/* From coast, and only from there, the low sides are on for the time asked for before it drives;
 * one that is turned off meanwhile stays off. */
START_TEST(capacitors_charge_before_it_drives) {
    static const struct {
        wpin_drive from, to;
        bool cuts;
        unsigned braked_us;
    } rows[] = {{WPIN_DRIVE_COAST, WPIN_DRIVE_FORWARD, false, 200},
                {WPIN_DRIVE_COAST, WPIN_DRIVE_REVERSE, false, 200},
                {WPIN_DRIVE_COAST, WPIN_DRIVE_BRAKE, false, 0},
                {WPIN_DRIVE_BRAKE, WPIN_DRIVE_FORWARD, false, 0},
                {WPIN_DRIVE_FORWARD, WPIN_DRIVE_REVERSE, false, 0},
                {WPIN_DRIVE_COAST, WPIN_DRIVE_FORWARD, true, 200}};
    recorder_init(&look.r);
    look.stage = (wpin_stage){0};
    look.cuts = false;
    wpin_stage_config config = {.table = &full_bridge,
                                .lines = four_lines,
                                .pwm_hz = 20000,
                                .dead_time_us = 3,
                                .charge = wpin_stage_charge,
                                .charge_us = 200};
    look.r.pair_count = 2;
    memcpy(look.r.high_pairs, (int[2][2]){{0, 1}, {2, 3}}, sizeof(int[2][2]));
    look.r.port.pause = pause_and_look;
    ck_assert_int_eq(wpin_stage_open(&look.stage, &config, &look.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_stage_apply(&look.stage, rows[_i].from, 5000), WPIN_OK);
    look.braked_us = 0;
    look.cuts = rows[_i].cuts;
    ck_assert_int_eq(wpin_stage_apply(&look.stage, rows[_i].to, 5000), WPIN_OK);
    ck_assert_uint_eq(look.braked_us, rows[_i].braked_us);
    ck_assert_uint_eq(look.r.shoot_through, 0);
    bool on = false;
    for (wpin_pin pin = 0; pin < 4; pin++) {
        on = on || recorder_on(&look.r, pin);
    }
    ck_assert(on != rows[_i].cuts);
    if (rows[_i].cuts) { /* and drives again once coast was asked for */
        look.cuts = false;
        ck_assert_int_eq(wpin_stage_apply(&look.stage, rows[_i].to, 5000), WPIN_REFUSED_FAULTED);
        ck_assert_int_eq(wpin_stage_apply(&look.stage, WPIN_DRIVE_COAST, 0), WPIN_OK);
        ck_assert_int_eq(wpin_stage_apply(&look.stage, rows[_i].to, 5000), WPIN_OK);
        ck_assert(recorder_on(&look.r, 0));
    }
    config.charge_us = 1001;
    ck_assert_int_eq(wpin_stage_open(&look.stage, &config, &look.r.port), WPIN_REFUSED_RANGE);
    config.charge_us = 200;
    config.table = &wpin_table_interlocked_outputs; /* has no brake */
    ck_assert_int_eq(wpin_stage_open(&look.stage, &config, &look.r.port), WPIN_REFUSED_CONFIG);
    config.table = &wpin_table_two_inputs;
    config.dead_time_us = 0;
    look.r.port.pause = NULL; /* needed for that too */
    ck_assert_int_eq(wpin_stage_open(&look.stage, &config, &look.r.port), WPIN_REFUSED_PORT);
}
END_TEST

START_TEST(recorder_would_notice_shoot_through) {
    recorder r; /* the check above can fail */
    recorder_init(&r);
    r.pair_count = 1;
    r.high_pairs[0][1] = 1;
    r.port.open(&r, 0, WPIN_HIGH);
    r.port.open(&r, 1, WPIN_HIGH);
    ck_assert_uint_gt(r.shoot_through, 0);
}
END_TEST

START_TEST(reversed_and_inverted_live_in_one_place) {
    recorder r;
    recorder_init(&r);
    wpin_line lines[] = {{.pin = 4}, {.pin = 7, .inverted = true}, {.pin = 9, .inverted = true}};
    wpin_stage_config config = pump_stage;
    config.lines = lines;
    config.reversed = true;
    wpin_stage stage = {0};
    wpin_stage_open(&stage, &config, &r.port);
    ck_assert_int_eq(r.level[9], 1);
    wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, 4096);
    ck_assert_int_eq(r.level[4], 0); /* forward is low on a reversed motor */
    ck_assert(r.inverted[9]);
    ck_assert_uint_eq(r.duty[9], 4096); /* the user speaks of load duty only */
    ck_assert_int_eq(wpin_stage_drive(&stage), WPIN_DRIVE_FORWARD);
    wpin_stage_apply(&stage, WPIN_DRIVE_BRAKE, 0);
    ck_assert_int_eq(r.level[7], 0);
    ck_assert_int_eq(r.level[9], 1);
}
END_TEST

START_TEST(pulse_carries_the_signed_duty) {
    static const wpin_row pulses[] = {WPIN_ROW(WPIN_DRIVE_COAST, P),
                                      WPIN_ROW(WPIN_DRIVE_FORWARD, P),
                                      WPIN_ROW(WPIN_DRIVE_REVERSE, P)};
    static const wpin_stage_table table = {.line_count = 1, .row_count = 3, .rows = pulses};
    static const wpin_line line[] = {{.pin = 3}};
    wpin_stage_config config = {.table = &table,
                                .lines = line,
                                .pwm_hz = 50,
                                .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                .pulse_swing = WPIN_PULSE_SHARE(500, 50)};
    const struct {
        wpin_drive state;
        uint16_t duty;
        double us;
    } rows[] = {{WPIN_DRIVE_COAST, 0, 1500},
                {WPIN_DRIVE_FORWARD, 16384, 2000},
                {WPIN_DRIVE_FORWARD, 8192, 1750},
                {WPIN_DRIVE_REVERSE, 16384, 1000},
                {WPIN_DRIVE_REVERSE, 4096, 1375}};
    recorder r;
    recorder_init(&r);
    wpin_stage stage = {0};
    ck_assert_int_eq(wpin_stage_open(&stage, &config, &r.port), WPIN_OK);
    ck_assert_double_eq_tol(r.duty[3] / 16384.0 * 20000, 1500, 1.3); /* neutral from the start */
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_stage_apply(&stage, rows[i].state, rows[i].duty);
        ck_assert_double_eq_tol(r.duty[3] / 16384.0 * 20000, rows[i].us, 1.3);
    }
}
END_TEST

/* One standby for three stages, told at random what to do: it is high while any of them needs it,
 * whoever is opened anew. */
START_TEST(a_shared_line_is_high_while_any_needs_it) {
    enum { STAGES = 3, STANDBY = 30 };
    recorder r;
    recorder_init(&r);
    wpin_shared_line shared = {0};
    wpin_line lines[STAGES][4];
    wpin_stage_config configs[STAGES];
    wpin_stage stages[STAGES] = {0};
    for (uint8_t i = 0; i < STAGES; i++) {
        wpin_pin first = (wpin_pin)(i * 4);
        lines[i][0] = (wpin_line){.pin = STANDBY, .shared = &shared, .user = i};
        for (uint8_t n = 1; n < 4; n++) {
            lines[i][n] = (wpin_line){.pin = (wpin_pin)(first + n)};
        }
        configs[i] = (wpin_stage_config){.table = &wpin_table_two_inputs_enable_standby,
                                         .lines = lines[i],
                                         .pwm_hz = 20000,
                                         .dead_time_us = 2};
        ck_assert_int_eq(wpin_stage_open(&stages[i], &configs[i], &r.port), WPIN_OK);
    }
    pick_seed(11);
    for (int n = 0; n < 2000; n++) {
        wpin_stage *one = &stages[pick(STAGES)];
        if (pick(20) == 0) {
            wpin_stage_open(one, one->config, &r.port);
        } else {
            wpin_stage_apply(one, (wpin_drive)pick(4), 8000);
        }
        bool needed = false;
        for (int i = 0; i < STAGES; i++) {
            needed = needed || wpin_stage_drive(&stages[i]) != WPIN_DRIVE_COAST;
        }
        ck_assert_int_eq(r.level[STANDBY], needed);
    }
}
END_TEST

/* A direction can't be shared, nor a standby without which the stage would brake, nor a brake. */
START_TEST(what_can_not_be_shared_is_refused) {
    static const struct {
        const wpin_stage_table *table;
        uint8_t line, user;
        wpin_status status;
    } rows[] = {{&wpin_table_two_inputs_enable_standby, 0, 7, WPIN_OK},
                {&wpin_table_two_inputs_enable_standby, 0, 8, WPIN_REFUSED_CONFIG},
                {&wpin_table_two_inputs_enable_standby, 1, 0, WPIN_REFUSED_CONFIG},
                {&wpin_table_two_inputs_enable_standby, 3, 0, WPIN_REFUSED_CONFIG},
                {&wpin_table_direction_pwm_standby, 0, 0, WPIN_REFUSED_CONFIG},
                {&wpin_table_half_bridges, 0, 0, WPIN_REFUSED_CONFIG},
                {&wpin_table_direction_pwm_brake, 1, 0, WPIN_REFUSED_CONFIG}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        wpin_shared_line shared = {0};
        wpin_line lines[] = {{.pin = 4}, {.pin = 5}, {.pin = 6}, {.pin = 7}};
        lines[rows[i].line].shared = &shared;
        lines[rows[i].line].user = rows[i].user;
        wpin_stage_config config = {
            .table = rows[i].table, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
        ck_assert_msg(wpin_stage_check(&config) == rows[i].status, "row %zu", i);
    }
}
END_TEST

static const wpin_stage_config whole = {
    .table = &full_bridge, .lines = four_lines, .pwm_hz = 20000, .dead_time_us = 3};

/* Each wrong table or configuration, and what it is refused with. */
START_TEST(wrong_tables_are_refused) {
#define ROWS(name, ...) static const wpin_row name[] = {__VA_ARGS__}
#define REST            WPIN_ROW(WPIN_DRIVE_COAST, L, L, L, L)
    ROWS(twice, REST, REST);
    ROWS(no_rest, WPIN_ROW(WPIN_DRIVE_FORWARD, D, C, L, H));
    ROWS(both_on, REST, WPIN_ROW(WPIN_DRIVE_FORWARD, D, H, L, H));
    ROWS(mixed, REST, WPIN_ROW(WPIN_DRIVE_FORWARD, D, C, L, H),
         WPIN_ROW(WPIN_DRIVE_REVERSE, C, D, D, C));
    ROWS(two_things, REST, {WPIN_DRIVE_FORWARD, 1, 1, 0, 0, 0, 0});
    ROWS(beyond, REST, {WPIN_DRIVE_FORWARD, 16, 0, 0, 0, 0, 0});
    ROWS(half_leg, REST, WPIN_ROW(WPIN_DRIVE_FORWARD, D, C, L, H),
         WPIN_ROW(WPIN_DRIVE_REVERSE, D, L, L, H));
    ROWS(keeps, REST,
         WPIN_ROW(WPIN_DRIVE_FORWARD, K, L, L, H)); /* kept on, its leg's other side ... */
    static const wpin_leg same[] = {{1, 1}};
    static const wpin_stage_table base = {
        .line_count = 4, .row_count = 4, .rows = four_rows, .legs = four_legs, .leg_count = 2};
    const struct {
        const wpin_row *rows;
        uint8_t row_count, legs, modes, rest_high;
        const wpin_leg *leg;
        wpin_status status;
    } wrong[] = {{twice, 2, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {no_rest, 1, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {both_on, 2, 2, 0, 0, four_legs, WPIN_REFUSED_SHOOT},
                 {mixed, 3, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {two_things, 2, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {beyond, 2, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {half_leg, 3, 2, 0, 0, four_legs, WPIN_REFUSED_CONFIG},
                 {keeps, 2, 0, 0, 0, NULL, WPIN_REFUSED_CONFIG},
                 {four_rows, 4, 1, 0, 0, same, WPIN_REFUSED_CONFIG},
                 {four_rows, 4, 2, 1, 0, four_legs, WPIN_REFUSED_CONFIG},
                 {four_rows, 4, 2, 0, 1, four_legs, WPIN_REFUSED_CONFIG}, /* a leg on at rest */
                 {four_rows, WPIN_STAGE_ROWS + 1, 0, 0, 0, NULL, WPIN_REFUSED_RANGE}};
    ck_assert_int_eq(wpin_stage_check(&whole), WPIN_OK);
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        wpin_stage_table table = base;
        table.rows = wrong[i].rows, table.row_count = wrong[i].row_count;
        table.legs = wrong[i].leg, table.leg_count = wrong[i].legs;
        table.mode_lines = wrong[i].modes, table.rest_high_lines = wrong[i].rest_high;
        wpin_stage_config config = whole;
        config.table = &table;
        wpin_status status = wpin_stage_check(&config);
        ck_assert_msg(status == wrong[i].status, "table %zu: %s", i, wpin_status_name(status));
    }
}
END_TEST

START_TEST(wrong_configurations_are_refused) {
    static const wpin_line clash[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 1}};
    wpin_stage_config config = whole;
    config.dead_time_us = 0; /* a complement without dead time */
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_SHOOT);
    config.dead_time_us = WPIN_DEAD_TIME_MAX_US + 1;
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_RANGE);
    config = whole, config.dead_time_us = 25; /* two of them are the whole period */
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_DEAD_TIME);
    config = whole, config.pwm_hz = 0;
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_RANGE);
    config = whole, config.lines = clash;
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_CONFIG);
    config = whole, config.table = NULL;
    ck_assert_int_eq(wpin_stage_check(&config), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_stage_check(NULL), WPIN_REFUSED_ARGUMENT);
}
END_TEST

START_TEST(every_failing_port_call_is_refused) {
    for (int fails_at = 0; fails_at < 4; fails_at++) {
        recorder r;
        recorder_init(&r);
        r.calls_left = fails_at;
        wpin_stage stage = {0};
        wpin_status status = wpin_stage_open(&stage, &pump_stage, &r.port);
        ck_assert_int_eq(status, fails_at < 3 ? WPIN_REFUSED_PORT : WPIN_REFUSED_FREQUENCY);
        ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, 1), WPIN_REFUSED_CLOSED);
    }
    recorder r;
    wpin_stage stage = {0};
    recorder_init(&r);
    r.port.pwm_duty = NULL;
    ck_assert_int_eq(wpin_stage_open(&stage, &pump_stage, &r.port), WPIN_REFUSED_PORT);
    recorder_init(&r);
    r.port.pause = NULL; /* needed for the dead time */
    ck_assert_int_eq(wpin_stage_open(&stage, &pump_stage, &r.port), WPIN_REFUSED_PORT);
}
END_TEST

START_TEST(wrong_requests_leave_the_stage_as_it_was) {
    recorder r;
    recorder_init(&r);
    wpin_stage stage = {0};
    wpin_stage_open(&stage, &pump_stage, &r.port);
    wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, 500);
    size_t before = r.count;
    ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_FORWARD, WPIN_DUTY_FULL + 1),
                     WPIN_REFUSED_RANGE);
    ck_assert_int_eq(wpin_stage_apply(&stage, WPIN_DRIVE_SECTOR, 1), WPIN_REFUSED_STATE);
    ck_assert(!wpin_stage_has(&stage, WPIN_DRIVE_SECTOR));
    ck_assert_int_eq(wpin_stage_apply(NULL, WPIN_DRIVE_COAST, 0), WPIN_REFUSED_ARGUMENT);
    ck_assert_uint_eq(r.count, before);
    ck_assert_uint_eq(stage.duty, 500);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("stage");
    TCase *tests = tcase_create("stage");
    tcase_add_test(tests, opening_writes_levels_first_and_moves_nothing);
    tcase_add_test(tests, transition_keeps_the_order);
    tcase_add_loop_test(tests, no_leg_is_ever_on_twice, 0, 5);
    tcase_add_loop_test(tests, capacitors_charge_before_it_drives, 0, 6);
    tcase_add_test(tests, recorder_would_notice_shoot_through);
    tcase_add_test(tests, reversed_and_inverted_live_in_one_place);
    tcase_add_test(tests, pulse_carries_the_signed_duty);
    tcase_add_test(tests, a_shared_line_is_high_while_any_needs_it);
    tcase_add_test(tests, what_can_not_be_shared_is_refused);
    tcase_add_test(tests, wrong_tables_are_refused);
    tcase_add_test(tests, wrong_configurations_are_refused);
    tcase_add_test(tests, every_failing_port_call_is_refused);
    tcase_add_test(tests, wrong_requests_leave_the_stage_as_it_was);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
