/* A brushless motor through time. Most of it goes in short pieces (walk.c); what is left, piece by
 * piece, each as a power series (phases.c), cut where a diode runs dry or opens, the emf comes to a
 * corner, the shaft stops or breaks loose. */
#include "../crossing.h"
#include "../currents.h"
#include "../delta.h"
#include <math.h>
#include <string.h>

#define PS     1e-12
#define PI     3.14159265358979323846
#define PHASES WPIN_PHASES
/* Longest piece: the rotor turns by less than this, in electrical radians. */
#define TURN_MOST 0.25
/* Past a place by this, so that the next piece is another. */
#define HAIR 1e-12

static int sign_of(double value) {
    return value > 0 ? 1 : (value < 0 ? -1 : 0);
}

/* ---- the circuit ---- */

static wpin_leg_state leg_of(const wpin_plant *plant, int x) {
    return x == 0 ? plant->leg_a : (x == 1 ? plant->leg_b : plant->leg_c);
}

static bool is_open(const wpin_plant *plant, int x) {
    return plant->burnt || (x == 0 && plant->lead_off);
}

static void conduct(const wpin_plant *plant, wpin_circuit *c, int x, int way) {
    c->way[x] = way;
    c->count++;
    c->tie[x] = wpin_plant_tie(&plant->feed, leg_of(plant, x), false, way);
}

/* By how much a phase that floats at some volts is above the diode to the supply, or below the one
 * to ground; the sign of the current that opens one, out of its leg. */
static double beyond(const wpin_plant *plant, double volts, double top, int *way) {
    double above = volts - top - plant->feed.diode_volts;
    double below = -volts - plant->feed.diode_volts;
    *way = above > below ? -1 : 1;
    return above > below ? above : below;
}

/* Nothing conducts: the emf between two phases may drive a current through two diodes. */
static void open_by_emf(const wpin_plant *plant, wpin_circuit *c, const double *emf) {
    int most = 0, least = 0;
    for (int x = 1; x < PHASES; x++) {
        most = emf[x] > emf[most] ? x : most;
        least = emf[x] < emf[least] ? x : least;
    }
    double needed = wpin_feed_volts(&plant->feed) + 2 * plant->feed.diode_volts;
    if (emf[most] - emf[least] > needed && !is_open(plant, most) && !is_open(plant, least)) {
        conduct(plant, c, most, -1);
        conduct(plant, c, least, 1);
    }
}

/* Diodes that open at once, the one furthest beyond first. */
static void open_diodes(const wpin_plant *plant, wpin_circuit *c, const wpin_instant *now) {
    double emf[PHASES];
    wpin_phases_emf(plant, c, now, emf);
    if (c->count == 0) {
        open_by_emf(plant, c, emf);
    }
    for (int more = 0; more < PHASES && c->count > 0 && c->count < PHASES; more++) {
        double star = wpin_phases_star(c, now, emf), furthest = 1e-9;
        double top = wpin_feed_volts(&plant->feed) - c->rail_ohms * wpin_phases_drawn(c, now->amps);
        int opens = -1, way = 0;
        for (int x = 0; x < PHASES; x++) {
            int sign;
            double by = beyond(plant, star + emf[x], top, &sign);
            if (c->way[x] == 0 && by > furthest && !is_open(plant, x)) {
                furthest = by;
                opens = x;
                way = sign;
            }
        }
        if (opens < 0) {
            return;
        }
        conduct(plant, c, opens, way);
    }
}

/* What would turn a shaft at rest. */
static double pull(const wpin_plant *plant, const wpin_circuit *c, const wpin_instant *i) {
    return wpin_phases_torque(plant, c, i) + wpin_phases_cogging(plant, i->turned);
}

static int find_turns(const wpin_plant *plant, double torque) {
    if (plant->speed != 0) {
        return sign_of(plant->speed);
    }
    bool held = fabs(torque) <= plant->torque_hold || wpin_plant_against_stop(plant, torque);
    return held ? 0 : sign_of(torque);
}

/* What does not depend on which phases conduct. */
static void set_circuit(const wpin_plant *plant, double turned, wpin_circuit *c) {
    const wpin_part_motor *m = &plant->motor;
    const wpin_feed *f = &plant->feed;
    wpin_shape shape = {.begin = NAN, .delta = m->delta};
    wpin_phases_sector(turned, &shape);
    *c = (wpin_circuit){.ohms = m->resistance / 2,
                        .henry = m->inductance / 2,
                        .constant = plant->lead_constant,
                        .rail_ohms = f->resistance * f->share * f->share,
                        .sector = shape.sector,
                        .begin = shape.begin,
                        .leads = wpin_phases_sides(m->delta, shape.sector)};
}

