/* What follows from a rig about a load whose speed is measured or regulated. */
#include "windpin/host/rig.h"
#include <math.h>

#define COUNTING_LATE                                                                              \
    8.192e-3 /* s: how late a speed is that is counted as little smoothed as can be */

#define PI 3.14159265358979323846

double wpin_rig_counts(const wpin_rig_load *load) {
    if (wpin_rig_counts_sectors(load)) {
        return 6 * load->motor.pole_pairs;
    }
    return load->encoder.lines * (load->encoder.one_channel ? 2 : 4);
}

double wpin_rig_axis_velocity(const wpin_rig_load *load, double rpm) {
    double motor = rpm * load->motor.gear_ratio;
    return load->axis.rpm_units ? motor : motor / 60 * load->axis.counts;
}

double wpin_rig_coasts(const wpin_rig_load *load, double w) {
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    bool slows = wpin_rig_off_phase(load) == WPIN_OFF_SHORT;
    return slows ? 0 : wpin_part_drag(&shaft, w) / shaft.inertia;
}

double wpin_rig_counts_at_output(const wpin_rig_load *load) {
    return wpin_rig_counts(load) * (load->encoder.at_output ? 1 : load->motor.gear_ratio);
}

/* How much current a little more duty drives where that is the most: among what keeps it turning
 * at speeds up to w, and what speeds it up from there. Where the current has gaps it is less. */
double wpin_rig_amps_per_duty(const wpin_rig *rig, const wpin_rig_load *load, double w) {
    const double step = 0.02;
    double most = 0;
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    static const double shares[] = {0.02, 0.51, 1};
    for (size_t i = 0; i < sizeof shares / sizeof *shares; i++) {
        double share = shares[i];
        double from = wpin_rig_duty_at(rig, load, shaft.drags / load->motor.constant, share * w);
        for (double duty = fmin(from, 1 - step); duty + step <= 1 + 1e-9; duty += step) {
            double more = wpin_rig_mean_amps(rig, load, duty + step, share * w) -
                          wpin_rig_mean_amps(rig, load, duty, share * w);
            most = fmax(most, more / step);
        }
    }
    return most;
}

double wpin_rig_full_rpm(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_motor *m = &load->motor;
    double no_load = wpin_part_output_rpm(m, rig->supplies[load->supply].volts / m->constant);
    return load->speed.there ? load->speed.maximum : no_load;
}

double wpin_rig_loose_amps(const wpin_rig_load *load) {
    const wpin_part_motor *m = &load->motor;
    const double least = 0.86602540378443864676; /* cos 30 degrees */
    bool uneven = m->sinusoidal && !load->vector.there;
    return wpin_part_at_shaft(m).holds / m->constant / (uneven ? least : 1);
}

static wpin_speed_plant plant_of(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_part_motor *m = &load->motor;
    wpin_at_shaft shaft = wpin_part_at_shaft(m);
    double k = m->constant, ohms = wpin_rig_loop_ohms(rig, load);
    double full = wpin_part_shaft_speed(m, load->speed.maximum);
    double share = load->speed.rated / load->speed.maximum, w = share * full;
    double line = 4 * 60 / (load->speed.rated * wpin_rig_counts_at_output(load));
    double turns = shaft.drags / k, runs = turns + shaft.viscous * w / k;
    double ramp = fmax(load->limits.ramp_up, 1e-3), hurries = shaft.inertia * full / ramp / k;
    double friction = wpin_rig_duty_at(rig, load, turns, 0);
    double half = wpin_rig_duty_at(rig, load, turns, w / 2);
    return (wpin_speed_plant){
        .amps_per_duty = wpin_rig_amps_per_duty(rig, load, w),
        .amps_per_speed = k / ohms,
        .electrical = m->inductance / ohms,
        .constant = k,
        .inertia = shaft.inertia,
        .viscous = shaft.viscous,
        .feed = (wpin_rig_duty_at(rig, load, runs, w) - friction) / share,
        .friction = friction,
        .breakaway = wpin_rig_duty_at(rig, load, wpin_rig_loose_amps(load), 0),
        .speeding_up = (wpin_rig_duty_at(rig, load, turns + hurries, w / 2) - half) * ramp,
        .full = full,
        .tick = rig->controller.tick,
        .measuring = fmax(fmax(wpin_rig_encoder_window(rig, load), line), 3 * rig->controller.tick),
        .response = load->speed.response};
}

wpin_speed_design wpin_rig_speed_design(const wpin_rig *rig, const wpin_rig_load *load) {
    wpin_speed_plant plant = plant_of(rig, load);
    return wpin_calc_speed_design(&plant);
}

