/* The process that outlives the one that drives. */
#define _GNU_SOURCE
#include "guardian.h"
#include <errno.h>
#include <fcntl.h>
#include <linux/gpio.h>
#include <poll.h>
#include <sched.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#define MOST 256 /* outputs */

struct wpin_guardian_page {
    atomic_uint beats;
    atomic_bool minds, acted;
};

/* The guardian's own side. */
typedef struct watch {
    int parent, socket; /* handle of the process it watches */
    int64_t silence;    /* ns */
    wpin_guardian_page *page;
    struct {
        wpin_guarded how;
        int file;
    } outputs[MOST];
    size_t count;
} watch;

static int64_t now_ns(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

/* ---- making safe ---- */

static void make_line_safe(int file, wpin_guarded how) {
    struct gpio_v2_line_config input = {.flags = GPIO_V2_LINE_FLAG_INPUT};
    struct gpio_v2_line_values level = {.mask = 1, .bits = how == WPIN_GUARDED_HIGH};
    if (how == WPIN_GUARDED_FLOATS) {
        (void)ioctl(file, GPIO_V2_LINE_SET_CONFIG_IOCTL, &input);
        return;
    }
    if (ioctl(file, GPIO_V2_LINE_SET_VALUES_IOCTL, &level) != 0) { /* it floats just now */
        struct gpio_v2_line_config output = {.flags = GPIO_V2_LINE_FLAG_OUTPUT, .num_attrs = 1};
        output.attrs[0].mask = 1;
        output.attrs[0].attr.id = GPIO_V2_LINE_ATTR_ID_OUTPUT_VALUES;
        output.attrs[0].attr.values = level.bits;
        (void)ioctl(file, GPIO_V2_LINE_SET_CONFIG_IOCTL, &output);
    }
}

/* What drives first: then lines may change without a shaft being pushed by it. */
static void make_safe(watch *w) {
    atomic_store(&w->page->acted, true);
    for (size_t i = 0; i < w->count; i++) {
        if (w->outputs[i].how == WPIN_GUARDED_CHANNEL) {
            (void)!pwrite(w->outputs[i].file, "0", 1, 0);
        }
    }
    for (size_t i = 0; i < w->count; i++) {
        if (w->outputs[i].how <= WPIN_GUARDED_FLOATS) {
            make_line_safe(w->outputs[i].file, w->outputs[i].how);
        }
    }
}

/* ---- its life ---- */

/* A byte that says how, with a file. False: the other side has closed. */
static bool take_output(watch *w) {
    char how, control[CMSG_SPACE(sizeof(int))];
    struct iovec bytes = {&how, 1};
    struct msghdr message = {.msg_iov = &bytes,
                             .msg_iovlen = 1,
                             .msg_control = control,
                             .msg_controllen = sizeof control};
    ssize_t got = recvmsg(w->socket, &message, MSG_CMSG_CLOEXEC);
    const struct cmsghdr *head = CMSG_FIRSTHDR(&message);
    if (got != 1) {
        return got < 0 && errno == EINTR;
    }
    if (head != NULL && head->cmsg_type == SCM_RIGHTS && w->count < MOST) {
        memcpy(&w->outputs[w->count].file, CMSG_DATA(head), sizeof(int));
        w->outputs[w->count++].how = (wpin_guarded)how;
    }
    return send(w->socket, "k", 1, MSG_NOSIGNAL) == 1;
}

static bool spared_when_memory_runs_out(void) {
    int file = open("/proc/self/oom_score_adj", O_RDWR | O_CLOEXEC);
    bool spared = file >= 0 && write(file, "-1000", 5) == 5;
    if (file >= 0) {
        close(file);
    }
    return spared;
}

/* It sleeps nearly always: what it has to do goes before all else. */
static bool comes_first(void) {
    const struct sched_param first = {.sched_priority = sched_get_priority_max(SCHED_FIFO)};
    return sched_setscheduler(0, SCHED_FIFO, &first) == 0;
}

/* What it could not have: it is the last that should be killed, swapped out or kept waiting. */
static void protect(char *lacks, size_t size) {
    bool spared = spared_when_memory_runs_out(), first = comes_first();
    bool locked = mlockall(MCL_CURRENT | MCL_FUTURE) == 0;
    const char *const words[] = {spared ? NULL : "may be killed when memory runs out",
                                 first ? NULL : "may be kept waiting by other processes",
                                 locked ? NULL : "may be swapped out"};
    size_t used = 0;
    lacks[0] = '\0';
    for (size_t i = 0; i < sizeof words / sizeof *words; i++) {
        if (words[i] != NULL && used < size) {
            used +=
                (size_t)snprintf(lacks + used, size - used, "%s%s",
                                 used == 0 ? "without more rights the guardian " : ", ", words[i]);
        }
    }
}

static void watch_over(watch *w) {
    unsigned beats = atomic_load(&w->page->beats);
    int64_t heard = now_ns();
    int pause = (int)(w->silence / 10000000);
    for (;;) {
        struct pollfd files[2] = {{.fd = w->parent, .events = POLLIN},
                                  {.fd = w->socket, .events = POLLIN}};
        (void)poll(files, 2, pause < 1 ? 1 : pause);
        unsigned now = atomic_load(&w->page->beats);
        if (now != beats) {
            beats = now;
            heard = now_ns();
        }
        heard = atomic_load(&w->page->minds) ? heard : now_ns();
        bool silent = now_ns() - heard > w->silence;
        bool closed = files[1].revents != 0 && !take_output(w);
        if (files[0].revents != 0 || closed) {
            make_safe(w);
            return;
        }
        if (silent && !atomic_load(&w->page->acted)) {
            make_safe(w); /* it goes on watching: the process may be only stopped */
        }
    }
}

/* Keys and closed terminals are the other process's to answer. */
static void leave_terminal(void) {
    static const int ignored[] = {SIGINT,  SIGTERM, SIGHUP,  SIGQUIT, SIGPIPE,
                                  SIGTSTP, SIGTTIN, SIGTTOU, SIGUSR1, SIGUSR2};
    setsid();
    for (size_t i = 0; i < sizeof ignored / sizeof *ignored; i++) {
        signal(ignored[i], SIG_IGN);
    }
}

/* Nothing of the other process's is held open, but what it was given. */
static void keep_two(int first, int second) {
    int low = first < second ? first : second, high = first < second ? second : first;
    int null = open("/dev/null", O_RDWR);
    for (int i = 0; i < 3; i++) {
        dup2(null, i);
    }
    close_range(3, (unsigned)low - 1, 0);
    close_range((unsigned)low + 1, (unsigned)high - 1, 0);
    close_range((unsigned)high + 1, ~0U, 0);
}

static void be_guardian(watch *w) {
    char lacks[160];
    sigset_t none;
    sigemptyset(&none);
    leave_terminal();
    sigprocmask(SIG_SETMASK, &none, NULL);
    prctl(PR_SET_NAME, "windpin-guard");
    keep_two(w->parent, w->socket);
    protect(lacks, sizeof lacks);
    if (send(w->socket, lacks, strlen(lacks) + 1, MSG_NOSIGNAL) > 0) {
        watch_over(w);
    }
    _exit(0);
}

/* ---- the other side ---- */

bool wpin_guardian_start(wpin_guardian *g, double silence, char *protection, size_t size) {
    int ends[2];
    *g = (wpin_guardian){.handle = -1, .socket = -1};
    int self = (int)syscall(SYS_pidfd_open, getpid(), 0);
    g->page =
        mmap(NULL, sizeof *g->page, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (self < 0 || g->page == MAP_FAILED ||
        socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends) != 0) {
        return false;
    }
    fflush(NULL);
    g->process = fork();
    if (g->process == 0) {
        watch *w = calloc(1, sizeof *w);
        if (w != NULL) {
            *w = (watch){.parent = self,
                         .socket = ends[1],
                         .silence = (int64_t)(silence * 1e9),
                         .page = g->page};
            be_guardian(w);
        }
        _exit(1);
    }
    close(self);
    close(ends[1]);
    g->socket = ends[0];
    g->handle = g->process < 0 ? -1 : (int)syscall(SYS_pidfd_open, g->process, 0);
    ssize_t got = g->handle < 0 ? -1 : recv(g->socket, protection, size, 0);
    return got > 0;
}

bool wpin_guardian_add(wpin_guardian *g, wpin_guarded how, int file) {
    char byte = (char)how, control[CMSG_SPACE(sizeof(int))] = "", answer;
    struct iovec bytes = {&byte, 1};
    struct msghdr message = {.msg_iov = &bytes,
                             .msg_iovlen = 1,
                             .msg_control = control,
                             .msg_controllen = sizeof control};
    struct cmsghdr *head = CMSG_FIRSTHDR(&message);
    head->cmsg_level = SOL_SOCKET;
    head->cmsg_type = SCM_RIGHTS;
    head->cmsg_len = CMSG_LEN(sizeof(int));
    memcpy(CMSG_DATA(head), &file, sizeof(int));
    return sendmsg(g->socket, &message, MSG_NOSIGNAL) == 1 && recv(g->socket, &answer, 1, 0) == 1;
}

void wpin_guardian_beat(wpin_guardian *g) {
    atomic_fetch_add(&g->page->beats, 1);
}

void wpin_guardian_mind(wpin_guardian *g, bool minds) {
    atomic_store(&g->page->minds, minds);
}

bool wpin_guardian_acted(const wpin_guardian *g) {
    return atomic_load(&g->page->acted);
}

bool wpin_guardian_gone(const wpin_guardian *g) {
    struct pollfd process = {.fd = g->handle, .events = POLLIN};
    return poll(&process, 1, 0) != 0;
}

void wpin_guardian_end(wpin_guardian *g) {
    if (g->socket >= 0) {
        close(g->socket);
    }
    if (g->process > 0) {
        (void)kill(g->process, SIGCONT); /* somebody may have stopped it */
        (void)waitpid(g->process, NULL, 0);
    }
    if (g->handle >= 0) {
        close(g->handle);
    }
    if (g->page != NULL && g->page != MAP_FAILED) {
        munmap(g->page, sizeof *g->page);
    }
    *g = (wpin_guardian){.handle = -1, .socket = -1};
}
