/* The core's arithmetic and what a motor, a stepper and inputs do with one another, boiled down to
 * a checksum a subject: whatever it is compiled for has to print the same. tools/same-check runs it
 * here and on an emulated 8-bit controller, whose int has 16 bits. */
#include "same_subjects.h"

static uint32_t sum, seed;
uint32_t clock_us;

void note(uint32_t value) { /* FNV-1a, a byte at a time */
    for (uint8_t i = 0; i < 4; i++, value >>= 8) {
        sum = (sum ^ (value & 0xFF)) * 16777619UL;
    }
}

uint32_t any(void) {
    seed ^= seed << 13;
    seed ^= seed >> 17;
    seed ^= seed << 5;
    return seed;
}

uint32_t pick(uint32_t range) {
    return any() % range;
}

/* Compilers differ in what they work out first: numbers that are drawn stand apart, here and below.
 */
uint32_t any_size(void) {
    uint32_t value = any();
    return value >> pick(32);
}

wpin_duty any_duty(void) {
    return (wpin_duty)((int32_t)pick(32769) - 16384);
}

/* ---- a port that notes what it is told ---- */

static wpin_moment now(void *context) {
    (void)context;
    return clock_us;
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    note(((uint32_t)pin << 8) + (uint32_t)level);
    return WPIN_OK;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin;
    note(request->hz);
    *achieved = (wpin_pwm_achieved){.millihertz = 20000000, .steps = 800};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context;
    note(((uint32_t)pin << 16) + duty);
    return WPIN_OK;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    return (int16_t)(input == 0 ? (int32_t)pick(3400) - 500 : 3000 + (int32_t)pick(100));
}

static void pause_us(void *context, uint32_t us) {
    (void)context;
    clock_us += us;
}

static wpin_status count(void *context, uint8_t counter, wpin_count *to);

const wpin_port same_port = {.now = now,
                             .open = write_pin,
                             .write = write_pin,
                             .pwm_start = pwm_start,
                             .pwm_duty = pwm_duty,
                             .millivolts = millivolts,
                             .count = count,
                             .pause = pause_us};

/* ---- subjects ---- */

static void ramps(void) {
    wpin_ramp_time time = wpin_ramp_time_of(any_size());
    wpin_ramp ramp;
    wpin_duty target = any_duty();
    bool smooth = pick(2) != 0;
    wpin_ramp_start(&ramp, any_duty(), &time);
    note(time.share);
    for (uint8_t i = 0; i < 40; i++) {
        uint32_t us = any_size();
        us >>= pick(16);
        note((uint32_t)wpin_ramp_step(&ramp, target, smooth, us));
        note(ramp.left_us);
    }
}

static void slews(void) {
    wpin_slew limit = any_size() | 1U;
    note(wpin_slew_time(limit, (uint16_t)pick(16385)));
    uint32_t value = pick(16385) << 16;
    for (uint8_t i = 0; i < 20; i++) {
        uint32_t target = pick(16385) << 16;
        value = wpin_slew_step(value, target, limit, (uint16_t)any_size());
        note(value);
    }
}

static void knobs(void) {
    wpin_knob_config config = {.low_mv = (int16_t)pick(2000),
                               .high_mv = (int16_t)(2200 + pick(3000)),
                               .dead = (uint16_t)pick(3000),
                               .hysteresis = (uint16_t)pick(1000),
                               .filter = (uint8_t)pick(7),
                               .centre = pick(2) != 0};
    wpin_curve_point points[4];
    wpin_curve_config curve_config = {
        .points = points, .count = 4, .hysteresis_mv = (uint16_t)pick(200)};
    for (uint8_t i = 0; i < 4; i++) {
        points[i].millivolts = (int16_t)(i * 9000 - 16000 + (int16_t)pick(8000));
        points[i].duty = any_duty();
    }
    wpin_knob knob;
    wpin_curve curve;
    note((uint32_t)wpin_knob_init(&knob, &config));
    note((uint32_t)wpin_curve_init(&curve, &curve_config));
    for (uint8_t i = 0; i < 60; i++) {
        note((uint32_t)wpin_knob_update(&knob, (int16_t)(pick(6000) - 300)));
        note((uint32_t)wpin_curve_update(&curve, (int16_t)any()));
    }
}

