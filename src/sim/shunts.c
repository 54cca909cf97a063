/* Shunts in the legs of three-phase drivers, and the interrupt at the begin of each PWM period, in
 * which a controller reads them. */
#include "board.h"
#include <math.h>

#define IDLE_PS 50000000LL /* between two looks where there is no PWM */

int wpin_sim_add_shunts(wpin_sim *sim, const wpin_part_shunts *shunts, int motor,
                        const uint8_t inputs[3]) {
    bool takes =
        motor >= 0 && motor < sim->plant_count && sim->plants[motor]->kind == WPIN_PLANT_BRUSHLESS;
    if (!takes || sim->shunt_count == WPIN_SIM_ENCODERS || !(shunts->volts_per_amp > 0) ||
        !(shunts->zero_volts >= 0) || !(shunts->noise >= 0)) {
        return -1;
    }
    sim->shunts[sim->shunt_count] =
        (wpin_shunt_part){.part = *shunts, .bridge = wpin_driver_of(sim, motor), .next = sim->now};
    for (int leg = 0; leg < 3; leg++) {
        if (inputs[leg] != WPIN_PART_NO_SHUNT) {
            sim->analog[inputs[leg]] = (wpin_analog){.what = WPIN_SENSED_SHUNT,
                                                     .part = sim->shunt_count,
                                                     .ratio = leg,
                                                     .noise = shunts->noise};
        }
    }
    return sim->shunt_count++;
}

bool wpin_sim_on_pwm_begin(wpin_sim *sim, int number, wpin_sim_interrupt *interrupt,
                           void *context) {
    if (number < 0 || number >= sim->shunt_count) {
        return false;
    }
    sim->shunts[number].interrupt = interrupt;
    sim->shunts[number].context = context;
    return true;
}

/* The low side of a leg carries its current while it is on, and its diode what flows on into the
 * motor while both sides are off. */
static bool flows_low(wpin_leg_state leg, double amps) {
    return leg == WPIN_LEG_LOW || (leg == WPIN_LEG_OFF && amps > 0);
}

double wpin_shunt_volts(const wpin_sim *sim, const wpin_analog *a) {
    const wpin_shunt_part *s = &sim->shunts[a->part];
    const wpin_bridge *bridge = &sim->bridges[s->bridge];
    const wpin_plant *plant = sim->plants[bridge->motor];
    int leg = (int)a->ratio, lead = bridge->motor_swapped && leg < 2 ? 1 - leg : leg;
    wpin_leg_state states[3] = {plant->leg_a, plant->leg_b, plant->leg_c};
    double amps = plant->phase_amps[lead];
    bool tells = s->part.in_leads || flows_low(states[lead], amps);
    return s->part.zero_volts + s->part.off[leg] + (tells ? amps * s->part.volts_per_amp : 0);
}

/* The PWM of a driver: all its timed lines have their begin together. NULL: there is none now. */
static const wpin_wave *pwm_of(const wpin_sim *sim, const wpin_bridge *bridge) {
    int input = wpin_chopped_input(sim, bridge);
    return input == WPIN_SIM_NO_WIRE ? NULL : &sim->pins[bridge->inputs[input]].wave;
}

int64_t wpin_shunt_window(const wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->shunt_count; i++) {
        const wpin_shunt_part *s = &sim->shunts[i];
        int64_t left = s->next - sim->now;
        left = left < 1 ? 1 : left;
        window = s->interrupt != NULL && left < window ? left : window;
    }
    return window;
}

void wpin_shunt_settle(wpin_sim *sim) {
    for (int i = 0; i < sim->shunt_count; i++) {
        wpin_shunt_part *s = &sim->shunts[i];
        if (s->interrupt == NULL || sim->now < s->next) {
            continue;
        }
        const wpin_bridge *bridge = &sim->bridges[s->bridge];
        const wpin_wave *wave = pwm_of(sim, bridge);
        if (wave == NULL || (sim->now - wave->start) % wave->period == 0) { /* it may just begin */
            if (!sim->interrupts_off) {
                s->interrupt(s->context);
            }
            wave = pwm_of(sim, bridge);
        }
        int64_t period = wave == NULL ? IDLE_PS : wave->period;
        int64_t into = wave == NULL ? 0 : (sim->now - wave->start) % period;
        s->next = sim->now + period - into;
    }
}
