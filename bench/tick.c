/* One motor with current and supply watched, on a port that costs next to nothing: what is measured
 * is the core. The lock is a real one where there are interrupts. */
#include "tick.h"
#include "tick_port.h"
#include <windpin/fast.h>

const wpin_port bench_port = {.now = now,
                              .open = open_pin,
                              .write = write_pin,
                              .pwm_start = pwm_start,
                              .pwm_duty = pwm_duty,
                              .leg_start = leg_start,
                              .leg_duty = leg_duty,
                              .group_open = group_open,
                              .group_write = group_write,
                              .read = read_pin,
                              .millivolts = millivolts,
                              .count = count,
                              .pause = pause_us,
                              .lock = lock,
                              .unlock = unlock};
static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
static const WPIN_FLASH wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
const WPIN_FLASH wpin_motor_config bench_config = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .pause_us = 1000,
              .current_trip = WPIN_CURRENT_MV(6000, 400),
              .trip_us = 50000,
              .supply_low = WPIN_SUPPLY_MV(9000, 250),
              .supply_high = WPIN_SUPPLY_MV(15000, 250)},
    .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY,
              .current_input = 0,
              .current_mv_per_a = 400,
              .supply_input = 1}};
static wpin_motor motor;
WPIN_FAST_TICK(fast_tick, motor, bench_config, bench_port)

/* ---- the same with its speed regulated, its current limited and its motion watched ---- */

static wpin_encoder encoder;
static const WPIN_FLASH wpin_encoder_config encoder_config = {.full_hz = 8000, .window_us = 1000};
static wpin_loop_state loop_state;
static wpin_speed loop;
static const WPIN_FLASH wpin_speed_config gains = {.feed = 14000,
                                                   .friction = 900,
                                                   .breakaway = 1200,
                                                   .climb = 5,
                                                   .inertia = 600,
                                                   .gain = 800,
                                                   .integral = 1100,
                                                   .fresh_us = 6000,
                                                   .coasts = 900};
static wpin_motion motion;
static const WPIN_FLASH wpin_motion_config watched = {.still = 160,
                                                      .least_effort = 2000,
                                                      .still_ms = 500,
                                                      .stall_mv = 4000,
                                                      .wrong_ms = 100,
                                                      .over_speed = 20000,
                                                      .off_by = 1600,
                                                      .off_ms = 2000};
static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&loop, &gains)};
static const WPIN_FLASH wpin_protection protections[] = {WPIN_MOTION_PROTECTION(&motion, &watched)};
const WPIN_FLASH wpin_motor_config regulated_config = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .regulated = WPIN_SLEW_US(20000),
              .reversal = WPIN_REVERSAL_STANDSTILL,
              .standstill = 160,
              .pause_us = 1000,
              .current_limit = WPIN_CURRENT_MV(4000, 400),
              .limit_gain = 2},
    .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SPEED,
              .current_input = 0,
              .current_mv_per_a = 400,
              .more = wpin_encoder_measure,
              .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = regulators,
    .regulator_count = 1,
    .protections = protections,
    .protection_count = 1};
static wpin_motor regulated;
WPIN_FAST_TICK(fast_loop, regulated, regulated_config, bench_port)

bool bench_fast;

/* Apart, so that each has the registers it needs and no more. */
__attribute__((noinline)) static void tick_general(void) {
    wpin_motor_tick(&motor);
}

__attribute__((noinline)) static void tick_folded(void) {
    fast_tick();
}

__attribute__((noinline)) static void tick_loop(void) {
    if (bench_fast) {
        fast_loop();
    } else {
        wpin_motor_tick(&regulated);
    }
}

static void prepare_loop(void) {
    wpin_motor_close(&motor);
    wpin_encoder_init(&encoder, &encoder_config, &bench_port);
    wpin_motor_init(&regulated, &regulated_config, &bench_port);
    wpin_motor_arm(&regulated);
    wpin_setpoint half = {.quantity = WPIN_QUANTITY_SPEED, .value = 8000};
    for (int i = 0; i < 1500; i++) {
        bench_pass();
        if (i == 20) {
            wpin_motor_request(&regulated, half, 0, WPIN_TIMEOUT_HELD);
        }
        tick_loop();
    }
}

static uint16_t random_state = 1;

static uint16_t pick(uint16_t range) { /* a 16-bit xorshift: repeatable, and small */
    random_state ^= (uint16_t)(random_state << 7);
    random_state ^= (uint16_t)(random_state >> 9);
    random_state ^= (uint16_t)(random_state << 8);
    return (uint16_t)(random_state % range);
}

