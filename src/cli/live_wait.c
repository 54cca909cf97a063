/* Waiting for whatever comes next: keys or lines, the page, the next control period. */
#define _GNU_SOURCE
#include "live.h"
#include <math.h>
#include <poll.h>
#include <time.h>

bool cli_live_wait(cli_hands *h, int file) {
    double wait = wpin_pace_wait(&h->pace, h->live, wpin_wall_seconds());
    struct timespec most = {.tv_nsec = (long)(fmin(wait, 0.1) * 1e9)};
    struct pollfd files[2] = {
        {.fd = file, .events = POLLIN}, /* below 0 is passed over */
        {.fd = h->page == NULL ? -1 : wpin_page_file(h->page), .events = POLLIN}};
    int ready = ppoll(files, 2, &most, NULL);
    return ready > 0 && files[0].revents != 0;
}

bool cli_live_page(cli_hands *h) {
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
    return more;
}
