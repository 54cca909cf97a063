/* Lets time pass for a load, whatever it is. */
#include "plant.h"

#define PS 1e-12

/* Whether two legs drive a winding that carries nothing: one at each side of the supply. */
static bool drive(wpin_leg_state a, wpin_leg_state b) {
    return (a == WPIN_LEG_HIGH && b == WPIN_LEG_LOW) || (a == WPIN_LEG_LOW && b == WPIN_LEG_HIGH) ||
           a == WPIN_LEG_BOTH || b == WPIN_LEG_BOTH;
}

bool wpin_plant_rests(const wpin_plant *plant) {
    if (plant->amps != 0 || plant->speed != 0 || drive(plant->leg_a, plant->leg_b)) {
        return false;
    }
    switch (plant->kind) {
    case WPIN_PLANT_MOTOR: return true;
    case WPIN_PLANT_STEPPER: return plant->amps_b == 0 && !drive(plant->leg_c, plant->leg_d);
    case WPIN_PLANT_SOLENOID: return plant->effect == 0;
    case WPIN_PLANT_LAMP: return plant->effect == 0 && wpin_lamp_is_cold(plant);
    default: return false;
    }
}

int64_t wpin_plant_steady(wpin_plant *plant) {
    if (wpin_plant_rests(plant)) {
        return WPIN_PLANT_FOR_EVER;
    }
    switch (plant->kind) {
    case WPIN_PLANT_LAMP: return wpin_lamp_steady(plant);
    case WPIN_PLANT_SOLENOID: return wpin_solenoid_steady(plant);
    default: return 0;
    }
}

/* A coil whose current stays takes it all at once. */
static void advance_solenoid(wpin_plant *plant, int64_t dt) {
    if (wpin_solenoid_steady(plant) < dt || plant->heats) {
        wpin_winding_advance(plant, dt);
        return;
    }
    double seconds = (double)dt * PS;
    wpin_plant_tally(plant, seconds, plant->amps, plant->amps, wpin_plant_draws(plant) * seconds);
}

void wpin_plant_advance(wpin_plant *plant, int64_t dt) {
    if (wpin_plant_rests(plant)) {
        wpin_plant_tally(plant, (double)dt * PS, 0, 0, 0);
        return;
    }
    switch (plant->kind) {
    case WPIN_PLANT_LAMP: wpin_lamp_advance(plant, dt); break;
    case WPIN_PLANT_STEPPER: wpin_stepper_advance(plant, dt); break;
    case WPIN_PLANT_BRUSHLESS: wpin_brushless_advance(plant, dt); break;
    case WPIN_PLANT_SOLENOID: advance_solenoid(plant, dt); break;
    case WPIN_PLANT_MOTOR: wpin_motor_advance(plant, dt); break;
    }
}