/* One request of any kind: the worst tick is one that takes it. */
static void ask_at_random(void) {
    wpin_duty duty = (wpin_duty)(pick(32769) - 16384);
    switch (pick(8)) {
    case 0: wpin_motor_stop(&motor, pick(2) ? 0 : 300000); break;
    case 1: wpin_motor_coast(&motor); break;
    case 2: wpin_motor_brake(&motor); break;
    case 3:
        wpin_motor_trip(&motor, WPIN_FAULT_EXTERNAL);
        clock_us += 1000;
        bench_tick();
        clock_us -= 1000;
        wpin_motor_clear_fault(&motor);
        wpin_motor_arm(&motor);
        break;
    default:
        wpin_motor_run(&motor, duty, pick(3) ? 0 : (uint32_t)20000 << pick(15),
                       1 + ((uint32_t)pick(60) << pick(3) * 7));
        break;
    }
}

/* ---- a brushless motor: PWM on the high sides, the low sides switch plainly ---- */

static const WPIN_FLASH wpin_line phase_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const WPIN_FLASH wpin_stage_config inverter = {.table = &wpin_table_three_phase_bridge_high,
                                                      .lines = phase_lines,
                                                      .pwm_hz = 20000,
                                                      .dead_time_us = 2};
static const WPIN_FLASH wpin_six_step_config phases_config = {
    .stage = &inverter, .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
static wpin_six_step phases;
static bench_case bench_case_now;

WPIN_FAST_EDGE(fast_edge, phases, phases_config, bench_port, codes[rotor_sector], clock_us)

__attribute__((noinline)) static void edge_folded(void) {
    fast_edge();
}

__attribute__((noinline)) static void edge_general(void) {
    wpin_six_step_edge(&phases);
}

static void prepare_inverter(void) {
    rotor_sector = 0;
    wpin_six_step_actuator.open(&phases, &phases_config, &bench_port);
    wpin_six_step_actuator.put(&phases, WPIN_QUANTITY_EFFORT, 8000);
}

/* ---- the same without sensors ---- */

static const WPIN_FLASH wpin_sensorless_step ramp[] = {{25, 4000}};
static const WPIN_FLASH wpin_sensorless_config blind_config = {.stage = &inverter,
                                                               .above = {14, 15, 16},
                                                               .ramp = ramp,
                                                               .ramp_count = 1,
                                                               .align_ms = 1,
                                                               .rest_ms = 1,
                                                               .least_us = 100};
static wpin_sensorless blind;

static void prepare_blind(void) {
    samples = true;
    wpin_motor_close(&motor);
    wpin_sensorless_actuator.open(&blind, &blind_config, &bench_port);
    for (int i = 0; i < 2000 && blind.good < WPIN_SENSORLESS_SURE; i++) {
        wpin_measurement m = {.at = clock_us};
        wpin_sensorless_actuator.poll(&blind, &m);
        wpin_sensorless_actuator.put(&blind, WPIN_QUANTITY_EFFORT, 8000);
        wpin_sensorless_sample(&blind);
        clock_us += 50;
        turn_rotor();
    }
}

__attribute__((noinline)) static void sample(void) {
    wpin_sensorless_sample(&blind);
}

/* ---- field orientation, by Hall sensors and three shunts ---- */

static const WPIN_FLASH wpin_stage_config turned = {.table = &wpin_table_three_phase_bridge,
                                                    .lines = phase_lines,
                                                    .pwm_hz = 20000,
                                                    .dead_time_us = 1,
                                                    .centred = true};
static const WPIN_FLASH wpin_six_step_config turned_hall = {
    .stage = &turned, .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
static const WPIN_FLASH wpin_vector_config vector_config = {.stage = &turned,
                                                            .hall = &turned_hall,
                                                            .shunts = {1, 2, 3},
                                                            .zero_mv = 2500,
                                                            .least_low = 655,
                                                            .full_mv = 900,
                                                            .limit_mv = 1090,
                                                            .trip_mv = 1900,
                                                            .gain = 4711,
                                                            .integral = 2690,
                                                            .coupling = 1625,
                                                            .emf = 15291,
                                                            .most = 16384,
                                                            .dead = 328,
                                                            .dead_slope = 2463,
                                                            .lead_us = 75,
                                                            .rate = WPIN_VECTOR_RATE(224)};
static wpin_vector vector;
static uint8_t periods;

/* A sector takes 16 PWM periods; a tick comes every 20. */
static void turn_vector(void) {
    clock_us += 50;
    sensed_mv = (int16_t)(2300 + (periods & 7) * 50);
    supply_mv = (int16_t)(2700 - (periods & 7) * 40);
    periods++;
    if ((periods & 15) == 0) {
        rotor_sector = rotor_sector == 5 ? 0 : (uint8_t)(rotor_sector + 1);
        wpin_six_step_edge(&vector.rotor);
    }
}

__attribute__((noinline)) static void vector_period(void) {
    wpin_vector_period(&vector);
}

static void prepare_vector(void) {
    wpin_motor_close(&motor);
    rotor_sector = 0;
    wpin_vector_actuator.open(&vector, &vector_config, &bench_port);
    wpin_vector_actuator.put(&vector, WPIN_QUANTITY_EFFORT, 8000);
    for (int i = 0; i < 100; i++) {
        wpin_measurement m = {.at = clock_us, .speed = 15000, .valid = WPIN_HAS_SPEED};
        wpin_vector_actuator.poll(&vector, &m);
        turn_vector();
        wpin_vector_period(&vector);
    }
}

void bench_prepare(bench_case what) {
    bench_case_now = BENCH_REST;
    samples = false;
    sensed_mv = 400;
    supply_mv = 3000;
    if (BENCH_LOOPS && BENCH_OTHERS && what == BENCH_VECTOR) {
        prepare_vector();
        bench_case_now = what;
        return;
    }
    if (BENCH_LOOPS && what == BENCH_SAMPLE) {
        prepare_blind();
        bench_case_now = what;
        return;
    }
    if (BENCH_LOOPS && !BENCH_ALONE && what == BENCH_COMMUTATE) {
        prepare_inverter();
        bench_case_now = what;
        return;
    }
    if (!BENCH_OTHERS) {
        prepare_loop();
        bench_case_now = what;
        return;
    }
    wpin_motor_init(&motor, &bench_config, &bench_port);
    wpin_motor_arm(&motor);
    random_state = 1;
    for (int i = 0; i < 10; i++) {
        bench_pass();
        bench_tick();
    }
    if (what == BENCH_RAMP) {
        wpin_motor_run(&motor, 16384, 0, 100000);
    } else if (what == BENCH_ASKED) {
        wpin_motor_run(&motor, 16384, 2100000, 100000);
    } else if (what == BENCH_RUN) {
        wpin_motor_run(&motor, 160, 0, 100000);
        for (int i = 0; i < 200; i++) {
            bench_pass();
            bench_tick();
        }
    }
    bench_pass();
    bench_tick();
    bench_case_now = what;
    if (BENCH_LOOPS && what == BENCH_LOOP) {
        prepare_loop();
    }
}

void bench_pass(void) {
    if (BENCH_LOOPS && BENCH_OTHERS && bench_case_now == BENCH_VECTOR) {
        turn_vector();
        return;
    }
    if (BENCH_LOOPS && bench_case_now == BENCH_SAMPLE) {
        clock_us += 50;
        turn_rotor();
        return;
    }
    clock_us += 1000;
    if (bench_case_now == BENCH_WORST) { /* no two ticks alike, some late; a current that peaks */
        clock_us = clock_us - 10 + pick(21) + (pick(64) == 0 ? pick(40000) : 0);
        sensed_mv = pick(16) == 0 ? 3000 : 400;
    }
    if (BENCH_LOOPS && bench_case_now != BENCH_COMMUTATE &&
        (!BENCH_OTHERS || bench_case_now == BENCH_LOOP)) {
        turns += (uint32_t)wpin_motor_duty(&regulated) - turns / 64U;
        place += turns / 512U;
    }
}

void bench_ask(void) {
    if (bench_case_now == BENCH_WORST && pick(4) == 0) {
        uint32_t now = clock_us;
        clock_us -= pick(1001); /* at any moment since the last tick */
        ask_at_random();
        clock_us = now;
    }
}

void bench_tick(void) {
    if (BENCH_LOOPS && BENCH_OTHERS && bench_case_now == BENCH_VECTOR) {
        vector_period();
    } else if (BENCH_LOOPS && bench_case_now == BENCH_SAMPLE) {
        sample();
    } else if (BENCH_LOOPS && !BENCH_ALONE && bench_case_now == BENCH_COMMUTATE) {
        rotor_sector = rotor_sector == 5 ? 0 : (uint8_t)(rotor_sector + 1);
        if (bench_fast) {
            edge_folded();
        } else {
            edge_general();
        }
    } else if (BENCH_LOOPS && (!BENCH_OTHERS || bench_case_now == BENCH_LOOP)) {
        tick_loop();
    } else if (!BENCH_ALONE && bench_fast) {
        tick_folded();
    } else {
        tick_general();
    }
}
