/* windpin rig RIG: lists what the file describes. */
#include "cli_json.h"
#include "windpin/host/plain.h"
#include <argp.h>
#include <stdio.h>

enum { KEY_JSON = 256, KEY_WIRING, KEY_PARTS };

typedef struct rig_arguments {
    const char *path;
    bool json, wiring, parts;
} rig_arguments;

static const struct argp_option options[] = {
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {"wiring", KEY_WIRING, NULL, 0, "Print every wire: chip, board, pin, level at the start", 0},
    {"parts", KEY_PARTS, NULL, 0, "Print the parts", 0},
    {0}};

static const char doc[] =
    "Checks a rig file and lists its supplies and loads: stage, pins, PWM, limits, motor.\v"
    "Example:\n"
    "  windpin rig demo/honey-pump.yaml\n"
    "\n"
    "Exit status: 0 fine; 2 the files or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    rig_arguments *a = state->input;
    switch (key) {
    case KEY_JSON: a->json = true; break;
    case KEY_WIRING: a->wiring = true; break;
    case KEY_PARTS: a->parts = true; break;
    case ARGP_KEY_ARG:
        if (state->arg_num > 0) {
            argp_error(state, "'%s' is one file too many; expected one rig", arg);
        }
        a->path = arg;
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

static void print_supplies(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        cli_say("supply %-10s %.4g V%s", s->name, s->volts, s->alternating ? " alternating" : "");
        if (s->from >= 0) {
            printf(", made from '%s' by a %s regulator", rig->supplies[s->from].name,
                   s->switching ? "switching" : "linear");
        } else {
            cli_say(", %.4g mohm inside, switch %s at the start", s->resistance * 1e3,
                    s->on ? "on" : "off");
        }
        if (s->limit_amps > 0) {
            cli_say(", %s at %.3g A", s->droops || s->from >= 0 ? "droops" : "cuts out",
                    s->limit_amps);
        }
        if (s->capacity > 0) {
            cli_say(", cells of %.4g Ah down to %.3g V", s->capacity / 3600, s->empty_volts);
        }
        if (s->sense.there) {
            cli_say("\n                  measured on A%.0f: what is driven trips below %.4g V for "
                    "%.3g ms, and above %.4g V",
                    s->sense.input, s->sense.least, s->sense.time * 1e3, s->sense.most);
        }
        if (s->sense.give_up > 0) {
            cli_say(";\n                  braking of what is regulated gives way from %.4g V on, "
                    "to none of it at %.4g V",
                    s->sense.give_way, s->sense.give_up);
        }
        printf("\n");
    }
}

static void print_inputs(const wpin_rig *rig) {
    for (size_t i = 0; i < rig->input_count; i++) {
        const wpin_rig_input *n = &rig->inputs[i];
        switch (n->kind) {
        case WPIN_RIG_LIMIT:
            cli_say("input  %-10s limit switch of %s on pin %.0f, %s at its place\n", n->name,
                    rig->loads[n->load].name, n->pin, n->opens ? "opens" : "closes");
            break;
        case WPIN_RIG_KNOB:
            cli_say("input  %-10s knob on analogue input %.0f%s\n", n->name, n->analog,
                    n->centre ? ", off in the middle" : "");
            break;
        case WPIN_RIG_SENSOR:
            cli_say("input  %-10s sensor on analogue input %.0f, a curve of %u places\n", n->name,
                    n->analog, n->point_count);
            break;
        case WPIN_RIG_TWO_POINT:
            cli_say("input  %-10s two-point control by analogue input %.0f: on at %.4g V, off at "
                    "%.4g V, with %.3g %%\n",
                    n->name, n->analog, n->on, n->off, n->duty * 100);
            break;
        case WPIN_RIG_PROCESS:
            cli_say("input  %-10s analogue input %.0f regulated to %.4g V, which %s the harder its "
                    "load is driven; %.3g %% at %.4g V off\n",
                    n->name, n->analog, n->wanted, n->raises ? "rises" : "falls", 100.0, n->band);
            break;
        case WPIN_RIG_PAIR:
            printf("input  %-10s '%s' forward and '%s' reverse, both together stop\n", n->name,
                   rig->inputs[n->pair[0]].name, rig->inputs[n->pair[1]].name);
            break;
        default:
            cli_say("input  %-10s %s on pin %.0f%s%s\n", n->name,
                    n->stops ? "stop button" : "button", n->pin,
                    n->opens ? ", its contact opens" : "",
                    n->stops ? ": stops every load, until it is re-armed" : "");
            break;
        }
    }
}

