/* What the rules are tried on. */
#include "world.h"
#include <string.h>

world w;

static void put_on_six_steps(void) {
    w.six_step_config = (wpin_six_step_config){.stage = &w.stage_config,
                                               .hall = {HALL, HALL + 1, HALL + 2},
                                               .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)};
    w.config.actuator = &wpin_six_step_actuator;
    w.config.part = &w.six_step;
    w.config.part_config = &w.six_step_config;
}

static void orient_by_field(void) {
    w.oriented = true;
    w.stage_config.centred = true;
    w.vector_config = (wpin_vector_config){.stage = &w.stage_config,
                                           .hall = &w.six_step_config,
                                           .shunts = {1, 2, 3},
                                           .zero_mv = 500,
                                           .full_mv = 600,
                                           .limit_mv = 700,
                                           .trip_mv = 1200,
                                           .gain = 4000,
                                           .integral = 1500,
                                           .coupling = 800,
                                           .emf = 15000,
                                           .most = WPIN_DUTY_FULL,
                                           .least_low = 400,
                                           .dead = 300,
                                           .dead_slope = 2000,
                                           .lead_us = 75,
                                           .rate = WPIN_VECTOR_RATE(200)};
    w.config.actuator = &wpin_vector_actuator;
    w.config.part = &w.vector;
    w.config.part_config = &w.vector_config;
}

static void configure(const wpin_stage_kind *kind) {
    bool coasts = wpin_stage_kind_has(kind, WPIN_DRIVE_COAST);
    w.config = (wpin_motor_config){
        WPIN_ON_STAGE(&w.stage, &w.stage_config),
        .guard = {.cap = WPIN_DUTY_FULL,
                  .up = WPIN_SLEW_US(40000),
                  .down = WPIN_SLEW_US(40000),
                  .pause_us = PAUSE_US,
                  .minimum_us = MINIMUM_US,
                  .current_trip = 1000,
                  .trip_us = 3000,
                  .current_limit = 700,
                  .limit_gain = 4,
                  .tick_max_us = LATE_US},
        .sense = {.reads = WPIN_HAS_CURRENT, .limit_forward = {.used = true, .pin = 0}},
        .rest_drive = (uint8_t)(coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE),
        .safe_drive = (uint8_t)(coasts ? WPIN_DRIVE_COAST : WPIN_DRIVE_BRAKE)};
}

void set_up(const wpin_stage_kind *kind, bool grouped, bool oriented) {
    memset(&w, 0, sizeof w);
    w.now = 0xFFFFFFFFu - 3000000u; /* the clock wraps soon */
    w.kind = kind;
    for (int l = 0; l < LINES; l++) {
        w.lines[l].pin = (wpin_pin)l;
        w.level[l] = 2;
    }
    connect_port(grouped);
    w.stage_config = (wpin_stage_config){.table = kind->table,
                                         .lines = w.lines,
                                         .pwm_hz = wpin_stage_kind_has_pwm(kind) ? 50 : 0,
                                         .dead_time_us = DEAD_US,
                                         .pulse_neutral = WPIN_PULSE_SHARE(1500, 50),
                                         .pulse_swing = WPIN_PULSE_SHARE(500, 50)};
    w.stepper_config = (wpin_stepper_config){.stage = &w.stage_config,
                                             .steps_per_rev = 200,
                                             .start_rate = 200,
                                             .top_rate = 2000,
                                             .acceleration = 20000};
    configure(kind);
    if (kind->coils) {
        w.config.actuator = &wpin_stepper_actuator;
        w.config.part = &w.stepper;
        w.config.part_config = &w.stepper_config;
        w.config.rest_drive = WPIN_DRIVE_BRAKE;
    }
    if (wpin_stage_kind_is_three_phase(kind)) {
        put_on_six_steps();
    }
    if (oriented) {
        orient_by_field();
    }
    w.honest = true;
    ck_assert_int_eq(wpin_motor_init(&w.motor, &w.config, &w.port), WPIN_OK);
    w.honest = false;
}
