/* A brushless motor: three windings in a star and a magnet with p pole pairs,
 *     L di_x/dt = v_x - v_n - R i_x - e_x      e_x = k w f(p a - x 120 deg)
 *     J dw/dt = k sum f_x i_x - B w - T        i_a + i_b + i_c = 0
 * for the phases that conduct: through a switch, or through the diode their current opens (e.g.
 * Krishnan, "Permanent Magnet Synchronous and Brushless DC Motor Drives", ch. 9). While legs and
 * diodes stay as they are, everything is a power series in time; the piece ends where a diode runs
 * dry or opens, the emf comes to a corner, the shaft stops or breaks loose. */
#include "plant.h"
#include <math.h>
#include <string.h>

#define PS     1e-12
#define PI     3.14159265358979323846
#define PHASES 3
#define ORDER  7
/* Longest piece: the rotor turns by less than this, in electrical radians. */
#define TURN_MOST 0.25
/* From zero to the flat top, electrical rad. */
#define RAMP (PI / 6)
/* A diode opens by so much late: then it is seen to be open. */
#define OPENS_LATE_PS 1000

/* c[k] t^k */
typedef struct series {
    double c[ORDER + 1];
} series;

/* What is as it is for the length of a piece. */
typedef struct circuit {
    wpin_tie tie[PHASES];
    int way[PHASES];    /* 0: it does not conduct; of a diode the sign of its current */
    bool diode[PHASES]; /* by its leg, which is off */
    int count;          /* of those that conduct */
    int turns;          /* sign of the speed; 0: it is held */
    double winding_ohms, winding_henry, constant; /* of one phase */
    double rail_ohms;
} circuit;

/* The piece itself. */
typedef struct course {
    series amps[PHASES], shape[PHASES], emf[PHASES], neutral, supply, speed, angle, torque;
} course;

static double at(const series *s, double t) {
    double y = s->c[ORDER];
    for (int k = ORDER - 1; k >= 0; k--) {
        y = y * t + s->c[k];
    }
    return y;
}

/* Its integral from 0 to t. */
static double sum_to(const series *s, double t) {
    double y = s->c[ORDER] / (ORDER + 1);
    for (int k = ORDER - 1; k >= 0; k--) {
        y = y * t + s->c[k] / (k + 1);
    }
    return y * t;
}

static double product(const series *a, const series *b, int k) {
    double sum = 0;
    for (int j = 0; j <= k; j++) {
        sum += a->c[j] * b->c[k - j];
    }
    return sum;
}

/* ---- the shape of the emf ---- */

/* Sectors of 60 degrees from 30 degrees on: in each, two phases are on their flat tops. */
static const int tops[6][PHASES] = {{1, -1, 0}, {1, 0, -1}, {0, 1, -1},
                                    {-1, 1, 0}, {-1, 0, 1}, {0, -1, 1}};

static int sector_of(double turned) {
    double sector = floor((turned - PI / 6) / (PI / 3));
    return (int)(sector - 6 * floor(sector / 6));
}

static void begin_shape(const wpin_plant *plant, course *c, double turned) {
    if (plant->motor.sinusoidal) {
        for (int x = 0; x < PHASES; x++) {
            c->shape[x].c[0] = sin(turned - x * 2 * PI / 3);
        }
        return;
    }
    int sector = sector_of(turned);
    double middle = PI / 6 + (floor((turned - PI / 6) / (PI / 3)) + 0.5) * (PI / 3);
    double ramp = (sector % 2 == 0 ? -1 : 1) * (turned - middle) / RAMP;
    for (int x = 0; x < PHASES; x++) {
        c->shape[x].c[0] = tops[sector][x] != 0 ? tops[sector][x] : ramp;
    }
}

