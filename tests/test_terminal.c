/* Driving in a terminal: a real process in a pseudo-terminal, keys at their times, and what the
 * record says came of them. */
#define _GNU_SOURCE
#include "support.h"
#include <math.h>
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#define COUNT(array) (sizeof(array) / sizeof *(array))
#define PUMP         TEST_SOURCE "/demo/honey-pump.yaml"

static double now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

/* ---- a terminal ---- */

typedef struct terminal {
    pid_t child;
    int master;
    char shown[200000]; /* all that came, as it came */
    size_t length;
    char trace[256];
} terminal;

static void start(terminal *t, const char *term) {
    struct winsize size = {.ws_row = 24, .ws_col = 80};
    memset(t, 0, sizeof *t);
    snprintf(t->trace, sizeof t->trace, "%s", scratch("terminal.csv"));
    unlink(t->trace);
    t->child = forkpty(&t->master, NULL, NULL, &size);
    if (t->child == 0) {
        setenv("TERM", term, 1);
        setenv("XDG_STATE_HOME", scratch("state"), 1);
        execl(TEST_TOOL, TEST_TOOL, "live", PUMP, "--trace", t->trace, "--sample", "1000",
              "--powered", "--late", "5s", (char *)NULL);
        _exit(99);
    }
}

/* Takes what is drawn for so long. */
static void pass(terminal *t, double seconds) {
    for (double until = now() + seconds; now() < until;) {
        struct pollfd in = {.fd = t->master, .events = POLLIN};
        if (poll(&in, 1, 5) == 1) {
            if (t->length > sizeof t->shown - 5000) {
                t->length = 0;
            }
            ssize_t count = read(t->master, t->shown + t->length, 4096);
            t->length += count > 0 ? (size_t)count : 0;
            t->shown[t->length] = '\0';
        }
    }
}

static double press(terminal *t, const char *keys) {
    double at = now();
    ck_assert_int_eq(write(t->master, keys, strlen(keys)), (int)strlen(keys));
    return at;
}

/* Its exit status; the terminal goes with it. */
static int finish(terminal *t) {
    int status = 0;
    for (int i = 0; i < 2000 && waitpid(t->child, &status, WNOHANG) == 0; i++) {
        pass(t, 0.005);
    }
    ck_assert_msg(WIFEXITED(status), "still there, or crashed: %d", status);
    close(t->master);
    return WEXITSTATUS(status);
}

/* ---- the record ---- */

typedef struct row {
    double at, asked, duty;
} row;

static size_t read_rows(const terminal *t, row *rows, size_t most) {
    FILE *file = fopen(t->trace, "r");
    char line[1024];
    size_t count = 0;
    ck_assert_ptr_nonnull(file);
    while (count < most && fgets(line, sizeof line, file) != NULL) {
        row *r = &rows[count];
        count += sscanf(line, "%lf,%lf,%lf", &r->at, &r->asked, &r->duty) == 3;
    }
    fclose(file);
    return count;
}

/* When what is asked first was above, and from then on first below, a duty; -1: never. */
static double crosses(const row *rows, size_t count, double from, bool above, double duty) {
    for (size_t i = 0; i < count; i++) {
        if (rows[i].at >= from && (above ? rows[i].asked > duty : rows[i].asked < duty)) {
            return rows[i].at;
        }
    }
    return -1;
}

static row rows[60000];

/* Waits, however busy this computer is, until a text is drawn. */
static void see(terminal *t, const char *text) {
    for (double until = now() + 30; strstr(t->shown, text) == NULL;) {
        ck_assert_msg(now() < until, "no '%s': %.900s", text, t->shown);
        pass(t, 0.02);
    }
}

/* Waits until the record has it that a duty was asked for; since when, s. */
static double see_duty(terminal *t, double from, bool above, double duty) {
    for (double until = now() + 30; now() < until; pass(t, 0.05)) {
        double at = crosses(rows, read_rows(t, rows, COUNT(rows)), from, above, duty);
        if (at >= 0) {
            return at;
        }
    }
    ck_abort_msg("never %s %.0f %%", above ? "above" : "below", duty);
    return -1;
}

