/* windpin new: a first rig and plan from a few answers. */
#define _GNU_SOURCE
#include "cli.h"
#include "windpin/host/quantity.h"
#include "windpin/host/starter.h"
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <unistd.h>

enum { MOST_WIRES = 20 };

typedef struct new_arguments {
    const char *path; /* without .yaml */
    const char *load, *stage;
    int wires;
    double volts, watts;
} new_arguments;

static const struct argp_option options[] = {
    {"wires", 'w', "NUMBER", 0, "How many wires come out of it", 0},
    {"load", 'l', "KIND", 0, "motor, sensorless, field-oriented, lamp, leds, solenoid or stepper",
     0},
    {"stage", 'k', "KIND", 0, "What drives it (windpin stage lists them)", 0},
    {"supply", 's', "VOLTS", 0, "Of its supply, e.g. 12V", 0},
    {"power", 'p', "WATTS", 0, "What it takes when it works, e.g. 10W", 0},
    {0}};

static const char doc[] =
    "Writes a first rig and a first plan, NAME.yaml and NAME.plan, with usual figures for a part "
    "of that size and notes on what to measure. What is not given is asked for on a terminal. "
    "Files that exist are left alone.\v"
    "Example:\n"
    "  windpin new mixer --wires 2 --load motor --stage two-inputs-enable \\\n"
    "      --supply 12V --power 10W\n"
    "On a terminal it asks for what is not said.\n"
    "\n"
    "Exit status: 0 both are written; 1 one could not be, or vetting refuses what it is; 2 the "
    "files or the usage are wrong.";

/* What may be said of a supply, and of what it drives. */
typedef struct span {
    wpin_dimension dimension;
    double least, most;
    const char *unit;
} span;

static const span volts_span = {WPIN_VOLTAGE, WPIN_STARTER_LEAST_VOLTS, WPIN_STARTER_MOST_VOLTS,
                                "V"};
static const span watts_span = {WPIN_POWER, WPIN_STARTER_LEAST_WATTS, WPIN_STARTER_MOST_WATTS, "W"};

static double quantity(struct argp_state *state, const char *text, const span *s) {
    char why[320];
    double value = 0;
    if (!wpin_quantity_read(text, s->dimension, &value, why, sizeof why)) {
        argp_error(state, "%s", why);
    } else if (value < s->least || value > s->most) {
        argp_error(state, "%s is out of range; expected %g %s to %g %s", text, s->least, s->unit,
                   s->most, s->unit);
    }
    return value;
}

static error_t parse(int key, char *arg, struct argp_state *state) {
    new_arguments *a = state->input;
    switch (key) {
    case 'w':
        a->wires = atoi(arg);
        if (a->wires < 1 || a->wires > MOST_WIRES) {
            argp_error(state, "--wires %s: expected a number of wires, 2 to 8", arg);
        }
        return 0;
    case 'l': a->load = arg; return 0;
    case 'k': a->stage = arg; return 0;
    case 's': a->volts = quantity(state, arg, &volts_span); return 0;
    case 'p': a->watts = quantity(state, arg, &watts_span); return 0;
    case ARGP_KEY_ARG:
        if (a->path != NULL) {
            argp_error(state, "one name is enough; what is '%s'?", arg);
        }
        a->path = arg;
        return 0;
    case ARGP_KEY_END:
        if (a->path == NULL) {
            argp_error(state, "expected a name, e.g. windpin new feeder");
        }
        return 0;
    default: return ARGP_ERR_UNKNOWN;
    }
}

/* ---- asking ---- */

/* A line typed in, without its end; what stands there if nothing was. False at the end of input. */
static bool ask(const char *question, const char *otherwise, char *answer, size_t size) {
    printf("%s [%s] ", question, otherwise);
    fflush(stdout);
    if (fgets(answer, (int)size, stdin) == NULL) {
        printf("\n");
        return false;
    }
    answer[strcspn(answer, "\r\n")] = '\0';
    if (answer[strspn(answer, " \t")] == '\0') {
        snprintf(answer, size, "%s", otherwise);
    }
    return true;
}

