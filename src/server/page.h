/* A page on a session: HTTP, and a conversation in lines over WebSocket. It has a thread of its
 * own, so that nobody's slow line holds a control period up; what is said and asked goes through a
 * box. */
#ifndef WPIN_PAGE_H
#define WPIN_PAGE_H

#include "server.h"

#define WPIN_PAGE_CLIENTS 40
#define WPIN_TOKEN_LENGTH 32

typedef struct wpin_page wpin_page;

/* Listens on this computer alone, on a port (0: any that is free). NULL with the reason. */
wpin_page *wpin_page_open(wpin_live *live, const wpin_pace *pace, wpin_states *states, int port,
                          char *why, size_t size);
/* What to open in a browser: it has the token in it, which is new each time. */
const char *wpin_page_link(const wpin_page *page);
/* Becomes readable when somebody asked something. */
int wpin_page_file(const wpin_page *page);
/* Carries out what was asked, and tells everyone what is new; in the session's thread. */
void wpin_page_serve(wpin_page *page);
void wpin_page_close(wpin_page *page);

#endif
