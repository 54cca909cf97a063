/* Drivers that ask nothing of a load at rest sleep until something concerns them, whether their
 * supply lives or not. */
#include "board.h"
#include <math.h>

#define PS_PER_S 1e12

/* Whether some leg could drive another. */
static bool could_drive(wpin_legs legs) {
    const wpin_leg_state all[] = {legs.a, legs.b, legs.c, legs.d};
    unsigned seen = 0;
    for (int i = 0; i < 4; i++) {
        seen |= 1U << all[i];
    }
    const unsigned low = 1U << WPIN_LEG_LOW, high = 1U << WPIN_LEG_HIGH;
    return (seen & 1U << WPIN_LEG_BOTH) != 0 || (seen & (low | high)) == (low | high);
}

bool wpin_bridge_may_sleep(const wpin_bridge *bridge, const wpin_plant *plant) {
    return bridge->moving_count == 0 && bridge->event_count == 0 && bridge->steady &&
           !bridge->never_off && wpin_plant_rests(plant) && plant->charge == 0 &&
           plant->drawn == 0 && fabs(plant->sense_amps) < 1e-9 &&
           !could_drive(bridge->legs[bridge->levels]);
}

void wpin_bridge_note_sleep(const wpin_sim *sim, wpin_bridge *bridge) {
    wpin_plant *plant = sim->plants[bridge->motor];
    plant->sums.time += (double)(sim->now - bridge->upto) / PS_PER_S;
    plant->feed.volts = sim->supplies[bridge->supply].part.volts;
    plant->feed.sag = wpin_supply_sag_beside(sim, bridge->supply, plant);
    bridge->upto = sim->now;
}
