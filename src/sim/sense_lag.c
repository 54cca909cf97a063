/* What the filter behind a current sense makes of a current that goes evenly. */
#include "plant.h"
#include <math.h>

wpin_lag wpin_plant_lag(const wpin_plant *plant, double seconds) {
    if (plant->feed.sense_filter <= 0) {
        return (wpin_lag){.end = 1};
    }
    if (seconds <= 0) {
        return (wpin_lag){.keep = 1};
    }
    double times = seconds / plant->feed.sense_filter, goes = -expm1(-times);
    double end = 1 - goes / times;
    return (wpin_lag){1 - goes, goes - end, end};
}
