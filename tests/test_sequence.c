/* Plans as tables: checked before they run, then run track by track. */
#include "support.h"
#include <string.h>

enum { MOTORS = 3, TRACKS = 4 };

typedef struct event {
    uint32_t time;
    uint8_t track;
    uint16_t step;
    bool begins;
} event;

typedef struct bench {
    recorder r;
    wpin_line lines[MOTORS][3];
    wpin_stage_config stages[MOTORS];
    wpin_motor_config configs[MOTORS];
    wpin_motor motors[MOTORS];
    wpin_stage bridges[MOTORS];
    wpin_motor *list[MOTORS];
    wpin_track tracks[TRACKS];
    wpin_sequence_config config;
    wpin_sequence sequence;
    uint32_t start;
    event events[300];
    size_t event_count;
    bool switches[2];
    wpin_duty asked;   /* what the inputs ask for */
    int16_t set_to[2]; /* what they were set to */
} bench;

static wpin_status set_switch(void *context, uint16_t number, bool on) {
    ((bench *)context)->switches[number] = on;
    return WPIN_OK;
}

static bool read_input(void *context, uint16_t number) {
    return ((bench *)context)->switches[number];
}

static wpin_duty read_duty(void *context, uint16_t number) {
    ck_assert_uint_lt(number, 2);
    return ((bench *)context)->asked;
}

static wpin_status set_input(void *context, uint16_t number, int16_t millivolts) {
    ((bench *)context)->set_to[number] = millivolts;
    return WPIN_OK;
}

static void observe(void *context, uint8_t track, uint16_t step, bool begins) {
    bench *b = context;
    ck_assert_uint_lt(b->event_count, 300);
    b->events[b->event_count++] = (event){b->r.now - b->start, track, step, begins};
}

/* Three armed and rested motors, and a plan. */
static void set_up(bench *b, const wpin_step *steps, size_t count) {
    memset(b, 0, sizeof *b);
    recorder_init(&b->r);
    b->r.now = 0xFFFFFFFF - 400000; /* the clock wraps soon */
    for (int i = 0; i < MOTORS; i++) {
        for (int l = 0; l < 3; l++) {
            b->lines[i][l].pin = (wpin_pin)(3 * i + l);
        }
        b->stages[i] = pump_stage;
        b->stages[i].lines = b->lines[i];
        b->configs[i] = pump_config(&b->bridges[i]);
        b->configs[i].part_config = &b->stages[i];
        b->list[i] = &b->motors[i];
        ck_assert_int_eq(wpin_motor_init(&b->motors[i], &b->configs[i], &b->r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b->motors[i]), WPIN_OK);
    }
    b->config = (wpin_sequence_config){.steps = steps,
                                       .step_count = (uint16_t)count,
                                       .motors = b->list,
                                       .motor_count = MOTORS,
                                       .switch_count = 2,
                                       .track_count = TRACKS,
                                       .tracks = b->tracks,
                                       .port = &b->r.port,
                                       .context = b,
                                       .set_switch = set_switch,
                                       .input_count = 2,
                                       .read_input = read_input,
                                       .read_duty = read_duty,
                                       .set_input = set_input,
                                       .observe = observe};
    for (int ms = 0; ms < 250; ms++) {
        b->r.now += 1000;
        for (int i = 0; i < MOTORS; i++) {
            wpin_motor_tick(&b->motors[i]);
        }
    }
    b->start = b->r.now;
}

static void tick(bench *b) {
    wpin_sequence_tick(&b->sequence);
    b->r.now = b->start + (b->r.now - b->start) / 1000 * 1000 + 1000;
}

static void run_to_end(bench *b) {
    ck_assert_int_eq(wpin_sequence_start(&b->sequence, &b->config), WPIN_OK);
    b->r.now += 1000; /* its first tick comes as late in its millisecond as the others */
    b->start = b->r.now;
    for (int i = 0; i < 100000 && wpin_sequence_busy(&b->sequence); i++) {
        tick(b);
    }
    ck_assert(!wpin_sequence_busy(&b->sequence));
}

/* Milliseconds at which a step began or ended for the nth time. */
static double when(const bench *b, uint16_t step, bool begins, int nth) {
    for (size_t i = 0; i < b->event_count; i++) {
        const event *e = &b->events[i];
        if (e->step == step && e->begins == begins && nth-- == 0) {
            return e->time / 1000.0;
        }
    }
    ck_abort_msg("step %u did not happen so often", step);
    return 0;
}

