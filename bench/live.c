/* From a command to the pins: a program that asks in lines on a socket or, as a page does, over
 * WebSocket on loopback, and the moment a pin changes, by the clock on the wall; beside bare echoes
 * and bare sleeps, in the same run. */
#define _GNU_SOURCE
#include "../src/server/page.h"
#include <arpa/inet.h>
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

/* A connection over loopback, both ends. */
static bool connect_ends(int ends[2]) {
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof here;
    int listener = socket(AF_INET, SOCK_STREAM, 0);
    ends[0] = socket(AF_INET, SOCK_STREAM, 0);
    bool good = bind(listener, (struct sockaddr *)&here, sizeof here) == 0 &&
                listen(listener, 1) == 0 &&
                getsockname(listener, (struct sockaddr *)&here, &size) == 0 &&
                connect(ends[0], (struct sockaddr *)&here, sizeof here) == 0;
    ends[1] = good ? accept(listener, NULL, NULL) : -1;
    close(listener);
    return ends[1] >= 0;
}

static void measure_echo(times *t, bool loopback) {
    int ends[2];
    pthread_t thread;
    char bytes[256];
    bool connected = loopback ? connect_ends(ends) : socketpair(AF_UNIX, SOCK_STREAM, 0, ends) == 0;
    if (!connected || pthread_create(&thread, NULL, echo, &ends[1]) != 0) {
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
    bool page;            /* it asks as a page does; else in lines */
    bool duty;            /* for duties; else for brake and coast */
    _Atomic double now;   /* the duty on the pins... */
    double before;        /* ...and when the present command was written */
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

/* A request: a line, or a frame with a mask of noughts. */
static void put(const scene *s, const char *request) {
    unsigned char bytes[200];
    size_t length = strlen(request), head = s->page ? 6 : 0;
    memcpy(bytes + head, request, length);
    if (s->page) {
        memcpy(bytes, (unsigned char[6]){0x81, (unsigned char)(0x80 | length)}, 6);
    } else {
        bytes[length++] = '\n';
    }
    (void)!write(s->ends[0], bytes, head + length);
}

static void *commander(void *context) {
    scene *s = context;
    static const char *const begin[] = {"command", "confirm", "arm", "main on"};
    static const char *const asks[2][2] = {{"pump brake", "pump coast"},
                                           {"pump ramp 30%", "pump ramp 30.5%"}};
    char bytes[65536];
    for (size_t i = 0; i < sizeof begin / sizeof *begin; i++) {
        put(s, begin[i]);
    }
    nap(0.6); /* and the first rest */
    for (int i = 0; i < COMMANDS; i++) {
        /* at any moment of a control period, and once a ramp to a duty is over */
        nap((s->duty ? 20e-3 : 500e-6) + 1e-6 * (double)(i * 7919 % 1000));
        s->before = s->now;
        s->begun = wpin_wall_seconds();
        put(s, asks[s->duty][i % 2]);
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

/* Whether the control period that is over has another duty than before. */
static void look_for_duty(scene *s, const wpin_live *live) {
    double begun = s->begun;
    s->now = wpin_session_look(wpin_live_session(live), 0).duty;
    if (s->duty && begun > 0 && s->now != s->before) {
        s->to->s[s->to->count++] = wpin_wall_seconds() - begun;
        s->begun = 0;
    }
}

/* The loop of windpin live. */
static void go_on(scene *s, wpin_live *live, wpin_talk *talks, size_t count, wpin_pace *pace,
                  wpin_page *page) {
    char bytes[4096];
    struct pollfd in = {.fd = page != NULL ? wpin_page_file(page) : s->ends[1], .events = POLLIN};
    while (!s->over) {
        struct timespec most = {.tv_nsec =
                                    (long)(wpin_pace_wait(pace, live, wpin_wall_seconds()) * 1e9)};
        if (ppoll(&in, 1, &most, NULL) == 1 && page == NULL) {
            ssize_t n = read(s->ends[1], bytes, sizeof bytes);
            wpin_talk_hear(&talks[0], bytes, n > 0 ? (size_t)n : 0);
        }
        wpin_live_heard(live, wpin_live_commander(live));
        wpin_pace_on(pace, live, wpin_wall_seconds());
        if (page != NULL) {
            wpin_page_serve(page);
        }
        look_for_duty(s, live);
        for (size_t i = 0; i < count; i++) {
            wpin_talk_tell(&talks[i]);
        }
    }
}

/* Enters the page as a browser does: what it asks for is read away. */
static bool enter(scene *s, const wpin_page *page) {
    char token[40], text[400], bytes[8192];
    int port;
    struct sockaddr_in to = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    if (sscanf(wpin_page_link(page), "http://127.0.0.1:%d/#%32s", &port, token) != 2) {
        return false;
    }
    to.sin_port = htons((uint16_t)port);
    s->ends[0] = socket(AF_INET, SOCK_STREAM, 0);
    s->ends[1] = -1;
    int length = snprintf(text, sizeof text,
                          "GET / HTTP/1.1\r\nHost: 127.0.0.1:%d\r\nUpgrade: websocket\r\n"
                          "Connection: Upgrade\r\nSec-WebSocket-Version: 13\r\n"
                          "Sec-WebSocket-Protocol: windpin-1\r\n"
                          "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n",
                          port);
    bool entered = connect(s->ends[0], (struct sockaddr *)&to, sizeof to) == 0 &&
                   write(s->ends[0], text, (size_t)length) == length &&
                   read(s->ends[0], bytes, sizeof bytes) > 0;
    put(s, token);
    return entered;
}

static void measure_session(const wpin_rig *rig, scene s, size_t watchers, times *t) {
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    wpin_bench bench = wpin_bench_on_board(&board);
    char why[200];
    wpin_status refused;
    volatile int over = 0;
    wpin_session_options how = {.disarmed = true, .interrupted = &over};
    wpin_session *session = wpin_session_open(rig, NULL, &bench, &how, &refused, why, sizeof why);
    wpin_live *live = session == NULL ? NULL : wpin_live_open(rig, session, WPIN_LINK_USUAL);
    static wpin_talk talks[1 + WATCHERS];
    size_t swallowed = 0;
    s.to = t;
    pthread_t thread;
    wpin_pace pace;
    wpin_states states = {0};
    wpin_page_options there = {0};
    wpin_page *page = NULL;
    t->count = 0;
    wpin_pace_begin(&pace, 0.1);
    if (live != NULL && s.page) {
        page = wpin_page_open(live, &pace, &states, &there, why, sizeof why);
    }
    if (live == NULL || (s.page && (page == NULL || !enter(&s, page))) ||
        (!s.page && socketpair(AF_UNIX, SOCK_STREAM, 0, s.ends) != 0)) {
        fprintf(stderr, "bench: %s\n", why);
        exit(1);
    }
    wpin_talk_open(&talks[0], live, &pace, &states, "commander", say, &s.ends[1]);
    for (size_t i = 1; i <= watchers; i++) {
        wpin_talk_open(&talks[i], live, &pace, &states, "watcher", swallow, &swallowed);
        wpin_talk_hear(&talks[i], "report 50Hz\n", 12);
    }
    if (!s.duty) {
        wpin_sim_watch_pins(board.sim, on_pin, &s);
    }
    pthread_create(&thread, NULL, commander, &s);
    go_on(&s, live, talks, 1 + watchers, &pace, page);
    pthread_join(thread, NULL);
    wpin_page_close(page);
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
    scene brake = {0}, duty = {.duty = true}, page = {.page = true};
    if (rig == NULL) {
        fprintf(stderr, "bench: the rig can't be read\n");
        return 1;
    }
    struct sched_param urgent = {.sched_priority = 10};
    printf("From a command to the pins, ms, of %d commands %8s %8s %8s\n", COMMANDS, "p50", "p99",
           "worst");
    measure_sleep(&t);
    print("a bare sleep of 1 ms: late by", &t);
    measure_echo(&t, false);
    print("a bare echo on a socket", &t);
    measure_echo(&t, true);
    print("a bare echo over loopback", &t);
    measure_session(rig, brake, 0, &t);
    print("a brake or coast in a line to its pin", &t);
    measure_session(rig, brake, WATCHERS, &t);
    print("the same, 32 watch at 50 Hz", &t);
    measure_session(rig, page, 0, &t);
    print("the same from a page, over loopback", &t);
    measure_session(rig, duty, 0, &t);
    print("a duty in a line to the control period that begins it", &t);
    pid_t busy[2] = {load(), load()};
    measure_session(rig, brake, 0, &t);
    print("a brake or coast, two busy processes", &t);
    measure_session(rig, page, 0, &t);
    print("the same from a page", &t);
    if (mlockall(MCL_CURRENT | MCL_FUTURE) == 0 &&
        sched_setscheduler(0, SCHED_FIFO, &urgent) == 0) {
        measure_session(rig, brake, 0, &t);
        print("a brake or coast at real-time priority", &t);
        measure_session(rig, brake, WATCHERS, &t);
        print("the same, 32 watch at 50 Hz", &t);
        measure_session(rig, page, 0, &t);
        print("the same from a page", &t);
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
