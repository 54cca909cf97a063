/* windpin missing: what this computer lacks for the commands, found without changing anything. */
#define _GNU_SOURCE
#include "cli.h"
#include "cli_json.h"
#include <argp.h>
#include <arpa/inet.h>
#include <dirent.h>
#include <errno.h>
#include <glob.h>
#include <grp.h>
#include <langinfo.h>
#include <locale.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <time.h>
#include <unistd.h>

typedef enum look_grade { HERE, LESS, MISSING } look_grade;

/* What one look came to. */
typedef struct look {
    look_grade grade;
    char words[200], cure[240];
} look;

__attribute__((format(printf, 3, 4))) static void found(look *l, look_grade how, const char *format,
                                                        ...) {
    va_list list;
    va_start(list, format);
    l->grade = how;
    wpin_print_plain(l->words, sizeof l->words, format, list);
    va_end(list);
}

static void mend(look *l, const char *cure) {
    snprintf(l->cure, sizeof l->cure, "%s", cure);
}

/* Whether a program is on the path. */
static bool has_program(const char *name) {
    char path[4096];
    const char *all = getenv("PATH");
    for (const char *at = all; at != NULL && *at != '\0';) {
        size_t length = strcspn(at, ":");
        snprintf(path, sizeof path, "%.*s/%s", (int)length, at, name);
        if (access(path, X_OK) == 0) {
            return true;
        }
        at += length + (at[length] == ':');
    }
    return false;
}

/* ---- one look each ---- */

/* What the terminal is said to have so many of; -1: it is not known. */
static int number_of(const char *capability) {
    char command[64], line[32] = "";
    snprintf(command, sizeof command, "tput %s 2> /dev/null", capability);
    FILE *answer = popen(command, "r");
    bool said = answer != NULL && fgets(line, sizeof line, answer) != NULL;
    return answer != NULL && pclose(answer) == 0 && said ? atoi(line) : -1;
}

static void look_at_terminal(look *l) {
    const char *term = getenv("TERM");
    int wide = number_of("cols"), high = number_of("lines");
    setlocale(LC_CTYPE, "");
    bool utf8 = strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
    if (term != NULL && wide < 0 && !has_program("tput")) {
        found(l, LESS, "%s; tput, which knows terminals, is not found", term);
        mend(l, "apt install ncurses-bin");
        return;
    }
    if (term == NULL || wide < 0) {
        found(l, MISSING, "TERM is '%s': keys in a terminal can't be used",
              term == NULL ? "" : term);
        mend(
            l,
            "set TERM to what the terminal is, e.g. TERM=xterm; windpin live --lines does without");
        return;
    }
    struct winsize size;
    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0) { /* as it is now */
        wide = size.ws_col;
        high = size.ws_row;
    }
    bool large = wide >= 80 && high >= 24;
    found(l, large && utf8 ? HERE : LESS, "%s, %d x %d, %s%s", term, wide, high,
          number_of("colors") >= 8 ? "colours" : "no colours", utf8 ? ", UTF-8" : ", not UTF-8");
    mend(l, !large ? "make its window 80 x 24 or larger"
            : utf8 ? ""
                   : "set LC_ALL=C.UTF-8 for finer bars");
}

static void look_at_pictures(look *l) {
    if (has_program("gnuplot")) {
        found(l, HERE, "gnuplot draws them");
    } else {
        found(l, MISSING, "gnuplot is not found: windpin plot and --plot can't draw");
        mend(l, "apt install gnuplot-nox");
    }
}

static void look_at_page(look *l) {
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    int s = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    bool listens =
        s >= 0 && bind(s, (struct sockaddr *)&here, sizeof here) == 0 && listen(s, 1) == 0;
    if (s >= 0) {
        close(s);
    }
    bool opens =
        has_program("xdg-open") || has_program("x-www-browser") || has_program("www-browser");
    if (!listens) {
        found(l, MISSING, "no port of 127.0.0.1 can be listened on: %s", strerror(errno));
        mend(l, "bring the loopback interface up: ip link set lo up");
    } else {
        found(l, opens ? HERE : LESS, "ports of 127.0.0.1 can be listened on%s",
              opens ? "" : "; no browser is found on the path");
        mend(l, opens ? "" : "install one, or forward the port to a computer that has one");
    }
}

