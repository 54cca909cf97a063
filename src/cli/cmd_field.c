/* windpin field ACTION: a field bus and the drives on it, by hand. */
#define _GNU_SOURCE
#include "field.h"
#include <stdio.h>
#include <string.h>

#ifdef WPIN_NO_SIMULATOR
#define SIMULATED(action) NULL
#else
#define SIMULATED(action) action
#endif

static const struct {
    const char *name;
    int (*run)(int argc, char **argv); /* NULL: not in this build */
    const char *words;
} actions[] = {
    {"look", field_look, "who answers on a field bus, and what they say they are"},
    {"object", field_object, "read or write an object of a node, by name or number"},
    {"settings", field_settings, "what a rig sets its drives to beside what they have; store it"},
    {"parameters", field_parameters,
     "what a node is set to: saved, compared with a file or another node, copied"},
    {"watch", field_watch, "what a drive says of itself: state, speed, place, current, errors"},
    {"listen", field_listen, "every frame on a field bus, in words and on file"},
    {"drives", SIMULATED(field_drives),
     "the simulated drives of a rig, for other programs of this computer"},
};

enum { ACTIONS = sizeof actions / sizeof *actions };

static int help(FILE *to, int status) {
    fprintf(to, "Usage: windpin field ACTION [options] ...\n\n"
                "Actions:\n");
    for (int i = 0; i < ACTIONS; i++) {
        fprintf(to, "  %-10s %s\n", actions[i].name, actions[i].words);
    }
    fprintf(
        to,
        "\n"
        "A drive is moved by a plan (windpin run) or by hand (windpin live), as any other load.\n"
        "\n"
        "Example:\n"
        "  windpin field drives demo/honey-line.yaml --at=/tmp/line & sleep 1\n"
        "  windpin field look /tmp/line\n"
        "Real ones answer at a CAN interface: windpin field look can0. windpin field ACTION --help "
        "says more.\n");
    return status;
}

int cmd_field(int argc, char **argv) {
    char name[64];
    argp_err_exit_status = EXIT_WRONG_INPUT;
    if (argc < 2) {
        return help(stderr, EXIT_WRONG_INPUT);
    }
    if (strcmp(argv[1], "--help") == 0) {
        return help(stdout, EXIT_FINE);
    }
    for (int i = 0; i < ACTIONS; i++) {
        if (strcmp(argv[1], actions[i].name) == 0 && actions[i].run == NULL) {
            cli_complain("'field %s' needs the simulated hardware, and this windpin was built "
                         "without it (WINDPIN_SIMULATOR=OFF)",
                         argv[1]);
            return EXIT_WRONG_INPUT;
        }
        if (strcmp(argv[1], actions[i].name) == 0) {
            snprintf(name, sizeof name, "windpin field %s", actions[i].name);
            argv[1] = name;
            return actions[i].run(argc - 1, argv + 1);
        }
    }
    cli_complain("unknown action '%s'; expected look, object, settings, parameters, watch, "
                 "listen or drives",
                 argv[1]);
    return EXIT_WRONG_INPUT;
}
