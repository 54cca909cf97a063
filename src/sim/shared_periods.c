/* Motors that are alike in all that their periods depend on share what is solved of those. */
#include "plant.h"
#include <stdlib.h>
#include <string.h>

static wpin_constants constants_of(const wpin_plant *plant) {
    const wpin_feed *f = &plant->feed;
    return (wpin_constants){.resistance = plant->motor.resistance,
                            .inductance = plant->motor.inductance,
                            .constant = plant->motor.constant,
                            .inertia = plant->inertia,
                            .viscous = plant->viscous,
                            .quadratic = plant->quadratic,
                            .torque_move = plant->torque_move,
                            .supply_ohms = f->resistance,
                            .on_ohms = f->on_resistance,
                            .saturation_volts = f->saturation_volts,
                            .diode_volts = f->diode_volts,
                            .diode_ohms = f->diode_resistance,
                            .sense_filter = f->sense_filter,
                            .heats = plant->heats,
                            .wire_a = f->wire_a,
                            .wire_b = f->wire_b};
}

static bool same(const wpin_constants *a, const wpin_constants *b) {
    return memcmp(a, b, sizeof *a) == 0;
}

bool wpin_plant_is_like(const wpin_plant *plant, const wpin_plant *other) {
    return same(&plant->constants, &other->constants);
}

void wpin_plant_number_constants(wpin_plant *plant) {
    wpin_solved *solved = plant->solved;
    plant->constants = constants_of(plant);
    if (solved == NULL) {
        return;
    }
    for (int i = 0; i < WPIN_CONSTANTS; i++) {
        if (solved->number_of[i] != 0 && same(&solved->constants[i], &plant->constants)) {
            plant->constants_number = solved->number_of[i];
            return;
        }
    }
    int oldest = (int)(solved->numbers % WPIN_CONSTANTS);
    solved->constants[oldest] = plant->constants;
    plant->constants_number = solved->number_of[oldest] = ++solved->numbers;
}

bool wpin_plant_share(wpin_plant *plant, const wpin_plant *other) {
    plant->solved = other != NULL ? other->solved : calloc(1, sizeof *plant->solved);
    if (plant->solved == NULL) {
        return false;
    }
    plant->solved->users++;
    wpin_plant_number_constants(plant);
    return true;
}

void wpin_plant_free(wpin_plant *plant) {
    if (plant->solved != NULL && --plant->solved->users == 0) {
        free(plant->solved);
    }
    free(plant);
}
