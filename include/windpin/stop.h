/** @file stop.h
 * One button or switch that stops everything. It works from any state, latches, and nothing moves
 * again before it is re-armed and each motor armed anew.
 *
 *     static wpin_motor *const motors[] = {&drum, &pump};
 *     static const uint8_t how[] = {WPIN_STOP_RAMP, WPIN_STOP_BRAKE};
 *     wpin_stop_init(&stop, &(const wpin_stop_config){.motors = motors, .how = how, .count = 2,
 *                                                     .pin = 3, .opens = true}, &port);
 *     each control period: wpin_stop_tick(&stop), and then the motors' ticks
 *
 * This is a stop by program. What may hurt someone needs a switch in the supply's wire as well.
 */
#ifndef WINDPIN_STOP_H
#define WINDPIN_STOP_H

#include "api.h"
#include "motor.h"

#ifdef __cplusplus
extern "C" {
#endif

/** How a motor is brought to rest. */
typedef enum wpin_stop_how {
    WPIN_STOP_RAMP = 0, /**< As fast as its slew limit allows. */
    WPIN_STOP_COAST,    /**< Lets it run down. */
    WPIN_STOP_BRAKE     /**< Shorts it until it has rested as before a reversal. */
} wpin_stop_how;

/** Everything constant about it. The caller keeps it alive. */
typedef struct wpin_stop_config {
    wpin_motor *const *motors; /**< All it stops. */
    const uint8_t *how;        /**< wpin_stop_how, one each; NULL: all ramp. What a motor can not do
                                    becomes a ramp. */
    uint16_t count;            /**< Of both. */
    wpin_pin pin;              /**< From the contact to ground, with a pull-up. */
    bool opens;      /**< Pressed, the contact opens: a broken wire then stops too. Prefer it. */
    bool by_program; /**< There is no contact: only wpin_stop_now latches it. */
} wpin_stop_config;

/** A stop input at work. The fields are its own. */
typedef struct wpin_stop {
    const wpin_stop_config *config; /**< NULL: not open. */
    const wpin_port *port;
    volatile uint8_t latched;
    uint8_t served;  /**< The motors have been told. */
    uint8_t pressed; /**< Readings in a row, up to 2. */
} wpin_stop;

/** Opens it. Pressed already, it latches with its second tick. Refused: _ARGUMENT, _PORT (no read).
 * Init. */
WPIN_API wpin_status wpin_stop_init(wpin_stop *stop, const wpin_stop_config *config,
                                    const wpin_port *port);

/** One control period, before the motors' ticks: two readings in a row that say pressed latch it;
 * while it is latched every motor is brought to rest, whatever else asks it to move, and then
 * disarmed. It begins within two control periods. Tick. */
WPIN_API void wpin_stop_tick(wpin_stop *stop);

/** The same as pressing it, by program. Any context. */
WPIN_API void wpin_stop_now(wpin_stop *stop);

/** Whether it is latched. Any context. */
WPIN_API bool wpin_stop_latched(const wpin_stop *stop);

/** Lets the motors be armed again; disarms each of them. Refused: _CLOSED, _NO_FAULT (not latched),
 * _CAUSE (still pressed), _NOT_ZERO (something still moves). Tick. */
WPIN_API wpin_status wpin_stop_rearm(wpin_stop *stop);

#ifdef __cplusplus
}
#endif
#endif
