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

/* The PWM of the leg that carries it: of its upper side, or of what is told to its chip. */
static const wpin_sim_pin *modulated(const wpin_sim *sim, int motor) {
    const wpin_bridge *bridge = &sim->bridges[wpin_driver_of(sim, motor)];
    for (int i = 0; i < bridge->input_count; i += 2) {
        const wpin_sim_pin *pin = &sim->pins[bridge->inputs[i]];
        if (pin->wave.pwm) {
            return pin;
        }
    }
    return NULL;
}

/* The next one after now. */
static int64_t middle_after(const wpin_sim *sim, int motor) {
    const wpin_sim_pin *pin = modulated(sim, motor);
    if (pin == NULL) {
        return sim->now + IDLE_PS;
    }
    wpin_window on = pin->wave.next;
    int64_t first = pin->wave.start + (on.rise + on.fall) / 2, period = pin->wave.period;
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
