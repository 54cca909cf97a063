/** @file fast.h
 * The tick of one motor with its constants folded in, for 8-bit controllers: the same source and
 * the same rules as wpin_motor_tick, which reads its configuration each time.
 *
 *     static const WPIN_FLASH wpin_motor_config config = {...};   // in this file, not extern
 *     static const wpin_port port = {...};                        // the same
 *     static wpin_motor pump;
 *     WPIN_FAST_TICK(pump_tick, pump, config, port)
 *     ... wpin_motor_init(&pump, &config, &port); ... pump_tick();
 */
#ifndef WINDPIN_FAST_H
#define WINDPIN_FAST_H

#include "impl/steady.h"

/** Defines `static void name(void)`: wpin_motor_tick of one motor. Its configuration and port are
 * the very ones that motor was initialised with; before that, and after a refused init, it does
 * nothing. Tick. */
#define WPIN_FAST_TICK(name, the_motor, the_config, the_port)                                      \
    static void name(void) {                                                                       \
        if ((the_motor).config != &(the_config) || (the_motor).port != &(the_port)) {              \
            return;                                                                                \
        }                                                                                          \
        if (wpin_steady_tick(&(the_motor), &(the_config), &(the_port),                             \
                             wpin_senses_of(&(the_config)), true) &&                               \
            (the_port).kick != NULL) {                                                             \
            (the_port).kick((the_port).context);                                                   \
        }                                                                                          \
    }

#endif
