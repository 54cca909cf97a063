/* Opens and closes all that a rig needs on this computer, and makes a bench of it. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <fcntl.h>
#include <linux/watchdog.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/prctl.h>
#include <time.h>
#include <unistd.h>

#define GUARD_USUAL      0.1      /* s */
#define WATCHDOG_SECONDS 2        /* the least that most of them take, and one more */
#define SLEPT_MOST       10000000 /* ns of sleep of the whole computer that are no sleep */

const char *wpin_linux_notes(const wpin_linux *l) {
    return l->notes;
}

const char *wpin_linux_why(const wpin_linux *l) {
    return l->why;
}

/* ---- time ---- */

static int64_t read_clock(clockid_t which) {
    struct timespec t;
    clock_gettime(which, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

static wpin_moment now(void *context) {
    (void)context;
    return (wpin_moment)(wpin_linux_now() / 1000);
}

static int64_t session_time(void *context) {
    const wpin_linux *l = context;
    return (wpin_linux_now() - l->begun) * 1000;
}

static void sleep_until(int64_t ns) {
    struct timespec to = {.tv_sec = ns / 1000000000, .tv_nsec = ns % 1000000000};
    while (clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &to, NULL) == EINTR) {
    }
}

/* Whether the whole computer slept: then nobody knows what happened meanwhile. */
static void look_for_sleep(wpin_linux *l) {
    int64_t slept = read_clock(CLOCK_BOOTTIME) - read_clock(CLOCK_MONOTONIC);
    if (slept - l->slept > SLEPT_MOST) {
        wpin_linux_break(l, "this computer slept for %.1f s", (double)(slept - l->slept) * 1e-9);
        l->slept = slept;
    }
}

static void wait_until(void *context, int64_t ps) {
    wpin_linux *l = context;
    wpin_guardian_beat(&l->guardian);
    int64_t ns = l->begun + ps / 1000;
    if (ns > wpin_linux_now()) {
        sleep_until(ns);
        int64_t late = wpin_linux_now() - ns;
        l->wakes++;
        l->late_sum += (double)late;
        l->late_most = late > l->late_most ? late : l->late_most;
    }
    wpin_guardian_beat(&l->guardian);
}

wpin_linux_waking wpin_linux_woken(const wpin_linux *l) {
    double times = l->wakes > 0 ? (double)l->wakes : 1;
    return (wpin_linux_waking){l->wakes, l->late_sum * 1e-9 / times, (double)l->late_most * 1e-9};
}

static void pause_us(void *context, uint32_t us) {
    (void)context; /* some microseconds longer does no harm */
    sleep_until(wpin_linux_now() + (int64_t)us * 1000);
}

static bool is_broken(void *context) {
    wpin_linux *l = context;
    look_for_sleep(l);
    if (wpin_guardian_acted(&l->guardian)) {
        wpin_linux_break(l, "this process was not heard, and the guardian made all safe");
    } else if (wpin_guardian_gone(&l->guardian)) {
        wpin_linux_break(l, "the guardian is gone");
    }
    return l->why[0] != '\0';
}

static void kick(void *context) {
    const wpin_linux *l = context;
    if (l->watchdog >= 0) {
        (void)!write(l->watchdog, "k", 1);
    }
}

/* ---- open and close ---- */

/* Two pins on one line or channel would be two minds about it. */
static bool are_apart(const wpin_linux *l, char *why, size_t size) {
    for (size_t i = 0; i < l->config.pin_count; i++) {
        for (size_t j = 0; j < i; j++) {
            const wpin_linux_slot *a = &l->slots[i], *b = &l->slots[j];
            if (a->chip[0] != '\0' && strcmp(a->chip, b->chip) == 0 && a->offset == b->offset) {
                snprintf(why, size, "pins %u and %u are both line %u of %s", b->is->pin, a->is->pin,
                         a->offset, a->chip);
                return false;
            }
        }
    }
    return true;
}

/* What lies behind a bus is slow: that is said, and refused where many edges are to come. */
static bool is_quick_enough(wpin_linux *l, const wpin_linux_slot *s, char *why, size_t size) {
    const char *bus = s->is->line.line != NULL ? wpin_linux_bus_of(s->chip) : NULL;
    if (bus == NULL) {
        return true;
    }
    snprintf(why, size, "%s is behind %s, too slow for its many edges", s->chip, bus);
    if (!s->is->fast) {
        wpin_linux_note(l, "pin %u is on %s, behind %s: a change takes some tenths of a ms",
                        s->is->pin, s->chip, bus);
    }
    return !s->is->fast;
}

static bool take_pins(wpin_linux *l, char *why, size_t size) {
    for (size_t i = 0; i < l->config.pin_count; i++) {
        wpin_linux_slot *s = &l->slots[i];
        *s = (wpin_linux_slot){.is = &l->config.pins[i], .line = -1, .duty = -1, .lock = -1};
        l->by_pin[s->is->pin] = s;
    }
    for (size_t i = 0; i < l->config.pin_count; i++) {
        wpin_linux_slot *s = &l->slots[i];
        char said[240];
        bool taken = s->is->line.line != NULL
                         ? wpin_linux_find(&s->is->line, s->chip, &s->offset, said, sizeof said)
                         : wpin_linux_take_channel(l, s, said, sizeof said);
        if (!taken || !is_quick_enough(l, s, said, sizeof said)) {
            snprintf(why, size, "pin %u: %s", s->is->pin, said);
            return false;
        }
    }
    return are_apart(l, why, size) && wpin_linux_take_inputs(l, why, size);
}

static bool take_measured(wpin_linux *l, char *why, size_t size) {
    for (size_t i = 0; i < l->config.encoder_count; i++) {
        l->counters[i] = (wpin_linux_counter){.is = &l->config.encoders[i], .file = -1};
    }
    for (size_t i = 0; i < l->config.analog_count; i++) {
        l->converters[i] = (wpin_linux_converter){.is = &l->config.analogs[i], .file = -1};
    }
    bool taken = true;
    for (size_t i = 0; i < l->config.encoder_count && taken; i++) {
        taken = wpin_linux_take_counter(&l->counters[i], why, size);
    }
    for (size_t i = 0; i < l->config.analog_count && taken; i++) {
        taken = wpin_linux_take_converter(&l->converters[i], why, size);
    }
    return taken;
}

static bool take_watchdog(wpin_linux *l, char *why, size_t size) {
    const char *path = l->config.watchdog;
    l->watchdog = path == NULL ? -1 : open(path, O_WRONLY | O_CLOEXEC);
    if (path == NULL) {
        return true;
    }
    if (l->watchdog < 0) {
        snprintf(why, size, "the watchdog %s can't be opened: %s", path, strerror(errno));
        return false;
    }
    int seconds = WATCHDOG_SECONDS; /* what it grants comes back */
    if (ioctl(l->watchdog, WDIOC_SETTIMEOUT, &seconds) != 0) {
        seconds = 0;
        (void)ioctl(l->watchdog, WDIOC_GETTIMEOUT, &seconds);
    }
    if (seconds != WATCHDOG_SECONDS) {
        wpin_linux_note(l, "the watchdog %s acts after %d s, not %d", path, seconds,
                        WATCHDOG_SECONDS);
    }
    return true;
}

static bool start_guardian(wpin_linux *l, char *why, size_t size) {
    char lacks[160] = "";
    double silence = l->config.guard > 0 ? l->config.guard : GUARD_USUAL;
    if (!wpin_guardian_start(&l->guardian, silence, lacks, sizeof lacks)) {
        snprintf(why, size, "the guardian can't be started: %s", strerror(errno));
        return false;
    }
    if (lacks[0] != '\0') {
        wpin_linux_note(l, "%s", lacks);
    }
    return true;
}

static wpin_linux *make(const wpin_linux_config *config) {
    wpin_linux *l = calloc(1, sizeof *l);
    if (l == NULL) {
        return NULL;
    }
    l->config = *config;
    l->watchdog = -1;
    l->guardian = (wpin_guardian){.handle = -1, .socket = -1};
    l->slots = calloc(config->pin_count + 1, sizeof *l->slots);
    l->counters = calloc(config->encoder_count + 1, sizeof *l->counters);
    l->converters = calloc(config->analog_count + 1, sizeof *l->converters);
    (void)prctl(PR_SET_TIMERSLACK, 1UL); /* else the kernel may let each sleep last 50 us longer */
    l->begun = wpin_linux_now();
    l->slept = read_clock(CLOCK_BOOTTIME) - read_clock(CLOCK_MONOTONIC);
    if (l->slots == NULL || l->counters == NULL || l->converters == NULL) {
        wpin_linux_close(l);
        return NULL;
    }
    return l;
}

wpin_linux *wpin_linux_open(const wpin_linux_config *config, char *why, size_t size) {
    wpin_linux *l = make(config);
    if (l == NULL) {
        snprintf(why, size, "out of memory");
        return NULL;
    }
    if (!start_guardian(l, why, size) || !take_pins(l, why, size) || !take_measured(l, why, size) ||
        !take_watchdog(l, why, size)) {
        wpin_linux_close(l);
        return NULL;
    }
    return l;
}

static void close_file(int file) {
    if (file >= 0) {
        close(file);
    }
}

void wpin_linux_close(wpin_linux *l) {
    if (l == NULL) {
        return;
    }
    wpin_guardian_end(&l->guardian); /* it makes all safe, and lets go of it */
    for (size_t i = 0; l->slots != NULL && i < l->config.pin_count; i++) {
        if (l->slots[i].is != NULL) {
            wpin_linux_give_channel(&l->slots[i]);
            close_file(l->slots[i].line);
        }
    }
    for (size_t i = 0; l->counters != NULL && i < l->config.encoder_count; i++) {
        close_file(l->counters[i].is != NULL ? l->counters[i].file : -1);
    }
    for (size_t i = 0; l->converters != NULL && i < l->config.analog_count; i++) {
        close_file(l->converters[i].is != NULL ? l->converters[i].file : -1);
    }
    if (l->watchdog >= 0) {
        (void)!write(l->watchdog, "V", 1); /* an end that was meant */
        close(l->watchdog);
    }
    free(l->slots);
    free(l->counters);
    free(l->converters);
    free(l);
}

wpin_bench wpin_linux_bench(wpin_linux *l) {
    return (wpin_bench){.context = l,
                        .time = session_time,
                        .own_clock = true,
                        .wait = wait_until,
                        .broken = is_broken,
                        .port = {.context = l,
                                 .now = now,
                                 .open = wpin_linux_open_pin,
                                 .write = wpin_linux_write,
                                 .pwm_start = wpin_linux_pwm_start,
                                 .pwm_duty = wpin_linux_pwm_duty,
                                 .read = wpin_linux_read,
                                 .millivolts = wpin_linux_millivolts,
                                 .count = wpin_linux_count,
                                 .pause = pause_us,
                                 .kick = kick}};
}
