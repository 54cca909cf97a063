/* What the filter behind a current sense makes of a current that goes evenly. */
#ifndef WPIN_SIM_SENSE_LAG_H
#define WPIN_SIM_SENSE_LAG_H

#include "plant.h"

/* Of its time: what five terms leave out is then 5e-11. */
#define WPIN_LAG_SHORT 0.05

static inline wpin_lag wpin_plant_lag(const wpin_plant *plant, double seconds) {
    if (plant->feed.sense_filter <= 0) {
        return (wpin_lag){.end = 1};
    }
    if (seconds <= 0) {
        return (wpin_lag){.keep = 1};
    }
    const double x = seconds / plant->feed.sense_filter;
    if (x < WPIN_LAG_SHORT) {
        double end = x / 2 * (1 - x / 3 * (1 - x / 4 * (1 - x / 5 * (1 - x / 6))));
        double goes = x * (1 - end);
        return (wpin_lag){1 - goes, goes - end, end};
    }
    double goes = -expm1(-x), end = 1 - goes / x;
    return (wpin_lag){1 - goes, goes - end, end};
}

static inline void wpin_plant_sense(wpin_plant *plant, double begin, double end, double seconds) {
    const wpin_lag lag = wpin_plant_lag(plant, seconds);
    plant->sense_amps = lag.keep * plant->sense_amps + lag.begin * begin + lag.end * end;
}

#endif
