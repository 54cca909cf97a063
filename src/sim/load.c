/* Lets time pass for a load, whatever it is. */
#include "plant.h"

void wpin_plant_advance(wpin_plant *plant, int64_t dt) {
    switch (plant->kind) {
    case WPIN_PLANT_LAMP: wpin_lamp_advance(plant, dt); break;
    case WPIN_PLANT_STEPPER: wpin_stepper_advance(plant, dt); break;
    case WPIN_PLANT_BRUSHLESS: wpin_brushless_advance(plant, dt); break;
    case WPIN_PLANT_SOLENOID: wpin_winding_advance(plant, dt); break;
    case WPIN_PLANT_MOTOR: wpin_motor_advance(plant, dt); break;
    }
}
