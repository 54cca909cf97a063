/* Two motors of a rig, one after the other on the simulated board, at the same duties. */
#include "windpin/host/twins.h"
#include "one_load.h"
#include <math.h>

#define LOOKED 0.5 /* s after it has settled */
static const double shares[] = {0.4, 0.6, 0.8, 1};
enum { SHARES = sizeof shares / sizeof *shares };

static wpin_twin look(wpin_one_load *one) {
    double seconds = 0, turned = 0, charge = 0, squares = 0, rows = 0, ripple = 0;
    double first = wpin_one_load_tick(one).rpm; /* squares of small numbers */
    while (seconds < LOOKED) {
        wpin_part_reading r = wpin_one_load_tick(one);
        seconds += r.seconds;
        turned += r.rpm_mean * r.seconds;
        charge += r.amps * r.seconds;
        squares += pow(r.rpm - first, 2);
        ripple += r.amps_max - r.amps_min;
        rows++;
    }
    wpin_twin t = {.rpm = turned / seconds, .amps = charge / seconds, .ripple = ripple / rows};
    double off = squares / rows - pow(t.rpm - first, 2);
    t.rough = t.rpm != 0 ? sqrt(fmax(off, 0)) / fabs(t.rpm) : NAN;
    return t;
}

/* One of them at each place, its duty times `trim`. */
static bool run(const wpin_rig *rig, const wpin_rig *bench, int load, int which, double trim,
                wpin_twins *t, char *why, size_t why_size) {
    wpin_one_load one;
    double rpm;
    bool good =
        wpin_one_load_takes_duty(&rig->loads[load], "there is nothing to trim", why, why_size) &&
        wpin_one_load_open_on(&one, rig, bench, load, false, why, why_size);
    if (!good) {
        return false;
    }
    for (size_t i = 0; i < t->count && good; i++) {
        double duty = trim * t->places[i].duty;
        good = wpin_one_load_settle(&one, duty, &rpm, why, why_size);
        t->places[i].of[which] = look(&one);
        bool stands = fabs(t->places[i].of[which].rpm) < 1e-6; /* such a place does not count */
        good = good || (stands && wpin_motor_fault(&one.motor) == WPIN_OK);
    }
    wpin_one_load_close(&one);
    return good;
}

/* The most a load may have; where it has a rated speed, as it carries no less than it does now. */
static double most_of(const wpin_rig *rig, const wpin_rig_load *load) {
    double most = load->limits.duty_max;
    return load->speed.there ? fmin(most, wpin_rig_speed_duty(rig, load, load->speed.rated)) : most;
}

static void choose(const wpin_rig *rig, const int loads[2], wpin_twins *t) {
    const wpin_rig_load *a = &rig->loads[loads[0]], *b = &rig->loads[loads[1]];
    double most = fmin(most_of(rig, a), most_of(rig, b));
    bool both = wpin_stage_kind_has(a->kind, WPIN_DRIVE_REVERSE) &&
                wpin_stage_kind_has(b->kind, WPIN_DRIVE_REVERSE);
    *t = (wpin_twins){.count = both ? 2 * SHARES : SHARES};
    for (size_t i = 0; i < t->count; i++) {
        t->places[i].duty = i < SHARES ? most * shares[i] : -most * shares[i - SHARES];
    }
}

/* How far apart they are at most where both turn. */
static double apart(const wpin_twins *t, const wpin_twins *trimmed) {
    double most = 0, fastest = 0;
    for (size_t i = 0; i < t->count; i++) {
        fastest = fmax(fastest, fabs(t->places[i].of[t->faster].rpm));
    }
    for (size_t i = 0; i < t->count; i++) {
        double slower = t->places[i].of[1 - t->faster].rpm,
               now = trimmed->places[i].of[t->faster].rpm;
        most = fabs(slower) > 0.02 * fastest ? fmax(most, fabs(now - slower)) : most;
    }
    return most / fastest;
}

bool wpin_twins_try(const wpin_rig *rig, const wpin_rig *bench, const int loads[2], wpin_twins *t,
                    char *why, size_t why_size) {
    bench = bench != NULL ? bench : rig;
    choose(rig, loads, t);
    if (!run(rig, bench, loads[0], 0, 1, t, why, why_size) ||
        !run(rig, bench, loads[1], 1, 1, t, why, why_size)) {
        t->count = 0;
        return false;
    }
    if (!wpin_twins_judge(t, why, why_size)) {
        return false;
    }
    wpin_twins trimmed = *t;
    if (!run(rig, bench, loads[t->faster], t->faster, t->trim, &trimmed, why, why_size)) {
        return false;
    }
    t->left = apart(t, &trimmed);
    return true;
}
