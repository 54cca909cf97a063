/* windpin rig RIG: lists what the file describes. */
#include "cli.h"
#include <argp.h>
#include <jansson.h>
#include <stdio.h>

enum { KEY_JSON = 256 };

typedef struct rig_arguments {
    const char *path;
    bool json;
} rig_arguments;

static const struct argp_option options[] = {{"json", KEY_JSON, NULL, 0, "Print as JSON", 0}, {0}};

static const char doc[] =
    "Checks a rig file and lists its supplies and loads: stage, pins, PWM, limits, motor.\v"
    "Example:\n  windpin rig demo/honey-pump.yaml";

static error_t parse(int key, char *arg, struct argp_state *state) {
    rig_arguments *a = state->input;
    switch (key) {
    case KEY_JSON: a->json = true; break;
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
        printf("supply %-10s %.4g V, %.4g mohm inside, switch %s at the start\n", s->name, s->volts,
               s->resistance * 1e3, s->on ? "on" : "off");
    }
}

static void print_pins(const wpin_rig_load *load) {
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        printf("%s%s %u%s", i == 0 ? "" : ", ", load->kind->lines[i], load->pins[i],
               load->inverted[i] ? " (inverted)" : "");
    }
}

static void print_motor(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_sim_motor *m = &load->motor;
    const wpin_rig_supply *s = &rig->supplies[load->supply];
    double loop = m->resistance + 2 * load->bridge.on_resistance + s->resistance;
    double no_load = s->volts / m->constant * 30 / 3.14159265358979 / m->gear_ratio;
    printf("  motor       %.4g ohm, %.4g mH, %.4g mNm/A, %.4g gcm2, gear %.4g:1\n", m->resistance,
           m->inductance * 1e3, m->constant * 1e3, m->inertia * 1e7, m->gear_ratio);
    printf("  estimate    stall %.3g A, up to %.3g rpm at the output without friction or load\n",
           s->volts / loop, no_load);
}

static void print_pwm(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_sim_controller controller = wpin_rig_controller_part(rig);
    double hz = 0;
    if (wpin_stage_kind_takes_duty(load->kind)) {
        uint32_t steps = wpin_sim_timer_steps(&controller, load->limits.pwm_hz, &hz);
        printf("  PWM         %.6g Hz asked, %.6g Hz in %u steps from the timer\n",
               load->limits.pwm_hz, hz, steps);
    } else {
        printf("  PWM         none: on and off only\n");
    }
}

static void print_load(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_limits *l = &load->limits;
    printf("\nload %s (line %u), fed by '%s'\n  stage       %s: %s%s\n  pins        ", load->name,
           load->line, rig->supplies[load->supply].name, load->kind->name, load->kind->words,
           load->reversed ? ", reversed" : "");
    print_pins(load);
    printf("\n");
    print_pwm(rig, load);
    printf("  limits      duty up to %.4g %%, 0 to 100 %% in %.4g s, 100 to 0 %% in %.4g s, rest "
           "%.4g s before the other way\n",
           l->duty_max * 100, l->ramp_up, l->ramp_down, l->rest);
    if (l->trip_input >= 0) {
        printf("  trip        above %.4g A for %.4g ms, sensed on input %.0f\n", l->trip_amps,
               l->trip_time * 1e3, l->trip_input);
    }
    printf("  at rest     %s; dead time %.4g us\n",
           load->rest_brakes ? "brakes (motor shorted)" : "coasts (nothing driven)",
           l->dead_time * 1e6);
    printf("  driver      %.4g mohm a switch, burns above %.4g A for %.4g ms or %.4g V\n",
           load->bridge.on_resistance * 1e3, load->bridge.burns_above_amps,
           load->bridge.burns_after * 1e3, load->bridge.burns_above_volts);
    print_motor(rig, load);
}

static json_t *load_json(const wpin_rig *rig, const wpin_rig_load *load) {
    json_t *pins = json_object();
    for (unsigned i = 0; i < load->kind->table->line_count; i++) {
        json_object_set_new(
            pins, load->kind->lines[i],
            json_pack("{s:i, s:b}", "pin", (int)load->pins[i], "inverted", (int)load->inverted[i]));
    }
    return json_pack("{s:s, s:i, s:s, s:s, s:o, s:b, s:f, s:f, s:f, s:f, s:f}", "name", load->name,
                     "line", (int)load->line, "supply", rig->supplies[load->supply].name, "stage",
                     load->kind->name, "pins", pins, "reversed", (int)load->reversed, "pwm_hz",
                     load->limits.pwm_hz, "duty_limit_percent", load->limits.duty_max * 100,
                     "ramp_up_s", load->limits.ramp_up, "ramp_down_s", load->limits.ramp_down,
                     "rest_s", load->limits.rest);
}

static void print_json(const wpin_rig *rig) {
    json_t *supplies = json_array(), *loads = json_array();
    for (size_t i = 0; i < rig->supply_count; i++) {
        const wpin_rig_supply *s = &rig->supplies[i];
        json_array_append_new(supplies,
                              json_pack("{s:s, s:f, s:f, s:b}", "name", s->name, "volts", s->volts,
                                        "ohms", s->resistance, "on", (int)s->on));
    }
    for (size_t i = 0; i < rig->load_count; i++) {
        json_array_append_new(loads, load_json(rig, &rig->loads[i]));
    }
    json_t *all =
        json_pack("{s:s, s:o, s:o}", "rig", rig->name, "supplies", supplies, "loads", loads);
    json_dumpf(all, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    printf("\n");
    json_decref(all);
}

static void print_rig(const wpin_rig *rig) {
    printf("%s: controller pins %.3g V, tick %.4g ms\n", rig->name, rig->controller.logic_volts,
           rig->controller.tick * 1e3);
    print_supplies(rig);
    for (size_t i = 0; i < rig->load_count; i++) {
        print_load(rig, &rig->loads[i]);
    }
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
    if (a.json) {
        print_json(rig);
    } else {
        print_rig(rig);
    }
    wpin_rig_free(rig);
    return EXIT_FINE;
}
