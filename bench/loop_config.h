/* The motor of loop.c, which fused_loop.h is written by hand for: its speed regulated by an encoder
 * that is counted, its current limited. Who includes it has the objects: encoder, loop, loop_state.
 */
#ifndef WPIN_BENCH_LOOP_CONFIG_H
#define WPIN_BENCH_LOOP_CONFIG_H

static const WPIN_FLASH wpin_line loop_lines[] = {{.pin = 4}, {.pin = 7}, {.pin = 9}};
static const WPIN_FLASH wpin_stage_config loop_bridge = {.table = &wpin_table_direction_pwm_brake,
                                                         .lines = loop_lines,
                                                         .pwm_hz = 20000,
                                                         .dead_time_us = 2};
static wpin_stage loop_stage;
const WPIN_FLASH wpin_counting_config encoder_config = {WPIN_COUNTS_AT_FULL(8000), .smooth = 1};
static const WPIN_FLASH wpin_speed_config loop_gains = {
    .feed = 14000, .friction = 900, .gain = 800, .integral = 1100};
static const WPIN_FLASH wpin_regulator loop_regulators[] = {
    WPIN_SPEED_REGULATOR(&loop, &loop_gains)};
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
              .limit_gain = 2},
    .sense = {.reads = WPIN_HAS_CURRENT | WPIN_HAS_SPEED,
              .current_mv_per_a = 400,
              .more = wpin_counting_measure,
              .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = loop_regulators,
    .regulator_count = 1};

#endif
