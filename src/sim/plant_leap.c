/* A motor through many like periods at once, as long as nothing can happen in them. */
#include "plant.h"

#include <math.h>

#define PS        1e-12
#define HALF_TURN 3.14159265358979323846

static wpin_row row_of(double i, double w, double per_amps, double per_speed, const wpin_piece *p,
                       double inductance, double volts) {
    double of_volts = p->loop.rail / inductance;
    return (wpin_row){i, w, per_amps * of_volts,
                      per_amps * (p->force_amps - of_volts * volts) + per_speed * p->force_speed};
}

static wpin_row times(const wpin_row *r, double by) {
    return (wpin_row){r->i * by, r->w * by, r->v * by, r->c * by};
}

static wpin_quad times_quad(const wpin_quad *q, double by) {
    return (wpin_quad){q->ii * by, q->iw * by, q->iv * by, q->ic * by, q->ww * by,
                       q->wv * by, q->wc * by, q->vv * by, q->vc * by, q->cc * by};
}

/* What heats: |i| dt and i i dt of a current that is all but straight from its begin to its end. */
static void add_heat(wpin_passage *r, const wpin_piece *piece, int way, double seconds) {
    const wpin_row *end = &r->amps;
    wpin_row both = {1 + end->i, end->w, end->v, end->c}, begin = {1, 0, 0, 0};
    r->sizes = times(&both, way * seconds / 2);
    r->diode_sizes = piece->loop.diode ? r->sizes : (wpin_row){0};
    wpin_quad squares = wpin_quad_of(end, &both), first = wpin_quad_of(&begin, &begin);
    squares.ii += first.ii;
    r->squares = times_quad(&squares, seconds / 3);
    r->lost = times_quad(&r->squares, piece->loop.drop_ohms);
    const wpin_row *sizes = &r->sizes;
    r->lost.ic += piece->loop.drop_volts * sizes->i,
        r->lost.wc += piece->loop.drop_volts * sizes->w;
    r->lost.vc += piece->loop.drop_volts * sizes->v,
        r->lost.cc += piece->loop.drop_volts * sizes->c;
}

/* One segment as a passage. */
static wpin_passage passage_of(const wpin_plant *plant, int number, int64_t dt, bool *one_way) {
    wpin_piece piece = wpin_plant_piece(plant, number);
    double seconds = (double)dt * PS, l = plant->motor.inductance;
    double v = wpin_feed_volts(&plant->feed);
    wpin_propagator q = wpin_propagator_make(&piece.rates, seconds);
    wpin_passage r = {.amps = row_of(q.phi.m00, q.phi.m01, q.psi.m00, q.psi.m01, &piece, l, v),
                      .speed = row_of(q.phi.m10, q.phi.m11, q.psi.m10, q.psi.m11, &piece, l, v),
                      .sum_amps = row_of(q.psi.m00, q.psi.m01, q.xi.m00, q.xi.m01, &piece, l, v),
                      .sum_speed = row_of(q.psi.m10, q.psi.m11, q.xi.m10, q.xi.m11, &piece, l, v)};
    r.sum_drawn = times(&r.sum_amps, piece.loop.rail * plant->feed.share);
    r.sense = r.amps;
    if (plant->feed.sense_filter > 0) {
        double share = wpin_plant_sense_share(plant, seconds);
        r.sense = times(&r.sum_amps, share / seconds);
        r.sense_keep = 1 - share;
    }
    if (plant->heats) {
        add_heat(&r, &piece, number / 3 % 4 - 1, seconds);
    }
    *one_way = *one_way || piece.loop.way != 0;
    return r;
}

static bool same_pattern(const wpin_pattern *a, const wpin_pattern *b) {
    bool same = a->count == b->count;
    for (int s = 0; same && s < a->count; s++) {
        same = a->dt[s] == b->dt[s] && a->number[s] == b->number[s];
    }
    return same;
}

/* A sum over one period, over n of them: `begins` has the sums of what they begin with. */
static wpin_row summed(const wpin_row *r, const wpin_passage *begins, int n) {
    const wpin_row *i = &begins->sum_amps, *w = &begins->sum_speed;
    return (wpin_row){r->i * i->i + r->w * w->i, r->i * i->w + r->w * w->w,
                      r->i * i->v + r->w * w->v + n * r->v, r->i * i->c + r->w * w->c + n * r->c};
}

