/** @file fast.h
 * The tick of one motor with its constants folded in, for 8-bit controllers: the same source and
 * the same rules as wpin_motor_tick, which reads its configuration each time.
 *
 *     static const WPIN_FLASH wpin_motor_config config = {...};   // in this file, not extern
 *     static const wpin_port port = {...};                        // the same
 *     static wpin_motor pump;
 *     WPIN_FAST_TICK(pump_tick, pump, config, port)
 *     ... wpin_motor_init(&pump, &config, &port); ... pump_tick();
 *
 * The same for an edge of the Hall sensors of a brushless motor, which may come thousands of times
 * a second:
 *
 *     WPIN_FAST_EDGE(drum_edge, drum_phases, phases_config, port, PINC & 7, chip_now(NULL))
 *     ISR(PCINT1_vect) { drum_edge(); }
 */
#ifndef WINDPIN_FAST_H
#define WINDPIN_FAST_H

#include "impl/steady.h"
#include "impl/steady_six_step.h"

/** Defines `static void name(void)`: wpin_motor_tick of one motor. Its configuration and port are
 * the very ones that motor was initialised with; before that, and after a refused init, it does
 * nothing. Tick. */
#define WPIN_FAST_TICK(name, the_motor, the_config, the_port)                                      \
    static void name(void) {                                                                       \
        if (wpin_config_of(&(the_motor)) != &(the_config) ||                                       \
            wpin_port_of(&(the_motor)) != &(the_port) || !wpin_is_noted(&(the_motor))) {           \
            return;                                                                                \
        }                                                                                          \
        if (wpin_steady_tick(&(the_motor), &(the_config), &(the_port),                             \
                             wpin_senses_of(&(the_config)), true) &&                               \
            (the_port).kick != NULL) {                                                             \
            (the_port).kick((the_port).context);                                                   \
        }                                                                                          \
    }

/** Defines `static wpin_status name(void)`: wpin_six_step_edge of one motor, with the configuration
 * and port it was initialised with; before that, and after a refused init, it says
 * WPIN_REFUSED_CLOSED. `code_now` and `moment_now` are the expressions that read the three sensors
 * (a in bit 0, b in bit 1, c in bit 2) and the port's clock. Fast. */
#define WPIN_FAST_EDGE(name, the_six_step, the_config, the_port, code_now, moment_now)             \
    static wpin_status name(void) {                                                                \
        if ((the_six_step).config != &(the_config) ||                                              \
            wpin_stage_port_of(&(the_six_step).stage) != &(the_port)) {                            \
            return WPIN_REFUSED_CLOSED;                                                            \
        }                                                                                          \
        uint8_t locked = wpin_lock(&(the_port));                                                   \
        wpin_moment now = (moment_now);                                                            \
        wpin_steady_code(&(the_six_step), &(the_config), (uint8_t)(code_now), now);                \
        return wpin_steady_commutate(&(the_six_step), &(the_config), &(the_port), NULL,            \
                                     (uint16_t)now, locked);                                       \
    }

#endif