static bool ask_quantity(const char *question, const char *otherwise, const span *s,
                         double *value) {
    char answer[80], why[320];
    while (ask(question, otherwise, answer, sizeof answer)) {
        if (!wpin_quantity_read(answer, s->dimension, value, why, sizeof why)) {
            printf("  %s\n", why);
        } else if (*value >= s->least && *value <= s->most) {
            return true;
        } else {
            cli_say("  expected %g to %g %s\n", s->least, s->most, s->unit);
        }
    }
    return false;
}

static const wpin_wired *print_wired(int wires) {
    const wpin_wired *first = NULL;
    int number = 0;
    for (const wpin_wired *t = wpin_wired_things(); t->what != NULL; t++) {
        if (t->wires == wires) {
            printf("  %d  %s: %s\n", ++number, t->what, t->tell);
            first = first == NULL ? t : first;
        }
    }
    return first;
}

/* What it is, by its wires. */
static const wpin_wired *ask_wired(int wires) {
    char answer[80];
    const wpin_wired *first = NULL;
    while (first == NULL) {
        if (wires == 0) {
            if (!ask("How many wires come out of it?", "2", answer, sizeof answer)) {
                return NULL;
            }
            wires = atoi(answer);
        }
        printf("With %d wires it can be:\n", wires);
        first = print_wired(wires);
        if (first == NULL) {
            printf("  nothing known here; expected 2, 3, 4, 5, 6 or 8\n");
            wires = 0;
        }
    }
    while (ask("Which one?", "1", answer, sizeof answer)) {
        int number = atoi(answer);
        if (number >= 1 && first[number - 1].what != NULL && first[number - 1].wires == wires) {
            return &first[number - 1];
        }
        printf("  expected one of the numbers above\n");
    }
    return NULL;
}

static const wpin_stage_kind *find_kind(const char *name) {
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count);
    for (size_t i = 0; i < count; i++) {
        if (strcasecmp(kinds[i].name, name) == 0) {
            return &kinds[i];
        }
    }
    return NULL;
}

static const wpin_stage_kind *ask_kind(const wpin_wired *thing) {
    char answer[80];
    size_t count;
    const wpin_stage_kind *kinds = wpin_stage_kinds(&count), *kind;
    printf("What drives it? One of:\n");
    for (size_t i = 0; i < count; i++) {
        if (wpin_starter_fits(thing, &kinds[i])) {
            printf("  %-26s %s\n", kinds[i].name, kinds[i].words);
        }
    }
    while (ask("Stage", thing->stage, answer, sizeof answer)) {
        kind = find_kind(answer);
        if (kind != NULL && wpin_starter_fits(thing, kind)) {
            return kind;
        }
        printf("  expected a name from the list\n");
    }
    return NULL;
}

/* ---- making ---- */

/* What it can be with so many wires, as options. */
static void complain_of_wires(const new_arguments *a) {
    char list[600] = "";
    size_t used = 0;
    for (const wpin_wired *t = wpin_wired_things(); t->what != NULL; t++) {
        if (t->wires == a->wires && t->load != NULL && used < sizeof list) {
            used += (size_t)snprintf(list + used, sizeof list - used, "%s--load %s (%s)",
                                     used == 0 ? "" : " or ", t->load, t->what);
        }
    }
    if (used != 0) {
        cli_complain("with %d wires it can be: %s", a->wires, list);
    } else if (wpin_wired_find(a->wires, NULL, NULL) != NULL) {
        const wpin_wired *t = wpin_wired_find(a->wires, NULL, NULL);
        cli_complain("with %d wires it can be a %s, which needs %s", a->wires, t->what, t->stage);
    } else {
        cli_complain("nothing with %d wires is known here; expected 2, 3, 4, 5, 6 or 8", a->wires);
    }
}