/* Radians a period by which the way to rest turns; 0 when it does not. */
static double turn_of(const wpin_passage *p) {
    double half = (p->amps.i + p->speed.w) / 2,
           det = p->amps.i * p->speed.w - p->amps.w * p->speed.i;
    double under = det - half * half;
    return half <= 0 ? HALF_TURN : (under <= 0 ? 0 : atan2(sqrt(under), half));
}

static wpin_row less(wpin_row a, wpin_row b) {
    return (wpin_row){a.i - b.i, a.w - b.w, a.v - b.v, a.c - b.c};
}

static void make_period(const wpin_plant *plant, wpin_leap *l) {
    wpin_passage *period = &l->whole;
    const wpin_pattern *pattern = &l->pattern;
    for (int s = 0; s < pattern->count; s++) {
        wpin_passage one = passage_of(plant, pattern->number[s], pattern->dt[s], &l->one_way);
        if (s == 0) {
            *period = one;
        } else {
            wpin_passage_join(period, period, &one, plant->heats);
        }
        l->first[s] = l->last[s] = period->amps;
        l->seconds += (double)pattern->dt[s] * PS;
    }
    l->turn = turn_of(period);
    l->one_way = l->one_way || plant->heats;
}

/* The period taken n times, 0 and up: by squaring. Its sums count the begins of the periods. */
static wpin_passage power(const wpin_passage *once, int n, bool heats, bool filters) {
    wpin_passage done = {.amps = {1, 0, 0, 0}, .speed = {0, 1, 0, 0}, .sense_keep = 1};
    wpin_passage twice = *once;
    for (bool any = false; n > 0; n >>= 1) {
        if ((n & 1) != 0 && any) {
            wpin_passage_lean(&done, &done, &twice, heats, filters);
        } else if ((n & 1) != 0) {
            done = twice;
            any = true;
        }
        if (n > 1) {
            wpin_passage_lean(&twice, &twice, &twice, heats, filters);
        }
    }
    return done;
}

/* What n periods do, from what one does. */
static wpin_passage many(const wpin_plant *plant, const wpin_passage *period,
                         const wpin_passage *last, const wpin_passage *begin, int n) {
    bool filters = plant->feed.sense_filter > 0;
    wpin_passage whole = *last;
    wpin_passage_lean(&whole, last, begin, plant->heats, filters);
    wpin_passage begins = whole;
    whole.sum_amps = summed(&period->sum_amps, &begins, n);
    whole.sum_speed = summed(&period->sum_speed, &begins, n);
    whole.sum_drawn = summed(&period->sum_drawn, &begins, n);
    if (plant->heats) {
        whole.sizes = summed(&period->sizes, &begins, n);
        whole.diode_sizes = summed(&period->diode_sizes, &begins, n);
    }
    if (!filters) {
        whole.sense = whole.amps;
        whole.sense_keep = 0;
    }
    return whole;
}

/* Many periods, from the leap over one of them; see wpin_leap for its rows. */
static void make_many(const wpin_plant *plant, wpin_leap *l, const wpin_leap *once, int n) {
    const wpin_passage *period = &once->whole;
    bool filters = plant->feed.sense_filter > 0;
    wpin_passage begin = *period;
    begin.sum_amps = (wpin_row){1, 0, 0, 0};
    begin.sum_speed = (wpin_row){0, 1, 0, 0};
    wpin_passage before = power(&begin, n - 2, plant->heats, filters), last = begin;
    if (n > 2) {
        wpin_passage_lean(&last, &before, &begin, plant->heats, filters);
    }
    l->whole = many(plant, period, &last, &begin, n);
    l->seconds = once->seconds * n;
    l->one_way = once->one_way;
    l->turn = once->turn;
    for (int s = 0; s < l->pattern.count; s++) {
        const wpin_row *end = &once->first[s];
        l->first[s] = *end;
        l->last[s] = wpin_row_behind(end, &last);
        l->after_first[s] = less(wpin_row_behind(end, period), *end);
        l->before_last[s] = less(l->last[s], wpin_row_behind(end, &before));
    }
}

static wpin_leap *slot_for(wpin_plant *plant, const wpin_pattern *pattern, int n) {
    uint64_t mixed = (uint64_t)n;
    for (int s = 0; s < pattern->count; s++) {
        mixed = (mixed + (uint64_t)pattern->dt[s] * 128 + pattern->number[s]) * 0x9E3779B97F4A7C15U;
    }
    return &plant->leaps[mixed >> (64 - WPIN_LEAPS_BITS)];
}

