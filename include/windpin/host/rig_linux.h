/** @file rig_linux.h
 * What a rig says of its pins on a small computer: the 'linux' section. Host only.
 */
#ifndef WINDPIN_RIG_LINUX_H
#define WINDPIN_RIG_LINUX_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Where a pin is on a small computer: a line, by number or name, or a PWM channel. */
typedef struct wpin_rig_linux_pin {
    uint8_t pin;
    char chip[64]; /**< Of the line; "": the usual one. */
    char line[64]; /**< "": it is a channel: */
    char pwm[64];  /**< "pwmchip0/1" */
} wpin_rig_linux_pin;

/** Who counts an encoder there. */
typedef struct wpin_rig_linux_counter {
    int load;
    char count[64]; /**< "counter0/count0" */
} wpin_rig_linux_counter;

/** An analogue input there. */
typedef struct wpin_rig_linux_analog {
    uint8_t input;
    char channel[64]; /**< "iio:device0/voltage0" */
} wpin_rig_linux_analog;

/** Where the pins are on a small computer. */
typedef struct wpin_rig_linux {
    unsigned line; /**< Where the file says so. */
    char chip[64]; /**< Of lines without one of their own; pins that are not listed are its lines of
                        the same number. "": each is listed. */
    wpin_rig_linux_pin pins[96];
    size_t pin_count;
    wpin_rig_linux_counter counters[16];
    size_t counter_count;
    wpin_rig_linux_analog analogs[32];
    size_t analog_count;
    char slow[8][64]; /**< Chips whose lines lie behind a bus. */
    size_t slow_count;
    double guard;      /**< Silence after which all is made safe, s; 0: as usual. */
    char watchdog[64]; /**< "": none. */
} wpin_rig_linux;

#ifdef __cplusplus
}
#endif
#endif
