/* windpin preview RIG PLAN: the plan in words, with times and the highest currents to expect. */
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/vet.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

enum { KEY_POWERED = 256, KEY_JSON };

typedef struct preview_arguments {
    const char *words[2]; /* rig, plan */
    bool powered, json;
} preview_arguments;

static const struct argp_option options[] = {
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on before the plan begins", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Prints what a plan will do without writing any file: each action with the time it begins, how "
    "long it takes and the highest current, from a silent rehearsal; then the total.\v"
    "Example:\n"
    "  windpin preview demo/honey-pump.yaml demo/honey-pump.plan\n"
    "\n"
    "Exit status: 0 every step would be as asked; 1 one would not; 2 the files or the usage are "
    "wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    preview_arguments *a = state->input;
    switch (key) {
    case KEY_POWERED: a->powered = true; break;
    case KEY_JSON: a->json = true; break;
    default: return cli_take_two(key, arg, state, a->words, "two files: a rig and a plan");
    }
    return 0;
}

/* " forward" or " reverse" for what can do both. */
static const char *way(const wpin_rig_load *load, double duty) {
    bool both = wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE);
    return !both ? "" : duty < 0 ? " reverse" : " forward";
}

/* What knows on and off only, in words; false for what it can not do. */
static bool say_switch(char *to, size_t size, const wpin_step_result *s,
                       const wpin_rig_load *load) {
    const char *name = load->name, *where = way(load, s->asked_duty);
    switch (s->op) {
    case WPIN_OP_RUN: snprintf(to, size, "%s is switched on%s", name, where); return true;
    case WPIN_OP_RUN_FOR:
        wpin_plain(to, size, "%s is on%s for %.4g s%s", name, where, s->asked_seconds,
                   s->limited ? " at most, to its limit switch" : "");
        return true;
    case WPIN_OP_HOLD: snprintf(to, size, "%s stays on", name); return true;
    case WPIN_OP_STOP: snprintf(to, size, "%s is off", name); return true;
    default: return false;
    }
}

/* A duty, a speed or a current. */
static const char *how_much(char *to, size_t size, const wpin_step_result *s) {
    if (s->asked_rpm != 0) {
        wpin_plain(to, size, "%.4g rpm", fabs(s->asked_rpm));
    } else if (s->asked_amps != 0) {
        wpin_plain(to, size, "%.4g A", fabs(s->asked_amps));
    } else {
        wpin_plain(to, size, "%.4g %%", fabs(s->asked_duty) * 100);
    }
    return to;
}

/* A driven load's action in words. */
static void say_drive(char *to, size_t size, const wpin_step_result *s, const wpin_rig_load *load) {
    const char *name = load->name;
    char asked[24], turns[32];
    how_much(asked, sizeof asked, s);
    if (!wpin_stage_kind_takes_duty(load->kind) && say_switch(to, size, s, load)) {
        return;
    }
    switch (s->op) {
    case WPIN_OP_RUN:
        snprintf(to, size, "%s goes%s to %s%s%s", name, way(load, s->asked_duty), asked,
                 s->asked_rpm != 0 || s->asked_amps != 0 ? "" : " duty",
                 s->turned_after > 0 ? ", after coming to rest from the other way" : "");
        break;
    case WPIN_OP_RUN_FOR:
        wpin_plain(to, size, "%s runs%s at %s for %.4g s%s and comes to rest", name,
                   way(load, s->asked_duty), asked, s->asked_seconds,
                   s->until     ? " at most, until its event,"
                   : s->limited ? " at most, to its limit switch,"
                                : "");
        break;
    case WPIN_OP_HOME:
        if (s->asks->until == 0) {
            wpin_plain(to, size, "%s finds its home by its drive's own method %g, %.4g s at most",
                       name, load->axis.homing.method, s->asked_seconds);
        } else {
            wpin_plain(to, size, "%s homes%s at %s, then slowly, %.4g s at most each way", name,
                       way(load, s->asked_duty), asked, s->asked_seconds);
        }
        break;
    case WPIN_OP_TOGGLE: snprintf(to, size, "%s changes over: on if off, off if on", name); break;
    case WPIN_OP_HOLD: snprintf(to, size, "%s stays at %s", name, asked); break;
    case WPIN_OP_STOP:
        snprintf(to, size, "%s %s", name,
                 strstr(s->text, " rest ") != NULL ? "comes to rest and stays there"
                 : wpin_rig_type(load)->spins      ? "ramps to rest"
                                                   : "goes to zero");
        break;
    case WPIN_OP_COAST: snprintf(to, size, "%s is let go and runs down by itself", name); break;
    case WPIN_OP_BRAKE: snprintf(to, size, "%s is shorted and brakes", name); break;
    case WPIN_OP_CALIBRATE:
        wpin_plain(to, size, "%s is sent full for %.4g s to be calibrated, then neutral", name,
                   s->asked_seconds);
        break;
    case WPIN_OP_FOLLOW:
        turns[0] = '\0';
        if (s->rpm_peak > 0) {
            wpin_plain(turns, sizeof turns, " and %.0f rpm", s->rpm_peak);
        }
        wpin_plain(to, size, "%s follows an input for %.4g s, up to %.0f %%%s here", name,
                   s->asked_seconds, s->duty_peak * 100, turns);
        break;
    case WPIN_OP_CLEAR:
        wpin_plain(to, size, "%s's fault is cleared and it is armed again, within %.4g s", name,
                   s->asked_seconds);
        break;
    default: snprintf(to, size, "%s", s->text); break;
    }
}

