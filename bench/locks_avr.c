/* For simavr: the most cycles for which anything in the core takes the lock, and with it keeps
 * interrupts out, on an ATmega1284P. Every part that takes it lives through random requests, on a
 * port that costs next to nothing, whose lines are written one by one and in groups. */
#include "idle_port.h"
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>
#include <stdlib.h>

static bool grouped;

static uint16_t pick(uint16_t range) { /* a 16-bit xorshift: repeatable, and small */
    static uint16_t state = 1;
    state ^= (uint16_t)(state << 7);
    state ^= (uint16_t)(state >> 9);
    state ^= (uint16_t)(state << 8);
    return (uint16_t)(state % range);
}

/* ---- the port ---- */

static uint16_t longest, locked_at;
static uint8_t locks;

static uint8_t lock(void *context) {
    (void)context;
    uint8_t state = SREG;
    cli();
    if (locks++ == 0) {
        locked_at = TCNT1;
    }
    return state;
}

static void unlock(void *context, uint8_t state) {
    (void)context;
    uint16_t closed = (uint16_t)(TCNT1 - locked_at);
    if (--locks == 0 && closed > longest) {
        longest = closed;
    }
    SREG = state;
}

static wpin_status group_open(void *context, const wpin_pin *pins, uint8_t count, uint8_t *group) {
    (void)context, (void)pins, (void)count;
    *group = 0;
    return grouped ? WPIN_OK : WPIN_REFUSED_PORT;
}

static uint8_t sector;

static bool read_pin(void *context, wpin_pin pin) {
    static const uint8_t codes[6] = {5, 1, 3, 2, 6, 4};
    (void)context;
    return (codes[sector] >> (pin & 3) & 1) != 0;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    return input == 0 ? 400 : 3000;
}

static wpin_quadrature edges;

static wpin_status count(void *context, uint8_t counter, wpin_count *to);