void one_request(wpin_motor *motor) {
    wpin_status status = WPIN_OK;
    uint32_t what = pick(14), where = any(), us = any_size(), ms = any_size();
    switch (what) {
    case 0: status = wpin_motor_stop(motor, us); break;
    case 1: status = wpin_motor_coast(motor); break;
    case 2: status = wpin_motor_brake(motor); break;
    case 3: wpin_motor_disarm(motor); break;
    case 4: status = wpin_motor_clear_fault(motor); break;
    case 5: status = wpin_motor_turn(motor, (int32_t)(where % 720000) - 360000, 1 + us); break;
    case 6: status = wpin_motor_turn_to(motor, (int32_t)(where >> 3) - (1L << 28), 1 + us); break;
    case 7: status = wpin_motor_refresh(motor, ms); break;
    case 8: status = wpin_motor_calibrate(motor, 1 + pick(900)); break;
    case 9: wpin_motor_trip(motor, WPIN_FAULT_EXTERNAL); break;
    default: status = wpin_motor_run(motor, any_duty(), us >> 2, ms); break;
    }
    note((uint32_t)status);
    note((uint32_t)wpin_motor_arm(motor));
}

static void live(wpin_motor *motor, wpin_stepper *stepper) {
    for (uint16_t i = 0; i < 300; i++) {
        clock_us += pick(60) == 0 ? any_size() : 900 + pick(200);
        if (pick(25) == 0) {
            one_request(motor);
        }
        wpin_motor_tick(motor);
        for (uint8_t step = 0; stepper != NULL && step < 4; step++) {
            clock_us += 240;
            wpin_stepper_tick(stepper);
            note((uint32_t)stepper->position);
        }
        note((uint32_t)wpin_motor_duty(motor));
        note(wpin_motor_state(motor) * 256UL + wpin_motor_held(motor));
        note(motor->guard.value);
    }
    wpin_motor_close(motor);
}

/* Constants of this subject have to stand in flash, so only a few kinds, drawn among; each also has
 * a core compiled for it alone (WPIN_ONE_MOTOR), which must do the same. */
static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 7, .inverted = true}, {.pin = 9}};
static const WPIN_FLASH wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
#define SENSES                                                                                     \
    { .reads = WPIN_HAS_CURRENT | WPIN_HAS_SUPPLY, .current_mv_per_a = 400, .supply_input = 1 }
static wpin_loop_state loop_state;
const WPIN_FLASH wpin_motor_config same_plain = {WPIN_ON_STAGE(&stage, &bridge), .guard = {GUARD},
                                                 .sense = SENSES};
const WPIN_FLASH wpin_motor_config same_kicked = {
    WPIN_ON_STAGE(&stage, &bridge), .guard = {GUARD, .on_time_max_us = 1500000, .recovery = 40},
    .sense = SENSES,
    .start = {.start_duty = 3000,
              .drop_out_duty = 2000,
              .below = WPIN_BELOW_KICK,
              .kick_duty = 9000,
              .kick_us = 60000,
              .smooth = true},
    .rest_drive = WPIN_DRIVE_BRAKE};

/* Stages of other kinds: what a core for one motor knows of its table and lines, in each way. */
static wpin_shared_line standby = {0};
static const WPIN_FLASH wpin_line swapped[] = {{.pin = 4, .inverted = true}, {.pin = 7}};
static const WPIN_FLASH wpin_line with_standby[] = {{.pin = 2, .shared = &standby, .user = 3},
                                                    {.pin = 4},
                                                    {.pin = 7, .inverted = true},
                                                    {.pin = 9}};
static const WPIN_FLASH wpin_stage_config coil = {.table = &wpin_table_relay, .lines = swapped};
static const WPIN_FLASH wpin_stage_config servo = {.table = &wpin_table_servo_pulse,
                                                   .lines = swapped,
                                                   .pwm_hz = 50,
                                                   .pulse_neutral = 4915,
                                                   .pulse_swing = 1638};