static wpin_shape shape_of(const wpin_plant *plant, const wpin_circuit *c) {
    return (wpin_shape){.at = plant->angle, .sector = c->sector, .begin = c->begin};
}

static void find_circuit(const wpin_plant *plant, const wpin_instant *now, wpin_circuit *c) {
    set_circuit(plant, now->turned, c);
    for (int x = 0; x < PHASES; x++) {
        int way = sign_of(now->amps[x]);
        c->diode[x] = leg_of(plant, x) == WPIN_LEG_OFF;
        if (!is_open(plant, x) && (!c->diode[x] || way != 0)) {
            conduct(plant, c, x, way != 0 ? way : 1);
        }
    }
    if (c->count < PHASES) {
        open_diodes(plant, c, now);
    }
    double torque = plant->speed != 0 ? 0 : pull(plant, c, now);
    c->turns = find_turns(plant, torque);
}

/* ---- where a piece ends ---- */

typedef enum cut { CUT_NONE, CUT_DRY, CUT_OPENS, CUT_CORNER, CUT_SHAFT, CUT_LOOSE } cut;

typedef struct ending {
    cut what;
    int phase, way;
    double t;
} ending;

/* What a cut goes by at an instant: below zero once it is due. */
static double left_of(const wpin_plant *plant, const wpin_circuit *c, const ending *e,
                      const wpin_instant *i) {
    switch (e->what) {
    case CUT_DRY: return c->way[e->phase] * i->amps[e->phase];
    case CUT_OPENS: {
        double emf[PHASES];
        wpin_phases_emf(plant, c, i, emf);
        double volts = wpin_phases_star(c, i, emf) + emf[e->phase];
        double top = wpin_feed_volts(&plant->feed) - c->rail_ohms * wpin_phases_drawn(c, i->amps);
        double diode = plant->feed.diode_volts;
        return e->way > 0 ? volts + diode : top + diode - volts;
    }
    case CUT_CORNER:
        return c->turns > 0 ? c->begin + WPIN_SECTOR - i->turned : i->turned - c->begin;
    case CUT_SHAFT: return c->turns * i->speed;
    case CUT_LOOSE: {
        double torque = pull(plant, c, i);
        return wpin_plant_against_stop(plant, torque) ? 1 : plant->torque_hold - fabs(torque);
    }
    case CUT_NONE: break;
    }
    return 1;
}

/* A cut along a piece. */
typedef struct along {
    const wpin_plant *plant;
    const wpin_circuit *c;
    const wpin_course *p;
    const ending *e;
} along;

static double left_after(const void *what, double t) {
    const along *a = what;
    const wpin_instant then = wpin_course_at(a->c, a->p, t);
    return left_of(a->plant, a->c, a->e, &then);
}

typedef struct search {
    const wpin_plant *plant;
    const wpin_circuit *c;
    const wpin_course *p;
    const wpin_instant *first;
    wpin_instant last; /* at the earliest end so far */
    ending end;
} search;

static void look_for(search *s, cut what, int phase, int way) {
    ending e = {.what = what, .phase = phase, .way = way, .t = s->end.t};
    if (left_of(s->plant, s->c, &e, &s->last) >= 0) {
        return;
    }
    const along a = {s->plant, s->c, s->p, &e};
    e.t = wpin_crosses(left_after, &a, s->end.t);
    s->end = e;
    s->last = wpin_course_at(s->c, s->p, e.t);
}

/* The first of all that ends a piece of so many seconds. */
static void find_ending(search *s, double seconds) {
    const wpin_circuit *c = s->c;
    s->end = (ending){.what = CUT_NONE, .t = seconds};
    s->last = wpin_course_at(c, s->p, seconds);
    for (int x = 0; x < PHASES; x++) {
        if (c->way[x] != 0 && c->diode[x]) {
            look_for(s, CUT_DRY, x, 0);
        } else if (c->way[x] == 0 && c->count > 0 && !is_open(s->plant, x)) {
            look_for(s, CUT_OPENS, x, 1);
            look_for(s, CUT_OPENS, x, -1);
        }
    }
    if (c->turns == 0) {
        look_for(s, CUT_LOOSE, 0, 0);
        return;
    }
    look_for(s, CUT_SHAFT, 0, 0);
    if (!s->plant->motor.sinusoidal) {
        look_for(s, CUT_CORNER, 0, 0);
    }
}

