/* For simavr: cycles of a tick on an ATmega328P by its own timer, told over the serial port. */
#include "tick.h"
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>
#include <stdio.h>

static int put(char c, FILE *file) {
    (void)file;
    while ((UCSR0A & (1 << UDRE0)) == 0) {
    }
    UDR0 = (uint8_t)c;
    return 0;
}

static uint16_t cycles_of_tick(void) {
    TCNT1 = 0;
    bench_tick();
    uint16_t cycles = TCNT1;
    return (uint16_t)(cycles - 5); /* reading the timer */
}

int main(void) {
    static FILE out;
    fdev_setup_stream(&out, put, NULL, _FDEV_SETUP_WRITE);
    stdout = &out;
    UCSR0B = 1 << TXEN0;
    TCCR1B = 1 << CS10;
    printf(
        "motor %u, its configuration %u, sequence %u and %u a track, step %u\n",
        (unsigned)sizeof(wpin_motor),
        (unsigned)(sizeof(wpin_motor_config) + sizeof(wpin_stage_config) + 3 * sizeof(wpin_line)),
        (unsigned)sizeof(wpin_sequence), (unsigned)sizeof(wpin_track), (unsigned)sizeof(wpin_step));
    for (uint8_t what = 0; what < BENCH_CASES; what++) {
        uint32_t sum = 0;
        uint16_t most = 0;
        bench_prepare((bench_case)what);
        for (uint16_t i = 0; i < 500; i++) {
            uint16_t cycles = cycles_of_tick();
            sum += cycles;
            most = cycles > most ? cycles : most;
        }
        printf("%s: %lu cycles in the mean, %u at the most\n", bench_name((bench_case)what),
               (unsigned long)(sum / 500), most);
    }
    cli();
    sleep_cpu();
    return 0;
}
