/* The inductance from the ripple of PWM. In a period the current rises and falls by exponentials;
 * around its mean the wave hangs on the supply's volts, the duty, resistance and inductance, and
 * not on what the motor does meanwhile. Its height is all but inverse to the inductance. Where in a
 * period the samples begin is looked for as well. */
#include "circuit.h"
#include "windpin/host/plain.h"
#include <math.h>
#include <stdio.h>

#define BINS   128  /* of a period */
#define LEAST  200  /* samples of a duty that tell something, */
#define SPREAD 8    /* in so many places of the period */
#define PLACES 64   /* in a period, that its begin is first looked for at */
#define EVEN   1e-3 /* duties that differ by no more are one */
#define STEPS  0.03 /* ...and, as a share of the ripple's height, of a converter's step */
#define OWN    4e-3 /* besides, what the model is off by: see tests/test_identify.c */
#define SLOW   0.25 /* of a period: a sense with a longer lag shows too little of the ripple */

/* What comes of the samples of one duty. */
typedef enum answer {
    NOTHING,    /* there are none, or too few */
    TOLD,       /* the inductance */
    OTHER_MEAN, /* their mean is not that of the rows meanwhile */
    NO_RIPPLE,  /* they do not follow it */
    STOPS       /* the current stops in each period */
} answer;

/* What samples of one duty say, by where in the period they were taken. */
typedef struct period {
    double duty;
    double from, to; /* s */
    double mean;     /* of their currents, and of the rows' meanwhile; NAN: there are none */
    double rows;
    size_t count;
    struct {
        double count, phase, amps;
    } bins[BINS];
    double squares; /* of all currents */
} period;

/* The wave once each period is like the last, through the lag of the sense: in each of two parts
 *     settles + fades exp(-t / winding) + follows exp(-t / lag). */
typedef struct wave {
    double on; /* share of the period */
    double length, winding, lag;
    struct {
        double settles, fades, follows;
    } parts[2];
    double mean, least, most;
} wave;

static wave make_wave(const wpin_pwm_loop *loop, double duty, double lag) {
    wave w = {
        .on = duty, .length = 1 / loop->hz, .winding = loop->henries / loop->ohms, .lag = lag};
    const double settles[2] = {loop->on_volts / loop->ohms, loop->off_volts / loop->ohms};
    const double seconds[2] = {duty * w.length, (1 - duty) * w.length};
    double fades[2], follows[2];
    for (int k = 0; k < 2; k++) {
        fades[k] = exp(-seconds[k] / w.winding);
        follows[k] = lag > 0 ? exp(-seconds[k] / lag) : 0;
        w.mean += settles[k] * seconds[k] / w.length;
    }
    double least = (settles[1] * (1 - fades[1]) + settles[0] * (1 - fades[0]) * fades[1]) /
                   (1 - fades[0] * fades[1]);
    double most = settles[0] + (least - settles[0]) * fades[0];
    const double begin[2] = {least, most};
    double rest[2]; /* what a part leaves of nothing, and it keeps a share of what it begins with */
    for (int k = 0; k < 2; k++) {
        w.parts[k].settles = settles[k];
        w.parts[k].fades = (begin[k] - settles[k]) / (1 - lag / w.winding);
        double first = settles[k] + w.parts[k].fades;
        rest[k] = settles[k] + w.parts[k].fades * fades[k] - first * follows[k];
    }
    double shown = (rest[1] + rest[0] * follows[1]) / (1 - follows[0] * follows[1]);
    for (int k = 0; k < 2; k++) {
        w.parts[k].follows = shown - w.parts[k].settles - w.parts[k].fades;
        shown = rest[k] + shown * follows[k];
    }
    w.least = least;
    w.most = most;
    return w;
}

/* Above its mean, at a share of the period from where the switch turns on. */
static double height(const wave *w, double phase) {
    phase -= floor(phase);
    int k = phase < w->on ? 0 : 1;
    double t = (k == 0 ? phase : phase - w->on) * w->length;
    double lagging = w->lag > 0 ? w->parts[k].follows * exp(-t / w->lag) : 0;
    return w->parts[k].settles + w->parts[k].fades * exp(-t / w->winding) + lagging - w->mean;
}