/* ---- moving on ---- */

/* The two or three currents as the one that heats two leads as much, signed by the torque they
 * make. */
static void tally(wpin_plant *plant, const search *s, double t) {
    wpin_flow flow = {.tie = s->c->tie};
    double last = 0, drawn = 0, sign = s->p->torque < 0 ? -1 : 1;
    for (int x = 0; x < PHASES; x++) {
        if (s->c->way[x] != 0) {
            flow.begin[x] = s->first->amps[x];
            flow.end[x] = s->last.amps[x];
            flow.charge[x] = wpin_course_charge(s->p, x, t);
            drawn += s->c->tie[x].rail * flow.charge[x];
            last = fmax(last, fabs(flow.end[x]));
        }
    }
    if (plant->heats) {
        wpin_flow_losses(plant, &flow, t);
    }
    plant->amps = sign * last;
    wpin_plant_tally(plant, t, sign * sqrt(wpin_flow_squares(&flow) / 6), plant->amps,
                     drawn * plant->feed.share);
}

static void move(wpin_plant *plant, const search *s, double t) {
    plant->rate = NAN;
    tally(plant, s, t);
    double turns = wpin_course_turns(s->p, t);
    plant->angle += turns;
    plant->sums.rads += turns;
    plant->speed = s->last.speed;
    memcpy(plant->phase_amps, s->last.amps, sizeof plant->phase_amps);
    plant->rail_amps = wpin_phases_drawn(s->c, s->last.amps);
    if (plant->has_stops) {
        wpin_plant_meet_stop(plant);
    }
}

/* What one phase no longer carries: what goes in at one of the others comes out at the other. */
static void empty(wpin_plant *plant, int phase) {
    double *amps = plant->phase_amps;
    int one = (phase + 1) % PHASES, other = (phase + 2) % PHASES;
    amps[one] = (amps[one] - amps[other]) / 2;
    amps[other] = -amps[one];
    amps[phase] = 0;
}

/* Puts the quantity that ended a piece exactly where it ended, or a hair past it. */
static void settle(wpin_plant *plant, const wpin_circuit *c, const ending *end) {
    switch (end->what) {
    case CUT_DRY:
        empty(plant, end->phase);
        if (c->count < PHASES) {
            memset(plant->phase_amps, 0, sizeof plant->phase_amps);
        }
        break;
    case CUT_CORNER:
        plant->angle = (c->begin + (c->turns > 0 ? WPIN_SECTOR : 0)) / plant->motor.pole_pairs +
                       c->turns * 100 * HAIR;
        break;
    case CUT_SHAFT: plant->speed = 0; break;
    case CUT_LOOSE: {
        wpin_instant now = {.turned = plant->motor.pole_pairs * plant->angle};
        memcpy(now.amps, plant->phase_amps, sizeof now.amps);
        plant->speed = copysign(HAIR, pull(plant, c, &now));
        break;
    }
    case CUT_OPENS:
    case CUT_NONE: break;
    }
}

/* Currents that sum to nothing never go one way all: what does is left by rounding. */
static void forget_rounding(wpin_plant *plant) {
    const double *amps = plant->phase_amps;
    double least = fmin(fmin(amps[0], amps[1]), amps[2]);
    double most = fmax(fmax(amps[0], amps[1]), amps[2]);
    if (least >= 0 || most <= 0) {
        memset(plant->phase_amps, 0, sizeof plant->phase_amps);
    }
}

/* What went round in a delta, by the mean of the speeds at both ends. */
static void went_round(wpin_plant *plant, const wpin_circuit *c, const wpin_shape *shape,
                       double speed, double h) {
    wpin_round round = wpin_delta_round(plant, shape, (speed + plant->speed) / 2, h);
    wpin_delta_keep(plant, &round);
    plant->speed += c->turns != 0 ? (round.torque - c->goes_round) / plant->inertia * h : 0;
}

