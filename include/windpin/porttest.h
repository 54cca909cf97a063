/** @file porttest.h
 * A conformance suite for ports: link it against a port of your own, give it some free pins, and
 * run it on the target or on the host. It needs no operating system and no heap, and drives nothing
 * but the pins it is given: connect no motor to them.
 *
 *     static void print(void *context, const char *rule, wpin_porttest_result result) { ... }
 *     static const wpin_porttest test = {.port = &chip_port,
 *                                        .pins = {2, 3},
 *                                        .pwm_pin = 9,
 *                                        .has_pwm = true,
 *                                        .pwm_hz = 1000,
 *                                        .report = print};
 *     if (wpin_porttest_run(&test) == 0) { ... it keeps the rules of port.h ... }
 */
#ifndef WINDPIN_PORTTEST_H
#define WINDPIN_PORTTEST_H

#include "api.h"
#include "port.h"
#include "stage.h"

#ifdef __cplusplus
extern "C" {
#endif

/** How a rule came out. */
typedef enum wpin_porttest_result {
    WPIN_PORTTEST_KEPT = 0,
    WPIN_PORTTEST_BROKEN,
    WPIN_PORTTEST_LEFT_OUT /**< The port lacks the function, or no pin was given for it. */
} wpin_porttest_result;

/** What is tested. */
typedef struct wpin_porttest {
    const wpin_port *port;
    wpin_pin pins[2]; /**< Two free outputs. */
    /** A stage of wpin_porttest_table on these two, to be turned off at once. NULL: it is made of
     * them; where constants lie in flash (8-bit AVR) it can not be, and the rule is left out. */
    const WPIN_FAR wpin_stage_config *stage;
    bool has_pwm, has_leg;
    wpin_pin pwm_pin; /**< A free output with a timer. */
    uint32_t pwm_hz;  /**< Low enough to be sampled by a loop: 100 to 2000 Hz. */
    wpin_pin leg[2];  /**< High and low side of two complementary channels. */
    uint32_t dead_time_ns;
    /** Reads what a pin shows, also as an output. NULL: the port's read does. */
    bool (*shows)(void *context, wpin_pin pin);
    /** How often a pin showed another level than asked for while it became an output. NULL:
     * unknown, as on a target without a second pair of eyes. */
    unsigned (*glitches)(void *context, wpin_pin pin);
    /** Told of each rule. */
    void (*report)(void *context, const char *rule, wpin_porttest_result result);
    void *context; /**< For the three. */
} wpin_porttest;

/** Of a stage for the suite: two lines, of which none or one is on. */
WPIN_API extern const WPIN_FLASH wpin_stage_table wpin_porttest_table;

/** Runs all rules; how many are broken. Takes about a second of the port's time. Init, with
 * interrupts as they will be. */
WPIN_API unsigned wpin_porttest_run(const wpin_porttest *test);

#ifdef __cplusplus
}
#endif
#endif
