/* GPIO chips and their lines, found by number, label or name; and requests of lines. */
#define _GNU_SOURCE
#include "linux.h"
#include <errno.h>
#include <fcntl.h>
#include <glob.h>
#include <limits.h>
#include <linux/gpio.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#define CHIPS "/dev/gpiochip*"

/* Whether a chip is called so: by its device, its name or its label. */
static bool is_called(const char *device, const char *name) {
    struct gpiochip_info info = {0};
    if (strcmp(device, name) == 0 || strcmp(device + strlen("/dev/"), name) == 0) {
        return true;
    }
    int file = open(device, O_RDONLY | O_CLOEXEC);
    bool called = file >= 0 && ioctl(file, GPIO_GET_CHIPINFO_IOCTL, &info) == 0 &&
                  (strcmp(info.name, name) == 0 || strcmp(info.label, name) == 0);
    if (file >= 0) {
        close(file);
    }
    return called;
}

/* The line of a number or name on a chip; false: it has none. */
static bool find_on(const char *device, const char *line, unsigned *offset) {
    struct gpiochip_info chip = {0};
    char *rest;
    int file = open(device, O_RDONLY | O_CLOEXEC);
    bool found = false;
    if (file < 0 || ioctl(file, GPIO_GET_CHIPINFO_IOCTL, &chip) != 0) {
        chip.lines = 0;
    }
    unsigned long number = strtoul(line, &rest, 10);
    if (*rest == '\0' && rest != line) {
        found = number < chip.lines;
        *offset = (unsigned)number;
    }
    for (unsigned i = 0; i < chip.lines && !found; i++) {
        struct gpio_v2_line_info info = {.offset = i};
        found = ioctl(file, GPIO_V2_GET_LINEINFO_IOCTL, &info) == 0 && strcmp(info.name, line) == 0;
        *offset = i;
    }
    if (file >= 0) {
        close(file);
    }
    return found;
}

/* What there is, for a message. */
static void list_chips(const glob_t *all, char *to, size_t size) {
    size_t used = 0;
    to[0] = '\0';
    for (size_t i = 0; i < all->gl_pathc && used < size; i++) {
        struct gpiochip_info info = {0};
        int file = open(all->gl_pathv[i], O_RDONLY | O_CLOEXEC);
        bool read = file >= 0 && ioctl(file, GPIO_GET_CHIPINFO_IOCTL, &info) == 0;
        used += (size_t)snprintf(to + used, size - used, "%s%s (%s)", i == 0 ? "" : ", ",
                                 all->gl_pathv[i] + strlen("/dev/"),
                                 read ? info.label : "no right to it");
        if (file >= 0) {
            close(file);
        }
    }
}

/* Why a line was not found. */
static void explain_missing(const wpin_linux_line *line, const glob_t *all, bool chip_there,
                            char *why, size_t size) {
    char there[200];
    bool closed = false;
    for (size_t i = 0; i < all->gl_pathc; i++) {
        closed = closed || access(all->gl_pathv[i], R_OK | W_OK) != 0;
    }
    list_chips(all, there, sizeof there);
    if (closed) {
        snprintf(why, size,
                 "not every GPIO chip may be opened by you: %s; their group is usually gpio: "
                 "usermod -aG gpio $USER, then log in anew",
                 there);
    } else if (all->gl_pathc == 0) {
        snprintf(why, size, "this computer has no GPIO chip");
    } else if (chip_there) {
        snprintf(why, size, "there is no line '%s' on %s; there are %s", line->line,
                 line->chip == NULL ? "any chip" : line->chip, there);
    } else {
        snprintf(why, size, "there is no chip '%s'; there are %s", line->chip, there);
    }
}

bool wpin_linux_find(const wpin_linux_line *line, char *chip, unsigned *offset, char *why,
                     size_t size) {
    glob_t all = {0};
    bool chip_there = line->chip == NULL, found = false;
    glob(CHIPS, 0, NULL, &all);
    for (size_t i = 0; i < all.gl_pathc && !found; i++) {
        const char *device = all.gl_pathv[i];
        if (line->chip == NULL || is_called(device, line->chip)) {
            chip_there = true;
            found = find_on(device, line->line, offset);
            snprintf(chip, WPIN_LINUX_NAME, "%s", device);
        }
    }
    if (!found) {
        explain_missing(line, &all, chip_there, why, size);
    }
    globfree(&all);
    return found;
}

/* By its place among the kernel's devices. */
const char *wpin_linux_bus_of(const char *chip) {
    static const char *const buses[][2] = {{"/i2c-", "I2C"}, {"/spi", "SPI"}, {"/usb", "USB"}};
    char path[160], place[PATH_MAX];
    snprintf(path, sizeof path, "/sys/bus/gpio/devices/%s", chip + strlen("/dev/"));
    bool known = realpath(path, place) != NULL;
    for (size_t i = 0; known && i < sizeof buses / sizeof *buses; i++) {
        if (strstr(place, buses[i][0]) != NULL) {
            return buses[i][1];
        }
    }
    return NULL;
}

/* Why a line was not given. */
static void explain(int chip, const char *device, unsigned offset, char *why, size_t size) {
    int error = errno;
    struct gpio_v2_line_info info = {.offset = offset};
    bool told = chip >= 0 && ioctl(chip, GPIO_V2_GET_LINEINFO_IOCTL, &info) == 0;
    if (error == EBUSY && told) {
        snprintf(why, size, "line %u of %s is taken by '%s'", offset, device, info.consumer);
    } else if (error == EACCES || error == EPERM) {
        snprintf(why, size, "%s may not be opened by you; windpin missing says how to mend it",
                 device);
    } else {
        snprintf(why, size, "line %u of %s was not given: %s", offset, device, strerror(error));
    }
}

int wpin_linux_request(const char *chip, const unsigned *offsets, unsigned count, uint64_t flags,
                       bool high, char *why, size_t size) {
    struct gpio_v2_line_request request = {.num_lines = count, .config.flags = flags};
    int file = open(chip, O_RDWR | O_CLOEXEC);
    for (unsigned i = 0; i < count; i++) {
        request.offsets[i] = offsets[i];
    }
    snprintf(request.consumer, sizeof request.consumer, "windpin %d", (int)getpid());
    if ((flags & GPIO_V2_LINE_FLAG_OUTPUT) != 0) {
        request.config.num_attrs = 1;
        request.config.attrs[0].mask = 1;
        request.config.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_OUTPUT_VALUES;
        request.config.attrs[0].attr.values = high;
    }
    request.event_buffer_size = (flags & GPIO_V2_LINE_FLAG_EDGE_RISING) != 0 ? 1024 : 0;
    bool given = file >= 0 && ioctl(file, GPIO_V2_GET_LINE_IOCTL, &request) == 0;
    if (!given) {
        explain(file, chip, offsets[0], why, size);
    }
    if (file >= 0) {
        close(file);
    }
    return given ? request.fd : -1;
}
