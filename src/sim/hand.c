/* What the controller senses besides currents: buttons that bounce, limit switches, knobs and
 * sensors that are never quite still. */
#include "board.h"
#include <math.h>

#define PS_PER_S 1e12

bool wpin_sim_wire_button(wpin_sim *sim, wpin_pin pin, double bounce) {
    sim->pins[pin].button = bounce >= 0;
    sim->pins[pin].bounce = bounce;
    sim->pins[pin].pressed_at = INT64_MIN / 2;
    return bounce >= 0;
}

bool wpin_sim_button_opens(wpin_sim *sim, wpin_pin pin) {
    sim->pins[pin].opens = sim->pins[pin].button;
    return sim->pins[pin].button;
}

bool wpin_sim_press(wpin_sim *sim, wpin_pin pin, bool pressed) {
    wpin_sim_pin *p = &sim->pins[pin];
    if (p->button && p->pressed != pressed) {
        p->pressed = pressed;
        p->pressed_at = sim->now;
    }
    return p->button;
}

/* While it bounces the contact opens and closes in ever shorter turns. */
bool wpin_button_level(const wpin_sim *sim, wpin_pin pin) {
    const wpin_sim_pin *p = &sim->pins[pin];
    double since = (double)(sim->now - p->pressed_at) / PS_PER_S;
    bool down = p->pressed;
    if (p->stuck) {
        return p->opens;
    }
    if (since < p->bounce) {
        double left = 1 - since / p->bounce;
        down = down != (fmod(left * left * 7.3, 1) > 0.45);
    }
    return down == p->opens;
}

bool wpin_sim_wire_limit(wpin_sim *sim, wpin_pin pin, int motor, double from, double to,
                         bool opens) {
    if (motor < 0 || motor >= sim->plant_count || !(from < to)) {
        return false;
    }
    wpin_sim_pin *p = &sim->pins[pin];
    p->limit = true;
    p->opens = opens;
    p->motor = motor;
    p->from = from;
    p->to = to;
    return true;
}

bool wpin_limit_reached(const wpin_sim *sim, wpin_pin pin) {
    const wpin_sim_pin *p = &sim->pins[pin];
    const wpin_plant *plant = sim->plants[p->motor];
    if (p->stuck) {
        return false;
    }
    double turns = plant->angle / (2 * 3.14159265358979323846) / plant->motor.gear_ratio;
    return turns >= p->from && turns <= p->to;
}

bool wpin_sim_wire_sensor(wpin_sim *sim, uint8_t input, double volts, double noise) {
    sim->analog[input] = (wpin_analog){.what = WPIN_SENSED_OTHER, .ratio = volts, .noise = noise};
    return noise >= 0 && volts >= 0;
}

static void put(wpin_analog *a, double to) {
    a->wanted = to;
    a->ratio = a->stuck ? a->ratio : to;
}

void wpin_analog_stick(wpin_analog *a, bool on) {
    if (on && !a->stuck) {
        a->wanted = a->ratio;
    }
    a->stuck = on;
    a->ratio = on ? a->ratio : a->wanted;
}

bool wpin_sim_set_sensor(wpin_sim *sim, uint8_t input, double volts) {
    bool good = sim->analog[input].what == WPIN_SENSED_OTHER && volts >= 0;
    if (good) {
        put(&sim->analog[input], volts);
    }
    return good;
}

bool wpin_sim_wire_knob(wpin_sim *sim, uint8_t input, double noise) {
    sim->analog[input] = (wpin_analog){.what = WPIN_SENSED_KNOB, .noise = noise};
    return noise >= 0;
}

bool wpin_sim_turn(wpin_sim *sim, uint8_t input, double share) {
    wpin_analog *a = &sim->analog[input];
    bool good = a->what == WPIN_SENSED_KNOB && share >= 0 && share <= 1;
    if (good) {
        put(a, share);
    }
    return good;
}

/* Noise of its own for every reading, repeatable: a golden-ratio sequence from tip to tip. */
double wpin_knob_volts(const wpin_sim *sim, wpin_analog *a) {
    a->seed = fmod(a->seed + 0.6180339887, 1);
    double full = a->what == WPIN_SENSED_KNOB ? sim->controller.logic_volts : 1;
    double volts = a->ratio * full + (a->seed - 0.5) * a->noise;
    return fmax(0, volts);
}
