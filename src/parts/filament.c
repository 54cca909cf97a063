/* A lamp's filament: R goes with T^1.2 (tungsten), what it radiates with T^4 (Stefan and
 * Boltzmann), its light with the 2.2nd power of that, which makes the usual 3.4th of the volts. */
#include "windpin/host/calc.h"
#include <math.h>

#define ROOM_K 300.0

double wpin_calc_filament_hot(const wpin_filament *f) {
    return ROOM_K * pow(1 / f->cold_share, 1 / WPIN_FILAMENT_POWER);
}

static double hot_of(const wpin_filament *f) {
    return f->hot > 0 ? f->hot : wpin_calc_filament_hot(f);
}

double wpin_calc_filament_ohms(const wpin_filament *f, double kelvin) {
    return f->volts * f->volts / f->watts * f->cold_share *
           pow(kelvin / ROOM_K, WPIN_FILAMENT_POWER);
}

static double fourth_power(double of) {
    return of * of * of * of;
}

/* Of its rated watts, at which it is so hot. */
static double radiated(double kelvin, double hot) {
    double room = fourth_power(ROOM_K);
    return (fourth_power(kelvin) - room) / (fourth_power(hot) - room);
}

double wpin_calc_filament_warm(const wpin_filament *f, double kelvin, double watts,
                               double seconds) {
    double hot = hot_of(f);
    double capacity = f->watts * f->warm_up / (hot - ROOM_K);
    double out = f->watts * radiated(kelvin, hot);
    return fmax(ROOM_K, kelvin + (watts - out) * seconds / capacity);
}

double wpin_calc_filament_light(const wpin_filament *f, double kelvin) {
    return pow(fmax(radiated(kelvin, hot_of(f)), 0), 2.2);
}

double wpin_calc_inrush_seconds(const wpin_filament *f, double volts, double series_ohms, double hz,
                                double ramp_seconds, double duty, double amps) {
    const double dt = 50e-6;
    bool fast = hz > 2e3; /* the filament sees the mean, the current its pulses */
    double kelvin = ROOM_K, going = 0, longest = 0;
    long steps = (long)ceil((ramp_seconds + 5 * f->warm_up) / dt);
    for (long i = 0; i < steps; i++) {
        double t = (double)i * dt;
        double share = ramp_seconds > 0 ? fmin(t / ramp_seconds, 1) * duty : duty;
        bool pulsed = hz > 0 && share < 1;
        bool on = !pulsed || fast || fmod(t * hz, 1) < share;
        double ohms = wpin_calc_filament_ohms(f, kelvin), now = volts / (ohms + series_ohms);
        if (now < 0.9 * amps) {
            break; /* it only gets warmer */
        }
        going = on && now > amps ? going + (pulsed && fast ? share / hz : dt) : 0;
        longest = fmax(longest, going);
        going = pulsed && fast ? 0 : going;
        double watts = now * now * ohms * (pulsed && fast ? share : on);
        kelvin = wpin_calc_filament_warm(f, kelvin, watts, dt);
    }
    return longest;
}
