/* windpin field drives RIG: the simulated drives of a rig on a socket, in real time, for other
 * programs of this computer. */
#define _GNU_SOURCE
#include "../field.h"
#include "windpin/host/rehearsal.h"
#include <argp.h>
#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/prctl.h>
#include <time.h>
#include <unistd.h>

enum { KEY_AT = 256, KEY_BUS, KEY_WITH_PARENT, KEY_EDS };

#define STEP_PS 500000000LL /* half a millisecond */

typedef struct drives_arguments {
    const char *path, *at, *bus, *eds;
    bool with_parent;
} drives_arguments;

static const struct argp_option options[] = {
    {"at", KEY_AT, "PLACE", 0, "Path of a socket to be made, or a (virtual) CAN interface", 0},
    {"bus", KEY_BUS, "NAME", 0, "Which field bus of the rig, where it has several", 0},
    {"until-parent-ends", KEY_WITH_PARENT, NULL, 0, "End with the program that started this", 0},
    {"eds", KEY_EDS, "FILE", 0, "Write the data sheet of a simulated drive (CiA 306), and end", 0},
    {0}};

static const char doc[] =
    "Starts the simulated drives of a rig, with their motors and supplies switched on, on a socket "
    "of this computer or a virtual CAN interface, in real time. Other commands reach them there as "
    "they reach real ones over can0. Ends with Ctrl-C, and takes the socket away.\v"
    "Example:\n"
    "  windpin field drives demo/honey-line.yaml --at=/tmp/line\n"
    "\n"
    "Exit status: 0 fine; 1 the bus is gone; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    drives_arguments *a = state->input;
    switch (key) {
    case KEY_AT: a->at = arg; break;
    case KEY_BUS: a->bus = arg; break;
    case KEY_EDS: a->eds = arg; break;
    case KEY_WITH_PARENT: a->with_parent = true; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state, "'%s' is one too many; expected a rig", arg);
        }
        a->path = arg;
        break;
    case ARGP_KEY_END:
        if (a->eds == NULL && (a->path == NULL || a->at == NULL || a->at[0] == '\0')) {
            argp_error(state, "expected a rig file, and where: --at=/tmp/line, or a virtual CAN "
                              "interface: --at=vcan0");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

/* All clients together are one station of the simulated bus. */
typedef struct server {
    wpin_drives *drives;
    wpin_hub *hub;        /* a socket... */
    wpin_bearer *bearer;  /* ...or an interface */
    wpin_frame told[256]; /* by drives, and not passed on yet */
    int count;
} server;

static void overhear(void *context, const wpin_frame *frame, int64_t at) {
    server *s = context;
    (void)at;
    if (s->count < 256) {
        s->told[s->count++] = *frame;
    }
}

static void take(void *context, int client, const wpin_frame *frame) {
    server *s = context;
    if (frame == NULL) {
        return;
    }
    wpin_hub_tell(s->hub, frame, client);
    wpin_drives_tell(s->drives, frame);
}

/* Lets frames come for so long. */
static void hear_others(server *s, double seconds) {
    wpin_frame frame;
    if (s->hub != NULL) {
        wpin_hub_serve(s->hub, seconds, take, s);
        return;
    }
    wpin_fieldbus bus = wpin_bearer_bus(s->bearer);
    wpin_bearer_wait(s->bearer, seconds);
    while (bus.receive(bus.context, &frame)) {
        wpin_drives_tell(s->drives, &frame);
    }
}

static void tell_others(server *s) {
    for (int i = 0; i < s->count; i++) {
        if (s->hub != NULL) {
            wpin_hub_tell(s->hub, &s->told[i], -1);
        } else {
            wpin_fieldbus bus = wpin_bearer_bus(s->bearer);
            (void)bus.send(bus.context, &s->told[i]);
        }
    }
    s->count = 0;
}

static double seconds_now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (double)t.tv_sec + (double)t.tv_nsec * 1e-9;
}

