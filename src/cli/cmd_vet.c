/* windpin vet RIG [PLAN]: every rule over the rig before power. */
#define _GNU_SOURCE
#include "cli_json.h"
#include "vet_words.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
#include <argp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_JSON = 256, KEY_SWEEP, KEY_PLACES, KEY_RULES, KEY_POWERED, PLACES_MAX = 101 };

typedef struct vet_arguments {
    const char *files[2]; /* rig, plan or NULL */
    const char *sweep;
    size_t places;
    bool json, rules, powered;
} vet_arguments;

static const struct argp_option options[] = {
    {"sweep", KEY_SWEEP, "'WHAT FROM TO'", 0,
     "Vet at several values of a supply's volts, the air or the tolerance, e.g. 'main 9V 15V', "
     "'air 0degC 60degC', 'tolerance 0% 20%'",
     0},
    {"places", KEY_PLACES, "N", 0, "With --sweep: how many values, 2 to 101 (7)", 0},
    {"powered", KEY_POWERED, NULL, 0, "Every supply is on before the plan begins", 0},
    {"rules", KEY_RULES, NULL, 0, "List the rules (Markdown)", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs every rule over a rig, and a plan if there is one, without running anything: what would "
    "burn, not work, or move by itself, each with its place, cause, consequence and cure; then the "
    "power-up checklist. What is accepted on purpose stands in the rig (accept: [pump "
    "stall-current]).\v"
    "Example:\n"
    "  windpin vet demo/honey-house.yaml demo/honey-house.plan\n"
    "\n"
    "Exit status: 0 nothing refused; 1 something is; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    vet_arguments *a = state->input;
    char *rest;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case KEY_RULES: a->rules = true; break;
    case KEY_POWERED: a->powered = true; break;
    case KEY_SWEEP: a->sweep = arg; break;
    case KEY_PLACES: {
        long places = strtol(arg, &rest, 10);
        if (rest == arg || *rest != '\0' || places < 2 || places > PLACES_MAX) {
            argp_error(state, "--places %s: expected a whole number, 2 to %d", arg, PLACES_MAX);
        }
        a->places = (size_t)places;
        break;
    }
    case ARGP_KEY_ARG:
        if (state->arg_num > 1) {
            argp_error(state, "'%s' is one file too many; expected a rig and perhaps a plan", arg);
        }
        a->files[state->arg_num] = arg;
        break;
    case ARGP_KEY_END:
        if (a->files[0] == NULL && !a->rules) {
            argp_error(state, "expected a rig file");
        }
        break;
    default: return ARGP_ERR_UNKNOWN;
    }
    return 0;
}

static void print_rules(void) {
    printf("# Rules\n\nWhat `windpin vet` looks for. Made by `windpin vet --rules`; the table in "
           "`src/vet/` "
           "is the source.\n\n| rule | looks for | looks at | if ignored |\n|---|---|---|---|\n");
    const wpin_vet_rule *rule;
    for (size_t i = 0; (rule = wpin_vet_rule_at(i)) != NULL; i++) {
        printf("| `%s` | %s | %s | %s |\n", rule->name, rule->words, rule->needs,
               wpin_effect_word(rule->effect));
    }
}

/* ---- sweep ---- */

typedef struct sweep {
    char what[32];
    wpin_dimension dimension;
    int supply; /* plus 1 */
    double from, to;
} sweep;

static bool read_sweep(const vet_arguments *a, const wpin_rig *rig, sweep *s) {
    char from[32] = "", to[32] = "", why[320];
    int words = sscanf(a->sweep, " %31s %31s %31s", s->what, from, to);
    int supply = wpin_rig_find_supply(rig, s->what);
    bool air = strcmp(s->what, "air") == 0, tolerance = strcmp(s->what, "tolerance") == 0;
    if (words != 3 || (supply < 0 && !air && !tolerance)) {
        cli_complain(
            "--sweep '%s': expected a supply of the rig, 'air' or 'tolerance', then two values, "
            "e.g. '%s 9V 15V'",
            a->sweep, rig->supplies[0].name);
        return false;
    }
    s->supply = supply + 1;
    s->dimension = supply >= 0 ? WPIN_VOLTAGE : air ? WPIN_TEMPERATURE : WPIN_SHARE;
    if (!wpin_quantity_read(from, s->dimension, &s->from, why, sizeof why) ||
        !wpin_quantity_read(to, s->dimension, &s->to, why, sizeof why)) {
        cli_complain("--sweep '%s': %s", a->sweep, why);
        return false;
    }
    return true;
}

static wpin_vet_options options_at(const vet_arguments *a, const sweep *s, double value) {
    wpin_vet_options o = {.powered = a->powered};
    if (s->supply > 0) {
        o.supply = s->supply;
        o.volts = value;
    } else if (s->dimension == WPIN_TEMPERATURE) {
        o.air_above = value - 25;
    } else {
        o.tolerance = value;
    }
    return o;
}

