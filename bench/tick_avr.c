/* For simavr: cycles of a tick on an ATmega328P by its own timer, told over the serial port. */
#include "tick.h"
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>
#include <stdio.h>

enum { TICKS = 500 };

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

static void measure(bench_case what) {
    uint32_t sum = 0;
    uint16_t most = 0;
    bench_prepare(what);
#if BENCH_CLOSED
    bench_closed = 0;
#endif
    for (uint16_t i = 0; i < TICKS; i++) {
        bench_pass();
        bench_ask();
        uint16_t cycles = cycles_of_tick();
        sum += cycles;
        most = cycles > most ? cycles : most;
    }
#if BENCH_CLOSED
    printf("%s, %s: the lock taken for %u cycles at the most\n", bench_kind(), bench_name(what),
           bench_closed);
#else
    printf("%s, %s: %lu cycles on average, %u at the most\n", bench_kind(), bench_name(what),
           (unsigned long)(sum / TICKS), most);
#endif
}

int main(void) {
    static FILE out;
    fdev_setup_stream(&out, put, NULL, _FDEV_SETUP_WRITE);
    stdout = &out;
    UCSR0B = 1 << TXEN0;
    TCCR1B = 1 << CS10;
    printf(
        "motor %u and its stage %u bytes of RAM; their constants %u of flash\n",
        (unsigned)sizeof(wpin_motor), (unsigned)sizeof(wpin_stage),
        (unsigned)(sizeof(wpin_motor_config) + sizeof(wpin_stage_config) + 3 * sizeof(wpin_line)));
    for (uint8_t fast = 0; fast < BENCH_KINDS; fast++) {
        bench_fast = fast != 0;
        for (uint8_t what = 0; what < BENCH_CASES; what++) {
            if (bench_has((bench_case)what)) {
                measure((bench_case)what);
            }
        }
    }
    cli();
    sleep_cpu();
    return 0;
}
