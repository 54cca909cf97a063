/* A whole program for an ATmega328P, on its own registers: a motor with current sensing behind a
 * driver with direction, brake and PWM, and two buttons. Built for its size only. */
#include <avr/interrupt.h>
#include <avr/io.h>
#include <windpin/fast.h>

enum { DIRECTION = 4, PWM = 5, BRAKE = 7, RUN = 2, STOP = 3, STEPS = 800 };
static volatile uint32_t milliseconds_us;

ISR(TIMER0_COMPA_vect) {
    milliseconds_us += 1000;
}

static wpin_moment now(void *context) {
    (void)context;
    uint8_t state = SREG;
    cli();
    uint32_t us = milliseconds_us + TCNT0 * 4U;
    SREG = state;
    return us;
}

static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    (void)context;
    uint8_t bit = (uint8_t)(1U << pin);
    if (pin == PWM) {
        TCCR1A &= (uint8_t)~_BV(COM1A1);
    }
    PORTD = (uint8_t)(level == WPIN_HIGH ? PORTD | bit : PORTD & ~bit);
    return WPIN_OK;
}

static wpin_status open_pin(void *context, wpin_pin pin, wpin_level level) {
    wpin_status status = write_pin(context, pin, level);
    DDRD |= (uint8_t)(1U << pin);
    return status;
}

static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    (void)context, (void)pin, (void)request;
    ICR1 = STEPS - 1;
    TCCR1A = _BV(WGM11);
    TCCR1B = _BV(WGM13) | _BV(WGM12) | _BV(CS10);
    *achieved = (wpin_pwm_achieved){.steps = STEPS, .millihertz = 20000000};
    return WPIN_OK;
}

static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    (void)context, (void)pin;
    OCR1A = (uint16_t)(((uint32_t)duty * STEPS) >> 14);
    TCCR1A |= _BV(COM1A1);
    return WPIN_OK;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    ADMUX = (uint8_t)(_BV(REFS0) | input);
    ADCSRA |= _BV(ADSC);
    while ((ADCSRA & _BV(ADSC)) != 0) {
    }
    return (int16_t)(((uint32_t)ADC * 5000U) >> 10);
}

static void pause_us(void *context, uint32_t us) {
    (void)context;
    for (; us > 0; us--) {
        __builtin_avr_delay_cycles(16);
    }
}

static uint8_t lock(void *context) {
    (void)context;
    uint8_t state = SREG;
    cli();
    return state;
}

static void unlock(void *context, uint8_t state) {
    (void)context;
    SREG = state;
}

static const wpin_port port = {.now = now,
                               .open = open_pin,
                               .write = write_pin,
                               .pwm_start = pwm_start,
                               .pwm_duty = pwm_duty,
                               .millivolts = millivolts,
                               .pause = pause_us,
                               .lock = lock,
                               .unlock = unlock};
static const WPIN_FLASH wpin_line lines[] = {{.pin = DIRECTION}, {.pin = BRAKE}, {.pin = PWM}};
static const WPIN_FLASH wpin_stage_config bridge = {
    .table = &wpin_table_direction_pwm_brake, .lines = lines, .pwm_hz = 20000, .dead_time_us = 2};
static wpin_stage stage;
static const WPIN_FLASH wpin_motor_config config = {
    WPIN_ON_STAGE(&stage, &bridge),
    .guard = {.cap = WPIN_DUTY_FULL,
              .up = WPIN_SLEW_US(2000000),
              .down = WPIN_SLEW_US(1500000),
              .pause_us = 400000,
              .current_trip = WPIN_CURRENT_MV(6000, 400),
              .trip_us = 50000},
    .sense = {.reads = WPIN_HAS_CURRENT, .current_mv_per_a = 400}};
static wpin_motor motor;
WPIN_FAST_TICK(tick, motor, config, port)

static void serve_buttons(void) {
    if ((PIND & _BV(RUN)) == 0) {
        wpin_motor_run(&motor, WPIN_PERCENT(60), 0, 3000);
    }
    if ((PIND & _BV(STOP)) == 0) {
        wpin_motor_stop(&motor, 0);
    }
}

int main(void) {
    OCR0A = 249;
    TCCR0A = _BV(WGM01);
    TCCR0B = _BV(CS01) | _BV(CS00);
    TIMSK0 = _BV(OCIE0A);
    ADCSRA = _BV(ADEN) | _BV(ADPS2) | _BV(ADPS1) | _BV(ADPS0);
    sei();
    wpin_motor_init(&motor, &config, &port);
    wpin_motor_arm(&motor);
    for (uint32_t next = now(NULL);;) {
        if ((int32_t)(now(NULL) - next) >= 0) {
            next += 1000;
            tick();
            serve_buttons();
        }
    }
}
