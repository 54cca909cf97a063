/* The simulator's speed at the level of single PWM periods, and its error and speed against a
 * general adaptive ODE solver (GSL, Runge-Kutta Prince-Dormand 8/9) led from edge to edge. */
#define _GNU_SOURCE
#include <gsl/gsl_errno.h>
#include <gsl/gsl_odeiv2.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <windpin/host/sim.h>

#define MS 1000000000LL

static const wpin_part_controller controller = {5, 25, 0.04, 16e6, 65535, 0};
static const wpin_part_supply supply = {
    .name = "main", .volts = 12, .resistance = 0.12, .on = true};
static const wpin_part_driver bridge = {.name = "driver",
                                        .on_resistance = 0.18,
                                        .diode_volts = 0.8,
                                        .diode_resistance = 0.05,
                                        .input_resistance = 1e5,
                                        .burns_above_amps = 20,
                                        .burns_above_volts = 30,
                                        .interlock = true};
static const wpin_part_motor motor = {.name = "pump",
                                      .resistance = 1.4,
                                      .inductance = 1.6e-3,
                                      .constant = 22e-3,
                                      .inertia = 16e-6,
                                      .static_friction = 14e-3,
                                      .dry_friction = 9e-3,
                                      .viscous_friction = 3e-6,
                                      .gear_ratio = 18,
                                      .gear_efficiency = 0.75,
                                      .load_torque = 0.12,
                                      .load_viscous = 2e-3,
                                      .load_inertia = 90e-6};

static double cpu_seconds(void) {
    struct timespec now;
    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return (double)now.tv_sec + (double)now.tv_nsec * 1e-9;
}

static wpin_sim *new_board(wpin_port *port, const wpin_part_motor *driven) {
    wpin_sim *sim = wpin_sim_new(&controller);
    wpin_sim_add_motor(sim, driven,
                       wpin_sim_add_bridge(sim, &bridge, wpin_sim_add_supply(sim, &supply)));
    wpin_sim_wire_input(sim, 0, WPIN_DRIVER_INPUT_DIRECTION, 4);
    wpin_sim_wire_input(sim, 0, WPIN_DRIVER_INPUT_BRAKE, 7);
    wpin_sim_wire_input(sim, 0, WPIN_DRIVER_INPUT_PWM, 9);
    *port = wpin_sim_port(sim);
    port->open(sim, 4, WPIN_HIGH);
    port->open(sim, 7, WPIN_LOW);
    port->open(sim, 9, WPIN_LOW);
    port->pwm_start(sim, 9, &(wpin_pwm_request){.hz = 20000}, &(wpin_pwm_achieved){0});
    return sim;
}

/* ---- the same motor for the general solver ---- */

typedef struct plain {
    bool high;
    double inertia, viscous, hold, move;
} plain;

static int slopes(double t, const double y[], double dy[], void *parameters) {
    const plain *p = parameters;
    double i = y[0], w = y[1], torque = motor.constant * i;
    (void)t;
    double e = p->high ? supply.volts : -bridge.diode_volts;
    double r = motor.resistance + bridge.on_resistance +
               (p->high ? bridge.on_resistance + supply.resistance : bridge.diode_resistance);
    dy[0] = (e - r * i - motor.constant * w) / motor.inductance;
    if (!p->high && i <= 0 && dy[0] < 0) {
        dy[0] = 0; /* the diode blocks */
    }
    bool stuck = w <= 0 && torque <= p->hold;
    dy[1] = stuck ? 0 : (torque - p->viscous * w - p->move) / p->inertia;
    return GSL_SUCCESS;
}

typedef struct outcome {
    double *amps, *speed; /* each millisecond */
    double seconds;       /* of processor time */
} outcome;

