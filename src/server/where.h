/* Where the page listens, and what browsers may call that place. */
#ifndef WPIN_SERVER_WHERE_H
#define WPIN_SERVER_WHERE_H

#include <stdbool.h>
#include <stddef.h>

#define WPIN_WHERE_NAMES 32

typedef struct wpin_where {
    char address[64];                 /* to listen on, as a number */
    char shown[96];                   /* for a link: as it was said, a number in brackets where
                                         it is one of version 6 */
    bool here;                        /* no other computer reaches it */
    char names[WPIN_WHERE_NAMES][96]; /* without a port */
    size_t count;
} wpin_where;

/* An address or a name of this computer; NULL: this computer alone. 0.0.0.0 and :: are all its
 * addresses. False with the reason. */
bool wpin_where_find(wpin_where *where, const char *address, char *why, size_t size);
/* Whether a browser's word for host and port is this place: NAME:PORT, or NAME alone where the
 * port is the usual one. */
bool wpin_where_is(const wpin_where *where, const char *host, int port, int usual_port);

#endif
