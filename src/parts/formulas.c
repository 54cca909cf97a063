/* The formulas of calc.h, one function each. */
#include "windpin/host/calc.h"
#include <math.h>

#define PI 3.14159265358979323846

double wpin_calc_preferred(double value, int series, wpin_rounding rounding) {
    static const double e24[] = {1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0,
                                 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1};
    int step = series == 6 ? 4 : (series == 12 ? 2 : 1);
    double decade = pow(10, floor(log10(value))), scaled = value / decade;
    const double hair = 1e-9; /* a value that is a preferred one stays it */
    if (rounding == WPIN_ROUND_UP) {
        for (int i = 0; i < 24; i += step) {
            if (e24[i] >= scaled * (1 - hair)) {
                return e24[i] * decade;
            }
        }
        return 10 * decade;
    }
    for (int i = 24 - step; i >= 0; i -= step) {
        if (e24[i] <= scaled * (1 + hair)) {
            return e24[i] * decade;
        }
    }
    return decade;
}

double wpin_calc_pin_volts(double open_volts, double pin_ohms, double amps) {
    return open_volts - pin_ohms * amps;
}

double wpin_calc_base_amps(double collector_amps, double forced_gain) {
    return collector_amps / forced_gain;
}

double wpin_calc_series_ohms(double volts, double drop_volts, double amps) {
    return (volts - drop_volts) / amps;
}

double wpin_calc_fet_ohms(double stated_ohms, double stated_gate_volts, double threshold_volts,
                          double gate_volts) {
    if (gate_volts >= stated_gate_volts) {
        return stated_ohms;
    }
    if (gate_volts <= threshold_volts) {
        return HUGE_VAL;
    }
    return stated_ohms * (stated_gate_volts - threshold_volts) / (gate_volts - threshold_volts);
}

double wpin_calc_bootstrap_duty(double hz, double recharge_seconds) {
    return fmax(0, 1 - hz * recharge_seconds);
}

double wpin_calc_diode_amps(double motor_amps, double duty) {
    return motor_amps * (1 - duty);
}

double wpin_calc_recovery_watts(double volts, double amps, double recovery_seconds, double hz) {
    return volts * amps * recovery_seconds * hz;
}

double wpin_calc_capacitor_watts(double farads, double volts, double hz) {
    return farads * volts * volts * hz;
}

double wpin_calc_surge_seconds(double volts, double ohms, double farads, double amps,
                               double *peak) {
    double most = volts / fmax(ohms, 1e-6);
    *peak = most;
    return most > amps && amps > 0 ? ohms * farads * log(most / amps) : 0;
}

double wpin_calc_bulk_farads(double motor_amps, double duty, double hz, double ripple_volts) {
    return motor_amps * (1 - duty) * duty / hz / ripple_volts;
}

#define LEAD_HENRIES 1e-6 /* of a metre of cable, there and back */

double wpin_calc_bulk_ripple(double amps, double hz, double farads, double supply_ohms) {
    double alone = amps / (4 * hz * farads);
    double most = amps * (supply_ohms + sqrt(LEAD_HENRIES / farads));
    return supply_ohms > 0 ? most * tanh(alone / most) : alone;
}

double wpin_calc_ripple_farads(double amps, double hz, double ripple_volts, double supply_ohms) {
    double low = 1e-12, high = 100;
    for (int i = 0; i < 100; i++) { /* it swings less the larger it is */
        double farads = sqrt(low * high);
        bool enough = wpin_calc_bulk_ripple(amps, hz, farads, supply_ohms) <= ripple_volts;
        low = enough ? low : farads;
        high = enough ? farads : high;
    }
    return high;
}

double wpin_calc_stage_volts(double amps, double switch_ohms, double saturation_volts) {
    return 2 * (amps * switch_ohms + saturation_volts);
}

double wpin_calc_junction_degrees(double air_degrees, double watts, double kelvin_per_watt) {
    return air_degrees + watts * kelvin_per_watt;
}

double wpin_calc_stall_amps(double volts, double winding_ohms, double other_ohms) {
    return volts / (winding_ohms + other_ohms);
}

double wpin_calc_reversal_amps(double volts, double back_emf_volts, double ohms) {
    return (volts + back_emf_volts) / ohms;
}

double wpin_calc_ripple_amps(double volts, double duty, double hz, double henries) {
    return volts * duty * (1 - duty) / (henries * hz);
}

double wpin_calc_ripple_fast_amps(double volts, double duty, double hz, double henries) {
    return 2 * wpin_calc_ripple_amps(volts, duty, hz, henries);
}

double wpin_calc_run_hours(double coulombs, double mean_amps, double share_left) {
    return coulombs * (1 - share_left) / mean_amps / 3600;
}

double wpin_calc_linear_watts(double input_volts, double output_volts, double amps) {
    return (input_volts - output_volts) * amps;
}