static void look_at_bus(look *l) {
    struct sockaddr_in usual = {
        .sin_family = AF_INET, .sin_port = htons(1883), .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    int s = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    bool there = s >= 0 && connect(s, (struct sockaddr *)&usual, sizeof usual) == 0;
    if (s >= 0) {
        close(s);
    }
    found(l, there ? HERE : LESS,
          there ? "something listens on 127.0.0.1:1883, as MQTT brokers do"
                : "no broker listens on 127.0.0.1:1883");
    mend(l, there ? "" : "apt install mosquitto, or name another computer's");
}

/* Sleeps for a millisecond, often; by how much the worst was late. */
static double worst_sleep(void) {
    double worst = 0;
    for (int i = 0; i < 100; i++) {
        struct timespec before, after, ms = {.tv_nsec = 1000000};
        clock_gettime(CLOCK_MONOTONIC, &before);
        nanosleep(&ms, NULL);
        clock_gettime(CLOCK_MONOTONIC, &after);
        double took = (double)(after.tv_sec - before.tv_sec) +
                      (double)(after.tv_nsec - before.tv_nsec) * 1e-9;
        worst = fmax(worst, took - 1e-3);
    }
    return worst;
}

static void look_at_time(look *l) {
    double worst = worst_sleep();
    found(l, worst < 1e-3 ? HERE : LESS, "of 100 sleeps of 1 ms the worst was %.2f ms late",
          worst * 1e3);
    mend(l, worst < 1e-3 ? "" : "end what else keeps this computer busy while loads are driven");
}

static void look_at_priority(look *l) {
    struct rlimit priority, memory;
    getrlimit(RLIMIT_RTPRIO, &priority);
    getrlimit(RLIMIT_MEMLOCK, &memory);
    bool may = geteuid() == 0 || priority.rlim_cur > 0;
    bool locks = geteuid() == 0 || memory.rlim_cur == RLIM_INFINITY || memory.rlim_cur >= 64 << 20;
    found(l, may && locks ? HERE : LESS, "%s, %s",
          may ? "real-time priority is allowed" : "no real-time priority is allowed",
          locks ? "memory may be locked" : "memory may not be locked");
    mend(l, may && locks ? ""
                         : "in /etc/security/limits.d/: '@GROUP - rtprio 50' and '@GROUP - memlock "
                           "unlimited', GROUP being one you are in; then log in anew");
}

static void look_at_devices(look *l) {
    glob_t all = {0};
    size_t open = 0;
    char closed[80] = "", group[64] = "dialout";
    glob("/dev/ttyUSB*", 0, NULL, &all);
    glob("/dev/ttyACM*", GLOB_APPEND, NULL, &all);
    glob("/dev/ttyAMA*", GLOB_APPEND, NULL, &all);
    for (size_t i = 0; i < all.gl_pathc; i++) {
        struct stat s;
        if (access(all.gl_pathv[i], R_OK | W_OK) == 0) {
            open++;
        } else if (stat(all.gl_pathv[i], &s) == 0) {
            const struct group *g = getgrgid(s.st_gid);
            snprintf(closed, sizeof closed, "%s", all.gl_pathv[i]);
            snprintf(group, sizeof group, "%s", g != NULL ? g->gr_name : "its group");
        }
    }
    if (closed[0] != '\0') {
        found(l, MISSING, "%s may not be opened by you", closed);
        snprintf(l->cure, sizeof l->cure, "usermod -aG %s $USER, then log in anew", group);
    } else if (all.gl_pathc == 0) {
        found(l, LESS, "no serial device is connected");
        mend(l, "connect one, if lines are to come over it");
    } else {
        found(l, HERE, "%zu serial device%s may be opened", open, open == 1 ? "" : "s");
    }
    globfree(&all);
}

/* How many of these there are; how many of them may be opened. */
static size_t count_of(const char *pattern, size_t *open) {
    glob_t all = {0};
    *open = 0;
    glob(pattern, 0, NULL, &all);
    for (size_t i = 0; i < all.gl_pathc; i++) {
        *open += access(all.gl_pathv[i], R_OK | W_OK) == 0;
    }
    size_t count = all.gl_pathc;
    globfree(&all);
    return count;
}

static void look_at_pins(look *l) {
    size_t open, count = count_of("/dev/gpiochip*", &open);
    if (count == 0) {
        found(l, LESS, "no GPIO chip: this computer has no pins of its own");
        mend(l, "plug in an expander, or load its module; simulated hardware needs none");
    } else if (open < count) {
        found(l, MISSING, "%zu of %zu GPIO chips may not be opened by you", count - open, count);
        mend(l, "usermod -aG gpio $USER, or the group that 'ls -l /dev/gpiochip0' shows; then log "
                "in anew");
    } else {
        found(l, HERE, "%zu GPIO chip%s may be opened", count, count == 1 ? "" : "s");
    }
}

static void look_at_pwm(look *l) {
    size_t open, count = count_of("/sys/class/pwm/pwmchip*/export", &open);
    if (count == 0) {
        found(l, LESS, "no PWM chip: pins with a PWM channel can't be driven");
        mend(l, "enable PWM in the board's overlays or device tree; or 'pwm-by: software'");
    } else if (open < count) {
        found(l, MISSING, "%zu of %zu PWM chips may not be written by you", count - open, count);
        mend(l, "a udev rule that gives /sys/class/pwm to a group you are in; or run it as root");
    } else {
        found(l, HERE, "%zu PWM chip%s may be used", count, count == 1 ? "" : "s");
    }
}

static void look_at_files(look *l) {
    struct statvfs disk;
    double free_mb =
        statvfs(".", &disk) == 0 ? (double)disk.f_bavail * (double)disk.f_frsize / 1e6 : 0;
    if (access(".", W_OK) != 0) {
        found(l, MISSING, "this folder can't be written in: %s", strerror(errno));
        mend(l, "change to one of your own before --trace, --plot, --save or windpin new");
    } else {
        found(l, free_mb > 100 ? HERE : LESS, "this folder can be written in, %.0f MB are free",
              free_mb);
        mend(l, free_mb > 100
                    ? ""
                    : "an hour's record of eight loads takes about 200 MB at 100 rows a second");
    }
}

static const struct {
    const char *what, *used_by;
    void (*look)(look *l);
} looks[] = {{"terminal", "windpin live", look_at_terminal},
             {"page", "windpin live --page", look_at_page},
             {"bus", "windpin live --bus", look_at_bus},
             {"devices", "windpin live --device", look_at_devices},
             {"time", "windpin live", look_at_time},
             {"priority", "windpin live", look_at_priority},
             {"pins", "windpin run --real", look_at_pins},
             {"pwm", "windpin run --real", look_at_pwm},
             {"pictures", "windpin plot, --plot", look_at_pictures},
             {"files", "every result", look_at_files}};

/* ---- the command ---- */

static const char doc[] =
    "Looks at what this computer has for the commands of windpin, changes nothing, and says what "
    "is missing and how to mend it.\v"
    "Example:\n"
    "  windpin missing\n"
    "\n"
    "Exit status: 0 nothing is missing; 1 something is.";

static const struct argp_option options[] = {{"json", 'j', NULL, 0, "Print the result as JSON", 0},
                                             {0}};

static error_t parse(int key, char *arg, struct argp_state *state) {
    (void)arg;
    if (key == 'j') {
        *(bool *)state->input = true;
        return 0;
    }
    return ARGP_ERR_UNKNOWN;
}

int cmd_missing(int argc, char **argv) {
    static const struct argp argp = {options, parse, "", doc, NULL, NULL, NULL};
    static const char *const words[] = {"here", "less", "missing"};
    bool json = false, some = false;
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &json);
    json_t *all = json ? json_array() : NULL;
    for (size_t i = 0; i < sizeof looks / sizeof *looks; i++) {
        look l = {0};
        looks[i].look(&l);
        some = some || l.grade == MISSING;
        if (json) {
            json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:s, s:s}", "what", looks[i].what,
                                                 "grade", words[l.grade], "words", l.words, "cure",
                                                 l.cure, "used_by", looks[i].used_by));
            continue;
        }
        wpin_verdict paint = l.grade == HERE   ? WPIN_VERDICT_OK
                             : l.grade == LESS ? WPIN_VERDICT_NOTE
                                               : WPIN_VERDICT_BAD;
        printf("%s%-8s%s %-9s %s\n", cli_paint(paint), words[l.grade], cli_plain(), looks[i].what,
               l.words);
        if (l.cure[0] != '\0') {
            printf("%18s -> %s (%s)\n", "", l.cure, looks[i].used_by);
        }
    }
    if (json) {
        cli_dump_json(json_pack("{s:o}", "looked_at", all));
    }
    return some ? EXIT_MET_FAULT : EXIT_FINE;
}
