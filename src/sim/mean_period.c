/* A whole period of a brushless motor's PWM by its means. Each of the three leads is on the low
 * side, over the middle of the period on the high one, and off between for a dead time, in which
 * its current chooses the rail, or runs dry. The mean of what ties the leads leads the currents to
 * where they are as the period ends. How they ripple within it matters for the dead times alone,
 * and is told by what each change of a lead's volts adds to all three, as if straight. */
#include "delta.h"
#include "glide.h"
#include "walk.h"

#define PS 1e-12
/* The rotor goes on in one course where a closer look would take so many: 0.007 % of the currents.
 */
#define COURSES 8
enum { UP, DOWN, EDGES };

/* A lead's dead time at one of its edges: off from a moment for so long, s; its current then, A;
 * whether its diode to the supply carries the current. And when it would change
 * sides with no dead time, for the same volts in all. */
typedef struct gap {
    double from, seconds, amps;
    bool on_rail;
    double changes;
} gap;

typedef struct mean {
    double seconds, henry;
    double amps[WPIN_PHASES], rate[WPIN_PHASES]; /* as it begins; by itself and its emf, A/s... */
    double bend[WPIN_PHASES];                    /* ...which turns on meanwhile, half of A/s2 */
    double emf[WPIN_PHASES];                     /* A/s */
    const wpin_tie *low, *high, *into, *out;     /* switches; diodes, by the way of the current */
    double by_volts; /* of a lead that goes high to the other two: less of their current, A/s */
    double per_volt; /* 1 / V of a lead that is high */
    gap gaps[WPIN_PHASES][EDGES];
} mean;

/* At first they change sides when they did in the period before. */
static void see_gaps(mean *m, const wpin_plant *plant, const wpin_lead_period leads[]) {
    for (int x = 0; x < WPIN_PHASES; x++) {
        const wpin_lead_period *lead = &leads[x];
        gap *up = &m->gaps[x][UP], *down = &m->gaps[x][DOWN];
        up->seconds = (double)lead->off_before * PS;
        up->from = (double)(lead->rises - lead->off_before) * PS;
        up->changes = up->from + up->seconds * plant->changed[x][UP];
        down->seconds = (double)lead->off_after * PS;
        down->from = (double)lead->falls * PS;
        down->changes = down->from + down->seconds * plant->changed[x][DOWN];
    }
}

/* Current into a lead as one of its dead times begins, and how many of the others are high then.
 * All rise in the first half of the period and fall in the second. */
static double amps_at(const mean *m, int x, int edge, int *high) {
    const gap *own = m->gaps[x], *one = m->gaps[x == 0], *other = m->gaps[x == 2 ? 1 : 2];
    const double t = own[edge].from;
    const double amps = m->amps[x] + t * (m->rate[x] + t * m->bend[x]);
    if (edge == UP) {
        const double first = t - one[UP].changes, second = t - other[UP].changes;
        *high = (first > 0) + (second > 0);
        return amps - m->by_volts * ((first > 0 ? first : 0) + (second > 0 ? second : 0));
    }
    const double first = one[DOWN].changes, second = other[DOWN].changes;
    const double ends = (first < t ? first : t) + (second < t ? second : t);
    *high = (first > t) + (second > t);
    return amps +
           m->by_volts * (2 * (t - own[UP].changes) - ends + one[UP].changes + other[UP].changes);
}

/* What a lead that is off shows on the mean: for a time what its diode ties it to, and once that
 * has run dry what its emf and the other two make of it. */
static double runs_dry(const mean *m, int x, const gap *g, double diode, double others) {
    const double slope = (2 * diode - others) / (3 * m->henry) - m->emf[x];
    const double lasts = fabs(slope) * g->seconds;
    if (slope * g->amps >= 0 || fabs(g->amps) >= lasts) {
        return diode;
    }
    const double open = 1.5 * m->emf[x] * m->henry + others / 2;
    const double most = m->out->volts, least = m->into->volts;
    const double carries = fabs(g->amps) / lasts;
    return carries * diode + (1 - carries) * (open > most ? most : open < least ? least : open);
}

static void look_at(mean *m, int x, int edge, double changed[][EDGES]) {
    gap *g = &m->gaps[x][edge];
    int high;
    g->amps = amps_at(m, x, edge, &high);
    g->on_rail = !(g->amps > 0);
    if (g->seconds <= 0) { /* none, or not in this stretch */
        g->changes = g->from;
        return;
    }
    const double swing = 4 * m->by_volts * g->seconds;
    double volts = g->on_rail ? m->out->volts : m->into->volts;
    if (fabs(g->amps) < swing) { /* it may */
        volts = runs_dry(m, x, g, volts, high * m->high->volts);
    }
    const double high_for = volts * m->per_volt;
    changed[x][edge] = edge == UP ? 1 - high_for : high_for;
    g->changes = g->from + g->seconds * changed[x][edge];
}

/* The mean of a lead's tie; its share of the period on the supply. */
static double tie(const mean *m, int x, wpin_tie *to) {
    const gap *up = &m->gaps[x][UP], *down = &m->gaps[x][DOWN];
    const double per = 1 / m->seconds, high = down->from - up->from - up->seconds;
    const double off = (up->seconds + down->seconds) * per, on = m->low->resistance;
    to->volts = (down->changes - up->changes) * per * m->high->volts;
    to->resistance = on + off * (m->into->resistance - on); /* both switches are alike */
    to->drop = off * m->into->drop;
    to->diode = false; /* told apart: see tell() */
    return (high + (up->on_rail ? up->seconds : 0) + (down->on_rail ? down->seconds : 0)) * per;
}