double wpin_calc_converter_amps(double output_volts, double output_amps, double efficiency,
                                double input_volts) {
    return output_volts * output_amps / (efficiency * input_volts);
}

wpin_motor_constants wpin_calc_motor(const wpin_motor_measured *m) {
    double speed = m->no_load_rpm * PI / 30, ohms = m->volts / m->stall_amps;
    double constant = (m->volts - m->no_load_amps * ohms) / speed;
    double dry = constant * m->no_load_amps;
    return (wpin_motor_constants){.ohms = ohms,
                                  .constant = constant,
                                  .dry_friction = dry,
                                  .static_friction =
                                      fmax(dry, constant * m->start_duty * m->volts / ohms),
                                  .inertia = dry * m->run_down_time / speed};
}

double wpin_calc_settled_speed(double volts, double ohms, double constant, double torque,
                               double viscous) {
    double drive = constant * volts / ohms - torque;
    return drive <= 0 ? 0 : drive / (viscous + constant * constant / ohms);
}

double wpin_calc_run_down_seconds(double inertia, double speed, double torque, double viscous) {
    if (torque <= 0) {
        return HUGE_VAL; /* viscous friction alone never quite gets there */
    }
    if (viscous * speed < 1e-6 * torque) {
        return inertia * speed / torque;
    }
    return inertia / viscous * log(1 + viscous * speed / torque);
}

double wpin_calc_warm_ohms(double cold_ohms, double rise) {
    return cold_ohms * (1 + 0.00393 * rise);
}

double wpin_calc_warm_constant(double cold_constant, double rise) {
    return cold_constant * fmax(1 - 0.001 * rise, 0.1);
}

double wpin_calc_winding_watts(const wpin_winding_load *load, double rise) {
    double ohms = load->drifts ? wpin_calc_warm_ohms(load->ohms, rise) : load->ohms;
    double amps = load->amps;
    if (load->by_volts) {
        amps *= (load->ohms + load->other_ohms) / (ohms + load->other_ohms);
    } else if (load->drifts) {
        amps /= wpin_calc_warm_constant(1, rise);
    }
    return amps * amps * ohms;
}

double wpin_calc_winding_rise(const wpin_winding_load *load, double kelvin_per_watt) {
    const double too_hot = 1e4;
    double rise = 0;
    for (int i = 0; i < 200; i++) {
        rise += (fmin(wpin_calc_winding_watts(load, rise) * kelvin_per_watt, too_hot) - rise) / 2;
    }
    return rise;
}

double wpin_calc_winding_seconds(const wpin_winding_load *load, double kelvin_per_watt,
                                 double time_constant, double from, double to) {
    const int steps = 400;
    double seconds = 0, step = (to - from) / steps; /* equal steps of heat, not of time */
    for (int i = 0; i < steps && step > 0; i++) {
        double rise = from + (i + 0.5) * step;
        double rate =
            (wpin_calc_winding_watts(load, rise) * kelvin_per_watt - rise) / time_constant;
        if (rate <= 0) {
            return HUGE_VAL;
        }
        seconds += step / rate;
    }
    return seconds;
}

/* i goes to V / R with L / R: in the on phase to `up`, in the off phase to `down`. */
typedef struct pwm_ends {
    double tau, up, down, on, off; /* s, A, A, s, s */
    double least, most;
    bool dry; /* it has run down to zero */
} pwm_ends;

static pwm_ends pwm_ends_of(const wpin_pwm_loop *loop, double duty) {
    pwm_ends e = {.tau = loop->henries / loop->ohms,
                  .up = (loop->both_ways ? loop->on_volts : fmax(loop->on_volts, 0)) / loop->ohms,
                  .down = fmin(loop->off_volts, 0) / loop->ohms,
                  .on = duty / loop->hz,
                  .off = (1 - duty) / loop->hz};
    double a = exp(-e.on / e.tau), b = exp(-e.off / e.tau);
    e.most = a * b < 1 ? (e.up * (1 - a) + a * e.down * (1 - b)) / (1 - a * b) : e.up;
    e.least = e.down * (1 - b) + b * e.most;
    bool stays = !loop->both_ways || loop->off_volts + loop->turned_volts >= 0;
    if (e.least < 0 && stays) {
        e.dry = true;
        e.least = 0;
        e.most = e.up * (1 - a);
    }
    return e;
}

/* A current on its way through phases whose volts change where it turns round. */
typedef struct pwm_course {
    double amps, sum, squares, flows; /* now; its integrals; s in which it is not nothing */
    double least, most;
} pwm_course;

static void go_on(pwm_course *c, double end, double tau, double time) {
    double from = c->amps - end, x = exp(-time / tau);
    c->sum += end * time + from * tau * (1 - x);
    c->squares +=
        end * end * time + 2 * end * from * tau * (1 - x) + from * from * tau / 2 * (1 - x * x);
    c->flows += time;
    c->amps = end + from * x;
    c->least = fmin(c->least, c->amps);
    c->most = fmax(c->most, c->amps);
}

