/* The bar that long work shows on a terminal. */
#define _GNU_SOURCE
#include "cli.h"
#include <stdio.h>
#include <time.h>
#include <unistd.h>

static double wall_seconds(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec * 1e-9;
}

static bool bar_shown;

void cli_progress(void *context, double seconds, double total) {
    static double last;
    enum { WIDTH = 40 };
    double now = wall_seconds();
    if (now - last < 0.1 || !isatty(STDERR_FILENO)) {
        return;
    }
    last = now;
    bar_shown = true;
    int done = total > 0 ? (int)(WIDTH * seconds / total) : 0;
    done = done > WIDTH ? WIDTH : done;
    fprintf(stderr, "\r[%.*s%*s] ", done, "########################################", WIDTH - done,
            "");
    if (context != NULL) {
        wpin_plain_put(stderr, "%.0f of %.0f %s", seconds, total, (const char *)context);
    } else {
        wpin_plain_put(stderr, "%.1f of about %.1f s", seconds, total);
    }
}

void cli_progress_end(void) {
    if (bar_shown) {
        fprintf(stderr, "\r\033[K");
        bar_shown = false;
    }
}
