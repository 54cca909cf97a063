/* The box between two threads. */
#define _GNU_SOURCE
#include "box.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/eventfd.h>
#include <unistd.h>

bool wpin_box_open(wpin_box *box) {
    memset(box, 0, sizeof *box);
    box->wake = eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC);
    return box->wake >= 0 && pthread_mutex_init(&box->lock, NULL) == 0;
}

void wpin_box_close(wpin_box *box) {
    for (int i = 0; i < WPIN_PAGE_CLIENTS; i++) {
        wpin_box_drop(box, i);
    }
    pthread_mutex_destroy(&box->lock);
    close(box->wake);
}

bool wpin_box_put(wpin_box *box, wpin_box_kind kind, int client, const char *line) {
    uint64_t one = 1;
    pthread_mutex_lock(&box->lock);
    /* room is kept for every client's coming and going */
    size_t most = kind == WPIN_BOX_ASKS ? WPIN_BOX_EVENTS - 2 * WPIN_PAGE_CLIENTS : WPIN_BOX_EVENTS;
    bool room = box->count < most;
    if (room) {
        wpin_box_event *e = &box->events[(box->first + box->count++) % WPIN_BOX_EVENTS];
        e->kind = kind;
        e->client = client;
        snprintf(e->line, sizeof e->line, "%s", line);
    }
    pthread_mutex_unlock(&box->lock);
    return write(box->wake, &one, sizeof one) == sizeof one && room;
}

bool wpin_box_take(wpin_box *box, wpin_box_event *event) {
    pthread_mutex_lock(&box->lock);
    bool some = box->count > 0;
    if (some) {
        *event = box->events[box->first];
        box->first = (box->first + 1) % WPIN_BOX_EVENTS;
        box->count--;
    }
    pthread_mutex_unlock(&box->lock);
    return some;
}

bool wpin_box_say(wpin_box *box, int client, const char *line, size_t length) {
    char *text = malloc(length);
    bool room = false;
    if (text == NULL) {
        return false;
    }
    memcpy(text, line, length);
    pthread_mutex_lock(&box->lock);
    if (box->out[client].count < WPIN_BOX_LINES) {
        size_t at = (box->out[client].first + box->out[client].count++) % WPIN_BOX_LINES;
        box->out[client].lines[at] = (wpin_box_line){text, length};
        room = true;
    }
    pthread_mutex_unlock(&box->lock);
    if (!room) {
        free(text);
    }
    return room;
}

bool wpin_box_next(wpin_box *box, int client, wpin_box_line *line) {
    pthread_mutex_lock(&box->lock);
    bool some = box->out[client].count > 0;
    if (some) {
        *line = box->out[client].lines[box->out[client].first];
        box->out[client].first = (box->out[client].first + 1) % WPIN_BOX_LINES;
        box->out[client].count--;
    }
    pthread_mutex_unlock(&box->lock);
    return some;
}

bool wpin_box_has_lines(wpin_box *box, int client) {
    pthread_mutex_lock(&box->lock);
    bool some = box->out[client].count > 0;
    pthread_mutex_unlock(&box->lock);
    return some;
}

void wpin_box_drop(wpin_box *box, int client) {
    wpin_box_line line;
    while (wpin_box_next(box, client, &line)) {
        free(line.text);
    }
}