START_TEST(a_plan_runs_in_its_time) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(60), .ramp_us = 1500000},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(0), .time_ms = 3000},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(0), .time_ms = 500},
        {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0), .time_ms = 1000},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(-40),
         .time_ms = 2000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 7);
    run_to_end(&b);
    ck_assert(b.switches[1]);
    ck_assert_double_eq_tol(when(&b, 1, false, 0), 1500, 0.01);
    ck_assert_double_eq_tol(when(&b, 2, false, 0), 4500, 0.01);
    ck_assert_double_eq_tol(when(&b, 3, false, 0), 5000, 0.01);
    ck_assert_double_eq_tol(when(&b, 4, false, 0), 6000, 0.01);
    ck_assert_double_eq_tol(when(&b, 5, false, 0), 8200, 1.01); /* and the ramp down, 0.2 s */
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

/* 40 % back and forth, with 0.2 s of ramp down and 0.2 s of rest between them. */
START_TEST(a_run_has_its_whole_time_after_turning_over) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(40), .time_ms = 500},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(-40),
         .time_ms = 1000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    run_to_end(&b);
    double first = when(&b, 0, false, 0);
    ck_assert_double_eq_tol(when(&b, 1, false, 0) - first, 200 + 1000 + 200, 2.01);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

/* What a limit holds back has come as far as it may: the plan goes on. "At its set-point" is more.
 */
START_TEST(a_current_limit_does_not_hold_up_the_plan) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(60), .ramp_us = 1500000},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_AT_SETPOINT,
         .time_ms = 300},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    b.configs[0].guard.current_limit = WPIN_CURRENT_MV(2000, 400);
    b.configs[0].guard.limit_gain = 2;
    b.configs[0].guard.current_trip = 0;
    b.configs[0].sense =
        (wpin_sense_config){.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400, .current_input = 0};
    ck_assert_int_eq(wpin_motor_init(&b.motors[0], &b.configs[0], &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&b.motors[0]), WPIN_OK);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    for (int ms = 0; ms < 10000 && wpin_sequence_busy(&b.sequence); ms++) {
        b.r.millivolts[0] = (int16_t)(wpin_motor_duty(&b.motors[0]) * 8 * 400 / WPIN_DUTY_FULL);
        tick(&b);
    }
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_double_eq_tol(when(&b, 0, false, 0), 1700, 2); /* opened anew it rests first */
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
}
END_TEST

START_TEST(tracks_run_side_by_side) {
    static const wpin_step plan[] = {{.op = WPIN_OP_REPEAT, .value = 2},
                                     {.op = WPIN_OP_FORK, .value = 4},
                                     {.op = WPIN_OP_RUN_FOR,
                                      .target = WPIN_MOTOR(0),
                                      .value = WPIN_PERCENT(20),
                                      .time_ms = 1000},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_FORK, .value = 8},
                                     {.op = WPIN_OP_WAIT, .time_ms = 300}, /* a staggered start */
                                     {.op = WPIN_OP_RUN_FOR,
                                      .target = WPIN_MOTOR(1),
                                      .value = WPIN_PERCENT(20),
                                      .time_ms = 2000},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_JOIN},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_WAIT, .time_ms = 7},
                                     {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 12);
    run_to_end(&b);
    for (int round = 0; round < 2; round++) {
        double at = when(&b, 1, true, round);
        ck_assert_double_eq_tol(at, round * 2400.0, 1.01);
        ck_assert_double_eq_tol(when(&b, 2, true, round), at, 0.01);
        ck_assert_double_eq_tol(when(&b, 2, false, round), at + 1100, 1.01);
        ck_assert_double_eq_tol(when(&b, 6, true, round), at + 300, 0.01);
        ck_assert_double_eq_tol(when(&b, 8, false, round), at + 2400, 1.01);
    }
    ck_assert_double_eq_tol(when(&b, 10, false, 0), 4807, 2.01);
}
END_TEST

START_TEST(a_plan_waits_for_events_but_not_for_ever) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_FORK, .value = 4},
        {.op = WPIN_OP_WAIT, .time_ms = 400},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1}, /* which is input 1 here */
        {.op = WPIN_OP_LEAVE},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_INPUT(1),
         .value = WPIN_EVENT_INPUT_ON,
         .time_ms = 1000},
        {.op = WPIN_OP_JOIN},
        {.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_AT_SETPOINT,
         .time_ms = 10},
        {.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_MOTOR(0),
         .value = WPIN_EVENT_RESTING,
         .time_ms = 1000},
        {.op = WPIN_OP_UNTIL,
         .target = WPIN_INPUT(0),
         .value = WPIN_EVENT_INPUT_ON,
         .time_ms = 300},
        {.op = WPIN_OP_WAIT, .time_ms = 5000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 13);
    run_to_end(&b);
    ck_assert_double_eq_tol(when(&b, 4, false, 0), 400, 1.01);
    ck_assert_double_eq_tol(when(&b, 6, false, 0), 900, 2.01);  /* on: its ramp */
    ck_assert_double_eq_tol(when(&b, 8, false, 0), 1150, 3.01); /* off: its ramp */
    ck_assert_double_eq_tol(when(&b, 9, false, 0), 1350, 4.01); /* and its rest */
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
    ck_assert_uint_eq(b.sequence.fault_step, 10);
    ck_assert_double_eq_tol((b.r.now - b.start) / 1000.0, 1652, 6);
}
END_TEST