/* The next term of each shape; cosines, the derivatives of sines, come from the other two. */
static void next_shape(const wpin_plant *plant, course *c, double turned, int k) {
    if (plant->motor.sinusoidal) {
        double poles = plant->motor.pole_pairs;
        for (int x = 0; x < PHASES; x++) {
            const series *one = &c->shape[(x + 2) % PHASES], *other = &c->shape[(x + 1) % PHASES];
            double sum = 0; /* cos(x) = (sin(x + 120) - sin(x - 120)) / sqrt(3) */
            for (int j = 0; j <= k; j++) {
                sum += (one->c[j] - other->c[j]) * c->speed.c[k - j];
            }
            c->shape[x].c[k + 1] = sum * poles / sqrt(3) / (k + 1);
        }
        return;
    }
    int sector = sector_of(turned);
    double slope = (sector % 2 == 0 ? -1 : 1) / RAMP;
    for (int x = 0; x < PHASES; x++) {
        c->shape[x].c[k + 1] = tops[sector][x] != 0 ? 0 : slope * c->angle.c[k + 1];
    }
}

/* ---- the circuit ---- */

static wpin_leg_state leg_of(const wpin_plant *plant, int x) {
    return x == 0 ? plant->leg_a : (x == 1 ? plant->leg_b : plant->leg_c);
}

static bool is_open(const wpin_plant *plant, int x) {
    return plant->burnt || (x == 0 && plant->lead_off);
}

static void conduct(const wpin_plant *plant, circuit *c, int x, int way) {
    c->way[x] = way;
    c->count++;
    c->tie[x] = wpin_plant_tie(&plant->feed, leg_of(plant, x), false, way);
}

/* Voltage of the star point at the begin, from those that conduct. */
static double star_volts(const wpin_plant *plant, const circuit *c, const double *emf) {
    double drawn = 0, sum = 0;
    for (int x = 0; x < PHASES; x++) {
        drawn += c->way[x] != 0 ? c->tie[x].rail * plant->phase_amps[x] : 0;
    }
    for (int x = 0; x < PHASES; x++) {
        if (c->way[x] != 0) {
            double ohms = c->tie[x].resistance + c->winding_ohms;
            sum += c->tie[x].volts - c->tie[x].rail * c->rail_ohms * drawn -
                   ohms * plant->phase_amps[x] - emf[x];
        }
    }
    return sum / c->count;
}

/* By how much a phase that does not conduct is above the diode to the supply, or below the one to
 * ground; the sign of the current that opens one, out of its leg. */
static double beyond(const wpin_plant *plant, double volts, double drawn, double rail_ohms,
                     int *way) {
    double top = wpin_feed_volts(&plant->feed) - rail_ohms * drawn;
    double above = volts - top - plant->feed.diode_volts;
    double below = -volts - plant->feed.diode_volts;
    *way = above > below ? -1 : 1;
    return fmax(above, below);
}

/* Nothing conducts: the emf between two phases may drive a current through two diodes. */
static void open_by_emf(const wpin_plant *plant, circuit *c, const double *emf) {
    int most = 0, least = 0;
    for (int x = 1; x < PHASES; x++) {
        most = emf[x] > emf[most] ? x : most;
        least = emf[x] < emf[least] ? x : least;
    }
    double needed = wpin_feed_volts(&plant->feed) + 2 * plant->feed.diode_volts;
    if (emf[most] - emf[least] > needed && !is_open(plant, most) && !is_open(plant, least)) {
        conduct(plant, c, most, -1);
        conduct(plant, c, least, 1);
        c->diode[most] = c->diode[least] = true;
    }
}

/* Diodes that open at once, the one furthest beyond first. */
static void open_diodes(const wpin_plant *plant, circuit *c, const double *emf) {
    if (c->count == 0) {
        open_by_emf(plant, c, emf);
    }
    for (int more = 0; more < PHASES && c->count > 0 && c->count < PHASES; more++) {
        double star = star_volts(plant, c, emf), drawn = 0, furthest = 0;
        int opens = -1, way = 0;
        for (int x = 0; x < PHASES; x++) {
            drawn += c->way[x] != 0 ? c->tie[x].rail * plant->phase_amps[x] : 0;
        }
        for (int x = 0; x < PHASES; x++) {
            int sign;
            double by = beyond(plant, star + emf[x], drawn, c->rail_ohms, &sign);
            if (c->way[x] == 0 && !is_open(plant, x) && by > furthest + 1e-9) {
                furthest = by;
                opens = x;
                way = sign;
            }
        }
        if (opens < 0) {
            return;
        }
        conduct(plant, c, opens, way);
        c->diode[opens] = true;
    }
}

