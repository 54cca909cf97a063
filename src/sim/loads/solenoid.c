/* A solenoid's plunger: drawn in once the pull-in current has flowed long enough, held down to the
 * drop-out current; it is too heavy to fall in the gaps of a PWM. Its coil is the winding of a
 * motor that never turns. */
#include "../plant.h"
#include <math.h>

#define NEAR        1e-7 /* of its last volts: so near to its last current it has come there */
#define FALLS_AFTER 1e-3 /* s below the drop-out current */

void wpin_solenoid_follow(wpin_plant *plant, double seconds) {
    const wpin_part_solenoid *s = &plant->solenoid;
    double amps = fabs(plant->amps);
    plant->pulling = amps >= s->pull_in ? plant->pulling + seconds : 0;
    if (plant->pulling >= s->pull_in_time && amps >= s->pull_in) {
        plant->effect = 1;
    }
    plant->falling = amps < s->drop_out ? plant->falling + seconds : 0;
    if (plant->falling >= FALLS_AFTER) {
        plant->effect = 0;
    }
}

/* All that it is led by is as it will stay. */
int64_t wpin_solenoid_steady(const wpin_plant *plant) {
    const wpin_part_solenoid *s = &plant->solenoid;
    double size = fabs(plant->amps);
    bool stays = plant->effect > 0 ? size >= s->drop_out : size < s->pull_in;
    bool limited = plant->feed.most_amps > 0 && plant->leg_b == WPIN_LEG_LOW;
    if (size == 0 || !stays || limited) {
        return 0;
    }
    wpin_loop loop = wpin_plant_loop(plant, plant->leg_a, plant->leg_b, plant->amps > 0 ? 1 : -1);
    bool there = fabs(loop.emf - loop.resistance * plant->amps) <= NEAR * fabs(loop.emf);
    return there ? WPIN_PLANT_FOR_EVER : 0;
}
