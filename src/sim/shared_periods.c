/* Motors that are alike in all that their periods depend on share what is solved of those. */
#include "plant.h"
#include <stdlib.h>

static wpin_constants constants_of(const wpin_plant *plant) {
    const wpin_feed *f = &plant->feed;
    return (wpin_constants){.of = {.resistance = plant->motor.resistance,
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
                                   .wire_b = f->wire_b}};
}

static bool same(const wpin_constants *a, const wpin_constants *b) {
    size_t i = 0;
    while (i < sizeof a->all / sizeof *a->all && a->all[i] == b->all[i]) {
        i++;
    }
    return i == sizeof a->all / sizeof *a->all;
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

/* Room for one user more; those there were keep theirs where there is none. */
static bool grow(wpin_solved *solved) {
    int bits = solved->bits == 0 ? WPIN_LEAPS_BITS : solved->bits;
    while (bits < WPIN_LEAPS_MOST && solved->users + 1 > 1 << (bits - WPIN_LEAPS_BITS)) {
        bits++;
    }
    if (bits != solved->bits) {
        wpin_period *leaps = calloc((size_t)1 << bits, sizeof *leaps);
        wpin_cached *pieces = calloc((size_t)2 << bits, sizeof *pieces);
        if (leaps == NULL || pieces == NULL) {
            free(leaps);
            free(pieces);
            return false;
        }
        free(solved->leaps);
        free(solved->pieces);
        solved->leaps = leaps;
        solved->pieces = pieces;
        solved->bits = bits;
    }
    return true;
}

bool wpin_plant_share(wpin_plant *plant, const wpin_plant *other) {
    wpin_solved *solved = other != NULL ? other->solved : calloc(1, sizeof *solved);
    if (solved == NULL || !grow(solved)) {
        if (other == NULL) {
            free(solved);
        }
        return false;
    }
    solved->users++;
    plant->solved = solved;
    wpin_plant_number_constants(plant);
    return true;
}

void wpin_plant_free(wpin_plant *plant) {
    if (plant->solved != NULL && --plant->solved->users == 0) {
        free(plant->solved->leaps);
        free(plant->solved->pieces);
        free(plant->solved);
    }
    free(plant->stars);
    free(plant->passes);
    free(plant);
}