/* How well a wave that begins at a phase stands for the samples, a line of them by another. */
typedef struct match {
    double by;     /* the samples' height, as a multiple of the wave's */
    double spread; /* of the wave's heights: their squares, summed */
    double left;   /* squares of what is left between bins and wave, summed */
    size_t bins;
} match;

static match compare(const period *p, const wave *w, double begins) {
    double n = (double)p->count, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    match m = {0};
    for (int b = 0; b < BINS; b++) {
        double count = p->bins[b].count;
        if (count > 0) {
            double here = height(w, p->bins[b].phase / count - begins);
            double amps = p->bins[b].amps / count;
            x += count * here, y += count * amps;
            xx += count * here * here, xy += count * here * amps, yy += count * amps * amps;
            m.bins++;
        }
    }
    m.spread = xx - x * x / n;
    double both = xy - x * y / n;
    m.by = m.spread > 0 ? both / m.spread : 0;
    m.left = yy - y * y / n - m.by * both;
    return m;
}

/* The begin with the largest multiple that leaves least. */
static match best_match(const period *p, const wave *w) {
    double at = 0, step = 1.0 / PLACES;
    match best = compare(p, w, 0);
    for (int i = 1; i < PLACES; i++) {
        match m = compare(p, w, i * step);
        if (m.by > best.by) {
            best = m, at = i * step;
        }
    }
    while (step > 1e-5) {
        match before = compare(p, w, at - step / 2), after = compare(p, w, at + step / 2);
        bool back = before.by > after.by;
        match better = back ? before : after;
        if (better.by > best.by) {
            at += back ? -step / 2 : step / 2;
            best = better;
        }
        step /= 2;
    }
    return best;
}

/* How far an estimate may be off: by twice its standard error, the noise seen from one sample to
 * the next or what the wave leaves unexplained, and by the converter's steps. A share. */
static double error_of(const period *p, const match *m, double step_of_height) {
    double within = p->squares, n = (double)p->count;
    for (int b = 0; b < BINS; b++) {
        double count = p->bins[b].count;
        within -= count > 0 ? p->bins[b].amps * p->bins[b].amps / count : 0;
    }
    double noise = (within + m->left) / (n - 3);
    double misfit = m->bins > 3 && noise > 0 ? m->left / (double)(m->bins - 3) / noise : 1;
    return hypot(2 * sqrt(noise * fmax(misfit, 1) / m->spread), STEPS * step_of_height);
}

static bool other_mean(const period *p, double step) {
    return fabs(p->mean - p->rows) > 0.1 * fabs(p->rows) + step;
}

/* One duty's estimate. */
static answer from_one(const period *p, const wpin_rig *rig, const wpin_rig_load *load, double ohms,
                       wpin_estimate *to) {
    const double step = wpin_step_amps(rig, load);
    double henries = load->motor.inductance, lowest = 0, high = 1;
    double less = wpin_winding_more_on(rig, load) * p->mean;
    match m = {0};
    if (other_mean(p, step)) {
        return OTHER_MEAN;
    }
    for (int i = 0; i < 12 && fabs(m.by - 1) > 1e-4; i++) {
        wpin_pwm_loop loop = wpin_winding_loop(rig, load, p->duty, ohms, henries, 0);
        loop.on_volts -= (1 - fabs(p->duty)) * less;
        loop.off_volts += fabs(p->duty) * less;
        wave w = make_wave(&loop, fabs(p->duty), load->bridge.sense_filter);
        m = best_match(p, &w);
        if (!(m.by > 0) || m.bins < SPREAD) {
            return NO_RIPPLE;
        }
        henries /= m.by;
        lowest = p->mean - (w.mean - w.least);
        high = w.most - w.least;
    }
    double error = error_of(p, &m, step / high);
    *to = (wpin_estimate){.value = henries, .error = error * henries, .known = error < 0.3};
    return !to->known ? NO_RIPPLE : lowest > 0 ? TOLD : STOPS;
}

