/* The other end of a socket bus: who is connected, and what they send. */
#define _GNU_SOURCE
#include "packet.h"
#include "windpin/host/bearer.h"
#include <errno.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

struct wpin_hub {
    int fd;
    char path[108];
    int clients[WPIN_HUB_CLIENTS]; /* -1: nobody */
};

/* A socket that nobody serves any more is in the way; anything else stays. */
static bool clear_path(const struct sockaddr_un *address, char *why, size_t size) {
    struct stat s;
    if (lstat(address->sun_path, &s) != 0) {
        return true;
    }
    if (!S_ISSOCK(s.st_mode)) {
        snprintf(why, size, "%s is there already, and no socket", address->sun_path);
        return false;
    }
    int fd = socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    bool served = fd < 0 || connect(fd, (const struct sockaddr *)address, sizeof *address) == 0;
    if (fd >= 0) {
        close(fd);
    }
    if (served) {
        snprintf(why, size, "%s is served already; end that first, or choose another path",
                 address->sun_path);
        return false;
    }
    return unlink(address->sun_path) == 0;
}

wpin_hub *wpin_hub_open(const char *path, char *why, size_t size) {
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    if (strlen(path) >= sizeof address.sun_path) {
        snprintf(why, size, "%s: the path is too long, at most %zu characters", path,
                 sizeof address.sun_path - 1);
        return NULL;
    }
    strcpy(address.sun_path, path);
    if (!clear_path(&address, why, size)) {
        return NULL;
    }
    wpin_hub *hub = calloc(1, sizeof *hub);
    int fd = socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
    mode_t mask = umask(0077); /* for its owner alone */
    bool good = hub != NULL && fd >= 0 &&
                bind(fd, (const struct sockaddr *)&address, sizeof address) == 0 &&
                listen(fd, WPIN_HUB_CLIENTS) == 0;
    umask(mask);
    if (!good) {
        snprintf(why, size, "%s: %s", path, hub == NULL ? "out of memory" : strerror(errno));
        if (fd >= 0) {
            close(fd);
        }
        free(hub);
        return NULL;
    }
    hub->fd = fd;
    strcpy(hub->path, path);
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        hub->clients[i] = -1;
    }
    return hub;
}

void wpin_hub_close(wpin_hub *hub) {
    if (hub == NULL) {
        return;
    }
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        if (hub->clients[i] >= 0) {
            close(hub->clients[i]);
        }
    }
    close(hub->fd);
    unlink(hub->path);
    free(hub);
}

static void let_in(wpin_hub *hub) {
    int fd = accept4(hub->fd, NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK);
    for (int i = 0; fd >= 0 && i < WPIN_HUB_CLIENTS; i++) {
        if (hub->clients[i] < 0) {
            hub->clients[i] = fd;
            return;
        }
    }
    if (fd >= 0) {
        close(fd); /* no room */
    }
}

static void take_all(wpin_hub *hub, int client, wpin_hub_take *take, void *context) {
    struct can_frame packet;
    wpin_frame frame;
    ssize_t got;
    while ((got = recv(hub->clients[client], &packet, sizeof packet, MSG_DONTWAIT)) > 0) {
        if (got == (ssize_t)sizeof packet && wpin_frame_of(&packet, &frame)) {
            take(context, client, &frame);
        }
    }
    if (got == 0 || (errno != EAGAIN && errno != EINTR)) {
        close(hub->clients[client]);
        hub->clients[client] = -1;
        take(context, client, NULL);
    }
}

void wpin_hub_serve(wpin_hub *hub, double seconds, wpin_hub_take *take, void *context) {
    struct pollfd p[WPIN_HUB_CLIENTS + 1];
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        p[i] = (struct pollfd){.fd = hub->clients[i], .events = POLLIN};
    }
    p[WPIN_HUB_CLIENTS] = (struct pollfd){.fd = hub->fd, .events = POLLIN};
    struct timespec t = {.tv_sec = (time_t)seconds,
                         .tv_nsec = (long)((seconds - (double)(time_t)seconds) * 1e9)};
    if (ppoll(p, WPIN_HUB_CLIENTS + 1, &t, NULL) <= 0) {
        return;
    }
    if ((p[WPIN_HUB_CLIENTS].revents & POLLIN) != 0) {
        let_in(hub);
    }
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        if (p[i].fd >= 0 && p[i].revents != 0) {
            take_all(hub, i, take, context);
        }
    }
}

void wpin_hub_tell(wpin_hub *hub, const wpin_frame *frame, int but) {
    struct can_frame packet = wpin_packet_of(frame);
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        if (i != but && hub->clients[i] >= 0) {
            (void)!send(hub->clients[i], &packet, sizeof packet, MSG_DONTWAIT | MSG_NOSIGNAL);
        }
    }
}

int wpin_hub_count(const wpin_hub *hub) {
    int count = 0;
    for (int i = 0; i < WPIN_HUB_CLIENTS; i++) {
        count += hub->clients[i] >= 0;
    }
    return count;
}
