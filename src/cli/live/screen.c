/* windpin live in a terminal: keys in, the session on, a picture out. */
#define _GNU_SOURCE
#include "view.h"
#include <errno.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <unistd.h>

#define FRAME  0.1 /* s between pictures */
#define SAMPLE 0.2 /* s between the samples of the plot */

static volatile sig_atomic_t resized;

static void on_resize(int number) {
    (void)number;
    resized = 1;
}

/* Takes what keys there are; waits for one until the next control period. False: the terminal is
 * gone. */
static bool take_keys(live_panel *p, live_keys *keys) {
    unsigned char bytes[64];
    bool ready = cli_live_wait(p->hands, STDIN_FILENO);
    double now = wpin_wall_seconds();
    ssize_t count = ready ? read(STDIN_FILENO, bytes, sizeof bytes) : 0;
    if (ready && (count == 0 || (count < 0 && errno != EINTR && errno != EAGAIN))) {
        return false;
    }
    for (ssize_t i = 0; i < count; i++) {
        int key = live_keys_take(keys, bytes[i], now);
        if (key != LIVE_KEY_NONE) {
            live_panel_key(p, key, now);
        }
    }
    int key = live_keys_wait(keys, now);
    if (key != LIVE_KEY_NONE) {
        live_panel_key(p, key, now);
    }
    return true;
}

/* A line that has not taken the last picture yet gets no other. */
static bool line_is_free(void) {
    int waiting = 0;
    return ioctl(STDOUT_FILENO, TIOCOUTQ, &waiting) != 0 || waiting < 256;
}

static void draw_when_due(live_panel *p, double *next, double *next_sample, double now) {
    if (now >= *next_sample) {
        live_panel_sample(p);
        *next_sample = now + SAMPLE;
    }
    if (now >= *next && line_is_free()) {
        if (resized != 0) {
            resized = 0;
            live_view_resize();
        }
        live_view_draw(p);
        *next = now + FRAME;
    }
}

bool cli_live_screen(cli_hands *h) {
    live_panel panel;
    live_keys keys = {0};
    double next = 0, next_sample = 0;
    if (!live_panel_open(&panel, h)) {
        cli_complain("out of memory");
        return false;
    }
    if (!live_view_open()) {
        live_panel_close(&panel);
        cli_complain("this terminal can't be drawn on (TERM); --lines does without");
        return false;
    }
    signal(SIGWINCH, on_resize);
    bool there = true, more = true;
    while (there && more && !panel.quit && *h->interrupted == 0) {
        there = take_keys(&panel, &keys);
        wpin_live_heard(h->live, panel.source); /* whoever reads keys is there */
        more = cli_live_on(h);
        live_panel_went_on(&panel, wpin_wall_seconds());
        draw_when_due(&panel, &next, &next_sample, wpin_wall_seconds());
    }
    live_panel_close(&panel);
    live_view_close();
    return there;
}