/* An event ends an action before its time, and a repeat after a round; one that does not come in
 * time ends the plan, and what comes and goes again meanwhile counts. */
START_TEST(an_event_ends_an_action) {
#define ON_INPUT(n) .until = 1 + WPIN_EVENT_INPUT_ON, .until_of = (n)
    static const wpin_step plan[] = {
        {.op = WPIN_OP_FORK, .value = 6},
        {.op = WPIN_OP_WAIT, .time_ms = 700},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1), .value = 1},
        {.op = WPIN_OP_WAIT, .time_ms = 5},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(1)},
        {.op = WPIN_OP_LEAVE},
        {.op = WPIN_OP_RUN_FOR,
         .target = WPIN_MOTOR(0),
         .value = WPIN_PERCENT(50),
         .time_ms = 9000,
         ON_INPUT(1)},
        {.op = WPIN_OP_JOIN},
        {.op = WPIN_OP_REPEAT, .value = 100, ON_INPUT(0)},
        {.op = WPIN_OP_WAIT, .time_ms = 100},
        {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(0), .value = 1},
        {.op = WPIN_OP_AGAIN},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(30)},
        {.op = WPIN_OP_HOLD,
         .target = WPIN_MOTOR(0),
         .time_ms = 400,
         .until = 1 + WPIN_EVENT_RESTING,
         .until_of = 1},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(0), .time_ms = 400, ON_INPUT(1)},
        {.op = WPIN_OP_STOP, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, sizeof plan / sizeof *plan);
    run_to_end(&b);
    ck_assert_double_eq_tol(when(&b, 6, false, 0), 950, 4); /* pressed, and half a second's ramp */
    ck_assert_double_eq_tol(when(&b, 9, false, 0) - when(&b, 9, true, 0), 100, 1.01);
    ck_assert_double_eq_tol(when(&b, 12, true, 0), when(&b, 9, false, 0), 1.01); /* one round */
    ck_assert_double_eq_tol(when(&b, 13, false, 0) - when(&b, 13, true, 0), 0, 1.01);
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_TIMEOUT);
    ck_assert_uint_eq(b.sequence.fault_step, 14);
    wpin_step bad[] = {plan[14], {.op = WPIN_OP_END}};
    uint16_t where;
    const struct {
        uint8_t op, until;
        uint16_t of;
        uint32_t ms;
        wpin_status due;
    } rows[] = {{WPIN_OP_HOLD, 1 + WPIN_EVENT_COUNT, 0, 5, WPIN_REFUSED_RANGE},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_INPUT_ON, 2, 5, WPIN_REFUSED_ARGUMENT},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, MOTORS, 5, WPIN_REFUSED_ARGUMENT},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, 0, 0, WPIN_REFUSED_RANGE},
                {WPIN_OP_STOP, 1 + WPIN_EVENT_RESTING, 0, 5, WPIN_REFUSED_CONFIG},
                {WPIN_OP_HOLD, 1 + WPIN_EVENT_RESTING, 0, 5, WPIN_OK}};
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bad[0] = (wpin_step){.op = rows[i].op,
                             .target = WPIN_MOTOR(0),
                             .time_ms = rows[i].ms,
                             .until = rows[i].until,
                             .until_of = rows[i].of};
        b.config.steps = bad;
        b.config.step_count = 2;
        ck_assert_int_eq(wpin_sequence_check(&b.config, &where), rows[i].due);
    }
}
END_TEST

START_TEST(a_repeat_for_ever_ends_by_its_event_only) {
    static const wpin_step plan[] = {{.op = WPIN_OP_FORK, .value = 4},
                                     {.op = WPIN_OP_WAIT, .time_ms = 20},
                                     {.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(0), .value = 1},
                                     {.op = WPIN_OP_LEAVE},
                                     {.op = WPIN_OP_REPEAT, .value = 0, ON_INPUT(0)},
                                     {.op = WPIN_OP_REPEAT, .value = 2},
                                     {.op = WPIN_OP_WAIT, .time_ms = 1},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_AGAIN},
                                     {.op = WPIN_OP_JOIN},
                                     {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, sizeof plan / sizeof *plan);
    run_to_end(&b);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
    ck_assert_double_eq_tol((b.r.now - b.start) / 1000.0, 24, 8);
}
END_TEST