/* What it is, by its wires and by what it is said to be. */
static const wpin_wired *find_thing(const new_arguments *a) {
    static const char loads[] =
        "motor, sensorless, field-oriented, lamp, leds, solenoid or stepper";
    bool asks = isatty(STDIN_FILENO);
    const wpin_wired *thing = NULL;
    if (a->load != NULL && wpin_wired_find(0, a->load, NULL) == NULL) {
        cli_complain("unknown load '%s'; expected %s", a->load, loads);
    } else if (a->load != NULL) {
        const wpin_stage_kind *kind = a->stage == NULL ? NULL : find_kind(a->stage);
        thing = wpin_wired_find(a->wires, a->load, kind);
        thing = thing != NULL ? thing : wpin_wired_find(a->wires, a->load, NULL);
        if (thing == NULL) {
            complain_of_wires(a);
        }
    } else if (asks) {
        thing = ask_wired(a->wires);
        if (thing != NULL && thing->load == NULL) {
            cli_complain("a %s needs %s", thing->what, thing->stage);
            thing = NULL;
        }
    } else if (a->wires != 0) {
        complain_of_wires(a);
    } else {
        cli_complain("what is it? expected --load %s (on a terminal it is asked for)", loads);
    }
    return thing;
}

/* Of another name it may be just what that stage drives: three wires without sensors. */
static void complain_of_kind(const wpin_wired *thing, const wpin_stage_kind *kind) {
    const wpin_wired *other = wpin_wired_find(thing->wires, NULL, kind);
    char instead[200] = "";
    if (other != NULL && other->load != NULL) {
        snprintf(instead, sizeof instead, "; a %s (--load %s) can be connected to it", other->what,
                 other->load);
    }
    cli_complain("'%s' is not a stage for a %s (%d wires: %s)%s; windpin stage lists them, %s is a "
                 "usual one",
                 kind->name, thing->load, thing->wires, thing->what, instead, thing->stage);
}

static const wpin_stage_kind *choose_kind(const new_arguments *a, const wpin_wired *thing) {
    bool asks = a->stage == NULL && isatty(STDIN_FILENO);
    const wpin_stage_kind *kind = a->stage != NULL ? cli_find_kind(a->stage)
                                  : asks           ? ask_kind(thing)
                                                   : find_kind(thing->stage);
    if (kind != NULL && !wpin_starter_fits(thing, kind)) {
        complain_of_kind(thing, kind);
        return NULL;
    }
    return kind;
}

/* What the options say, or what is asked; false with a complaint. */
static bool answer_all(new_arguments *a, wpin_starter *s) {
    bool asks = isatty(STDIN_FILENO);
    s->thing = find_thing(a);
    if (s->thing == NULL) {
        return false;
    }
    if (asks && a->volts == 0 &&
        !ask_quantity("Volts of its supply?", "12V", &volts_span, &a->volts)) {
        return false;
    }
    if (asks && a->watts == 0 &&
        !ask_quantity("What does it take when it works?", "10W", &watts_span, &a->watts)) {
        return false;
    }
    s->volts = a->volts != 0 ? a->volts : 12;
    s->watts = a->watts != 0 ? a->watts : 10;
    double amps = s->watts / s->volts;
    if (amps < WPIN_STARTER_LEAST_AMPS || amps > WPIN_STARTER_MOST_AMPS) {
        cli_complain("%g W at %g V are %.3g A; expected %g to %g A", s->watts, s->volts, amps,
                     WPIN_STARTER_LEAST_AMPS, WPIN_STARTER_MOST_AMPS);
        return false;
    }
    s->kind = choose_kind(a, s->thing);
    return s->kind != NULL;
}

/* The file's name without folder, if a load may be called so; names of other parts and words of the
 * plan language may not. */
