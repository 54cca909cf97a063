/* Pins that are told instead of shown: for emulated machines, which have timers and interrupts but
 * no PWM and nothing connected. A chip.c gives what is below; for a real controller the functions
 * of reported.c are replaced by its registers. */
#ifndef REPORTED_H
#define REPORTED_H

#include "chip.h"

/* The chip's clock; interrupts kept out and let in again. */
wpin_moment chip_now(void *context);
uint8_t chip_lock(void *context);
void chip_unlock(void *context, uint8_t state);
/* Sleeps until an interrupt is pending, also with interrupts kept out. */
void chip_doze(void);
/* Ends the emulation. */
void chip_off(void) __attribute__((noreturn));

/* For the interrupt of its timer, which comes every chip_period_us: 1000, or where there is a fast
 * tick as often as that; and the time at its last one. */
void chip_period_over(void);
extern uint32_t chip_period_us;
extern volatile uint32_t chip_ticked_us;

#endif