static const WPIN_FLASH wpin_stage_config slow = {.table = &wpin_table_two_inputs_slow,
                                                  .lines = swapped,
                                                  .pwm_hz = 20000,
                                                  .dead_time_us = 1,
                                                  .reversed = true};
static const WPIN_FLASH wpin_stage_config shares = {.table = &wpin_table_two_inputs_enable_standby,
                                                    .lines = with_standby,
                                                    .pwm_hz = 20000,
                                                    .dead_time_us = 3};
static const WPIN_FLASH wpin_row own_rows[] = {
    WPIN_ROW(WPIN_DRIVE_FORWARD, WPIN_CELL_HIGH, WPIN_CELL_DUTY, WPIN_CELL_LOW),
    WPIN_ROW(WPIN_DRIVE_BRAKE, WPIN_CELL_KEEP, WPIN_CELL_FLOAT, WPIN_CELL_HIGH),
    WPIN_ROW(WPIN_DRIVE_COAST, WPIN_CELL_LOW, WPIN_CELL_FLOAT, WPIN_CELL_FLOAT)};
static const WPIN_FLASH wpin_stage_table own_table = {
    .line_count = 3, .row_count = 3, .mode_lines = 1, .rest_high_lines = 4, .rows = own_rows};
static const WPIN_FLASH wpin_stage_config own = {
    .table = &own_table, .lines = lines, .pwm_hz = 1000, .dead_time_us = 2, .reversed = true};
#define SWITCHED                                                                                   \
    { .cap = WPIN_DUTY_FULL, .up = 1, .down = 1, .minimum_us = 30000, .on_time_max_us = 900000 }
const WPIN_FLASH wpin_motor_config same_switched = {WPIN_ON_STAGE(&stage, &coil), .guard = SWITCHED,
                                                    .sense = SENSES};
const WPIN_FLASH wpin_motor_config same_pulsed = {WPIN_ON_STAGE(&stage, &servo), .guard = {GUARD},
                                                  .sense = SENSES};
const WPIN_FLASH wpin_motor_config same_slow = {WPIN_ON_STAGE(&stage, &slow), .guard = {GUARD},
                                                .sense = SENSES};
const WPIN_FLASH wpin_motor_config same_sharing = {WPIN_ON_STAGE(&stage, &shares), .guard = {GUARD},
                                                   .sense = SENSES};
const WPIN_FLASH wpin_motor_config same_own = {WPIN_ON_STAGE(&stage, &own), .guard = {GUARD},
                                               .sense = SENSES, .rest_drive = WPIN_DRIVE_BRAKE};

static void live_as(wpin_motor *motor, const WPIN_FAR wpin_motor_config *config) {
    note((uint32_t)wpin_motor_init(motor, config, &same_port));
    live(motor, NULL);
}

static void plain(void) {
    static wpin_motor motor;
    live_as(&motor, &same_plain);
}

static void kicked(void) {
    static wpin_motor motor;
    live_as(&motor, &same_kicked);
}

static void switched(void) {
    static wpin_motor motor;
    live_as(&motor, &same_switched);
}

static void pulsed(void) {
    static wpin_motor motor;
    live_as(&motor, &same_pulsed);
}

static void slowly(void) {
    static wpin_motor motor;
    live_as(&motor, &same_slow);
}

static void sharing(void) {
    static wpin_motor motor;
    standby.needed = pick(2) != 0 ? 32 : 0; /* by another stage */
    live_as(&motor, &same_sharing);
}

static void owned(void) {
    static wpin_motor motor;
    live_as(&motor, &same_own);
}

static void motors(void) {
    static wpin_motor motor;
    live_as(&motor, pick(2) != 0 ? &same_kicked : &same_plain);
}

static const WPIN_FLASH wpin_line coil_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2}, {.pin = 3}};
static const WPIN_FLASH wpin_stage_config coils = {
    .table = &wpin_table_stepper, .lines = coil_lines, .dead_time_us = 1};
