/* windpin tell RIG PLAN: the plan in words, with times and the highest currents to expect. */
#include "cli.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { KEY_POWERED = 256 };

typedef struct tell_arguments {
    const char *words[2]; /* rig, plan */
    bool powered;
} tell_arguments;

static const struct argp_option options[] = {
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on before the plan begins", 0}, {0}};

static const char doc[] =
    "Tells what a plan will do without writing any file: each action with the time it begins, how "
    "long it takes and the highest current, from a silent rehearsal; then the total.\v"
    "Example:\n  windpin tell demo/honey-pump.yaml demo/honey-pump.plan";

static error_t parse(int key, char *arg, struct argp_state *state) {
    tell_arguments *a = state->input;
    switch (key) {
    case KEY_POWERED: a->powered = true; break;
    default: return cli_take_two(key, arg, state, a->words, "two files: a rig and a plan");
    }
    return 0;
}

static const char *way(double duty) {
    return duty < 0 ? "reverse" : "forward";
}

static void tell_motion(const wpin_step_result *s, const char *name) {
    double percent = fabs(s->asked_duty) * 100;
    switch (s->op) {
    case WPIN_OP_RUN:
        printf("%s goes %s to %.4g %% duty%s", name, way(s->asked_duty), percent,
               s->turned_after > 0 ? ", after coming to rest from the other way" : "");
        break;
    case WPIN_OP_RUN_FOR:
        printf("%s runs %s at %.4g %% for %.4g s and comes to rest", name, way(s->asked_duty),
               percent, s->asked_seconds);
        break;
    case WPIN_OP_TOGGLE: printf("%s changes over: on if off, off if on", name); break;
    case WPIN_OP_HOLD: printf("%s stays at %.4g %%", name, percent); break;
    case WPIN_OP_STOP:
        printf(strstr(s->text, " rest ") != NULL ? "%s comes to rest and stays there"
                                                 : "%s ramps to rest",
               name);
        break;
    case WPIN_OP_COAST: printf("%s is let go and runs down by itself", name); break;
    case WPIN_OP_BRAKE: printf("%s is shorted and brakes", name); break;
    default: printf("%s", s->text); break;
    }
}

static void tell_step(const wpin_rig *rig, const wpin_step_result *s) {
    printf("%9.3f s  ", s->at);
    if (s->load >= 0) {
        tell_motion(s, rig->loads[s->load].name);
        printf("; takes %.3f s, up to %.2f A", s->took, s->amps_peak);
    } else if (s->op == WPIN_OP_WAIT) {
        printf("nothing changes for %.4g s", s->asked_seconds);
    } else if (s->op == WPIN_OP_UNTIL) {
        printf("%s; comes after %.3f s", s->text, s->took);
    } else {
        printf("%s", s->text);
    }
    printf("%s%s\n", s->verdict == WPIN_VERDICT_OK ? "" : " -- ",
           s->verdict == WPIN_VERDICT_OK ? "" : s->words);
}

static void tell_report(const wpin_rig *rig, const wpin_report *report) {
    for (size_t i = 0; i < report->step_count; i++) {
        tell_step(rig, &report->steps[i]);
    }
    printf("%9.3f s  the end: every load at zero duty, every stage in its safe state\n",
           report->seconds);
    for (size_t i = 0; i < rig->load_count; i++) {
        printf("%s: at most %.2f A and %.0f rpm\n", rig->loads[i].name, report->amps_peak[i],
               report->rpm_peak[i]);
    }
    printf("All loads together: at most %.2f A at the same time\n", report->total_amps_peak);
    for (size_t i = 0; i < report->burn_count; i++) {
        printf("This would burn: %s, %s\n", report->burns[i].part, report->burns[i].reason);
    }
}

static int tell(const tell_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_rehearsal_options silent = {.supplies_on = a->powered};
    wpin_status refused;
    char why[400];
    wpin_report *report = wpin_rehearse(rig, plan, &silent, &refused, why, sizeof why);
    if (report == NULL) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    tell_report(rig, report);
    int status = report->bad ? EXIT_MET_FAULT : EXIT_FINE;
    wpin_report_free(report);
    return status;
}

int cmd_tell(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG PLAN", doc, NULL, NULL, NULL};
    tell_arguments a = {0};
    wpin_messages messages = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = wpin_rig_read(a.words[0], &messages);
    wpin_plan *plan = rig == NULL ? NULL : wpin_plan_read(a.words[1], rig, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    int status = plan == NULL ? EXIT_WRONG_INPUT : tell(&a, rig, plan);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return status;
}