static const wpin_port port = {.now = now,
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

static wpin_status count(void *context, uint8_t counter, wpin_count *to) {
    (void)context, (void)counter;
    wpin_quadrature_read(&edges, &port, to);
    return WPIN_OK;
}

/* ---- what takes the lock ---- */

static void ask_at_random(wpin_motor *motor) {
    wpin_duty duty = (wpin_duty)(pick(32769) - 16384);
    wpin_setpoint speed = {.quantity = WPIN_QUANTITY_SPEED, .value = duty};
    switch (pick(12)) {
    case 0: wpin_motor_stop(motor, pick(2) ? 0 : 300000); break;
    case 1: wpin_motor_coast(motor); break;
    case 2: wpin_motor_brake(motor); break;
    case 3:
        wpin_motor_trip(motor, WPIN_FAULT_EXTERNAL);
        wpin_motor_tick(motor);
        wpin_motor_clear_fault(motor);
        break;
    case 4: wpin_motor_turn(motor, (int32_t)pick(60000) * 12 - 360000, 60000); break;
    case 5: wpin_motor_refresh(motor, 1 + pick(100)); break;
    case 6: wpin_motor_request(motor, speed, 0, 1 + pick(100)); break;
    case 7: written = (uint16_t)wpin_motor_measurement(motor).current; break;
    default: wpin_motor_run(motor, duty, pick(3) ? 0 : 20000, 1 + pick(60)); break;
    }
    wpin_motor_arm(motor);
}

/* Many control periods, and what its interrupts do between them. */
static void live(const WPIN_FAR wpin_motor_config *config, const wpin_port *on,
                 void (*interrupt)(void)) {
    static wpin_motor motor;
    for (uint8_t groups = 0; groups < 2; groups++) {
        grouped = groups != 0;
        wpin_motor_init(&motor, config, on);
        wpin_motor_arm(&motor);
        for (uint16_t i = 0; i < 1500; i++) {
            clock_us += 900 + pick(200);
            if (pick(6) == 0) {
                ask_at_random(&motor);
            }
            for (uint8_t n = 0; interrupt != NULL && n < 8; n++) {
                interrupt();
            }
            wpin_motor_tick(&motor);
        }
        wpin_motor_close(&motor);
    }
}

#define GUARD .cap = 16384, .up = WPIN_SLEW_US(20000), .down = WPIN_SLEW_US(15000), .pause_us = 1000

static wpin_stage stage;
static const WPIN_FLASH wpin_line lines[] = {{.pin = 4}, {.pin = 5}, {.pin = 6},
                                             {.pin = 7}, {.pin = 8}, {.pin = 9}};
/* One bridge, one of four switches with PWM on both of a leg, a pulse, a relay. */
static const WPIN_FLASH wpin_stage_config stages[] = {
    {.table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2},
    {.table = &wpin_table_full_bridge, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2},
    {.table = &wpin_table_servo_pulse,
     .lines = lines,
     .pwm_hz = 50,
     .pulse_neutral = 4915,
     .pulse_swing = 1638},
    {.table = &wpin_table_two_relays, .lines = lines, .dead_time_us = 1000}};
#define ON_BRIDGE(n)                                                                               \
    {                                                                                              \
        WPIN_ON_STAGE(&stage, &stages[n]), .guard = { GUARD }                                      \
    }
static const WPIN_FLASH wpin_motor_config on_stages[] = {ON_BRIDGE(0), ON_BRIDGE(1), ON_BRIDGE(2),
                                                         ON_BRIDGE(3)};

static void on_bridges(void) {
    for (uint8_t i = 0; i < 4; i++) {
        live(&on_stages[i], &port, NULL);
    }
}

static void count_edge(void) {
    static uint8_t phase;
    static const uint8_t states[4] = {0, 1, 3, 2};
    phase++;
    clock_us += 50;
    wpin_quadrature_edge(&edges, (states[phase & 3U] & 1) != 0, (states[phase & 3U] & 2) != 0,
                         clock_us);
}

static wpin_encoder encoder;
static const WPIN_FLASH wpin_encoder_config encoder_config = {.full_hz = 16000, .window_us = 1000};
static wpin_loop_state loop_state;
static wpin_speed loop;
static const WPIN_FLASH wpin_speed_config gains = {
    .feed = 14000, .friction = 900, .gain = 800, .integral = 1100, .fresh_us = 6000};
static const WPIN_FLASH wpin_regulator regulators[] = {WPIN_SPEED_REGULATOR(&loop, &gains)};
static const WPIN_FLASH wpin_motor_config in_loop = {
    WPIN_ON_STAGE(&stage, &stages[0]),
    .guard = {GUARD},
    .sense = {.reads = WPIN_HAS_SPEED, .more = wpin_encoder_measure, .context = &encoder},
    WPIN_CLOSED_LOOP(&loop_state),
    .regulators = regulators,
    .regulator_count = 1};

static void regulated(void) {
    wpin_encoder_init(&encoder, &encoder_config, &port);
    live(&in_loop, &port, count_edge);
}

static wpin_stepper stepper;
static const WPIN_FLASH wpin_stage_config coils = {
    .table = &wpin_table_stepper, .lines = lines, .dead_time_us = 1};
static const WPIN_FLASH wpin_stepper_config steps = {.stage = &coils,
                                                     .steps_per_rev = 200,
                                                     .half_steps = true,
                                                     .start_rate = 150,
                                                     .top_rate = 900,
                                                     .acceleration = 2500};
static const WPIN_FLASH wpin_motor_config turntable = {WPIN_ON_STEPPER(&stepper, &steps),
                                                       .guard = WPIN_STEPPER_GUARD};

static void step(void) {
    clock_us += 400;
    wpin_stepper_tick(&stepper);
}

static void by_steps(void) {
    live(&turntable, &port, step);
}

static const WPIN_FLASH wpin_stage_config inverters[] = {
    {.table = &wpin_table_three_phase_bridge_high,
     .lines = lines,
     .pwm_hz = 20000,
     .dead_time_us = 2},
    {.table = &wpin_table_three_phase_bridge, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2}};
static wpin_six_step phases;
#define SIX_STEPS(n, ahead)                                                                        \
    {                                                                                              \
        .stage = &inverters[n], .hall = {16, 17, 18},                                              \
        .sector_of = WPIN_HALL_SECTORS(5, 1, 3, 2, 6, 4), .advance = ahead                         \
    }
static const WPIN_FLASH wpin_six_step_config sensors[] = {SIX_STEPS(0, 0), SIX_STEPS(1, 0),
                                                          SIX_STEPS(0, 60), SIX_STEPS(1, 60)};
static const WPIN_FLASH wpin_motor_config spinners[] = {
    {WPIN_ON_SIX_STEP(&phases, &sensors[0]), .guard = {GUARD}},
    {WPIN_ON_SIX_STEP(&phases, &sensors[1]), .guard = {GUARD}},
    {WPIN_ON_SIX_STEP(&phases, &sensors[2]), .guard = {GUARD}},
    {WPIN_ON_SIX_STEP(&phases, &sensors[3]), .guard = {GUARD}}};

static void rotor_edge(void) {
    clock_us += 50;
    uint8_t by = pick(40) == 0 ? 2 : 1; /* now and then one is missed */
    sector = (uint8_t)((sector + by) % 6U);
    wpin_six_step_edge(&phases);
}

static void in_six_steps(void) {
    live(&spinners[0], &port, rotor_edge);
    live(&spinners[1], &port, rotor_edge);
}

static void edge_or_look(void) {
    if (pick(8) == 0) {
        rotor_edge();
    } else {
        clock_us += 50;
        wpin_six_step_look(&phases);
    }
}

static void ahead_of_edges(void) {
    live(&spinners[2], &port, edge_or_look);
    live(&spinners[3], &port, edge_or_look);
}

static wpin_sensorless blind;
static const WPIN_FLASH wpin_sensorless_step ramp[] = {{25, 4000}};
static const WPIN_FLASH wpin_sensorless_config crossings = {.stage = &inverters[0],
                                                            .above = {16, 17, 18},
                                                            .ramp = ramp,
                                                            .ramp_count = 1,
                                                            .align_ms = 1,
                                                            .rest_ms = 1,
                                                            .least_us = 100};
static const WPIN_FLASH wpin_motor_config fan = {WPIN_ON_SENSORLESS(&blind, &crossings),
                                                 .guard = {GUARD}};

static void sample(void) {
    clock_us += 50;
    sector = pick(6) == 0 ? (uint8_t)pick(6) : sector;
    wpin_sensorless_sample(&blind);
}

static void without_sensors(void) {
    live(&fan, &port, sample);
}

static wpin_order order;
static const WPIN_FLASH wpin_order_config finding = {
    .stage = &inverters[0], .hall = {16, 17, 18}, .duty = 800, .hold_ms = 20, .swap_ms = 4};

static void in_order(void) {
    for (uint8_t i = 0; i < 4; i++) {
        grouped = i % 2 != 0;
        wpin_order_begin(&order, &finding, &port);
        while (wpin_order_tick(&order) == WPIN_ORDER_MOVING) {
            clock_us += 1000;
            sector = order.step % 6U;
        }
    }
}

static wpin_soft_pwm soft;

static void soft_tick(void) {
    uint8_t locked = lock(NULL); /* the lock keeps it out: it is an interrupt's */
    wpin_soft_pwm_tick(&soft);
    unlock(NULL, locked);
}

static void by_software(void) {
    static const wpin_pin pins[] = {4, 5, 6};
    static const WPIN_FLASH wpin_stage_config slow = {
        .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 200, .dead_time_us = 2};
    static const WPIN_FLASH wpin_motor_config config = {WPIN_ON_STAGE(&stage, &slow),
                                                        .guard = {GUARD}};
    wpin_soft_pwm_init(&soft, &port, 100, pins, 3);
    live(&config, &soft.port, soft_tick);
}

/* ---- telling ---- */

static void say(const char *text) {
    for (; *text != '\0'; text++) {
        while ((UCSR0A & (1 << UDRE0)) == 0) {
        }
        UDR0 = (uint8_t)*text;
    }
}

static void measure(const char *name, void (*subject)(void)) {
    char digits[12];
    longest = 0;
    subject();
    say("the lock at the most, ");
    say(name);
    say(": ");
    say(ultoa(longest, digits, 10));
    say(" cycles\n");
}

int main(void) {
    UCSR0B = 1 << TXEN0;
    TCCR1B = 1 << CS10;
    sei();
    measure("a motor on a bridge, a pulse or relays", on_bridges);
    measure("a regulated motor and its encoder", regulated);
    measure("a stepper", by_steps);
    measure("six steps, edges and ticks", in_six_steps);
    measure("six steps, ahead of the edges", ahead_of_edges);
    measure("six steps without sensors", without_sensors);
    measure("finding the order of its wires", in_order);
    measure("software PWM on three pins, its tick", by_software);
    cli();
    sleep_cpu();
    return 0;
}
