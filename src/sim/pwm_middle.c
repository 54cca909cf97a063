/* The interrupt in the middle of the on part of each PWM period of a brushless motor. */
#include "board.h"

#define IDLE_PS 50000000LL /* between two of them where there is no PWM */

bool wpin_sim_on_pwm_middle(wpin_sim *sim, int motor, wpin_sim_interrupt *interrupt,
                            void *context) {
    if (motor < 0 || motor >= sim->plant_count ||
        sim->plants[motor]->kind != WPIN_PLANT_BRUSHLESS) {
        return false;
    }
    int i = 0;
    while (i < sim->middle_count && sim->middles[i].motor != motor) {
        i++;
    }
    if (i == WPIN_SIM_ENCODERS) {
        return false;
    }
    sim->middle_count += i == sim->middle_count;
    sim->middles[i] = (wpin_pwm_middle){motor, sim->now, interrupt, context};
    return true;
}

int wpin_chopped_input(const wpin_sim *sim, const wpin_bridge *bridge) {
    for (int side = 0; side < 2; side++) {
        for (int i = side; i < bridge->input_count; i += 2) {
            int pin = bridge->inputs[i];
            if (pin != WPIN_SIM_NO_WIRE && sim->pins[pin].wave.pwm) {
                return i;
            }
        }
    }
    return WPIN_SIM_NO_WIRE;
}

/* The next one after now. A switch behind an inverted wire is on while its pin is low. */
static int64_t middle_after(const wpin_sim *sim, int motor) {
    const wpin_bridge *bridge = &sim->bridges[wpin_driver_of(sim, motor)];
    int input = wpin_chopped_input(sim, bridge);
    if (input == WPIN_SIM_NO_WIRE) {
        return sim->now + IDLE_PS;
    }
    const wpin_wave *wave = &sim->pins[bridge->inputs[input]].wave;
    int64_t period = wave->period, middle = (wave->next.rise + wave->next.fall) / 2;
    bool inverts = (bridge->inverts >> input & 1U) != 0;
    int64_t first = wave->start + middle + (inverts ? period / 2 : 0);
    int64_t passed = sim->now < first ? 0 : (sim->now - first) / period + 1;
    return first + passed * period;
}

int64_t wpin_middle_window(const wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->middle_count; i++) {
        int64_t left = sim->middles[i].next - sim->now;
        left = left < 1 ? 1 : left;
        window = sim->middles[i].interrupt != NULL && left < window ? left : window;
    }
    return window;
}

void wpin_middle_settle(wpin_sim *sim) {
    for (int i = 0; i < sim->middle_count; i++) {
        wpin_pwm_middle *m = &sim->middles[i];
        if (m->interrupt != NULL && sim->now >= m->next) {
            if (!sim->interrupts_off) {
                m->interrupt(m->context);
            }
            m->next = middle_after(sim, m->motor);
        }
    }
}
