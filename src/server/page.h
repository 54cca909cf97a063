/* A page on a session: HTTP, and a conversation in lines over WebSocket. It has a thread of its
 * own, so that nobody's slow line holds a control period up; what is said and asked goes through a
 * box. */
#ifndef WPIN_PAGE_H
#define WPIN_PAGE_H

#include "server.h"

#define WPIN_PAGE_CLIENTS 40
#define WPIN_TOKEN_LENGTH 32

typedef struct wpin_page wpin_page;

typedef struct wpin_page_options {
    const char *address; /* of this computer, or its name; NULL: no other one reaches it */
    int port;            /* 0: any that is free */
    const char *certificate, *key; /* PEM files; NULL: what is said is not encrypted... */
    bool unencrypted;              /* ...even where other computers reach it */
} wpin_page_options;

/* Listens where it is told; the token is its own. NULL with the reason. */
wpin_page *wpin_page_open(wpin_live *live, const wpin_pace *pace, wpin_states *states,
                          const wpin_page_options *how, char *why, size_t size);
/* Whether no other computer reaches it. */
bool wpin_page_is_here(const wpin_page *page);
/* What to open in a browser: it has the token in it, which is new each time. */
const char *wpin_page_link(const wpin_page *page);
/* Becomes readable when somebody asked something. */
int wpin_page_file(const wpin_page *page);
/* Carries out what was asked, and tells everyone what is new; in the session's thread. */
void wpin_page_serve(wpin_page *page);
void wpin_page_close(wpin_page *page);

#endif