/* ---- stop ---- */

/* Where it is done, and what stops it there. */
typedef struct mode {
    const char *before, *stop, *after;
} mode;

/* The pump set going, stopped in a mode, and told to go on again, which it must not: by how much
 * later than the keys the stop came after the start, s. */
static double stop_in(const mode *m) {
    terminal t;
    start(&t, "xterm");
    see(&t, "Before power");
    press(&t, "y");
    pass(&t, 0.05);
    press(&t, "a");
    pass(&t, 0.5); /* and its first rest */
    double set_going = press(&t, "++++++++++");
    pass(&t, 0.4);
    press(&t, m->before);
    pass(&t, 0.1);
    double stopped = press(&t, m->stop);
    pass(&t, 0.1);
    press(&t, m->after);
    pass(&t, 0.1);
    press(&t, "++g+"); /* nothing moves before it is re-armed */
    pass(&t, 0.3);
    ck_assert_msg(strstr(t.shown, "STOPPED") != NULL, "'%s' and '%s'", m->before, m->stop);
    press(&t, "q");
    (void)finish(&t);
    size_t count = read_rows(&t, rows, COUNT(rows));
    double up = crosses(rows, count, 0, true, 40), down = crosses(rows, count, up, false, 1);
    if (up < 0 || down < 0) {
        return INFINITY; /* stopped before it went, or never */
    }
    ck_assert_msg(crosses(rows, count, down, true, 1) < 0, "'%s' and '%s': it moves again",
                  m->before, m->stop);
    return (down - up) - (stopped - set_going);
}

/* Every key that stops, in every mode, while the pump ramps: within 50 ms of the key, beside one
 * that set it going. A half escape sequence is one of them, and what follows it moves nothing. */
START_TEST(the_stop_key_works_at_once_in_every_mode) {
    static const mode modes[] = {
        {"", " ", ""}, /* driving */
        {"", "\033", ""},
        {"", "\033[", "C"}, /* half a sequence, and its other half late */
        {"", "\033O", ""},
        {"", "\033[1;", "5C"},
        {"\r", "\033", ""}, /* typing */
        {"\rpump ramp 9", "\033", ""},
        {"?", " ", ""},                          /* help */
        {"\t", " ", ""},                         /* the plot */
        {"\rpump ramp reverse 95%\r", " ", "y"}, /* asked about a large move: it is not done */
    };
    for (size_t i = 0; i < COUNT(modes); i++) {
        double late = stop_in(&modes[i]);
        for (int again = 0; again < 3 && late >= 0.05; again++) {
            late = stop_in(&modes[i]); /* this computer may have been busy */
        }
        ck_assert_msg(late < 0.05, "mode %zu: %.0f ms", i, late * 1e3);
    }
}
END_TEST

/* ---- driving ---- */

START_TEST(keys_do_what_the_screen_says) {
    terminal t;
    start(&t, "vt100"); /* no colours */
    see(&t, "Before power");
    press(&t, "n"); /* not confirmed */
    pass(&t, 0.2);
    press(&t, "a");
    see(&t, "checklist is not confirmed");
    press(&t, "\rconfirm\r");
    pass(&t, 0.2);
    press(&t, "a");
    pass(&t, 0.6);
    press(&t, "\033[C\033[C\033[C\033[C\033[C");
    pass(&t, 0.6);
    size_t count = read_rows(&t, rows, COUNT(rows));
    ck_assert_msg(count > 0 && crosses(rows, count, 0, true, 0) < 0, "staged: nothing moves yet");
    press(&t, "g");
    double staged = see_duty(&t, 0, true, 24);
    press(&t, "\rpump ramp 30%\r"); /* typed, with its blanks */
    double typed = see_duty(&t, staged, true, 29);
    press(&t, "r");
    pass(&t, 0.1);
    press(&t, "g"); /* from 30 to -30 %: asked about, being large */
    pass(&t, 0.6);
    count = read_rows(&t, rows, COUNT(rows));
    ck_assert_msg(crosses(rows, count, typed, false, 29) < 0, "asked about: not done yet");
    press(&t, "y");
    (void)see_duty(&t, typed, false, -29);
    press(&t, "s");
    (void)see_duty(&t, rows[read_rows(&t, rows, COUNT(rows)) - 1].at, true, -1);
    struct winsize small = {.ws_row = 8, .ws_col = 30};
    ioctl(t.master, TIOCSWINSZ, &small);
    see(&t, "too small");
    press(&t, "q");
    ck_assert_int_eq(finish(&t), 0);
    count = read_rows(&t, rows, COUNT(rows));
    ck_assert_double_lt(fabs(rows[count - 1].duty), 1e-9);
}
END_TEST

