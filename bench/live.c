/* From a command to the pins: a program that asks in lines, over a socket, and the moment a pin
 * changes, by the clock on the wall; beside a bare echo on the same socket and bare sleeps, in the
 * same run. */
#define _GNU_SOURCE
#include "../src/server/server.h"
#include <math.h>
#include <poll.h>
#include <pthread.h>
#include <sched.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>
#include <windpin/host/rehearsal.h>

enum { COMMANDS = 2000, WATCHERS = 32, BRAKE = 7 };

typedef struct times {
    double s[COMMANDS];
    size_t count;
} times;

static int by_size(const void *a, const void *b) {
    double left = *(const double *)a, right = *(const double *)b;
    return (left > right) - (left < right);
}

static void print(const char *what, times *t) {
    qsort(t->s, t->count, sizeof *t->s, by_size);
    printf("  %-58s %8.3f %8.3f %8.3f\n", what, t->s[t->count / 2] * 1e3,
           t->s[t->count * 99 / 100] * 1e3, t->s[t->count - 1] * 1e3);
}

static void nap(double seconds) {
    struct timespec t = {.tv_nsec = (long)(seconds * 1e9)};
    nanosleep(&t, NULL);
}

/* ---- bare things ---- */

static void *echo(void *context) {
    int s = *(int *)context;
    char bytes[256];
    for (ssize_t n; (n = read(s, bytes, sizeof bytes)) > 0;) {
        (void)!write(s, bytes, (size_t)n);
    }
    return NULL;
}

static void measure_echo(times *t) {
    int ends[2];
    pthread_t thread;
    char bytes[256];
    if (socketpair(AF_UNIX, SOCK_STREAM, 0, ends) != 0 ||
        pthread_create(&thread, NULL, echo, &ends[1]) != 0) {
        return;
    }
    for (t->count = 0; t->count < COMMANDS; t->count++) {
        nap(500e-6 + 1e-6 * (double)(t->count * 7919 % 1000));
        double begun = wpin_wall_seconds();
        (void)!write(ends[0], "pump brake\n", 11);
        (void)!read(ends[0], bytes, sizeof bytes);
        t->s[t->count] = wpin_wall_seconds() - begun;
    }
    close(ends[0]);
    pthread_join(thread, NULL);
    close(ends[1]);
}

static void measure_sleep(times *t) {
    for (t->count = 0; t->count < COMMANDS; t->count++) {
        double begun = wpin_wall_seconds();
        nap(1e-3);
        t->s[t->count] = wpin_wall_seconds() - begun - 1e-3;
    }
}

/* ---- the session ---- */

typedef struct scene {
    int ends[2];          /* the asking end, the session's end */
    _Atomic double begun; /* when the present command was written; 0: the pin has answered */
    times *to;
    atomic_bool over;
} scene;

/* The pin that a brake or a coast moves. */
static void on_pin(void *context, int64_t ps, wpin_pin pin, wpin_level level) {
    scene *s = context;
    (void)ps, (void)level;
    double begun = s->begun;
    if (pin == BRAKE && begun > 0) {
        s->to->s[s->to->count++] = wpin_wall_seconds() - begun;
        s->begun = 0;
    }
}

static void *commander(void *context) {
    scene *s = context;
    static const char begin[] = "command\nconfirm\narm\nmain on\n";
    char bytes[65536];
    (void)!write(s->ends[0], begin, sizeof begin - 1);
    nap(0.6); /* and the first rest */
    for (int i = 0; i < COMMANDS; i++) {
        const char *line = i % 2 == 0 ? "pump brake\n" : "pump coast\n";
        nap(500e-6 + 1e-6 * (double)(i * 7919 % 1000)); /* at any moment of a control period */
        s->begun = wpin_wall_seconds();
        (void)!write(s->ends[0], line, strlen(line));
        for (int n = 0; n < 1000 && s->begun > 0; n++) {
            nap(50e-6);
        }
        (void)!recv(s->ends[0], bytes, sizeof bytes, MSG_DONTWAIT);
    }
    s->over = true;
    return NULL;
}

static bool say(void *context, const char *line, size_t length) {
    int to = *(int *)context;
    return send(to, line, length, MSG_DONTWAIT | MSG_NOSIGNAL) == (ssize_t)length;
}

static bool swallow(void *context, const char *line, size_t length) {
    (void)line;
    *(size_t *)context += length;
    return true;
}