static double torque_now(const wpin_plant *plant, const circuit *c, const course *p) {
    double sum = 0;
    for (int x = 0; x < PHASES; x++) {
        sum += p->shape[x].c[0] * plant->phase_amps[x];
    }
    return c->constant * sum;
}

static int sign_of(double value) {
    return value > 0 ? 1 : (value < 0 ? -1 : 0);
}

static int find_turns(const wpin_plant *plant, double torque) {
    if (plant->speed != 0) {
        return sign_of(plant->speed);
    }
    bool held = fabs(torque) <= plant->torque_hold || wpin_plant_against_stop(plant, torque);
    return held ? 0 : sign_of(torque);
}

static circuit find_circuit(const wpin_plant *plant, const course *p) {
    const wpin_sim_motor *m = &plant->motor;
    const wpin_feed *f = &plant->feed;
    circuit c = {.winding_ohms = m->resistance / 2,
                 .winding_henry = m->inductance / 2,
                 .constant = m->constant / (m->sinusoidal ? sqrt(3) : 2),
                 .rail_ohms = f->resistance * f->share * f->share};
    double emf[PHASES];
    for (int x = 0; x < PHASES; x++) {
        int way = sign_of(plant->phase_amps[x]);
        bool off = leg_of(plant, x) == WPIN_LEG_OFF;
        emf[x] = c.constant * p->shape[x].c[0] * plant->speed;
        c.diode[x] = off && way != 0;
        if (!is_open(plant, x) && (!off || way != 0)) {
            conduct(plant, &c, x, way != 0 ? way : 1);
        }
    }
    open_diodes(plant, &c, emf);
    c.turns = find_turns(plant, torque_now(plant, &c, p));
    return c;
}

/* ---- the piece ---- */

/* The terms of order k of what follows from currents, speed and angle. */
static void add_terms(const circuit *c, course *p, int k) {
    double star = 0, supply = 0, torque = 0, left[PHASES] = {0};
    for (int x = 0; x < PHASES; x++) {
        p->emf[x].c[k] = c->constant * product(&p->shape[x], &p->speed, k);
        torque += c->constant * product(&p->shape[x], &p->amps[x], k);
        supply += c->way[x] != 0 ? c->tie[x].rail * p->amps[x].c[k] : 0;
    }
    for (int x = 0; x < PHASES; x++) {
        double volts = (k == 0 ? c->tie[x].volts : 0) - c->tie[x].rail * c->rail_ohms * supply;
        left[x] =
            volts - (c->tie[x].resistance + c->winding_ohms) * p->amps[x].c[k] - p->emf[x].c[k];
        star += c->way[x] != 0 ? left[x] : 0;
    }
    p->neutral.c[k] = c->count > 0 ? star / c->count : 0;
    p->supply.c[k] = supply;
    p->torque.c[k] = torque;
    for (int x = 0; x < PHASES && k < ORDER; x++) {
        bool flows = c->way[x] != 0 && c->count > 1;
        p->amps[x].c[k + 1] =
            flows ? (left[x] - p->neutral.c[k]) / (c->winding_henry * (k + 1)) : 0;
    }
}

static void make_course(const wpin_plant *plant, const circuit *c, course *p, double turned) {
    double poles = plant->motor.pole_pairs;
    p->speed.c[0] = plant->speed;
    for (int k = 0; k <= ORDER; k++) {
        add_terms(c, p, k);
        if (k < ORDER) {
            double drag = plant->viscous * p->speed.c[k] +
                          (k == 0 ? c->turns * plant->torque_move : 0) +
                          c->turns * plant->quadratic * product(&p->speed, &p->speed, k);
            p->speed.c[k + 1] =
                c->turns == 0 ? 0 : (p->torque.c[k] - drag) / (plant->inertia * (k + 1));
            p->angle.c[k + 1] = poles * p->speed.c[k] / (k + 1);
            next_shape(plant, p, turned, k);
        }
    }
}

