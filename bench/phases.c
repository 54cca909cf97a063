/* The three phases of the simulated brushless motor against a general adaptive solver (GSL,
 * Runge-Kutta 8/9): legs high or low at random, for 2 to 50 us each; flat tops and sine, star
 * and delta, a soft supply, cogging. Prints the largest differences of current and speed. */
#include <gsl/gsl_errno.h>
#include <gsl/gsl_odeiv2.h>
#include <math.h>
#include <stdio.h>
#include <windpin/host/sim.h>

#define PI 3.14159265358979323846

enum { STRETCHES = 4000 };
#define SUPPLY_OHMS 0.08
#define SWITCH_OHMS 0.02

typedef struct bench {
    wpin_part_motor motor;
    int high[3];
} bench;

/* Shape of the voltage of a phase at an electrical angle. */
static double shape(double x, bool sine) {
    if (sine) {
        return sin(x);
    }
    x -= 2 * PI * floor(x / (2 * PI));
    double y = x > PI ? x - PI : x, ramp = fmin(y, PI - y) / (PI / 6);
    return (x > PI ? -1 : 1) * fmin(ramp, 1);
}

/* Windings in a delta, each between two leads, with the same R, L and peak between them.
 * y: currents from lead to lead in a-b, b-c, c-a, speed, angle of the shaft. */
static int delta_slopes(double t, const double y[], double d[], void *context) {
    (void)t;
    const bench *b = context;
    const wpin_part_motor *m = &b->motor;
    double torque = 0, volts[3], drawn = 0;
    double k = m->constant * (m->sinusoidal ? 1 : 3.0 / 4);
    for (int x = 0; x < 3; x++) {
        drawn += b->high[x] ? y[x] - y[(x + 2) % 3] : 0;
    }
    for (int x = 0; x < 3; x++) {
        volts[x] =
            (b->high[x] ? 24 - SUPPLY_OHMS * drawn : 0) - SWITCH_OHMS * (y[x] - y[(x + 2) % 3]);
    }
    for (int x = 0; x < 3; x++) {
        double f = shape(m->pole_pairs * y[4] - x * 2 * PI / 3 + PI / 6, m->sinusoidal);
        d[x] = (volts[x] - volts[(x + 1) % 3] - m->resistance * 3 / 2 * y[x] - k * y[3] * f) /
               (m->inductance * 3 / 2);
        torque += k * f * y[x];
    }
    d[3] = (torque - m->cogging * sin(m->cogging_steps * y[4]) - m->viscous_friction * y[3]) /
           m->inertia;
    d[4] = y[3];
    return GSL_SUCCESS;
}

/* Current into lead x. */
static double lead(const bench *b, const double y[], int x) {
    return b->motor.delta ? y[x] - y[(x + 2) % 3] : y[x];
}

/* y: three currents into the motor, speed, angle of the shaft. */
static int slopes(double t, const double y[], double d[], void *context) {
    (void)t;
    const bench *b = context;
    const wpin_part_motor *m = &b->motor;
    double k = m->constant / (m->sinusoidal ? sqrt(3) : 2), drawn = 0, star = 0;
    double torque = -m->cogging * sin(m->cogging_steps * y[4]), left[3];
    for (int x = 0; x < 3; x++) {
        drawn += b->high[x] ? y[x] : 0;
    }
    for (int x = 0; x < 3; x++) {
        double f = shape(m->pole_pairs * y[4] - x * 2 * PI / 3, m->sinusoidal);
        left[x] = (b->high[x] ? 24 - SUPPLY_OHMS * drawn : 0) -
                  (SWITCH_OHMS + m->resistance / 2) * y[x] - k * y[3] * f;
        star += left[x] / 3;
        torque += k * f * y[x];
    }
    for (int x = 0; x < 3; x++) {
        d[x] = (left[x] - star) / (m->inductance / 2);
    }
    d[3] = (torque - m->viscous_friction * y[3]) / m->inertia;
    d[4] = y[3];
    return GSL_SUCCESS;
}

static unsigned pick(unsigned range) {
    static unsigned seed = 7;
    seed = seed * 1664525U + 1013904223U;
    return (seed >> 8) % range;
}

