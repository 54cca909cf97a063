/** @file code.h
 * What a motor is doing in four characters, for a small display: a state in small letters ("off ",
 * "redy", "ramp", "run ", "rest", "brak", "coas"), a latched fault in capitals ("STAL", "VLOW",
 * ...; docs/porting.md lists them). No two are alike on a display that knows capitals only.
 *
 *     static void show(void *context, const char *code) {...}      // four characters and a zero
 *     static wpin_display display = {.show = show};
 *     ... in the main loop: wpin_display_update(&display, &motor);
 */
#ifndef WINDPIN_CODE_H
#define WINDPIN_CODE_H

#include "api.h"
#include "motor.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Characters of a code, without the zero that ends it. */
#define WPIN_CODE_LENGTH 4

/** A display that shows one motor. Placed by the caller, zero but for the first two. */
typedef struct wpin_display {
    void (*show)(void *context, const char *code); /**< Puts four characters on it. */
    void *context;                                 /**< For `show`. */
    char shown[WPIN_CODE_LENGTH + 1];              /**< What it shows; its own. */
} wpin_display;

/** The code of a fault; "    " for what is none. Any context. */
WPIN_API void wpin_fault_code(wpin_status fault, char code[WPIN_CODE_LENGTH + 1]);
/** The code of a motor: of its fault, or else of its state. "off " for NULL. Any context. */
WPIN_API void wpin_motor_code(const wpin_motor *motor, char code[WPIN_CODE_LENGTH + 1]);
/** Calls `show` when the motor's code is another than the one that is shown. One display is updated
 * from one context only. Any. */
WPIN_API void wpin_display_update(wpin_display *display, const wpin_motor *motor);

#ifdef __cplusplus
}
#endif
#endif
