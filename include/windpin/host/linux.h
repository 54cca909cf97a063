/** @file linux.h
 * Real pins of a small computer, by the kernel's own interfaces: lines of the GPIO character device
 * (each gets its safe level in the very request that makes it an output), PWM channels of sysfs,
 * analogue inputs of IIO, counters, and encoders by the time stamps of their edges. A second
 * process, the guardian, brings all outputs to their safe level when this one ends in any way, or
 * is not heard for a while. Host only; Linux only.
 */
#ifndef WINDPIN_LINUX_H
#define WINDPIN_LINUX_H

#include "../api.h"
#include "../port.h"
#include "session.h"

#ifdef __cplusplus
extern "C" {
#endif

/** Where something is: on a chip (its name "gpiochip0", its label, or a path) a line, by number or
 * by name. A name without a chip is looked for on every chip. */
typedef struct wpin_linux_line {
    const char *chip; /**< NULL: any that has a line of that name. */
    const char *line; /**< "17" or "GPIO17". */
} wpin_linux_line;

/** A pin of the controller. */
typedef struct wpin_linux_pin {
    wpin_pin pin;
    bool input;           /**< Else an output. */
    bool pull_up;         /**< Of an input: to the logic supply; else as it is wired. */
    bool fast;            /**< It has many edges a second: not on a chip behind a bus. */
    wpin_linux_line line; /**< .line NULL: it is a channel: */
    const char *pwm;      /**< "pwmchip0/1"; NULL: it has none, and no PWM. */
} wpin_linux_pin;

/** An encoder: counted by the kernel, or by its edges. */
typedef struct wpin_linux_encoder {
    uint8_t counter;             /**< Its number for the port's count. */
    const char *count;           /**< "counter0/count0"; NULL: by edges of */
    wpin_linux_line channels[2]; /**< a and b; .line NULL: there is no second one. */
} wpin_linux_encoder;

/** An analogue input. */
typedef struct wpin_linux_analog {
    uint8_t input;       /**< Its number for the port's millivolts. */
    const char *channel; /**< "iio:device0/voltage0". */
} wpin_linux_analog;

/** What there is, and how it is watched. */
typedef struct wpin_linux_config {
    const wpin_linux_pin *pins;
    size_t pin_count;
    const wpin_linux_encoder *encoders;
    size_t encoder_count;
    const wpin_linux_analog *analogs;
    size_t analog_count;
    double guard;         /**< Silence of this process, while an output is not at its safe level,
                               after which the guardian acts, s: 0.02 to 10; 0: 0.1. */
    const char *watchdog; /**< Device to be kicked, or NULL. */
} wpin_linux_config;

typedef struct wpin_linux wpin_linux;

/** Finds and takes all of it, and starts the guardian. Inputs are inputs from here on; channels
 * show 0 % duty. Outputs are taken by the port's open. NULL with the reason in words: not found, no
 * right to it, taken (by which process). */
WPIN_API wpin_linux *wpin_linux_open(const wpin_linux_config *config, char *why, size_t size);
/** All outputs at their safe level, everything given back, the guardian gone. NULL is fine. */
WPIN_API void wpin_linux_close(wpin_linux *l);
/** The bench for a session on it; good until it is closed. */
WPIN_API wpin_bench wpin_linux_bench(wpin_linux *l);
/** What is worth knowing, in words, one a line: a channel that was left running, protection that
 * could not be had. "" when there is nothing. */
WPIN_API const char *wpin_linux_notes(const wpin_linux *l);
/** How late this process was woken at the moments its bench waited for. */
typedef struct wpin_linux_waking {
    unsigned long times;
    double average, most; /**< s. */
} wpin_linux_waking;
/** That, since it was opened. */
WPIN_API wpin_linux_waking wpin_linux_woken(const wpin_linux *l);
/** Why it is broken: the last call that failed, or the guardian; "": it is not. */
WPIN_API const char *wpin_linux_why(const wpin_linux *l);

#ifdef __cplusplus
}
#endif
#endif
