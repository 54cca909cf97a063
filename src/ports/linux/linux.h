/* Real pins on Linux: what its files share. */
#ifndef WPIN_PORTS_LINUX_H
#define WPIN_PORTS_LINUX_H

#include "guardian.h"
#include "windpin/host/linux.h"
#include "windpin/quadrature.h"

#define WPIN_LINUX_NAME 64

/* One output, or an input read by its level. */
typedef struct wpin_linux_slot {
    const wpin_linux_pin *is;
    char chip[WPIN_LINUX_NAME]; /* device of its line */
    unsigned offset;
    int line;    /* file of the line request, -1: not taken */
    bool floats; /* shown as an input just now */
    wpin_level safe;
    bool active; /* it shows something else */
    int duty;    /* file of duty_cycle of its channel, -1: it has none */
    int lock;    /* file that locks the channel */
    char folder[160];
    uint64_t period; /* ns */
    bool inverted, runs;
} wpin_linux_slot;

typedef struct wpin_linux_counter {
    const wpin_linux_encoder *is;
    int file; /* of the counter's count, or of the line request of its channels */
    char chip[WPIN_LINUX_NAME];
    unsigned offsets[2];
    uint8_t levels; /* of the channels: a in bit 1, b in bit 0 */
    uint32_t next;  /* number of the next event; one that is left out was lost */
    unsigned long lost;
    wpin_quadrature counts;
} wpin_linux_counter;

typedef struct wpin_linux_converter {
    const wpin_linux_analog *is;
    int file;
    double scale, offset; /* mV = (raw + offset) * scale */
} wpin_linux_converter;

struct wpin_linux {
    wpin_linux_config config;
    wpin_linux_slot *slots;
    wpin_linux_counter *counters;
    wpin_linux_converter *converters;
    wpin_linux_slot *by_pin[256]; /* or NULL */
    wpin_guardian guardian;
    unsigned active;      /* outputs */
    int watchdog;         /* file or -1 */
    int64_t begun, slept; /* ns: when time began; how long it had slept by then */
    unsigned long wakes;  /* from waits; how late, ns: */
    double late_sum;
    int64_t late_most;
    char why[300], notes[900];
};

/* Says why it can't be relied on any more; the first reason stays. Always WPIN_FAULT_PORT. */
wpin_status wpin_linux_break(wpin_linux *l, const char *format, ...)
    __attribute__((format(printf, 2, 3)));
void wpin_linux_note(wpin_linux *l, const char *format, ...) __attribute__((format(printf, 2, 3)));

/* An output shows something else than what is safe, or that again: the guardian minds silence only
 * while one does. */
void wpin_linux_mark(wpin_linux *l, wpin_linux_slot *slot, bool active);

/* ---- chips and lines ---- */

/* Finds the device of a line's chip, and its number there; false with the reason. */
bool wpin_linux_find(const wpin_linux_line *line, char *chip, unsigned *offset, char *why,
                     size_t size);
/* Whether the lines of a chip lie behind a bus, where each change takes its time: the word for it,
 * or NULL. */
const char *wpin_linux_bus_of(const char *chip);
/* Requests lines of a chip: the file, or -1 with the reason. `high`: an output's first level. */
int wpin_linux_request(const char *chip, const unsigned *offsets, unsigned count, uint64_t flags,
                       bool high, char *why, size_t size);
bool wpin_linux_take_inputs(wpin_linux *l, char *why, size_t size);
wpin_status wpin_linux_open_pin(void *context, wpin_pin pin, wpin_level safe);
wpin_status wpin_linux_write(void *context, wpin_pin pin, wpin_level level);
bool wpin_linux_read(void *context, wpin_pin pin);

/* ---- PWM ---- */

/* Takes the channel of an output: locked, exported, at 0 %. False with the reason. */
bool wpin_linux_take_channel(wpin_linux *l, wpin_linux_slot *slot, char *why, size_t size);
void wpin_linux_give_channel(wpin_linux_slot *slot);
wpin_status wpin_linux_pwm_start(void *context, wpin_pin pin, const wpin_pwm_request *request,
                                 wpin_pwm_achieved *achieved);
wpin_status wpin_linux_pwm_duty(void *context, wpin_pin pin, uint16_t duty);
/* Shows a level by the channel. */
wpin_status wpin_linux_channel_level(wpin_linux *l, wpin_linux_slot *slot, wpin_level level);

/* ---- what is measured ---- */

bool wpin_linux_take_counter(wpin_linux_counter *counter, char *why, size_t size);
wpin_status wpin_linux_count(void *context, uint8_t counter, wpin_count *to);
bool wpin_linux_take_converter(wpin_linux_converter *converter, char *why, size_t size);
int16_t wpin_linux_millivolts(void *context, uint8_t input);

/* A small file of sysfs, read and written whole; false: errno. */
bool wpin_linux_get(const char *path, char *text, size_t size);
bool wpin_linux_put(const char *path, const char *text);
/* ns of CLOCK_MONOTONIC. */
int64_t wpin_linux_now(void);

#endif