/* As it is, or as a share of what the step asks for at most; the other way round too. */
static const struct {
    int32_t full;
    wpin_duty first, second;
    double ends;
} followed[] = {{0, WPIN_PERCENT(30), WPIN_PERCENT(-50), 3250},
                {WPIN_DUTY_FULL / 2, WPIN_PERCENT(30) / 2, WPIN_PERCENT(-50) / 2, 3125},
                {-WPIN_DUTY_FULL, WPIN_PERCENT(-30), WPIN_PERCENT(50), 3250}};

START_TEST(a_motor_follows_an_input_for_a_time) {
    const wpin_step plan[] = {{.op = WPIN_OP_SET, .target = WPIN_INPUT(1), .value = 1200},
                              {.op = WPIN_OP_FOLLOW,
                               .target = WPIN_MOTOR(0),
                               .value = 1,
                               .full = followed[_i].full,
                               .time_ms = 3000},
                              {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    for (int ms = 0; ms < 6000 && wpin_sequence_busy(&b.sequence); ms++) {
        b.asked = ms < 1000 ? WPIN_PERCENT(30) : ms < 1800 ? 0 : WPIN_PERCENT(-50);
        tick(&b);
        if (ms == 900) {
            ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), followed[_i].first);
        } else if (ms == 2800) {
            ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), followed[_i].second);
        }
    }
    ck_assert_int_eq(b.set_to[1], 1200);
    ck_assert_double_eq_tol(when(&b, 1, false, 0), followed[_i].ends, 3); /* the ramp down too */
    ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), 0);
}
END_TEST

#define FOLLOWS(the_quantity, the_most)                                                            \
    {                                                                                              \
        .op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 1, .time_ms = 1,                   \
        .quantity = (the_quantity), .full = (the_most)                                             \
    }

/* A stepper among the motors, on the same numbers; served by a tick of its own. */
START_TEST(a_stepper_takes_its_turn) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(1), .millidegrees = 90000},
        {.op = WPIN_OP_HOLD, .target = WPIN_MOTOR(1), .time_ms = 200},
        {.op = WPIN_OP_TURN_TO, .target = WPIN_MOTOR(1), .millidegrees = -18000, .time_ms = 100},
        {.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(1), .value = WPIN_EVENT_RESTING, .time_ms = 100},
        {.op = WPIN_OP_COAST, .target = WPIN_MOTOR(1)},
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(40), .time_ms = 500},
        {.op = WPIN_OP_END}};
    static const wpin_line coils[] = {{.pin = 20}, {.pin = 21}, {.pin = 22}, {.pin = 23}};
    static const wpin_stage_config stage = {
        .table = &wpin_table_stepper, .lines = coils, .dead_time_us = 1};
    static const wpin_stepper_config config = {.stage = &stage,
                                               .steps_per_rev = 200,
                                               .start_rate = 100,
                                               .top_rate = 400,
                                               .acceleration = 1000};
    bench b;
    wpin_stepper stepper = {0};
    wpin_motor turntable = {0};
    const wpin_motor_config turns = {WPIN_ON_STEPPER(&stepper, &config),
                                     .guard = WPIN_STEPPER_GUARD, .rest_drive = WPIN_DRIVE_BRAKE};
    set_up(&b, plan, 7);
    b.list[1] = &turntable;
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_REFUSED_CLOSED);
    ck_assert_int_eq(wpin_motor_init(&turntable, &turns, &b.r.port), WPIN_OK);
    ck_assert_int_eq(wpin_motor_arm(&turntable), WPIN_OK);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
    int32_t highest = 0;
    for (int ms = 0; ms < 8000 && wpin_sequence_busy(&b.sequence); ms++) {
        for (int i = 0; i < 10; i++) {
            wpin_stepper_tick(&stepper);
            b.r.now += 100;
        }
        b.r.now -= 1000;
        highest = stepper.position > highest ? stepper.position : highest;
        tick(&b);
    }
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
    ck_assert_int_eq(highest, 50);
    ck_assert_int_eq(stepper.position, -10);
    ck_assert(!stepper.held);
    ck_assert_double_ge(when(&b, 2, true, 0), when(&b, 1, true, 0) + 200);
    ck_assert_double_ge(when(&b, 5, true, 0), when(&b, 2, true, 0) + 100);
    uint16_t bad;
    static const wpin_step wrong[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(1), .value = 100},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(1)},
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(0), .millidegrees = 1},
        {.op = WPIN_OP_TURN, .target = WPIN_MOTOR(1), .millidegrees = 3600001},
        {.op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 2, .time_ms = 1},
        {.op = WPIN_OP_FOLLOW, .target = WPIN_MOTOR(0), .value = 0},
        FOLLOWS(WPIN_QUANTITY_SPEED, 100), /* that nothing regulates */
        FOLLOWS(WPIN_QUANTITY_SPEED, 0),
        FOLLOWS(WPIN_QUANTITY_POSITION, 100),
        FOLLOWS(WPIN_QUANTITY_EFFORT, WPIN_DUTY_FULL + 1),
        FOLLOWS(WPIN_QUANTITY_EFFORT, INT32_MIN),
        {.op = WPIN_OP_CALIBRATE, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_SET, .target = WPIN_INPUT(2)}};
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        wpin_step two[] = {wrong[i], {.op = WPIN_OP_END}};
        b.config.steps = two;
        b.config.step_count = 2;
        ck_assert_int_ne(wpin_sequence_check(&b.config, &bad), WPIN_OK);
        ck_assert_uint_eq(bad, 0);
    }
}
END_TEST

