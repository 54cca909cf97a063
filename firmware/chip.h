/* What the programs of this folder need of a controller besides its port. Each folder has a chip.c
 * that gives it. */
#ifndef CHIP_H
#define CHIP_H

#include <windpin/windpin.h>

/* The port: every motor and input goes through it. */
extern const wpin_port chip_port;

/* Clock, converter and watchdog; interrupts are on afterwards. Pins stay as they are. Every
 * fast_us, up to 100 and a part of 1000, comes chip_fast; 0: never. False: the watchdog has reset
 * the controller; whatever ran then should not begin again by itself. Once. */
bool chip_open(uint16_t fast_us);

/* A pin that is read: with its pull-up, and any change of it calls chip_changed. Init. */
void chip_listen(wpin_pin pin);

/* A counter of the port counts the edges of these two pins, or of one that is both. Init, after
 * chip_listen of both. */
enum { CHIP_COUNTERS = 2 };
void chip_count(uint8_t counter, wpin_pin a, wpin_pin b);

/* Given by the program: something that it listens to has changed; the fast tick. From interrupts.
 */
void chip_changed(void);
void chip_fast(void);

/* Sleeps until the next control period of 1 ms begins. */
void chip_await_tick(void);

/* Tells a computer the duty of this control period. */
void chip_record(wpin_duty duty);

/* Tells it a text. */
void chip_tell(const char *text);

/* Tells it in four characters how the program ended, and sleeps for good. */
void chip_end(const char *code) __attribute__((noreturn));

#endif