/* The loop of windpin live. */
static void go_on(scene *s, wpin_live *live, wpin_talk *talks, size_t count, wpin_pace *pace) {
    char bytes[4096];
    struct pollfd in = {.fd = s->ends[1], .events = POLLIN};
    while (!s->over) {
        struct timespec most = {.tv_nsec =
                                    (long)(wpin_pace_wait(pace, live, wpin_wall_seconds()) * 1e9)};
        if (ppoll(&in, 1, &most, NULL) == 1) {
            ssize_t n = read(s->ends[1], bytes, sizeof bytes);
            wpin_talk_hear(&talks[0], bytes, n > 0 ? (size_t)n : 0);
        }
        wpin_live_heard(live, talks[0].source);
        wpin_pace_on(pace, live, wpin_wall_seconds());
        for (size_t i = 0; i < count; i++) {
            wpin_talk_tell(&talks[i]);
        }
    }
}

static void measure_session(const wpin_rig *rig, size_t watchers, times *t, double *late) {
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    char why[200];
    wpin_status refused;
    volatile int over = 0;
    wpin_session_options how = {.disarmed = true, .interrupted = &over};
    wpin_session *session = wpin_session_open(rig, NULL, &bench, &how, &refused, why, sizeof why);
    wpin_live *live = session == NULL ? NULL : wpin_live_open(rig, session, WPIN_LINK_USUAL);
    static wpin_talk talks[1 + WATCHERS];
    scene s = {.to = t};
    size_t swallowed = 0;
    pthread_t thread;
    wpin_pace pace;
    wpin_states states = {0};
    if (live == NULL || socketpair(AF_UNIX, SOCK_STREAM, 0, s.ends) != 0) {
        fprintf(stderr, "bench: %s\n", why);
        exit(1);
    }
    t->count = 0;
    wpin_pace_begin(&pace, 0.1);
    wpin_talk_open(&talks[0], live, &pace, &states, "commander", say, &s.ends[1]);
    for (size_t i = 1; i <= watchers; i++) {
        wpin_talk_open(&talks[i], live, &pace, &states, "watcher", swallow, &swallowed);
        wpin_talk_hear(&talks[i], "report 50Hz\n", 12);
    }
    wpin_sim_watch_pins(board.sim, on_pin, &s);
    pthread_create(&thread, NULL, commander, &s);
    go_on(&s, live, talks, 1 + watchers, &pace);
    pthread_join(thread, NULL);
    *late = wpin_pace_p99(&pace);
    over = 1;
    while (wpin_session_step(session)) {
    }
    wpin_report_free(wpin_session_close(session, why, sizeof why));
    wpin_live_free(live);
    wpin_states_free(&states);
    wpin_board_bench_free(&board);
    close(s.ends[0]);
    close(s.ends[1]);
}

/* A process that does nothing but compute, one for each core. */
static pid_t load(void) {
    pid_t child = fork();
    if (child == 0) {
        for (volatile unsigned long n = 0;; n++) {
        }
    }
    return child;
}

int main(int argc, char **argv) {
    static times t;
    wpin_messages messages = {0};
    wpin_rig *rig = wpin_rig_read(argc > 1 ? argv[1] : "demo/honey-pump.yaml", &messages);
    double late = 0;
    if (rig == NULL) {
        fprintf(stderr, "bench: the rig can't be read\n");
        return 1;
    }
    struct sched_param urgent = {.sched_priority = 10};
    printf("From a command to the pins, ms, of %d commands %8s %8s %8s\n", COMMANDS, "p50", "p99",
           "worst");
    measure_sleep(&t);
    print("a bare sleep of 1 ms: late by", &t);
    measure_echo(&t);
    print("a bare echo on the socket", &t);
    measure_session(rig, 0, &t, &late);
    print("a brake or coast in a line to its pin", &t);
    measure_session(rig, WATCHERS, &t, &late);
    print("the same, 32 watch at 50 Hz", &t);
    pid_t busy[2] = {load(), load()};
    measure_session(rig, 0, &t, &late);
    print("the same, nobody watches, two busy processes", &t);
    if (mlockall(MCL_CURRENT | MCL_FUTURE) == 0 &&
        sched_setscheduler(0, SCHED_FIFO, &urgent) == 0) {
        measure_session(rig, 0, &t, &late);
        print("the same at real-time priority", &t);
        measure_session(rig, WATCHERS, &t, &late);
        print("the same at real-time priority, 32 watch at 50 Hz", &t);
    } else {
        printf("  real-time priority is not allowed here\n");
    }
    for (int i = 0; i < 2; i++) {
        kill(busy[i], SIGKILL);
        waitpid(busy[i], NULL, 0);
    }
    wpin_rig_free(rig);
    wpin_messages_free(&messages);
    return 0;
}