static const WPIN_FLASH wpin_stepper_config stepper_config = {.stage = &coils,
                                                              .steps_per_rev = 200,
                                                              .half_steps = true,
                                                              .start_rate = 150,
                                                              .top_rate = 900,
                                                              .acceleration = 2500};
static wpin_stepper stepper;
static const WPIN_FLASH wpin_motor_config turntable = {WPIN_ON_STEPPER(&stepper, &stepper_config),
                                                       .guard = WPIN_STEPPER_GUARD};

static void steppers(void) {
    static wpin_motor motor;
    note((uint32_t)wpin_motor_init(&motor, &turntable, &same_port));
    note((uint32_t)wpin_stepper_set_position(&stepper, (int32_t)any_size() >> 1));
    live(&motor, &stepper);
    int32_t turns = 0, millidegrees = 0;
    wpin_stepper_angle(&stepper, &turns, &millidegrees);
    note((uint32_t)turns);
    note((uint32_t)millidegrees);
}

/* A shaft that follows the duty, counted edge by edge; now and then the counter leaps or fails. */
static int32_t shaft_place, shaft_speed; /* 1/256 of a count; the same a millisecond */
static wpin_moment shaft_at;

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    (void)context, (void)counter;
    if (pick(3000) == 0) {
        shaft_place = (int32_t)((uint32_t)shaft_place + (any_size() << 8));
    }
    to->counts = shaft_place / 256;
    to->at = shaft_at;
    return pick(4000) == 0 ? WPIN_REFUSED_PORT : WPIN_OK;
}

static void turn_shaft(wpin_duty duty) {
    int32_t before = shaft_place / 256;
    int32_t to = duty; /* of 32 bits from here on */
    shaft_speed += (to / 16 - shaft_speed) / 32;
    shaft_place = (int32_t)((uint32_t)shaft_place + (uint32_t)shaft_speed);
    if (shaft_place / 256 != before) {
        shaft_at = clock_us - pick(900);
    }
}

wpin_encoder encoder;
static const WPIN_FLASH wpin_encoder_config encoder_configs[] = {
    {.full_hz = 4000, .window_us = 1000},
    {.full_hz = 3170, .reversed = true, .still_us = 90000},
    {.full_hz = 5000, .window_us = 9000, .no_moments = true}};
static wpin_speed loop;
static const WPIN_FLASH wpin_speed_config gains = {.feed = 15000,
                                                   .friction = 400,
                                                   .breakaway = 1200,
                                                   .climb = 5,
                                                   .inertia = 80,
                                                   .gain = 700,
                                                   .integral = 900,
                                                   .fresh_us = 5000,
                                                   .coasts = 700,
                                                   .timer_step = 20};
static wpin_motion motion;
static const WPIN_FLASH wpin_motion_config watched = {.still = 160,
                                                      .least_effort = 6000,
                                                      .still_ms = 80,
                                                      .stall_mv = 4000,
                                                      .wrong_ms = 40,
                                                      .over_speed = 20000,
                                                      .off_by = 3000,
                                                      .off_ms = 200,
                                                      .passed_by = 20,
                                                      .passes = 3};
static wpin_position place;
static const WPIN_FLASH wpin_position_config moves[] = {
    {.most = 12000, .brake = 900, .gain = 5000, .blend = 9, .up = 60},
    {.most = 12000,
     .brake = 900,
     .gain = 5000,
     .blend = 9,
     .bend = 6,
     .rise = 15000,
     .fall = 9000,
     .near = 20,
     .lead = 2048,
     .square = 116}};
static wpin_torque torque;
static const WPIN_FLASH wpin_torque_config presses = {
    .full_mv = 1200, .within_mv = 60, .feed = 7000, .emf = 11000, .gain = 320, .integral = 2900};
static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&loop, &gains),
                                                       WPIN_POSITION_REGULATOR(&place, &moves[1]),
                                                       WPIN_TORQUE_REGULATOR(&torque, &presses)};
static wpin_overload overload;
static const WPIN_FLASH wpin_overload_config winding = {
    .share = WPIN_OVERLOAD_SHARE(700), .decay = WPIN_OVERLOAD_DECAY(9000), .at_first = 30};