static int serve(server *s) {
    volatile int *stopped = cli_catch_signals();
    double begun = seconds_now() - (double)wpin_drives_time(s->drives) * 1e-12;
    while (*stopped == 0) {
        double ahead =
            begun + (double)(wpin_drives_time(s->drives) + STEP_PS) * 1e-12 - seconds_now();
        hear_others(s, fmax(ahead, 0));
        if (ahead < -0.5) {
            begun -= ahead; /* this computer was busy: that is not made up for */
        }
        if (begun + (double)(wpin_drives_time(s->drives) + STEP_PS) * 1e-12 <= seconds_now()) {
            wpin_drives_advance(s->drives, STEP_PS);
        }
        tell_others(s);
        if (s->bearer != NULL && wpin_bearer_is_gone(s->bearer)) {
            cli_complain("%s", wpin_bearer_trouble(s->bearer));
            return EXIT_MET_FAULT;
        }
    }
    return EXIT_FINE;
}

static int find_bus(const wpin_rig *rig, const char *name) {
    for (size_t i = 0; i < rig->fieldbus_count; i++) {
        if (name == NULL ? rig->fieldbus_count == 1 : strcmp(rig->fieldbuses[i].name, name) == 0) {
            return (int)i;
        }
    }
    if (rig->fieldbus_count == 0) {
        cli_complain("the rig has no field bus, and so no drives on one");
    } else if (name == NULL) {
        cli_complain("the rig has %zu field buses; expected --bus=%s, or another",
                     rig->fieldbus_count, rig->fieldbuses[0].name);
    } else {
        cli_complain("the rig has no field bus '%s'; expected e.g. --bus=%s", name,
                     rig->fieldbuses[0].name);
    }
    return -1;
}

static void say_who(const wpin_rig *rig, int bus, const char *at) {
    printf("Simulated drives on %s:\n", at);
    for (size_t i = 0; i < rig->load_count; i++) {
        const wpin_rig_axis *a = &rig->loads[i].axis;
        if (a->there && a->bus == bus) {
            cli_say("  node %3g  %s\n", a->number, rig->loads[i].name);
        }
    }
    printf("In another terminal: windpin field look %s\nCtrl-C ends them.\n", at);
    fflush(stdout);
}

static int start(const drives_arguments *a, const wpin_rig *rig) {
    static server s;
    char why[300] = "out of memory";
    int bus = find_bus(rig, a->bus);
    if (bus < 0) {
        return EXIT_WRONG_INPUT;
    }
    s.drives = wpin_drives_open(rig, (size_t)bus, overhear, &s);
    bool socket = strchr(a->at, '/') != NULL && !wpin_bearer_is_line(a->at);
    s.hub = s.drives == NULL || !socket ? NULL : wpin_hub_open(a->at, why, sizeof why);
    s.bearer = s.drives == NULL || socket ? NULL : wpin_bearer_open(a->at, why, sizeof why);
    int status = EXIT_WRONG_INPUT;
    if (s.hub == NULL && s.bearer == NULL) {
        cli_complain("%s", why);
    } else {
        if (a->with_parent) {
            prctl(PR_SET_PDEATHSIG, SIGTERM);
        }
        say_who(rig, bus, a->at);
        status = a->with_parent && getppid() == 1 ? EXIT_FINE : serve(&s);
    }
    wpin_hub_close(s.hub);
    wpin_bearer_close(s.bearer);
    wpin_drives_free(s.drives);
    return status;
}

static int describe(const char *path) {
    FILE *file = fopen(path, "w");
    if (file != NULL) {
        wpin_drives_write_eds(file);
    }
    bool good = file != NULL && ferror(file) == 0;
    good = file != NULL && fclose(file) == 0 && good;
    if (!good) {
        cli_complain("%s can not be written", path);
    }
    return good ? EXIT_FINE : EXIT_WRONG_INPUT;
}

int field_drives(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG", doc, NULL, NULL, NULL};
    drives_arguments a = {0};
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (a.eds != NULL) {
        return describe(a.eds);
    }
    wpin_rig *rig = cli_read_rig(a.path);
    int status = rig == NULL ? EXIT_WRONG_INPUT : start(&a, rig);
    wpin_rig_free(rig);
    return status;
}