/* A phase: towards one current while it flows forward, towards another once it has turned. */
static void pass_phase(pwm_course *c, double forward, double turned, double tau, double time) {
    if (c->amps != 0) {
        double end = c->amps > 0 ? forward : turned;
        bool crosses = c->amps * end < 0;
        double to_zero = crosses ? tau * log((c->amps - end) / -end) : time;
        go_on(c, end, tau, fmin(to_zero, time));
        if (to_zero >= time) {
            return;
        }
        c->amps = 0;
        time -= to_zero;
    }
    double end = forward > 0 ? forward : fmin(turned, 0);
    if (end != 0) {
        go_on(c, end, tau, time);
    }
}

static pwm_course pass_period(const wpin_pwm_loop *loop, double duty, double amps,
                              double *off_flows) {
    double tau = loop->henries / loop->ohms, on = loop->on_volts / loop->ohms;
    double off = loop->off_volts / loop->ohms, more = loop->turned_volts / loop->ohms;
    pwm_course c = {.amps = amps, .least = amps, .most = amps};
    pass_phase(&c, on, on + more, tau, duty / loop->hz);
    double before = c.flows;
    pass_phase(&c, off, off + more, tau, (1 - duty) / loop->hz);
    *off_flows = c.flows - before;
    return c;
}

/* The current with which a period ends as it began, by halving: whatever begins off it ends nearer.
 */
static wpin_pwm_wave turning_wave(const wpin_pwm_loop *loop, double duty) {
    double most = fmax(loop->on_volts, 0) / loop->ohms, off;
    double low = fmin(loop->off_volts + loop->turned_volts, 0) / loop->ohms, high = most;
    low = fmin(low, fmin(loop->on_volts + loop->turned_volts, 0) / loop->ohms);
    for (int i = 0; i < 50; i++) {
        double amps = (low + high) / 2;
        *(pass_period(loop, duty, amps, &off).amps > amps ? &low : &high) = amps;
    }
    pwm_course c = pass_period(loop, duty, (low + high) / 2, &off);
    return (wpin_pwm_wave){.least = c.least,
                           .most = c.most,
                           .mean = c.sum * loop->hz,
                           .rms = sqrt(fmax(c.squares * loop->hz, 0)),
                           .off_share = off * loop->hz};
}

wpin_pwm_wave wpin_calc_pwm_wave(const wpin_pwm_loop *loop, double duty) {
    if (loop->hz <= 0 || duty >= 1) {
        double amps = fmax(loop->on_volts, 0) / loop->ohms;
        return (wpin_pwm_wave){amps, amps, amps, amps, 0};
    }
    if (duty <= 0) {
        return (wpin_pwm_wave){0};
    }
    if (loop->both_ways && loop->turned_volts > 0) {
        return turning_wave(loop, duty);
    }
    pwm_ends e = pwm_ends_of(loop, duty);
    double falls = e.off; /* until it ends or is nothing */
    if (e.dry && e.down < 0) {
        falls = fmin(e.off, e.tau * log((e.most - e.down) / -e.down));
    }
    /* mean and mean square of two exponentials: the integrals of c + d exp(-t/tau) */
    double squares = 0, sum = 0;
    const double ends[2] = {e.up, e.down}, from[2] = {e.least, e.most}, time[2] = {e.on, falls};
    for (int i = 0; i < 2; i++) {
        double c = ends[i], d = from[i] - c, x = exp(-time[i] / e.tau);
        sum += c * time[i] + d * e.tau * (1 - x);
        squares += c * c * time[i] + 2 * c * d * e.tau * (1 - x) + d * d * e.tau / 2 * (1 - x * x);
    }
    return (wpin_pwm_wave){.least = e.least,
                           .most = e.most,
                           .mean = sum * loop->hz,
                           .rms = sqrt(fmax(squares * loop->hz, 0)),
                           .off_share = falls * loop->hz};
}

double wpin_calc_pwm_above_seconds(const wpin_pwm_loop *loop, double duty, double amps) {
    if (loop->hz <= 0 || duty >= 1) {
        return loop->on_volts > amps * loop->ohms ? HUGE_VAL : 0;
    }
    pwm_ends e = pwm_ends_of(loop, duty);
    if (duty <= 0 || e.most <= amps) {
        return 0;
    }
    if (e.least > amps) {
        return HUGE_VAL;
    }
    double rises = e.tau * log((e.up - e.least) / (e.up - amps));
    double falls = amps > e.down ? e.tau * log((e.most - e.down) / (amps - e.down)) : e.off;
    return fmax(e.on - rises, 0) + fmin(falls, e.off);
}
