/* Waiting for whatever comes next: keys or lines, page, bus, the next control period. */
#define _GNU_SOURCE
#include "live.h"
#include <math.h>
#include <poll.h>
#include <time.h>

bool cli_live_wait(cli_hands *h, int file) {
    double wait = wpin_pace_wait(&h->pace, h->live, wpin_wall_seconds());
    struct timespec most = {.tv_nsec = (long)(fmin(wait, 0.1) * 1e9)};
    int page = h->page == NULL ? -1 : wpin_page_file(h->page);
    int bus = h->bus == NULL ? -1 : wpin_bus_file(h->bus);
    struct pollfd files[] = {{.fd = file, .events = POLLIN}, /* below 0 is passed over */
                             {.fd = page, .events = POLLIN},
                             {.fd = bus, .events = POLLIN}};
    int ready = ppoll(files, sizeof files / sizeof *files, &most, NULL);
    return ready > 0 && files[0].revents != 0;
}

bool cli_live_alone(cli_hands *h) {
    bool more = true;
    while (more && *h->interrupted == 0) {
        (void)cli_live_wait(h, -1);
        more = cli_live_on(h);
    }
    return true;
}

bool cli_live_on(cli_hands *h) {
    bool more = wpin_pace_on(&h->pace, h->live, wpin_wall_seconds());
    if (h->page != NULL) {
        wpin_page_serve(h->page);
    }
    if (h->bus != NULL) {
        wpin_bus_serve(h->bus);
    }
    return more;
}