/* The circuit that the leads make on the whole, as wpin_star_make has it of one state. What two of
 * them draw together sags the supply for as long as both are on it: both are in the middle. */
static void make_star(const mean *m, const wpin_plant *plant, wpin_star *star) {
    const wpin_feed *feed = &plant->feed;
    const double winding = plant->motor.resistance / 2, per = 1 / m->henry;
    const double rail = feed->resistance * feed->share * feed->share;
    double on[WPIN_PHASES], ohms[WPIN_PHASES][WPIN_PHASES], mid[WPIN_PHASES];
    for (int x = 0; x < WPIN_PHASES; x++) {
        on[x] = tie(m, x, &star->tie[x]);
    }
    for (int x = 0; x < WPIN_PHASES; x++) {
        for (int y = 0; y < WPIN_PHASES; y++) {
            ohms[x][y] = rail * (on[x] < on[y] ? on[x] : on[y]);
        }
        ohms[x][x] += winding + star->tie[x].resistance;
    }
    for (int y = 0; y < WPIN_PHASES; y++) {
        mid[y] = (ohms[0][y] + ohms[1][y] + ohms[2][y]) * (1.0 / 3);
    }
    const double lift = (star->tie[0].volts + star->tie[1].volts + star->tie[2].volts) * (1.0 / 3);
    for (int x = 0; x < 2; x++) {
        star->draws[x] = on[x] - on[2];
        star->force[x] = (star->tie[x].volts - lift) * per;
        star->by_a[x] = (mid[0] - mid[2] - ohms[x][0] + ohms[x][2]) * per;
        star->by_b[x] = (mid[1] - mid[2] - ohms[x][1] + ohms[x][2]) * per;
    }
    star->count = WPIN_PHASES;
    star->idle = -1;
    star->diodes = false;
}

static void spread(wpin_two of, double to[WPIN_PHASES]) {
    to[0] = of[0];
    to[1] = of[1];
    to[2] = -of[0] - of[1];
}

/* As it begins; the largest current at an edge, which is where the tips are. */
static double look(mean *m, wpin_plant *plant, const wpin_rotor *r, wpin_two u, wpin_star *star) {
    static const int all_low[] = {1, 1, 1}, all_high[] = {2, 2, 2}, in[] = {3, 1, 1},
                     out[] = {4, 1, 1};
    const wpin_star *lows = wpin_star_of(plant, all_low);
    m->henry = plant->motor.inductance / 2;
    m->low = &lows->tie[0];
    m->high = &wpin_star_of(plant, all_high)->tie[0];
    m->into = &wpin_star_of(plant, in)->tie[0];
    m->out = &wpin_star_of(plant, out)->tie[0];
    m->by_volts = m->high->volts / (3 * m->henry);
    m->per_volt = 1 / m->high->volts;
    spread(r->emf, m->emf);
    spread(wpin_by_itself(lows, u) - r->emf, m->rate);
    spread(-0.5 * r->emf1, m->bend);
    star->fading = lows->fading;
    double most = 0;
    for (int edge = UP; edge < EDGES; edge++) {
        for (int x = 0; x < WPIN_PHASES; x++) {
            look_at(m, x, edge, plant->changed);
            const double amps = fabs(m->gaps[x][edge].amps);
            most = amps > most ? amps : most;
        }
    }
    make_star(m, plant, star);
    return most;
}

/* What its diodes carried, and its ripple's part in what is seen of the currents. */
static void tell(const mean *m, wpin_plant *plant, double most) {
    for (int x = 0; plant->heats && x < WPIN_PHASES; x++) {
        plant->diodes[2 * x + (m->amps[x] < 0)] +=
            fabs(m->amps[x]) * (m->gaps[x][UP].seconds + m->gaps[x][DOWN].seconds);
    }
    wpin_sums *sums = &plant->sums;
    sums->most_amps = plant->amps > 0 && most > sums->most_amps ? most : sums->most_amps;
    sums->least_amps = plant->amps < 0 && -most < sums->least_amps ? -most : sums->least_amps;
}

bool wpin_brushless_mean(wpin_plant *plant, const wpin_lead_period leads[3], int64_t lasts) {
    if (!wpin_goes_simply(plant) || wpin_goes_round(plant) || plant->speed == 0) {
        return false;
    }
    wpin_shape_find(plant);
    const wpin_runner runner = wpin_runner_of(plant);
    wpin_whereabouts at = {
        {plant->phase_amps[0], plant->phase_amps[1]}, plant->speed, plant->shape};
    wpin_rotor r;
    r.speed = at.speed;
    r.rate = plant->rate;
    r.at = at.shape.at;
    r.kept = &at.shape;
    if (!wpin_rotor_begin(plant, &runner, at.u, &r) || COURSES * r.left < lasts) {
        return false;
    }
    mean m; /* the rest as it is looked at */
    m.seconds = (double)lasts * PS;
    spread(at.u, m.amps);
    see_gaps(&m, plant, leads);
    wpin_star star; /* of which only some is asked for */
    wpin_flowed flowed = {0};
    const double most = look(&m, plant, &r, at.u, &star);
    if (most > plant->over_limit || !wpin_glide_over(plant, &star, &r, &at, &flowed, lasts)) {
        return false;
    }
    wpin_walk_arrive(plant, &at, &flowed);
    tell(&m, plant, most);
    return true;
}
