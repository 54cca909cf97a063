/* Which stretches of a record show a motor at rest while its duty rises slowly, and where it breaks
 * loose: by the current alone. */
#include "circuit.h"
#include <math.h>

#define BEFORE 0.2 /* s before it broke loose that surely still show it at rest */
#define SLOWLY 0.1 /* of the full duty a second: no faster, or its start tells nothing */

/* One run from rest: stretches that follow one another. */
typedef struct episode {
    size_t from, to;
} episode;

static episode next_episode(const wpin_cut *cut, size_t from) {
    episode e = {from, from + 1};
    while (e.to < cut->count && cut->stretches[e.to].follows &&
           cut->stretches[e.to].duty * cut->stretches[from].duty > 0) {
        e.to++;
    }
    return e;
}

static bool rises_slowly(const wpin_stretch *a, const wpin_stretch *b) {
    return fabs(b->duty - a->duty) <= SLOWLY * (b->from - a->from) && b->from > a->from;
}

enum { LOOKS = 5, MANY = 8, LEAST = 10 };

/* The current of a standing motor over its duty: a straight line, from a least current on. */
typedef struct line {
    double slope, height;
    double off; /* A by which a stretch is off it, root of the mean square */
} line;

static double on_line(const line *l, const wpin_stretch *s) {
    return l->slope * fabs(s->duty) + l->height;
}

static line line_through(const wpin_stretch *all, size_t from, size_t to) {
    double n = (double)(to - from), x = 0, y = 0, xx = 0, xy = 0, off = 0;
    for (size_t i = from; i < to; i++) {
        double duty = fabs(all[i].duty), amps = wpin_stretch_size(&all[i]);
        x += duty / n;
        y += amps / n;
        xx += duty * duty / n;
        xy += duty * amps / n;
    }
    double wide = xx - x * x;
    line l = {.slope = wide > 0 ? (xy - x * y) / wide : 0};
    l.height = y - l.slope * x;
    for (size_t i = from; i < to; i++) {
        double by = wpin_stretch_size(&all[i]) - on_line(&l, &all[i]);
        off += by * by / n;
    }
    l.off = sqrt(off);
    return l;
}

/* The part of an episode in which the duty rises slowly: to its end. */
static size_t slow_part(const wpin_stretch *all, episode e) {
    size_t to = e.from + 2;
    while (to < e.to && rises_slowly(&all[e.from], &all[to])) {
        to++;
    }
    return to < e.to ? to : e.to;
}

/* The mean current of some stretches, and for a duty. */
static double current_of(const wpin_stretch *all, size_t from) {
    double amps = 0;
    for (size_t i = from; i < from + MANY; i++) {
        amps += wpin_stretch_size(&all[i]) / MANY;
    }
    return amps;
}

static double current_for_duty(const wpin_stretch *all, size_t from) {
    double duty = 0;
    for (size_t i = from; i < from + MANY; i++) {
        duty += fabs(all[i].duty) / MANY;
    }
    return duty > 0 ? current_of(all, from) / duty : 0;
}

/* Where it broke loose as the duty rose slowly. At rest the current for a duty rises to its
 * highest, and once it turns, and has an emf, it falls; that tells roughly where. Then by the line
 * through what was surely at rest. The end: nowhere. */
static size_t crest_of(const wpin_stretch *all, episode e, line *rests) {
    size_t end = slow_part(all, e), highest = e.from, first = e.from;
    double most = 0, largest = 0;
    for (size_t i = e.from; i + MANY <= end; i++) {
        largest = fmax(largest, current_of(all, i));
    }
    for (size_t i = e.from; i + MANY <= end; i++) { /* of little current noise tells too much */
        double ratio = current_of(all, i) > 0.5 * largest ? current_for_duty(all, i) : 0;
        highest = ratio > most ? i : highest;
        most = fmax(most, ratio);
    }
    size_t rough = highest;
    while (rough + MANY <= end && current_for_duty(all, rough) >= 0.9 * most) {
        rough++;
    }
    double top = most * fabs(all[highest].duty);
    while (first < highest && wpin_stretch_size(&all[first]) < 0.3 * top) {
        first++;
    }
    size_t sure = first + (rough - first) / 2;
    if (most <= 0 || rough + MANY > end || sure < first + LEAST) {
        return e.to;
    }
    *rests = line_through(all, first, sure);
    for (size_t i = sure; i < rough; i++) {
        double behind = 0;
        for (size_t n = i; n < i + LOOKS; n++) {
            behind += (on_line(rests, &all[n]) - wpin_stretch_size(&all[n])) / LOOKS;
        }
        if (behind > fmax(2 * rests->off, 0.02 * top)) {
            return i;
        }
    }
    return rough;
}

void wpin_find_rests(wpin_cut *cut, bool *at_rest) {
    wpin_stretch *all = cut->stretches;
    for (size_t from = 0; from < cut->count;) {
        episode e = next_episode(cut, from);
        line standing;
        size_t crest = crest_of(all, e, &standing);
        if (crest < e.to) {
            double amps = on_line(&standing, &all[crest]);
            for (size_t i = e.from; i < crest; i++) {
                at_rest[i] =
                    all[i].to < all[crest].from - BEFORE && wpin_stretch_size(&all[i]) > 0.3 * amps;
            }
            if (cut->start_count < sizeof cut->starts / sizeof *cut->starts) {
                cut->starts[cut->start_count++] =
                    (wpin_breakaway){.amps = amps, .duty = fabs(all[crest].duty)};
            }
        }
        from = e.to;
    }
}