static void say_place(char *to, size_t size, const wpin_step_result *s, const char *name) {
    switch (s->op) {
    case WPIN_OP_TURN:
    case WPIN_OP_TURN_TO:
        wpin_plain(to, size, "%s turns to %.4g deg", name, s->degrees_asked);
        break;
    case WPIN_OP_HOLD: snprintf(to, size, "%s holds its place", name); break;
    case WPIN_OP_COAST: snprintf(to, size, "%s is let go", name); break;
    default: snprintf(to, size, "%s comes to rest", name); break;
    }
}

static void say_step(char *to, size_t size, const wpin_rig *rig, const wpin_step_result *s) {
    if (s->load >= 0) {
        const wpin_rig_load *load = &rig->loads[s->load];
        char action[160];
        bool place = s->op == WPIN_OP_TURN || s->op == WPIN_OP_TURN_TO;
        if (wpin_rig_type(load)->steps || place) {
            say_place(action, sizeof action, s, load->name);
        } else {
            say_drive(action, sizeof action, s, load);
        }
        char kick[80] = "";
        if (s->kicked && s->asked_duty != 0) {
            wpin_plain(kick, sizeof kick, ", kicked with %.4g %% for %.3g ms",
                       load->limits.kick_level * 100, load->limits.kick_time * 1e3);
        }
        wpin_plain(to, size, "%s%s; takes %.3f s, up to %.2f A", action, kick, s->took,
                   s->amps_peak);
    } else if (s->op == WPIN_OP_WAIT) {
        wpin_plain(to, size, "a wait of %.4g s", s->asked_seconds);
    } else if (s->op == WPIN_OP_UNTIL) {
        wpin_plain(to, size, "%s; comes after %.3f s", s->text, s->took);
    } else {
        snprintf(to, size, "%s", s->text);
    }
    if (s->verdict != WPIN_VERDICT_OK) {
        size_t used = strlen(to);
        snprintf(to + used, size - used, " -- %s", s->words);
    }
}

/* What the stop input does to each load, and how long that takes. */
static void say_stop(const wpin_rig *rig) {
    static const char *const how[] = {"ramps down", "runs down", "brakes"};
    for (size_t i = 0; i < rig->input_count; i++) {
        if (!rig->inputs[i].stops) {
            continue;
        }
        printf("Stop input '%s':\n", rig->inputs[i].name);
        for (size_t l = 0; l < rig->load_count; l++) {
            const wpin_rig_load *load = &rig->loads[l];
            bool turns = wpin_rig_type(load)->turns;
            double seconds = wpin_stop_seconds(rig, l);
            printf("  %s %s", load->name, turns ? how[load->on_stop] : "goes off");
            if (seconds > 0) {
                cli_say(", from full speed at rest after about %.2g s", seconds);
            }
            printf("\n");
        }
    }
}

