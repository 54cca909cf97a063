/* Fits a motor's constants to stretches of a record, by least squares (Levenberg and Marquardt).
 * Each stretch says what current its duty should have driven, and from one to the next what torque
 * it took to change the speed. */
#include "circuit.h"
#include <cminpack.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

enum { OHMS, HENRIES, TORQUE, INERTIA, DRY, VISCOUS, UNKNOWNS };

typedef struct fit {
    const wpin_rig *rig;
    const wpin_rig_load *load;
    const wpin_record *record;
    const wpin_cut *cut;
    double scale[UNKNOWNS]; /* the unknowns are looked for as multiples of these */
    double amps;            /* what a residual is measured in: the noise of the current, A */
} fit;

/* The mean current that a stretch should have shown. */
static double expected_amps(const fit *f, const wpin_stretch *s, const double *value) {
    double way = s->duty < 0 ? -1 : 1;
    wpin_pwm_loop loop = wpin_winding_loop(f->rig, f->load, s->duty, value[OHMS], value[HENRIES],
                                           value[TORQUE] * way * s->speed);
    double takes = value[HENRIES] * way * s->climb; /* to change the current */
    loop.on_volts -= takes;
    loop.off_volts -= takes;
    return way * wpin_calc_pwm_wave(&loop, fabs(s->duty)).mean;
}

/* From the middle of one stretch to the middle of the next, as a current. */
static double torque_off(const fit *f, const wpin_stretch *a, const wpin_stretch *b,
                         const double *value) {
    double speed = (a->speed + b->speed) / 2, amps = (a->amps + b->amps) / 2;
    double seconds = (b->from + b->to - a->from - a->to) / 2;
    double way = speed < 0 ? -1 : 1;
    double fan =
        wpin_part_at_shaft(&f->load->motor).quadratic * speed * speed; /* as the rig has it */
    double against = way * (value[DRY] + fan) + value[VISCOUS] * speed;
    double speeds_up = value[INERTIA] * (b->speed - a->speed) / seconds;
    return (against + speeds_up) / value[TORQUE] - amps;
}

static bool driven(const wpin_stretch *s) {
    return s->duty * s->speed > 0;
}

/* Both stretches driven, or both running down by themselves: the current in between is known. */
static bool is_pair(const wpin_stretch *a, const wpin_stretch *b) {
    bool both = driven(a) && driven(b), none = a->duty == 0 && b->duty == 0;
    return b->follows && (both || none) && a->speed * b->speed > 0;
}

static int residuals(void *context, int m, int n, const double *x, double *to, int flag) {
    const fit *f = context;
    double value[UNKNOWNS];
    int used = 0;
    (void)n, (void)flag;
    for (int i = 0; i < UNKNOWNS; i++) {
        value[i] = fabs(x[i]) * f->scale[i];
    }
    for (size_t i = 0; i < f->cut->count; i++) {
        const wpin_stretch *s = &f->cut->stretches[i];
        if (driven(s)) {
            to[used++] = (expected_amps(f, s, value) - s->amps) / f->amps;
        }
        if (i > 0 && is_pair(s - 1, s)) {
            to[used++] = torque_off(f, s - 1, s, value) / f->amps;
        }
    }
    return used == m ? 0 : -1;
}

static size_t count_residuals(const wpin_cut *cut) {
    size_t count = 0;
    for (size_t i = 0; i < cut->count; i++) {
        count += driven(&cut->stretches[i]);
        count += i > 0 && is_pair(&cut->stretches[i - 1], &cut->stretches[i]);
    }
    return count;
}

/* Where it begins: the rig's own figures. */
static void set_scales(fit *f) {
    const wpin_part_motor *m = &f->load->motor;
    wpin_at_shaft shaft = wpin_part_at_shaft(m);
    f->scale[OHMS] = m->resistance;
    f->scale[HENRIES] = m->inductance;
    f->scale[TORQUE] = m->constant;
    f->scale[INERTIA] = shaft.inertia;
    f->scale[DRY] = fmax(shaft.drags, 1e-3 * m->constant);
    f->scale[VISCOUS] = fmax(shaft.viscous, 1e-6 * m->constant);
    f->amps = 0.01 * f->rig->supplies[f->load->supply].volts / m->resistance;
}

/* Room for lmdif. */
typedef struct room {
    double *fvec, *fjac, *wa4;
    double x[UNKNOWNS], diag[UNKNOWNS], qtf[UNKNOWNS], wa[3][UNKNOWNS];
    int pivot[UNKNOWNS];
} room;

