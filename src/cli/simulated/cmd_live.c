/* windpin live RIG: a rig driven by hand on simulated hardware, in real time. */
#define _GNU_SOURCE
#include "../live.h"
#include "../vet_words.h"
#include "windpin/host/rehearsal.h"
#include <errno.h>
#include <fcntl.h>
#include <sched.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <termios.h>
#include <unistd.h>

#define LATE_AFTER 0.1 /* s: a gap of the simulated hardware's time that is a fault */

enum {
    KEY_LINES = 256,
    KEY_DEVICE,
    KEY_POWERED,
    KEY_TRACE,
    KEY_SAMPLE,
    KEY_LINK,
    KEY_CONFIRMED,
    KEY_FAULT,
    KEY_PAGE,
    KEY_SAVE,
    KEY_PRIORITY,
    KEY_BUS,
    KEY_PREFIX,
    KEY_USER,
    KEY_CA,
    KEY_RATE
};

static const struct argp_option options[] = {
    {"lines", KEY_LINES, NULL, 0,
     "Requests in lines on standard input, answers in JSON on standard output; so too where "
     "standard output is no terminal",
     0},
    {"device", KEY_DEVICE, "PATH", 0, "The same lines on a serial device or pseudo-terminal", 0},
    {"page", KEY_PAGE, "PORT", OPTION_ARG_OPTIONAL,
     "Also a page for browsers on this computer, on a port (any that is free); its link is printed",
     0},
    {"bus", KEY_BUS, "HOST[:PORT]", OPTION_ARG_OPTIONAL,
     "Also on a message bus: the MQTT broker there, or the one that the rig names", 0},
    {"prefix", KEY_PREFIX, "TOPIC", 0,
     "What its topics begin with, before the rig's name (windpin)", 0},
    {"user", KEY_USER, "NAME", 0,
     "As whom; the password is taken from the environment, WINDPIN_BUS_PASSWORD", 0},
    {"certificates", KEY_CA, "FILE.pem", 0, "Check the broker's certificate by these: TLS", 0},
    {"rate", KEY_RATE, "HZ", 0, "States a second on the bus, 0.1 to 50 (5)", 0},
    {"link", KEY_LINK, "TIME", 0,
     "Silence of who commands that ends every motion: 50ms to 600s (250ms)", 0},
    {"priority", KEY_PRIORITY, "N", 0,
     "Real-time priority 1 to 50, and locked memory, where this computer allows them", 0},
    {"confirmed", KEY_CONFIRMED, NULL, 0,
     "The power-up checklist was gone through; the record says that this option said so", 0},
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on at the start", 0},
    {"fault", KEY_FAULT, "'NAME WHAT'", 0, "A fault from the start, e.g. 'pump stalled'", 0},
    {"save", KEY_SAVE, "FILE.plan", 0, "At the end, what was asked as a plan that does it again",
     0},
    {"trace", KEY_TRACE, "FILE.csv", 0, "Write a trace of every load (CSV)", 0},
    {"sample", KEY_SAMPLE, "HZ", 0, "Rows of the trace per second, 1 to 10000 (100)", 0},
    {0}};

static const char doc[] =
    "Drives the loads of a rig by hand, on simulated hardware in real time. What is asked for are "
    "the actions of the plan language, one at a time; nothing moves before it is armed, and what "
    "is "
    "not said again within the link time-out ends on its ramp.\v"
    "Example:\n"
    "  printf 'command\\nconfirm\\narm\\nmain on\\npump run 60%% for 1s\\nstate\\n' |\n"
    "    windpin live demo/honey-pump.yaml --lines --link 2s\n\n"
    "docs/live.md has the requests and what answers them.\n\n"
    "Exit status: 0 fine; 1 something faulted, burnt, or was not as asked; 2 the files or the "
    "usage "
    "are wrong.";

typedef struct live_arguments {
    cli_run run;
    const char *device, *save;
    const char *broker_said; /* NULL: the rig's */
    char broker[256];
    wpin_bus_options bus; /* host NULL: none */
    double link;
    int port;     /* -1: no page */
    int priority; /* 0: as any program */
    bool lines, confirmed, on_bus;
} live_arguments;

static double quantity(struct argp_state *state, const char *name, const char *text,
                       wpin_dimension dimension, double least, double most, const char *range) {
    double value;
    char why[200];
    if (!wpin_quantity_read(text, dimension, &value, why, sizeof why) || value < least ||
        value > most) {
        argp_error(state, "--%s %s: expected %s", name, text, range);
    }
    return value;
}

