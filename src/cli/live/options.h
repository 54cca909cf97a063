/* What windpin live is told: its options, and what the rig says where they say nothing. */
#ifndef WPIN_CLI_LIVE_OPTIONS_H
#define WPIN_CLI_LIVE_OPTIONS_H

#include "live.h"

typedef struct cli_live_arguments {
    cli_run run;
    const char *device, *save;
    const char *broker_said; /* NULL: the rig's */
    char broker[256];
    wpin_bus_options bus; /* host NULL: none */
    wpin_page_options page;
    char page_said[128]; /* what its address points to */
    double link, late;
    int priority; /* 0: as any program */
    bool lines, confirmed, on_bus, on_page;
} cli_live_arguments;

/* Takes them from the command line; ends the program where they are wrong. */
void cli_live_parse(int argc, char **argv, cli_live_arguments *arguments);
/* What no option says the rig does, and else what is usual. False with a complaint. */
bool cli_live_fill_in(cli_live_arguments *arguments, const wpin_rig *rig);

#endif
