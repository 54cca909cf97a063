/* A motor's constants from its current alone, and one speed that somebody measured. While it
 * stands, duty and current tell the resistance. While it turns, what the resistance does not use up
 * is its back-emf, which is its speed but for the torque constant: the current is
 *
 *     dry / K  +  viscous / K^2 x emf  +  inertia / K^2 x rise of the emf,
 *
 * so a record tells these three quotients and no more. The one speed tells K. */
#include "circuit.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define WINDOW 20e-3 /* s */
#define SPAN   0.5   /* s: at the most between two looks at the emf, */
#define STEP   0.05  /* or until it has changed by this share of its highest */

typedef struct by_current {
    const wpin_rig *rig;
    const wpin_rig_load *load;
    const wpin_record *record;
    const wpin_cut *cut;
    double *emf; /* of each stretch, V against its duty; NAN: it has none that can be told */
    bool *rests; /* of each stretch: it stands */
    double ohms, ohms_error;
    double emf_most;
} by_current;

static wpin_pwm_wave wave_of(const by_current *b, const wpin_stretch *s, double ohms, double emf) {
    double henries = b->load->motor.inductance, takes = henries * s->climb * (s->duty < 0 ? -1 : 1);
    wpin_pwm_loop loop = wpin_winding_loop(b->rig, b->load, s->duty, ohms, henries, emf);
    loop.on_volts -= takes;
    loop.off_volts -= takes;
    return wpin_calc_pwm_wave(&loop, fabs(s->duty));
}

/* ---- at rest ---- */

/* Sum of the squares by which the stretches at rest are off, and how many they are. */
static double off_at_rest(const by_current *b, double ohms, double *slope, size_t *count) {
    double sum = 0;
    *slope = 0;
    *count = 0;
    for (size_t i = 0; i < b->cut->count; i++) {
        if (b->rests[i]) {
            const wpin_stretch *s = &b->cut->stretches[i];
            double expected = wave_of(b, s, ohms, 0).mean;
            double more = (wave_of(b, s, ohms * 1.001, 0).mean - expected) / (0.001 * ohms);
            sum += (expected - wpin_stretch_size(s)) * (expected - wpin_stretch_size(s));
            *slope += more * more;
            ++*count;
        }
    }
    return sum;
}

/* By halving a range on both sides of what the rig says. */
static bool find_ohms(by_current *b) {
    double low = log(0.2 * b->load->motor.resistance), high = log(5 * b->load->motor.resistance);
    double slope;
    size_t count;
    for (int i = 0; i < 40; i++) {
        double third = (high - low) / 3;
        double below = off_at_rest(b, exp(low + third), &slope, &count);
        bool lower = below < off_at_rest(b, exp(high - third), &slope, &count);
        low = lower ? low : low + third;
        high = lower ? high - third : high;
    }
    b->ohms = exp((low + high) / 2);
    double off = off_at_rest(b, b->ohms, &slope, &count);
    if (count < 20 || slope == 0) {
        return false;
    }
    b->ohms_error = 2 * sqrt(off / (double)(count - 1) / slope);
    return true;
}

/* ---- turning ---- */

/* The emf with which a stretch has the current it had. */
static double emf_of(const by_current *b, const wpin_stretch *s) {
    double low = -1, high = b->rig->supplies[b->load->supply].volts;
    for (int i = 0; i < 40; i++) {
        double middle = (low + high) / 2;
        *(wave_of(b, s, b->ohms, middle).mean > wpin_stretch_size(s) ? &low : &high) = middle;
    }
    wpin_pwm_wave wave = wave_of(b, s, b->ohms, (low + high) / 2);
    bool gaps = wave.least <= 0 && wave.most > 0; /* then the mean hangs on the inductance */
    return gaps ? NAN : (low + high) / 2;
}

static void find_emf(by_current *b) {
    b->emf_most = 0;
    for (size_t i = 0; i < b->cut->count; i++) {
        b->emf[i] = b->rests[i] ? NAN : emf_of(b, &b->cut->stretches[i]);
        b->emf_most = isnan(b->emf[i]) ? b->emf_most : fmax(b->emf_most, b->emf[i]);
    }
}

/* Mean emf while it ran evenly at a duty; NAN: it did not. */
static double emf_at(const by_current *b, double duty) {
    double sum = 0;
    size_t count = 0;
    for (size_t i = 10; i < b->cut->count; i++) {
        const wpin_stretch *s = &b->cut->stretches[i];
        bool even = fabs(s->duty - duty) < 2e-3 && s->follows && !isnan(b->emf[i]) &&
                    fabs(b->emf[i] - b->emf[i - 10]) < 0.02 * b->emf_most;
        sum += even ? b->emf[i] : 0;
        count += even;
    }
    return count >= 10 ? sum / (double)count : NAN;
}

/* Least squares of three unknowns: their sums. */
typedef struct equations {
    double left[3][3], right[3], squares;
    size_t count;
} equations;

