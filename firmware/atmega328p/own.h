/* What the files of this chip share. */
#ifndef OWN_H
#define OWN_H

#include "../chip.h"
#include <avr/io.h>

enum { CHIP_TICK_US = 1000, CHIP_US_A_COUNT = 4 }; /* of timer 0 */
extern volatile uint32_t chip_ticked_us;           /* at its last tick */
extern wpin_quadrature chip_counts[CHIP_COUNTERS];

/* A pin's register of levels; that of directions lies below it, and that of readings below that. */
static inline volatile uint8_t *chip_port_of(wpin_pin pin) {
    return pin < 8 ? &PORTD : (pin < 14 ? &PORTB : &PORTC);
}

static inline uint8_t chip_bit_of(wpin_pin pin) {
    return (uint8_t)(1U << (pin < 8 ? pin : (pin < 14 ? pin - 8U : (pin - 14U) & 7U)));
}

#endif