static wpin_sim *simulate(const wpin_part_motor *motor) {
    const wpin_part_controller controller = {.logic_volts = 5,
                                             .pin_resistance = 25,
                                             .pin_burns_above = 0.04,
                                             .timer_hz = 16e6,
                                             .timer_steps_max = 65535};
    const wpin_part_driver driver = {.logic = WPIN_LOGIC_THREE_PHASE_BRIDGE,
                                     .on_resistance = SWITCH_OHMS,
                                     .diode_volts = 0.7,
                                     .input_resistance = 100e3,
                                     .burns_above_amps = 1000,
                                     .burns_after = 1,
                                     .burns_above_volts = 100,
                                     .interlock = true};
    const wpin_part_supply supply = {.volts = 24, .resistance = SUPPLY_OHMS, .on = true};
    wpin_sim *sim = wpin_sim_new(&controller);
    int bridge = wpin_sim_add_bridge(sim, &driver, wpin_sim_add_supply(sim, &supply));
    (void)wpin_sim_add_motor(sim, motor, bridge);
    wpin_port port = wpin_sim_port(sim);
    for (int i = 0; i < 6; i++) {
        wpin_sim_wire_input(sim, bridge, i, (wpin_pin)i);
        port.open(port.context, (wpin_pin)i, WPIN_LOW);
    }
    return sim;
}

/* Mostly what drives it, or it would never turn fast; some at random. */
static void choose_legs(bench *b, double angle) {
    static const int rows[6][3] = {{1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                   {0, 1, 1}, {0, 0, 1}, {1, 0, 1}};
    int sector = (int)floor(b->motor.pole_pairs * angle / (PI / 3)) + 5;
    for (int x = 0; x < 3; x++) {
        b->high[x] = pick(4) == 0 ? (int)pick(2) : rows[((sector % 6) + 6) % 6][x];
    }
}

static void show_legs(const bench *b, const wpin_port *port) {
    for (int x = 0; x < 3; x++) {
        wpin_pin high = (wpin_pin)(2 * x), low = (wpin_pin)(2 * x + 1);
        port->write(port->context, b->high[x] ? low : high, WPIN_LOW);
        port->write(port->context, b->high[x] ? high : low, WPIN_HIGH);
    }
}

static void compare(const char *what, bench *b) {
    double y[5] = {0}, most = 0, amps_off = 0, speed_off = 0, t = 0;
    gsl_odeiv2_system system = {b->motor.delta ? delta_slopes : slopes, NULL, 5, b};
    gsl_odeiv2_driver *driver =
        gsl_odeiv2_driver_alloc_y_new(&system, gsl_odeiv2_step_rk8pd, 1e-7, 1e-13, 1e-12);
    wpin_sim *sim = simulate(&b->motor);
    wpin_port port = wpin_sim_port(sim);
    for (int i = 0; i < STRETCHES; i++) {
        int us = 2 + (int)pick(49);
        choose_legs(b, y[4]);
        show_legs(b, &port);
        wpin_sim_advance(sim, us * 1000000LL);
        gsl_odeiv2_driver_reset(driver);
        gsl_odeiv2_driver_apply(driver, &t, t + us * 1e-6, y);
        wpin_part_phases p;
        (void)wpin_sim_read_phases(sim, 0, &p);
        for (int x = 0; x < 3; x++) {
            most = fmax(most, fabs(lead(b, y, x)));
            amps_off = fmax(amps_off, fabs(p.amps[x] - lead(b, y, x)));
        }
        double rpm = wpin_sim_read(sim, 0).rpm;
        speed_off = fmax(speed_off, fabs(rpm * PI / 30 - y[3]));
    }
    printf("  %-28s current %.1e %% of %.3g A, speed %.1e %% of %.0f rpm\n", what,
           100 * amps_off / most, most, 100 * speed_off / fabs(y[3]), y[3] * 30 / PI);
    gsl_odeiv2_driver_free(driver);
    wpin_sim_free(sim);
}

int main(void) {
    const wpin_part_motor motor = {.resistance = 0.5,
                                   .inductance = 0.6e-3,
                                   .constant = 0.06,
                                   .inertia = 4e-5,
                                   .viscous_friction = 1e-4,
                                   .gear_ratio = 1,
                                   .gear_efficiency = 1,
                                   .pole_pairs = 4,
                                   .cogging_steps = 24};
    for (int i = 0; i < 7; i++) {
        static const char *const what[] = {
            "flat tops",        "sine",        "flat tops, cogging",       "sine, cogging",
            "flat tops, delta", "sine, delta", "flat tops, delta, cogging"};
        bench b = {.motor = motor};
        b.motor.sinusoidal = i % 2 != 0;
        b.motor.cogging = i / 2 % 2 * 0.03;
        b.motor.delta = i >= 4;
        compare(what[i], &b);
    }
    return 0;
}
