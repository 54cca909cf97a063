/* A period of PWM, made of its segments: each is one circuit for some time. */
#include "plant.h"
#include "sense_lag.h"

#include <math.h>
#include <string.h>

#define PS        1e-12
#define HALF_TURN 3.14159265358979323846
#define SHORT     4000000 /* 4 us: what is no longer may be a dead time */

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

/* One segment as a passage, with something else that speeds up a shaft that turns, rad/s2. */
static void make_passage(const wpin_plant *plant, int number, int64_t dt, double push,
                         bool *one_way, wpin_passage *r) {
    wpin_piece piece = wpin_plant_piece(plant, number);
    piece.force_speed += piece.shaft != WPIN_SHAFT_STUCK ? push : 0;
    double seconds = (double)dt * PS, l = plant->motor.inductance;
    double v = wpin_feed_volts(&plant->feed);
    wpin_propagator q = wpin_propagator_make(&piece.rates, seconds);
    r->amps = row_of(q.phi.m00, q.phi.m01, q.psi.m00, q.psi.m01, &piece, l, v);
    r->speed = row_of(q.phi.m10, q.phi.m11, q.psi.m10, q.psi.m11, &piece, l, v);
    r->sum_amps = row_of(q.psi.m00, q.psi.m01, q.xi.m00, q.xi.m01, &piece, l, v);
    r->sum_speed = row_of(q.psi.m10, q.psi.m11, q.xi.m10, q.xi.m11, &piece, l, v);
    r->sum_drawn = times(&r->sum_amps, piece.loop.rail * plant->feed.share);
    if (plant->feed.sense_filter > 0) {
        wpin_lag lag = wpin_plant_lag(plant, seconds);
        r->sense = times(&r->amps, lag.end);
        r->sense.i += lag.begin;
        r->sense_keep = lag.keep;
    }
    if (plant->heats) {
        add_heat(r, &piece, number / 3 % 4 - 1, seconds);
    }
    *one_way = *one_way || piece.loop.way != 0;
}

static wpin_stepped *stepped_for(const wpin_plant *plant, int number) {
    wpin_stepped *s = &plant->solved->stepped[number / 12 % WPIN_STEPPED];
    if (s->made != plant->constants_number || s->number != number || s->step != plant->timer_step) {
        s->made = plant->constants_number;
        s->number = number;
        s->step = plant->timer_step;
        s->one_way = false;
        memset(s->has_fine, 0, sizeof s->has_fine);
        memset(s->has_coarse, 0, sizeof s->has_coarse);
    }
    return s;
}

static const wpin_passage *steps_of(const wpin_plant *plant, wpin_stepped *s, int64_t steps,
                                    bool *has, wpin_passage *room) {
    if (!*has) {
        make_passage(plant, s->number, steps * s->step, 0, &s->one_way, room);
        *has = true;
    }
    return room;
}

/* A segment of whole timer steps, put together from two that are known; NULL if it is none. */
static const wpin_passage *compose(const wpin_plant *plant, int number, int64_t dt, bool *one_way,
                                   wpin_passage *room) {
    int64_t steps = plant->timer_step > 0 && !plant->heats ? dt / plant->timer_step : 0;
    if (steps == 0 || steps * plant->timer_step != dt ||
        steps >= WPIN_FINE_STEPS * WPIN_COARSE_STEPS) {
        return NULL;
    }
    wpin_stepped *s = stepped_for(plant, number);
    int64_t fine = steps % WPIN_FINE_STEPS, coarse = steps / WPIN_FINE_STEPS;
    const wpin_passage *first = NULL, *then = NULL;
    if (coarse > 0) {
        first = steps_of(plant, s, coarse * WPIN_FINE_STEPS, &s->has_coarse[coarse],
                         &s->coarse[coarse]);
    }
    if (fine > 0) {
        then = steps_of(plant, s, fine, &s->has_fine[fine], &s->fine[fine]);
    }
    *one_way = *one_way || s->one_way;
    if (first == NULL || then == NULL) {
        return first == NULL ? then : first;
    }
    wpin_passage_join(room, first, then, false, plant->feed.sense_filter > 0);
    return room;
}

/* The same as make_passage; dead times are kept, as they come again with every other duty, and
 * duties are put together. */
static const wpin_passage *find_passage(const wpin_plant *plant, int number, int64_t dt,
                                        double push, bool *one_way, wpin_passage *room) {
    if (dt > SHORT || push != 0) {
        const wpin_passage *known = push == 0 ? compose(plant, number, dt, one_way, room) : NULL;
        if (known == NULL) {
            make_passage(plant, number, dt, push, one_way, room);
        }
        return known == NULL ? room : known;
    }
    wpin_kept_passage *kept = &plant->solved->passages[number / 12 % WPIN_KEPT_PASSAGES];
    if (kept->made != plant->constants_number || kept->number != number || kept->dt != dt) {
        *kept = (wpin_kept_passage){.made = plant->constants_number, .number = number, .dt = dt};
        make_passage(plant, number, dt, 0, &kept->one_way, &kept->does);
    }
    *one_way = *one_way || kept->one_way;
    return &kept->does;
}

/* Radians a period by which the way to rest turns; 0 when it does not. */
static double turn_of(double trace, double det) {
    double half = 1 + trace / 2, under = det - trace * trace / 4;
    return half <= 0 ? HALF_TURN : (under <= 0 ? 0 : atan2(sqrt(under), half));
}

void wpin_period_make(const wpin_plant *plant, const wpin_pattern *pattern, double push,
                      wpin_period *p) {
    bool filters = plant->feed.sense_filter > 0;
    p->pattern = *pattern;
    p->one_way = plant->heats;
    wpin_passage rooms[3]; /* of a segment, and in turn of all up to it */
    const wpin_passage *all =
        find_passage(plant, pattern->number[0], pattern->dt[0], push, &p->one_way, &rooms[1]);
    p->ends[0] = all->amps;
    p->seconds = (double)pattern->dt[0] * PS;
    for (int s = 1; s < pattern->count; s++) {
        const wpin_passage *one =
            find_passage(plant, pattern->number[s], pattern->dt[s], push, &p->one_way, &rooms[2]);
        wpin_passage *both = &rooms[(s + 1) % 2];
        wpin_passage_join(both, all, one, plant->heats, filters);
        all = both;
        p->ends[s] = all->amps;
        p->seconds += (double)pattern->dt[s] * PS;
    }
    p->whole = *all;
    double amps = p->whole.amps.i - 1, speed = p->whole.speed.w - 1;
    p->trace = amps + speed;
    p->det = amps * speed - p->whole.amps.w * p->whole.speed.i;
    p->turn = turn_of(p->trace, p->det);
    p->several.count = 0;
    p->made = plant->constants_number;
}
