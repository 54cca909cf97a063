/* windpin order RIG LOAD: which code of its Hall sensors belongs to which sector of a brushless
 * motor, stored in the rig if asked; of one that is field-oriented by an encoder, whether that
 * finds its place. */
#define _GNU_SOURCE
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/rehearsal.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { KEY_WRITE = 256, KEY_JSON, KEY_WIRES, KEY_FAULT, KEY_ATTACHED };

typedef struct order_arguments {
    const char *words[2]; /* rig, load */
    const char *fault;
    long wires;
    bool write, json, attached;
} order_arguments;

static const struct argp_option options[] = {
    {"attached", KEY_ATTACHED, NULL, 0, "Something is attached to it, and may turn with it", 0},
    {"write", KEY_WRITE, NULL, 0, "Store the codes, and when they were found, in the rig file", 0},
    {"wires", KEY_WIRES, "N", 0,
     "The simulated bench's leads and sensors are in another order: 1 to 71 (36 and up: inverted)",
     0},
    {"fault", KEY_FAULT, "WORDS", 0, "Put a fault in, e.g. \"drum hall-sensor-off\"", 0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Finds the order of a brushless motor's wires on simulated hardware: pulls its rotor to six "
    "places and back, gently, and reads its Hall sensors at each. Nothing is guessed from whether "
    "it turns: some wrong orders turn as well, at many times the current. A motor that is "
    "field-oriented by an encoder is led to the place it counts from instead.\v"
    "Example:\n"
    "  windpin order demo/honey-spinner.yaml drum --attached --wires 23\n"
    "\n"
    "Exit status: 0 found; 1 not, or it could not be stored; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    order_arguments *a = state->input;
    char *end;
    switch (key) {
    case KEY_WRITE: a->write = true; break;
    case KEY_ATTACHED: a->attached = true; break;
    case KEY_JSON: a->json = true; break;
    case KEY_FAULT: a->fault = arg; break;
    case KEY_WIRES:
        a->wires = strtol(arg, &end, 10);
        if (*end != '\0' || end == arg || a->wires < 0 || a->wires >= WPIN_WIRE_ORDERS) {
            argp_error(state, "--wires: '%s' is not an order; expected 0 (as the rig says) to %d",
                       arg, WPIN_WIRE_ORDERS - 1);
        }
        break;
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

/* ---- what came of it ---- */

static const char *sensors_in(uint8_t mask, char *to, size_t size) {
    snprintf(to, size, "%s%s%s%s%s", (mask & 1U) != 0 ? "a" : "",
             (mask & 1U) != 0 && (mask & 6U) != 0 ? ", " : "", (mask & 2U) != 0 ? "b" : "",
             (mask & 2U) != 0 && (mask & 4U) != 0 ? ", " : "", (mask & 4U) != 0 ? "c" : "");
    return to;
}

static void say_trouble(const wpin_rig_load *load, const wpin_found_order *found, char *to,
                        size_t size) {
    char sensors[16];
    switch (found->state) {
    case WPIN_ORDER_STANDS:
        snprintf(to, size,
                 "no sensor of '%s' ever changed: it did not move (a lead or the supply off, more "
                 "friction than the rig says), or its sensors have no supply",
                 load->name);
        break;
    case WPIN_ORDER_SENSOR:
        snprintf(to, size,
                 "sensor %s of '%s' never changed while others did: its wire is off, or it lacks "
                 "its pull-up",
                 sensors_in(found->same, sensors, sizeof sensors), load->name);
        break;
    case WPIN_ORDER_LEAD:
        snprintf(to, size,
                 "lead %c of '%s' carries no current: it is off, or leg %c of its driver is "
                 "dead",
                 found->same == 1 ? 'A' : (found->same == 2 ? 'B' : 'C'), load->name,
                 found->same == 1 ? 'a' : (found->same == 2 ? 'b' : 'c'));
        break;
    case WPIN_ORDER_CURRENT:
        wpin_plain(to, size,
                   "'%s' drew more than %.3g A and was let go: two leads touch, or the rig "
                   "knows too many ohms",
                   load->name, 1.6 * found->amps);
        break;
    default:
        snprintf(to, size,
                 "there and back '%s' did not come to the same places: a lead is off, a load turns "
                 "it, or it has more friction than the rig says",
                 load->name);
        break;
    }
}

static void print_plan(const wpin_rig_load *load, const wpin_found_order *found) {
    cli_say(
        "%s is pulled to six places and back with %.3g A (%.1f %% duty), %.3g s at each: its shaft "
        "turns by up to %.3g of a turn",
        load->name, found->amps, found->duty * 100, found->hold,
        found->turns * load->motor.gear_ratio);
    if (load->motor.gear_ratio != 1) {
        cli_say(", the output by up to %.3g deg", found->turns * 360);
    }
    printf(".\n");
}

static void print_codes(const wpin_rig_load *load, const wpin_found_order *found) {
    static const char *const phases[] = {"A to B", "A to C", "B to C",
                                         "B to A", "C to A", "C to B"};
    printf("\n  sector  forward by  sensors c b a  code\n");
    for (int s = 0; s < 6; s++) {
        unsigned code = found->codes[s];
        printf("  %-7d %-11s %u %u %u          %u%s\n", s, phases[s], code >> 2 & 1U,
               code >> 1 & 1U, code & 1U, code,
               code == load->hall.codes[s] ? "" : "   the rig says otherwise");
    }
    cli_say("\nIt turned by %.3g deg of the output, and drew up to %.3g A.\n", found->moved * 360,
            found->amps_peak);
    double due = 5.0 / 6 * found->turns,
           share = found->span / due; /* its places are so far apart */
    if (share < 0.65 || share > 1.5) {
        cli_say(
            "Between its places are %.3g deg, and by the rig's %.0f pole pairs %.3g: it has about "
            "%s as many. They are half the number of its magnets (windpin size poles).\n",
            found->span * 360, load->motor.pole_pairs, due * 360, share < 1 ? "twice" : "half");
    }
}

static bool is_sixty(const uint8_t *codes) {
    for (int i = 0; i < 6; i++) {
        if (codes[i] == 0 || codes[i] == 7) {
            return true;
        }
    }
    return false;
}

static json_t *as_json(const wpin_rig_load *load, const wpin_found_order *found, bool same) {
    json_t *codes = json_array();
    for (int s = 0; s < 6 && found->state == WPIN_ORDER_FOUND; s++) {
        json_array_append_new(codes, json_integer(found->codes[s]));
    }
    return json_pack("{s:s, s:b, s:o, s:b, s:f, s:f, s:f}", "load", load->name, "found",
                     (int)(found->state == WPIN_ORDER_FOUND), "codes", codes, "as_the_rig_says",
                     (int)same, "amps", found->amps, "peak_a", found->amps_peak, "moved_deg",
                     found->moved * 360);
}

static bool put(const order_arguments *a, const char *change) {
    char was[80], why[200];
    bool put = wpin_rig_change(a->words[0], a->words[0], change, was, sizeof was, why, sizeof why);
    if (!put) {
        cli_complain("%s: %s", a->words[0], why);
    }
    return put;
}

/* The codes, where they are others, and when and for which wires they were found. */
static int store(const order_arguments *a, const wpin_rig_load *load, const char *codes,
                 bool same) {
    char change[120], day[12];
    snprintf(change, sizeof change, "%s.hall.codes=%s", load->name, codes);
    if (!same && !put(a, change)) {
        return EXIT_MET_FAULT;
    }
    cli_today(day, sizeof day);
    snprintf(change, sizeof change, "%s.hall.found={on: %s, of: %08x}", load->name, day,
             wpin_rig_order_mark(load));
    if (!put(a, change)) {
        return EXIT_MET_FAULT;
    }
    fprintf(a->json ? stderr : stdout, "Stored in %s.\n", a->words[0]);
    return EXIT_FINE;
}

static int tell(const order_arguments *a, const wpin_rig *rig, const wpin_rig_load *load,
                const wpin_found_order *found) {
    char codes[40], trouble[300];
    bool same = memcmp(found->codes, load->hall.codes, sizeof found->codes) == 0;
    const uint8_t *c = found->codes;
    snprintf(codes, sizeof codes, "[%u, %u, %u, %u, %u, %u]", c[0], c[1], c[2], c[3], c[4], c[5]);
    if (a->json) {
        cli_dump_json(
            cli_of_rig(rig, as_json(load, found, same && found->state == WPIN_ORDER_FOUND)));
    }
    if (found->state != WPIN_ORDER_FOUND) {
        say_trouble(load, found, trouble, sizeof trouble);
        cli_complain("%s", trouble);
        return EXIT_MET_FAULT;
    }
    if (!a->json) {
        print_codes(load, found);
        printf("For the rig:\n    hall: {..., %scodes: %s}%s\n",
               is_sixty(c) ? "apart: 60deg, " : "", codes, same ? "   as it stands there" : "");
    }
    return a->write ? store(a, load, codes, same) : EXIT_FINE;
}

/* What it moves with it, and by how much: turns of the output. */
static bool is_free(const order_arguments *a, const wpin_rig_load *load, double turns) {
    const wpin_part_motor *m = &load->motor;
    bool attached = m->load_torque > 0 || m->load_viscous > 0 || m->load_quadratic > 0 ||
                    m->load_inertia > 0 || m->stop_high > m->stop_low;
    if (attached && !a->attached) {
        cli_complain(
            "'%s' has a load attached in the rig, which would turn by up to %.3g deg: take "
            "it off the bench and out of the rig, or say --attached",
            load->name, turns * 360);
    }
    return !attached || a->attached;
}

/* ---- an encoder in their place ---- */

/* Share of a quarter turn below which it did not move, as the core has it. */
#define HARDLY 0.2

static void print_way(const wpin_rig_load *load, const wpin_found_angle *found) {
    cli_say(
        "%s is led to two places from both sides with %.3g A at a lead's tip, %.3g s in all: its "
        "shaft turns by up to %.3g of a turn",
        load->name, found->amps, found->seconds, found->turns * load->motor.gear_ratio);
    if (load->motor.gear_ratio != 1) {
        cli_say(", the output by up to %.3g deg", found->turns * 360);
    }
    printf(".\n\n");
}

/* What the counts of a quarter of an electrical turn say. */
static void say_quarter(const wpin_rig_load *load, const wpin_found_angle *found, char *to,
                        size_t size) {
    double share = found->quarter / found->quarter_due;
    if (fabs(share) < HARDLY) {
        snprintf(to, size,
                 "'%s' counted nothing: its shaft is held, a lead or the supply is off, or its "
                 "encoder is silent",
                 load->name);
    } else if (share < 0) {
        snprintf(to, size,
                 "'%s' counts backwards: two leads are swapped, or the encoder's channels, or "
                 "'reversed' is missing in the rig",
                 load->name);
    } else {
        wpin_plain(to, size,
                   "'%s' counted %.3g times what a quarter of an electrical turn is: it has about "
                   "%s as many pole pairs as the %.0f of the rig (half the number of its magnets), "
                   "or 'lines' is another",
                   load->name, share, share < 1 ? "twice" : "half", load->motor.pole_pairs);
    }
}

static int tell_angle(const order_arguments *a, const wpin_rig *rig, const wpin_rig_load *load,
                      const wpin_found_angle *found) {
    bool good = found->found && fabs(found->quarter) > HARDLY * found->quarter_due;
    char trouble[300];
    if (a->json) {
        cli_dump_json(cli_of_rig(
            rig,
            json_pack("{s:s, s:b, s:f, s:f, s:f, s:f, s:f, s:f, s:s}", "load", load->name, "found",
                      (int)good, "amps", found->amps, "peak_a", found->amps_peak, "moved_deg",
                      found->moved * 360, "quarter_counts", found->quarter, "quarter_due",
                      found->quarter_due, "off_electrical_deg", found->off, "fault",
                      found->fault == WPIN_OK ? "" : wpin_status_name(found->fault))));
    } else {
        cli_say("  a quarter of an electrical turn  %.0f counts, due are %.4g\n", found->quarter,
                found->quarter_due);
        if (found->found) {
            cli_say("  the rotor                        known to %.2g electrical degrees, as the "
                    "simulated bench knows\n",
                    fabs(found->off));
        }
        cli_say("\nIt turned by %.3g deg of the output, and drew up to %.3g A.\n",
                found->moved * 360, found->amps_peak);
    }
    if (!good) {
        say_quarter(load, found, trouble, sizeof trouble);
        cli_complain("%s%s%s", trouble, found->fault != WPIN_OK ? "; its controller says " : "",
                     found->fault != WPIN_OK ? wpin_status_name(found->fault) : "");
        return EXIT_MET_FAULT;
    }
    if (!a->json) {
        printf("Its leads are in an order that turns it forward as it counts, and its pole pairs "
               "hold. Nothing is to be stored: the first start finds the place anew.\n");
    }
    return EXIT_FINE;
}

static int find_angle(const order_arguments *a, const wpin_rig *rig, int load,
                      const wpin_injection *fault) {
    const wpin_rig_load *l = &rig->loads[load];
    wpin_found_angle found;
    char why[300];
    if (a->wires != 0 || a->write) {
        cli_complain("%s is for Hall sensors; '%s' has an encoder, and the place where that counts "
                     "from is found at each first start",
                     a->write ? "--write" : "--wires", l->name);
        return EXIT_WRONG_INPUT;
    }
    if (!wpin_plan_angle(rig, load, &found, why, sizeof why) || !is_free(a, l, found.turns)) {
        return EXIT_WRONG_INPUT;
    }
    if (!a->json) {
        print_way(l, &found);
        fflush(stdout);
    }
    if (!wpin_find_angle(rig, load, fault, a->fault != NULL ? 1 : 0, &found, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_MET_FAULT;
    }
    return tell_angle(a, rig, l, &found);
}

/* ---- which of both ---- */

static int find(const order_arguments *a, const wpin_rig *rig) {
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    wpin_found_order found;
    wpin_injection fault;
    char why[300];
    if (load < 0) {
        return EXIT_WRONG_INPUT;
    }
    if (a->fault != NULL && !wpin_injection_read(rig, a->fault, &fault, why, sizeof why)) {
        cli_complain("--fault: %s", why);
        return EXIT_WRONG_INPUT;
    }
    if (rig->loads[load].vector.there && !rig->loads[load].hall.there) {
        return find_angle(a, rig, load, &fault);
    }
    if (!wpin_plan_order(rig, load, &found, why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_WRONG_INPUT;
    }
    if (!is_free(a, &rig->loads[load], found.turns)) {
        return EXIT_WRONG_INPUT;
    }
    if (!a->json) {
        print_plan(&rig->loads[load], &found);
        fflush(stdout);
    }
    if (!wpin_find_order(rig, load, (uint8_t)a->wires, &fault, a->fault != NULL ? 1 : 0, &found,
                         why, sizeof why)) {
        cli_complain("%s", why);
        return EXIT_MET_FAULT;
    }
    return tell(a, rig, &rig->loads[load], &found);
}

int cmd_order(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    order_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : find(&a, rig);
    wpin_rig_free(rig);
    return status;
}
