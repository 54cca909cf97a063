/* A brushless motor: edges between the ticks, and now and then a sensor that lies. */
#include "same_subjects.h"

static uint8_t rotor;

static bool read_hall(void *context, wpin_pin pin) {
    static const uint8_t codes[6] = {5, 1, 3, 2, 6, 4};
    (void)context;
    return ((codes[rotor] >> (pin - 14)) & 1) != (pick(400) == 0 ? 1 : 0);
}

static wpin_status group_open(void *context, const wpin_pin *pins, uint8_t pin_count,
                              uint8_t *group) {
    (void)context, (void)pins;
    *group = 3;
    return pin_count == 6 ? WPIN_OK : WPIN_REFUSED_PORT;
}

static wpin_status group_write(void *context, uint8_t group, uint8_t mask, uint8_t high) {
    (void)context;
    note(((uint32_t)group << 16) + ((uint32_t)mask << 8) + high);
    return WPIN_OK;
}

static const WPIN_FLASH wpin_line phase_lines[] = {{.pin = 0}, {.pin = 1}, {.pin = 2},
                                                   {.pin = 3}, {.pin = 4}, {.pin = 5}};
static const WPIN_FLASH wpin_stage_config inverters[] = {
    {.table = &wpin_table_three_phase_bridge_high,
     .lines = phase_lines,
     .pwm_hz = 20000,
     .dead_time_us = 2},
    {.table = &wpin_table_three_half_bridges,
     .lines = phase_lines,
     .pwm_hz = 20000,
     .reversed = true}};
static wpin_six_step phases;
#define SENSORS .hall = {14, 15, 16}, .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4)
static const WPIN_FLASH wpin_six_step_config phase_configs[] = {{.stage = &inverters[0], SENSORS},
                                                                {.stage = &inverters[1], SENSORS}};
static const WPIN_FLASH wpin_encoder_config by_hall = {
    .quadrature = &phases.counts, .kinds = 3, .full_hz = 3000, .window_us = 1000};
static const WPIN_FLASH wpin_motor_config brushless[] = {
    {WPIN_ON_SIX_STEP(&phases, &phase_configs[0]), .guard = {GUARD},
     .sense = {.reads = WPIN_HAS_SPEED, .more = wpin_encoder_measure, .context = &encoder}},
    {WPIN_ON_SIX_STEP(&phases, &phase_configs[1]), .guard = {GUARD},
     .rest_drive = WPIN_DRIVE_BRAKE}};

void sixths(void) {
    static wpin_motor motor;
    wpin_port grouped = same_port;
    bool groups = pick(2) != 0;
    grouped.read = read_hall;
    grouped.group_open = groups ? group_open : NULL;
    grouped.group_write = groups ? group_write : NULL;
    note((uint32_t)wpin_encoder_init(&encoder, &by_hall, &grouped));
    note((uint32_t)wpin_motor_init(&motor, &brushless[pick(2)], &grouped));
    for (uint16_t i = 0; i < 400; i++) {
        for (uint32_t edges = pick(3); edges > 0; edges--) {
            rotor = (uint8_t)(pick(8) == 0 ? (rotor + 5U) % 6U : (rotor + 1U) % 6U);
            clock_us += 100 + pick(300);
            note((uint32_t)wpin_six_step_edge(&phases));
        }
        clock_us += pick(80) == 0 ? any_size() : 400 + pick(200);
        if (pick(25) == 0) {
            one_request(&motor);
        }
        wpin_motor_tick(&motor);
        wpin_measurement m = wpin_motor_measurement(&motor);
        note((uint32_t)wpin_motor_duty(&motor) * 65536UL + (uint16_t)m.speed);
        note((uint32_t)m.position);
        note(wpin_motor_state(&motor) * 65536UL + phases.counts.illegal * 256UL +
             (uint32_t)wpin_motor_fault(&motor));
    }
    wpin_motor_close(&motor);
}

/* ---- by field orientation: currents that say anything at all, now and then nothing ---- */

static const WPIN_FLASH wpin_stage_config turned = {.table = &wpin_table_three_half_bridges,
                                                    .lines = phase_lines,
                                                    .pwm_hz = 20000,
                                                    .centred = true,
                                                    .reversed = true};
static const WPIN_FLASH wpin_six_step_config turned_hall = {.stage = &turned, SENSORS};
#define REGULATED                                                                                  \
    .stage = &turned, .shunts = {1, 2, 3}, .zero_mv = 2500, .full_mv = 800, .limit_mv = 1000,      \
    .trip_mv = 2400, .gain = 3000, .integral = 1200, .coupling = 900, .emf = 15000, .most = 16384, \
    .least_low = 500, .dead = 300, .dead_slope = 2500, .lead_us = 75,                              \
    .rate = WPIN_VECTOR_RATE(300), .supply_from = 3000, .supply_to = 3500
static const WPIN_FLASH wpin_vector_config vector_configs[] = {
    {REGULATED, .hall = &turned_hall},
    {REGULATED, .counter = 1, .counts_per_turn = 1999, .pole_pairs = 7, .align_ms = 1,
     .align_mv = 300}};
static wpin_vector vector;
static const WPIN_FLASH wpin_motor_config oriented[] = {
    {WPIN_ON_VECTOR(&vector, &vector_configs[0]), .guard = {GUARD}},
    {WPIN_ON_VECTOR(&vector, &vector_configs[1]), .guard = {GUARD}}};

static int16_t read_shunt(void *context, uint8_t input) {
    (void)context, (void)input;
    return pick(300) == 0 ? WPIN_NO_READING : (int16_t)(1900 + pick(1201));
}

void by_field(void) {
    static wpin_motor motor;
    wpin_port turns = same_port;
    turns.read = read_hall;
    turns.millivolts = read_shunt;
    note((uint32_t)wpin_motor_init(&motor, &oriented[pick(2)], &turns));
    for (uint16_t i = 0; i < 100; i++) {
        for (uint8_t period = 0; period < 6; period++) {
            rotor = (uint8_t)(pick(4) == 0 ? (rotor + 1U) % 6U : rotor);
            wpin_six_step_edge(&vector.rotor);
            clock_us += 50;
            note((uint32_t)wpin_vector_period(&vector));
        }
        clock_us += pick(80) == 0 ? any_size() : 700 + pick(100);
        if (pick(25) == 0) {
            one_request(&motor);
        }
        wpin_motor_tick(&motor);
        int16_t along, across;
        wpin_vector_currents(&vector, &along, &across);
        note((uint32_t)along * 65536UL + (uint16_t)across);
        note((uint32_t)wpin_motor_duty(&motor) * 65536UL + vector.angle);
        note(wpin_motor_state(&motor) * 65536UL + (uint32_t)wpin_motor_fault(&motor));
    }
    wpin_motor_close(&motor);
}