/* 0: it came to nothing. */
static double solve(fit *f, room *r, int m) {
    int calls;
    for (int i = 0; i < UNKNOWNS; i++) {
        r->x[i] = 1;
    }
    int info =
        lmdif(residuals, f, m, UNKNOWNS, r->x, r->fvec, 1e-12, 1e-10, 0, 2000, 1e-10, r->diag, 1,
              10, 0, &calls, r->fjac, m, r->pivot, r->qtf, r->wa[0], r->wa[1], r->wa[2], r->wa4);
    double square = 0;
    for (int i = 0; i < m; i++) {
        square += r->fvec[i] * r->fvec[i];
    }
    bool found = info >= 1 && info <= 4;
    return found && covar1(m, UNKNOWNS, square, r->fjac, m, r->pivot, 1e-12, r->wa[0]) == 0 ? square
                                                                                            : 0;
}

/* Twice the standard error; residuals that hang together (each stretch is in three of them) tell
 * less than their number: a factor of the square root of three. */
static double error_of(const room *r, int m, int i) {
    return 2 * sqrt(3) * sqrt(fmax(r->fjac[i * m + i], 0));
}

/* Besides, what the model itself is off by: a stage that is described by a few figures, stretches
 * taken as even. Found on simulated benches; see tests/test_identify.c. */
static const double own[UNKNOWNS] = {[OHMS] = 4e-3,    [HENRIES] = 0.1, [TORQUE] = 1.5e-3,
                                     [INERTIA] = 4e-3, [DRY] = 4e-3,    [VISCOUS] = 1.2e-2};

/* Speeds between edges that have no moments of their own lag what turns; and in current that decays
 * fast, against the supply, the stage's own figures weigh more. */
#define COARSE_OWN 0.025
#define FAST_OHMS  4e-3

/* Stretches tell no inductance, which takes samples within a period of PWM; but no more of it than
 * would have held up the current where that rose and fell: by the volts that the loop's ohms are
 * off by. */
static void bound_henries(const fit *f, wpin_estimate *henries, double ohms) {
    double climbs = 0, volts = 0;
    for (size_t i = 0; i < f->cut->count; i++) {
        const wpin_stretch *s = &f->cut->stretches[i];
        climbs += driven(s) ? s->climb * s->climb : 0;
        volts += driven(s) ? s->amps * s->amps * ohms * ohms : 0;
    }
    const double off = 0.01;
    henries->error += climbs > 0 ? off * sqrt(volts / climbs) : 0;
    henries->known = false;
}

static void take(const fit *f, const room *r, int m, wpin_identification *to) {
    static const wpin_constant what[UNKNOWNS] = {
        [OHMS] = WPIN_CONSTANT_RESISTANCE, [HENRIES] = WPIN_CONSTANT_INDUCTANCE,
        [TORQUE] = WPIN_CONSTANT_TORQUE,   [INERTIA] = WPIN_CONSTANT_INERTIA,
        [DRY] = WPIN_CONSTANT_DRY,         [VISCOUS] = WPIN_CONSTANT_VISCOUS};
    for (int i = 0; i < UNKNOWNS; i++) {
        double value = fabs(r->x[i]) * f->scale[i];
        double mine = own[i] + (f->load->encoder.no_moments ? COARSE_OWN : 0) +
                      (i == OHMS && wpin_rig_off_phase(f->load) == WPIN_OFF_FAST ? FAST_OHMS : 0);
        wpin_estimate e = {.value = value,
                           .error = hypot(error_of(r, m, i) * f->scale[i], mine * value)};
        e.known = e.error < 0.3 * e.value;
        to->constants[what[i]] = e;
    }
    bound_henries(f, &to->constants[WPIN_CONSTANT_INDUCTANCE],
                  to->constants[WPIN_CONSTANT_RESISTANCE].value);
    wpin_find_inductance(f->rig, f->load, f->record, to->constants[WPIN_CONSTANT_RESISTANCE].value,
                         to);
}

/* How much higher the wave of PWM rises than its mean, while the motor stands: what breaks it loose
 * is the crest. */
static double crest(const fit *f, double duty, const wpin_identification *found) {
    const wpin_estimate *henries = &found->constants[WPIN_CONSTANT_INDUCTANCE];
    wpin_pwm_loop loop =
        wpin_winding_loop(f->rig, f->load, duty, found->constants[WPIN_CONSTANT_RESISTANCE].value,
                          henries->known ? henries->value : f->load->motor.inductance, 0);
    wpin_pwm_wave wave = wpin_calc_pwm_wave(&loop, fabs(duty));
    return wave.mean > 0 ? wave.most / wave.mean : 1;
}

