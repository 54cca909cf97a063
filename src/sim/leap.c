/* Composes passages, and counts the steps of like periods. */
#include "leap.h"

static wpin_row plus(wpin_row a, wpin_row b) {
    return (wpin_row){a.i + b.i, a.w + b.w, a.v + b.v, a.c + b.c};
}

/* A row of what is left by a passage, as a row of what that began with. */
static wpin_row behind(const wpin_row *r, const wpin_passage *p) {
    return (wpin_row){r->i * p->amps.i + r->w * p->speed.i, r->i * p->amps.w + r->w * p->speed.w,
                      r->i * p->amps.v + r->w * p->speed.v + r->v,
                      r->i * p->amps.c + r->w * p->speed.c + r->c};
}

wpin_quad wpin_quad_of(const wpin_row *a, const wpin_row *b) {
    return (wpin_quad){a->i * b->i,
                       a->i * b->w + a->w * b->i,
                       a->i * b->v + a->v * b->i,
                       a->i * b->c + a->c * b->i,
                       a->w * b->w,
                       a->w * b->v + a->v * b->w,
                       a->w * b->c + a->c * b->w,
                       a->v * b->v,
                       a->v * b->c + a->c * b->v,
                       a->c * b->c};
}

static void add(wpin_quad *to, double by, wpin_quad q) {
    to->ii += by * q.ii, to->iw += by * q.iw, to->iv += by * q.iv, to->ic += by * q.ic;
    to->ww += by * q.ww, to->wv += by * q.wv, to->wc += by * q.wc;
    to->vv += by * q.vv, to->vc += by * q.vc, to->cc += by * q.cc;
}

static wpin_quad quad_behind(const wpin_quad *q, const wpin_passage *p) {
    static const wpin_row v = {0, 0, 1, 0}, one = {0, 0, 0, 1};
    wpin_quad r = {.vv = q->vv, .vc = q->vc, .cc = q->cc};
    add(&r, q->ii, wpin_quad_of(&p->amps, &p->amps));
    add(&r, q->iw, wpin_quad_of(&p->amps, &p->speed));
    add(&r, q->iv, wpin_quad_of(&p->amps, &v));
    add(&r, q->ic, wpin_quad_of(&p->amps, &one));
    add(&r, q->ww, wpin_quad_of(&p->speed, &p->speed));
    add(&r, q->wv, wpin_quad_of(&p->speed, &v));
    add(&r, q->wc, wpin_quad_of(&p->speed, &one));
    return r;
}

static void join_heat(wpin_passage *to, const wpin_passage *a, const wpin_passage *b) {
    to->sizes = plus(a->sizes, behind(&b->sizes, a));
    to->diode_sizes = plus(a->diode_sizes, behind(&b->diode_sizes, a));
    to->squares = a->squares;
    add(&to->squares, 1, quad_behind(&b->squares, a));
    to->lost = a->lost;
    add(&to->lost, 1, quad_behind(&b->lost, a));
}

void wpin_passage_join(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats,
                       bool filters) {
    to->amps = behind(&b->amps, a);
    to->speed = behind(&b->speed, a);
    to->sum_amps = plus(a->sum_amps, behind(&b->sum_amps, a));
    to->sum_speed = plus(a->sum_speed, behind(&b->sum_speed, a));
    to->sum_drawn = plus(a->sum_drawn, behind(&b->sum_drawn, a));
    if (filters) {
        double k = b->sense_keep;
        wpin_row before = {a->sense.i * k, a->sense.w * k, a->sense.v * k, a->sense.c * k};
        to->sense = plus(before, behind(&b->sense, a));
        to->sense_keep = a->sense_keep * k;
    }
    if (heats) {
        join_heat(to, a, b);
    }
}

/* ---- a period ---- */

bool wpin_pattern_add(wpin_pattern *pattern, int number, int64_t dt, int64_t most) {
    int s = pattern->count - 1;
    if (s >= 0 && pattern->number[s] == number) {
        pattern->dt[s] += dt;
        return pattern->dt[s] <= most;
    }
    if (number < 0 || pattern->count == WPIN_SEGMENTS || dt > most) {
        return false;
    }
    pattern->mixed = pattern->count > 0 ? wpin_pattern_mix(pattern) : 0;
    pattern->number[pattern->count] = (uint16_t)number;
    pattern->dt[pattern->count++] = dt;
    return true;
}

/* ---- like periods ---- */

static inline wpin_steps both(wpin_steps a, wpin_steps b) {
    return (wpin_steps){a.first + b.first, a.change + b.change};
}

/* The step after that one. */
static inline wpin_steps next_step(wpin_steps s, double trace, double det) {
    return (wpin_steps){s.first - det * s.change, s.first + s.change + trace * s.change};
}

/* What heat and a sense filter need besides. */
static void weigh(wpin_periods *p, const wpin_period *period) {
    const double keep = period->whole.sense_keep;
    wpin_steps at = {0, 0}, step = {1, 0}, sensed = {0, 0};
    double firsts = 0, changes = 0, products = 0, weighed = 0, kept = 1;
    for (int k = 0; k < p->count; k++) {
        firsts += at.first * at.first;
        changes += at.change * at.change;
        products += at.first * at.change;
        sensed = both((wpin_steps){sensed.first * keep, sensed.change * keep}, at);
        weighed = weighed * keep + 1;
        kept *= keep;
        at = both(at, step);
        step = next_step(step, period->trace, period->det);
    }
    p->first_squares = firsts, p->change_squares = changes, p->products = products;
    p->sensed = sensed, p->weighed = weighed, p->sense_keep = kept;
}

void wpin_periods_make(wpin_period *period, int count, bool weighs) {
    const double trace = period->trace, det = period->det;
    wpin_steps begins = {0, 0}, at = {0, 0}, step = {1, 0}, last = at;
    for (int k = 2; k < count; k++) {
        begins = both(begins, at);
        at = both(at, step);
        step = next_step(step, trace, det);
    }
    wpin_periods *p = &period->several;
    p->before_last = step;
    if (count > 1) {
        begins = both(begins, at);
        last = both(at, step);
        step = next_step(step, trace, det);
    }
    p->last = last;
    p->begins = both(begins, last);
    p->end = both(last, step);
    p->count = count;
    if (weighs) {
        weigh(p, period);
    }
}