static void print_place(const sweep *s, double value, const wpin_vetting *v) {
    char text[40];
    if (s->dimension == WPIN_SHARE) {
        wpin_plain(text, sizeof text, "%.3g %%", value * 100);
    } else {
        wpin_quantity_write(text, sizeof text, value, s->dimension);
    }
    printf("%-12s %-5s", text, v->refusals == 0 ? "pass" : "FAIL");
    for (size_t i = 0; i < v->count; i++) {
        const wpin_finding *f = &v->findings[i];
        if (f->severity == WPIN_REFUSE && !f->accepted) {
            printf("  %s %s", f->part, f->rule->name);
        }
    }
    printf("\n");
}

static int run_sweep(const vet_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    sweep s = {.supply = 0};
    size_t failed = 0;
    if (!read_sweep(a, rig, &s)) {
        return EXIT_WRONG_INPUT;
    }
    json_t *places = json_array();
    for (size_t i = 0; i < a->places; i++) {
        double value = s.from + (s.to - s.from) * (double)i / (double)(a->places - 1);
        wpin_vet_options o = options_at(a, &s, value);
        wpin_vetting *v = wpin_vet(rig, plan, &o);
        if (v == NULL) {
            break;
        }
        failed += v->refusals > 0;
        if (a->json) {
            json_array_append_new(places,
                                  json_pack("{s:f, s:b, s:o}", "value_si", value, "pass",
                                            v->refusals == 0, "findings", cli_findings_json(v)));
        } else {
            print_place(&s, value, v);
        }
        wpin_vetting_free(v);
    }
    if (a->json) {
        cli_dump_json(cli_of_rig(rig, json_pack("{s:s, s:o}", "sweep", s.what, "places", places)));
    } else {
        json_decref(places);
    }
    return failed > 0 ? EXIT_MET_FAULT : EXIT_FINE;
}

/* ---- once ---- */

static void print_checklist(const wpin_rig *rig) {
    wpin_lines *lines = wpin_checklist(rig);
    printf("\nBefore power, in this order:\n");
    for (size_t i = 0; lines != NULL && i < lines->count; i++) {
        printf("  [ ] %zu  %s\n", i + 1, lines->lines[i]);
    }
    wpin_lines_free(lines);
}

static bool offers_change(const wpin_vetting *v) {
    for (size_t i = 0; i < v->count; i++) {
        for (size_t c = 0; c < v->findings[i].cure_count; c++) {
            if (v->findings[i].cures[c].change[0] != '\0') {
                return true;
            }
        }
    }
    return false;
}

static int run_once(const vet_arguments *a, const wpin_rig *rig, const wpin_plan *plan) {
    wpin_vet_options o = {.powered = a->powered};
    wpin_vetting *v = wpin_vet(rig, plan, &o);
    if (v == NULL) {
        cli_complain("out of memory");
        return EXIT_WRONG_INPUT;
    }
    if (a->json) {
        cli_dump_json(
            cli_of_rig(rig, json_pack("{s:i, s:i, s:i, s:o}", "rules", (int)v->rules, "refusals",
                                      (int)v->refusals, "cautions", (int)v->cautions, "findings",
                                      cli_findings_json(v))));
    } else {
        printf("%s (rig %08x): %zu rules run\n\n", rig->name, rig->fingerprint, v->rules);
        cli_print_findings(stdout, v, a->files, WPIN_NOTE);
        printf("%zu refused, %zu with caution.%s%s\n", v->refusals, v->cautions,
               v->refusals > 0 ? " Mend what is refused, or accept it by name in the rig." : "",
               offers_change(v) && a->files[1] != NULL
                   ? " What a 'try' changes, windpin compare RIG PLAN CHANGE shows first."
                   : "");
        print_checklist(rig);
    }
    int status = v->refusals > 0 ? EXIT_MET_FAULT : EXIT_FINE;
    wpin_vetting_free(v);
    return status;
}

int cmd_vet(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG [PLAN]", doc, NULL, NULL, NULL};
    vet_arguments a = {.places = 7};
    wpin_messages messages = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (a.rules) {
        print_rules();
        return EXIT_FINE;
    }
    wpin_rig *rig = wpin_rig_read(a.files[0], &messages);
    wpin_plan *plan =
        rig == NULL || a.files[1] == NULL ? NULL : wpin_plan_read(a.files[1], rig, &messages);
    cli_print_messages(&messages);
    int status = EXIT_WRONG_INPUT;
    if (messages.count == 0 && rig != NULL) {
        status = a.sweep != NULL ? run_sweep(&a, rig, plan) : run_once(&a, rig, plan);
    }
    wpin_messages_free(&messages);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return status;
}
