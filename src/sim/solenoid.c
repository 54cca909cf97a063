/* A solenoid's plunger: drawn in once the pull-in current has flowed long enough, held down to the
 * drop-out current. Its coil is the winding of a motor that never turns. */
#include "plant.h"
#include <math.h>

void wpin_solenoid_follow(wpin_plant *plant, double seconds) {
    const wpin_sim_solenoid *s = &plant->solenoid;
    double amps = fabs(plant->amps);
    plant->pulling = amps >= s->pull_in ? plant->pulling + seconds : 0;
    if (plant->pulling >= s->pull_in_time && amps >= s->pull_in) {
        plant->effect = 1;
    } else if (amps < s->drop_out) {
        plant->effect = 0;
    }
}
