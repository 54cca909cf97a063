/* Cuts a record into stretches between edges of one kind, so that where exactly the edges sit does
 * not matter: what a coarse encoder says of them is right to the microsecond of its moments. */
#include "windows.h"
#include <math.h>
#include <stdlib.h>

#define PI     3.14159265358979323846
#define LEAST  15e-3 /* s: a stretch is at least this long, */
#define COARSE 0.1   /* where edges have no moments of their own; */
#define PAUSE  60e-3 /* and it gives up when no edge came for so much longer */
#define STOOD  0.4   /* s without an edge: it stands */
#define FAR    0.2   /* s before that, to tell how the current rises */
#define MEAN   32e-3 /* s over which the current of a start is averaged */

/* Sum of the sensed current over a time, with the sign of the duty; as late as it is sensed. */
typedef struct sums {
    double amps, duty, seconds;
    double first, last; /* of the current, means of a quarter each */
    bool even;          /* the duty kept its sign */
} sums;

static size_t row_at(const wpin_record *record, double at) {
    size_t low = 0, high = record->count;
    while (low < high) {
        size_t middle = (low + high) / 2;
        if (record->rows[middle].at < at) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

double wpin_record_mean(const wpin_record *record, double from, double to) {
    double sum = 0;
    size_t count = 0;
    for (size_t i = row_at(record, from); i < record->count && record->rows[i].at < to; i++) {
        sum += record->rows[i].amps;
        count++;
    }
    return count > 0 ? sum / (double)count : NAN;
}

static sums sum_up(const wpin_record *record, double from, double to, double lag) {
    sums s = {.even = true};
    double quarter = (to - from) / 4;
    double sign = 0;
    size_t first = row_at(record, from);
    first -= first > 0; /* its duty is on the pins yet */
    for (size_t i = first; i < record->count && record->rows[i].at < to; i++) {
        const wpin_record_row *r = &record->rows[i];
        double begin = fmax(r->at, from);
        double until = i + 1 < record->count ? fmin(record->rows[i + 1].at, to) : to;
        double now = (r->duty > 0) - (r->duty < 0);
        s.even = s.even && (s.seconds == 0 || now == sign);
        sign = now;
        s.duty += r->duty * (until - begin);
        s.seconds += until - begin;
    }
    s.duty /= s.seconds > 0 ? s.seconds : 1;
    s.amps = sign * wpin_record_mean(record, from + lag, to + lag);
    s.first = sign * wpin_record_mean(record, from + lag, from + quarter + lag);
    s.last = sign * wpin_record_mean(record, to - quarter + lag, to + lag);
    return s;
}

static bool add(wpin_cut *cut, wpin_stretch s) {
    wpin_stretch *all = cut->stretches;
    if ((cut->count & (cut->count - 1)) == 0) { /* full at each power of two */
        all = realloc(all, (cut->count == 0 ? 1 : 2 * cut->count) * sizeof *all);
        if (all == NULL) {
            return false;
        }
        cut->stretches = all;
    }
    cut->stretches[cut->count++] = s;
    return true;
}

/* The moment of the next edge behind row i; HUGE_VAL: none. */
static double next_edge(const wpin_record *record, size_t i) {
    for (size_t k = i + 1; k < record->count; k++) {
        if (record->rows[k].counts != record->rows[i].counts) {
            return record->rows[k].counted_at;
        }
    }
    return HUGE_VAL;
}

/* A start from rest: an edge after a while without one, while it is driven. It broke loose before:
 * speeding up evenly it takes 0.41 of the time to its first edge from there to its second, if the
 * first was a whole count away, and nothing if it stood right before it. */
static void look_for_start(wpin_cut *cut, const wpin_record *record, size_t i, double lag) {
    const wpin_record_row *r = &record->rows[i], *before = &record->rows[i - 1];
    bool stood = r->counted_at - before->counted_at > STOOD,
         driven = before->duty != 0 && r->duty != 0;
    double apart = next_edge(record, i) - r->counted_at;
    if (!stood || !driven || !(apart < STOOD) ||
        cut->start_count == sizeof cut->starts / sizeof *cut->starts) {
        return;
    }
    double half = apart / 0.41 / 2, at = r->counted_at - half;
    double far = wpin_record_mean(record, at - FAR - MEAN + lag, at - FAR + lag);
    double near = wpin_record_mean(record, at - MEAN + lag, at + lag);
    double climb = (near - far) / FAR;
    double duty = fabs(record->rows[row_at(record, at)].duty);
    double rose = duty - fabs(record->rows[row_at(record, at - FAR)].duty);
    if (near > 0 && !isnan(climb) && rose < 0.3 * duty) { /* slowly */
        cut->starts[cut->start_count++] =
            (wpin_breakaway){.amps = (r->duty < 0 ? -1 : 1) * (near + climb * MEAN / 2),
                             .duty = duty,
                             .late = fabs(climb) * half};
    }
}

bool wpin_cut_record(wpin_cut *cut, const wpin_record *record, double lag, int line, double turn,
                     bool coarse) {
    double least = coarse ? COARSE : LEAST, longest = least + PAUSE;
    *cut = (wpin_cut){0};
    size_t begin = 0; /* the row whose edge the present stretch begins with; 0: none yet */
    for (size_t i = 1; i < record->count; i++) {
        const wpin_record_row *r = &record->rows[i], *b = &record->rows[begin];
        if (r->counts == record->rows[i - 1].counts) {
            if (begin != 0 && r->at - b->counted_at > longest) {
                begin = 0; /* too slow to tell */
            }
            continue;
        }
        look_for_start(cut, record, i, lag);
        long moved = (long)r->counts - (long)b->counts;
        double took = r->counted_at - b->counted_at;
        if (begin == 0 || took > longest) {
            begin = i;
            continue;
        }
        if (took < least || moved % line != 0 || moved == 0) {
            continue;
        }
        sums s = sum_up(record, b->counted_at, r->counted_at, lag);
        bool follows = cut->count > 0 && cut->stretches[cut->count - 1].to == b->counted_at;
        wpin_stretch stretch = {.from = b->counted_at,
                                .to = r->counted_at,
                                .speed = (double)moved / took / turn * 2 * PI,
                                .duty = s.duty,
                                .amps = s.amps,
                                .climb = (s.last - s.first) / (took * 0.75),
                                .seconds = s.seconds,
                                .follows = follows};
        begin = i;
        if (s.even && !isnan(s.amps) && !isnan(stretch.climb) && !add(cut, stretch)) {
            return false;
        }
    }
    return true;
}

bool wpin_cut_by_time(wpin_cut *cut, const wpin_record *record, double lag, double seconds) {
    *cut = (wpin_cut){0};
    double begin = record->count > 0 ? record->rows[0].at : 0;
    double end = record->count > 0 ? record->rows[record->count - 1].at : 0;
    for (size_t i = 0; begin + (double)(i + 1) * seconds <= end; i++) {
        double from = begin + (double)i * seconds, to = begin + (double)(i + 1) * seconds;
        sums s = sum_up(record, from, to, lag);
        wpin_stretch stretch = {.from = from,
                                .to = to,
                                .duty = s.duty,
                                .amps = s.amps,
                                .climb = (s.last - s.first) / (seconds * 0.75),
                                .seconds = s.seconds,
                                .follows =
                                    cut->count > 0 && cut->stretches[cut->count - 1].to == from};
        bool told = s.even && s.duty != 0 && !isnan(s.amps) && !isnan(stretch.climb);
        if (told && !add(cut, stretch)) {
            return false;
        }
    }
    return true;
}

void wpin_cut_free(wpin_cut *cut) {
    free(cut->stretches);
    *cut = (wpin_cut){0};
}