START_TEST(a_fault_ends_the_plan_and_stops_every_motor) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(1), .value = WPIN_PERCENT(-50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 4);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 2000; i++) {
        tick(&b);
    }
    ck_assert_int_eq(wpin_motor_state(&b.motors[1]), WPIN_STATE_RUNNING);
    wpin_motor_trip(&b.motors[0], WPIN_FAULT_OVERCURRENT);
    for (int i = 0; i < 300; i++) {
        tick(&b);
    }
    ck_assert_int_eq(b.sequence.result, WPIN_FAULT_OVERCURRENT);
    ck_assert_uint_eq(b.sequence.fault_step, 2);
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_int_eq(wpin_motor_duty(&b.motors[1]), 0);
}
END_TEST

/* A fault that a step waits for, and that is cleared behind it, is part of the plan; any other ends
 * it: of another motor, with a pause in between, with its cause still there when the time is over.
 * The first move after it goes on for 2 s at most. */
START_TEST(a_fault_that_is_waited_for_is_cleared) {
    enum { GENTLE = WPIN_PERCENT(20), CUT = 600 }; /* ms: when a motor trips */
#define GO(of, ms)                                                                                 \
    { .op = (of), .target = WPIN_MOTOR(0), .value = GENTLE, .time_ms = (ms) }
#define UNTIL_FAULT                                                                                \
    { .op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_FAULTED, .time_ms = 2000 }
#define CLEAR                                                                                      \
    { .op = WPIN_OP_CLEAR, .target = WPIN_MOTOR(0), .time_ms = 500 }
#define PAUSE(ms)                                                                                  \
    { .op = WPIN_OP_WAIT, .time_ms = (ms) }
    const struct {
        wpin_step steps[6];
        int trips;  /* which motor; -1: none */
        int hot_ms; /* for so long its current is too high */
        wpin_status result;
        uint16_t fault_step;
    } rows[] = {
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)}, 0, 0, WPIN_OK, 0},
        {{{.op = WPIN_OP_RUN_FOR,
           .target = WPIN_MOTOR(0),
           .value = GENTLE,
           .time_ms = 2000,
           .until = 1 + WPIN_EVENT_FAULTED},
          CLEAR,
          GO(WPIN_OP_RUN_FOR, 200)},
         0,
         0,
         WPIN_OK,
         0},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)}, 0, 300, WPIN_OK, 0},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)},
         0,
         900,
         WPIN_FAULT_TIMEOUT,
         2},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN_FOR, 200)},
         1,
         0,
         WPIN_FAULT_EXTERNAL,
         1},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, PAUSE(5), CLEAR}, 0, 0, WPIN_FAULT_EXTERNAL, 2},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR}, -1, 0, WPIN_FAULT_TIMEOUT, 1},
        {{CLEAR, GO(WPIN_OP_RUN, 0), PAUSE(900)}, 0, 0, WPIN_FAULT_EXTERNAL, 2},
        {{GO(WPIN_OP_RUN, 0), UNTIL_FAULT, CLEAR, GO(WPIN_OP_RUN, 0), PAUSE(5000)},
         0,
         0,
         WPIN_FAULT_TIMEOUT,
         4},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b;
        uint16_t count = 0;
        while (count < 5 && rows[i].steps[count].op != WPIN_OP_END) {
            count++;
        }
        set_up(&b, rows[i].steps, count + 1U); /* the rest is END */
        b.configs[0].guard.current_trip = WPIN_CURRENT_MV(2000, 400);
        b.configs[0].sense =
            (wpin_sense_config){.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400};
        ck_assert_int_eq(wpin_motor_init(&b.motors[0], &b.configs[0], &b.r.port), WPIN_OK);
        ck_assert_int_eq(wpin_motor_arm(&b.motors[0]), WPIN_OK);
        ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_OK);
        int driven = 0;
        for (int ms = 0; ms < 9000; ms++) {
            if (ms == CUT && rows[i].trips >= 0) {
                wpin_motor_trip(&b.motors[rows[i].trips], WPIN_FAULT_EXTERNAL);
            }
            b.r.millivolts[0] = ms >= CUT && ms < CUT + rows[i].hot_ms ? 4000 : 0;
            tick(&b);
            driven += wpin_motor_duty(&b.motors[0]) != 0 && ms > CUT + rows[i].hot_ms;
            ck_assert(b.motors[0].fault == WPIN_OK || wpin_motor_duty(&b.motors[0]) == 0);
        }
        ck_assert_msg(
            b.sequence.result == rows[i].result &&
                (rows[i].result == WPIN_OK || b.sequence.fault_step == rows[i].fault_step),
            "row %zu: %s at %u", i, wpin_status_name(b.sequence.result), b.sequence.fault_step);
        ck_assert(!wpin_sequence_busy(&b.sequence));
        ck_assert_msg((rows[i].result != WPIN_OK) || driven > 150, "row %zu: moved again for %d ms",
                      i, driven);
        ck_assert_int_lt(driven, 2700);
    }
}
END_TEST

