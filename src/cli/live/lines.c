/* windpin live with lines: from standard input to standard output, or on a device. */
#define _GNU_SOURCE
#include "live.h"
#include <errno.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define ROOM (256 * 1024) /* of what is to be said and not yet taken */

typedef struct mouth {
    int to;
    char *waiting;
    size_t length;
    bool broken; /* nobody reads any more */
} mouth;

/* As much as can be taken without waiting. A pipe that polls writable takes PIPE_BUF bytes. */
static void flush_some(mouth *m) {
    struct pollfd out = {.fd = m->to, .events = POLLOUT};
    while (m->length > 0 && !m->broken && poll(&out, 1, 0) == 1) {
        size_t most = m->length < 512 ? m->length : 512;
        ssize_t done =
            (out.revents & (POLLERR | POLLHUP)) != 0 ? -1 : write(m->to, m->waiting, most);
        if (done < 0 && errno == EINTR) {
            continue;
        }
        m->broken = done < 0;
        if (done > 0) {
            m->length -= (size_t)done;
            memmove(m->waiting, m->waiting + done, m->length);
        }
    }
}

static bool say(void *context, const char *line, size_t length) {
    mouth *m = context;
    if (m->length + length > ROOM) {
        return false;
    }
    memcpy(m->waiting + m->length, line, length);
    m->length += length;
    return true;
}

/* Waits for bytes or for the next control period; false at the end of what comes. */
static bool listen_for(cli_hands *h, wpin_talk *talk, int from) {
    char bytes[4096];
    if (!cli_live_wait(h, from)) {
        return true;
    }
    ssize_t count = read(from, bytes, sizeof bytes);
    if (count > 0) {
        wpin_talk_hear(talk, bytes, (size_t)count);
    }
    return count > 0 || (count < 0 && (errno == EINTR || errno == EAGAIN));
}

bool cli_live_lines(cli_hands *h, int from, int to) {
    mouth m = {.to = to, .waiting = malloc(ROOM)};
    wpin_talk talk;
    bool more =
        m.waiting != NULL && wpin_talk_open(&talk, h->live, &h->pace, &h->states, "lines", say, &m);
    bool opened = more;
    if (opened) {
        wpin_live_is_program(h->live, talk.source);
    }
    while (more) {
        flush_some(&m);
        more = listen_for(h, &talk, from) && !talk.closed && !m.broken && *h->interrupted == 0;
        more = cli_live_on(h) && more;
        wpin_talk_tell(&talk);
    }
    if (opened) {
        wpin_talk_close(&talk);
        wpin_talk_tell(&talk);
        flush_some(&m);
    }
    free(m.waiting);
    return opened && !m.broken;
}
