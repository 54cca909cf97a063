/* With u the currents, M, F and P of the star of a step (glide.c), and an emf of four terms:
 *     du/dt = M u + F - P emf
 * is linear in all of them: each is led through the steps by itself. */
#include "pass.h"

#define PS    1e-12
#define TERMS 9 /* of a series: for a twentieth of a time constant, 1e-18 is left out... */
#define FEWER 5 /* ...as with these for 1/400 */

/* Legs that are off let the current through that there is: the digit of a lead by its sign, as the
 * first circuit has it. */
static const wpin_star *star_after(wpin_plant *plant, const wpin_star *first, const wpin_step *step,
                                   int signs) {
    int digit[WPIN_PHASES];
    for (int x = 0; x < WPIN_PHASES; x++) {
        digit[x] = wpin_lead_digit(step->legs[x], wpin_sign_in(signs, x));
    }
    const wpin_star *star = wpin_star_of(plant, digit);
    const bool alike = star->count == first->count && star->idle == first->idle &&
                       star->draws[0] == first->draws[0] && star->draws[1] == first->draws[1];
    return alike ? star : NULL;
}

/* What leads through, of currents, supply and emf. */
typedef struct thread {
    wpin_two u, emf[4], charge;
    double volts, diodes; /* of the supply; 1: what diodes take */
} thread;

static void lead_through(const wpin_feed *feed, const wpin_star *star, double h, thread *t) {
    wpin_two term = t->u, end = term, flows = term; /* of the series: with h^n / n! */
    const double supply = wpin_feed_volts(feed);
    wpin_two on = t->volts * star->by_volts + t->diodes * (star->force - supply * star->by_volts);
    double power = 1;
    const int terms = h * star->fading < 1.0 / 400 ? FEWER : TERMS;
    for (int n = 1; n < terms; n++) {
        const wpin_two emf = n <= 4 ? t->emf[n - 1] * power : (wpin_two){0};
        term =
            h * (1.0 / n) *
            (wpin_by_itself(star, term) + on - wpin_acting(star, star->count == WPIN_PHASES, emf));
        power *= h * (1.0 / n);
        on = (wpin_two){0};
        end += term;
        flows += term * (1.0 / (n + 1));
    }
    t->charge += h * flows;
    t->u = end;
    wpin_two *e = t->emf;
    e[0] += h * (e[1] + h * (1.0 / 2) * (e[2] + h * (1.0 / 3) * e[3]));
    e[1] += h * (e[2] + h * (1.0 / 2) * e[3]);
    e[2] += h * e[3];
}

static void lead_all(const wpin_feed *feed, const wpin_pass *p, thread t, wpin_two *end,
                     wpin_two *charge) {
    for (int s = 0; s < p->count; s++) {
        lead_through(feed, p->star[s], (double)p->steps[s].dt * PS, &t);
    }
    *end = t.u;
    *charge = t.charge;
}

static void make(const wpin_feed *feed, wpin_pass *p) {
    const wpin_two a = {1, 0}, b = {0, 1};
    wpin_comes_to *end = &p->end, *charge = &p->charge;
    lead_all(feed, p, (thread){.u = a}, &end->by_a, &charge->by_a);
    lead_all(feed, p, (thread){.u = b}, &end->by_b, &charge->by_b);
    lead_all(feed, p, (thread){.diodes = 1}, &end->diodes, &charge->diodes);
    lead_all(feed, p, (thread){.volts = 1}, &end->by_volts, &charge->by_volts);
    for (int k = 0; k < 4; k++) {
        thread by_a = {.u = {0}}, by_b = by_a;
        by_a.emf[k] = a;
        by_b.emf[k] = b;
        lead_all(feed, p, by_a, &end->emf_a[k], &charge->emf_a[k]);
        lead_all(feed, p, by_b, &end->emf_b[k], &charge->emf_b[k]);
    }
}

