/* A motor through many like periods at once, as long as nothing can happen in them. */
#include "plant.h"

#include <math.h>

#define HALF_TURN 3.14159265358979323846
/* Where something happens so many pieces go by before a leap is tried again. */
#define PIECES 8

static wpin_period *period_for(wpin_plant *plant, const wpin_pattern *pattern) {
    bool known;
    wpin_period *slot = wpin_plant_solved(plant, pattern, &known);
    if (!known) {
        wpin_period_make(plant, pattern, 0, slot);
    }
    return slot;
}

static wpin_onward look_on(const wpin_plant *plant, const wpin_period *p, double v) {
    const wpin_row *amps = &p->whole.amps, *speed = &p->whole.speed;
    wpin_onward o = {.i = plant->amps, .w = plant->speed, .v = v};
    o.step_i = wpin_row_value(amps, o.i, o.w, v) - o.i;
    o.step_w = wpin_row_value(speed, o.i, o.w, v) - o.w;
    o.change_i = (amps->i - 1) * o.step_i + amps->w * o.step_w;
    o.change_w = speed->i * o.step_i + (speed->w - 1) * o.step_w;
    return o;
}

static inline double amps_of(const wpin_onward *o, wpin_steps s) {
    return s.first * o->step_i + s.change * o->change_i;
}

static inline double speed_of(const wpin_onward *o, wpin_steps s) {
    return s.first * o->step_w + s.change * o->change_w;
}

/* The range a current stays in over the periods, at its edges. There it is a constant and two
 * exponentials, or a wave of less than half a turn: its steps change sign once at the most. If the
 * first and the last step have one sign it only rises or only falls, and lies between the first and
 * the last. False if they have not. */
static bool find_range(const wpin_period *p, const wpin_onward *o, double *least, double *most) {
    const wpin_periods *n = &p->several;
    const double on_i = amps_of(o, n->last), on_w = speed_of(o, n->last);
    const double then_i = amps_of(o, n->before_last), then_w = speed_of(o, n->before_last);
    const int whole = p->pattern.count - 1; /* the end of its last segment is that of it all */
    double low = o->i, high = low;
    for (int s = 0; s <= whole; s++) {
        const wpin_row *end = &p->ends[s];
        double a = s == whole ? o->i + o->step_i : wpin_row_value(end, o->i, o->w, o->v), b = a;
        if (n->count > 1) {
            b += end->i * on_i + end->w * on_w;
            double up = end->i * o->step_i + end->w * o->step_w;
            double then = end->i * then_i + end->w * then_w;
            if (up * then < 0 && fabs(up) + fabs(then) > 1e-13 * fabs(o->i)) {
                return false;
            }
        }
        const double smaller = a < b ? a : b, larger = a < b ? b : a;
        low = smaller < low ? smaller : low;
        high = larger > high ? larger : high;
    }
    *least = low;
    *most = high;
    return true;
}

/* Whether nothing can happen in these periods; the range the current stays in. */
static bool quiet(const wpin_plant *plant, const wpin_period *p, const wpin_onward *o,
                  double *least, double *most) {
    if (p->turn * p->several.count > HALF_TURN || !find_range(p, o, least, most)) {
        return false;
    }
    bool may_stop = p->one_way && !(o->i > 0 ? *least > 0 : *most < 0);
    if (may_stop && (*least != 0 || *most != 0)) {
        return false;
    }
    double size = *most > -*least ? *most : -*least, torque = plant->motor.constant * size;
    if (size > plant->over_limit) {
        return false;
    }
    if (o->w == 0) {
        return torque <= plant->torque_hold;
    }
    double against =
        torque + (plant->viscous + plant->quadratic * fabs(o->w)) * fabs(o->w) + plant->torque_move;
    return against * p->seconds * p->several.count < fabs(o->w) * plant->inertia;
}

bool wpin_plant_within_stops(const wpin_plant *plant, double angle) {
    return !plant->has_stops || (angle < plant->high_angle && angle > plant->low_angle);
}

static double over(const wpin_row *r, const wpin_begun *b) {
    return r->i * b->i + r->w * b->w + b->count * (r->v * b->v + r->c);
}

static void take_heat(wpin_plant *plant, const wpin_period *p, const wpin_onward *o,
                      const wpin_begun *b) {
    const wpin_periods *n = &p->several;
    double i = b->i - b->count * o->i, w = b->w - b->count * o->w; /* beyond the first */
    double ff = n->first_squares, cc = n->change_squares, fc = n->products;
    double ii = o->i * (b->i + i) + ff * o->step_i * o->step_i + 2 * fc * o->step_i * o->change_i +
                cc * o->change_i * o->change_i;
    double ww = o->w * (b->w + w) + ff * o->step_w * o->step_w + 2 * fc * o->step_w * o->change_w +
                cc * o->change_w * o->change_w;
    double iw = o->i * b->w + o->w * i + ff * o->step_i * o->step_w +
                fc * (o->step_i * o->change_w + o->step_w * o->change_i) +
                cc * o->change_i * o->change_w;
    const wpin_quad *of[] = {&p->whole.squares, &p->whole.lost};
    double *to[] = {&plant->squares, &plant->lost};
    for (int k = 0; k < 2; k++) {
        const wpin_quad *q = of[k];
        *to[k] += q->ii * ii + q->iw * iw + q->ww * ww + b->i * (q->iv * b->v + q->ic) +
                  b->w * (q->wv * b->v + q->wc) +
                  b->count * (b->v * (q->vv * b->v + q->vc) + q->cc);
    }
    plant->sizes += over(&p->whole.sizes, b);
    plant->diodes[0] += over(&p->whole.diode_sizes, b);
}

