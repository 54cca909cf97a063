/* windpin export RIG [PLAN]: the rig, and a plan, as constant C tables for firmware. */
#include "cli.h"
#include "windpin/host/bind.h"
#include <argp.h>
#include <errno.h>
#include <stdio.h>
#include <string.h>

typedef struct export_arguments {
    const char *path, *plan, *out;
} export_arguments;

static const struct argp_option options[] = {
    {"output", 'o', "FILE.h", 0, "Where to write it (standard output)", 0}, {0}};

static const char doc[] =
    "Writes the rig as a C header for firmware: stages with pins and polarity, ramps, limits and "
    "trips of every load, as the core takes them, and the rig's fingerprint; with PLAN its steps "
    "too; and the calls that put all of it to work: rig_open, rig_arm, rig_start, rig_tick.\v"
    "Example:\n"
    "  windpin export demo/honey-pump.yaml demo/honey-pump.plan -o rig.h\n"
    "docs/porting.md has a whole program with it.\n"
    "\n"
    "Exit status: 0 fine; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    export_arguments *a = state->input;
    switch (key) {
    case 'o': a->out = arg; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one file too many; expected a rig, and a plan if wanted",
                       arg);
        }
        *(state->arg_num == 0 ? &a->path : &a->plan) = arg;
        break;
    case ARGP_KEY_END:
        if (a->path == NULL) {
            argp_error(state, "expected a rig file");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

static wpin_plan *read_plan(const char *path, const wpin_rig *rig) {
    wpin_messages messages = {0};
    wpin_plan *plan = wpin_plan_read(path, rig, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    return plan;
}

int cmd_export(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG [PLAN]", doc, NULL, NULL, NULL};
    export_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.path);
    if (rig == NULL) {
        return EXIT_WRONG_INPUT;
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        if (rig->loads[i].axis.there) {
            cli_complain("%s:%u: '%s' is a drive on a field bus, which is not exported yet; "
                         "examples/one_drive.c shows a program for one",
                         a.path, rig->loads[i].line, rig->loads[i].name);
            wpin_rig_free(rig);
            return EXIT_WRONG_INPUT;
        }
    }
    wpin_plan *plan = a.plan == NULL ? NULL : read_plan(a.plan, rig);
    if ((a.plan != NULL && plan == NULL) || !cli_may_write(a.out)) {
        wpin_plan_free(plan);
        wpin_rig_free(rig);
        return EXIT_WRONG_INPUT;
    }
    FILE *to = a.out == NULL ? stdout : fopen(a.out, "w");
    int status = to == NULL ? EXIT_WRONG_INPUT : EXIT_FINE;
    if (to != NULL) {
        wpin_header_write(to, rig, a.path, plan, a.plan);
    }
    if (to == NULL || (a.out != NULL && fclose(to) != 0)) {
        cli_complain("%s: can't be written: %s", a.out, strerror(errno));
        status = EXIT_WRONG_INPUT;
    }
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return status;
}
