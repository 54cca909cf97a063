/* The same on an ATmega328P, told over its serial port. */
#include "same.h"
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

int main(void) {
    static FILE out;
    fdev_setup_stream(&out, put, NULL, _FDEV_SETUP_WRITE);
    stdout = &out;
    UCSR0B = 1 << TXEN0;
    for (uint8_t subject = SAME_FIRST; subject <= SAME_LAST; subject++) {
        printf("sum %u %08lX\n", subject, (unsigned long)same_sum(subject, SAME_ROUNDS));
    }
    cli();
    sleep_cpu();
    return 0;
}
