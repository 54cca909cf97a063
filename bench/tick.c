/* One motor with current and supply watched, on a port that costs next to nothing. */
#include "tick.h"

static volatile uint32_t clock_us;
static volatile uint16_t shown;

static wpin_moment now(void *context) {
    (void)context;
    return clock_us;
}

static wpin_status open_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context, (void)pin, (void)level;
    return WPIN_OK;
}

static void write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context, (void)pin;
    shown = (uint16_t)level;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin, (void)request;
    *achieved = (wpin_pwm_achieved){20000000, 800};
    return WPIN_OK;
}

static void pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin;
    shown = duty;
}

static int32_t millivolts(void *context, uint8_t input) {
    (void)context;
    return input == 0 ? 400 : 3000;
}

static void pause_us(void *context, uint32_t us) {
    (void)context;
    clock_us += us;
}

static const wpin_port port = {.now = now,
                               .open = open_pin,
                               .write = write_pin,
                               .pwm_start = pwm_start,
                               .pwm_duty = pwm_duty,
                               .millivolts = millivolts,
                               .pause = pause_us};
static const wpin_line lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
static const wpin_stage_config stage = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static const wpin_motor_config config = {.stage = &stage,
                                         .up_us = 60000000,
                                         .down_us = 1500000,
                                         .rest_us = 1000,
                                         .duty_max = 16384,
                                         .guard = {.current_input = 0,
                                                   .current_mv_per_a = 400,
                                                   .current_trip_ma = 6000,
                                                   .current_trip_us = 50000,
                                                   .supply_input = 1,
                                                   .supply_ratio_milli = 250,
                                                   .supply_min_mv = 9000,
                                                   .supply_max_mv = 15000}};
static const wpin_step plan[] = {{.op = WPIN_OP_RUN, .motor = 0, .value = 16384},
                                 {.op = WPIN_OP_STOP, .motor = 0},
                                 {.op = WPIN_OP_END}};
static wpin_motor motor;
static wpin_motor *const motors[] = {&motor};
static wpin_track tracks[2];
static const wpin_sequence_config sequence_config = {.steps = plan,
                                                     .step_count = 3,
                                                     .motors = motors,
                                                     .motor_count = 1,
                                                     .track_count = 2,
                                                     .tracks = tracks,
                                                     .port = &port};
static wpin_sequence sequence;
static bool by_plan;

void bench_prepare(bench_case what) {
    by_plan = what == BENCH_PLAN;
    wpin_motor_init(&motor, &config, &port);
    wpin_motor_arm(&motor);
    for (int i = 0; i < 10; i++) {
        clock_us += 1000;
        wpin_motor_tick(&motor);
    }
    if (by_plan) {
        wpin_sequence_start(&sequence, &sequence_config);
    } else if (what == BENCH_RAMP) {
        wpin_motor_run(&motor, 16384, 0, 100000);
    } else if (what == BENCH_RUN) {
        wpin_motor_run(&motor, 16, 0, 100000);
        for (int i = 0; i < 200; i++) {
            bench_tick();
        }
    }
}

void bench_tick(void) {
    clock_us += 1000;
    if (by_plan) {
        wpin_sequence_tick(&sequence);
    } else {
        wpin_motor_tick(&motor);
    }
}

const char *bench_name(bench_case what) {
    static const char *const names[] = {"at rest", "ramping", "running", "plan, ramping"};
    return names[what];
}
