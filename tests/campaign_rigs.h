/* Rigs and plans of every load on every stage at every decade of PWM frequency: sound by their
 * making, and then spoilt in none to two places. From pick(). */
#ifndef WPIN_TESTS_CAMPAIGN_RIGS_H
#define WPIN_TESTS_CAMPAIGN_RIGS_H

#include "random_rigs.h"
#include <string.h>
#include <windpin/host/rig.h>

typedef struct campaign_cell {
    const char *load;
    const wpin_stage_kind *kind;
    int decade; /* PWM from 10^decade Hz on; 0: none */
} campaign_cell;

/* Everything a rig is made of. SI; the words are made last. */
typedef struct campaign_rig {
    campaign_cell cell;
    double volts, source_ohms, limit, farads;
    const char *supply_more;
    double winding_time; /* thermal, s */
    double ohms, henries, constant, inertia, hold, dry, gear, torque, winding_kpw;
    double amps; /* of it at rest, or its rated current */
    double on_ohms, amps_limit, limit_time, volts_limit, saturation, driver_kpw, diode_limit;
    double pwm, ramp_up, ramp_down, rest, duty, cap, kick, on_duty;
    const char *driver_more;
    char switch_more[160];
    double logic;
} campaign_rig;

static bool campaign_bridge(const wpin_stage_kind *kind) {
    return kind->logic != WPIN_LOGIC_LOW_SIDE && kind->logic != WPIN_LOGIC_HIGH_SIDE &&
           kind->logic != WPIN_LOGIC_RELAY;
}

/* All cells; how many. */
static size_t campaign_cells(campaign_cell *cells, size_t most) {
    static const char *const loads[] = {"motor", "lamp", "leds", "solenoid", "stepper"};
    size_t kinds, count = 0;
    const wpin_stage_kind *kind = wpin_stage_kinds(&kinds);
    for (size_t k = 0; k < kinds; k++) {
        for (int l = kind[k].direct ? 5 : 0; l < 5; l++) { /* a pin itself has no driver to vary */
            bool fits = kind[k].coils ? l == 4 : l == 0 || (l < 4 && !campaign_bridge(&kind[k]));
            bool timed = wpin_stage_kind_has_pwm(&kind[k]) && !wpin_logic_of(kind[k].logic)->pulses;
            for (int decade = timed ? 1 : 0; fits && decade <= (timed ? 4 : 0); decade++) {
                if (count < most) {
                    cells[count++] = (campaign_cell){loads[l], &kind[k], decade};
                }
            }
        }
    }
    return count;
}

static void campaign_motor(campaign_rig *r) {
    double top = between(250, 900); /* rad/s at full volts */
    r->ohms = between(0.3, 15);
    r->amps = r->volts / r->ohms;
    r->constant = r->volts / top;
    r->henries = r->ohms * between(0.3e-3, 3e-3);
    r->inertia = between(0.02, 0.2) * r->constant * r->constant / r->ohms;
    r->hold = between(0.03, 0.2) * r->constant * r->amps;
    r->dry = r->hold * between(0.5, 0.9);
    r->gear = pick(2) == 0 ? between(2, 80) : 1;
    r->torque = pick(2) == 0 ? between(0.02, 0.2) * r->constant * r->amps * r->gear * 0.7 : 0;
    double runs = (r->dry + r->torque / (r->gear * 0.7)) / r->constant;
    /* made to run with a quarter of its stall current */
    r->winding_kpw = pick(4) == 0 ? 60 / (r->volts * r->amps / 16) : 0;
    /* friction alone brings it to rest in J w / T */
    r->rest = 1.5 * r->inertia * top / (r->dry + r->torque / (r->gear * 0.7)) + 0.1;
    r->driver_kpw = pick(2) == 0
                        ? 40 / (2 * runs * runs * r->on_ohms + (0.9 + r->saturation) * runs + 0.05)
                        : 0;
}

static void campaign_light(campaign_rig *r) {
    r->amps = between(0.2, 5);
    r->ohms = r->volts / r->amps;
    double watts = r->amps * (2 * r->amps * r->on_ohms + 2 * r->saturation);
    r->driver_kpw = pick(2) == 0 ? 40 / (watts + 0.05) : 0;
}

