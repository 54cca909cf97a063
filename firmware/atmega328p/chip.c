/* An ATmega328P at 16 MHz: timer 0 ticks, timer 2 ticks fast, any change of a listened pin
 * interrupts, the serial port tells a computer (115200 baud), once kicked the watchdog resets it
 * when that stops for 60 ms. */
#include "own.h"
#include <avr/interrupt.h>
#include <avr/sleep.h>
#include <avr/wdt.h>

volatile uint32_t chip_ticked_us;
wpin_quadrature chip_counts[CHIP_COUNTERS];
static volatile uint8_t due;
static wpin_pin counted[CHIP_COUNTERS][2];
static bool was[CHIP_COUNTERS]; /* of the first of them */
static uint8_t counters;

ISR(TIMER0_COMPA_vect) {
    chip_ticked_us += CHIP_TICK_US;
    due = 1;
}

/* It takes longer than others may wait, so it lets them in; one that comes while the one before is
 * at work is left out. */
ISR(TIMER2_COMPA_vect) {
    static bool runs;
    if (runs) {
        return;
    }
    runs = true;
    sei();
    chip_fast();
    cli();
    runs = false;
}

/* An encoder of one channel has the same pin twice: each change of it is a count. */
static void count_edge(uint8_t i) {
    wpin_moment now = chip_port.now(NULL);
    bool a = chip_port.read(NULL, counted[i][0]);
    if (counted[i][0] != counted[i][1]) {
        wpin_quadrature_edge(&chip_counts[i], a, chip_port.read(NULL, counted[i][1]), now);
    } else if (a != was[i]) {
        wpin_quadrature_pulse(&chip_counts[i], now);
    }
    was[i] = a;
}

/* Others wait while edges are counted, but not for a rotor's next row. An edge that comes meanwhile
 * has the one at work look once more: however noisy a wire is, the stack does not grow. */
ISR(PCINT0_vect) {
    static volatile bool runs, again;
    for (uint8_t i = 0; i < counters; i++) {
        count_edge(i);
    }
    again = true;
    if (runs) {
        return;
    }
    runs = true;
    while (again) {
        again = false;
        sei();
        chip_changed();
        cli();
    }
    runs = false;
}
ISR_ALIAS(PCINT1_vect, PCINT0_vect);
ISR_ALIAS(PCINT2_vect, PCINT0_vect);

/* After a reset by the watchdog that runs on with its shortest time. */
bool chip_open(uint16_t fast_us) {
    bool by_watchdog = (MCUSR & _BV(WDRF)) != 0;
    MCUSR = 0;
    wdt_disable();
    OCR0A = CHIP_TICK_US / CHIP_US_A_COUNT - 1;
    TCCR0A = _BV(WGM01);
    TCCR0B = _BV(CS01) | _BV(CS00);
    TIMSK0 = _BV(OCIE0A);
    if (fast_us > 0) { /* timer 2, in half microseconds */
        OCR2A = (uint8_t)(fast_us * 2 - 1);
        TCCR2A = _BV(WGM21);
        TCCR2B = _BV(CS21);
        TIMSK2 = _BV(OCIE2A);
    }
    ADCSRA = _BV(ADEN) | _BV(ADPS2) | _BV(ADPS1) | _BV(ADPS0);
    UCSR0A = _BV(U2X0);
    UBRR0 = F_CPU / 8 / 115200 - 1;
    UCSR0B = _BV(TXEN0);
    SMCR = 0; /* the timers go on when it sleeps */
    sei();
    return !by_watchdog;
}

void chip_listen(wpin_pin pin) {
    volatile uint8_t *mask = pin < 8 ? &PCMSK2 : (pin < 14 ? &PCMSK0 : &PCMSK1);
    *chip_port_of(pin) |= chip_bit_of(pin);
    *mask |= chip_bit_of(pin);
    PCICR |= (uint8_t)(pin < 8 ? _BV(PCIE2) : (pin < 14 ? _BV(PCIE0) : _BV(PCIE1)));
}

void chip_count(uint8_t counter, wpin_pin a, wpin_pin b) {
    counted[counter][0] = a;
    counted[counter][1] = b;
    was[counter] = chip_port.read(NULL, a);
    counters = (uint8_t)(counter + 1);
}

/* Asleep, whatever an interrupt does wakes it; asked before with interrupts out, none is missed. */
void chip_await_tick(void) {
    for (;;) {
        cli();
        if (due != 0) {
            due = 0;
            sei();
            return;
        }
        sleep_enable();
        sei();
        sleep_cpu();
        sleep_disable();
    }
}

static void tell(uint8_t byte) {
    while ((UCSR0A & _BV(UDRE0)) == 0) {
    }
    UDR0 = byte;
}

void chip_tell(const char *text) {
    while (*text != '\0') {
        tell((uint8_t)*text++);
    }
}

void chip_record(wpin_duty duty) {
    tell((uint8_t)(duty & 0xFF));
    tell((uint8_t)((uint16_t)duty >> 8));
}

void chip_end(const char *code) {
    wdt_disable();
    chip_tell(code);
    UCSR0A |= _BV(TXC0);
    while ((UCSR0A & _BV(TXC0)) == 0) {
    }
    cli();
    for (;;) {
        sleep_enable();
        sleep_cpu();
    }
}
