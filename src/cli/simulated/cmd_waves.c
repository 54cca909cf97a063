/* windpin waves RIG LOAD: the three phases of a brushless motor over two electrical turns, or PWM
 * on a brushed one (waves_of_pwm.c). */
#include "../cli_json.h"
#include "waves_of_pwm.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
#include "windpin/host/rehearsal.h"
#include "windpin/host/waves.h"
#include <argp.h>
#include <math.h>
#include <stdio.h>

#define PI 3.14159265358979323846

enum { KEY_DUTY = 256, KEY_PLOT, KEY_JSON };

typedef struct waves_arguments {
    const char *words[2]; /* rig, load */
    const char *picture;
    double duty;
    bool json;
} waves_arguments;

static const struct argp_option options[] = {
    {"duty", KEY_DUTY, "DUTY", 0, "It runs at this, -100% to 100% (50%)", 0},
    {"plot", KEY_PLOT, "FILE.png", 0,
     "Draw currents, back-emf, sensors and torque; or volts and "
     "currents over PWM (.png or .svg)",
     0},
    {"json", KEY_JSON, NULL, 0, "Print as JSON", 0},
    {0}};

static const char doc[] =
    "Runs a motor on simulated hardware at a duty until its speed settles. Of a brushless one it "
    "shows two electrical turns: phase currents, torque with its ripple, and what becomes of the "
    "power; of a brushed one three PWM periods: volts in both phases, current with its ripple, by "
    "hand too, and what the supply sees.\v"
    "Example:\n"
    "  windpin waves demo/honey-pump.yaml pump --duty 60%\n"
    "  windpin waves demo/honey-spinner.yaml drum --duty 60% --plot waves.png\n"
    "\n"
    "Exit status: 0 fine; 1 it does not turn so, or the picture could not be written; 2 the files "
    "or the usage are wrong.";

static error_t parse(int key, char *arg, struct argp_state *state) {
    waves_arguments *a = state->input;
    char why[320];
    switch (key) {
    case KEY_DUTY:
        if (!wpin_quantity_read(arg, WPIN_SHARE, &a->duty, why, sizeof why)) {
            argp_error(state, "--duty: %s", why);
        } else if (!(fabs(a->duty) <= 1) || a->duty == 0) {
            argp_error(state, "--duty %s: expected -100%% to 100%%, and not 0", arg);
        }
        break;
    case KEY_PLOT: a->picture = arg; break;
    case KEY_JSON: a->json = true; break;
    default: return cli_take_two(key, arg, state, a->words, "a rig and the name of a load");
    }
    return 0;
}

/* How far the current comes behind where it makes most torque, electrical degrees. */
static double late_degrees(const wpin_waves *w) {
    return atan2(w->along, fabs(w->across)) * 180 / PI;
}

/* What an advance would be good for at this speed, where the controller commutates. */
static void print_advance(const wpin_rig_load *load, const wpin_waves *w) {
    bool by_hall = load->hall.there, sectors = by_hall || load->crossing.there;
    double has = 360 * (by_hall ? load->hall.advance : load->crossing.advance);
    double late = late_degrees(w), better = fmin(fmax(round(has + late), 0), 28);
    if (!sectors || load->vector.there || fabs(late) < 5 || fabs(better - has) < 1) {
        return;
    }
    cli_say(
        "  advance  its current comes %.2g deg %s here, %s: %s.advance=%.0fdeg would mend that\n",
        fabs(late), late > 0 ? "late" : "early",
        late > 0 ? "and it turns slower for it" : "which is speed at a loss",
        by_hall ? "hall" : "zero-crossing", better);
}

static void print_waves(const wpin_rig_load *load, const wpin_waves *w) {
    double shaft = fabs(w->rpm) * load->motor.gear_ratio;
    cli_say("%s at %+.4g %% duty, two electrical turns:\n", load->name, w->duty * 100);
    cli_say(
        "  speed    %.4g rpm at the output; %.4g rpm of the motor's shaft, %.4g electrical turns "
        "a second\n",
        w->rpm, copysign(shaft, w->rpm), shaft / 60 * load->motor.pole_pairs);
    cli_say("  lead a   %.3g A rms, %.3g A at its peak\n", w->rms, w->peak);
    cli_say("  rotor    %.3g A across its magnet on average, %.2g A along it\n", w->across,
            w->along);
    cli_say("  torque   %.4g mNm on average, %.4g to %.4g mNm: ripple %.3g %% of the mean, its PWM "
            "included\n",
            w->torque * 1e3, w->least * 1e3, w->most * 1e3,
            (w->most - w->least) / fabs(w->torque) * 100);
    cli_say("  power    %.3g W out of the supply, %.3g W turn the rotor: %.3g %%\n", w->watts,
            w->driven, w->driven / w->watts * 100);
    print_advance(load, w);
}

static void print_json(const wpin_rig *rig, const wpin_rig_load *load, const wpin_waves *w) {
    cli_dump_json(cli_of_rig(
        rig, json_pack("{s:s, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f}", "load",
                       load->name, "duty_percent", w->duty * 100, "rpm", w->rpm, "rms_a", w->rms,
                       "peak_a", w->peak, "across_a", w->across, "along_a", w->along, "late_deg",
                       late_degrees(w), "torque_nm", w->torque, "torque_least_nm", w->least,
                       "torque_most_nm", w->most, "supply_w", w->watts, "rotor_w", w->driven)));
}

static int waves(const waves_arguments *a, const wpin_rig *rig) {
    wpin_waves w;
    char why[300];
    int load = cli_find_load(rig, a->words[0], a->words[1]);
    if (load < 0) {
        return EXIT_WRONG_INPUT;
    }
    if (!wpin_rig_has_phases(&rig->loads[load])) {
        return cli_waves_of_pwm(rig, load, a->duty, a->picture, a->json);
    }
    if (!wpin_waves_take(rig, load, a->duty, &w, why, sizeof why)) {
        cli_complain("%s", why);
        wpin_waves_free(&w);
        return EXIT_MET_FAULT;
    }
    if (a->json) {
        print_json(rig, &rig->loads[load], &w);
    } else {
        print_waves(&rig->loads[load], &w);
    }
    char title[WPIN_NAME_MAX + 60];
    wpin_plain(title, sizeof title, "%s, %.4g %% duty, %.4g rpm", rig->loads[load].name,
               w.duty * 100, w.rpm);
    bool drawn = a->picture == NULL || wpin_waves_picture(&w, a->picture, title, why, sizeof why);
    if (!drawn) {
        cli_complain("%s", why);
    } else if (a->picture != NULL && !a->json) {
        printf("Picture: %s\n", a->picture);
    }
    wpin_waves_free(&w);
    return drawn ? EXIT_FINE : EXIT_MET_FAULT;
}

int cmd_waves(int argc, char **argv) {
    static const struct argp argp = {options, parse, "RIG LOAD", doc, NULL, NULL, NULL};
    waves_arguments a = {.duty = 0.5};
    argp_err_exit_status = EXIT_WRONG_INPUT;
    argp_parse(&argp, argc, argv, 0, NULL, &a);
    wpin_rig *rig = cli_read_rig(a.words[0]);
    int status = rig == NULL ? EXIT_WRONG_INPUT : waves(&a, rig);
    wpin_rig_free(rig);
    return status;
}
