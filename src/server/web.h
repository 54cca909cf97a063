/* HTTP and WebSocket in a thread of their own. Knows no session: only the box, and the files built
 * in. */
#ifndef WPIN_WEB_H
#define WPIN_WEB_H

#include "box.h"

typedef struct wpin_web wpin_web;

/* Listens on 127.0.0.1. Only who names that host, comes from a page of it and says the token first
 * is let in. */
wpin_web *wpin_web_open(wpin_box *box, const char *token, int port, char *why, size_t size);
int wpin_web_port(const wpin_web *web);
/* There are lines to be sent. Any thread. */
void wpin_web_wake(wpin_web *web);
void wpin_web_close(wpin_web *web);

#endif
