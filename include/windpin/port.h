/** @file port.h
 * The only door to the hardware: a table of functions and a context pointer.
 *
 * Rules a port keeps:
 *  - every function returns at once (pause excepted) and may be called from the tick;
 *  - open() writes the level before it makes the pin an output;
 *  - after write() the pin shows that level at once, also when it carried PWM before;
 *  - a function the hardware lacks is NULL; init then refuses what would need it, by name.
 *
 *     static const wpin_port port = {.context = &chip, .now = chip_now, .open = chip_open,
 *                                    .write = chip_write, .pwm_start = chip_pwm_start,
 *                                    .pwm_duty = chip_pwm_duty, .pause = chip_pause};
 */
#ifndef WINDPIN_PORT_H
#define WINDPIN_PORT_H

#include "status.h"
#include "units.h"
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/** A controller pin, numbered as the port numbers it. */
typedef uint8_t wpin_pin;

/** What a pin shows. */
typedef enum wpin_level {
    WPIN_LOW = 0,  /**< Driven to ground. */
    WPIN_HIGH = 1, /**< Driven to the logic supply. */
    WPIN_FLOAT = 2 /**< Not driven. */
} wpin_level;

/** What a PWM channel is asked for. */
typedef struct wpin_pwm_request {
    uint32_t hz;           /**< Frequency in Hz. */
    bool inverted;         /**< True: high for the rest of the period instead. */
    uint16_t dead_time_ns; /**< Both edges of an inverted channel keep this distance to the
                                edges of the plain channel of the same leg; 0 for none. */
} wpin_pwm_request;

/** What a PWM channel really does. */
typedef struct wpin_pwm_achieved {
    uint32_t millihertz; /**< Frequency achieved, in thousandths of Hz. */
    uint16_t steps;      /**< Duty steps of the timer at this frequency. */
    uint16_t jitter_us;  /**< How far an edge may be off: 0 from a timer, a tick in software. */
} wpin_pwm_achieved;

/** The port. NULL marks what the hardware lacks; now, open and write must be there. */
typedef struct wpin_port {
    void *context; /**< Handed to every function. */

    /** The time in microseconds; wraps. */
    wpin_moment (*now)(void *context);
    /** Makes a pin an output that shows `safe` from its first instant as one. */
    wpin_status (*open)(void *context, wpin_pin pin, wpin_level safe);
    /** Shows a level at once. */
    void (*write)(void *context, wpin_pin pin, wpin_level level);
    /** Prepares a pin for PWM without changing what it shows, and tells what it will do.
     * WPIN_REFUSED_FREQUENCY when the pin or the timer can not. */
    wpin_status (*pwm_start)(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved);
    /** Shows PWM: high for duty/16384 of the period, 0 to 16384 (0 and 16384 have no edges).
     * A change takes effect at a period boundary; the first one at once. */
    void (*pwm_duty)(void *context, wpin_pin pin, uint16_t duty);
    /** Reads a pin. */
    bool (*read)(void *context, wpin_pin pin);
    /** An analogue input in millivolts. */
    int32_t (*millivolts)(void *context, uint8_t input);
    /** A counter, e.g. of an encoder, in counts; wraps. */
    int32_t (*count)(void *context, uint8_t counter);
    /** Lets this much time pass (dead times: 1000 us at the most inside the core). */
    void (*pause)(void *context, uint32_t us);
    /** Keeps interrupts out while a row changes; the value returned goes to unlock. */
    uint8_t (*lock)(void *context);
    /** Lets interrupts in again. */
    void (*unlock)(void *context, uint8_t state);
} wpin_port;

#endif
