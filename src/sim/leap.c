/* Composes passages. */
#include "leap.h"

static wpin_row plus(wpin_row a, wpin_row b) {
    return (wpin_row){a.i + b.i, a.w + b.w, a.v + b.v, a.c + b.c};
}

wpin_row wpin_row_behind(const wpin_row *r, const wpin_passage *p) {
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

void wpin_passage_join(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats) {
    wpin_passage r;
    r.amps = wpin_row_behind(&b->amps, a);
    r.speed = wpin_row_behind(&b->speed, a);
    r.sum_amps = plus(a->sum_amps, wpin_row_behind(&b->sum_amps, a));
    r.sum_speed = plus(a->sum_speed, wpin_row_behind(&b->sum_speed, a));
    r.sum_drawn = plus(a->sum_drawn, wpin_row_behind(&b->sum_drawn, a));
    double k = b->sense_keep;
    wpin_row before = {a->sense.i * k, a->sense.w * k, a->sense.v * k, a->sense.c * k};
    r.sense = plus(before, wpin_row_behind(&b->sense, a));
    r.sense_keep = a->sense_keep * k;
    if (heats) {
        r.sizes = plus(a->sizes, wpin_row_behind(&b->sizes, a));
        r.diode_sizes = plus(a->diode_sizes, wpin_row_behind(&b->diode_sizes, a));
        r.squares = a->squares;
        add(&r.squares, 1, quad_behind(&b->squares, a));
        r.lost = a->lost;
        add(&r.lost, 1, quad_behind(&b->lost, a));
    } else {
        r.sizes = r.diode_sizes = (wpin_row){0};
        r.squares = r.lost = (wpin_quad){0};
    }
    *to = r;
}

void wpin_passage_lean(wpin_passage *to, const wpin_passage *a, const wpin_passage *b, bool heats,
                       bool filters) {
    wpin_row amps = wpin_row_behind(&b->amps, a), speed = wpin_row_behind(&b->speed, a);
    wpin_row sum_amps = plus(a->sum_amps, wpin_row_behind(&b->sum_amps, a));
    wpin_row sum_speed = plus(a->sum_speed, wpin_row_behind(&b->sum_speed, a));
    if (filters) {
        double k = b->sense_keep;
        wpin_row before = {a->sense.i * k, a->sense.w * k, a->sense.v * k, a->sense.c * k};
        to->sense = plus(before, wpin_row_behind(&b->sense, a));
        to->sense_keep = a->sense_keep * k;
    }
    if (heats) {
        wpin_quad squares = a->squares, lost = a->lost;
        add(&squares, 1, quad_behind(&b->squares, a));
        add(&lost, 1, quad_behind(&b->lost, a));
        to->squares = squares, to->lost = lost;
    }
    to->amps = amps, to->speed = speed;
    to->sum_amps = sum_amps, to->sum_speed = sum_speed;
}
