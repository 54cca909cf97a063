/* Pieces of motors that are alike: what is solved of one circuit over one stretch of time is kept
 * once for all of them, by what it depends on. */
#include "plant.h"
#include "sense_lag.h"

#define PS 1e-12

static void add_forces(wpin_cached *c, const wpin_piece *p) {
    const wpin_matrix *psi = &c->p.psi, *xi = &c->p.xi;
    double a = p->force_amps, w = p->force_speed;
    c->force_amps = a;
    c->force_speed = w;
    c->end_amps = psi->m00 * a + psi->m01 * w;
    c->end_speed = psi->m10 * a + psi->m11 * w;
    c->sum_amps = xi->m00 * a + xi->m01 * w;
    c->sum_speed = xi->m10 * a + xi->m11 * w;
}

wpin_cached wpin_plant_solve(const wpin_plant *plant, const wpin_piece *p, int64_t dt) {
    double seconds = (double)dt * PS;
    wpin_cached c = {.dt = dt,
                     .rates = p->rates,
                     .p = wpin_propagator_make(&p->rates, seconds),
                     .seconds = seconds,
                     .sense = wpin_plant_lag(plant, seconds)};
    add_forces(&c, p);
    return c;
}

static bool is_of(const wpin_cached *c, const wpin_piece *p, int64_t dt) {
    const wpin_matrix *a = &c->rates, *b = &p->rates;
    return c->dt == dt && a->m00 == b->m00 && a->m01 == b->m01 && a->m10 == b->m10 &&
           a->m11 == b->m11;
}

const wpin_cached *wpin_plant_cached(const wpin_plant *plant, const wpin_piece *p, int64_t dt) {
    uint64_t mixed = ((uint64_t)dt * 128 + (uint64_t)p->number) * 0x9E3779B97F4A7C15U;
    wpin_cached *slot = &plant->solved->pieces[mixed >> (64 - wpin_pieces_bits(plant->solved))];
    if (!is_of(slot, p, dt)) {
        *slot = wpin_plant_solve(plant, p, dt);
    } else if (slot->force_amps != p->force_amps || slot->force_speed != p->force_speed) {
        add_forces(slot, p); /* other volts; or a fan's torque, which is another every time */
    }
    return slot;
}
