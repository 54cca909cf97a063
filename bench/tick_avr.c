/* For simavr: cycles of a tick on an ATmega328P by its own timer, told over the serial port. */
#include "tick.h"
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>
#include <stdlib.h>

enum { TICKS = 500, WORST_TICKS = 20000 };

/* Without stdio, whose flash both ticks need. */
static void say(const char *text) {
    for (; *text != '\0'; text++) {
        while ((UCSR0A & (1 << UDRE0)) == 0) {
        }
        UDR0 = (uint8_t)*text;
    }
}

static void say_number(uint32_t number) {
    char digits[12];
    say(ultoa(number, digits, 10));
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
    uint16_t ticks = what == BENCH_WORST ? WORST_TICKS : TICKS;
    for (uint16_t i = 0; i < ticks; i++) {
        bench_pass();
        bench_ask();
        uint16_t cycles = cycles_of_tick();
        sum += cycles;
        most = cycles > most ? cycles : most;
    }
    say(bench_kind());
    say(", ");
    say(bench_name(what));
#if BENCH_CLOSED
    say(": the lock taken for ");
    say_number(bench_closed);
    say(" cycles at the most\n");
#else
    say(": ");
    say_number(sum / ticks);
    say(" cycles on average, ");
    say_number(most);
    say(" at the most\n");
#endif
}

int main(void) {
    UCSR0B = 1 << TXEN0;
    TCCR1B = 1 << CS10;
    say("motor ");
    say_number(sizeof(wpin_motor));
    say(" and its stage ");
    say_number(sizeof(wpin_stage));
    say(" bytes of RAM; their constants ");
    say_number(sizeof(wpin_motor_config) + sizeof(wpin_stage_config) + 3 * sizeof(wpin_line));
    say(" of flash\n");
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