static const WPIN_FLASH wpin_protection protections[] = {
    WPIN_MOTION_PROTECTION(&motion, &watched), WPIN_OVERLOAD_PROTECTION(&overload, &winding)};
const WPIN_FLASH wpin_motor_config same_regulated = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(300000),
              .down = WPIN_SLEW_US(200000),
              .regulated = WPIN_SLEW_US(9000),
              .reversal = WPIN_REVERSAL_STANDSTILL,
              .standstill = 200,
              .pause_us = 20000},
    .sense = {.reads = WPIN_HAS_SPEED | WPIN_HAS_CURRENT,
              .more = wpin_encoder_measure,
              .place = wpin_encoder_set_position,
              .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = regulators,
    .regulator_count = 3,
    .protections = protections,
    .protection_count = 2,
    .at_count = 3,
    .counts_per_turn = 700};

static void regulate(wpin_motor *motor) {
    for (uint16_t i = 0; i < 600; i++) {
        clock_us += pick(300) == 0 ? any_size() : 900 + pick(200);
        if (pick(60) == 0) {
            int32_t value = (int32_t)pick(36000) - 18000;
            uint8_t quantity = pick(3) == 0 ? WPIN_QUANTITY_TORQUE : WPIN_QUANTITY_SPEED;
            wpin_setpoint setpoint = {.quantity = quantity, .value = value};
            uint32_t ramp_us = any_size() >> 8, timeout_ms = any_size(); /* drawn in this order */
            note((uint32_t)wpin_motor_request(motor, setpoint, ramp_us, timeout_ms));
        } else if (pick(40) == 0) {
            one_request(motor);
        }
        wpin_motor_tick(motor);
        wpin_measurement m = wpin_motor_measurement(motor);
        turn_shaft(wpin_motor_duty(motor));
        note((uint32_t)wpin_motor_duty(motor) * 65536UL + (uint16_t)m.speed);
        note((uint32_t)m.position);
        note(m.speed_us);
        note(overload.heat);
        note(wpin_motor_state(motor) * 65536UL + wpin_motor_held(motor) * 256UL +
             (uint32_t)wpin_motor_fault(motor));
    }
    wpin_motor_close(motor);
}

static void loops(void) {
    static wpin_motor motor;
    note((uint32_t)wpin_encoder_init(&encoder, &encoder_configs[pick(3)], &same_port));
    note((uint32_t)wpin_motor_init(&motor, &same_regulated, &same_port));
    regulate(&motor);
}

/* The least that regulates: by counting, no protection but the guard. */
static wpin_counting counting;
static wpin_loop_state counted_state;
static wpin_speed counted_loop;
static wpin_position counted_place;
const WPIN_FLASH wpin_counting_config same_counting = {WPIN_COUNTS_AT_FULL(4000), .smooth = 1};
static const WPIN_FLASH wpin_speed_config plain_gains = {
    .feed = 15000, .friction = 400, .gain = 700, .integral = 900};
static const WPIN_FLASH wpin_regulator plain_regulators[] = {
    WPIN_SPEED_REGULATOR(&counted_loop, &plain_gains),
    WPIN_POSITION_REGULATOR(&counted_place, &moves[0])};
const WPIN_FLASH wpin_motor_config same_counted = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(300000),
              .down = WPIN_SLEW_US(200000),
              .regulated = WPIN_SLEW_US(9000),
              .reversal = WPIN_REVERSAL_STANDSTILL,
              .standstill = 200,
              .pause_us = 20000,
              .current_limit = 900,
              .limit_gain = 3},
    .sense = {.reads = WPIN_HAS_SPEED | WPIN_HAS_CURRENT,
              .more = wpin_counting_measure,
              .place = wpin_counting_set_position,
              .context = &counting},
    WPIN_CLOSED_LOOP(&counted_state),
    .regulators = plain_regulators,
    .regulator_count = 2,
    .at_count = 3,
    .counts_per_turn = 700};

