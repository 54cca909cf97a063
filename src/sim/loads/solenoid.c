/* A solenoid's plunger: drawn in once the pull-in current has flowed long enough, held down to the
 * drop-out current; it is too heavy to fall in the gaps of a PWM. Its coil is the winding of a
 * motor that never turns. */
#include "../plant.h"
#include <math.h>

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
