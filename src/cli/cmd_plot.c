/* windpin plot TRACE.csv -o PICTURE */
#include "cli.h"
#include <argp.h>
#include <stdio.h>

typedef struct plot_arguments {
    const char *trace, *picture;
    wpin_picture_loads loads;
} plot_arguments;

static const struct argp_option options[] = {
    {"output", 'o', "FILE.png", 0, "The picture to draw (.png or .svg)", 0},
    {"load", 'l', "NAME", 0, "A load to show; up to three times (the first three)", 0},
    {0}};

static const char doc[] =
    "Draws duty, motor volts, current and speed of a trace over time. The axes begin at zero (or "
    "reach as far below it as above); currents show their lowest to highest in each row.\v"
    "Example:\n"
    "  windpin run demo/honey-pump.yaml demo/honey-pump.plan --trace pump.csv\n"
    "  windpin plot pump.csv -o pump.svg\n"
    "\n"
    "Exit status: 0 fine; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    plot_arguments *a = state->input;
    switch (key) {
    case 'o': a->picture = arg; break;
    case 'l':
        if (a->loads.count == WPIN_PICTURE_LOADS) {
            argp_error(state, "--load %s: a picture has room for %d loads", arg,
                       WPIN_PICTURE_LOADS);
        }
        a->loads.names[a->loads.count++] = arg;
        break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state, "'%s' is one file too many; expected one trace", arg);
        }
        a->trace = arg;
        break;
    case ARGP_KEY_END:
        if (a->trace == NULL) {
            argp_error(state, "expected a trace, as 'windpin run --trace' writes it");
        }
        if (a->picture == NULL) {
            argp_error(state, "expected -o and the name of the picture, e.g. -o pump.png");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

int cmd_plot(int argc, char **argv) {
    static const struct argp argp = {options, parse, "TRACE.csv", doc, NULL, NULL, NULL};
    plot_arguments a = {0};
    char why[512];
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!cli_may_write(a.picture)) {
        return EXIT_WRONG_INPUT;
    }
    bool drawn = wpin_picture(a.trace, a.picture, &a.loads, why, sizeof why);
    if (why[0] != '\0') {
        cli_complain("%s%s", why, drawn ? "; --load picks others" : "");
    }
    if (!drawn) {
        return EXIT_WRONG_INPUT;
    }
    printf("Picture: %s\n", a.picture);
    return EXIT_FINE;
}
