/** @file port.h
 * The only door to the hardware: a table of functions and a context pointer.
 *
 * Rules a port keeps (the suite in porttest.h checks them):
 *  - every function returns at once (pause excepted);
 *  - open() writes the level before it makes the pin an output;
 *  - write() and group_write() end PWM on their pins, show their level at once, and may be called
 *    from any context, a comparator's interrupt included;
 *  - a function the hardware lacks is NULL; init then refuses what would need it, by name;
 *  - a call that fails says so: a motor trips on it (WPIN_FAULT_PORT) and its pins go to rest.
 *
 * Each function names the contexts it is called from: init (main program, once), tick (the one
 * control tick), fast (an interrupt), any.
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

/** What a PWM channel, or a leg of two, is asked for. */
typedef struct wpin_pwm_request {
    uint32_t hz;           /**< Frequency, Hz. */
    uint32_t dead_time_ns; /**< Legs: from one side's off to the other's on, ns, at both edges; 0
                              for a channel of its own. */
    bool inverted;     /**< High for the rest of the period instead: of the channel, or of a leg's
                            high side. */
    bool low_inverted; /**< Legs: the wire of the low side is inverted. */
    bool centred;      /**< What it shows lies in the middle of the period, alike on both sides (a
                            timer that counts up and down), and of all channels asked for so at one
                            frequency the middles are the same instant. */
} wpin_pwm_request;

/** What a PWM channel or leg really does. */
typedef struct wpin_pwm_achieved {
    uint32_t millihertz;   /**< Frequency achieved, in thousandths of Hz. */
    uint32_t dead_time_ns; /**< Legs: dead time achieved, ns; at least what was asked for. */
    uint16_t steps;        /**< Duty steps of the timer at this frequency. */
    uint16_t jitter_us;    /**< How far an edge may be off: 0 from a timer, a tick in software. */
} wpin_pwm_achieved;

/** What a counter says. */
typedef struct wpin_count {
    int32_t counts; /**< Wraps. */
    wpin_moment at; /**< When the last of them came, as now() tells it; where the hardware does not
                         know that, when it was read. */
} wpin_count;

/** What millivolts() answers when there is no reading: sensor or converter failed. */
#define WPIN_NO_READING INT16_MIN

/** The port. NULL marks what the hardware lacks; now, open and write must be there. */
typedef struct wpin_port {
    void *context; /**< Handed to every function. */

    /** The time in microseconds; wraps. Any context. */
    wpin_moment (*now)(void *context);
    /** Makes a pin an output that shows `safe` from its first instant as one. Init. */
    wpin_status (*open)(void *context, wpin_pin pin, wpin_level safe);
    /** Shows a level at once and ends PWM on the pin. Any context. */
    wpin_status (*write)(void *context, wpin_pin pin, wpin_level level);
    /** Prepares a pin for PWM without changing what it shows, and tells what it will do. Init.
     * WPIN_REFUSED_FREQUENCY when the pin or the timer can not. */
    wpin_status (*pwm_start)(void *context, wpin_pin pin, const wpin_pwm_request *request,
                             wpin_pwm_achieved *achieved);
    /** Shows PWM: high for duty/16384 of the period, 0 to 16384 (0 and 16384 have no edges). A
     * change takes effect at a period boundary; the first one at once, or with the next edge that
     * software makes. The core calls it under the lock. Tick and fast. */
    wpin_status (*pwm_duty)(void *context, wpin_pin pin, uint16_t duty);
    /** Prepares the two pins of a leg as complementary channels of one timer with a dead time at
     * both edges. Init. WPIN_REFUSED_FREQUENCY, or WPIN_REFUSED_DEAD_TIME when it can't be that
     * long. */
    wpin_status (*leg_start)(void *context, wpin_pin high, wpin_pin low,
                             const wpin_pwm_request *request, wpin_pwm_achieved *achieved);
    /** Shows PWM on a leg: its high side on for duty/16384 of the period, its low side for the
     * rest, each shortened by the dead time. Tick and fast. */
    wpin_status (*leg_duty)(void *context, wpin_pin high, wpin_pin low, uint16_t duty);
    /** Joins 1 to 8 open pins so that one call writes several of them at the same instant; *group
     * is a number for group_write. Init. WPIN_REFUSED_PORT when these pins can not: then they are
     * written one by one. */
    wpin_status (*group_open)(void *context, const wpin_pin *pins, uint8_t count, uint8_t *group);
    /** Shows levels at once, and ends PWM, on the pins of a group whose bit is in `mask`: high
     * where their bit is in `high` too. Bit n is pin n of group_open. Any context. */
    wpin_status (*group_write)(void *context, uint8_t group, uint8_t mask, uint8_t high);
    /** Reads a pin. Tick and fast. */
    bool (*read)(void *context, wpin_pin pin);
    /** An analogue input in millivolts, saturated, or WPIN_NO_READING. Of a shunt (vector.h) what
     * it showed at the begin of the PWM period. Tick; of shunts fast, too. */
    int16_t (*millivolts)(void *context, uint8_t input);
    /** A counter of edges, e.g. of an encoder, with the moment of its last count: both of the same
     * instant. Tick and fast. */
    wpin_status (*count)(void *context, uint8_t counter, wpin_count *to);
    /** Lets this much time pass (dead times), 1000 us at the most. Interrupts stay open. Init, tick
     * and fast. */
    void (*pause)(void *context, uint32_t us);
    /** Keeps interrupts out for a few microseconds; the value returned goes to unlock. Any. */
    uint8_t (*lock)(void *context);
    /** Lets interrupts in again. Any. */
    void (*unlock)(void *context, uint8_t state);
    /** Tells the watchdog that all is well. Tick. */
    void (*kick)(void *context);
} wpin_port;

#endif
