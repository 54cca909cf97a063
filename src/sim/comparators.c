/* Comparators on the leads of brushless motors, each against their neutral point: in the middle of
 * the on part of a PWM period they tell the back-emf of the free lead. */
#include "board.h"
#include <math.h>

int wpin_sim_add_comparators(wpin_sim *sim, const wpin_part_comparators *comparators, int motor,
                             const wpin_pin pins[3]) {
    bool takes =
        motor >= 0 && motor < sim->plant_count && sim->plants[motor]->kind == WPIN_PLANT_BRUSHLESS;
    if (!takes || sim->comparator_count == WPIN_SIM_ENCODERS) {
        return -1;
    }
    wpin_comparator_part *c = &sim->comparators[sim->comparator_count];
    *c = (wpin_comparator_part){.part = *comparators, .motor = motor};
    for (int i = 0; i < 3; i++) {
        if (!(fabs(comparators->offset[i]) <= 1)) {
            return -1;
        }
        c->pins[i] = pins[i];
    }
    return sim->comparator_count++;
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