static outcome by_general_solver(double duty, int ms) {
    double n = motor.gear_ratio, load = motor.load_torque / (n * motor.gear_efficiency);
    plain p = {.inertia = motor.inertia + motor.load_inertia / (n * n),
               .viscous =
                   motor.viscous_friction + motor.load_viscous / (n * n * motor.gear_efficiency),
               .hold = motor.static_friction + load,
               .move = motor.dry_friction + load};
    gsl_odeiv2_system system = {slopes, NULL, 2, &p};
    gsl_odeiv2_driver *driver =
        gsl_odeiv2_driver_alloc_y_new(&system, gsl_odeiv2_step_rk8pd, 1e-6, 1e-10, 1e-10);
    outcome o = {calloc((size_t)ms, sizeof(double)), calloc((size_t)ms, sizeof(double)), 0};
    double y[2] = {0, 0}, t = 0, began = cpu_seconds();
    double period = 50e-6, high = round(duty * 800) / 800 * period;
    for (int k = 0; k < ms * 20; k++) {
        double start = k * period;
        p.high = true;
        gsl_odeiv2_driver_reset(driver);
        gsl_odeiv2_driver_apply(driver, &t, start + high, y);
        p.high = false;
        gsl_odeiv2_driver_reset(driver);
        gsl_odeiv2_driver_apply(driver, &t, start + period, y);
        if (k % 20 == 19) {
            o.amps[k / 20] = y[0];
            o.speed[k / 20] = y[1];
        }
    }
    o.seconds = cpu_seconds() - began;
    gsl_odeiv2_driver_free(driver);
    return o;
}

static outcome by_simulator(double duty, int ms) {
    wpin_port port;
    wpin_sim *sim = new_board(&port, &motor);
    outcome o = {calloc((size_t)ms, sizeof(double)), calloc((size_t)ms, sizeof(double)), 0};
    port.pwm_duty(sim, 9, (uint16_t)lround(duty * WPIN_DUTY_FULL));
    double began = cpu_seconds();
    for (int k = 0; k < ms; k++) {
        wpin_sim_advance(sim, MS);
        wpin_part_reading r = wpin_sim_read(sim, 0);
        o.amps[k] = r.amps_now;
        o.speed[k] = r.rpm * 3.14159265358979 / 30 * motor.gear_ratio;
    }
    o.seconds = cpu_seconds() - began;
    wpin_sim_free(sim);
    return o;
}

static double worst(const double *a, const double *b, int count) {
    double largest = 0, apart = 0;
    for (int i = 0; i < count; i++) {
        largest = fmax(largest, fabs(b[i]));
        apart = fmax(apart, fabs(a[i] - b[i]));
    }
    return apart / largest * 100;
}

static void compare(double duty) {
    enum { SPAN = 2000 };
    outcome general = by_general_solver(duty, SPAN), ours = by_simulator(duty, SPAN);
    printf("  %3.0f %% duty: worst error %.2g %% in current, %.2g %% in speed; %.0f times faster\n",
           duty * 100, worst(ours.amps, general.amps, SPAN), worst(ours.speed, general.speed, SPAN),
           general.seconds / ours.seconds);
    free(general.amps), free(general.speed), free(ours.amps), free(ours.speed);
}

/* The same without a load: so little current that it stops in every period. */
static wpin_part_motor light_motor(void) {
    wpin_part_motor light = motor;
    light.static_friction = light.dry_friction = 0.5e-3;
    light.load_torque = light.load_viscous = light.load_inertia = 0;
    return light;
}

/* Simulated seconds per second of processor time; the least current of the last millisecond. */
static double speed_once(const wpin_part_motor *driven, double duty, double slope, double *least) {
    enum { SECONDS = 20 };
    wpin_port port;
    wpin_sim *sim = new_board(&port, driven);
    double began = cpu_seconds();
    for (int ms = 0; ms < SECONDS * 1000; ms++) {
        double now = duty + slope * fabs(fmod(ms * 1e-3, 4) - 2);
        port.pwm_duty(sim, 9, (uint16_t)lround(now * WPIN_DUTY_FULL));
        wpin_sim_advance(sim, MS);
        *least = wpin_sim_read(sim, 0).amps_min;
    }
    double took = cpu_seconds() - began;
    wpin_sim_free(sim);
    return SECONDS / took;
}

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

