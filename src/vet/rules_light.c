/* Rules about lamps and strips: inrush and light. */
#include "rules.h"

static wpin_filament filament_of(const wpin_facts *f) {
    const wpin_part_lamp *lamp = &f->load->lamp;
    return (wpin_filament){lamp->volts, lamp->watts, lamp->cold_share, lamp->warm_up, 0};
}

static void inrush(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_driver *b = &f->load->bridge;
        bool lamp = wpin_rig_type(f->load)->shines && f->load->lamp.cold_share < 1;
        if (!lamp || f->stall_amps <= b->burns_above_amps || b->protects) {
            continue;
        }
        wpin_filament filament = filament_of(f);
        double lasts = wpin_calc_inrush_seconds(
            &filament, f->volts, f->loop_ohms - wpin_calc_filament_ohms(&filament, 300), f->pwm_hz,
            f->pwm_hz > 0 ? f->load->limits.ramp_up : 0, f->load->limits.duty_max,
            b->burns_above_amps);
        bool burns = lasts >= b->burns_after;
        wpin_finding *n = wpin_find_load(v, burns ? WPIN_REFUSE : WPIN_CAUTION, f);
        wpin_cause(
            n,
            "its cold filament takes up to %.3g A, and for %.3g ms on end more than the %.3g "
            "A that the driver survives for %.3g ms",
            f->stall_amps, lasts * 1e3, b->burns_above_amps, b->burns_after * 1e3);
        wpin_consequence(n, burns ? "the driver burns when it is switched on cold"
                                  : "each switching on wears the driver");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.current-limit", .unit = "A", .digits = 3),
                        1.25 * f->stall_amps, "a driver for %s");
        wpin_cure(n, "%.3g ohm in series", 1.1 * f->volts / b->burns_above_amps - f->loop_ohms);
    }
}

/* The most a transistor is warmer than the air while a cold filament wants more than its base lets
 * through: the volts it does not pass on stay across it. */
static double starved_rise(const wpin_facts *f) {
    enum { STEPS = 2000 };
    const wpin_part_heat *heat = &f->load->bridge.heat;
    const wpin_rig_limits *l = &f->load->limits;
    wpin_filament filament = filament_of(f);
    double ramp = f->pwm_hz > 0 ? l->ramp_up * l->duty_max : 0;
    double dt = (ramp + 20 * filament.warm_up) / STEPS, kelvin = 300, rise = 0, most = 0;
    for (int i = 0; i < STEPS; i++) {
        double duty = ramp > 0 ? fmin((i + 1) * dt / ramp, 1) * l->duty_max : 1;
        double ohms = wpin_calc_filament_ohms(&filament, kelvin);
        double amps = fmin(f->volts / (ohms + f->switch_ohms), f->most_amps);
        double last = duty * amps * (f->volts - amps * ohms) * heat->resistance;
        kelvin = wpin_calc_filament_warm(&filament, kelvin, duty * amps * amps * ohms, dt);
        rise = last + (rise - last) * exp(-dt / fmax(heat->time, 1e-6));
        most = fmax(most, rise);
    }
    return most;
}

static void starved_lamp(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        const wpin_part_heat *heat = &f->load->bridge.heat;
        bool lamp = wpin_rig_type(f->load)->shines && f->load->lamp.cold_share < 1;
        if (!lamp || isinf(f->most_amps) || heat->resistance <= 0) {
            continue;
        }
        double rise = starved_rise(f), room = heat->limit - wpin_air(v);
        double slow = f->pwm_hz > 0 ? 0.5 / (f->pwm_hz * fmax(heat->time, 1e-6)) : 0;
        if (rise * (1 + fmin(slow, 0.4)) <= 0.9 * room) {
            continue;
        }
        wpin_finding *n = wpin_find_load(v, WPIN_REFUSE, f);
        wpin_cause(n,
                   "its base lets %.3g A through, and its cold filament wants more: meanwhile the "
                   "transistor gets to %.0f degC, it survives %.0f degC",
                   f->most_amps, rise + wpin_air(v), heat->limit);
        wpin_consequence(n, "the transistor burns when the cold lamp is switched on");
        wpin_cure(n, "a field-effect transistor, or one with more gain");
        wpin_cure_value(n, WPIN_KEY(.path = "driver.heat.resistance", .unit = "K/W", .digits = 3),
                        0.8 * heat->resistance * room / rise, "at most %s (a heat sink)");
    }
}

static void dim(wpin_vetter *v) {
    WPIN_EACH_LOAD(v, f) {
        double share = wpin_rig_type(f->load)->shines ? wpin_rig_light(f->load, f->volts, 0, 1) : 1;
        if (share >= 0.5) {
            continue;
        }
        bool dark = share < 0.01;
        wpin_finding *n = wpin_find_load(v, dark ? WPIN_REFUSE : WPIN_CAUTION, f);
        bool enough = f->volts >= 0.95 * f->load->lamp.volts;
        if (enough) {
            wpin_cause(n, "its stage leaves it too few of the %.3g V of its supply", f->volts);
        } else {
            wpin_cause(n, "made for %.3g V, its supply has %.3g V", f->load->lamp.volts, f->volts);
        }
        if (dark) {
            wpin_consequence(n, "it stays dark");
        } else {
            wpin_consequence(n, "it gives about %.0f %% of its rated light", 100 * share);
        }
        if (enough) {
            wpin_cure(n, "a stage with less resistance, e.g. a field-effect transistor");
        } else {
            wpin_cure_value(
                n, WPIN_KEY(.part = f->supply->name, .path = "voltage", .unit = "V", .digits = 3),
                f->load->lamp.volts, "a supply of %s");
        }
    }
}

const wpin_rule_entry wpin_rules_light[] = {
    {{"inrush", "lamp; driver current-limit", "a cold filament's current", WPIN_EFFECT_BURNS},
     inrush},
    {{"starved-lamp", "driver transistor, heat; lamp",
      "a cold filament on a base that gets too little", WPIN_EFFECT_BURNS},
     starved_lamp},
    {{"too-dim", "lamp, leds; supply voltage", "a light that stays dark on its supply",
      WPIN_EFFECT_DEAD},
     dim},
};
const size_t wpin_rules_light_count = sizeof wpin_rules_light / sizeof *wpin_rules_light;