/* ---- where it ends ---- */

typedef enum cut { CUT_NONE, CUT_DRY, CUT_OPENS, CUT_CORNER, CUT_SHAFT, CUT_LOOSE } cut;

typedef struct ending {
    cut what;
    int phase;
    double t;
    double corner; /* electrical rad */
} ending;

/* side x (y + by) is above zero at first; where it no longer is, if that is before the end. */
static void look_for(ending *first, cut what, int phase, const series *y, double by, int side) {
    if (side * (at(y, first->t) + by) >= 0) {
        return;
    }
    double low = 0, high = first->t;
    for (int i = 0; i < 50 && high - low > 1e-15; i++) {
        double middle = (low + high) / 2;
        if (side * (at(y, middle) + by) > 0) {
            low = middle;
        } else {
            high = middle;
        }
    }
    *first = (ending){.what = what, .phase = phase, .t = high, .corner = first->corner};
}

static series sum_of(const series *a, const series *b, double share) {
    series s;
    for (int k = 0; k <= ORDER; k++) {
        s.c[k] = a->c[k] + share * b->c[k];
    }
    return s;
}

/* Phases that float until a diode opens; those that a diode lets run until it runs dry. */
static void look_at_phases(const wpin_plant *plant, const circuit *c, const course *p,
                           ending *first) {
    for (int x = 0; x < PHASES; x++) {
        if (c->way[x] != 0 && c->diode[x]) {
            look_for(first, CUT_DRY, x, &p->amps[x], 0, c->way[x]);
        } else if (c->way[x] == 0 && c->count > 0 && !is_open(plant, x)) {
            double diode = plant->feed.diode_volts, top = wpin_feed_volts(&plant->feed);
            series volts = sum_of(&p->neutral, &p->emf[x], 1);
            series under_top = sum_of(&volts, &p->supply, c->rail_ohms);
            look_for(first, CUT_OPENS, x, &under_top, -(top + diode), -1);
            look_for(first, CUT_OPENS, x, &volts, diode, 1);
        }
    }
}

static ending find_ending(const wpin_plant *plant, const circuit *c, const course *p, double turned,
                          double seconds) {
    ending first = {.what = CUT_NONE, .t = seconds};
    look_at_phases(plant, c, p, &first);
    if (!plant->motor.sinusoidal && c->turns != 0) {
        double from = PI / 6 + floor((turned - PI / 6) / (PI / 3)) * (PI / 3);
        first.corner = c->turns > 0 ? from + PI / 3 : from;
        look_for(&first, CUT_CORNER, 0, &p->angle, turned - first.corner, -c->turns);
    }
    if (c->turns != 0) {
        look_for(&first, CUT_SHAFT, 0, &p->speed, 0, c->turns);
    } else {
        bool held = wpin_plant_against_stop(plant, at(&p->torque, seconds));
        look_for(&first, CUT_LOOSE, 0, &p->torque, held ? -HUGE_VAL : -plant->torque_hold, -1);
        look_for(&first, CUT_LOOSE, 0, &p->torque, held ? HUGE_VAL : plant->torque_hold, 1);
    }
    return first;
}

/* ---- moving on ---- */

/* What flowed in a piece: the two or three currents as one, signed by the torque they make. */
static void tally(wpin_plant *plant, const circuit *c, const course *p, double t) {
    double size = 0, last = 0, squares = 0;
    for (int x = 0; x < PHASES; x++) {
        double begin = p->amps[x].c[0], end = at(&p->amps[x], t),
               sum = fabs(sum_to(&p->amps[x], t));
        double square = (begin * begin + begin * end + end * end) * (t / 3);
        size += sum / 2;
        last = fmax(last, fabs(end));
        squares += square / 2; /* R of two leads is that of two phases */
        plant->lost += c->tie[x].resistance * square + c->tie[x].drop * sum;
        plant->diode_sizes += c->way[x] != 0 && c->tie[x].diode ? sum : 0;
    }
    double sign = p->torque.c[0] + at(&p->torque, t) < 0 ? -1 : 1;
    double mean = sign * size / t;
    wpin_plant_tally(plant, t, mean, sign * last, sum_to(&p->supply, t) * plant->feed.share);
    plant->squares += squares - mean * mean * t;
}