/* A shared machine is slowed by its neighbours: the middle and the best of many short runs. */
static void speed(const char *what, const wpin_part_motor *driven, double duty, double slope) {
    enum { RUNS = 25 };
    double speeds[RUNS], least = 0;
    for (int i = 0; i < RUNS; i++) {
        speeds[i] = speed_once(driven, duty, slope, &least);
    }
    qsort(speeds, RUNS, sizeof *speeds, by_size);
    printf("  %-24s %4.0f simulated seconds per second of one core (best %.0f of %d runs); least "
           "current %.2g A\n",
           what, speeds[RUNS / 2], speeds[RUNS - 1], RUNS, least);
}

/* A duty that falls by a slope in each second for two of them, and rises again. */
static double swept(double duty, double slope, long ms) {
    return duty + slope * fabs((double)(ms % 4000) * 1e-3 - 2);
}

/* Motors on one supply, each with its own PWM pin, for so long, at a duty or each millisecond at
 * another; the processor time it took. */
static double drive_motors(int count, int ms, bool changing) {
    wpin_port port;
    wpin_sim *sim = new_board(&port, &motor);
    for (int i = 1; i < count; i++) {
        int number = wpin_sim_add_bridge(sim, &bridge, 0);
        wpin_sim_add_motor(sim, &motor, number);
        wpin_sim_wire_input(sim, number, WPIN_DRIVER_INPUT_DIRECTION, 4);
        wpin_sim_wire_input(sim, number, WPIN_DRIVER_INPUT_PWM, (wpin_pin)(20 + i));
        port.open(sim, (wpin_pin)(20 + i), WPIN_LOW);
        port.pwm_start(sim, (wpin_pin)(20 + i), &(wpin_pwm_request){.hz = 20000},
                       &(wpin_pwm_achieved){0});
        port.pwm_duty(sim, (wpin_pin)(20 + i), (uint16_t)(6000 + 200 * i));
    }
    port.pwm_duty(sim, 9, 9000);
    double began = cpu_seconds();
    for (int k = 0; k < ms; k++) {
        for (int i = 0; changing && i < count; i++) {
            double duty = swept(0.1, 0.4, k + 500 * i);
            port.pwm_duty(sim, (wpin_pin)(i == 0 ? 9 : 20 + i), (uint16_t)(duty * WPIN_DUTY_FULL));
        }
        wpin_sim_advance(sim, MS);
    }
    double took = cpu_seconds() - began;
    wpin_sim_free(sim);
    return took;
}

/* Best of a few runs, simulated seconds a second. */
static double motors_speed(int count) {
    double best = 0;
    int ms = 16000 / count;
    for (int run = 0; run < 5; run++) {
        best = fmax(best, ms * 1e-3 / drive_motors(count, ms, false));
    }
    return best;
}

static void speed_of_many(void) {
    static const int counts[] = {1, 2, 6, 16, 32};
    double alone = motors_speed(1);
    printf("Motors on one supply, each on its own PWM (best of 5 runs):\n");
    for (size_t i = 0; i < sizeof counts / sizeof *counts; i++) {
        double s = motors_speed(counts[i]);
        printf(
            "  %2d motors: %3.0f simulated seconds per second, %.2f of the cost of one a motor\n",
            counts[i], s, alone / s / counts[i]);
    }
}

/* Four switches, one leg of them a complementary pair with a dead time. */
static wpin_sim *new_pair(wpin_port *port) {
    wpin_part_driver switches = bridge;
    switches.logic = WPIN_LOGIC_FULL_BRIDGE;
    wpin_sim *sim = wpin_sim_new(&controller);
    wpin_sim_add_motor(sim, &motor,
                       wpin_sim_add_bridge(sim, &switches, wpin_sim_add_supply(sim, &supply)));
    *port = wpin_sim_port(sim);
    for (int i = 0; i < 4; i++) {
        wpin_sim_wire_input(sim, 0, i, (wpin_pin)(30 + i));
        port->open(sim, (wpin_pin)(30 + i), i == 3 ? WPIN_HIGH : WPIN_LOW);
    }
    port->leg_start(sim, 30, 31, &(wpin_pwm_request){.hz = 20000, .dead_time_ns = 1000},
                    &(wpin_pwm_achieved){0});
    return sim;
}

