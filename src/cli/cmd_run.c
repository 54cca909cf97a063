/* windpin run RIG PLAN: arguments. */
#include "cli.h"
#include <argp.h>
#include <stdlib.h>
#include <string.h>

enum {
    KEY_TRACE = 256,
    KEY_PLOT,
    KEY_VCD,
    KEY_JSON,
    KEY_SAMPLE,
    KEY_POWERED,
    KEY_ALL,
    KEY_FAULT,
    KEY_REAL,
    KEY_CONFIRMED,
    KEY_AVERAGED,
    KEY_SPREAD,
    KEY_SEED,
    KEY_BENCHES
};

static const struct argp_option options[] = {
    {"trace", KEY_TRACE, "FILE.csv", 0, "Write a trace of every load (CSV)", 0},
    {"plot", KEY_PLOT, "FILE.png", 0, "Draw the trace (.png or .svg)", 0},
    {"vcd", KEY_VCD, "FILE.vcd", 0, "Write every edge of the control lines (VCD)", 0},
    {"sample", KEY_SAMPLE, "HZ", 0, "Rows of the trace per second, 1 to 1000000 (1000)", 0},
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on before the plan begins", 0},
    {"fault", KEY_FAULT, "'NAME WHAT'", 0,
     "Put a fault in from the start, e.g. 'pump stalled'; may be repeated", 0},
    {"all", KEY_ALL, NULL, 0, "Show every round of a repeat, also those as asked", 0},
    {"averaged", KEY_AVERAGED, NULL, 0,
     "Field-oriented motors by the mean of each PWM period: in half of the time (two thirds "
     "without dead times), currents within 0.1 %, no ripple",
     0},
    {"spread", KEY_SPREAD, "SHARE", 0,
     "The simulated motors and loads are others than the rig says, each constant up to this far, "
     "e.g. 20%",
     0},
    {"seed", KEY_SEED, "N", 0, "Which of those that --spread allows, 0 to 1000000 (1)", 0},
    {"benches", KEY_BENCHES, "N", 0,
     "On how many of them, seed after seed, 1 to 10000 (1); prints what they came to", 0},
    {"json", KEY_JSON, NULL, 0, "Print the result as JSON", 0},
    {"real", KEY_REAL, NULL, 0,
     "On the pins of this computer, as the rig's 'linux' says where they are", 0},
    {"confirmed", KEY_CONFIRMED, NULL, 0, "With --real: the power-up checklist was gone through",
     0},
    {0}};

static const char doc[] =
    "Checks both files completely, runs the plan on simulated hardware as fast as it can, or on "
    "this computer's pins, and prints for each step what was asked and what was achieved.\v"
    "Example:\n"
    "  windpin run demo/honey-pump.yaml demo/honey-pump.plan --plot pump.png\n"
    "  windpin run demo/honey-drum.yaml demo/honey-drum.plan \\\n"
    "      --spread 20% --benches 20\n"
    "\n"
    "Exit status: 0 every step as asked; 1 a step was not, or something faulted or burnt; 2 the "
    "files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    cli_run *run = state->input;
    char *rest;
    switch (key) {
    case KEY_TRACE: run->trace_path = arg; break;
    case KEY_PLOT: run->plot_path = arg; break;
    case KEY_VCD: run->vcd_path = arg; break;
    case KEY_JSON: run->json = true; break;
    case KEY_POWERED: run->supplies_on = true; break;
    case KEY_REAL: run->real = true; break;
    case KEY_AVERAGED: run->averaged = true; break;
    case KEY_CONFIRMED: run->confirmed = true; break;
    case KEY_ALL: run->all_rounds = true; break;
    case KEY_FAULT:
        if (run->fault_count == sizeof run->faults / sizeof *run->faults) {
            argp_error(state, "--fault %s: 16 faults at once are the most", arg);
        }
        run->faults[run->fault_count++] = arg;
        break;
    case KEY_SPREAD: run->spread = cli_take_spread(arg, state); break;
    case KEY_SEED: run->seed = cli_take_whole("--seed", arg, 0, 1000000, state); break;
    case KEY_BENCHES: run->benches = cli_take_whole("--benches", arg, 1, 10000, state); break;
    case ARGP_KEY_END:
        if (run->benches > 1 && run->spread == 0) {
            argp_error(state, "--benches needs how far they are off; expected --spread, e.g. 20%%");
        }
        return cli_take_two(key, arg, state, run->files, "two files: a rig and a plan");
    case KEY_SAMPLE: {
        double hz = strtod(arg, &rest);
        if (rest == arg || *rest != '\0' || !(hz >= 1 && hz <= 1e6)) {
            argp_error(state, "--sample %s: expected a number of rows per second, 1 to 1000000",
                       arg);
        }
        run->sample_seconds = 1 / hz;
        break;
    }
    default: return cli_take_two(key, arg, state, run->files, "two files: a rig and a plan");
    }
    return 0;
}

int cmd_run(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG PLAN", doc, NULL, NULL, NULL};
    cli_run run = {.seed = 1, .benches = 1};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &run);
    return cli_run_plan(&run);
}