static void name_of(const char *path, char *name, size_t size) {
    const char *base = strrchr(path, '/');
    snprintf(name, size, "%.31s", base != NULL ? base + 1 : path);
    for (char *c = name; *c != '\0'; c++) {
        bool fine = (*c >= 'a' && *c <= 'z') || (*c >= 'A' && *c <= 'Z') ||
                    (*c >= '0' && *c <= '9') || *c == '-' || *c == '_';
        *c = fine ? *c : '-';
    }
    bool fits = wpin_rig_name_fits(name) && !wpin_rig_name_is_reserved(name) &&
                strcasecmp(name, "main") != 0 && strcasecmp(name, "stop") != 0;
    if (!fits) {
        snprintf(name, size, "load");
    }
}

/* A file that is not there yet. */
static FILE *create(const char *path) {
    FILE *file = fopen(path, "wx");
    if (file == NULL) {
        cli_complain("%s: %s", path,
                     errno == EEXIST ? "exists already and is left alone; choose another name"
                                     : strerror(errno));
    }
    return file;
}

/* Reads back what was written: it has to be what the tool itself takes. */
static int check(const char *rig_path, const char *plan_path, const wpin_wired *thing) {
    wpin_messages messages = {0};
    wpin_rig *rig = wpin_rig_read(rig_path, &messages);
    wpin_plan *plan = rig != NULL ? wpin_plan_read(plan_path, rig, &messages) : NULL;
    wpin_vetting *vetting = plan != NULL ? wpin_vet(rig, plan, NULL) : NULL;
    cli_print_messages(&messages);
    wpin_messages_free(&messages);
    int status = vetting == NULL ? EXIT_WRONG_INPUT : EXIT_FINE;
    if (vetting != NULL) {
        printf("%s and %s written, for a %s (%d wires); vetted: %zu refused, %zu with caution.\n\n"
               "Next:\n  windpin vet %s %s\n  windpin run %s %s --plot %s.png\n"
               "and put your own figures in where the rig says 'measure' or names a data sheet.\n",
               rig_path, plan_path, thing->what, thing->wires, vetting->refusals, vetting->cautions,
               rig_path, plan_path, rig_path, plan_path, rig->loads[0].name);
        status = vetting->refusals > 0 ? EXIT_MET_FAULT : EXIT_FINE;
    }
    wpin_vetting_free(vetting);
    wpin_plan_free(plan);
    wpin_rig_free(rig);
    return status;
}

int cmd_new(int argc, char **argv) {
    static const struct argp argp = {options, parse, "NAME", doc, NULL, NULL, NULL};
    new_arguments a = {0};
    wpin_starter starter = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    size_t length = strlen(a.path);
    if (length > 5 && strcmp(a.path + length - 5, ".yaml") == 0) {
        length -= 5;
    }
    char rig[4096], plan[4096], name[40], base[4000];
    snprintf(base, sizeof base, "%.*s", (int)length, a.path);
    snprintf(rig, sizeof rig, "%s.yaml", base);
    snprintf(plan, sizeof plan, "%s.plan", base);
    name_of(base, name, sizeof name);
    starter.name = name;
    if (access(rig, F_OK) == 0 || access(plan, F_OK) == 0) {
        cli_complain("%s: exists already and is left alone; choose another name",
                     access(rig, F_OK) == 0 ? rig : plan);
        return EXIT_WRONG_INPUT;
    }
    if (!answer_all(&a, &starter)) {
        return EXIT_WRONG_INPUT;
    }
    FILE *rig_file = create(rig), *plan_file = rig_file != NULL ? create(plan) : NULL;
    bool written = plan_file != NULL && wpin_starter_write(&starter, rig_file, plan_file);
    written = (rig_file == NULL || fclose(rig_file) == 0) && written;
    written = (plan_file == NULL || fclose(plan_file) == 0) && written;
    if (!written) {
        if (plan_file != NULL) {
            cli_complain("%s: can't be written whole: %s", rig, strerror(errno));
        }
        return EXIT_MET_FAULT;
    }
    return check(rig, plan, starter.thing);
}
