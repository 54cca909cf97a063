/* A field bus with simulated drives, and windpin field on it. */
#ifndef WPIN_TESTS_SUPPORT_FIELD_H
#define WPIN_TESTS_SUPPORT_FIELD_H

#include "support.h"
#include "windpin/host/eds.h"
#include <fcntl.h>
#include <jansson.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>
#include <windpin/host/objects.h>

#define LINE TEST_SOURCE "/demo/honey-line.yaml"

static char said[32768], place[200], rig[200], plan[200];
static pid_t drives;

static inline void wait_ms(unsigned ms) {
    nanosleep(&(struct timespec){.tv_sec = ms / 1000, .tv_nsec = ms % 1000 * 1000000L}, NULL);
}

static inline void start(const char *of) {
    char option[240];
    snprintf(option, sizeof option, "--at=%s", place);
    drives = fork();
    ck_assert_int_ge(drives, 0);
    if (drives == 0) {
        (void)!freopen("/dev/null", "w", stdout);
        execl(TEST_TOOL, TEST_TOOL, "field", "drives", of, option, "--until-parent-ends", NULL);
        _exit(127);
    }
    for (int i = 0; i < 100 && access(place, F_OK) != 0; i++) {
        wait_ms(20);
    }
    wait_ms(500); /* they boot */
}

static inline int stop(int by) {
    int status = -1;
    kill(drives, by);
    ck_assert_int_eq(waitpid(drives, &status, 0), drives);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

static inline void open_bench(void) {
    snprintf(place, sizeof place, "%s", scratch("line"));
    snprintf(rig, sizeof rig, "%s", scratch("line.yaml"));
    snprintf(plan, sizeof plan, "%s", scratch("line.plan"));
    start(LINE);
}

static inline void close_bench(void) {
    ck_assert_int_eq(stop(SIGINT), 0);
    ck_assert_int_ne(access(place, F_OK), 0); /* taken away again */
}

/* Runs the tool at the place and holds what it says to a word. */
static inline void field(int expected, const char *words, const char *action, const char *rest) {
    int status =
        run_command(said, sizeof said, "%s field %s %s %s", TEST_TOOL, action, place, rest);
    ck_assert_msg(status == expected && strstr(said, words) != NULL, "%s %s: %d: %s", action, rest,
                  status, said);
}

/* The rig of the line without its pump and stop, on the socket. */
static inline void write_rig(const char *more) {
    int status =
        run_command(said, sizeof said,
                    "sed -e '/^  filler:/,$d' -e '/^inputs/,/stops/d' -e 's=period: "
                    "4ms=period: 4ms, interface: %s=' -e 's=logic: control=logic: control, "
                    "lost: 2s, heartbeat: 2s=' %s > %s",
                    place, more, rig);
    ck_assert_msg(status == 0, "%s", said);
}

#endif
