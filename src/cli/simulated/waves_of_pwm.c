/* windpin waves of a brushed motor: what PWM makes of its volts and current, with the figures. */
#include "waves_of_pwm.h"
#include "../cli_json.h"
#include "windpin/host/plain.h"
#include "windpin/host/quantity.h"
#include "windpin/host/ripple.h"
#include <math.h>
#include <stdio.h>

/* A quantity in its handiest unit, in one of a few places. */
static const char *text(double value, wpin_dimension dimension) {
    static char texts[8][40];
    static int next;
    next = (next + 1) % 8;
    return wpin_quantity_write(texts[next], sizeof texts[next], value, dimension);
}

static void print_volts(const wpin_rig_load *load, const wpin_ripple *r) {
    double period = 1 / r->hz, on = fabs(r->duty) * period;
    cli_say("%s at %+.4g %% duty, three PWM periods of %s (%s):\n", load->name, r->duty * 100,
            text(period, WPIN_TIME), text(r->hz, WPIN_FREQUENCY));
    printf("  on       for %s: %s at the motor\n", text(on, WPIN_TIME),
           text(r->on_volts, WPIN_VOLTAGE));
    printf("  off      for %s: %s, %s\n", text(period - on, WPIN_TIME),
           text(r->off_volts, WPIN_VOLTAGE),
           r->stopped > 0.01 ? "until the current stops; then its back-emf"
                             : "while the current runs on by itself");
    cli_say("  average  %s at the motor: %s are its back-emf at %.4g rpm, %s its %.3g ohm\n",
            text(r->volts, WPIN_VOLTAGE), text(r->emf, WPIN_VOLTAGE), r->rpm,
            text(r->volts - r->emf, WPIN_VOLTAGE), load->motor.resistance);
}

static void print_amps(const wpin_rig *rig, const wpin_rig_load *load, const wpin_ripple *r) {
    double d = fabs(r->duty), henry = load->motor.inductance, ripple = r->most - r->least;
    cli_say("  current  %s on average (rms %s), %s to %s: a ripple of %s, %.4g %%\n",
            text(r->amps, WPIN_CURRENT), text(r->rms, WPIN_CURRENT), text(r->least, WPIN_CURRENT),
            text(r->most, WPIN_CURRENT), text(ripple, WPIN_CURRENT), ripple / fabs(r->amps) * 100);
    double swing = fabs(r->on_volts - r->off_volts), steps = swing * d * (1 - d) / henry;
    if (r->stopped > 0.01 && r->rpm == 0) {
        cli_say("           it stops for %.3g %% of the time\n", r->stopped * 100);
    } else if (r->stopped > 0.01) {
        cli_say("           it stops for %.3g %% of the time, so the duty alone does not say the "
                "speed; from about %s on it would not\n",
                r->stopped * 100, text(steps / (2 * fabs(r->amps)), WPIN_FREQUENCY));
    } else {
        cli_say("  by hand  %s x %.3g x %.3g / (%s x %s) = %s of ripple\n",
                text(swing, WPIN_VOLTAGE), d, 1 - d, text(henry, WPIN_INDUCTANCE),
                text(r->hz, WPIN_FREQUENCY), text(steps / r->hz, WPIN_CURRENT));
    }
    double between = sqrt(fmax(r->supply_rms * r->supply_rms - r->supply_amps * r->supply_amps, 0));
    printf("  supply   %s on average out of '%s'; its capacitor, or its leads, carry %s of ripple "
           "(rms)\n",
           text(r->supply_amps, WPIN_CURRENT), rig->supplies[load->supply].name,
           text(between, WPIN_CURRENT));
    cli_say("  power    %.3g W out of the supply, %.3g W turn the motor: %.3g %%\n", r->watts,
            r->driven, r->driven / r->watts * 100);
}

static void print_json(const wpin_rig *rig, const wpin_rig_load *load, const wpin_ripple *r) {
    cli_dump_json(cli_of_rig(
        rig,
        json_pack("{s:s, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, s:f, "
                  "s:f, s:f, s:f}",
                  "load", load->name, "duty_percent", r->duty * 100, "pwm_hz", r->hz, "rpm", r->rpm,
                  "on_v", r->on_volts, "off_v", r->off_volts, "mean_v", r->volts, "emf_v", r->emf,
                  "mean_a", r->amps, "rms_a", r->rms, "least_a", r->least, "most_a", r->most,
                  "stopped_percent", r->stopped * 100, "supply_a", r->supply_amps, "supply_rms_a",
                  r->supply_rms, "supply_w", r->watts, "rotor_w", r->driven)));
}

int cli_waves_of_pwm(const wpin_rig *rig, int load, double duty, const char *picture, bool json) {
    const wpin_rig_load *l = &rig->loads[load];
    wpin_ripple r;
    char why[300], title[WPIN_NAME_MAX + 80];
    if (!wpin_ripple_take(rig, load, duty, &r, why, sizeof why)) {
        cli_complain("%s", why);
        wpin_ripple_free(&r);
        return EXIT_MET_FAULT;
    }
    if (json) {
        print_json(rig, l, &r);
    } else {
        print_volts(l, &r);
        print_amps(rig, l, &r);
    }
    wpin_plain(title, sizeof title, "%s, %.4g %% duty, %s, %.4g rpm", l->name, r.duty * 100,
               text(r.hz, WPIN_FREQUENCY), r.rpm);
    bool drawn = picture == NULL || wpin_ripple_picture(&r, picture, title, why, sizeof why);
    if (!drawn) {
        cli_complain("%s", why);
    } else if (picture != NULL && !json) {
        printf("Picture: %s\n", picture);
    }
    wpin_ripple_free(&r);
    return drawn ? EXIT_FINE : EXIT_MET_FAULT;
}
