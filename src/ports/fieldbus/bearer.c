/* Frames over a CAN interface of the kernel, a socket of this computer, or a serial line. */
#define _GNU_SOURCE
#include "windpin/host/bearer.h"
#include "line.h"
#include "packet.h"
#include "windpin/serial_frames.h"
#include <errno.h>
#include <linux/can/error.h>
#include <linux/can/raw.h>
#include <net/if.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

struct wpin_bearer {
    int fd;
    char name[108];
    wpin_bearer_counts counts;
    bool gone;
    char trouble[200];
    bool serial; /* a line, of which more was read than is taken yet: */
    wpin_serial_reader reader;
    uint8_t bytes[256];
    size_t first, count;
};

static void note(wpin_bearer *b, bool gone, const char *what) {
    b->gone = b->gone || gone;
    b->counts.errors++;
    snprintf(b->trouble, sizeof b->trouble, "%s: %s", b->name, what);
}

/* ---- frames ---- */

static bool send_serial(wpin_bearer *b, const wpin_frame *frame) {
    uint8_t bytes[WPIN_SERIAL_BYTES];
    uint8_t count = wpin_serial_write(frame, bytes);
    ssize_t sent = b->gone || count == 0 ? -1 : write(b->fd, bytes, count);
    if (sent == (ssize_t)count) {
        b->counts.sent++;
        return true;
    }
    b->counts.refused++;
    if (!b->gone) {
        bool full = sent >= 0 || errno == EAGAIN;
        note(b, !full, full ? "the line is slower than what is sent over it" : strerror(errno));
    }
    return false;
}

static bool send_frame(void *context, const wpin_frame *frame) {
    wpin_bearer *b = context;
    if (b->serial) {
        return send_serial(b, frame);
    }
    struct can_frame packet = wpin_packet_of(frame);
    if (b->gone) {
        return false;
    }
    if (send(b->fd, &packet, sizeof packet, MSG_DONTWAIT | MSG_NOSIGNAL) ==
        (ssize_t)sizeof packet) {
        b->counts.sent++;
        return true;
    }
    b->counts.refused++;
    if (errno == ENETDOWN || errno == ENXIO || errno == ENODEV) {
        note(b, errno != ENETDOWN,
             errno == ENETDOWN ? "the interface is down" : "the interface is gone");
    } else if (errno == EPIPE || errno == ECONNRESET || errno == ENOTCONN) {
        note(b, true, "the other end is gone");
    } else {
        note(b, false, "its queue is full: nobody acknowledges frames, or there are too many");
    }
    return false;
}

/* An error report of the interface. */
static void hear_error(wpin_bearer *b, const struct can_frame *packet) {
    canid_t what = packet->can_id;
    if ((what & CAN_ERR_BUSOFF) != 0) {
        note(b, false, "bus-off: too many errors, it sends nothing until it is restarted");
    } else if ((what & CAN_ERR_ACK) != 0) {
        note(b, false, "nobody acknowledges: no node has power, or none has this rate");
    } else if ((what & (CAN_ERR_PROT | CAN_ERR_CRTL)) != 0) {
        note(b, false, "errors on the wire: check rate, termination at both ends, ground");
    } else {
        note(b, false, "it reports an error");
    }
}

/* Damaged frames are counted as errors. */
static bool receive_serial(wpin_bearer *b, wpin_frame *frame) {
    for (;;) {
        while (b->first < b->count) {
            uint16_t bad = b->reader.bad;
            bool whole = wpin_serial_read(&b->reader, b->bytes[b->first++], frame);
            if (b->reader.bad != bad) {
                note(b, false, "damaged frames: check the rate of the line, and its ground wire");
            }
            if (whole) {
                b->counts.received++;
                return true;
            }
        }
        ssize_t got = b->gone ? -1 : read(b->fd, b->bytes, sizeof b->bytes);
        if (got <= 0) {
            if (got == 0 || (!b->gone && errno != EAGAIN && errno != EINTR)) {
                note(b, true, "the other end is gone");
            }
            return false;
        }
        b->first = 0;
        b->count = (size_t)got;
    }
}

static bool receive_frame(void *context, wpin_frame *frame) {
    wpin_bearer *b = context;
    if (b->serial) {
        return receive_serial(b, frame);
    }
    struct can_frame packet;
    for (;;) {
        ssize_t got = recv(b->fd, &packet, sizeof packet, MSG_DONTWAIT);
        if (got == 0) {
            note(b, true, "the other end is gone");
            return false;
        }
        if (got < 0) {
            if (errno == ENETDOWN) {
                note(b, false, "the interface is down");
            } else if (errno != EAGAIN && errno != EINTR) {
                note(b, true, strerror(errno));
            }
            return false;
        }
        if ((packet.can_id & CAN_ERR_FLAG) != 0) {
            hear_error(b, &packet);
        } else if (got == (ssize_t)sizeof packet && wpin_frame_of(&packet, frame)) {
            b->counts.received++;
            return true;
        }
    }
}

