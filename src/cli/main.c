/* windpin: finds the command, gives help. */
#include "cli.h"
#include <errno.h>
#include <stdio.h>
#include <string.h>

/* Built without the simulated hardware the tool still reads, vets, sizes and exports. */
#ifdef WPIN_NO_SIMULATOR
#define SIMULATED(command) NULL
#else
#define SIMULATED(command) command
#endif

static const struct {
    const char *name;
    int (*run)(int argc, char **argv); /* NULL: not in this build */
    const char *words;
} commands[] = {
    {"new", cmd_new, "write a first rig and plan from a few answers"},
    {"run", cmd_run,
     "run a plan on simulated hardware, or on real pins, and report asked against achieved"},
    {"live", cmd_live, "drive a rig by hand, in real time: terminal, page, lines or message bus"},
    {"compare", SIMULATED(cmd_compare),
     "run a plan on a rig as it is and with values changed, or beside a record of it"},
    {"plot", cmd_plot, "draw a trace as PNG or SVG"},
    {"rig", cmd_rig, "list what a rig file describes"},
    {"stage", cmd_stage, "print the truth table of a power stage in plain words"},
    {"first", SIMULATED(cmd_first),
     "move each load gently for the first time: does it turn, and which way"},
    {"find", SIMULATED(cmd_find), "find a load's start duty and drop-out duty by a sweep"},
    {"order", SIMULATED(cmd_order), "find the order of a brushless motor's leads and Hall sensors"},
    {"identify", SIMULATED(cmd_identify),
     "find out what a motor is: resistance, constant, inertia, friction"},
    {"response", SIMULATED(cmd_response),
     "how a regulated speed answers to a step and a load, and as predicted"},
    {"waves", SIMULATED(cmd_waves),
     "phase currents and torque of a brushless motor over an electrical turn"},
    {"sweep", SIMULATED(cmd_sweep),
     "sweep a load's duty through zero and list volts, current and speed"},
    {"preview", SIMULATED(cmd_preview),
     "say in words what a plan will do, how long and at which current"},
    {"vet", cmd_vet,
     "vet a rig and a plan before power: what would burn, not work, or move by itself"},
    {"faults", SIMULATED(cmd_faults),
     "put every fault into a rig at many moments of a plan: what is noticed"},
    {"size", cmd_size, "size a part: resistors, gates, diodes, heat, supplies, motor constants"},
    {"export", cmd_export, "write the rig, and a plan, as a C header for firmware"},
    {"field", cmd_field, "a field bus by hand: who is there, objects, watching, simulated drives"},
    {"missing", cmd_missing, "what this computer lacks for these commands, and how to mend it"},
    {"demo", SIMULATED(cmd_demo), "run the honey pump and the honey drum that ship with Wind Pin"},
};

enum { COMMANDS = sizeof commands / sizeof *commands };

static void print_help(FILE *to) {
    fprintf(to, "Usage: windpin COMMAND [options] files\n\n"
                "Describe a motor and its driver in a rig file, what it shall do in a plan file,\n"
                "and run the plan on simulated hardware before power is on the bench.\n\n"
                "Commands:\n");
    for (int i = 0; i < COMMANDS; i++) {
        if (commands[i].run != NULL) {
            fprintf(to, "  %-8s %s\n", commands[i].name, commands[i].words);
        }
    }
    fprintf(to, "\nwindpin COMMAND --help says more, with an example. "
                "windpin --version prints the version.\n"
                "Exit status: 0 fine; 1 it ran and met a fault; 2 the input or usage is wrong.\n");
}

int cli_finish(int status) {
    if (fflush(stdout) != 0 || ferror(stdout)) {
        cli_complain("standard output can't be written: %s", strerror(errno));
        return EXIT_MET_FAULT;
    }
    return status;
}

static int run_command(int number, int argc, char **argv) {
    char name[64];
    if (commands[number].run == NULL) {
        cli_complain("'%s' needs the simulated hardware, and this windpin was built without it "
                     "(WINDPIN_SIMULATOR=OFF)",
                     commands[number].name);
        return EXIT_WRONG_INPUT;
    }
    snprintf(name, sizeof name, "windpin %s", commands[number].name);
    argv[1] = name;
    return cli_finish(commands[number].run(argc - 1, argv + 1));
}

static int unknown_command(const char *word) {
    const char *names[COMMANDS];
    for (int i = 0; i < COMMANDS; i++) {
        names[i] = commands[i].name;
    }
    const char *near = wpin_nearest_word(word, names, COMMANDS), *now = wpin_new_word(word);
    if (now != NULL) {
        cli_complain("'%s' is called '%s' now", word, now);
    } else if (near != NULL) {
        cli_complain("unknown command '%s'; did you mean '%s'?", word, near);
    } else {
        cli_complain("unknown command '%s'; windpin --help lists them", word);
    }
    return EXIT_WRONG_INPUT;
}

int main(int argc, char **argv) {
    if (argc < 2) {
        print_help(stderr);
        return EXIT_WRONG_INPUT;
    }
    if (strcmp(argv[1], "--version") == 0) {
        printf("windpin %s\n", wpin_version());
        return cli_finish(EXIT_FINE);
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "-h") == 0 ||
        strcmp(argv[1], "help") == 0) {
        print_help(stdout);
        return cli_finish(EXIT_FINE);
    }
    for (int i = 0; i < COMMANDS; i++) {
        if (strcmp(argv[1], commands[i].name) == 0) {
            return run_command(i, argc, argv);
        }
    }
    return unknown_command(argv[1]);
}