/* Served late by more than a motor waits for it: the plan says so, whichever way it is late. */
START_TEST(a_plan_served_late_ends_by_name) {
    static const wpin_step plan[] = {{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 8000},
                                     {.op = WPIN_OP_WAIT, .time_ms = 100000},
                                     {.op = WPIN_OP_END}};
    for (int alone = 0; alone < 2; alone++) {
        bench b;
        set_up(&b, plan, 3);
        wpin_sequence_start(&b.sequence, &b.config);
        for (int i = 0; i < 300 + 900 * alone; i++) {
            tick(&b);
        }
        for (int i = 0; i < 300; i++) { /* nobody is served, or the motors alone */
            b.r.now += 1000;
            if (alone) {
                wpin_motors_tick(b.list, MOTORS);
            }
        }
        for (int i = 0; i < 600; i++) {
            tick(&b);
        }
        ck_assert_int_eq(b.sequence.result, WPIN_FAULT_LATE);
        ck_assert(!wpin_sequence_busy(&b.sequence));
        ck_assert_int_eq(wpin_motor_duty(&b.motors[0]), 0);
    }
}
END_TEST

/* Two tracks on one motor: nested, in sequence, beside the parent, in the next fork. */
START_TEST(two_tracks_on_one_motor_are_refused) {
#define ON(n)                                                                                      \
    { .op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(n), .value = 9000, .time_ms = 5 }
#define FORK(n)                                                                                    \
    { .op = WPIN_OP_FORK, .value = (n) }
#define LEAVE                                                                                      \
    { .op = WPIN_OP_LEAVE }
#define JOIN                                                                                       \
    { .op = WPIN_OP_JOIN }
    const struct {
        wpin_step steps[12];
        uint16_t count;
        bool conflict;
    } rows[] = {
        {{FORK(3), ON(0), LEAVE, ON(0), JOIN, {.op = WPIN_OP_END}}, 6, true},
        {{FORK(3), ON(0), LEAVE, JOIN, ON(0), {.op = WPIN_OP_END}}, 6, false},
        {{FORK(3), ON(0), LEAVE, ON(1), JOIN, {.op = WPIN_OP_END}}, 6, false},
        {{ON(0), FORK(4), ON(0), LEAVE, ON(1), JOIN, {.op = WPIN_OP_END}}, 7, false},
        {{FORK(3), ON(0), LEAVE, FORK(6), ON(0), LEAVE, JOIN, {.op = WPIN_OP_END}}, 8, true},
        {{FORK(3), ON(0), LEAVE, JOIN, FORK(7), ON(0), LEAVE, JOIN, {.op = WPIN_OP_END}}, 9, false},
        {{FORK(6), FORK(4), ON(2), LEAVE, JOIN, LEAVE, ON(2), JOIN, {.op = WPIN_OP_END}}, 9, true},
        {{FORK(7), FORK(4), ON(2), LEAVE, ON(2), JOIN, LEAVE, JOIN, {.op = WPIN_OP_END}}, 9, true},
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b;
        set_up(&b, rows[i].steps, rows[i].count);
        wpin_status status = wpin_sequence_check(&b.config, NULL);
        ck_assert_msg((status == WPIN_REFUSED_CONFLICT) == rows[i].conflict, "row %zu: %s", i,
                      wpin_status_name(status));
    }
}
END_TEST

START_TEST(resting_comes_after_a_brake_too) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = 8000, .time_ms = 300},
        {.op = WPIN_OP_BRAKE, .target = WPIN_MOTOR(0)},
        {.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_RESTING, .time_ms = 500},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 4);
    run_to_end(&b);
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

START_TEST(motors_stop_when_the_plan_is_no_longer_served) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 2000; i++) {
        tick(&b);
    }
    ck_assert(wpin_motor_busy(&b.motors[0]));
    for (int i = 0; i < 250 + 250 + 2; i++) { /* only the motor is ticked: its life, its ramp */
        b.r.now += 1000;
        wpin_motor_tick(&b.motors[0]);
    }
    ck_assert(!wpin_motor_busy(&b.motors[0]));
}
END_TEST

