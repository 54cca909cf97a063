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
/* Ends the emulation. */
void chip_off(void) __attribute__((noreturn));

#endif