static void counts(void) {
    static wpin_motor motor;
    shaft_speed = shaft_place = 0; /* another subject's before */
    overload = (wpin_overload){0};
    note((uint32_t)wpin_counting_init(&counting, &same_counting, &same_port));
    note((uint32_t)wpin_motor_init(&motor, &same_counted, &same_port));
    regulate(&motor);
}

/* The same on a supply that is measured, and given way to; its current by a sense whose zero is
 * learnt, its stage charges before it drives. */
static const WPIN_FLASH wpin_stage_config charging = {.table = &wpin_table_direction_pwm_brake,
                                                      .lines = lines,
                                                      .pwm_hz = 20000,
                                                      .dead_time_us = 2,
                                                      .charge = wpin_stage_charge,
                                                      .charge_us = 100};
static const WPIN_FLASH wpin_zero_config about_zero = {.stage = &stage,
                                                       .settle_ms = 3,
                                                       .most_mv = 4000,
                                                       .more = wpin_counting_measure,
                                                       .place = wpin_counting_set_position,
                                                       .context = &counting};
static wpin_zero zero;
static wpin_supply volts;
static wpin_by_supply by_volts;
static const WPIN_FLASH wpin_supply_config window = {
    .low_mv = 1500, .high_mv = 4900, .low_ms = 2, .high_ms = 1};
static const WPIN_FLASH wpin_regulator nominal = WPIN_SPEED_REGULATOR(&counted_loop, &plain_gains);
static const WPIN_FLASH wpin_by_supply_config nominal_at = {.of = &nominal,
                                                            .per_mv = WPIN_SUPPLY_SHARE(2400),
                                                            .way_mv = 2600,
                                                            .per_over =
                                                                WPIN_SUPPLY_GIVE(2600, 4600),
                                                            .emf = 15500};
static const WPIN_FLASH wpin_regulator regulators_by_volts[] = {
    WPIN_BY_SUPPLY_REGULATOR(WPIN_QUANTITY_SPEED, &by_volts, &nominal_at, NULL)};
static const WPIN_FLASH wpin_protection window_watched[] = {
    WPIN_SUPPLY_PROTECTION(&volts, &window)};
static const WPIN_FLASH wpin_motor_config measured = {
    WPIN_ON_STAGE(&stage, &charging),
    .guard = {.cap = 16384,
              .up = WPIN_SLEW_US(300000),
              .down = WPIN_SLEW_US(200000),
              .regulated = WPIN_SLEW_US(9000),
              .pause_us = 20000},
    .sense = {.reads = WPIN_HAS_SPEED | WPIN_HAS_SUPPLY | WPIN_HAS_CURRENT,
              .current_zero_mv = 2500,
              .more = wpin_zero_measure,
              .place = wpin_zero_set_position,
              .context = &zero},
    WPIN_CLOSED_LOOP(&counted_state),
    .regulators = regulators_by_volts,
    .regulator_count = 1,
    .protections = window_watched,
    .protection_count = 1};

static void measures(void) {
    static wpin_motor motor;
    shaft_speed = shaft_place = 0;
    volts = (wpin_supply){0};
    by_volts = (wpin_by_supply){0};
    zero = (wpin_zero){.config = &about_zero};
    note((uint32_t)wpin_counting_init(&counting, &same_counting, &same_port));
    note((uint32_t)wpin_motor_init(&motor, &measured, &same_port));
    regulate(&motor);
    note(by_volts.more * 65536UL + by_volts.ratio);
    note((uint32_t)zero.off);
    note(zero.learnt * 256UL + zero.far_off);
}

uint32_t same_sum(uint8_t subject, uint16_t rounds) {
    static void (*const subjects[SAME_SUBJECTS])(void) = {
        ramps,  slews,    knobs,  motors, steppers, loops, sixths, by_field, plain,
        kicked, switched, pulsed, slowly, sharing,  owned, counts, measures};
    sum = 2166136261UL;
    seed = 2026UL + subject;
    clock_us = 0xFFFF0000UL;
    while (rounds-- > 0) {
        subjects[subject]();
    }
    return sum;
}