/* HOST or HOST:PORT; false where it is neither. */
static bool take_broker(live_arguments *a, const char *arg) {
    snprintf(a->broker, sizeof a->broker, "%s", arg);
    char *colon = strrchr(a->broker, ':'), *rest = a->broker;
    long port = 0;
    if (colon != NULL) {
        *colon = '\0';
        port = strtol(colon + 1, &rest, 10);
    }
    if (a->broker[0] == '\0' || (colon != NULL && (*rest != '\0' || port < 1 || port > 65535))) {
        return false;
    }
    a->bus.host = a->broker;
    a->bus.port = (int)port;
    return true;
}

/* What no option says the rig does, and else what is usual. */
static bool fill_in(live_arguments *a, const wpin_rig *rig) {
    const wpin_rig_live *r = &rig->live;
    a->link = a->link > 0 ? a->link : r->link_timeout > 0 ? r->link_timeout : WPIN_LINK_USUAL;
    a->port = a->port == 0 ? (int)r->port : a->port;
    a->bus.rate = a->bus.rate > 0 ? a->bus.rate : r->rate > 0 ? r->rate : 5;
    if (a->bus.prefix == NULL) {
        a->bus.prefix = r->prefix[0] != '\0' ? r->prefix : "windpin";
    }
    const char *broker = a->on_bus && a->broker_said == NULL ? r->broker : a->broker_said;
    if (a->on_bus && (broker == NULL || !take_broker(a, broker))) {
        cli_complain("--bus%s%s: expected a host, or a host and a port, e.g. localhost:1883%s",
                     broker == NULL || broker[0] == '\0' ? "" : "=", broker == NULL ? "" : broker,
                     a->broker_said == NULL ? "; or live: {broker: ...} in the rig" : "");
        return false;
    }
    return true;
}

