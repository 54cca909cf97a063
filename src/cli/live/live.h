/* Driving by hand: what the command and its faces share. */
#ifndef WPIN_CLI_LIVE_H
#define WPIN_CLI_LIVE_H

#include "../../server/bus.h"
#include "../../server/page.h"
#include "../cli.h"

/* A session that hands are on. */
typedef struct cli_hands {
    const wpin_rig *rig;
    bool real; /* on this computer's pins */
    wpin_session *session;
    wpin_live *live;
    wpin_pace pace;
    wpin_states states;
    wpin_page *page;           /* or NULL */
    wpin_bus *bus;             /* or NULL */
    int device;                /* that lines come over, or -1 */
    volatile int *interrupted; /* set: all comes to rest, and it ends */
} cli_hands;

/* Requests in lines from one file, answers to another, until the end of the first. Returns false
 * when nobody reads the answers any more. */
bool cli_live_lines(cli_hands *hands, int from, int to);
/* Carries the session on to now, and serves page and bus. False once it is over. */
bool cli_live_on(cli_hands *hands);
/* Page and bus alone, until a signal ends it. */
bool cli_live_alone(cli_hands *hands);
/* Waits for bytes from a file (-1: none) until the next control period; the page or
 * the bus. Whether there are some. */
bool cli_live_wait(cli_hands *hands, int file);
/* Keys and a picture in the terminal, until that is quit. False: the terminal went away. */
bool cli_live_screen(cli_hands *hands);

#endif