static json_t *load_json(const wpin_rig *rig, const wpin_rig_load *load) {
    static const char *const what[] = {"motor", "lamp", "solenoid", "stepper"};
    json_t *pins = json_object();
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        json_object_set_new(
            pins, load->kind->lines[i],
            json_pack("{s:i, s:b}", "pin", (int)load->pins[i], "inverted", (int)load->inverted[i]));
    }
    return json_pack("{s:s, s:i, s:s, s:s, s:o, s:b, s:f, s:f, s:f, s:f, s:f, s:f, s:s}", "name",
                     load->name, "line", (int)load->line, "supply",
                     rig->supplies[load->supply].name, "stage", load->kind->name, "pins", pins,
                     "reversed", (int)load->reversed, "pwm_hz", load->limits.pwm_hz,
                     "duty_limit_percent", load->limits.duty_max * 100, "trim_percent",
                     load->limits.trim * 100, "ramp_up_s", load->limits.ramp_up, "ramp_down_s",
                     load->limits.ramp_down, "rest_s", load->limits.rest, "what", what[load->what]);
}

static void print_json(const wpin_rig *rig) {
    json_t *supplies = json_array(), *loads = json_array();
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        json_t *supply = json_pack("{s:s, s:f, s:f, s:b}", "name", s->name, "volts", s->volts,
                                   "ohms", s->resistance, "on", (int)s->on);
        if (s->sense.there) {
            json_t *sense = json_pack("{s:i, s:f, s:f, s:f, s:f}", "input", (int)s->sense.input,
                                      "divider", s->sense.divider, "least_v", s->sense.least,
                                      "most_v", s->sense.most, "time_s", s->sense.time);
            if (s->sense.give_up > 0) {
                json_object_set_new(sense, "give_way_v", json_real(s->sense.give_way));
                json_object_set_new(sense, "give_up_v", json_real(s->sense.give_up));
            }
            json_object_set_new(supply, "sense", sense);
        }
        json_array_append_new(supplies, supply);
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        json_array_append_new(loads, load_json(rig, &rig->loads[i]));
    }
    cli_dump_json(cli_of_rig(rig, json_pack("{s:o, s:o}", "supplies", supplies, "loads", loads)));
}

static void print_rig(const wpin_rig *rig) {
    cli_say("%s (rig %08x): controller pins %.3g V, tick %.4g ms\n", rig->name, rig->fingerprint,
            rig->controller.logic_volts, rig->controller.tick * 1e3);
    if (rig->controller.supply >= 0) {
        cli_say("controller fed by '%s', needs %.3g V\n",
                rig->supplies[rig->controller.supply].name, rig->controller.least_volts);
    }
    print_supplies(rig);
    print_inputs(rig);
    for (size_t i = 0; i < rig->load_count; i++) {
        cli_print_load(rig, &rig->loads[i]);
    }
}

static void print_lines(wpin_lines *lines) {
    for (size_t i = 0; lines != NULL && i < lines->count; i++) {
        printf("%s\n", lines->lines[i]);
    }
    wpin_lines_free(lines);
}

int cmd_rig(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG", doc, NULL, NULL, NULL};
    rig_arguments a = {0};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.path);
    if (rig == NULL) {
        return EXIT_WRONG_INPUT;
    }
    if (a.wiring || a.parts) {
        print_lines(a.wiring ? wpin_wiring(rig) : wpin_parts_list(rig));
    } else if (a.json) {
        print_json(rig);
    } else {
        print_rig(rig);
    }
    wpin_rig_free(rig);
    return EXIT_FINE;
}
