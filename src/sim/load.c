/* Lets time pass for a load, whatever it is. */
#include "plant.h"

#define PS 1e-12

/* Whether two legs drive a winding that carries nothing: one at each side of the supply. */
static bool drive(wpin_leg_state a, wpin_leg_state b) {
    return (a == WPIN_LEG_HIGH && b == WPIN_LEG_LOW) || (a == WPIN_LEG_LOW && b == WPIN_LEG_HIGH) ||
           a == WPIN_LEG_BOTH || b == WPIN_LEG_BOTH;
}

/* It stands without a current, and nothing drives one. */
static bool rests(const wpin_plant *plant) {
    bool stepper = plant->kind == WPIN_PLANT_STEPPER;
    return (stepper || plant->kind == WPIN_PLANT_MOTOR) && plant->amps == 0 && plant->speed == 0 &&
           !drive(plant->leg_a, plant->leg_b) &&
           !(stepper && (plant->amps_b != 0 || drive(plant->leg_c, plant->leg_d)));
}

void wpin_plant_advance(wpin_plant *plant, int64_t dt) {
    if (rests(plant)) {
        wpin_plant_tally(plant, (double)dt * PS, 0, 0, 0);
        return;
    }
    switch (plant->kind) {
    case WPIN_PLANT_LAMP: wpin_lamp_advance(plant, dt); break;
    case WPIN_PLANT_STEPPER: wpin_stepper_advance(plant, dt); break;
    case WPIN_PLANT_BRUSHLESS: wpin_brushless_advance(plant, dt); break;
    case WPIN_PLANT_SOLENOID: wpin_winding_advance(plant, dt); break;
    case WPIN_PLANT_MOTOR: wpin_motor_advance(plant, dt); break;
    }
}
