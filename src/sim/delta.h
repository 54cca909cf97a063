/* The current that goes round in a delta whose emf has flat tops. */
#ifndef WPIN_SIM_DELTA_H
#define WPIN_SIM_DELTA_H

#include "phases.h"

/* A piece of it within a sector, as it goes at one speed. */
typedef struct wpin_round {
    double amps;    /* as it ends */
    double torque;  /* Nm, its mean */
    double squares; /* current in two leads that heats as much, squared, times seconds */
} wpin_round;

static inline bool wpin_goes_round(const wpin_plant *plant) {
    return plant->motor.delta && !plant->motor.sinusoidal && !plant->burnt;
}

wpin_round wpin_delta_round(const wpin_plant *plant, const wpin_shape *shape, double speed,
                            double seconds);
/* What it makes now, Nm. */
double wpin_delta_torque(const wpin_plant *plant, const wpin_shape *shape);

static inline void wpin_delta_keep(wpin_plant *plant, const wpin_round *round) {
    plant->round_amps = round->amps;
    plant->squares += round->squares;
}

#endif
