/* HTTP and WebSocket in a thread of their own. Knows no session: only the box, and the files built
 * in. */
#ifndef WPIN_WEB_H
#define WPIN_WEB_H

#include "box.h"

typedef struct wpin_web wpin_web;

/* Listens there. Only who names that place, comes from a page of it and says the token first is let
 * in. NULL with the reason. */
wpin_web *wpin_web_open(wpin_box *box, const wpin_page_options *how, const char *token, char *why,
                        size_t size);
/* What to open in a browser, with the token; whether no other computer reaches it. */
void wpin_web_link(const wpin_web *web, char *to, size_t size);
bool wpin_web_is_here(const wpin_web *web);
/* There are lines to be sent. Any thread. */
void wpin_web_wake(wpin_web *web);
void wpin_web_close(wpin_web *web);

#endif
