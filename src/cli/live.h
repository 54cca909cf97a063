/* Driving by hand: what the command and its faces share. */
#ifndef WPIN_CLI_LIVE_H
#define WPIN_CLI_LIVE_H

#include "../server/server.h"
#include "cli.h"

/* A session that hands are on. */
typedef struct cli_hands {
    const wpin_rig *rig;
    wpin_session *session;
    wpin_live *live;
    wpin_pace pace;
    volatile int *interrupted; /* set: all comes to rest, and it ends */
} cli_hands;

/* Requests in lines from one file, answers to another, until the end of the first. Returns false
 * when nobody reads the answers any more. */
bool cli_live_lines(cli_hands *hands, int from, int to);
/* Keys and a picture in the terminal, until that is quit. False: the terminal went away. */
bool cli_live_screen(cli_hands *hands);

#endif