static wpin_moment now(void *context) {
    struct timespec t;
    (void)context;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (wpin_moment)((uint64_t)t.tv_sec * 1000000U + (uint64_t)t.tv_nsec / 1000U);
}

/* Of a serial line. What the kernel has of a socket can't be taken back: it is little. */
static void drop(void *context) {
    const wpin_bearer *b = context;
    if (b->serial) {
        tcflush(b->fd, TCOFLUSH);
    }
}

/* ---- opening ---- */

static int open_socket(const char *path, char *why, size_t size) {
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    if (strlen(path) >= sizeof address.sun_path) {
        snprintf(why, size, "%s: the path is too long, at most %zu characters", path,
                 sizeof address.sun_path - 1);
        return -1;
    }
    strcpy(address.sun_path, path);
    int fd = socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    if (fd >= 0 && connect(fd, (const struct sockaddr *)&address, sizeof address) == 0) {
        return fd;
    }
    snprintf(why, size, "%s: %s; simulated drives are started by: windpin field drives RIG --at=%s",
             path, errno == ECONNREFUSED ? "nobody is at the other end any more" : strerror(errno),
             path);
    if (fd >= 0) {
        close(fd);
    }
    return -1;
}

static int open_interface(const char *name, char *why, size_t size) {
    struct ifreq request = {0};
    int fd = socket(PF_CAN, SOCK_RAW | SOCK_CLOEXEC, CAN_RAW);
    if (fd < 0) {
        snprintf(why, size,
                 "%s: this kernel has no CAN sockets (%s); expected its modules can and can-raw, "
                 "or the path of a socket",
                 name, strerror(errno));
        return -1;
    }
    snprintf(request.ifr_name, sizeof request.ifr_name, "%s", name);
    if (strlen(name) >= sizeof request.ifr_name || ioctl(fd, SIOCGIFINDEX, &request) != 0) {
        snprintf(why, size,
                 "%s: there is no such network interface; ip link show type can lists them", name);
        close(fd);
        return -1;
    }
    int index = request.ifr_ifindex;
    if (ioctl(fd, SIOCGIFFLAGS, &request) == 0 && (request.ifr_flags & IFF_UP) == 0) {
        snprintf(why, size,
                 "%s is down; it is brought up at the rate of the bus by: ip link set %s up type "
                 "can bitrate 1000000",
                 name, name);
        close(fd);
        return -1;
    }
    struct sockaddr_can address = {.can_family = AF_CAN, .can_ifindex = index};
    can_err_mask_t errors = CAN_ERR_MASK;
    setsockopt(fd, SOL_CAN_RAW, CAN_RAW_ERR_FILTER, &errors, sizeof errors);
    int waiting =
        16384; /* bytes of the kernel's: some forty frames, so that none grows old there */
    setsockopt(fd, SOL_SOCKET, SO_SNDBUF, &waiting, sizeof waiting);
    if (bind(fd, (const struct sockaddr *)&address, sizeof address) != 0) {
        snprintf(why, size, "%s: %s; is it a CAN interface?", name, strerror(errno));
        close(fd);
        return -1;
    }
    return fd;
}

wpin_bearer *wpin_bearer_open(const char *name, char *why, size_t size) {
    wpin_bearer *b = calloc(1, sizeof *b);
    if (b == NULL) {
        snprintf(why, size, "out of memory");
        return NULL;
    }
    snprintf(b->name, sizeof b->name, "%s", name);
    b->serial = wpin_bearer_is_line(name);
    b->fd = b->serial                   ? wpin_line_open(name, why, size)
            : strchr(name, '/') != NULL ? open_socket(name, why, size)
                                        : open_interface(name, why, size);
    if (b->fd < 0) {
        free(b);
        return NULL;
    }
    return b;
}

void wpin_bearer_close(wpin_bearer *bearer) {
    if (bearer != NULL) {
        close(bearer->fd);
        free(bearer);
    }
}

wpin_fieldbus wpin_bearer_bus(wpin_bearer *bearer) {
    return (wpin_fieldbus){bearer, send_frame, receive_frame, now, drop};
}

bool wpin_bearer_wait(wpin_bearer *bearer, double seconds) {
    struct pollfd p = {.fd = bearer->fd, .events = POLLIN};
    struct timespec t = {.tv_sec = (time_t)seconds,
                         .tv_nsec = (long)((seconds - (double)(time_t)seconds) * 1e9)};
    return ppoll(&p, 1, &t, NULL) > 0;
}

wpin_bearer_counts wpin_bearer_counted(const wpin_bearer *bearer) {
    return bearer->counts;
}

const char *wpin_bearer_trouble(const wpin_bearer *bearer) {
    return bearer->trouble;
}

bool wpin_bearer_is_gone(const wpin_bearer *bearer) {
    return bearer->gone;
}
