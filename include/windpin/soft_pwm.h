/** @file soft_pwm.h
 * PWM in software on pins without a timer: a port around a port. The pins named at init get their
 * edges from a tick of your own (a timer interrupt); everything else goes straight through.
 *
 *     static const wpin_pin slow_pins[] = {6};
 *     wpin_soft_pwm_init(&soft, &chip_port, 50, slow_pins, 1);   // tick every 50 us
 *     wpin_motor_init(&fan, &fan_config, &soft.port);            // 400 Hz: 50 steps, 50 us jitter
 *     void timer_interrupt(void) { wpin_soft_pwm_tick(&soft); }
 */
#ifndef WINDPIN_SOFT_PWM_H
#define WINDPIN_SOFT_PWM_H

#include "api.h"
#include "port.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Most pins with software PWM. */
#define WPIN_SOFT_PINS 4
/** Fewest duty steps it takes on: below this a frequency is refused. */
#define WPIN_SOFT_STEPS_LEAST 20

/** A pin at work. */
typedef struct wpin_soft_pin {
    wpin_pin pin;
    volatile uint8_t running; /**< 1: carries PWM. 2: does so from the next tick on. 0: a level. */
    bool high;                /**< What it shows. */
    bool inverted;            /**< Its wire turns levels over: low while it is on. */
    uint16_t steps;           /**< Ticks of a period; 0 until started. */
    uint16_t at;              /**< Ticks since the period began. */
    uint16_t on;              /**< On for this many ticks. */
    uint16_t duty;            /**< From the next period on, 1/16384. */
} wpin_soft_pin;

/** Software PWM at work. Placed by the caller. */
typedef struct wpin_soft_pwm {
    wpin_port port;         /**< What the motors are given. */
    const wpin_port *under; /**< The real one. */
    uint16_t tick_us;
    uint8_t count;
    volatile uint8_t came; /**< A tick, since the clock was read last. */
    wpin_moment came_at;   /**< Or none was needed. */
    wpin_soft_pin pins[WPIN_SOFT_PINS];
} wpin_soft_pwm;

/** Wraps a port. tick_us, 10 to 10000, is how often you call the tick; the frequency of a pin can
 * then be at most 1000000 / (20 tick_us) Hz, its duty steps are its period in ticks, and its edges
 * may be off by one tick (wpin_pwm_achieved.jitter_us); PWM begins with the next tick. Refused:
 * _RANGE (tick, count 1 to WPIN_SOFT_PINS). Complementary channels (dead time by PWM) are refused
 * when they are started: WPIN_REFUSED_FREQUENCY. Init. */
WPIN_API wpin_status wpin_soft_pwm_init(wpin_soft_pwm *soft, const wpin_port *under,
                                        uint16_t tick_us, const wpin_pin *pins, uint8_t count);

/** One tick: moves the edges that are due. Bounded time. For a timer interrupt that the port's
 * lock keeps out. Where it stays away, pins stand as they are: while any of them carries PWM, the
 * clock of the wrapped port then stands from 20 ms on, so that each motor on it goes off by
 * WPIN_FAULT_CLOCK. Fast. */
WPIN_API void wpin_soft_pwm_tick(wpin_soft_pwm *soft);

#ifdef __cplusplus
}
#endif
#endif
