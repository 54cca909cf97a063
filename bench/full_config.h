/* The motor of loop.c with everything watched. Who includes it has the objects: encoder, loop,
 * loop_state. */
#ifndef WPIN_BENCH_FULL_CONFIG_H
#define WPIN_BENCH_FULL_CONFIG_H

static const WPIN_FLASH wpin_line loop_lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
static const WPIN_FLASH wpin_stage_config loop_bridge = {.table = &wpin_table_direction_pwm_brake,
                                                         .lines = loop_lines,
                                                         .pwm_hz = 20000,
                                                         .dead_time_us = 2};
static wpin_stage loop_stage;
static const WPIN_FLASH wpin_encoder_config encoder_config = {.full_hz = 8000, .window_us = 1000};
static const WPIN_FLASH wpin_speed_config loop_gains = {.feed = 14000,
                                                        .friction = 900,
                                                        .breakaway = 1200,
                                                        .climb = 5,
                                                        .inertia = 600,
                                                        .gain = 800,
                                                        .integral = 1100,
                                                        .fresh_us = 6000,
                                                        .timer_step = 20};
static const WPIN_FLASH wpin_regulator loop_regulators[] = {
    WPIN_SPEED_REGULATOR(&loop, &loop_gains)};
static wpin_motion motion;
static const WPIN_FLASH wpin_motion_config watched = {.still = 160,
                                                      .least_effort = 2000,
                                                      .still_ms = 500,
                                                      .stall_mv = 4000,
                                                      .lost_ms = 200,
                                                      .wrong_ms = 100,
                                                      .over_speed = 20000,
                                                      .off_by = 1600,
                                                      .off_ms = 2000};
static wpin_overload overload;
static const WPIN_FLASH wpin_overload_config heat = {.share = WPIN_OVERLOAD_SHARE(1200),
                                                     .decay = WPIN_OVERLOAD_DECAY(60000)};
static const WPIN_FLASH wpin_protection protections[] = {
    WPIN_MOTION_PROTECTION(&motion, &watched), WPIN_OVERLOAD_PROTECTION(&overload, &heat)};
const WPIN_FLASH wpin_motor_config loop_config = {
    WPIN_ON_STAGE(&loop_stage, &loop_bridge),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .regulated = WPIN_SLEW_US(20000),
              .reversal = WPIN_REVERSAL_STANDSTILL,
              .standstill = 160,
              .pause_us = 1000,
              .current_limit = WPIN_CURRENT_MV(4000, 400),
              .limit_gain = 2,
              .current_trip = WPIN_CURRENT_MV(6000, 400),
              .trip_us = 50000,
              .supply_low = WPIN_SUPPLY_MV(9000, 250),
              .supply_high = WPIN_SUPPLY_MV(15000, 250)},
    .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY | WPIN_HAS_SPEED,
              .current_mv_per_a = 400,
              .supply_input = 1,
              .more = wpin_encoder_measure,
              .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = loop_regulators,
    .regulator_count = 1,
    .protections = protections,
    .protection_count = 2};

#endif