static const wpin_leap *leap_for(wpin_plant *plant, const wpin_pattern *pattern, int n) {
    wpin_leap *slot = slot_for(plant, pattern, n);
    if (slot->periods == n && same_pattern(&slot->pattern, pattern)) {
        return slot;
    }
    wpin_leap made = {.periods = n, .pattern = *pattern};
    if (n == 1) {
        make_period(plant, &made);
    } else {
        make_many(plant, &made, leap_for(plant, pattern, 1), n);
    }
    *slot = made;
    return slot;
}

/* Whether nothing can happen in these periods; the range the current stays in. Over the periods
 * the current at each edge is a constant and two exponentials, or a wave of less than half a turn:
 * its steps change sign once at the most. If the first and the last step have one sign it only
 * rises or only falls, and lies between the first and the last. */
static bool quiet(const wpin_plant *plant, const wpin_leap *l, double v, double *low,
                  double *high) {
    double i = plant->amps, w = plant->speed;
    double least = i, most = i, size_of = fabs(i);
    for (int s = 0; s < l->pattern.count; s++) {
        double a = wpin_row_value(&l->first[s], i, w, v), b = a;
        if (l->periods > 1) {
            b = wpin_row_value(&l->last[s], i, w, v);
            double up = wpin_row_value(&l->after_first[s], i, w, v);
            double then = wpin_row_value(&l->before_last[s], i, w, v);
            if (up * then < 0 && fabs(up) + fabs(then) > 1e-13 * size_of) {
                return false;
            }
        }
        double smaller = a < b ? a : b, larger = a < b ? b : a;
        least = smaller < least ? smaller : least;
        most = larger > most ? larger : most;
    }
    *low = least, *high = most;
    if (l->one_way && !(plant->amps > 0 ? least > 0 : most < 0)) {
        return false;
    }
    double size = most > -least ? most : -least, torque = plant->motor.constant * size;
    if (size > plant->over_limit || l->turn * l->periods > HALF_TURN) {
        return false;
    }
    if (w == 0) {
        return torque <= plant->torque_hold;
    }
    double against = torque + plant->viscous * fabs(w) + plant->torque_move;
    return against * l->seconds < fabs(w) * plant->inertia;
}

bool wpin_plant_within_stops(const wpin_plant *plant, double angle) {
    return !plant->has_stops || (angle < plant->high_angle && angle > plant->low_angle);
}

static double quad_value(const wpin_quad *q, double i, double w, double v) {
    return i * (q->ii * i + q->iw * w + q->iv * v + q->ic) + w * (q->ww * w + q->wv * v + q->wc) +
           v * (q->vv * v + q->vc) + q->cc;
}

static void take(wpin_plant *plant, const wpin_leap *l, double v) {
    const wpin_passage *p = &l->whole;
    double i = plant->amps, w = plant->speed;
    double rads = wpin_row_value(&p->sum_speed, i, w, v);
    double drawn = wpin_row_value(&p->sum_drawn, i, w, v);
    wpin_sums *s = &plant->sums;
    s->time += l->seconds;
    s->amps += wpin_row_value(&p->sum_amps, i, w, v);
    s->rads += rads;
    s->supply_amps += drawn;
    plant->charge += drawn;
    plant->angle += rads;
    plant->sense_amps = p->sense_keep * plant->sense_amps + wpin_row_value(&p->sense, i, w, v);
    if (plant->heats) {
        plant->squares += quad_value(&p->squares, i, w, v);
        plant->lost += quad_value(&p->lost, i, w, v);
        plant->sizes += wpin_row_value(&p->sizes, i, w, v);
        plant->diode_sizes += wpin_row_value(&p->diode_sizes, i, w, v);
    }
    plant->amps = wpin_row_value(&p->amps, i, w, v);
    plant->speed = w == 0 ? 0 : wpin_row_value(&p->speed, i, w, v);
}

int wpin_plant_leap(wpin_plant *plant, const wpin_pattern *pattern, int n) {
    double v = wpin_feed_volts(&plant->feed), low, high;
    for (; n > 0; n /= 2) {
        const wpin_leap *l = leap_for(plant, pattern, n);
        double rads = wpin_row_value(&l->whole.sum_speed, plant->amps, plant->speed, v);
        if (!quiet(plant, l, v, &low, &high) ||
            !wpin_plant_within_stops(plant, plant->angle + rads)) {
            continue;
        }
        take(plant, l, v);
        wpin_sums *s = &plant->sums;
        s->least_amps = low < s->least_amps ? low : s->least_amps;
        s->most_amps = high > s->most_amps ? high : s->most_amps;
        plant->over_time = plant->over_peak = 0;
        return n;
    }
    return 0;
}