START_TEST(stopping_early_ramps_to_rest) {
    static const wpin_step plan[] = {
        {.op = WPIN_OP_RUN, .target = WPIN_MOTOR(2), .value = WPIN_PERCENT(50)},
        {.op = WPIN_OP_WAIT, .time_ms = 100000},
        {.op = WPIN_OP_END}};
    bench b;
    set_up(&b, plan, 3);
    wpin_sequence_start(&b.sequence, &b.config);
    for (int i = 0; i < 1000; i++) {
        tick(&b);
    }
    wpin_sequence_stop(&b.sequence);
    ck_assert(wpin_sequence_busy(&b.sequence));
    for (int i = 0; i < 252; i++) {
        tick(&b);
    }
    ck_assert(!wpin_sequence_busy(&b.sequence));
    ck_assert_int_eq(b.sequence.result, WPIN_OK);
}
END_TEST

/* Each wrong plan with what it is refused with and at which step. */
START_TEST(wrong_plans_are_refused_before_anything_moves) {
#define END_STEP                                                                                   \
    { .op = WPIN_OP_END }
    const struct {
        wpin_step steps[14];
        uint16_t count;
        wpin_status status;
        uint16_t bad;
    } rows[] = {
        {{{.op = 99}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
        {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(3), .value = 1}, END_STEP},
         2,
         WPIN_REFUSED_ARGUMENT,
         0},
        {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 0}, END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = WPIN_DUTY_FULL + 1}, END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_RUN, .target = WPIN_MOTOR(0), .value = 1, .ramp_us = WPIN_RAMP_MAX_US + 1},
          END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_RUN_FOR, .target = WPIN_MOTOR(0), .value = 1}, END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_SWITCH, .target = WPIN_SWITCH(2)}, END_STEP}, 2, WPIN_REFUSED_ARGUMENT, 0},
        {{{.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(0), .value = WPIN_EVENT_AT_SETPOINT},
          END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_UNTIL, .value = WPIN_EVENT_COUNT, .time_ms = 1}, END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_UNTIL,
           .value = WPIN_EVENT_INPUT_ON,
           .target = WPIN_INPUT(2),
           .time_ms = 1},
          END_STEP},
         2,
         WPIN_REFUSED_ARGUMENT,
         0},
        {{{.op = WPIN_OP_UNTIL, .target = WPIN_MOTOR(3), .time_ms = 1}, END_STEP},
         2,
         WPIN_REFUSED_ARGUMENT,
         0},
        {{{.op = WPIN_OP_TOGGLE, .target = WPIN_MOTOR(0), .value = 0}, END_STEP},
         2,
         WPIN_REFUSED_RANGE,
         0},
        {{{.op = WPIN_OP_REPEAT, .value = -1}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
        {{{.op = WPIN_OP_REPEAT, .value = 2, .until = 1 + WPIN_EVENT_FAULTED}, END_STEP},
         2,
         WPIN_REFUSED_CONFIG,
         0},
        {{{.op = WPIN_OP_CLEAR, .target = WPIN_MOTOR(0)}, END_STEP}, 2, WPIN_REFUSED_RANGE, 0},
        {{{.op = WPIN_OP_AGAIN}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
        {{{.op = WPIN_OP_REPEAT, .value = 2}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 1},
        {{{.op = WPIN_OP_LEAVE}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
        {{{.op = WPIN_OP_FORK, .value = 1}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
        {{{.op = WPIN_OP_FORK, .value = 9}, END_STEP}, 2, WPIN_REFUSED_CONFIG, 0},
        {{{.op = WPIN_OP_FORK, .value = 2}, {.op = WPIN_OP_LEAVE}, END_STEP},
         3,
         WPIN_REFUSED_CONFIG,
         2}, /* not joined */
        {{{.op = WPIN_OP_REPEAT, .value = 2},
          {.op = WPIN_OP_FORK, .value = 3},
          {.op = WPIN_OP_LEAVE},
          {.op = WPIN_OP_AGAIN},
          END_STEP},
         5,
         WPIN_REFUSED_CONFIG,
         3},
        {{{.op = WPIN_OP_WAIT}, END_STEP, {.op = WPIN_OP_WAIT}}, 3, WPIN_REFUSED_CONFIG, 1},
        {{{.op = WPIN_OP_WAIT}}, 1, WPIN_REFUSED_CONFIG, 0},
        {{{.op = WPIN_OP_REPEAT, .value = 1},
          {.op = WPIN_OP_REPEAT, .value = 1},
          {.op = WPIN_OP_REPEAT, .value = 1},
          {.op = WPIN_OP_REPEAT, .value = 1},
          {.op = WPIN_OP_REPEAT, .value = 1},
          END_STEP},
         6,
         WPIN_REFUSED_FULL,
         4},
        {{{.op = WPIN_OP_FORK, .value = 2},
          {.op = WPIN_OP_LEAVE},
          {.op = WPIN_OP_FORK, .value = 4},
          {.op = WPIN_OP_LEAVE},
          {.op = WPIN_OP_FORK, .value = 6},
          {.op = WPIN_OP_LEAVE},
          {.op = WPIN_OP_FORK, .value = 8},
          {.op = WPIN_OP_LEAVE},
          {.op = WPIN_OP_JOIN},
          END_STEP},
         10,
         WPIN_REFUSED_FULL,
         9}, /* five tracks at once, room for four */
    };
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        bench b;
        uint16_t bad = 999;
        set_up(&b, rows[i].steps, rows[i].count);
        wpin_status status = wpin_sequence_check(&b.config, &bad);
        ck_assert_msg(status == rows[i].status && bad == rows[i].bad, "row %zu: %s at %u", i,
                      wpin_status_name(status), bad);
        size_t before = b.r.count;
        ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), rows[i].status);
        tick(&b);
        ck_assert_uint_eq(b.r.count, before);
        ck_assert(!b.sequence.running);
    }
    bench b;
    set_up(&b, NULL, 3);
    ck_assert_int_eq(wpin_sequence_start(&b.sequence, &b.config), WPIN_REFUSED_ARGUMENT);
    ck_assert_int_eq(wpin_sequence_start(NULL, &b.config), WPIN_REFUSED_ARGUMENT);
}
END_TEST

/* Random nests of repeats and tracks: what the check lets pass runs to its end. */
START_TEST(what_is_checked_runs_to_its_end) {
    pick_seed((uint32_t)_i + 100);
    int ran = 0;
    for (int plan_number = 0; plan_number < 300; plan_number++) {
        wpin_step steps[40];
        uint16_t n = 0;
        int forks = 0;
        while (n < 30) {
            switch (pick(6)) {
            case 0:
                steps[n++] = (wpin_step){.op = WPIN_OP_REPEAT, .value = (int16_t)(1 + pick(3))};
                break;
            case 1: steps[n++] = (wpin_step){.op = WPIN_OP_AGAIN}; break;
            case 2:
                steps[n] = (wpin_step){.op = WPIN_OP_FORK, .value = (int16_t)(n + 3)};
                steps[n + 1] = (wpin_step){.op = WPIN_OP_WAIT, .time_ms = pick(20)};
                steps[n + 2] = (wpin_step){.op = WPIN_OP_LEAVE};
                n = (uint16_t)(n + 3);
                forks++;
                break;
            case 3: steps[n++] = (wpin_step){.op = WPIN_OP_JOIN}; break;
            default: steps[n++] = (wpin_step){.op = WPIN_OP_WAIT, .time_ms = pick(5)}; break;
            }
            if (pick(8) == 0) {
                break;
            }
        }
        steps[n++] = (wpin_step){.op = WPIN_OP_END};
        bench b;
        set_up(&b, steps, n);
        b.config.observe = NULL;
        if (wpin_sequence_check(&b.config, NULL) == WPIN_OK) {
            run_to_end(&b);
            ck_assert_int_eq(b.sequence.result, WPIN_OK);
            ran++;
        }
    }
    ck_assert_int_gt(ran, 20);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("sequence");
    TCase *tests = tcase_create("sequence");
    tcase_add_test(tests, a_plan_runs_in_its_time);
    tcase_add_test(tests, a_run_has_its_whole_time_after_turning_over);
    tcase_add_test(tests, a_current_limit_does_not_hold_up_the_plan);
    tcase_add_test(tests, a_repeat_for_ever_ends_by_its_event_only);
    tcase_add_test(tests, tracks_run_side_by_side);
    tcase_add_test(tests, a_plan_waits_for_events_but_not_for_ever);
    tcase_add_test(tests, an_event_ends_an_action);
    tcase_add_loop_test(tests, a_motor_follows_an_input_for_a_time, 0,
                        sizeof followed / sizeof *followed);
    tcase_add_test(tests, a_stepper_takes_its_turn);
    tcase_add_test(tests, a_fault_ends_the_plan_and_stops_every_motor);
    tcase_add_test(tests, a_fault_that_is_waited_for_is_cleared);
    tcase_add_test(tests, a_plan_served_late_ends_by_name);
    tcase_add_test(tests, two_tracks_on_one_motor_are_refused);
    tcase_add_test(tests, resting_comes_after_a_brake_too);
    tcase_add_test(tests, motors_stop_when_the_plan_is_no_longer_served);
    tcase_add_test(tests, stopping_early_ramps_to_rest);
    tcase_add_test(tests, wrong_plans_are_refused_before_anything_moves);
    tcase_add_loop_test(tests, what_is_checked_runs_to_its_end, 0, 4);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