static int64_t advance_piece(wpin_plant *plant, int64_t dt) {
    wpin_step step = {{plant->leg_a, plant->leg_b, plant->leg_c}, dt};
    int64_t gone = wpin_brushless_walk(plant, &step, 1, 1);
    if (gone > 0) {
        return gone;
    }
    forget_rounding(plant);
    wpin_instant first = {.speed = plant->speed, .turned = plant->motor.pole_pairs * plant->angle};
    memcpy(first.amps, plant->phase_amps, sizeof first.amps);
    wpin_circuit c;
    wpin_course p;
    find_circuit(plant, &first, &c);
    const wpin_shape shape = shape_of(plant, &c);
    if (wpin_goes_round(plant)) {
        c.goes_round = wpin_delta_round(plant, &shape, plant->speed, (double)dt * PS).torque;
    }
    wpin_course_make(plant, &c, &first, (double)dt * PS, &p);
    search s = {.plant = plant, .c = &c, .p = &p, .first = &first};
    find_ending(&s, (double)dt * PS);
    int64_t part = dt;
    if (s.end.what != CUT_NONE) {
        part = (int64_t)(s.end.t / PS) + (s.end.what == CUT_OPENS ? WPIN_OPENS_LATE_PS : 0);
        part = part < 1 ? 1 : (part > dt ? dt : part);
        s.last = wpin_course_at(&c, &p, (double)part * PS);
    }
    move(plant, &s, (double)part * PS);
    if (wpin_goes_round(plant)) {
        went_round(plant, &c, &shape, first.speed, (double)part * PS);
    }
    settle(plant, &c, &s.end);
    return part;
}

/* Off and at rest: nothing moves but time. */
static bool sleeps(const wpin_plant *plant) {
    const double *amps = plant->phase_amps;
    double cogging = wpin_phases_cogging(plant, plant->motor.pole_pairs * plant->angle);
    return plant->speed == 0 && fabs(cogging) <= plant->torque_hold &&
           plant->leg_a == WPIN_LEG_OFF && plant->leg_b == WPIN_LEG_OFF &&
           plant->leg_c == WPIN_LEG_OFF && amps[0] == 0 && amps[1] == 0 && amps[2] == 0;
}

void wpin_brushless_advance(wpin_plant *plant, int64_t dt) {
    if (sleeps(plant)) {
        plant->round_amps = 0;
        wpin_plant_tally(plant, (double)dt * PS, 0, 0, 0);
        return;
    }
    while (dt > 0) {
        double rate = wpin_phases_rate(plant, plant->speed);
        double most = rate > 0 ? TURN_MOST / rate / PS : (double)plant->piece_max;
        int64_t longest = most < (double)plant->piece_max ? (int64_t)most + 1 : plant->piece_max;
        dt -= advance_piece(plant, dt < longest ? dt : longest);
    }
}

void wpin_brushless_phases(const wpin_plant *plant, wpin_part_phases *to) {
    wpin_instant now = {.speed = plant->speed, .turned = plant->motor.pole_pairs * plant->angle};
    memcpy(now.amps, plant->phase_amps, sizeof now.amps);
    wpin_circuit c;
    set_circuit(plant, now.turned, &c);
    double degrees = now.turned * 180 / PI;
    to->degrees = degrees - 360 * floor(degrees / 360);
    memcpy(to->amps, now.amps, sizeof to->amps);
    wpin_phases_emf(plant, &c, &now, to->emf);
    const wpin_shape shape = shape_of(plant, &c);
    to->torque = wpin_phases_torque(plant, &c, &now) + wpin_delta_torque(plant, &shape);
}

void wpin_brushless_leads(const wpin_plant *plant, double volts[PHASES]) {
    wpin_instant now = {.speed = plant->speed, .turned = plant->motor.pole_pairs * plant->angle};
    memcpy(now.amps, plant->phase_amps, sizeof now.amps);
    wpin_circuit c;
    double emf[PHASES];
    find_circuit(plant, &now, &c);
    wpin_phases_emf(plant, &c, &now, emf);
    double star = c.count > 0 ? wpin_phases_star(&c, &now, emf) : 0;
    double sag = c.rail_ohms * wpin_phases_drawn(&c, now.amps);
    for (int x = 0; x < PHASES; x++) {
        const wpin_tie *tie = &c.tie[x];
        volts[x] = c.way[x] != 0 ? tie->volts - tie->rail * sag - tie->resistance * now.amps[x]
                                 : star + emf[x];
    }
    if (plant->lead_off && leg_of(plant, 0) == WPIN_LEG_OFF) {
        volts[0] = (volts[1] + volts[2]) / 2; /* only the neutral point's resistors are there */
    }
}

void wpin_brushless_lead(wpin_plant *plant, bool off) {
    if (off && plant->phase_amps[0] != 0) {
        empty(plant, 0);
    }
    plant->lead_off = off;
}
