/** @file input.h
 * Buttons and knobs that drive motors: debounced by time, with what a hand does wrong in mind.
 * They only turn readings into events and duties; the motor's own rules come after.
 *
 *     wpin_button_init(&button, &(wpin_button_config){.debounce_us = 20000, .active_low = true});
 *     if (wpin_button_update(&button, port.read(port.context, 2), now) == WPIN_BUTTON_PRESSED) {
 *         wpin_motor_run(&fan, WPIN_PERCENT(60), 0, 5000);   // one timed run a press
 *     }
 */
#ifndef WINDPIN_INPUT_H
#define WINDPIN_INPUT_H

#include "api.h"
#include "status.h"
#include "units.h"
#include <stdbool.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Everything constant about a button. */
typedef struct wpin_button_config {
    uint32_t debounce_us; /**< A level counts once it has stood this long, 1 us to 1 s. */
    uint32_t stuck_us;    /**< Held longer than this it is stuck; 0: never. */
    bool active_low;      /**< Pressed reads low (a button to ground with a pull-up). */
} wpin_button_config;

/** What an update found. */
typedef enum wpin_button_event {
    WPIN_BUTTON_NOTHING = 0,
    WPIN_BUTTON_PRESSED,
    WPIN_BUTTON_RELEASED
} wpin_button_event;

/** A button at work. Placed by the caller; may be read. */
typedef struct wpin_button {
    wpin_button_config config;
    wpin_moment last;   /**< When it was looked at last. */
    uint32_t stable_us; /**< How long the reading has stood... */
    uint32_t down_us;   /**< ...and how long it has been held. */
    bool raw;           /**< Last reading, as pressed or not. */
    bool held;          /**< Pressed, debounced. */
    bool stuck;         /**< Held for too long; clears when released. */
    bool begun;         /**< Looked at once. */
    bool known;         /**< Seen released since init: what is held at power-up does not count. */
} wpin_button;

/** Sets a button up. Refused: _RANGE. Any context. */
WPIN_API wpin_status wpin_button_init(wpin_button *button, const wpin_button_config *config);

/** Takes a reading of the pin. Call it at least every debounce_us / 2 or so. A button held since
 * before init gives no event until it has been released once. Tick context. */
WPIN_API wpin_button_event wpin_button_update(wpin_button *button, bool level, wpin_moment now);

/** What two buttons, one for each way, ask for. */
typedef enum wpin_pair_command {
    WPIN_PAIR_NONE = 0, /**< Nothing pressed: let it come to rest. */
    WPIN_PAIR_FORWARD,  /**< The first one held. */
    WPIN_PAIR_REVERSE,  /**< The second one held. */
    WPIN_PAIR_STOP      /**< Both together: stop, until both are released. */
} wpin_pair_command;

/** Two buttons with both together as stop. Placed by the caller. */
typedef struct wpin_pair {
    wpin_button forward, reverse;
    uint32_t window_us; /**< One press waits this long for the other before it counts. */
    wpin_moment last;   /**< When they were looked at last. */
    uint32_t waited_us; /**< Since the first of them was pressed. */
    bool waiting, stopped;
} wpin_pair;

/** Sets two buttons up. window_us 0 to 1 s: no motion comes in between when both are pressed within
 * it. Refused: _RANGE. Any context. */
WPIN_API wpin_status wpin_pair_init(wpin_pair *pair, const wpin_button_config *config,
                                    uint32_t window_us);

/** Takes a reading of both pins. Tick context. */
WPIN_API wpin_pair_command wpin_pair_update(wpin_pair *pair, bool forward_level, bool reverse_level,
                                            wpin_moment now);

/** Everything constant about a knob (or another analogue input that sets a duty). */
typedef struct wpin_knob_config {
    int16_t low_mv;  /**< Reading at its lower end. */
    int16_t high_mv; /**< Reading at its upper end; at least 100 mV above. */
    uint16_t dead;   /**< Share of 16384 next to zero (or to the centre, each way) that is zero. */
    uint16_t hysteresis; /**< Leaving zero needs this much more; less than the rest of the way. */
    uint8_t filter;      /**< Each reading moves the value by 1/2^filter, 0 to 6. */
    bool centre;         /**< Off in the middle: below it reverse, above it forward. */
} wpin_knob_config;

/** A knob at work. Placed by the caller. */
typedef struct wpin_knob {
    wpin_knob_config config;
    int32_t filtered;  /**< mV x 64. */
    int16_t centre_mv; /**< Learned, or the middle of the range. */
    bool begun;        /**< A reading has been taken. */
    bool off;          /**< In its dead zone. */
    bool armed;        /**< Has been at zero: until then it reads zero. */
} wpin_knob;

/** Sets a knob up. Refused: _RANGE. Any context. */
WPIN_API wpin_status wpin_knob_init(wpin_knob *knob, const wpin_knob_config *config);

/** Takes the present position as the centre. Refused: _RANGE more than a quarter of the range off
 * the middle, or without a centre; _NOT_ZERO before a reading. Tick context. */
WPIN_API wpin_status wpin_knob_learn_centre(wpin_knob *knob);

/** Takes a reading in mV and returns the duty asked for, -WPIN_DUTY_FULL to WPIN_DUTY_FULL (0 and
 * up without a centre). Zero until the knob has been at zero once: turned up at power-up, it asks
 * for nothing. Readings outside the range count as its ends. Tick context. */
WPIN_API wpin_duty wpin_knob_update(wpin_knob *knob, int16_t millivolts);

/** A place on a curve. */
typedef struct wpin_curve_point {
    int16_t millivolts;
    wpin_duty duty;
} wpin_curve_point;

/** Everything constant about a sensor that sets a duty. The caller keeps the points alive. */
typedef struct wpin_curve_config {
    const wpin_curve_point *points; /**< By rising millivolts; between them straight lines, beyond
                                         the ends the duty of the end. */
    uint8_t count;                  /**< 2 to 16. */
    uint16_t hysteresis_mv; /**< The duty follows a reading only where it leaves this much play to
                                 either side. */
} wpin_curve_config;

/** A sensor at work. Placed by the caller. */
typedef struct wpin_curve {
    const wpin_curve_config *config;
    int16_t used_mv; /**< Reading that counts, within the play. */
    bool begun;
} wpin_curve;

/** Sets a curve up. Refused: _RANGE (count, order, duties). Any context. */
WPIN_API wpin_status wpin_curve_init(wpin_curve *curve, const wpin_curve_config *config);

/** Takes a reading in mV and returns the duty asked for. Tick context. */
WPIN_API wpin_duty wpin_curve_update(wpin_curve *curve, int16_t millivolts);

#ifdef __cplusplus
}
#endif
#endif