static void say_report(const wpin_rig *rig, const wpin_report *report) {
    char words[500];
    printf("%s (rig %08x)\n", rig->name, rig->fingerprint);
    for (size_t i = 0; i < report->step_count; i++) {
        say_step(words, sizeof words, rig, &report->steps[i]);
        cli_say("%9.3f s  %s\n", report->steps[i].at, words);
    }
    cli_say("%9.3f s  the end: every load at zero duty, every stage in its safe state\n",
            report->seconds);
    for (size_t i = 0; i < rig->load_count; i++) {
        bool turns = wpin_rig_type(&rig->loads[i])->turns;
        cli_say("%s: at most %.2f A", rig->loads[i].name, report->amps_peak[i]);
        if (turns) {
            cli_say(" and %.0f rpm", report->rpm_peak[i]);
        }
        printf("\n");
    }
    say_stop(rig);
    cli_say("All loads together: at most %.2f A at the same time\n", report->total_amps_peak);
    for (size_t i = 0; i < report->burn_count; i++) {
        printf("This would burn: %s, %s\n", report->burns[i].part, report->burns[i].reason);
    }
}

static void print_json(const wpin_rig *rig, const wpin_report *report) {
    json_t *steps = json_array(), *loads = json_array(), *burns = json_array();
    char words[500];
    for (size_t i = 0; i < report->step_count; i++) {
        const wpin_step_result *s = &report->steps[i];
        say_step(words, sizeof words, rig, s);
        json_array_append_new(steps,
                              json_pack("{s:i, s:f, s:f, s:f, s:b, s:s}", "line", (int)s->line,
                                        "at_s", s->at, "takes_s", s->took, "peak_a", s->amps_peak,
                                        "fine", s->verdict != WPIN_VERDICT_BAD, "words", words));
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        json_array_append_new(loads,
                              json_pack("{s:s, s:f, s:f}", "name", rig->loads[i].name, "peak_a",
                                        report->amps_peak[i], "peak_rpm", report->rpm_peak[i]));
    }
    for (size_t i = 0; i < report->burn_count; i++) {
        json_array_append_new(burns, json_pack("{s:s, s:s}", "part", report->burns[i].part,
                                               "reason", report->burns[i].reason));
    }
    cli_dump_json(
        cli_of_rig(rig, json_pack("{s:f, s:f, s:b, s:o, s:o, s:o}", "total_s", report->seconds,
                                  "total_peak_a", report->total_amps_peak, "fine", !report->bad,
                                  "steps", steps, "loads", loads, "would_burn", burns)));
}

/* What stands between this and a run. */
static void say_vetting(const preview_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vet_options powered = {.powered = a->powered};
    wpin_vetting *vetting = wpin_vet(rig, plan, &powered);
    char accepted[WPIN_RIG_MARK_MAX];
    if (wpin_rig_accepted(rig, accepted, sizeof accepted)[0] != '\0') {
        printf("Accepted in the rig: %s\n", accepted);
    }
    if (vetting != NULL && vetting->refusals + vetting->cautions > 0) {
        printf("Vetting: %zu refused, %zu with caution; see windpin vet %s %s\n", vetting->refusals,
               vetting->cautions, a->words[0], a->words[1]);
    }
    wpin_vetting_free(vetting);
}

static int preview(const preview_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_session_options silent = {.supplies_on = a->powered};
    wpin_status refused;
    char why[400];
    wpin_report *report = wpin_rehearse(rig, plan, &silent, &refused, why, sizeof why);
    if (report == NULL) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    if (a->json) {
        print_json(rig, report);
    } else {
        say_report(rig, report);
        cli_print_required(report);
        say_vetting(a, rig, plan);
    }
    int status = report->bad ? EXIT_MET_FAULT : EXIT_FINE;
    wpin_report_free(report);
    return status;
}

int cmd_preview(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG PLAN", doc, NULL, NULL, NULL};
    preview_arguments a = {0};
    wpin_messages messages = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = wpin_rig_read(a.words[0], &messages);
    wpin_plan *plan = rig == NULL ? NULL : wpin_plan_read(a.words[1], rig, &messages);
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    int status = plan == NULL ? EXIT_WRONG_INPUT : preview(&a, rig, plan);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return status;
}