static void campaign_solenoid(campaign_rig *r) {
    r->amps = between(0.3, 3);
    r->ohms = r->volts / r->amps;
    r->henries = r->ohms * between(1e-3, 10e-3);
    r->on_duty = pick(2) == 0 ? between(0.3, 0.8) : 0;
    r->kick = r->on_duty > 0 ? between(0.06, 0.2) : 0;
    double watts = r->volts * r->amps * (r->on_duty > 0 ? r->on_duty * r->on_duty : 1);
    r->winding_kpw = pick(2) == 0 ? 45 / watts : 0;
    r->driver_kpw =
        pick(2) == 0 ? 40 / (r->amps * r->amps * r->on_ohms + (0.6 + r->saturation) * r->amps) : 0;
}

static void campaign_stepper(campaign_rig *r) {
    r->amps = between(0.3, 2);
    r->ohms = r->volts / r->amps;
    r->henries = r->ohms * between(0.8e-3, 2e-3);
    r->hold = between(0.1, 0.6);
    r->winding_kpw = pick(2) == 0 ? 25 / (r->volts * r->amps) : 0;
    r->driver_kpw =
        pick(2) == 0 ? 40 / (4 * r->amps * (r->amps * r->on_ohms + r->saturation) + 0.05) : 0;
}

/* A single transistor, or the chip as it is. */
static void campaign_switch(campaign_rig *r) {
    unsigned way = pick(5);
    double need = r->amps / 10;
    r->switch_more[0] = '\0';
    if (r->cell.kind->logic == WPIN_LOGIC_LOW_SIDE && way == 0) {
        snprintf(r->switch_more, sizeof r->switch_more,
                 ", transistor: {kind: n-channel, threshold: 1.8V, stated-at: 4.5V}");
    } else if (r->cell.kind->logic == WPIN_LOGIC_LOW_SIDE && way == 1 && need < 0.1) {
        snprintf(r->switch_more, sizeof r->switch_more,
                 ", transistor: {kind: npn, base-resistor: %.3gohm, gain: %.4g}", 560.0,
                 fmax(100, r->amps * 2 / 7e-3));
    }
}

/* One thing made a good deal worse, as it happens on a bench. */
static void campaign_spoil(campaign_rig *r) {
    double by = between(1.3, 6);
    switch (pick(17)) {
    case 0: r->amps_limit /= by; break;
    case 1: r->volts_limit = fmax(r->volts_limit / by, 1); break;
    case 2: r->driver_kpw = fmin(fmax(r->driver_kpw, 5) * by, 999); break;
    case 3: r->winding_kpw *= by; break;
    case 4: r->torque *= by, r->hold *= by; break;
    case 5: r->source_ohms *= by * by; break;
    case 6: r->limit = r->amps / by; break;
    case 7: r->rest /= by; break;
    case 8: r->volts *= 1 + by / 6; break;
    case 9: r->volts /= by; break;
    case 10: r->on_ohms *= by * by; break;
    case 11: r->driver_more = ", pull: no"; break;
    case 12: r->driver_more = ", free-wheel: no"; break;
    case 13: r->diode_limit = r->amps / (3 * by); break;
    case 14: r->logic = 1.8; break;
    case 15: r->saturation = fmin(fmax(r->saturation, 0.5) * by, 5); break;
    default: r->henries /= by; break;
    }
}

static campaign_rig campaign_make(campaign_cell cell) {
    campaign_rig r = {.cell = cell, .volts = between(5, 30), .supply_more = "", .driver_more = ""};
    r.source_ohms = between(0.01, 0.1);
    r.on_ohms = between(5e-3, 0.1);
    r.saturation = pick(5) == 0 ? between(0.1, 0.5) : 0;
    r.pwm = cell.decade > 0 ? pow(10, cell.decade) * between(1.02, 9.8) : 0;
    r.ramp_up = between(0.3, 1.5), r.ramp_down = between(0.3, 1);
    r.winding_time = strcmp(cell.load, "motor") == 0 ? 15 : 0.4;
    r.duty = 1, r.cap = pick(4) == 0 ? between(0.6, 0.95) : 1;
    r.logic = 5;
    switch (cell.load[0] == 's' ? cell.load[1] : cell.load[1] + 256) {
    case 'o': campaign_solenoid(&r); break;
    case 't': campaign_stepper(&r); break;
    case 'o' + 256: campaign_motor(&r); break;
    default: campaign_light(&r); break;
    }
    r.amps_limit = 1.6 * r.amps * (strcmp(cell.load, "lamp") == 0 ? 14 : 1);
    r.limit_time = between(1e-3, 20e-3);
    r.volts_limit = between(1.5, 2.5) * r.volts;
    switch (pick(6)) {
    case 0: r.limit = 3 * r.amps_limit; break;
    case 1: r.farads = between(1e-3, 20e-3); break;
    case 2: r.supply_more = ", capacity: 2Ah, empty: 0.6V"; break;
    default: break;
    }
    campaign_switch(&r);
    r.winding_kpw = fmin(r.winding_kpw, 160);
    static const unsigned spoilt[] = {0, 0, 1, 1, 1, 2};
    for (unsigned left = spoilt[pick(6)]; left > 0; left--) {
        campaign_spoil(&r);
    }
    return r;
}

