/* Exact solution of x' = A x + g over a stretch of time, for two states. */
#ifndef WPIN_SIM_PROPAGATOR_H
#define WPIN_SIM_PROPAGATOR_H

typedef struct wpin_matrix {
    double m00, m01, m10, m11;
} wpin_matrix;

/* x(dt) = phi x0 + psi g;  integral of x over dt = psi x0 + xi g. */
typedef struct wpin_propagator {
    wpin_matrix phi, psi, xi;
} wpin_propagator;

/* Makes the propagator of a matrix (rates in 1/s) for dt seconds. Taylor series on a scaled-down
 * stretch, then doubled up; exact to rounding (see Moler and Van Loan, "Nineteen Dubious Ways to
 * Compute the Exponential of a Matrix", method 3). */
wpin_propagator wpin_propagator_make(const wpin_matrix *rates, double dt);

#endif
