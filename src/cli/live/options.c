/* windpin live: its options. */
#define _GNU_SOURCE
#include "options.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define LATE_AFTER 0.1 /* s: a gap of the simulated hardware's time that is a fault */

enum {
    KEY_LINES = 256,
    KEY_DEVICE,
    KEY_POWERED,
    KEY_TRACE,
    KEY_PLOT,
    KEY_SAMPLE,
    KEY_LINK,
    KEY_LATE,
    KEY_CONFIRMED,
    KEY_FAULT,
    KEY_PAGE,
    KEY_CERTIFICATE,
    KEY_PAGE_KEY,
    KEY_UNENCRYPTED,
    KEY_SAVE,
    KEY_PRIORITY,
    KEY_BUS,
    KEY_PREFIX,
    KEY_USER,
    KEY_CA,
    KEY_RATE,
    KEY_REAL
};

static const struct argp_option options[] = {
    {"lines", KEY_LINES, NULL, 0,
     "Requests in lines on standard input, answers in JSON on standard output; so too where "
     "standard output is not a terminal",
     0},
    {"device", KEY_DEVICE, "PATH", 0, "The same lines on a serial device or pseudo-terminal", 0},
    {"page", KEY_PAGE, "[ADDRESS:]PORT", OPTION_ARG_OPTIONAL,
     "Also a page for browsers, on a port (any that is free) of this computer alone or of one of "
     "its addresses; its link is printed",
     0},
    {"page-certificate", KEY_CERTIFICATE, "FILE.pem", 0,
     "The page is encrypted (TLS): its certificate, with those it rests on", 0},
    {"page-key", KEY_PAGE_KEY, "FILE.pem", 0, "The certificate's private key", 0},
    {"page-unencrypted", KEY_UNENCRYPTED, NULL, 0,
     "The page may be on an address that others reach without a certificate: who listens on that "
     "network can drive",
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
    {"late", KEY_LATE, "TIME", 0,
     "A gap in which this computer did not keep up that is a fault of what moves: 50ms to 10s "
     "(100ms)",
     0},
    {"confirmed", KEY_CONFIRMED, NULL, 0,
     "The power-up checklist was gone through; the record says that this option said so", 0},
    {"real", KEY_REAL, NULL, 0,
     "On the pins of this computer, as the rig's 'linux' says where they are", 0},
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on at the start", 0},
    {"fault", KEY_FAULT, "'NAME WHAT'", 0, "A fault from the start, e.g. 'pump stalled'", 0},
    {"save", KEY_SAVE, "FILE.plan", 0, "At the end, what was asked as a plan that does it again",
     0},
    {"trace", KEY_TRACE, "FILE.csv", 0, "Write a trace of every load (CSV)", 0},
    {"plot", KEY_PLOT, "FILE.png", 0, "At the end, draw the trace (.png or .svg)", 0},
    {"sample", KEY_SAMPLE, "HZ", 0, "Rows of the trace per second, 1 to 10000 (100)", 0},
    {0}};

static const char doc[] =
    "Drives the loads of a rig by hand, in real time on simulated hardware or on real pins. What "
    "is asked for are the actions of the plan language, one at a time; nothing moves before it is "
    "armed, and what is not said again within the link time-out ends on its ramp. A plan may be "
    "given: then it can be run, watched and ended from there.\v"
    "Example:\n"
    "  printf 'command\\n"
    "arm\\n"
    "main on\\n"
    "pump run 60%% for 1s\\n"
    "state\\n"
    "' |\n"
    "    windpin live demo/honey-pump.yaml --lines --confirmed --link 2s\n"
    "docs/live.md has the requests and what answers them.\n"
    "\n"
    "Exit status: 0 fine; 1 something faulted, burnt, or was not as asked; 2 nothing was driven: "
    "the files, the usage, or what it should listen on.";

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
static bool take_broker(cli_live_arguments *a, const char *arg) {
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
bool cli_live_fill_in(cli_live_arguments *a, const wpin_rig *rig) {
    const wpin_rig_live *r = &rig->live;
    a->link = a->link > 0 ? a->link : r->link_timeout > 0 ? r->link_timeout : WPIN_LINK_USUAL;
    a->page.port = a->page.port == 0 ? (int)r->port : a->page.port;
    if (a->page.address == NULL && r->address[0] != '\0') {
        a->page.address = r->address;
    }
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

/* PORT or ADDRESS:PORT; false where it is neither. */
static bool take_page(cli_live_arguments *a, const char *arg) {
    snprintf(a->page_said, sizeof a->page_said, "%s", arg == NULL ? "" : arg);
    char *colon = strrchr(a->page_said, ':'), *text = a->page_said, *rest;
    a->on_page = true;
    if (arg == NULL) {
        return true;
    }
    if (colon != NULL) {
        char *end = colon - 1;
        *colon = '\0';
        if (text[0] == '[' && end > text && *end == ']') { /* a number of version 6 */
            *end = '\0';
            text++;
        }
        a->page.address = text;
    }
    const char *digits = colon == NULL ? text : colon + 1;
    long port = strtol(digits, &rest, 10);
    a->page.port = (int)port;
    return rest != digits && *rest == '\0' && port >= 1 && port <= 65535 &&
           (colon == NULL || text[0] != '\0') && strlen(arg) < sizeof a->page_said;
}

static double number(struct argp_state *state, const char *name, const char *text, double least,
                     double most, const char *expected) {
    char *rest;
    double value = strtod(text, &rest);
    if (rest == text || *rest != '\0' || !(value >= least && value <= most)) {
        argp_error(state, "--%s %s: expected %s", name, text, expected);
    }
    return value;
}

static void add_fault(cli_live_arguments *a, const char *text, struct argp_state *state) {
    if (a->run.fault_count == sizeof a->run.faults / sizeof *a->run.faults) {
        argp_error(state, "--fault %s: 16 faults at once are the most", text);
    }
    a->run.faults[a->run.fault_count++] = text;
}

static void take_prefix(cli_live_arguments *a, const char *text, struct argp_state *state) {
    if (strpbrk(text, "+#$ ") != NULL || strlen(text) > 60 || text[0] == '\0') {
        argp_error(state, "--prefix '%s': expected up to 60 characters, none of + # $ or blank",
                   text);
    }
    a->bus.prefix = text;
}

static void take_file(cli_live_arguments *a, const char *arg, struct argp_state *state) {
    if (state->arg_num > 1) {
        argp_error(state,
                   "'%s' is one too many; expected a rig, and a plan if there is one (a port or "
                   "host is joined on: --page=8123, --bus=localhost)",
                   arg);
    }
    a->run.files[state->arg_num] = arg;
}

static void check_together(const cli_live_arguments *a, struct argp_state *state) {
    if (state->arg_num < 1) {
        argp_error(state, "expected a rig");
    }
    if ((a->page.certificate == NULL) != (a->page.key == NULL)) {
        argp_error(state, "--page-certificate and --page-key go together");
    }
    if (!a->on_page && (a->page.certificate != NULL || a->page.unencrypted)) {
        argp_error(state, "how the page is encrypted is of use with --page only");
    }
}

static error_t parse(int key, char *arg, struct argp_state *state) {
    cli_live_arguments *a = state->input;
    switch (key) {
    case KEY_LINES: a->lines = true; break;
    case KEY_DEVICE: a->device = arg; break;
    case KEY_SAVE: a->save = arg; break;
    case KEY_BUS:
        a->on_bus = true;
        a->broker_said = arg;
        break;
    case KEY_PREFIX: take_prefix(a, arg, state); break;
    case KEY_USER: a->bus.user = arg; break;
    case KEY_CA: a->bus.ca_file = arg; break;
    case KEY_RATE:
        a->bus.rate =
            number(state, "rate", arg, 0.1, 50, "a number of states per second, 0.1 to 50");
        break;
    case KEY_PRIORITY:
        a->priority = (int)number(state, "priority", arg, 1, 50, "a number, 1 to 50");
        break;
    case KEY_PAGE:
        if (!take_page(a, arg)) {
            argp_error(state,
                       "--page=%s: expected a port, 1 to 65535, or an address and a port, "
                       "e.g. 192.168.1.5:8123 or [::1]:8123",
                       arg);
        }
        break;
    case KEY_CERTIFICATE: a->page.certificate = arg; break;
    case KEY_PAGE_KEY: a->page.key = arg; break;
    case KEY_UNENCRYPTED: a->page.unencrypted = true; break;
    case KEY_REAL: a->run.real = true; break;
    case KEY_POWERED: a->run.supplies_on = true; break;
    case KEY_CONFIRMED: a->confirmed = true; break;
    case KEY_TRACE: a->run.trace_path = arg; break;
    case KEY_PLOT: a->run.plot_path = arg; break;
    case KEY_LINK:
        a->link = quantity(state, "link", arg, WPIN_TIME, WPIN_LINK_LEAST, WPIN_LINK_MOST,
                           "a time, 50ms to 600s");
        break;
    case KEY_LATE:
        a->late = quantity(state, "late", arg, WPIN_TIME, 0.05, 10, "a time, 50ms to 10s");
        break;
    case KEY_FAULT: add_fault(a, arg, state); break;
    case KEY_SAMPLE:
        a->run.sample_seconds =
            1 / number(state, "sample", arg, 1, 1e4, "a number of rows per second, 1 to 10000");
        break;
    case ARGP_KEY_ARG: take_file(a, arg, state); break;
    case ARGP_KEY_END: check_together(a, state); break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

void cli_live_parse(int argc, char **argv, cli_live_arguments *a) {
    static const struct argp argp = {options, parse, "RIG [PLAN]", doc, NULL, NULL, NULL};
    *a = (cli_live_arguments){.late = LATE_AFTER};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, a);
}
