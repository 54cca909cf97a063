/* windpin demo: runs the shipped example, from the installed tree or the build tree. */
#define _GNU_SOURCE
#include "../cli.h"
#include <argp.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const struct argp_option options[] = {
    {"output", 'o', "FOLDER", 0, "Where trace and picture go (windpin-demo)", 0}, {0}};

static const char doc[] =
    "Runs the honey pump: starts on a ramp, holds, brakes, rests, runs the other way and stops; "
    "then the honey drum, whose speed is regulated. Writes a trace and a picture of each, and the "
    "edges of the pump's lines, into a folder.\v"
    "Example:\n"
    "  windpin demo -o honey\n"
    "The rigs and plans it runs are named in its output: copy them as a start of your own.\n"
    "\n"
    "Exit status: 0 every step as asked; 1 a step was not, or something faulted or burnt; 2 the "
    "files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    const char **folder = state->input;
    if (key == 'o') {
        *folder = arg;
        return 0;
    }
    if (key == ARGP_KEY_ARG) {
        argp_error(state, "the demo takes no file; 'windpin run RIG PLAN' does");
    }
    return key == ARGP_KEY_ARG || key == ARGP_KEY_END || key == ARGP_KEY_INIT ||
                   key == ARGP_KEY_FINI || key == ARGP_KEY_SUCCESS || key == ARGP_KEY_NO_ARGS
               ? 0
               : ARGP_ERR_UNKNOWN;
}

/* Beside the program that runs, wherever it was moved to; "" where that can't be told. */
static void beside_program(char *folder, size_t size) {
    char program[2048] = "";
    bool known = readlink("/proc/self/exe", program, sizeof program - 1) > 0;
    char *slash = strrchr(program, '/');
    *(slash != NULL ? slash : program) = '\0';
    snprintf(folder, size, "%s%s", program, known ? "/../share/windpin/demo" : "");
}

/* The folder with the demo's files: beside the installed program, in the source tree that it was
 * built from, or where it was to be installed. */
static bool find_demo(char *folder, size_t size) {
    char beside[2100];
    beside_program(beside, sizeof beside);
    const char *const places[] = {beside, WPIN_SOURCE_DEMO, WPIN_INSTALLED_DEMO};
    for (size_t i = 0; i < sizeof places / sizeof *places; i++) {
        char *real = realpath(places[i], NULL);
        if (real != NULL) {
            snprintf(folder, size, "%s", real);
            free(real);
            return true;
        }
        snprintf(folder, size, "%s", places[i]);
    }
    return false;
}

/* Runs one of the demo's plans, and leaves its trace, picture and perhaps edges in the folder. */
static int run_one(const char *demo, const char *folder, const char *name, bool edges) {
    char rig[3100], plan[3100], csv[4096], png[4096], vcd[4096];
    snprintf(rig, sizeof rig, "%s/honey-%s.yaml", demo, name);
    snprintf(plan, sizeof plan, "%s/honey-%s.plan", demo, name);
    snprintf(csv, sizeof csv, "%s/%s.csv", folder, name);
    snprintf(png, sizeof png, "%s/%s.png", folder, name);
    snprintf(vcd, sizeof vcd, "%s/%s.vcd", folder, name);
    printf("$ windpin run %s %s --trace %s%s%s --plot %s\n\n", rig, plan, csv,
           edges ? " --vcd " : "", edges ? vcd : "", png);
    fflush(stdout);
    int status = cli_run_plan(&(cli_run){
        .files = {rig, plan}, .trace_path = csv, .plot_path = png, .vcd_path = edges ? vcd : NULL});
    printf("\n");
    return status;
}

int cmd_demo(int argc, char **argv) {
    static const struct argp argp = {options, parse, "", doc, NULL, NULL, NULL};
    const char *folder = "windpin-demo";
    char demo[3000];
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &folder);
    if (!find_demo(demo, sizeof demo)) {
        cli_complain("the demo's files are not where they were installed (%s)", demo);
        return EXIT_WRONG_INPUT;
    }
    if (mkdir(folder, 0777) != 0 && errno != EEXIST) {
        cli_complain("%s: the folder can't be made: %s", folder, strerror(errno));
        return EXIT_WRONG_INPUT;
    }
    int pump = run_one(demo, folder, "pump", true);
    int drum = run_one(demo, folder, "drum", false); /* its edges would be millions */
    printf(
        "By hand: windpin live %s/honey-house.yaml, and with --page on a page in your browser.\n",
        demo);
    return pump != EXIT_FINE ? pump : drum;
}