static size_t campaign_hangs(const campaign_rig *r, char *to, size_t size) {
    char heat[80] = "";
    if (r->winding_kpw > 0) {
        snprintf(heat, sizeof heat, ", heat: {resistance: %.4gK/W, time: %.4gs}", r->winding_kpw,
                 r->winding_time);
    }
    static const char *const poles[] = {", pole-pairs: 1", ", pole-pairs: 2, back-emf: sine",
                                        ", pole-pairs: 4", ", pole-pairs: 7, back-emf: sine"};
    bool phases = wpin_stage_kind_is_three_phase(r->cell.kind);
    if (strcmp(r->cell.load, "motor") == 0) {
        return (size_t)snprintf(
            to, size,
            "    motor: {resistance: %.4gohm, inductance: %.4gmH, constant: %.4gmNm/A, inertia: "
            "%.4ggcm2, static-friction: %.5gmNm, dry-friction: %.5gmNm, gear: %.4g, "
            "gear-efficiency: 70%%, load: {torque: %.5gmNm}%s%s}\n    rest: %.4gs\n%s",
            r->ohms, r->henries * 1e3, r->constant * 1e3, r->inertia * 1e7, r->hold * 1e3,
            r->dry * 1e3, r->gear, r->torque * 1e3, heat, phases ? poles[pick(4)] : "", r->rest,
            phases ? "    hall: {pins: {a: 14, b: 15, c: 16}, uneven: 2deg}\n" : "");
    }
    if (strcmp(r->cell.load, "solenoid") == 0) {
        size_t used = (size_t)snprintf(
            to, size,
            "    solenoid: {resistance: %.4gohm, inductance: %.4gmH, pull-in: %.4gA, drop-out: "
            "%.4gA%s}\n",
            r->ohms, r->henries * 1e3, 0.5 * r->amps, 0.12 * r->amps, heat);
        if (r->on_duty > 0 && r->pwm > 0) {
            used += (size_t)snprintf(to + used, size - used,
                                     "    start: {kick-level: 100%%, kick-time: %.3gms}\n    "
                                     "on-duty: %.3g%%\n",
                                     r->kick * 1e3, r->on_duty * 100);
        }
        return used;
    }
    if (strcmp(r->cell.load, "stepper") == 0) {
        static const char *const ends[] = {", duty: 70%",
                                           ", duty: 85%, at-end: reduce, rest-duty: 40%",
                                           ", at-end: reduce, rest-duty: 60%, reduce-after: 200ms"};
        return (size_t)snprintf(
            to, size,
            "    stepper: {steps: 200, resistance: %.4gohm, inductance: %.4gmH, rated: %.4gA, "
            "holding-torque: %.4gNm, inertia: %.4ggcm2, friction: %.4gmNm%s, stepping: "
            "{start-rate: 60steps/s, top-rate: 150steps/s, ramp: 200steps/s2, mode: %s%s}}\n",
            r->ohms, r->henries * 1e3, r->amps, r->hold, 900 * r->hold / 0.4, 40 * r->hold, heat,
            pick(2) == 0 ? "full" : "half", r->pwm > 0 ? ends[pick(3)] : "");
    }
    return (size_t)snprintf(to, size,
                            strcmp(r->cell.load, "lamp") == 0
                                ? "    lamp: {rated: %.4gV, power: %.4gW, cold: 8%%}\n"
                                : "    leds: {rated: %.4gV, power: %.4gW, forward: 2V}\n",
                            r->ohms * r->amps, r->ohms * r->amps * r->amps);
}

/* A line of figures that are there only when they are not zero. */
static size_t campaign_more(char *to, size_t size, const char *format, double value) {
    return value > 0 ? (size_t)snprintf(to, size, format, value) : 0;
}