/* A number of lamps on one supply beside a motor, lit for milliseconds: for counting instructions.
 */
static int light_lamps(int count, long last) {
    const wpin_part_lamp lamp = {
        .name = "lamp", .volts = 12, .watts = 10, .cold_share = 0.1, .warm_up = 0.1};
    wpin_part_driver one = bridge;
    one.logic = WPIN_LOGIC_LOW_SIDE;
    wpin_port port;
    wpin_sim *sim = new_board(&port, &motor);
    for (int i = 0; i < count; i++) {
        wpin_pin pin = (wpin_pin)(40 + i);
        int number = wpin_sim_add_bridge(sim, &one, 0);
        wpin_sim_wire_input(sim, number, 0, pin);
        wpin_sim_add_lamp(sim, &lamp, number);
        port.open(sim, pin, WPIN_LOW);
        port.write(sim, pin, WPIN_HIGH);
    }
    port.pwm_duty(sim, 9, WPIN_DUTY_FULL / 2);
    wpin_sim_advance(sim, last * MS);
    printf("%.3g A\n", wpin_sim_read(sim, count).amps_now);
    wpin_sim_free(sim);
    return 0;
}

/* Duty, its slope, which motor, milliseconds: for counting instructions. */
static int drive_one(char **argv) {
    wpin_part_motor light = light_motor();
    wpin_port port;
    bool pair = strcmp(argv[3], "pair") == 0, free_running = strcmp(argv[3], "light") == 0;
    wpin_sim *sim = pair ? new_pair(&port) : new_board(&port, free_running ? &light : &motor);
    double duty = strtod(argv[1], NULL), slope = strtod(argv[2], NULL), least = 0;
    long last = strtol(argv[4], NULL, 10);
    for (long ms = 0; ms < last; ms++) {
        if (ms == 0 || slope != 0) {
            uint16_t set = (uint16_t)lround(swept(duty, slope, ms) * WPIN_DUTY_FULL);
            if (pair) {
                port.leg_duty(sim, 30, 31, set);
            } else {
                port.pwm_duty(sim, 9, set);
            }
        }
        wpin_sim_advance(sim, MS);
        least = wpin_sim_read(sim, 0).amps_min;
    }
    printf("least current of the last millisecond %.3g A\n", least);
    wpin_sim_free(sim);
    return 0;
}

/* Driven only, for counting instructions: a number of motors, milliseconds, whether each has a new
 * duty in every one; lamps, milliseconds; or see drive_one. */
int main(int argc, char **argv) {
    if (argc == 5) {
        return drive_one(argv);
    }
    if (argc == 3) {
        return light_lamps((int)strtol(argv[1], NULL, 10), strtol(argv[2], NULL, 10));
    }
    if (argc == 4) {
        return drive_motors((int)strtol(argv[1], NULL, 10), (int)strtol(argv[2], NULL, 10),
                            strcmp(argv[3], "new") == 0) < 0;
    }
    printf("One motor, 20 kHz PWM, every edge solved:\n");
    wpin_part_motor light = light_motor();
    speed("duty held at 60 %", &motor, 0.6, 0);
    speed("duty swept 10 to 90 %", &motor, 0.1, 0.4);
    speed("30 %, current gaps", &light, 0.3, 0);
    speed_of_many();
    printf("Against the general solver (8th order, tolerance 1e-10), start from rest, 2 s:\n");
    compare(0.25);
    compare(0.6);
    compare(0.9);
    return 0;
}