/* The window is closed while the pump runs: it comes to rest, and the record is whole. */
START_TEST(a_closed_window_stops_it) {
    for (int how = 0; how < 3; how++) {
        terminal t;
        start(&t, "xterm");
        see(&t, "Before power");
        press(&t, "y");
        pass(&t, 0.1);
        press(&t, "a");
        pass(&t, 0.6);
        press(&t, "++++++++++");
        (void)see_duty(&t, 0, true, 40);
        if (how == 0) {
            close(t.master);
        } else {
            kill(t.child, how == 1 ? SIGTERM : SIGHUP);
        }
        int status = 0;
        for (int i = 0; i < 1000 && waitpid(t.child, &status, WNOHANG) == 0; i++) {
            if (how == 0) {
                usleep(5000);
            } else {
                pass(&t, 0.005);
            }
        }
        ck_assert_msg(WIFEXITED(status), "way %d: %d", how, status);
        size_t count = read_rows(&t, rows, COUNT(rows));
        ck_assert_uint_gt(count, 0);
        ck_assert_double_lt(fabs(rows[count - 1].duty), 1e-9);
    }
}
END_TEST

/* The same lines as on a pipe, on a serial device; unplugged, everything comes to rest. */
START_TEST(lines_on_a_device) {
    terminal t = {0};
    int slave;
    char name[64];
    ck_assert_int_eq(openpty(&t.master, &slave, name, NULL, NULL), 0);
    snprintf(t.trace, sizeof t.trace, "%s", scratch("device.csv"));
    unlink(t.trace);
    t.child = fork();
    if (t.child == 0) {
        close(t.master);
        close(slave);
        execl(TEST_TOOL, TEST_TOOL, "live", PUMP, "--device", name, "--late", "5s", "--trace",
              t.trace, "--powered", "--confirmed", "--link", "1s", (char *)NULL);
        _exit(99);
    }
    pass(&t, 0.4);
    press(&t, "command\r\nconfirm\narm\npump ramp 40%\npump ramp 9"); /* and half a line */
    see(&t, "{\"answer\":4,\"ok\":true,\"words\":\"pump ramp 40%\"}");
    ck_assert_msg(strstr(t.shown, "command\r\n") == NULL, "a device does not echo: %.900s",
                  t.shown);
    (void)see_duty(&t, 0, true, 39);
    close(slave);
    close(t.master);
    int status = 0;
    for (int i = 0; i < 1000 && waitpid(t.child, &status, WNOHANG) == 0; i++) {
        usleep(5000);
    }
    ck_assert_msg(WIFEXITED(status) && WEXITSTATUS(status) < 2, "%d", status);
    size_t count = read_rows(&t, rows, COUNT(rows));
    ck_assert_uint_gt(count, 0);
    ck_assert_double_lt(fabs(rows[count - 1].duty), 1e-9);
}
END_TEST

int main(void) {
    Suite *suite = suite_create("terminal");
    TCase *tests = tcase_create("terminal");
    tcase_set_timeout(tests, 1200);
    tcase_add_test(tests, the_stop_key_works_at_once_in_every_mode);
    tcase_add_test(tests, keys_do_what_the_screen_says);
    tcase_add_test(tests, a_closed_window_stops_it);
    tcase_add_test(tests, lines_on_a_device);
    suite_add_tcase(suite, tests);
    return run_suite(suite);
}
