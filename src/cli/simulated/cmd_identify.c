/* windpin identify RIG LOAD: what a motor is, by an experiment or from a record of one. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/response.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

enum {
    KEY_WRITE = 256,
    KEY_JSON,
    KEY_ATTACHED,
    KEY_RECORD,
    KEY_SAVE,
    KEY_SPREAD,
    KEY_SEED,
    KEY_SPEED,
    KEY_AT,
    KEY_CONSTANT
};

typedef struct identify_arguments {
    const char *words[2]; /* rig, load */
    const char *record, *save;
    double spread;
    double rpm, duty, constant; /* what is known of a motor without encoder; 0: not */
    unsigned seed;
    bool write, json, attached;
} identify_arguments;

static const struct argp_option options[] = {
    {"attached", KEY_ATTACHED, NULL, 0,
     "Something is attached to it, and may turn at up to full speed both ways", 0},
    {"record", KEY_RECORD, "FILE.csv", 0, "From this record; nothing is run", 0},
    {"save", KEY_SAVE, "FILE.csv", 0, "Keep the record of the run", 0},
    {"speed", KEY_SPEED, "RPM", 0,
     "Of a motor without encoder: a speed of its output that was measured during the run", 0},
    {"at", KEY_AT, "DUTY", 0, "With --speed: the duty forward that it was measured at, e.g. 81%",
     0},
    {"constant", KEY_CONSTANT, "K", 0,
     "In place of --speed and --at: its torque constant, e.g. 55mNm/A", 0},
    {"spread", KEY_SPREAD, "SHARE", 0,
     "The simulated motor is another than the rig says, each constant up to this far, e.g. 20%", 0},
    {"seed", KEY_SEED, "N", 0, "Which of the motors that --spread allows, 0 to 1000000 (1)", 0},
    {"write", KEY_WRITE, NULL, 0, "Store what was found in the rig file", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Finds out what a motor is: resistance, inductance, torque constant, inertia and frictions, "
    "each "
    "with how far it may be off. On simulated hardware it breaks the motor loose slowly, brings it "
    "to two speeds and lets it run down, each way; only what a controller measures is used. It "
    "takes "
    "a current sense, and an encoder or one speed that somebody measured.\v"
    "Example:\n"
    "  windpin identify demo/honey-motor.yaml drum --spread 20%\n"
    "\n"
    "Exit status: 0 found; 1 not, or it could not be stored; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    identify_arguments *a = state->input;
    char why[320], *rest;
    switch (key) {
    case KEY_ATTACHED: a->attached = true; break;
    case KEY_RECORD: a->record = arg; break;
    case KEY_SAVE: a->save = arg; break;
    case KEY_WRITE: a->write = true; break;
    case KEY_JSON: a->json = true; break;
    case KEY_SPREAD:
        if (!wpin_quantity_read(arg, WPIN_SHARE, &a->spread, why, sizeof why)) {
            argp_error(state, "--spread: %s", why);
        } else if (a->spread < 0 || a->spread > 0.5) {
            argp_error(state, "--spread %s: expected 0 to 50%%", arg);
        }
        break;
    case KEY_SPEED:
        if (!wpin_quantity_read(arg, WPIN_SPEED, &a->rpm, why, sizeof why) || a->rpm <= 0) {
            argp_error(state, "--speed %s: expected a speed forward above 0, e.g. 3120rpm", arg);
        }
        break;
    case KEY_AT:
        if (!wpin_quantity_read(arg, WPIN_SHARE, &a->duty, why, sizeof why) || a->duty <= 0 ||
            a->duty > 1) {
            argp_error(state, "--at %s: expected a duty above 0 up to 100%%, e.g. 81%%", arg);
        }
        break;
    case KEY_CONSTANT:
        if (!wpin_quantity_read(arg, WPIN_MOTOR_CONSTANT, &a->constant, why, sizeof why) ||
            a->constant <= 0) {
            argp_error(state, "--constant %s: expected a torque constant, e.g. 55mNm/A", arg);
        }
        break;
    case KEY_SEED:
        a->seed = (unsigned)strtoul(arg, &rest, 10);
        if (*arg == '\0' || *rest != '\0' || a->seed > 1000000) {
            argp_error(state, "--seed '%s': expected a whole number, 0 to 1000000", arg);
        }
        break;
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

/* ---- a bench that is not what the rig says ---- */

static bool run(const identify_arguments *a, const wpin_rig *rig, int load, wpin_record *record,
                wpin_known *known, char *why, size_t size) {
    wpin_rig *bench = wpin_bench_vary(rig, load, a->spread, a->seed, false);
    if (bench == NULL) {
        snprintf(why, size, "out of memory");
        return false;
    }
    bool good = wpin_experiment(rig, bench, load, record, known, why, size);
    wpin_bench_free(bench);
    return good;
}

static bool obtain(const identify_arguments *a, const wpin_rig *rig, int load, wpin_record *record,
                   wpin_known *known, char *why, size_t size) {
    if (a->record != NULL) {
        return wpin_record_read(record, a->record, why, size);
    }
    return wpin_experiment_fits(rig, load, a->attached, why, size) &&
           run(a, rig, load, record, known, why, size) &&
           (a->save == NULL || wpin_record_write(record, a->save, why, size));
}

/* A person read it from a tachometer, whole to a revolution; the constant is taken as it is. */
static void take_known(const identify_arguments *a, const wpin_rig_load *load, wpin_known *to) {
    *to = (wpin_known){.speed = a->rpm * 2 * PI / 60 * load->motor.gear_ratio,
                       .duty = a->duty,
                       .error = a->rpm > 0 ? fmax(0.5 / a->rpm, 1e-3) : 0,
                       .constant = a->constant};
}

/* What is known has to be told whole, and only of a motor that needs it. */
static bool known_fits(const identify_arguments *a, const wpin_rig_load *load) {
    bool speed = a->rpm > 0, at = a->duty > 0, constant = a->constant > 0;
    if ((speed || at || constant) && load->encoder.there) {
        cli_complain(
            "'%s' has an encoder, which measures its speed: no --speed, --at or --constant",
            load->name);
    } else if (speed != at) {
        cli_complain("--speed and --at belong together: a speed, and the duty it was measured at");
    } else if (speed && constant) {
        cli_complain("--constant takes the place of --speed and --at: one of them");
    } else if (speed && a->record == NULL) {
        cli_complain("on simulated hardware a speed is measured by itself; --speed goes with "
                     "--record");
    } else if (a->record != NULL && !speed && !constant && !load->encoder.there) {
        cli_complain("'%s' has no encoder: from its current alone its constant, inertia and "
                     "friction can't be separated. Give one speed of its output that was "
                     "measured meanwhile, and the duty forward (--speed 3120rpm --at 81%%), or its "
                     "torque constant (--constant 55mNm/A)",
                     load->name);
    } else {
        return true;
    }
    return false;
}

static bool find(const identify_arguments *a, const wpin_rig *rig, const wpin_rig_load *load,
                 const wpin_record *record, wpin_known *known, wpin_identification *to, char *why,
                 size_t size) {
    if (load->encoder.there) {
        return wpin_identify(rig, load, record, to, why, size);
    }
    known->constant = a->constant;
    return wpin_identify_from_current(rig, load, record, known, to, why, size);
}

/* ---- in words ---- */

static const struct {
    const char *words, *key;
    wpin_dimension dimension;
} constants[WPIN_CONSTANTS] = {
    [WPIN_CONSTANT_RESISTANCE] = {"resistance, 25 degC", "resistance", WPIN_RESISTANCE},
    [WPIN_CONSTANT_INDUCTANCE] = {"inductance", "inductance", WPIN_INDUCTANCE},
    [WPIN_CONSTANT_TORQUE] = {"torque constant", "constant", WPIN_MOTOR_CONSTANT},
    [WPIN_CONSTANT_INERTIA] = {"inertia", "inertia", WPIN_INERTIA},
    [WPIN_CONSTANT_DRY] = {"dry friction", "dry-friction", WPIN_TORQUE},
    [WPIN_CONSTANT_VISCOUS] = {"viscous friction", "viscous-friction", WPIN_VISCOSITY},
    [WPIN_CONSTANT_STATIC] = {"static friction", "static-friction", WPIN_TORQUE}};

/* What the load of the rig adds to what is found on the motor's shaft. */
static double of_load(const wpin_part_motor *m, wpin_constant which) {
    wpin_at_shaft both = wpin_part_at_shaft(m);
    switch (which) {
    case WPIN_CONSTANT_INERTIA: return both.inertia - m->inertia;
    case WPIN_CONSTANT_VISCOUS: return both.viscous - m->viscous_friction;
    case WPIN_CONSTANT_DRY: return both.drags - m->dry_friction;
    case WPIN_CONSTANT_STATIC: return both.holds - m->static_friction;
    default: return 0;
    }
}

static double in_rig(const wpin_part_motor *m, wpin_constant which) {
    const double values[WPIN_CONSTANTS] = {
        [WPIN_CONSTANT_RESISTANCE] = m->resistance, [WPIN_CONSTANT_INDUCTANCE] = m->inductance,
        [WPIN_CONSTANT_TORQUE] = m->constant,       [WPIN_CONSTANT_INERTIA] = m->inertia,
        [WPIN_CONSTANT_DRY] = m->dry_friction,      [WPIN_CONSTANT_VISCOUS] = m->viscous_friction,
        [WPIN_CONSTANT_STATIC] = m->static_friction};
    return values[which];
}

/* The motor's own, with the rig's load taken off; 0: that leaves nothing that is told. */
static double own(const wpin_rig_load *load, const wpin_identification *found, int i) {
    const wpin_estimate *e = &found->constants[i];
    double mine = e->value - of_load(&load->motor, (wpin_constant)i);
    return e->known && e->error < 0.5 * mine ? mine : 0;
}

static void print_row(const wpin_rig_load *load, const wpin_identification *found, int i) {
    const wpin_estimate *e = &found->constants[i];
    char said[40], is[40] = "not known", off[40] = "";
    wpin_dimension d = constants[i].dimension;
    double mine = own(load, found, i);
    wpin_quantity_write(said, sizeof said, in_rig(&load->motor, (wpin_constant)i), d);
    if (mine > 0) {
        wpin_quantity_write(is, sizeof is, mine, d);
        wpin_plain(off, sizeof off, "+- %.2g %%", 100 * e->error / mine);
    } else if (i == WPIN_CONSTANT_INDUCTANCE && e->error > 0) {
        char most[36];
        wpin_quantity_write(most, sizeof most, e->value + e->error, d);
        snprintf(is, sizeof is, "< %s", most);
    }
    printf("  %-20s %14s %14s  %s\n", constants[i].words, said, is, off);
}

/* The rig's own entry, as it stood before anything found was put over it, is what counts. */
static uint32_t mark_of(const wpin_rig_load *load) {
    const wpin_rig_identified *i = &load->identified;
    return i->there && !i->stale ? i->of : wpin_rig_motor_mark(&load->motor);
}

static void write_line(char *to, size_t size, const wpin_rig_load *load,
                       const wpin_identification *found) {
    char day[20];
    cli_today(day, sizeof day);
    int used = snprintf(to, size, "identified: {on: %s, of: %08x", day, mark_of(load));
    for (int i = 0; i < WPIN_CONSTANTS && used < (int)size; i++) {
        char value[40];
        double mine = own(load, found, i);
        if (mine > 0) {
            wpin_quantity_write(value, sizeof value, mine, constants[i].dimension);
            char *blank = strchr(value, ' ');
            if (blank != NULL) { /* 0.9 ohm -> 0.9ohm */
                memmove(blank, blank + 1, strlen(blank));
            }
            used += snprintf(to + used, size - (size_t)used, ", %s: %s", constants[i].key, value);
        }
    }
    snprintf(to + used, size - (size_t)used, "}");
}

/* What stands in for the encoder. */
static void print_known(const wpin_rig_load *load, const wpin_known *known) {
    if (load->encoder.there) {
        return;
    }
    if (known->constant > 0) {
        cli_say("Without an encoder a current shows friction and inertia only as multiples of the "
                "torque constant: that was given, %.4g mNm/A. An error of it goes into friction by "
                "as much, and into viscous friction and inertia by twice as much.\n",
                known->constant * 1e3);
        return;
    }
    cli_say(
        "Without an encoder a current shows friction and inertia only as multiples of the torque "
        "constant; one speed gave that: %.0f rpm of its output at %.3g %% duty, +- %.2g %%.\n",
        known->speed * 60 / (2 * PI) / load->motor.gear_ratio, known->duty * 100,
        known->error * 100);
}

static void print_found(const identify_arguments *a, const wpin_rig *rig, const wpin_rig_load *load,
                        const wpin_identification *found, const wpin_known *known,
                        const char *line) {
    cli_say("%s (rig %08x): %s identified from %.1f s %s%s\n\n", rig->name, rig->fingerprint,
            load->name, found->seconds, a->record != NULL ? "of " : "on simulated hardware",
            a->record != NULL ? a->record : "");
    printf("  %-20s %14s %14s  %s\n", "", "the rig says", "found", "may be off by");
    for (int i = 0; i < WPIN_CONSTANTS; i++) {
        print_row(load, found, i);
    }
    cli_say("\nThe current is off by %.2g A on average; %zu stretches, %zu starts from rest",
            found->amps_off, found->windows, found->breakaways);
    if (found->samples > 0) {
        printf(", %zu samples within periods of PWM", found->samples);
    }
    puts(".");
    cli_say(
        "Assumed: %.4g V at '%s' (measure it while nothing turns), the winding at %.0f degC, and "
        "the stage as the rig has it.\n",
        found->volts, rig->supplies[load->supply].name, found->degrees);
    print_known(load, known);
    if (found->no_inductance[0] != '\0') {
        printf("The inductance is not known: %s.\n", found->no_inductance);
    }
    if (a->spread > 0 && a->record == NULL) {
        cli_say("The simulated motor was another than the rig's, up to %.3g %% (seed %u).\n",
                a->spread * 100, a->seed);
    }
    printf("For the rig, under '%s':\n    %s\n", load->name, line);
}

static void print_json(const wpin_rig *rig, const wpin_rig_load *load,
                       const wpin_identification *found, const wpin_known *known,
                       const char *line) {
    json_t *all = json_object();
    for (int i = 0; i < WPIN_CONSTANTS; i++) {
        const wpin_estimate *e = &found->constants[i];
        double taken = of_load(&load->motor, (wpin_constant)i);
        json_object_set_new(all, constants[i].key,
                            json_pack("{s:f, s:f, s:b, s:f}", "found", e->value - taken, "error",
                                      e->error, "known", (int)e->known, "rig",
                                      in_rig(&load->motor, (wpin_constant)i)));
    }
    json_t *told = json_pack("{s:s, s:o, s:f, s:f, s:f, s:s}", "load", load->name, "constants", all,
                             "off_a", found->amps_off, "record_s", found->seconds, "assumed_volts",
                             found->volts, "for_the_rig", line);
    if (found->no_inductance[0] != '\0') {
        json_object_set_new(told, "no_inductance", json_string(found->no_inductance));
    }
    if (!load->encoder.there && known->constant > 0) {
        json_object_set_new(told, "known_constant_nm_per_a", json_real(known->constant));
    } else if (!load->encoder.there) {
        double rpm = known->speed * 60 / (2 * PI) / load->motor.gear_ratio;
        json_object_set_new(told, "known_rpm", json_real(rpm));
        json_object_set_new(told, "known_at_duty", json_real(known->duty));
    }
    cli_dump_json(cli_of_rig(rig, told));
}

static int identify(const identify_arguments *a, const wpin_rig *rig) {
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    wpin_record record = {0};
    wpin_identification found;
    wpin_known known;
    char why[400], line[500];
    if (load < 0 || !known_fits(a, &rig->loads[load])) {
        return EXIT_WRONG_INPUT;
    }
    const wpin_rig_load *l = &rig->loads[load];
    take_known(a, l, &known);
    if (!obtain(a, rig, load, &record, &known, why, sizeof why) ||
        !find(a, rig, l, &record, &known, &found, why, sizeof why)) {
        cli_complain("%s", why);
        bool ran = record.count > 0;
        wpin_record_free(&record);
        return ran ? EXIT_MET_FAULT : EXIT_WRONG_INPUT;
    }
    wpin_record_free(&record);
    write_line(line, sizeof line, l, &found);
    if (a->json) {
        print_json(rig, l, &found, &known, line);
    } else {
        print_found(a, rig, l, &found, &known, line);
    }
    if (a->write && cli_store_line(a->words[0], l->line, "identified", line)) {
        fprintf(a->json ? stderr : stdout, "Stored in %s.\n", a->words[0]);
        return EXIT_FINE;
    }
    return a->write ? EXIT_MET_FAULT : EXIT_FINE;
}

int cmd_identify(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    identify_arguments a = {.seed = 1};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    if (!cli_may_write(a.save)) {
        return EXIT_WRONG_INPUT;
    }
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : identify(&a, rig);
    wpin_rig_free(rig);
    return status;
}
