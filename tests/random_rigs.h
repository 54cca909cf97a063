/* Rigs of random size, sound and unsound, from pick(). */
#ifndef WPIN_TESTS_RANDOM_RIGS_H
#define WPIN_TESTS_RANDOM_RIGS_H

#include "support.h"
#include <math.h>

static double between(double low, double high) {
    return low * pow(high / low, (double)pick(10001) / 10000);
}

/* A pump of random size on a driver of random strength; the words of the rig. */
static inline const char *random_rig(void) {
    static char text[2000];
    static const char *const stages[] = {
        "kind: direction-pwm-brake, pins: {direction: 4, brake: 7, pwm: 9}",
        "kind: two-inputs-slow, pins: {in1: 4, in2: 7}",
        "kind: half-bridges, pins: {enable: 4, a: 7, b: 9}",
        "kind: direction-pwm-standby, pins: {standby: 4, direction: 7, pwm: 9}"};
    bool shared = pick(3) == 0; /* one source for motor and controller */
    double volts = between(5, 30), ohms = between(0.5, 12), amps = volts / ohms;
    double constant = between(0.2, 0.8) * volts / 400, hold = between(0.02, 1.2) * constant * amps;
    snprintf(
        text, sizeof text,
        "rig: any\n%ssupplies: {main: {voltage: %.3gV, resistance: %.3gohm, switch: "
        "on%s}%s}\nloads:\n  pump:\n"
        "    supply: main\n    stage: {%s, pwm: 20kHz%s}\n    driver: {on-resistance: %.3gohm, "
        "current-limit: "
        "%.3gA, voltage-limit: %.3gV, heat: {resistance: %.3gK/W, time: 300ms}%s}\n    motor: "
        "{resistance: "
        "%.4gohm, inductance: %.3gmH, constant: %.4gmNm/A, inertia: %.4ggcm2, "
        "static-friction: %.5gmNm, "
        "dry-friction: %.5gmNm}\n    ramp: {up: %.3gs, down: %.3gs}\n    rest: %.3gs\n",
        shared ? "controller: {supply: logic, least-voltage: 4.5V}\n" : "", volts,
        between(0.01, 0.5), pick(3) == 0 ? ", limit: 3A" : "",
        shared ? ", logic: {from: main, voltage: 5V, regulates: switching, least-input: 3V}" : "",
        stages[pick(4)], pick(2) == 0 ? ", at-rest: brake" : "", between(0.01, 0.4),
        amps * between(0.4, 3), volts * between(0.8, 3), between(3, 120),
        pick(4) == 0 ? ", protects-itself: yes" : "", ohms, ohms * between(0.4, 2), constant * 1e3,
        between(20, 600), hold * 1e3, hold * between(0.4, 1) * 1e3, between(0.2, 2),
        between(0.2, 1), between(0.3, 6));
    return text;
}

/* Another load of random size behind a random transistor: the rig; its plan by the kind of load. */
static inline const char *random_other(int kind) {
    static char text[2000];
    char hangs[600], gate[200] = "", start[120] = "";
    double volts = between(5, 24), amps = between(0.2, 4), ohms = volts / amps,
           in = amps * between(0.3, 1.2);
    if (kind == 0) {
        snprintf(hangs, sizeof hangs,
                 "lamp: {rated: %.3gV, power: %.3gW, cold: %.3g%%, warm-up: %.3gms}", volts,
                 volts * amps, between(5, 40), between(20, 400));
    } else if (kind == 1) {
        snprintf(hangs, sizeof hangs,
                 "solenoid: {resistance: %.3gohm, inductance: %.3gmH, pull-in: %.3gA, drop-out: "
                 "%.3gA, heat: "
                 "{resistance: %.3gK/W, time: 2s}}",
                 ohms, ohms * between(1, 10), in, in * between(0.1, 0.5), between(0.5, 20));
        snprintf(start, sizeof start,
                 "    start: {kick-level: 100%%, kick-time: %.3gms}\n    on-duty: %.3g%%\n",
                 between(20, 200), between(10, 90));
    } else {
        double hold = between(0.01, 1.2) * 0.02 * amps;
        snprintf(hangs, sizeof hangs,
                 "motor: {resistance: %.4gohm, inductance: %.3gmH, constant: 20mNm/A, inertia: "
                 "%.3ggcm2, "
                 "static-friction: %.4gmNm, dry-friction: %.4gmNm}",
                 ohms, ohms * between(0.3, 2), between(20, 200), hold * 1e3, hold * 0.8e3);
        unsigned way = pick(3);
        if (way == 0) {
            snprintf(
                gate, sizeof gate,
                ", opto: {forward: 1.2V, resistor: %.3gohm, least: %.3gmA}, diode-limit: %.3gA",
                between(100, 2e3), between(1, 10), amps * between(0.02, 1));
        } else if (way == 1) {
            snprintf(gate, sizeof gate,
                     ", transistor: {kind: npn, base-resistor: %.3gohm, gain: %.3g}",
                     between(220, 20e3), between(30, 2000));
        } else {
            snprintf(gate, sizeof gate,
                     ", transistor: {kind: n-channel, threshold: %.3gV, stated-at: %.3gV}",
                     between(0.8, 5.5), between(6, 10));
        }
    }
    snprintf(text, sizeof text,
             "rig: any\ncontroller: {pin-limit: 20mA}\nsupplies: {main: {voltage: %.3gV, "
             "resistance: %.3gohm, "
             "switch: on}}\nloads:\n  pump:\n    supply: main\n    stage: {kind: low-side-switch, "
             "pins: {gate: "
             "3}, pwm: 4kHz}\n    driver: {on-resistance: %.3gohm, current-limit: %.3gA, "
             "current-time: %.3gms, "
             "voltage-limit: 40V%s}\n    %s\n    ramp: {up: 100ms, down: 100ms}\n    rest: 0s\n%s",
             volts, between(0.01, 0.1), between(0.01, 0.1), amps * between(0.8, 12),
             between(1, 100), gate, hangs, start);
    return text;
}

#endif
