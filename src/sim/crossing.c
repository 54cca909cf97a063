/* Between the two ends by secants, kept apart by halves (the rule of Illinois). */
#include "crossing.h"
#include <math.h>
#include <stdbool.h>

#define PS 1e-12

double wpin_crosses(wpin_left *left, const void *what, double end) {
    double low = 0, high = end, at_low = fmax(left(what, 0), 0), at_high = left(what, end);
    double before = -1;
    int side = 0;
    for (int i = 0; i < 60 && high - low > PS; i++) {
        /* from zero itself it may rise before it falls: halves, until it is seen to */
        const double share = at_low > 0 ? at_low / (at_low - at_high) : 0.5;
        const double t = low + (high - low) * share, y = left(what, t);
        if (y == 0 || fabs(t - before) < PS) {
            return t;
        }
        before = t;
        const bool above = y > 0;
        low = above ? t : low;
        high = above ? high : t;
        at_low = above ? y : (side < 0 ? at_low / 2 : at_low);
        at_high = above ? (side > 0 ? at_high / 2 : at_high) : y;
        side = above ? 1 : -1;
    }
    return high;
}