/* The speed is measured from whole lines, one or as many as come in its window. */
static double measured_over(const wpin_rig *rig, const wpin_rig_load *load, double rpm) {
    double line = 4 * 60 / (rpm * wpin_rig_counts_at_output(load));
    double window = fmax(wpin_rig_encoder_window(rig, load), rig->controller.tick);
    return load->encoder.no_moments ? window : ceil(window / line) * line;
}

wpin_speed_plant wpin_rig_speed_plant_at(const wpin_rig *rig, const wpin_rig_load *load,
                                         double rpm) {
    wpin_speed_plant plant = plant_of(rig, load);
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    const double hair = 0.01;
    double w = wpin_part_shaft_speed(&load->motor, rpm), dw = hair * w;
    double duty = fmin(wpin_rig_speed_duty(rig, load, rpm), 1 - hair);
    double here = wpin_rig_mean_amps(rig, load, duty, w);
    plant.amps_per_duty = (wpin_rig_mean_amps(rig, load, duty + hair, w) - here) / hair;
    plant.amps_per_speed = (here - wpin_rig_mean_amps(rig, load, duty, w + dw)) / dw;
    plant.viscous = shaft.viscous + 2 * shaft.quadratic * w;
    plant.measuring = measured_over(rig, load, rpm);
    return plant;
}

/* Where the controller's ticks and the encoder's counts are within what a tracking loop follows.
 * Not later than half of the window that is asked for, or else so that a count more or less is a
 * hundredth of full speed. */
int wpin_rig_counting_smooth(const wpin_rig *rig, const wpin_rig_load *load) {
    const wpin_rig_encoder *e = &load->encoder;
    double hz = wpin_rig_full_rpm(rig, load) / 60 * wpin_rig_counts_at_output(load);
    if (!e->there || !e->no_moments || wpin_rig_counts_sectors(load) || load->vector.there ||
        rig->controller.tick > 4e-3 || hz < 128 || hz > 262144) {
        return -1;
    }
    double times =
        e->window > 0 ? log2(e->window / 2 / COUNTING_LATE) : log2(1e6 / ldexp(hz * 0.01, 14)) / 2;
    return (int)fmin(fmax(e->window > 0 ? floor(times) : ceil(times), 0), 3);
}

double wpin_rig_encoder_window(const wpin_rig *rig, const wpin_rig_load *load) {
    int smooth = wpin_rig_counting_smooth(rig, load);
    if (smooth >= 0) {
        return ldexp(2 * COUNTING_LATE, smooth);
    }
    if (load->encoder.window > 0) {
        return load->encoder.window;
    }
    if (!load->encoder.no_moments || !load->speed.there) {
        return rig->controller.tick;
    }
    double counts = 0.5 * load->speed.rated / 60 * wpin_rig_counts_at_output(load);
    return fmin(fmax(8 * rig->controller.tick, 30 / counts), 0.06);
}

wpin_rig_resolution wpin_rig_resolution_at(const wpin_rig *rig, const wpin_rig_load *load,
                                           double rpm) {
    double counts = wpin_rig_counts_at_output(load), full = wpin_rig_full_rpm(rig, load);
    double unit = full / WPIN_DUTY_FULL, window = wpin_rig_encoder_window(rig, load);
    int smooth = wpin_rig_counting_smooth(rig, load);
    if (smooth >= 0) { /* windpin/counting.h */
        double count = full * 1e6 / (full / 60 * counts * ldexp(1, 14 + 2 * smooth));
        return (wpin_rig_resolution){window, fmax(count, unit)};
    }
    if (load->encoder.no_moments) {
        return (wpin_rig_resolution){window, fmax(60 / (counts * window), unit)};
    }
    double edge = 60 / (rpm * counts), over = measured_over(rig, load, rpm);
    over = 4 * edge * 1e6 > WPIN_LINE_US ? fmax(edge, rig->controller.tick) : over;
    return (wpin_rig_resolution){over, fmax(rpm * 1e-6 / over, unit)};
}

double wpin_rig_speed_duty(const wpin_rig *rig, const wpin_rig_load *load, double rpm) {
    double w = wpin_part_shaft_speed(&load->motor, fabs(rpm));
    wpin_at_shaft shaft = wpin_part_at_shaft(&load->motor);
    double amps = rpm == 0 ? 0 : wpin_part_drag(&shaft, w) / load->motor.constant;
    double duty = wpin_rig_duty_at(rig, load, amps, w);
    return rpm < 0 ? -duty : duty;
}