static void add_equation(equations *e, const double x[3], double y) {
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            e->left[i][k] += x[i] * x[k];
        }
        e->right[i] += x[i] * y;
    }
    e->squares += y * y;
    e->count++;
}

/* From one look at the emf to the next: what flowed on average made it turn, and turn faster. */
static size_t one_span(const by_current *b, size_t from, double k, equations *to) {
    const wpin_stretch *all = b->cut->stretches;
    double amps = 0, emf = 0, seconds = 0;
    size_t i = from;
    while (i + 1 < b->cut->count && all[i + 1].follows && !isnan(b->emf[i + 1]) &&
           all[i + 1].duty * all[from].duty > 0 && seconds < SPAN &&
           (seconds < 2 * WINDOW || fabs(b->emf[i] - b->emf[from]) < STEP * b->emf_most)) {
        double takes = (all[i + 1].from + all[i + 1].to - all[i].from - all[i].to) / 2;
        amps += takes * (wpin_stretch_size(&all[i]) + wpin_stretch_size(&all[i + 1])) / 2;
        emf += takes * (b->emf[i] + b->emf[i + 1]) / 2;
        seconds += takes;
        i++;
    }
    if (seconds >= 2 * WINDOW && emf / seconds > 0.1 * b->emf_most) {
        double mean = emf / seconds, speed = mean / k;
        double fan = wpin_part_at_shaft(&b->load->motor).quadratic * speed * speed / k;
        const double x[3] = {1, mean, (b->emf[i] - b->emf[from]) / seconds};
        add_equation(to, x, amps / seconds - fan);
    }
    return i > from ? i : from + 1;
}

/* Gauss with the largest pivots; the inverse, or false. */
static bool invert(const double from[3][3], double to[3][3]) {
    double a[3][6] = {{0}};
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            a[i][k] = from[i][k];
        }
        a[i][3 + i] = 1;
    }
    for (int c = 0; c < 3; c++) {
        int best = c;
        for (int i = c + 1; i < 3; i++) {
            best = fabs(a[i][c]) > fabs(a[best][c]) ? i : best;
        }
        if (a[best][c] == 0) {
            return false;
        }
        for (int k = 0; k < 6; k++) {
            double swapped = a[c][k];
            a[c][k] = a[best][k];
            a[best][k] = swapped;
        }
        for (int i = 0; i < 3; i++) {
            double share = i == c ? 1 - 1 / a[c][c] : a[i][c] / a[c][c];
            for (int k = 0; k < 6; k++) {
                a[i][k] -= share * a[c][k];
            }
        }
    }
    for (int i = 0; i < 3; i++) {
        for (int k = 0; k < 3; k++) {
            to[i][k] = a[i][3 + k];
        }
    }
    return true;
}

/* The three quotients and how far they may be off, by twice their standard error. */
static bool solve(const equations *e, double value[3], double error[3], double *amps_off) {
    double inverse[3][3], off = e->squares;
    if (e->count < 12 || !invert(e->left, inverse)) {
        return false;
    }
    for (int i = 0; i < 3; i++) {
        value[i] = 0;
        for (int k = 0; k < 3; k++) {
            value[i] += inverse[i][k] * e->right[k];
        }
    }
    for (int i = 0; i < 3; i++) {
        off -= value[i] * e->right[i];
    }
    double each = fmax(off, 0) / (double)(e->count - 3);
    *amps_off = sqrt(each);
    for (int i = 0; i < 3; i++) {
        error[i] = 2 * sqrt(fmax(each * inverse[i][i], 0));
    }
    return true;
}

/* What was taken as a start from rest, at a current far above what friction takes, was a motor that
 * already turned and gained speed no faster than its duty rose. */
static bool stood(const by_current *b, double dry_amps) {
    enum { TIMES = 4 };
    for (size_t i = 0; i < b->cut->start_count; i++) {
        if (fabs(b->cut->starts[i].amps) > TIMES * fmax(dry_amps, 0)) {
            return false;
        }
    }
    return true;
}

/* ---- told ---- */

/* Besides, what the model itself is off by, as found on simulated benches: see
 * tests/test_identify.c. */
#define OWN 0.01

static wpin_estimate estimate(double value, double error, double own) {
    wpin_estimate e = {.value = value, .error = hypot(error, own * value)};
    e.known = value > 0 && e.error < 0.3 * value;
    return e;
}

static void take_static(const by_current *b, double k, wpin_identification *to) {
    double sum = 0, squares = 0, n = 0;
    for (size_t i = 0; i < b->cut->start_count; i++) {
        const wpin_breakaway *start = &b->cut->starts[i];
        wpin_stretch at = {.duty = start->duty};
        wpin_pwm_wave wave = wave_of(b, &at, b->ohms, 0);
        double amps = fabs(start->amps) * (wave.mean > 0 ? wave.most / wave.mean : 1);
        sum += amps;
        squares += amps * amps;
        n++;
    }
    to->breakaways = (size_t)n;
    if (n >= 2) {
        double mean = sum / n, spread = sqrt(fmax(squares / n - mean * mean, 0) * n / (n - 1));
        double error = 2 * spread / sqrt(n) + 0.08 * mean;
        to->constants[WPIN_CONSTANT_STATIC] = estimate(mean * k, error * k, OWN);
    }
}