static void put(period *p, const wpin_record_sample *s) {
    double phase = s->phase - floor(s->phase);
    int b = (int)(phase * BINS);
    b = b < BINS ? b : BINS - 1;
    p->bins[b].count++;
    p->bins[b].phase += phase;
    p->bins[b].amps += s->amps;
    p->squares += s->amps * s->amps;
    p->mean += s->amps;
    p->to = s->at;
    p->count++;
}

/* Those from the i-th on that have its duty; where others begin. */
static size_t gather(period *p, const wpin_record *record, size_t i) {
    *p = (period){.duty = record->samples[i].duty, .from = record->samples[i].at};
    for (; i < record->sample_count && fabs(record->samples[i].duty - p->duty) < EVEN; i++) {
        put(p, &record->samples[i]);
    }
    p->mean /= (double)p->count;
    p->rows = wpin_record_mean(record, p->from, p->to);
    return i;
}

/* Joins what several duties say, each by how well it knows it. */
static void join(wpin_estimate *to, const wpin_estimate *one, double *weights) {
    double weight = 1 / fmax(one->error * one->error, 1e-30);
    to->value += weight * one->value;
    *weights += weight;
}

/* Why nothing was found, with what would help. */
static void say_why(const wpin_rig_load *load, const wpin_record *record, answer why,
                    const period *p, wpin_identification *to) {
    double hz = load->limits.pwm_hz, lag = load->bridge.sense_filter;
    char *words = to->no_inductance;
    size_t size = sizeof to->no_inductance;
    if (lag * hz > SLOW) {
        wpin_plain(
            words, size,
            "it shows in the ripple of PWM, which the sense smooths; a 'sense-filter' of %.4g "
            "us at the most, not %.4g us, would let it through",
            SLOW / hz * 1e6, lag * 1e6);
    } else if (why == STOPS) {
        snprintf(words, size,
                 "the current stops in each period of PWM at the duty of the samples; with "
                 "something attached, or by a faster PWM, it would not");
    } else if (why == NO_RIPPLE) {
        snprintf(
            words, size,
            "the samples do not rise and fall as PWM makes the current rise and fall; "
            "'phase_percent' says where in the period each was taken, and they lie all over it");
    } else if (why == OTHER_MEAN) {
        wpin_plain(
            words, size,
            "the samples show %.3g A on average, the rows meanwhile %.3g A; expected the same",
            p->mean, p->rows);
    } else {
        snprintf(words, size,
                 "it shows in the ripple of PWM; the record has %zu samples within periods "
                 "('phase_percent'), and it takes %d at one duty",
                 record->sample_count, LEAST);
    }
}

void wpin_find_inductance(const wpin_rig *rig, const wpin_rig_load *load, const wpin_record *record,
                          double ohms, wpin_identification *to) {
    wpin_estimate all = {.known = true}, one;
    double weights = 0, hz = load->limits.pwm_hz;
    bool follows = hz > 0 && load->bridge.sense_filter * hz <= SLOW;
    answer worst = NOTHING;
    period p = {0}, about = {0};
    for (size_t i = 0; follows && i < record->sample_count;) {
        i = gather(&p, record, i);
        if (p.duty == 0 || fabs(p.duty) >= 1 || p.count < LEAST) {
            continue;
        }
        answer is = from_one(&p, rig, load, ohms, &one);
        if (is == TOLD) {
            join(&all, &one, &weights);
            to->samples += p.count;
        } else if (is > worst) {
            worst = is;
            about = p;
        }
    }
    if (weights > 0) {
        all.value /= weights;
        all.error = hypot(1 / sqrt(weights), OWN * all.value);
        to->constants[WPIN_CONSTANT_INDUCTANCE] = all;
    } else {
        say_why(load, record, worst, &about, to);
    }
}
