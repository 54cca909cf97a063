/* Comparators on the leads of brushless motors, each against their neutral point, and the interrupt
 * in the middle of each PWM period's on part, in which they tell the back-emf of the free lead. */
#include "board.h"
#include <math.h>

#define IDLE_PS 50000000LL /* between two looks where there is no PWM */

int wpin_sim_add_comparators(wpin_sim *sim, const wpin_part_comparators *comparators, int motor,
                             const wpin_pin pins[3]) {
    bool takes =
        motor >= 0 && motor < sim->plant_count && sim->plants[motor]->kind == WPIN_PLANT_BRUSHLESS;
    if (!takes || sim->comparator_count == WPIN_SIM_ENCODERS) {
        return -1;
    }
    wpin_comparator_part *c = &sim->comparators[sim->comparator_count];
    *c = (wpin_comparator_part){.part = *comparators, .motor = motor, .next = sim->now};
    for (int i = 0; i < 3; i++) {
        if (!(fabs(comparators->offset[i]) <= 1)) {
            return -1;
        }
        c->pins[i] = pins[i];
    }
    return sim->comparator_count++;
}

bool wpin_sim_on_pwm_middle(wpin_sim *sim, int number, wpin_sim_interrupt *interrupt,
                            void *context) {
    if (number < 0 || number >= sim->comparator_count) {
        return false;
    }
    sim->comparators[number].interrupt = interrupt;
    sim->comparators[number].context = context;
    return true;
}

/* At the driver's terminals, where three equal resistors make the neutral point. */
static bool is_above(const wpin_sim *sim, const wpin_comparator_part *c, int terminal) {
    bool swapped = sim->bridges[wpin_driver_of(sim, c->motor)].motor_swapped && terminal < 2;
    int lead = swapped ? 1 - terminal : terminal;
    double volts[3];
    wpin_brushless_leads(sim->plants[c->motor], volts);
    double neutral = (volts[0] + volts[1] + volts[2]) / 3;
    return volts[lead] + c->part.offset[terminal] > neutral;
}

bool wpin_comparator_level(const wpin_sim *sim, wpin_pin pin, bool *high) {
    for (int i = 0; i < sim->comparator_count; i++) {
        for (int lead = 0; lead < 3; lead++) {
            if (sim->comparators[i].pins[lead] == pin) {
                *high = !sim->comparators[i].off && is_above(sim, &sim->comparators[i], lead);
                return true;
            }
        }
    }
    return false;
}

bool wpin_comparator_inject(wpin_sim *sim, int motor, bool off) {
    bool found = false;
    for (int i = 0; i < sim->comparator_count; i++) {
        if (sim->comparators[i].motor == motor) {
            sim->comparators[i].off = off;
            found = true;
        }
    }
    return found;
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

/* The next middle after now. */
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

int64_t wpin_comparator_window(const wpin_sim *sim) {
    int64_t window = INT64_MAX;
    for (int i = 0; i < sim->comparator_count; i++) {
        const wpin_comparator_part *c = &sim->comparators[i];
        int64_t left = c->next - sim->now;
        left = left < 1 ? 1 : left;
        window = c->interrupt != NULL && left < window ? left : window;
    }
    return window;
}

void wpin_comparator_settle(wpin_sim *sim) {
    for (int i = 0; i < sim->comparator_count; i++) {
        wpin_comparator_part *c = &sim->comparators[i];
        if (c->interrupt == NULL || sim->now < c->next) {
            continue;
        }
        c->interrupt(c->context);
        c->next = middle_after(sim, c->motor);
    }
}