static void make_pair(const wpin_feed *feed, wpin_pass *p) {
    const wpin_pair *pair = &p->star[0]->pair;
    const int lead = p->star[0]->idle == 0; /* the first of the two */
    thread threads[7] = {{.u = pair->way}, {.diodes = 1}, {.volts = 1}};
    double *end[7] = {&p->pair_end.by_amps, &p->pair_end.diodes, &p->pair_end.by_volts};
    double *charge[7] = {&p->pair_charge.by_amps, &p->pair_charge.diodes, &p->pair_charge.by_volts};
    for (int k = 0; k < 4; k++) { /* an emf between the two that is 1 */
        threads[3 + k].emf[k] = pair->way;
        end[3 + k] = &p->pair_end.emf[k];
        charge[3 + k] = &p->pair_charge.emf[k];
    }
    for (int k = 0; k < 7; k++) {
        wpin_two leads_end, leads_charge;
        lead_all(feed, p, threads[k], &leads_end, &leads_charge);
        *end[k] = leads_end[lead];
        *charge[k] = leads_charge[lead];
    }
}

static bool is_step(const wpin_step *a, const wpin_step *b) {
    return a->dt == b->dt && a->legs[0] == b->legs[0] && a->legs[1] == b->legs[1] &&
           a->legs[2] == b->legs[2];
}

static bool is_of(const wpin_pass *p, const wpin_plant *plant, const wpin_star *first, int signs,
                  const wpin_step *step, const wpin_step *end) {
    bool same = p->first == first && p->signs == signs && p->built == plant->built &&
                p->share == plant->feed.share;
    for (int s = 0; same && s < p->seen; s++) {
        same = step + s < end && is_step(&p->steps[s], &step[s]);
    }
    return same && (p->seen == WPIN_PASS_STEPS || p->count < p->seen || step + p->seen == end);
}

/* A number of so many bits that is rarely that of another. */
static unsigned slot(int64_t star, int signs, const wpin_step *step, const wpin_step *end) {
    const int64_t lasts = step->dt + (step + 1 < end ? step[1].dt : 0);
    uint64_t mixed = (uint64_t)(star * 27 + signs) * 0x9E3779B97F4A7C15U;
    mixed = ((mixed ^ mixed >> 29) + (uint64_t)lasts) * 0x9E3779B97F4A7C15U;
    return (unsigned)((mixed ^ mixed >> 29) * 0x9E3779B97F4A7C15U >> (64 - WPIN_PASSES_BITS));
}

/* Its circuits, as they are by the volts there are now. */
static void renew(wpin_plant *plant, const wpin_pass *p) {
    for (int s = 0; s < p->count; s++) {
        const int number = (int)(p->star[s] - plant->stars);
        if (p->star[s]->version != plant->version) {
            plant->stars[number] = wpin_star_make(plant, number);
        }
    }
}

const wpin_pass *wpin_pass_find(wpin_plant *plant, const wpin_star *first, int signs,
                                const wpin_step *step, const wpin_step *end) {
    const unsigned place = slot(first - plant->stars, signs, step, end);
    wpin_pass *p = &plant->passes[place], *other = &plant->passes[place ^ 1U];
    p = is_of(other, plant, first, signs, step, end) ? other : p;
    if (is_of(p, plant, first, signs, step, end)) {
        renew(plant, p);
        return p;
    }
    p = other->number < p->number ? other : p; /* the older one goes */
    *p = (wpin_pass){.number = ++plant->passes_made,
                     .first = first,
                     .built = plant->built,
                     .share = plant->feed.share,
                     .signs = signs,
                     .seen = 1,
                     .count = 1,
                     .steps = {*step},
                     .star = {first},
                     .dt = step->dt};
    while (p->seen == p->count && p->seen < WPIN_PASS_STEPS && step + p->seen < end) {
        const wpin_step *next = &step[p->seen];
        const wpin_star *star = star_after(plant, first, next, signs);
        p->steps[p->seen++] = *next;
        if (star != NULL) {
            p->star[p->count++] = star;
            p->dt += next->dt;
        }
    }
    p->seconds = (double)p->dt * PS;
    if (p->count > 1 && first->fading * p->seconds < WPIN_SHARE_MOST) {
        first->count == 2 ? make_pair(&plant->feed, p) : make(&plant->feed, p);
    } else {
        p->count = 1;
    }
    return p;
}
