/* The port of an ATmega328P at 16 MHz. Pins 0 to 7 are port D, 8 to 13 port B, 14 to 19 port C;
 * pins 9 and 10 have PWM, by timer 1. */
#include "own.h"
#include <avr/interrupt.h>
#include <avr/wdt.h>
#include <util/delay_basic.h>

enum { CHANNEL_A = 9, CHANNEL_B = 10 };
enum {
    PLAIN_A = 1 << COM1A1,
    PLAIN_B = 1 << COM1B1,
    TURNED_A = 1 << COM1A0,
    TURNED_B = 1 << COM1B0
};
static uint8_t prescaler;                 /* of timer 1; 0: it stands */
static uint8_t modes = PLAIN_A | PLAIN_B; /* of what works: bits of TCCR1A */

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

/* A tick that is due but not counted yet, as interrupts are kept out, counts too. */
static wpin_moment now(void *context) {
    uint8_t state = lock(context), count = TCNT0;
    uint32_t us = chip_ticked_us;
    if ((TIFR0 & _BV(OCF0A)) != 0) {
        count = TCNT0;
        us += CHIP_TICK_US;
    }
    unlock(context, state);
    return us + (uint16_t)count * CHIP_US_A_COUNT;
}

static uint8_t bits_of(wpin_pin channel) {
    return channel == CHANNEL_A ? PLAIN_A | TURNED_A : PLAIN_B | TURNED_B;
}

/* What is to float does so first: it would be low for an instant. */
static wpin_status write_pin(void *context, wpin_pin pin, wpin_level level) {
    volatile uint8_t *port = chip_port_of(pin);
    uint8_t bit = chip_bit_of(pin), state = lock(context);
    if (level == WPIN_FLOAT) {
        port[-1] &= (uint8_t)~bit;
    }
    *port = (uint8_t)(level == WPIN_HIGH ? *port | bit : *port & ~bit);
    if (pin == CHANNEL_A || pin == CHANNEL_B) {
        TCCR1A &= (uint8_t)~bits_of(pin);
        *(pin == CHANNEL_A ? &OCR1A : &OCR1B) = 0; /* nothing old when it begins again */
    }
    if (level != WPIN_FLOAT) {
        port[-1] |= bit;
    }
    unlock(context, state);
    return WPIN_OK;
}

/* The frequency is the timer's: both channels have the same. */
static wpin_status pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved) {
    static const uint8_t shifts[] = {0, 3, 6, 8}; /* of its prescalers 1 to 4 */
    uint32_t counts = 0;
    uint8_t found = 0;
    (void)context;
    for (uint8_t i = 0; i < 4 && found == 0 && request->hz > 0; i++) {
        counts = ((F_CPU >> shifts[i]) + request->hz / 2) / request->hz;
        found = counts <= 65536 ? (uint8_t)(i + 1) : 0;
    }
    bool other = prescaler != 0 && (prescaler != found || ICR1 != counts - 1);
    bool fits = (pin == CHANNEL_A || pin == CHANNEL_B) && counts >= 20 && found != 0;
    if (!fits || other || request->centred) {
        return WPIN_REFUSED_FREQUENCY;
    }
    uint8_t turned = bits_of(pin) & (TURNED_A | TURNED_B);
    modes = request->inverted ? modes | turned : modes & (uint8_t)~turned;
    prescaler = found;
    ICR1 = (uint16_t)(counts - 1);
    TCCR1A |= _BV(WGM11);
    TCCR1B = (uint8_t)(_BV(WGM13) | _BV(WGM12) | found);
    uint32_t clock = F_CPU >> shifts[found - 1];
    achieved->steps = (uint16_t)(counts > 65535 ? 65535 : counts);
    achieved->millihertz = clock / counts * 1000 + clock % counts * 1000 / counts;
    return WPIN_OK;
}

/* A duty without edges is a level. The first one begins a period, if nobody else is in one. */
static wpin_status pwm_duty(void *context, wpin_pin pin, uint16_t duty) {
    uint16_t steps = (uint16_t)(((uint32_t)duty * (ICR1 + 1UL) + WPIN_DUTY_FULL / 2) >> 14);
    uint8_t channel = bits_of(pin) & modes;
    if (steps == 0) {
        return write_pin(context, pin,
                         (channel & (TURNED_A | TURNED_B)) != 0 ? WPIN_HIGH : WPIN_LOW);
    }
    uint8_t state = lock(context);
    *(pin == CHANNEL_A ? &OCR1A : &OCR1B) = (uint16_t)(steps - 1);
    if ((TCCR1A & (PLAIN_A | PLAIN_B)) == 0) {
        TCNT1 = ICR1;
    }
    TCCR1A |= channel;
    unlock(context, state);
    return WPIN_OK;
}

static bool read_pin(void *context, wpin_pin pin) {
    (void)context;
    return (chip_port_of(pin)[-2] & chip_bit_of(pin)) != 0;
}

static int16_t millivolts(void *context, uint8_t input) {
    (void)context;
    ADMUX = (uint8_t)(_BV(REFS0) | input);
    ADCSRA |= _BV(ADSC);
    while ((ADCSRA & _BV(ADSC)) != 0) {
    }
    return (int16_t)(((uint32_t)ADC * 5000U) >> 10);
}

static wpin_status count(void *context, uint8_t number, wpin_count *to) {
    (void)context;
    wpin_quadrature_read(&chip_counts[number % CHIP_COUNTERS], &chip_port, to);
    return number < CHIP_COUNTERS ? WPIN_OK : WPIN_FAULT_PORT;
}

static void pause_us(void *context, uint32_t us) {
    (void)context;
    if (us > 0) {
        _delay_loop_2((uint16_t)(us * (F_CPU / 4000000))); /* of four cycles each */
    }
}

/* It watches from the first time on: before, nobody ticks. */
static void kick(void *context) {
    static bool watches;
    (void)context;
    if (!watches) {
        wdt_enable(WDTO_60MS);
        watches = true;
    }
    wdt_reset();
}

const wpin_port chip_port = {.now = now,
                             .open = write_pin, /* the level first, then the direction */
                             .write = write_pin,
                             .pwm_start = pwm_start,
                             .pwm_duty = pwm_duty,
                             .read = read_pin,
                             .millivolts = millivolts,
                             .count = count,
                             .pause = pause_us,
                             .lock = lock,
                             .unlock = unlock,
                             .kick = kick};