static void move(wpin_plant *plant, const circuit *c, const course *p, double t) {
    tally(plant, c, p, t);
    double turned = sum_to(&p->speed, t);
    plant->angle += turned;
    plant->sums.rads += turned;
    plant->speed = c->turns == 0 ? 0 : at(&p->speed, t);
    for (int x = 0; x < PHASES; x++) {
        plant->phase_amps[x] = c->way[x] != 0 ? at(&p->amps[x], t) : 0;
    }
    double largest = 0;
    for (int x = 0; x < PHASES; x++) {
        largest = fmax(largest, fabs(plant->phase_amps[x]));
    }
    plant->amps = at(&p->torque, t) < 0 ? -largest : largest;
    plant->rail_amps = at(&p->supply, t);
    if (plant->has_stops) {
        wpin_plant_meet_stop(plant);
    }
}

/* Puts the quantity that ended a piece exactly where it ended, or a hair past it. */
static void settle(wpin_plant *plant, const circuit *c, const ending *end) {
    const double hair = 1e-12;
    double *amps = plant->phase_amps;
    switch (end->what) {
    case CUT_DRY: {
        int one = (end->phase + 1) % PHASES, other = (end->phase + 2) % PHASES;
        double half =
            (amps[one] - amps[other]) / 2; /* the rest is what one leads the other returns */
        amps[end->phase] = 0;
        amps[one] = c->count == PHASES ? half : 0;
        amps[other] = c->count == PHASES ? -half : 0;
        break;
    }
    case CUT_CORNER:
        plant->angle = end->corner / plant->motor.pole_pairs + c->turns * 100 * hair;
        break;
    case CUT_SHAFT: plant->speed = 0; break;
    case CUT_LOOSE: plant->speed = copysign(hair, plant->amps); break;
    default: break;
    }
}

static int64_t advance_piece(wpin_plant *plant, int64_t dt) {
    course p;
    memset(&p, 0, sizeof p);
    double turned = plant->motor.pole_pairs * plant->angle, seconds = (double)dt * PS;
    begin_shape(plant, &p, turned);
    circuit c = find_circuit(plant, &p);
    for (int x = 0; x < PHASES; x++) {
        p.amps[x].c[0] = plant->phase_amps[x];
    }
    make_course(plant, &c, &p, turned);
    ending end = find_ending(plant, &c, &p, turned, seconds);
    int64_t part = end.what == CUT_NONE ? dt : (int64_t)(end.t / PS);
    part += end.what == CUT_OPENS ? OPENS_LATE_PS : 0;
    part = part < 1 ? 1 : (part > dt ? dt : part);
    move(plant, &c, &p, (double)part * PS);
    settle(plant, &c, &end);
    return part;
}

void wpin_brushless_advance(wpin_plant *plant, int64_t dt) {
    while (dt > 0) {
        double rate = plant->motor.pole_pairs * fabs(plant->speed);
        double most = rate > 0 ? TURN_MOST / rate / PS : (double)plant->piece_max;
        int64_t longest = most < (double)plant->piece_max ? (int64_t)most + 1 : plant->piece_max;
        dt -= advance_piece(plant, dt < longest ? dt : longest);
    }
}

void wpin_brushless_lead(wpin_plant *plant, bool off) {
    double *amps = plant->phase_amps;
    if (off && amps[0] != 0) { /* it breaks off, and what flows on flows through the other two */
        amps[1] = (amps[1] - amps[2]) / 2;
        amps[2] = -amps[1];
        amps[0] = 0;
    }
    plant->lead_off = off;
}