static bool tell(by_current *b, const wpin_known *known, wpin_identification *to, char *why,
                 size_t size) {
    if (!find_ohms(b)) {
        snprintf(why, size,
                 "the record shows it at rest too little: let the duty rise slowly, a hundredth of "
                 "it in a third of a second, until it breaks loose, and that twice each way");
        return false;
    }
    find_emf(b);
    double at = known->constant > 0 ? 0 : emf_at(b, known->duty);
    double k = known->constant > 0 ? known->constant : at / known->speed;
    if (!(k > 0)) {
        wpin_plain(why, size, "the record does not show it run evenly at %.4g %% duty",
                   known->duty * 100);
        return false;
    }
    equations e = {0};
    double value[3], error[3];
    for (size_t i = 0; i < b->cut->count;) {
        i = isnan(b->emf[i]) ? i + 1 : one_span(b, i, k, &e);
    }
    if (!solve(&e, value, error, &to->amps_off)) {
        snprintf(why, size,
                 "the record holds too little motion: bring it to two speeds, and that each way");
        return false;
    }
    if (!stood(b, value[0])) {
        wpin_plain(
            why, size,
            "'%s' turns at so little current (some %.2g A) that the record does not show its "
            "resistance: hold its shaft fast while the duty rises slowly, or give it an "
            "encoder, if only for this",
            b->load->name, fmax(value[0], 0));
        return false;
    }
    /* an error of the resistance is one of each emf, which falls by it times the current */
    double amps = value[0] + value[1] * b->emf_most;
    double of_emf = b->ohms_error * amps / b->emf_most + 0.3 * OWN;
    double of_k = known->constant > 0 ? 0 : hypot(known->error, of_emf);
    wpin_estimate *c = to->constants;
    c[WPIN_CONSTANT_RESISTANCE] = estimate(b->ohms, b->ohms_error, OWN);
    c[WPIN_CONSTANT_TORQUE] = estimate(k, of_k * k, 0.3 * OWN);
    c[WPIN_CONSTANT_DRY] = estimate(value[0] * k, error[0] * k, OWN + of_k);
    c[WPIN_CONSTANT_VISCOUS] = estimate(value[1] * k * k, error[1] * k * k, 2 * OWN + 2 * of_k);
    c[WPIN_CONSTANT_INERTIA] = estimate(value[2] * k * k, error[2] * k * k, OWN + 2 * of_k);
    wpin_find_inductance(b->rig, b->load, b->record, b->ohms, to);
    take_static(b, k, to);
    to->windows = b->cut->count;
    return true;
}

bool wpin_current_tells(const wpin_rig_load *load, char *why, size_t why_size) {
    if (wpin_rig_off_phase(load) != WPIN_OFF_FAST) {
        return true;
    }
    snprintf(why, why_size,
             "'%s' has no encoder, and its stage lets the current decay fast: while it stands the "
             "current stops in each PWM period and shows its inductance, not its resistance. Use a "
             "kind of stage whose PWM shorts the motor or lets the current run on, or give it an "
             "encoder, if only for this",
             load->name);
    return false;
}

bool wpin_identify_from_current(const wpin_rig *rig, const wpin_rig_load *load,
                                const wpin_record *record, const wpin_known *known,
                                wpin_identification *to, char *why, size_t why_size) {
    *to = (wpin_identification){.volts = rig->supplies[load->supply].volts, .degrees = 25};
    if (!wpin_identify_fits(load, why, why_size)) {
        return false;
    }
    if (known->constant <= 0 && (known->speed <= 0 || known->duty <= 0)) {
        snprintf(why, why_size,
                 "from the current of '%s' alone its constant, inertia and friction can't be "
                 "separated: one speed is needed, and the duty it was measured at, or its constant",
                 load->name);
        return false;
    }
    if (!wpin_current_tells(load, why, why_size)) {
        return false;
    }
    to->seconds = record->count > 0 ? record->rows[record->count - 1].at - record->rows[0].at : 0;
    wpin_cut cut;
    bool good = wpin_cut_by_time(&cut, record, load->bridge.sense_filter, WINDOW);
    wpin_add_half_step(&cut, rig, load);
    by_current b = {.rig = rig, .load = load, .record = record, .cut = &cut};
    b.emf = calloc(cut.count + 1, sizeof *b.emf);
    b.rests = calloc(cut.count + 1, sizeof *b.rests);
    if (good && b.emf != NULL && b.rests != NULL) {
        wpin_find_rests(&cut, b.rests);
        good = tell(&b, known, to, why, why_size);
    } else {
        snprintf(why, why_size, "out of memory");
        good = false;
    }
    free(b.emf);
    free(b.rests);
    wpin_cut_free(&cut);
    return good;
}