/* What held it at rest: the torque of the current with which each slow start began. */
static void take_static(const fit *f, wpin_identification *to) {
    const wpin_cut *cut = f->cut;
    double sum = 0, squares = 0, off = 0, n = 0;
    for (size_t i = 0; i < cut->start_count; i++) {
        const wpin_breakaway *start = &cut->starts[i];
        double high = crest(f, start->duty, to), amps = fabs(start->amps) * high;
        if (start->late < 0.25 * fabs(start->amps)) {
            sum += amps;
            squares += amps * amps;
            /* the crest is only as well known as the inductance */
            off += start->late + 0.6 * (1 - 1 / high) * amps;
            n++;
        }
    }
    to->breakaways = (size_t)n;
    bool gaps =
        wpin_rig_off_phase(f->load) == WPIN_OFF_FAST; /* its crest hangs on the inductance */
    if (n < 2 || gaps) {
        return;
    }
    double k = to->constants[WPIN_CONSTANT_TORQUE].value, mean = sum / n;
    double spread = sqrt(fmax(squares / n - mean * mean, 0) * n / (n - 1));
    double error = 2 * spread / sqrt(n) + off / n + 0.04 * mean;
    to->constants[WPIN_CONSTANT_STATIC] =
        (wpin_estimate){.value = mean * k, .error = error * k, .known = error < 0.3 * mean};
}

static bool fit_all(fit *f, wpin_identification *to, char *why, size_t size) {
    size_t count = count_residuals(f->cut);
    if (count < 60) {
        snprintf(why, size,
                 "the record holds too little motion (%zu stretches that show something, at least "
                 "60 are needed): a longer one, at more than one speed",
                 count);
        return false;
    }
    int m = (int)count;
    room r = {.fvec = calloc(count, sizeof(double)),
              .fjac = calloc(count * UNKNOWNS, sizeof(double)),
              .wa4 = calloc(count, sizeof(double))};
    bool good = r.fvec != NULL && r.fjac != NULL && r.wa4 != NULL;
    double square = good ? solve(f, &r, m) : 0;
    if (good && square > 0) {
        to->windows = f->cut->count;
        to->amps_off = f->amps * sqrt(square / m);
        take(f, &r, m, to);
        take_static(f, to);
    } else {
        snprintf(why, size,
                 good ? "no constants fit the record: is it of this motor?" : "out of memory");
    }
    free(r.fvec);
    free(r.fjac);
    free(r.wa4);
    return square > 0;
}

bool wpin_identify_fits(const wpin_rig_load *load, char *why, size_t why_size) {
    if (!wpin_rig_type(load)->spins) {
        snprintf(why, why_size, "'%s' is not a motor", load->name);
        return false;
    }
    if (load->motor.pole_pairs <= 0) {
        return true;
    }
    snprintf(why, why_size,
             "'%s' is brushless: as its phases take turns their inductance takes volts that would "
             "pass for resistance. Measure its resistance between two leads with a meter, and "
             "its speed at no load and full duty: that over the volts is its 'speed-constant'",
             load->name);
    return false;
}

bool wpin_identify(const wpin_rig *rig, const wpin_rig_load *load, const wpin_record *record,
                   wpin_identification *to, char *why, size_t why_size) {
    *to = (wpin_identification){.volts = rig->supplies[load->supply].volts, .degrees = 25};
    if (!wpin_identify_fits(load, why, why_size)) {
        return false;
    }
    if (!wpin_rig_sees_rest(load)) {
        snprintf(why, why_size, "'%s' has no encoder", load->name);
        return false;
    }
    to->seconds = record->count > 0 ? record->rows[record->count - 1].at - record->rows[0].at : 0;
    double turn = wpin_rig_counts(load) / (load->encoder.at_output ? load->motor.gear_ratio : 1);
    fit f = {.rig = rig, .load = load, .record = record};
    wpin_cut cut;
    bool good = wpin_cut_record(&cut, record, load->bridge.sense_filter,
                                load->encoder.one_channel ? 2 : 4, turn, load->encoder.no_moments);
    f.cut = &cut;
    wpin_add_half_step(&cut, rig, load);
    set_scales(&f);
    if (!good) {
        snprintf(why, why_size, "out of memory");
    }
    good = good && fit_all(&f, to, why, why_size);
    wpin_cut_free(&cut);
    return good;
}