static error_t parse(int key, char *arg, struct argp_state *state) {
    live_arguments *a = state->input;
    char *rest;
    switch (key) {
    case KEY_LINES: a->lines = true; break;
    case KEY_DEVICE: a->device = arg; break;
    case KEY_SAVE: a->save = arg; break;
    case KEY_BUS:
        a->on_bus = true;
        a->broker_said = arg;
        break;
    case KEY_PREFIX:
        if (strpbrk(arg, "+#$ ") != NULL || strlen(arg) > 60 || arg[0] == '\0') {
            argp_error(state, "--prefix '%s': expected up to 60 characters, none of + # $ or blank",
                       arg);
        }
        a->bus.prefix = arg;
        break;
    case KEY_USER: a->bus.user = arg; break;
    case KEY_CA: a->bus.ca_file = arg; break;
    case KEY_RATE:
        a->bus.rate = strtod(arg, &rest);
        if (rest == arg || *rest != '\0' || !(a->bus.rate >= 0.1 && a->bus.rate <= 50)) {
            argp_error(state, "--rate %s: expected a number of states per second, 0.1 to 50", arg);
        }
        break;
    case KEY_PRIORITY:
        a->priority = (int)strtol(arg, &rest, 10);
        if (rest == arg || *rest != '\0' || a->priority < 1 || a->priority > 50) {
            argp_error(state, "--priority %s: expected a number, 1 to 50", arg);
        }
        break;
    case KEY_PAGE: {
        long port = arg == NULL ? 0 : strtol(arg, &rest, 10);
        if (arg != NULL && (rest == arg || *rest != '\0' || port < 1 || port > 65535)) {
            argp_error(state, "--page=%s: expected a port, 1 to 65535, or none", arg);
        }
        a->port = (int)port;
        break;
    }
    case KEY_POWERED: a->run.supplies_on = true; break;
    case KEY_CONFIRMED: a->confirmed = true; break;
    case KEY_TRACE: a->run.trace_path = arg; break;
    case KEY_LINK:
        a->link = quantity(state, "link", arg, WPIN_TIME, WPIN_LINK_LEAST, WPIN_LINK_MOST,
                           "a time, 50ms to 600s");
        break;
    case KEY_FAULT:
        if (a->run.fault_count == sizeof a->run.faults / sizeof *a->run.faults) {
            argp_error(state, "--fault %s: 16 faults at once are the most", arg);
        }
        a->run.faults[a->run.fault_count++] = arg;
        break;
    case KEY_SAMPLE: {
        double hz = strtod(arg, &rest);
        if (rest == arg || *rest != '\0' || !(hz >= 1 && hz <= 1e4)) {
            argp_error(state, "--sample %s: expected a number of rows per second, 1 to 10000", arg);
        }
        a->run.sample_seconds = 1 / hz;
        break;
    }
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state,
                       "'%s' is one too many; expected one rig (a port or host is joined on: "
                       "--page=8123, --bus=localhost)",
                       arg);
        }
        a->run.files[0] = arg;
        break;
    case ARGP_KEY_END:
        if (state->arg_num < 1) {
            argp_error(state, "expected a rig");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* ---- the session ---- */

/* What burns by itself when it is powered is not opened. */
static bool is_vetted(const cli_run *run, const wpin_rig *rig) {
    wpin_vet_options how = {.powered = run->supplies_on};
    wpin_vetting *vetting = wpin_vet(rig, NULL, &how);
    bool good = vetting != NULL && vetting->refusals == 0;
    if (vetting == NULL) {
        cli_complain("out of memory");
    } else if (!good) {
        cli_print_findings(stderr, vetting, run->files, WPIN_REFUSE);
        cli_complain("nothing was opened: %zu refused; windpin vet lists everything",
                     vetting->refusals);
        cli_print_acceptance(stderr, vetting);
    }
    wpin_vetting_free(vetting);
    return good;
}

/* Goes on the bus and says where; false with a complaint. */
static bool open_bus(const live_arguments *a, cli_hands *hands) {
    char why[300];
    wpin_bus_options how = a->bus;
    if (how.host == NULL) {
        return true;
    }
    how.password = getenv("WINDPIN_BUS_PASSWORD");
    how.port = how.port != 0 ? how.port : how.ca_file != NULL ? 8883 : 1883;
    hands->bus = wpin_bus_open(hands->live, &hands->pace, &hands->states, &how, why, sizeof why);
    if (hands->bus == NULL) {
        cli_complain("--bus: %s", why);
        return false;
    }
    fprintf(stderr, "On the bus at %s:%d: topics below %s\n", how.host, how.port,
            wpin_bus_topic(hands->bus));
    return true;
}

/* Before others, and never waiting for memory from the disk. */
static bool take_priority(const live_arguments *a) {
    struct sched_param how = {.sched_priority = a->priority};
    bool taken = a->priority == 0 || (mlockall(MCL_CURRENT | MCL_FUTURE) == 0 &&
                                      sched_setscheduler(0, SCHED_FIFO, &how) == 0);
    if (!taken) {
        cli_complain("--priority %d: not allowed here: %s; windpin missing says how to mend it",
                     a->priority, strerror(errno));
    }
    return taken;
}

/* Both ends of the lines: a device is raw, 8 bits, its speed as it is set. */
static int open_device(const char *path) {
    int file = open(path, O_RDWR | O_NOCTTY | O_CLOEXEC);
    struct termios how;
    if (file < 0) {
        cli_complain("%s: can't be opened: %s", path, strerror(errno));
    } else if (tcgetattr(file, &how) == 0) {
        cfmakeraw(&how);
        tcsetattr(file, TCSANOW, &how);
    }
    return file;
}

/* Whether there is a terminal to draw on, and nobody asked for lines. */
static bool has_screen(const live_arguments *a) {
    return !a->lines && a->device == NULL && isatty(STDIN_FILENO) && isatty(STDOUT_FILENO);
}

static bool drive(const live_arguments *a, cli_hands *hands) {
    int device = a->device == NULL ? -1 : open_device(a->device);
    if (a->device != NULL && device < 0) {
        return false;
    }
    bool alone = (hands->page != NULL || hands->bus != NULL) && !a->lines && device < 0;
    bool kept = has_screen(a) ? cli_live_screen(hands)
                : alone       ? cli_live_alone(hands)
                : device >= 0 ? cli_live_lines(hands, device, device)
                              : cli_live_lines(hands, STDIN_FILENO, STDOUT_FILENO);
    if (device >= 0) {
        close(device);
    }
    return kept;
}

/* Opens the page and says where; false with a complaint. */
static bool open_page(const live_arguments *a, cli_hands *hands) {
    char why[200];
    if (a->port < 0) {
        return true;
    }
    hands->page =
        wpin_page_open(hands->live, &hands->pace, &hands->states, a->port, why, sizeof why);
    if (hands->page == NULL) {
        cli_complain("--page: %s", why);
        return false;
    }
    fprintf(stderr, "The page, for browsers on this computer: %s\n", wpin_page_link(hands->page));
    if (has_screen(a)) {
        fprintf(stderr, "Enter goes on.\n"); /* the screen would cover it */
        while (getchar() != '\n' && !feof(stdin)) {
        }
    }
    return true;
}

/* What moves comes to rest; then the report. */
static wpin_report *finish(cli_hands *hands, char *why, size_t size) {
    *hands->interrupted = 1;
    while (wpin_session_step(hands->session)) {
    }
    return wpin_session_close(hands->session, why, size);
}

static int work(const live_arguments *a, const wpin_rig *rig, const wpin_bench *bench,
                wpin_csv *csv, const wpin_injection *faults) {
    char why[400] = "";
    wpin_status refused;
    cli_hands hands = {.rig = rig, .interrupted = cli_catch_signals()};
    wpin_session_options how = {.supplies_on = a->run.supplies_on,
                                .disarmed = true,
                                .faults = faults,
                                .fault_count = a->run.fault_count,
                                .sample_seconds =
                                    a->run.sample_seconds > 0 ? a->run.sample_seconds : 0.01,
                                .csv = csv,
                                .onlooker = &wpin_verdicts,
                                .interrupted = hands.interrupted};
    hands.session = wpin_session_open(rig, NULL, bench, &how, &refused, why, sizeof why);
    if (hands.session == NULL) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    hands.live = wpin_live_open(rig, hands.session, a->link);
    bool kept = hands.live != NULL;
    if (kept) {
        signal(SIGPIPE, SIG_IGN);
        if (a->confirmed) {
            wpin_live_confirm(hands.live, "the option --confirmed");
        }
        kept = open_bus(a, &hands) && open_page(a, &hands) &&
               take_priority(a); /* their threads go without */
        wpin_pace_begin(&hands.pace, LATE_AFTER);
        kept = kept && drive(a, &hands);
        wpin_page_close(hands.page);
        wpin_bus_close(hands.bus);
        wpin_states_free(&hands.states);
    }
    wpin_report *report = finish(&hands, why, sizeof why);
    if (report != NULL && a->save != NULL && !wpin_live_write_plan(hands.live, report, a->save)) {
        cli_complain("%s: can't be written: %s", a->save, strerror(errno));
        kept = false;
    }
    bool bad = report == NULL || report->bad || !kept;
    if (report == NULL) {
        cli_complain("%s", why);
    } else if (has_screen(a)) {
        cli_run shown = a->run;
        shown.files[1] = "by hand";
        shown.all_rounds = true;
        cli_print_report(&shown, rig, report);
    }
    wpin_report_free(report);
    wpin_live_free(hands.live);
    return bad ? EXIT_MET_FAULT : EXIT_FINE;
}

static int open_all(const live_arguments *a, const wpin_rig *rig) {
    wpin_injection faults[sizeof a->run.faults / sizeof *a->run.faults];
    if (!is_vetted(&a->run, rig) || !cli_read_faults(&a->run, rig, faults) ||
        !cli_may_write(a->run.trace_path) || !cli_may_write(a->save)) {
        return EXIT_WRONG_INPUT;
    }
    wpin_csv *csv = a->run.trace_path == NULL ? NULL : wpin_csv_open(a->run.trace_path, rig);
    if (a->run.trace_path != NULL && csv == NULL) {
        cli_complain("%s: can't be written: %s", a->run.trace_path, strerror(errno));
        return EXIT_WRONG_INPUT;
    }
    wpin_board_bench board = {.rig = rig, .sim = wpin_board_build(rig)};
    int status = EXIT_WRONG_INPUT;
    if (board.sim == NULL) {
        cli_complain("out of memory");
    } else {
        wpin_bench bench = wpin_bench_on_board(&board);
        status = work(a, rig, &bench, csv, faults);
    }
    int error = csv == NULL ? 0 : wpin_csv_close(csv);
    if (error != 0) {
        cli_complain("%s: writing failed: %s", a->run.trace_path, strerror(error));
        status = EXIT_MET_FAULT;
    }
    wpin_board_bench_free(&board);
    return status;
}

int cmd_live(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG", doc, NULL, NULL, NULL};
    live_arguments a = {.port = -1};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.run.files[0]);
    if (rig != NULL && !fill_in(&a, rig)) {
        wpin_rig_free(rig);
        return EXIT_WRONG_INPUT;
    }
    int status = rig == NULL ? EXIT_WRONG_INPUT : open_all(&a, rig);
    wpin_rig_free(rig);
    return status;
}
