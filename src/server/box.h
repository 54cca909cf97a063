/* What goes between the page's thread and the session's: events one way, lines the other. */
#ifndef WPIN_BOX_H
#define WPIN_BOX_H

#include "page.h"
#include <pthread.h>

#define WPIN_BOX_EVENTS 512 /* asked and not yet carried out */
#define WPIN_BOX_LINES  64  /* said and not yet sent, of each client */

typedef enum wpin_box_kind { WPIN_BOX_COMES, WPIN_BOX_ASKS, WPIN_BOX_GOES } wpin_box_kind;

typedef struct wpin_box_event {
    wpin_box_kind kind;
    int client;
    char line[WPIN_LIVE_LINE + 2];
} wpin_box_event;

typedef struct wpin_box_line {
    char *text;
    size_t length;
} wpin_box_line;

typedef struct wpin_box {
    pthread_mutex_t lock;
    int wake; /* an eventfd: there are events */
    wpin_box_event events[WPIN_BOX_EVENTS];
    size_t first, count;
    struct {
        wpin_box_line lines[WPIN_BOX_LINES];
        size_t first, count;
    } out[WPIN_PAGE_CLIENTS];
} wpin_box;

bool wpin_box_open(wpin_box *box);
void wpin_box_close(wpin_box *box);
/* False: there is no room. A client's going always has some. */
bool wpin_box_put(wpin_box *box, wpin_box_kind kind, int client, const char *line);
/* False: there is none. */
bool wpin_box_take(wpin_box *box, wpin_box_event *event);
/* Lines for a client: put, taken (free its text), all dropped. */
bool wpin_box_say(wpin_box *box, int client, const char *line, size_t length);
bool wpin_box_next(wpin_box *box, int client, wpin_box_line *line);
bool wpin_box_has_lines(wpin_box *box, int client);
void wpin_box_drop(wpin_box *box, int client);

#endif
