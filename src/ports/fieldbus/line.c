/* A serial line: whether a name is one, and opened raw at its rate. */
#define _GNU_SOURCE
#include "line.h"
#include "windpin/host/bearer.h"
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

#define USUAL 115200

static const struct {
    unsigned long rate;
    speed_t speed;
} rates[] = {{9600, B9600},     {19200, B19200},   {38400, B38400},
             {57600, B57600},   {115200, B115200}, {230400, B230400},
             {460800, B460800}, {921600, B921600}, {1000000, B1000000}};

enum { RATES = sizeof rates / sizeof *rates };

/* "/dev/ttyUSB0", or with a rate: "/dev/ttyUSB0@230400". */
static unsigned long split(const char *name, char *path, size_t size) {
    const char *at = strrchr(name, '@');
    size_t length = at == NULL ? strlen(name) : (size_t)(at - name);
    snprintf(path, size, "%.*s", (int)length, name);
    return at == NULL ? USUAL : strtoul(at + 1, NULL, 10);
}

bool wpin_bearer_is_line(const char *name) {
    char path[108];
    struct stat s;
    split(name, path, sizeof path);
    return stat(path, &s) == 0 && S_ISCHR(s.st_mode);
}

int wpin_line_open(const char *name, char *why, size_t size) {
    char path[108];
    unsigned long rate = split(name, path, sizeof path);
    struct termios t;
    size_t n = 0;
    while (n < RATES && rates[n].rate != rate) {
        n++;
    }
    if (n == RATES) {
        snprintf(why, size, "%s: %lu bit/s is not a usual rate of a line; expected e.g. %s@115200",
                 name, rate, path);
        return -1;
    }
    int fd = open(path, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (fd < 0 || tcgetattr(fd, &t) != 0) {
        snprintf(why, size, "%s: %s; is it a serial line, and have you a right to it", path,
                 strerror(errno));
        if (fd >= 0) {
            close(fd);
        }
        return -1;
    }
    cfmakeraw(&t);
    t.c_cflag |= CLOCAL | CREAD;
    cfsetispeed(&t, rates[n].speed);
    cfsetospeed(&t, rates[n].speed);
    tcsetattr(fd, TCSANOW, &t);
    tcflush(fd, TCIOFLUSH);
    return fd;
}
