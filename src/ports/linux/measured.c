/* What is measured: counters of the kernel, encoders by their edges, analogue inputs. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <fcntl.h>
#include <linux/gpio.h>
#include <math.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

/* ---- encoders ---- */

static bool take_count(wpin_linux_counter *c, char *why, size_t size) {
    char path[160];
    snprintf(path, sizeof path, "/sys/bus/counter/devices/%s/enable", c->is->count);
    (void)wpin_linux_put(path, "1"); /* not every counter has one */
    snprintf(path, sizeof path, "/sys/bus/counter/devices/%s/count", c->is->count);
    c->file = open(path, O_RDONLY | O_CLOEXEC);
    if (c->file < 0) {
        snprintf(why, size, "%s can't be read: %s", path, strerror(errno));
    }
    return c->file >= 0;
}

/* How both channels are, to begin with. */
static void look(wpin_linux_counter *c, unsigned channels) {
    struct gpio_v2_line_values now = {.mask = (1U << channels) - 1};
    (void)ioctl(c->file, GPIO_V2_LINE_GET_VALUES_IOCTL, &now);
    c->levels = (uint8_t)((now.bits & 1) << 1 | (now.bits >> 1 & 1));
    wpin_quadrature_edge(&c->counts, (c->levels & 2) != 0, (c->levels & 1) != 0, 0);
    c->next = 1;
}

static bool take_channels(wpin_linux_counter *c, char *why, size_t size) {
    static const uint64_t edges =
        GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_EDGE_FALLING;
    unsigned channels = c->is->channels[1].line != NULL ? 2 : 1;
    char other[WPIN_LINUX_NAME] = "";
    for (unsigned i = 0; i < channels; i++) {
        if (!wpin_linux_find(&c->is->channels[i], i == 0 ? c->chip : other, &c->offsets[i], why,
                             size)) {
            return false;
        }
    }
    if (wpin_linux_bus_of(c->chip) != NULL) {
        snprintf(why, size, "the edges of an encoder on %s would be lost: it is behind %s", c->chip,
                 wpin_linux_bus_of(c->chip));
        return false;
    }
    if (channels == 2 && strcmp(c->chip, other) != 0) {
        snprintf(why, size,
                 "both channels of an encoder need the same chip, not %s and %s: only "
                 "there the order of their edges is known",
                 c->chip, other);
        return false;
    }
    c->file = wpin_linux_request(c->chip, c->offsets, channels, edges, false, why, size);
    if (c->file >= 0) {
        (void)fcntl(c->file, F_SETFL, O_NONBLOCK);
        look(c, channels);
    }
    return c->file >= 0;
}

bool wpin_linux_take_counter(wpin_linux_counter *c, char *why, size_t size) {
    return c->is->count != NULL ? take_count(c, why, size) : take_channels(c, why, size);
}

static void take_edge(wpin_linux_counter *c, const struct gpio_v2_line_event *e) {
    bool high = e->id == GPIO_V2_LINE_EVENT_RISING_EDGE;
    wpin_moment at = (wpin_moment)(e->timestamp_ns / 1000);
    c->lost += e->seqno - c->next;
    c->next = e->seqno + 1;
    if (c->is->channels[1].line == NULL) {
        wpin_quadrature_pulse(&c->counts, at);
        return;
    }
    uint8_t bit = e->offset == c->offsets[0] ? 2 : 1;
    c->levels = (uint8_t)(high ? c->levels | bit : c->levels & ~bit);
    wpin_quadrature_edge(&c->counts, (c->levels & 2) != 0, (c->levels & 1) != 0, at);
}

wpin_status wpin_linux_count(void *context, uint8_t counter, wpin_count *to) {
    wpin_linux *l = context;
    struct gpio_v2_line_event events[64];
    char text[32] = "";
    wpin_linux_counter *c = NULL;
    for (size_t i = 0; i < l->config.encoder_count; i++) {
        c = l->counters[i].is->counter == counter ? &l->counters[i] : c;
    }
    if (c == NULL) {
        return wpin_linux_break(l, "counter %u is not in the rig's 'linux'", counter);
    }
    if (c->is->count != NULL) {
        if (pread(c->file, text, sizeof text - 1, 0) <= 0) {
            return wpin_linux_break(l, "%s can't be read: %s", c->is->count, strerror(errno));
        }
        *to = (wpin_count){.counts = (int32_t)(uint32_t)strtoull(text, NULL, 10),
                           .at = (wpin_moment)(wpin_linux_now() / 1000)};
        return WPIN_OK;
    }
    for (ssize_t got; (got = read(c->file, events, sizeof events)) > 0;) {
        for (size_t i = 0; i < (size_t)got / sizeof *events; i++) {
            take_edge(c, &events[i]);
        }
    }
    if (errno != EAGAIN) {
        return wpin_linux_break(l, "edges on %s can't be read: %s", c->chip, strerror(errno));
    }
    static const wpin_port alone = {0}; /* nobody interrupts this */
    wpin_quadrature_read(&c->counts, &alone, to);
    return WPIN_OK;
}

/* ---- analogue inputs ---- */

/* A number beside the raw reading: of the channel itself, or of all that are like it. */
static double beside(const char *device, const char *channel, const char *what, double usual) {
    char path[160], text[40], kind[WPIN_LINUX_NAME];
    snprintf(path, sizeof path, "/sys/bus/iio/devices/%s/in_%s_%s", device, channel, what);
    if (wpin_linux_get(path, text, sizeof text)) {
        return strtod(text, NULL);
    }
    snprintf(kind, sizeof kind, "%.*s", (int)strcspn(channel, "0123456789"), channel);
    snprintf(path, sizeof path, "/sys/bus/iio/devices/%s/in_%s_%s", device, kind, what);
    return wpin_linux_get(path, text, sizeof text) ? strtod(text, NULL) : usual;
}

bool wpin_linux_take_converter(wpin_linux_converter *c, char *why, size_t size) {
    char device[WPIN_LINUX_NAME], path[200];
    const char *slash = strchr(c->is->channel, '/');
    if (slash == NULL) {
        snprintf(why, size, "'%s' is not an analogue input; expected e.g. iio:device0/voltage0",
                 c->is->channel);
        return false;
    }
    snprintf(device, sizeof device, "%.*s", (int)(slash - c->is->channel), c->is->channel);
    snprintf(path, sizeof path, "/sys/bus/iio/devices/%s/in_%s_raw", device, slash + 1);
    c->file = open(path, O_RDONLY | O_CLOEXEC);
    c->scale = beside(device, slash + 1, "scale", 1);
    c->offset = beside(device, slash + 1, "offset", 0);
    if (c->file < 0) {
        snprintf(why, size, "%s can't be read: %s", path, strerror(errno));
    }
    return c->file >= 0;
}

int16_t wpin_linux_millivolts(void *context, uint8_t input) {
    const wpin_linux *l = context;
    char text[32] = "";
    for (size_t i = 0; i < l->config.analog_count; i++) {
        const wpin_linux_converter *c = &l->converters[i];
        if (c->is->input == input && pread(c->file, text, sizeof text - 1, 0) > 0) {
            double mv = (strtod(text, NULL) + c->offset) * c->scale;
            return (int16_t)lround(fmax(-32767, fmin(32767, mv)));
        }
    }
    return WPIN_NO_READING;
}
