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

/* By Cayley and Hamilton every power of A is a number times 1 plus a number times A, so the series
 *     xi = sum A^k t^(k+2) / (k+2)! = one 1 + two A
 * takes two numbers a term; then psi = t 1 + A xi and phi = 1 + A psi. */
static wpin_propagator series(const wpin_matrix *rates, double t, double reach) {
    static const double share[] = {1.0 / 2,  1.0 / 3,  1.0 / 4, 1.0 / 5,  1.0 / 6,
                                   1.0 / 7,  1.0 / 8,  1.0 / 9, 1.0 / 10, 1.0 / 11,
                                   1.0 / 12, 1.0 / 13, 1.0 / 14};
    double trace = (rates->m00 + rates->m11) * t;
    double det = (rates->m00 * rates->m11 - rates->m01 * rates->m10) * t * t;
    int terms = reach < 2e-4 ? 4 : (reach < 4e-3 ? 6 : (reach < 0.1 ? 9 : 13));
    double a = 0.5, b = 0, one = a, two = 0;
    for (int k = 1; k < terms; k++) {
        double next = -det * b * share[k];
        b = (a + trace * b) * share[k];
        a = next;
        one += a;
        two += b;
    }
    one *= t * t;
    two *= t * t * t;
    wpin_propagator p;
    p.xi = (wpin_matrix){one + two * rates->m00, two * rates->m01, two * rates->m10,
                         one + two * rates->m11};
    p.psi = times(rates, &p.xi);
    p.psi.m00 += t, p.psi.m11 += t;
    p.phi = times(rates, &p.psi);
    p.phi.m00 += 1, p.phi.m11 += 1;
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
    double reach = size(rates) * dt;
    for (; reach > 0.4 && doublings < 60; reach /= 2) {
        t /= 2;
        doublings++;
    }
    wpin_propagator p = series(rates, t, reach);
    for (; doublings > 0; doublings--, t *= 2) {
        make_double(&p, t);
    }
    return p;
}
