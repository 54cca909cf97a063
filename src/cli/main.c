/* windpin: finds the command, gives help. */
#include "cli.h"
#include <stdio.h>
#include <string.h>

/* Built without the simulated hardware the tool still reads, vets, sizes and exports. */
#ifdef WPIN_NO_SIMULATOR
#define SIMULATED(command) NULL
#else
#define SIMULATED(command) command
#endif

/* In the order of the job. */
static const struct {
    const char *name;
    int (*run)(int argc, char **argv); /* NULL: not in this build */
    const char *words;
    const char *title; /* Of the group that begins with it. */
} commands[] = {
    {"new", cmd_new, "write a first rig and plan from a few answers", "Describe the bench"},
    {"size", cmd_size, "size a part: resistors, gates, diodes, heat, supply, motor constants",
     NULL},
    {"rig", cmd_rig, "list what a rig file describes: pins, wires, limits, estimates", NULL},
    {"stage", cmd_stage, "the truth table of a power stage in plain words", NULL},
    {"vet", cmd_vet, "what would burn, not work or move by itself, and what to check",
     "Before there is power"},
    {"preview", SIMULATED(cmd_preview), "a plan in words, with times and currents", NULL},
    {"waves", SIMULATED(cmd_waves), "what PWM and commutation make of a motor's current", NULL},
    {"order", SIMULATED(cmd_order), "which lead and which Hall sensor is which", "Get to know it"},
    {"first", SIMULATED(cmd_first), "the first motion, gently: does it turn, and which way", NULL},
    {"find", SIMULATED(cmd_find), "the duty that starts a load, and at which it drops out", NULL},
    {"sweep", SIMULATED(cmd_sweep), "volts, current and speed over the duty", NULL},
    {"twins", SIMULATED(cmd_twins), "two motors at the same duties: what evens them out", NULL},
    {"identify", SIMULATED(cmd_identify), "resistance, constant, inertia, friction of a motor",
     NULL},
    {"response", SIMULATED(cmd_response), "how a regulated speed answers to a step and a load",
     NULL},
    {"run", cmd_run, "run a plan, simulated or on real pins: asked against achieved", "Run it"},
    {"live", cmd_live, "drive it by hand: terminal, page, lines or message bus", NULL},
    {"compare", SIMULATED(cmd_compare), "a plan with values changed, or beside a record", NULL},
    {"faults", SIMULATED(cmd_faults), "every fault that may come: what is noticed, and how soon",
     NULL},
    {"plot", cmd_plot, "draw a trace as PNG or SVG", NULL},
    {"export", cmd_export, "the rig and a plan as a C header for firmware", "Further"},
    {"field", cmd_field, "a field bus: who is there, objects, watching, simulated drives", NULL},
    {"missing", cmd_missing, "what this computer lacks for all that, and how to mend it", NULL},
    {"demo", SIMULATED(cmd_demo), "run the honey pump and the honey drum", NULL},
};

enum { COMMANDS = sizeof commands / sizeof *commands };

static void print_help(FILE *to) {
    fprintf(to, "Usage: windpin COMMAND [options] files\n"
                "A rig file describes motors and what drives them; a plan file, what they do.\n");
    for (int i = 0; i < COMMANDS; i++) {
        if (commands[i].title != NULL) {
            fprintf(to, "%s:\n", commands[i].title);
        }
        if (commands[i].run != NULL) {
            fprintf(to, "  %-9s %s\n", commands[i].name, commands[i].words);
        }
    }
    fprintf(to, "windpin COMMAND --help says more, with an example. windpin --version says which.\n"
                "Exit status: 0 fine; 1 it ran and met a fault; 2 the input or usage is wrong.\n");
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
