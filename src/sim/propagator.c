/* Matrix exponential and its integrals by scaling and doubling. */
#include "propagator.h"
#include <math.h>

static wpin_matrix times(const wpin_matrix *a, const wpin_matrix *b) {
    return (wpin_matrix){a->m00 * b->m00 + a->m01 * b->m10, a->m00 * b->m01 + a->m01 * b->m11,
                         a->m10 * b->m00 + a->m11 * b->m10, a->m10 * b->m01 + a->m11 * b->m11};
}

static wpin_matrix scaled(const wpin_matrix *a, double by) {
    return (wpin_matrix){a->m00 * by, a->m01 * by, a->m10 * by, a->m11 * by};
}

static wpin_matrix plus(const wpin_matrix *a, const wpin_matrix *b) {
    return (wpin_matrix){a->m00 + b->m00, a->m01 + b->m01, a->m10 + b->m10, a->m11 + b->m11};
}

static double size(const wpin_matrix *a) {
    return fmax(fabs(a->m00) + fabs(a->m01), fabs(a->m10) + fabs(a->m11));
}

/* phi = sum A^k t^k / k!, psi its integral, xi the integral of psi. */
static wpin_propagator series(const wpin_matrix *rates, double t) {
    enum { TERMS = 10 };
    wpin_matrix term = {1, 0, 0, 1};
    wpin_propagator p = {0};
    for (int k = 0; k < TERMS; k++) {
        wpin_matrix for_psi = scaled(&term, t / (k + 1));
        wpin_matrix for_xi = scaled(&for_psi, t / (k + 2));
        p.phi = plus(&p.phi, &term);
        p.psi = plus(&p.psi, &for_psi);
        p.xi = plus(&p.xi, &for_xi);
        wpin_matrix next = times(rates, &term);
        term = scaled(&next, t / (k + 1));
    }
    return p;
}

/* From t to 2t: psi(2t) = psi + phi psi; xi(2t) = xi + t psi + phi xi; phi(2t) = phi phi. */
static void make_double(wpin_propagator *p, double t) {
    wpin_matrix phi_psi = times(&p->phi, &p->psi);
    wpin_matrix phi_xi = times(&p->phi, &p->xi);
    wpin_matrix t_psi = scaled(&p->psi, t);
    wpin_matrix xi = plus(&p->xi, &t_psi);
    p->xi = plus(&xi, &phi_xi);
    p->psi = plus(&p->psi, &phi_psi);
    p->phi = times(&p->phi, &p->phi);
}

wpin_propagator wpin_propagator_make(const wpin_matrix *rates, double dt) {
    int doublings = 0;
    double t = dt;
    for (double reach = size(rates) * dt; reach > 0.1 && doublings < 60; reach /= 2) {
        t /= 2;
        doublings++;
    }
    wpin_propagator p = series(rates, t);
    for (; doublings > 0; doublings--, t *= 2) {
        make_double(&p, t);
    }
    return p;
}