static const char *campaign_text(const campaign_rig *r) {
    static char text[4000];
    size_t size = sizeof text, n = 0;
    n += (size_t)snprintf(text, size,
                          "rig: any\ncontroller: {logic: %.2gV}\nsupplies:\n  main: "
                          "{voltage: %.4gV, resistance: %.4gohm, switch: on%s",
                          r->logic, r->volts, r->source_ohms, r->supply_more);
    n += campaign_more(text + n, size - n, ", limit: %.4gA", r->limit);
    n += campaign_more(text + n, size - n, ", capacitor: %.4gmF", r->farads * 1e3);
    n += (size_t)snprintf(text + n, size - n,
                          "}\nloads:\n  pump:\n    supply: main\n    stage: "
                          "{kind: %s, pins: {",
                          r->cell.kind->name);
    for (unsigned l = 0; l < r->cell.kind->table->line_count; l++) {
        n += (size_t)snprintf(text + n, size - n, "%s%s: %u", l == 0 ? "" : ", ",
                              r->cell.kind->lines[l], 4 + l);
    }
    n += (size_t)snprintf(text + n, size - n, "}");
    n += campaign_more(text + n, size - n, ", pwm: %.5gHz", r->pwm);
    n += (size_t)snprintf(text + n, size - n,
                          "}\n    driver: {on-resistance: %.4gohm, current-limit: %.4gA, "
                          "current-time: %.4gms, voltage-limit: %.4gV%s%s",
                          r->on_ohms, r->amps_limit, r->limit_time * 1e3, r->volts_limit,
                          r->driver_more, r->switch_more);
    n += campaign_more(text + n, size - n, ", saturation: %.3gV", r->saturation);
    n += campaign_more(text + n, size - n, ", diode-limit: %.4gA", r->diode_limit);
    n += campaign_more(text + n, size - n, ", heat: {resistance: %.4gK/W, time: 400ms}",
                       r->driver_kpw);
    n += (size_t)snprintf(text + n, size - n, "}\n");
    n += campaign_hangs(r, text + n, size - n);
    if (wpin_stage_kind_takes_duty(r->cell.kind)) {
        bool coil = strcmp(r->cell.load, "solenoid") == 0;
        n += (size_t)snprintf(text + n, size - n, "    ramp: {up: %.3gs, down: %.3gs}\n",
                              coil ? 0.01 : r->ramp_up, coil ? 0.01 : r->ramp_down);
    }
    if (r->cap < 1 && wpin_stage_kind_takes_duty(r->cell.kind)) {
        n += (size_t)snprintf(text + n, size - n, "    duty-limit: %.0f%%\n", r->cap * 100);
    }
    return text;
}

/* A plan that uses the rig for all it is: full and part duty, both ways, brake, and last a stall.
 */
static const char *campaign_plan(const campaign_rig *r, const wpin_rig *rig) {
    static char text[1000];
    const wpin_rig_load *load = &rig->loads[0];
    size_t size = sizeof text, n = 0;
    bool motor = strcmp(r->cell.load, "motor") == 0;
    double hold = motor && r->winding_kpw > 0 ? 40 : 3;
    if (r->cell.kind->coils) {
        return "pump turn 180deg\npump hold 2s\npump turn reverse 90deg\npump hold 500ms\n"
               "pump release\n";
    }
    if (!wpin_stage_kind_takes_duty(load->kind)) {
        n += (size_t)snprintf(text, size, "pump on\npump hold %.3gs\npump off\n", hold);
        if (wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE)) {
            n += (size_t)snprintf(text + n, size - n, "pump on reverse\npump hold 1s\npump off\n");
        }
    } else if (motor) {
        double full = 100 * load->limits.duty_max, part = full * between(0.4, 0.95);
        n += (size_t)snprintf(text, size,
                              "pump ramp %.2f%%\npump hold %.3gs\npump stop\npump ramp %.2f%%\n"
                              "pump hold 2s\npump stop\n",
                              full - 0.01, hold, part);
        if (wpin_stage_kind_has(load->kind, WPIN_DRIVE_REVERSE)) {
            n += (size_t)snprintf(text + n, size - n,
                                  "pump ramp reverse %.2f%%\npump hold 1s\npump stop\n", part);
        }
    } else {
        n += (size_t)snprintf(text, size, "pump on\npump hold 3s\npump off\n");
    }
    if (motor) {
        n += (size_t)snprintf(text + n, size - n,
                              "pump rest 1s\nfault pump stalled\npump on\npump hold 3s\n"
                              "mend pump stalled\npump off\n");
    }
    return text;
}

#endif