static void take(wpin_plant *plant, const wpin_period *p, const wpin_onward *o, const wpin_begun *b,
                 double rads) {
    const wpin_periods *n = &p->several;
    double drawn = over(&p->whole.sum_drawn, b);
    wpin_sums *s = &plant->sums;
    s->time += p->seconds * n->count;
    s->amps += over(&p->whole.sum_amps, b);
    s->rads += rads;
    s->supply_amps += drawn;
    plant->charge += drawn;
    plant->angle += rads;
    if (plant->heats) {
        take_heat(plant, p, o, b);
    }
    plant->amps = o->i + amps_of(o, n->end);
    plant->speed = o->w == 0 ? 0 : o->w + speed_of(o, n->end);
    if (plant->feed.sense_filter > 0) {
        wpin_begun weighed = {n->weighed * o->i + amps_of(o, n->sensed),
                              n->weighed * o->w + speed_of(o, n->sensed), o->v, n->weighed};
        plant->sense_amps = n->sense_keep * plant->sense_amps + over(&p->whole.sense, &weighed);
    } else {
        plant->sense_amps = plant->amps;
    }
}

static wpin_begun sum_begins(const wpin_periods *n, const wpin_onward *o) {
    return (wpin_begun){n->count * o->i + amps_of(o, n->begins),
                        n->count * o->w + speed_of(o, n->begins), o->v, n->count};
}

/* How it goes on with a fan: its torque first as it is now, then as it is at the mean speed that
 * follows from that. False where that is too far off. */
static bool look_on_with_fan(const wpin_plant *plant, wpin_fan_kept *fan, wpin_onward *o) {
    const wpin_period *p = &fan->now;
    wpin_fan_turn(plant, fan, plant->speed);
    *o = look_on(plant, p, o->v);
    wpin_begun b = sum_begins(&p->several, o);
    double mean = over(&p->whole.sum_speed, &b) / (p->seconds * p->several.count);
    wpin_fan_turn(plant, fan, mean);
    *o = look_on(plant, p, o->v);
    return wpin_fan_is_even(plant, mean);
}

int wpin_plant_look_over(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods,
                         wpin_leap *leap) {
    wpin_fan_kept *fan =
        plant->quadratic != 0 && plant->speed != 0 ? wpin_fan_find(plant, pattern) : NULL;
    wpin_period *p = fan != NULL ? &fan->now : period_for(plant, pattern);
    wpin_onward *o = &leap->onward;
    *o = look_on(plant, p, wpin_feed_volts(&plant->feed));
    leap->period = p;
    leap->least = leap->most = plant->amps;
    int n = most_periods < WPIN_PERIODS_MOST ? (int)most_periods : WPIN_PERIODS_MOST;
    n = fan != NULL ? wpin_fan_most(fan, n) : n;
    for (; n > 0; n /= 2) {
        if (p->several.count != n) {
            wpin_periods_make(p, n, plant->heats || plant->feed.sense_filter > 0);
        }
        if ((fan != NULL && !look_on_with_fan(plant, fan, o)) ||
            !quiet(plant, p, o, &leap->least, &leap->most)) {
            continue;
        }
        leap->begun = sum_begins(&p->several, o);
        leap->rads = over(&p->whole.sum_speed, &leap->begun);
        if (wpin_plant_within_stops(plant, plant->angle + leap->rads)) {
            return n;
        }
    }
    return 0;
}

void wpin_plant_leap_over(wpin_plant *plant, const wpin_leap *leap) {
    wpin_sums *s = &plant->sums;
    take(plant, leap->period, &leap->onward, &leap->begun, leap->rads);
    s->least_amps = leap->least < s->least_amps ? leap->least : s->least_amps;
    s->most_amps = leap->most > s->most_amps ? leap->most : s->most_amps;
    plant->over_time = plant->over_peak = 0;
}

int wpin_plant_leap(wpin_plant *plant, const wpin_pattern *pattern, int64_t most_periods) {
    wpin_leap leap;
    int n = wpin_plant_look_over(plant, pattern, most_periods, &leap);
    if (n > 0) {
        wpin_plant_leap_over(plant, &leap);
    }
    return n;
}

/* Legs that stay as they are are periods with one circuit: for how long nothing happens, ps; 0
 * where that is not worth it. */
static int64_t stay(wpin_plant *plant, int64_t dt) {
    const int few = 3;
    const int64_t piece = plant->piece_max;
    bool both = plant->leg_a == WPIN_LEG_BOTH || plant->leg_b == WPIN_LEG_BOTH;
    if (dt < few * piece || both || plant->feed.most_amps > 0 || plant->feed.share != 1) {
        return 0;
    }
    const int number = wpin_plant_find_piece(plant, piece)->number;
    const wpin_pattern still = {.count = 1, .number = {(uint16_t)number}, .dt = {piece}};
    return piece * wpin_plant_leap(plant, &still, dt / piece);
}

void wpin_motor_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        dt -= stay(plant, dt);
        int64_t by_pieces = PIECES * plant->piece_max;
        by_pieces = dt < by_pieces ? dt : by_pieces;
        wpin_winding_advance(plant, by_pieces);
        dt -= by_pieces;
    }
}
